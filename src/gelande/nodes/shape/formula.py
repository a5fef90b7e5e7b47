"""Formula: one line of arithmetic."""

import numpy as np

from gelande.core.errors import GelandeError
from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import height_in, height_out, mask_in, mask_out, node
from gelande.core.recipe.param.base import Values
from gelande.core.recipe.site import GLOBAL_LEVEL, Site
from gelande.kernels import formula
from gelande.kernels.measure import slope_degrees
from gelande.kernels.noise import fractal
from gelande.kernels.shapes import grid
from gelande.nodes.shared import several

#: Values that differ from sample to sample, by the input that they come from.
INPUTS = {"a": "height", "height": "height", "slope": "height", "b": "second", "m": "mask_in"}
NAMES = frozenset((*INPUTS, "x", "y"))
#: Octaves of its noise.
OCTAVES = 6


def _read(p: Values, site: Site, low: float = 0.0, high: float = 1.0) -> formula.Formula:
    fixed = {"width": site.width, "depth": site.depth, "low": low, "high": high, "pi": float(np.pi)}
    return formula.read(p.formula, NAMES, fixed)


def _reach(p: Values, site: Site) -> Footprint:
    """What it looks at: only the inputs that stand in it; beside a sample only for a slope."""
    try:
        read = _read(p, site)
    except formula.FormulaError:
        return Footprint()
    asked = tuple(sorted({INPUTS[name] for name in read.reads if name in INPUTS} | {"height"}))
    halo = 1.01 * site.spacing(GLOBAL_LEVEL) if "slope" in read.reads else 0.0
    return Footprint(halo=halo, asks=lambda level: asked, ranged=("height",))


@node(
    "formula",
    "Formula",
    "Shape",
    "One line of arithmetic over two heights, a mask, places, slope and noise.",
    inputs=(
        height_in("height", "A", help="The height a (or height); slope is its slope in degrees."),
        height_in("second", "B", True, "Another height, b."),
        mask_in("mask_in", "M", True, "A mask, m, from 0 to 1."),
    ),
    outputs=(height_out(), mask_out("share", "Held between 0 and 1")),
    params=(
        P.text(
            "formula",
            "Formula",
            "a + 0.08 * (high - low) * noise(width / 12)",
            "Values: a, b, m; x and y, metres east and north; slope, degrees; low and high of a; width and depth of "
            "the site. Functions: noise(metres), smooth(from, to, v), clip(v, from, to), where(c, v, w), minimum, "
            "maximum, abs, sqrt, exp, log, floor, sin and cos of degrees. As in Python: + - * / ** % < > and or.",
        ),
        P.seed(),
    ),
    base="height",
    reshapes="It does what its formula says.",
    footprint=_reach,
    figure="{formula}",
    keywords=("expression", "math", "arithmetic", "calculate", "equation", "custom", "script", "add", "multiply"),
    starting_points=(
        ("Waves", {"formula": "a + (high - low) / 20 * sin(360 * (x + y) / (width / 10))"}),
        ("Rough where steep", {"formula": "a + (high - low) / 12 * noise(width / 30) * smooth(8, 25, slope)"}),
        ("Sunk to the west", {"formula": "a - (high - low) / 3 * (1 - x / width)"}),
        ("Slope as a mask", {"formula": "smooth(12, 24, slope)"}),
    ),
)
def formula_node(ctx: Context) -> Arrays:
    """Read by Python's parser and carried out on arrays; nothing but the values and functions above can stand in it.
    The slope is measured over two samples of 513, so that it is the same at every detail; octaves of noise that a grid
    cannot show are left out."""
    p, site, h = ctx.p, ctx.site, ctx.input("height")
    low, high = ctx.range("height")
    try:
        read = _read(p, site, low, high)
    except formula.FormulaError as error:
        raise GelandeError(f"{error}") from None
    values = {"x": grid(ctx.window, site.width, site.depth, 0.0, 0.0)[0]}
    values["y"] = grid(ctx.window, site.width, site.depth, 0.0, 0.0)[1]
    for name in ("b", "m"):
        if name in read.reads:
            if not ctx.has(INPUTS[name]):
                raise GelandeError(f"its formula has {name}, and nothing is linked to its input {name.upper()}")
            values[name] = ctx.input(INPUTS[name])
    values["a"] = values["height"] = h
    if "slope" in read.reads:
        values["slope"] = slope_degrees(h, ctx.dx, 2 * site.spacing(GLOBAL_LEVEL), ctx.stop, ctx.window)
    place = (ctx.window, (0.0, site.depth), ctx.dx)
    noises = {n: fractal(*place, n.size, OCTAVES, seed=ctx.seed + 131 * n.seed, stop=ctx.stop) for n in read.noises}
    names, keys = [n for n in values if n in read.reads], list(noises)

    def run(*arrays: np.ndarray) -> tuple[np.ndarray, ...]:
        of = dict(zip(names, (a.astype(np.float64) for a in arrays)))
        found = np.asarray(read.run(of, dict(zip(keys, arrays[len(names) :]))), np.float64)
        return found, np.clip(found, 0, 1)

    height, share = several(ctx, 2, run, *(values[n] for n in names), *(noises[k] for k in keys))
    if not np.isfinite(height).all():
        raise GelandeError(
            "its formula gives values that are no numbers (as a root of less than nothing, or too large)"
        )
    return {"height": height, "share": share}
