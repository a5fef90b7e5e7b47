"""Inset: a piece of one land set into another."""

from __future__ import annotations

import numpy as np

from gelande.core.errors import GelandeError
from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import GLOBAL_ONLY, Footprint
from gelande.core.recipe.node import Port, any_in, any_out, node
from gelande.core.recipe.raster import HEIGHT
from gelande.core.recipe.site import GLOBAL_LEVEL, Site
from gelande.kernels.grid_window import GridWindow
from gelande.kernels.measure import gaussian
from gelande.kernels.membrane import crossed, falling, membrane
from gelande.kernels.outlines import signed_distance
from gelande.kernels.shapes import closed_curve
from gelande.kernels.transfer import up
from gelande.nodes.shared import banded, filtered, raised_by

PIECE = (
    P.toggle(
        "curved", "Curved", True, "A smooth line through the points; off: straight from point to point.", tool=True
    ),
    P.toggle("cut", "Cut out", False, "Takes the area out of those drawn before it.", tool=True),
)
SIDES = ("height", "inset")
#: The bend is found on the finest level with about so many samples on the long side, and carried up.
SOLVED = 160
#: Broad forms are those wider than this share of the seam.
BROAD = 0.12


def _outside(ctx: Context, reach: float, window=None, dx=None) -> np.ndarray | None:
    """Metres from the areas, below zero inside; how far it lies beyond the reach is not told."""
    window, dx = window or ctx.window, dx or ctx.dx
    found = np.full(window.shape, -np.float32(reach))
    for curved, cut, points in ctx.p.outlines:
        if len(points) > 2:
            line = closed_curve(points) if curved else points
            one = signed_distance(line, reach, window, ctx.site.depth, dx, ctx.stop)
            found = np.minimum(found, -one) if cut else np.maximum(found, one)
    return -found


def _solved(site: Site) -> int:
    """The level on which the bend is found, coarser than the mapped one."""
    return max(k for k in range(GLOBAL_LEVEL) if k == 0 or site.samples(k) <= SOLVED)


def _bend(ctx: Context, outer: np.ndarray, inner: np.ndarray) -> np.ndarray | None:
    """Metres by which the outer land is moved so that it meets the inner one along the edge, as the node keeps it."""
    step = 2 ** max(0, ctx.level - _solved(ctx.site))
    dx = step * ctx.dx
    difference = (inner - outer)[::step, ::step]
    away = _outside(ctx, dx)[::step, ::step]
    inside = away < 0 if (away < 0).any() else away <= away.min()
    if (away >= dx).all():  # too small for these samples
        return np.zeros_like(difference)
    # where both lands are the same nothing is bent: an area that was set in before keeps to the sample
    return membrane(difference, inside | (difference == 0), ctx.p.fade / dx)


@node(
    "inset",
    "Inset",
    "Shape",
    "Sets a piece of one land into another: inside an outline the one, outside the other, with no wall or ditch at the "
    "seam.",
    reshapes="It sets one land into another.",
    inputs=(
        any_in("height", "Around", "The land, mask or colour that a piece is set into."),
        Port("inset", "Inside", "any", False, "What stands inside the outlines: of the same kind."),
    ),
    outputs=(any_out(),),
    params=(
        P.outlines("outlines", "Outlines", PIECE, "Areas that are set in; points are moved at any time."),
        P.metres(
            "width",
            "Blend over",
            400,
            "Metres outside the edge over which one land turns into the other.",
            (1, 20_000),
            (20, 1500),
            0,
            scales=True,
        ),
        P.metres(
            "fade",
            "Bend fades over",
            1200,
            "The land around is raised or lowered to meet the piece; so far from the edge it is a third of that.",
            (1, 100_000),
            (100, 3000),
            0,
            scales=True,
        ),
        *PIECE,
    ),
    base="height",
    footprint=lambda p, site: Footprint(low_passed=dict.fromkeys(SIDES, BROAD * p.width / 2), own=GLOBAL_ONLY),
    figure="{outlines}",
    starting_points=(
        ("Narrow seam", {"width": 120, "fade": 600}),
        ("Wide seam", {"width": 900, "fade": 2000}),
    ),
    keywords=("keep", "stitch", "seam", "paste", "patch", "insert", "stamp", "blend", "graft"),
)
def inset(ctx: Context) -> Arrays:
    """Inside the outlines not one sample is changed. Outside, the land around is bent by a membrane that meets the
    piece along the edge and fades (Perez et al. 2003); then broad forms are mixed over the whole width, and fine ones
    so that the mixture is as rough as both (Burt and Adelson 1983; Heitz and Neyret 2018). Masks and colours are
    mixed over the width."""
    outer, inner = ctx.input("height"), ctx.input("inset")
    if ctx.input_kind("height") != ctx.input_kind("inset"):
        raise GelandeError("what stands inside must be of the kind that is around; link two heights, masks or colours")
    p = ctx.p
    away = _outside(ctx, p.width + ctx.dx)
    weight = falling(away, p.width)
    if ctx.input_kind("height") != HEIGHT:
        fraction = weight[..., None] if outer.ndim == 3 else weight
        return {"height": np.where(fraction == 1, inner, outer + fraction * (inner - outer))}
    kept = _bend(ctx, outer, inner) if ctx.level <= GLOBAL_LEVEL else ctx.own(GLOBAL_LEVEL)["_bend"]
    solved = min(ctx.level, _solved(ctx.site))
    part = ctx.window_at(solved).cut(kept, GridWindow.of(ctx.site.shape(solved)))
    bend = raised_by(ctx, part, ctx.level - solved, up)
    broad = [filtered(ctx, port, BROAD * p.width / 2, lambda a, s: gaussian(a, s, ctx.stop)) for port in SIDES]

    def mixed(
        outer: np.ndarray, inner: np.ndarray, below: np.ndarray, above: np.ndarray, bend: np.ndarray, weight: np.ndarray
    ) -> np.ndarray:
        fine = crossed(outer - below, inner - above, weight)
        found = (1 - weight) * (below + bend) + weight * above + fine
        return np.where((weight == 1) | (outer == inner), inner, found)

    return {"height": banded(ctx, mixed, outer, inner, *broad, bend, weight), "_bend": kept}
