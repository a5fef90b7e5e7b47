"""How far rivers and glaciers are like those in nature, on seeds that nothing was tuned on, and what they cost.

Run: PYTHONPATH=src .venv/bin/python -m bench rivers
"""

import sys
import time
from pathlib import Path

import numpy as np
from scipy.ndimage import gaussian_filter

from bench.form import land
from bench.table import plain
from gelande.core.evaluate.cache import Cache
from gelande.core.evaluate.executor import Evaluator
from gelande.core.evaluate.job import Job
from gelande.core.recipe import graph
from gelande.core.recipe.site import GLOBAL_LEVEL
from gelande.kernels.ice import carved
from gelande.kernels.meanders import meander, sinuosity, wavelength

sys.path.append(str(Path(__file__).parents[1] / "tests"))
from test_glacier import DX, WHOLE, dale, exponents  # noqa: E402  a dale and its section, as they are tested

LANDS = ("massif", "ridge_noise", "fractal_noise", "plateau", "ring_wall")
SEEDS = (51, 52, 53)
WIDTH = 40.0


def _pair(kind: str, seed: int, node: str, params: dict) -> tuple[np.ndarray, np.ndarray, float]:
    """(land, land after the node, seconds that the node took)."""
    recipe, before = land(kind, seed)
    recipe, last = graph.add(recipe, node, params=params)
    recipe = graph.link(recipe, before, "height", last, "height")
    engine = Evaluator(Cache(2_000_000_000))
    first = engine.result(Job(recipe), before, GLOBAL_LEVEL)["height"]
    began = time.perf_counter()
    found = engine.result(Job(recipe), last, GLOBAL_LEVEL)["height"]
    return first, found, time.perf_counter() - began


def rivers():
    """Adds lines about rivers."""
    for wound in (1.4, 1.75, 2.2):
        found = [meander(6000, WIDTH, wound, 500, 0.5, seed).line for seed in range(800, 808)]
        off = max(abs(sinuosity(line) / wound - 1) for line in found)
        plain(f"river: length against the winding asked for, {wound}: off by at most", f"{100 * off:.0f} %", "9 %")
        bends = np.array([wavelength(line) for line in found]) / WIDTH
        plain("river: a pair of bends, mean of eight seeds", f"{bends.mean():.1f} widths", "10 to 14")
    for kind in LANDS:
        lost, times = [], []
        for seed in SEEDS:
            before, after, took = _pair(kind, seed, "river", {})
            high = before > before.max() - 0.25 * np.ptp(before)
            lost.append((np.abs(after - before)[high] > 1).mean())
            times.append(took)
        plain(f"river on {kind.replace('_', ' ')}: share of the upper quarter of the land that it changes",
              f"{100 * min(lost):.0f} to {100 * max(lost):.0f} %", "15 %")  # fmt: skip
        plain("    time at 513", f"{max(times):.2f} s")


def _spoken(values: list[float], digits: int = 1) -> str:
    return f"{100 * min(values):.{digits}f} to {100 * max(values):.{digits}f} %"


def glaciers():
    """Adds lines about glaciers."""
    for walls in (0.45, 0.6):
        found = []
        for seed in range(21, 29):
            h = dale(seed, walls)
            line, size = np.full(h.shape, h.min() + 0.45 * np.ptp(h)), WHOLE._replace(relief=float(np.ptp(h)))
            cut, ice = carved(h, line, size, 220.0, DX)
            found.append(float(np.median(exponents(h - cut, ice))))
        steep = round(float(np.degrees(np.arctan(walls))))
        told = ", ".join(f"{one:.2f}" for one in sorted(found))
        plain(f"glacier: exponent of a trough's section on eight seeds, walls of {steep}°", told, "1.6 to 2.2")
    for kind in LANDS:
        lost, sunk, like, times = [], [], [], []
        for seed in SEEDS:
            before, after, took = _pair(kind, seed, "glacier", {"left": 0.0, "moraine": 0.0})
            relief = float(np.ptp(before))
            lost.append(float(np.percentile(before, 99.9) - np.percentile(after, 99.9)) / relief)
            sunk.append(max(0.0, float(before.min() - after.min())) / relief)
            broad = [gaussian_filter(h, before.shape[0] / 24).ravel() for h in (before, after)]
            like.append(float(np.corrcoef(*broad)[0, 1]))
            times.append(took)
        what = f"glacier on {kind.replace('_', ' ')}: "
        plain(what + "summits lost", _spoken(lost), "8 %")
        plain("    below the lowest ground", _spoken(sunk), "3 %")
        plain("    form at large", f"{min(like):.3f}", "0.95 at least")
        plain("    time at 513", f"{max(times):.2f} s")


def run():
    """All lines."""
    rivers()
    glaciers()
