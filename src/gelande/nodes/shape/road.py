"""Road: ground graded along a line."""

import math

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import GLOBAL_ONLY, Footprint
from gelande.core.recipe.node import height_in, height_out, mask_out, node
from gelande.core.recipe.site import GLOBAL_LEVEL
from gelande.kernels.earthworks import graded, road
from gelande.kernels.shapes import curve_through, winding_line
from gelande.kernels.transfer import sample_all

#: Points of a road's line at most, and of its widths that lie between two of them.
MOST_POINTS, APART = 1500, 0.5


@node(
    "road",
    "Road",
    "Shape",
    "Grades a road along a line: level across, nowhere too steep, with cut and filled banks.",
    inputs=(height_in(),),
    outputs=(height_out(), mask_out("road", "Road"), mask_out("banks", "Banks"), mask_out("beside", "Beside")),
    params=(
        P.line("line", "Line", "The road's middle, drawn on the land; when none is drawn, one crosses the site."),
        P.metres("width", "Width", 9, "From edge to edge.", (0.05, 2000), (2, 40), 1, scales=True),
        P.fraction("grade", "Steepest grade", 0.09, "Rise of the road at most.", (0.001, 1.0), (0.02, 0.25)),
        P.metres(
            "even",
            "Evened out over",
            90,
            "Length over which the ground's ups and downs are evened out.",
            (0, 20_000),
            (0, 500),
            0,
            scales=True,
        ),
        P.degrees("cut", "Cut banks", 50, "Slope of banks that are cut into the ground.", (5, 85), (20, 80)),
        P.degrees("fill", "Filled banks", 33, "Slope of banks that are heaped up.", (5, 60), (20, 45)),
        P.metres(
            "near",
            "Beside",
            40,
            "Distance from the road's edge at which the mask Beside is black.",
            (0.1, 20_000),
            (5, 200),
            0,
            scales=True,
        ),
        P.degrees(
            "direction", "Runs towards", 70, "Direction, clockwise from north.", (0, 360), shown_when=("line", ((),))
        ),
        P.fraction("winding", "Winding", 0.5, "How far it swings aside.", shown_when=("line", ((),))),
        P.fraction(
            "offset", "Aside", 0.0, "Moves it off the middle.", (-2.0, 2.0), (-1.0, 1.0), shown_when=("line", ((),))
        ),
        P.seed(),
    ),
    base="height",
    reshapes="It cuts and fills the land along a road.",
    footprint=Footprint(
        asks=lambda level: ("height",),
        own=GLOBAL_ONLY,
    ),
    figure="{width} · {grade}",
    earthworks=True,
    keywords=("street", "track", "path", "way", "grade", "cutting", "embankment", "dam", "infrastructure"),
    starting_points=(
        ("Foot path", {"width": 2, "grade": 0.22, "even": 25}),
        ("Motorway", {"width": 28, "grade": 0.05, "even": 260}),
        ("Old cart track", {"width": 4, "grade": 0.14, "even": 40}),
    ),
)
def road_node(ctx: Context) -> Arrays:
    """Heights along the line are evened out, then brought to the steepest grade by the middle of their envelopes
    (McShane 1934); the ground beside is cut and filled to banks of even slope. The line's heights are found at 513
    samples at most; finer levels grade their own ground to them."""
    p, h = ctx.p, ctx.input("height")
    line = _profile(ctx, h) if ctx.level <= GLOBAL_LEVEL else ctx.own(GLOBAL_LEVEL)["_line"]
    banks = math.tan(math.radians(p.cut)), math.tan(math.radians(p.fill))
    near_by = 0.5 * p.width + p.near + ctx.dx
    out, away = road(h, line, p.width, banks, near_by, ctx.window, ctx.site.depth, ctx.dx, ctx.stop)
    edge = away - np.float32(0.5 * p.width)
    # about the share of a sample that it covers; not softer than it is wide, or it would be another one on each grid
    fade = min(ctx.dx, max(0.5 * p.width, 0.5 * ctx.dx))
    on = np.clip(np.float32(0.5) - edge / np.float32(fade), 0, 1)
    moved = out - h
    banked = np.clip(np.abs(moved) / np.float32(0.004 * p.width + 0.02), 0, 1) * (1 - on)
    return {
        "height": out,
        "road": on,
        "banks": banked,
        "beside": np.clip(1 - edge / np.float32(p.near), 0, 1),
        "_line": line,
        "_earth": moved,
    }


def _profile(ctx: Context, h: np.ndarray) -> np.ndarray:
    """The road's line: (n, 3) metres east, north and height."""
    p, site = ctx.p, ctx.site
    line = (
        curve_through(p.line)
        if len(p.line) > 1
        else winding_line(site.width, site.depth, p.direction, p.winding, p.offset, ctx.seed)
    )
    steps = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(line, axis=0).T))])
    apart = max(APART * p.width, steps[-1] / MOST_POINTS, 0.25 * site.spacing(GLOBAL_LEVEL), 1e-6)
    at = np.linspace(0.0, steps[-1], max(2, math.ceil(steps[-1] / apart) + 1))
    east, north = (np.interp(at, steps, line[:, k]) for k in (0, 1))
    rows = np.clip((site.depth - north) / ctx.dx, 0, h.shape[0] - 1)
    columns = np.clip(east / ctx.dx, 0, h.shape[1] - 1)
    ground = sample_all((np.ascontiguousarray(h, np.float32),), rows[None], columns[None], ctx.stop)[0, 0]
    # as the pieces lie, which are shorter than the line that they stand for
    at = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(east), np.diff(north)))])
    return np.stack([east, north, graded(ground, at, p.grade, p.even)], 1)
