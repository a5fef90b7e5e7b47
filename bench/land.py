"""How natural eroded land looks: the figures of core/likeness.py for three lands, roughened and eroded at three
strengths, with and without scree, over several seeds, as a table for docs/measured.md.

Run: PYTHONPATH=src .venv/bin/python -m bench.land [samples, 513 or 1025] [seed ...]
"""

import sys

from gelande.core.evaluate.cache import Cache
from gelande.core.evaluate.executor import Evaluator
from gelande.core.evaluate.job import Job
from gelande.core.recipe import graph
from gelande.core.recipe.model import Recipe
from gelande.core.regenerate.likeness import likeness_of

LANDS = {"ridge noise": "ridge_noise", "fractal noise": "fractal_noise", "massif": "massif"}
STRENGTHS = (0.2, 0.5, 0.8)
SEEDS = (1, 2, 3, 21)
#: Lands that have no plain, whose figures are held against bounds: flat tops and plains stay as flat as they were.
BOUNDED = {"ridge noise", "fractal noise"}
#: Figure, its heading, factor, decimals, and its bounds.
FIGURES = (
    ("variation", "slope variation", 1, 2, 0.45, 0.75),
    ("steepest", "p99 / mean slope", 1, 1, 1.9, 2.8),
    ("flat", "flat %", 100, 0, 0, 12),
    ("featureless", "featureless %", 100, 1, 0, 6),
    ("spectrum", "spectrum", 1, 2, 3.3, 4.2),
    ("kurtosis", "curvature kurtosis", 1, 2, -0.6, 0.6),
    ("trunk", "trunk relief", 1, 2, 0, 99),
    ("steep", "over 50° %", 100, 1, 0, 100),
)


def chain(kind: str, strength: float, seed: int, scree: bool) -> tuple[Recipe, str]:
    """A land, roughened and eroded. Returns (recipe, the last node)."""
    recipe, last = graph.add(Recipe(), kind, params={"seed": seed})
    steps = [("surface_noise", {"seed": seed}), ("rain_erosion", {"strength": strength, "seed": seed})]
    for step, params in [*steps, ("scree", {"seed": seed})] if scree else steps:
        recipe, node = graph.add(recipe, step, params=params)
        recipe, last = graph.link(recipe, last, "height", node, "height"), node
    return recipe, last


def judged(kind: str, strength: float, seed: int, scree: bool, level: int):
    """Figures of one land."""
    recipe, node = chain(kind, strength, seed, scree)
    height = Evaluator(Cache(2_000_000_000)).result(Job(recipe), node, level)["height"]
    return likeness_of(height, recipe.site.spacing(level))


def cell(values: list[float], decimals: int, low: float, high: float) -> str:
    """The span of a figure over all seeds, and how many miss its bounds, as they are printed."""
    shown = [round(v, decimals) for v in values]
    missed = sum(not low <= v <= high for v in shown)
    span = f"{min(shown):.{decimals}f}" + (f" to {max(shown):.{decimals}f}" if min(shown) < max(shown) else "")
    return span + (f" (**{missed} missed**)" if missed else "")


def main():
    asked = [int(a) for a in sys.argv[1:]]
    samples = next((a for a in asked if a in (513, 1025)), 513)
    seeds = [a for a in asked if a not in (513, 1025)] or SEEDS
    level = {513: 3, 1025: 4}[samples]
    print(f"{samples} samples, seeds {', '.join(map(str, seeds))}\n")
    print("| land, strength | " + " | ".join(name for _, name, *_ in FIGURES) + " |")
    print("|---" * (len(FIGURES) + 1) + "|")
    for scree in (False, True):
        for name, kind in LANDS.items():
            for strength in STRENGTHS:
                found = [judged(kind, strength, seed, scree, level) for seed in seeds]
                told = [(k, f, d, lo, hi) if name in BOUNDED else (k, f, d, -99, 999) for k, _, f, d, lo, hi in FIGURES]
                cells = [cell([f * getattr(a, k) for a in found], d, lo, hi) for k, f, d, lo, hi in told]
                print(f"| {name} {strength}{' and scree' if scree else ''} | " + " | ".join(cells) + " |", flush=True)


if __name__ == "__main__":
    main()
