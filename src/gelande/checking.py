"""The rules that every node keeps, checked for nodes of any package: what ``gelande check-nodes`` tells."""

from __future__ import annotations

import math
import random
import traceback
from collections.abc import Callable, Iterator
from typing import NamedTuple

import numpy as np

from .core.errors import GelandeError, Stopped
from .core.evaluate.cache import Cache
from .core.evaluate.executor import Evaluator
from .core.evaluate.job import Job
from .core.recipe import graph
from .core.recipe.model import Recipe
from .core.recipe.node import INDEX, NodeSpec, registry
from .core.recipe.param.drawn import Line
from .core.recipe.param.numbers import Number
from .core.recipe.site import Site
from .kernels import bands
from .kernels.grid_window import GridWindow
from .samples import sample_recipe

#: Root mean square difference of heights at two details, as a share of their range, and mean difference of masks.
HEIGHTS, MASKS = 0.01, 0.02
#: Sides of sites, metres, on which a node is tried, and random settings.
SIDES, DRAWS = (10.0, 100.0, 4096.0, 100_000.0), 12
#: Bytes of results that are kept.
ROOM = 1_500_000_000


class Finding(NamedTuple):
    """What came of a rule for a kind of node. fault: "" when it is kept."""

    kind: str
    rule: str
    fault: str


def _result(kind: str, level: int, site: Site | None = None, **more) -> dict[str, np.ndarray]:
    recipe, node = _drawn(kind, site)
    return Evaluator(Cache(ROOM)).result(Job(recipe, **more), node, level)


def _drawn(kind: str, site: Site | None = None) -> tuple[Recipe, str]:
    """A recipe around a node, and the node, with lines drawn where it has any."""
    recipe, node = sample_recipe(kind, site)
    wide, deep = recipe.site.width, recipe.site.depth
    line = ((0.15 * wide, 0.1 * deep), (0.45 * wide, 0.5 * deep), (0.85 * wide, 0.8 * deep))
    for p in registry()[kind].params:
        if isinstance(p, Line):
            recipe = graph.set_param(recipe, node, p.id, line)
    return recipe, node


def same_at_every_detail(spec: NodeSpec) -> str:
    """513 samples beside every fourth of 2049."""
    coarse, fine = _result(spec.kind, 3), _result(spec.kind, 5)
    for port in spec.outputs:
        a, b = coarse[port.id].astype(np.float64), fine[port.id][::4, ::4].astype(np.float64)
        if port.role == INDEX:
            off, most = float((a != b).mean()), 0.05
        elif port.kind in ("height", "any"):
            off, most = float(np.sqrt(((a - b) ** 2).mean())) / max(float(np.ptp(b)), 1e-6), HEIGHTS
        else:
            off, most = float(np.abs(a - b).mean()), MASKS
        if off > most:
            return (
                f"{port.label} at 513 and at 2049 samples differs by {100 * off:.2g} %; {100 * most:.2g} % is allowed"
            )
    return ""


def same_every_time(spec: NodeSpec) -> str:
    """Twice, on one thread and on two."""
    before, found = bands.threads(), []
    try:
        for threads in (1, 2):
            bands.set_threads(threads)
            found.append({name: a.tobytes() for name, a in _result(spec.kind, 3).items()})
    finally:
        bands.set_threads(before)
    odd = next((p.label for p in spec.outputs if found[0][p.id] != found[1][p.id]), None)
    return f"{odd} is not the same, byte for byte, on one thread and on two" if odd else ""


def same_in_regions(spec: NodeSpec) -> str:
    """A part of a level that is computed alone beside the same part of the whole."""
    recipe, node = _drawn(spec.kind)
    grid = recipe.site.shape(4)
    window = GridWindow(301, 405, 257, 300, *grid)
    whole = Evaluator(Cache(ROOM)).result(Job(recipe), node, 4)
    part = Evaluator(Cache(ROOM)).result(Job(recipe, whole=1), node, 4, window)
    for port in spec.outputs:
        wanted = window.cut(whole[port.id], GridWindow.of(grid))
        off = float(np.abs(wanted.astype(np.float64) - part[port.id]).max())
        if off > 1e-3 * max(1.0, float(np.ptp(wanted)) if port.kind == "height" else 1.0):
            return (
                f"{port.label} of a part of 1025 samples differs from the whole by up to {off:.3g}; its footprint does "
                "not say how far it looks"
            )
    return ""


def stops(spec: NodeSpec) -> str:
    """A stop that was asked for before it begins."""
    recipe, node = _drawn(spec.kind)
    evaluator, job = Evaluator(), Job(recipe)
    job.stop.set()
    try:
        evaluator.result(job, node, 2)
    except Stopped:
        return ""
    return "it gives a result although a stop was asked for"


def finite_on_every_site(spec: NodeSpec) -> str:
    """Its defaults on small, usual and large sites, and an oblong one."""
    sites = [Site("Any", side, side) for side in SIDES]
    for site in (*sites, Site.fitted("Oblong", 6000, 1500)):
        found = _faulty(spec, _result(spec.kind, 2, site))
        if found:
            return f"{found} on a site of {site.width:g} × {site.depth:g} m"
    return ""


def finite_whatever_is_set(spec: NodeSpec) -> str:
    """Random settings within what may be set, and the ends of each."""
    draw = random.Random(1)
    for _ in range(DRAWS):
        recipe, node = _drawn(spec.kind)
        told = {}
        for p in spec.params:
            if not p.shuffles and not isinstance(p, Number):
                continue
            value = p.shuffled(draw, recipe.site.long_side) if p.shuffles else p.default
            if isinstance(p, Number) and draw.random() < 0.3:
                value = draw.choice([v for v in p.hard if math.isfinite(v)] or [value])
            recipe = graph.set_param(recipe, node, p.id, p.check(value))
            told[p.id] = value
        found = _faulty(spec, Evaluator(Cache(ROOM)).result(Job(recipe), node, 1))
        if found:
            return f"{found} with {told}"
    return ""


def _faulty(spec: NodeSpec, found: dict[str, np.ndarray]) -> str:
    for port in spec.outputs:
        a = found[port.id]
        if not np.isfinite(a).all():
            return f"{port.label} is not finite"
        if port.kind == "mask" and port.role != INDEX and not -1e-4 <= float(a.min()) <= float(a.max()) <= 1.0001:
            return f"{port.label} runs from {a.min():.3g} to {a.max():.3g} instead of 0 to 1"
    return ""


def told_well(spec: NodeSpec) -> str:
    """Words for people: help, a sentence for each setting, defaults and starting points within their ranges."""
    if not spec.help or not spec.summary:
        return "it has no summary, or no docstring for its help"
    for p in spec.params:
        if not p.help.strip().endswith("."):
            return f"{p.label} has no sentence of help"
        for side in SIDES:
            p.check(p.initial(side))
    for _, values in spec.starting_points:
        for name, value in values.items():
            spec.param(name).check(value)
    return ""


RULES: dict[str, Callable[[NodeSpec], str]] = {
    "is told well": told_well,
    "is finite on every site": finite_on_every_site,
    "is finite whatever is set": finite_whatever_is_set,
    "stops": stops,
    "is the same every time": same_every_time,
    "is the same in regions": same_in_regions,
    "is the same at every detail": same_at_every_detail,
}


def check(kinds: tuple[str, ...]) -> Iterator[Finding]:
    """What comes of every rule for some kinds of node, one after the other. A node's own exception is a fault, with
    its traceback."""
    for kind in kinds:
        spec = registry()[kind]
        for rule, run in RULES.items():
            try:
                fault = run(spec)
            except (GelandeError, ValueError, KeyError) as error:
                cause = error.__cause__ or error
                fault = f"{error}\n{''.join(traceback.format_exception(cause)).rstrip()}"
            yield Finding(kind, rule, fault)
