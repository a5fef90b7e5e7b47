"""Sunlight: how much sun the ground gets."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import FINER, Footprint
from gelande.core.recipe.node import height_in, mask_out, node
from gelande.core.recipe.site import GLOBAL_LEVEL
from gelande.kernels.measure import gradient
from gelande.kernels.sun import day_path, faced, sunshine
from gelande.nodes.shared import banded, blurred

DAY, MOMENT = "a_whole_day", "one_moment"


def _path(p):
    if p.time == MOMENT:
        return [(p.direction, max(p.elevation, 0.5), 1.0)]
    return day_path(p.latitude, p.day)


@node(
    "sunlight",
    "Sunlight",
    "Masks",
    "White where much sun falls on the ground, past the shadows of the hills.",
    inputs=(height_in(),),
    outputs=(mask_out(),),
    params=(
        P.choice("time", "Time", DAY, (DAY, MOMENT), "From sunrise to sunset, or with the sun at one place."),
        P.degrees(
            "latitude",
            "Latitude",
            46,
            "North of the equator; below zero south.",
            (-90, 90),
            shown_when=("time", (DAY,)),
        ),
        P.count(
            "day",
            "Day of the year",
            80,
            "1 is the first of January, 172 midsummer in the north.",
            (1, 366),
            shown_when=("time", (DAY,)),
        ),
        P.degrees(
            "direction",
            "Sun from",
            190,
            "Where it stands, clockwise from north.",
            (0, 360),
            shown_when=("time", (MOMENT,)),
        ),
        P.degrees(
            "elevation", "Sun height", 32, "Above the horizon.", (0.5, 90), (5, 80), shown_when=("time", (MOMENT,))
        ),
        P.fraction("least", "Black at", 0.2, "Share of the possible sun that counts as none.", (0, 0.95)),
        P.fraction("full", "White at", 0.6, "Share of the possible sun that counts as full.", (0.01, 1.0)),
        P.metres(
            "size", "Size", 24, "Forms smaller than this are not looked at.", (0, 20_000), (24, 400), 0, scales=True
        ),
    ),
    footprint=lambda p, site: Footprint(
        halo=site.long_side / 4096,
        asks=lambda level: ("height",) if p.size <= 0 else (),
        low_passed={"height": p.size / 2},
        own=FINER,
    ),
    figure="{time}",
    keywords=("sun", "insolation", "shade", "shadow", "radiation", "warmth", "exposure", "light"),
    starting_points=(
        ("Spring", {}),
        ("Midsummer", {"day": 172, "full": 0.75}),
        ("Midwinter", {"day": 355, "least": 0.0, "full": 0.5}),
        ("Evening light", {"time": MOMENT, "direction": 275, "elevation": 12, "least": 0.0, "full": 0.9}),
    ),
)
def sunlight_mask(ctx: Context) -> Arrays:
    """Share of the sun that falls on the slope, of what would fall on ground always turned to it, over places of the
    sun's path (Spencer 1971), with cast shadows. Shadows are found on levels up to 513 samples; finer ones take how
    much of the light they leave, and their own slopes."""
    p = ctx.p
    path, h = _path(p), blurred(ctx, "height", p.size)
    south, east = gradient(h, ctx.dx, ctx.stop)
    open_sun = faced(south, east, path, None, ctx.stop)
    ctx.check()
    if ctx.level > GLOBAL_LEVEL:
        left = ctx.raised(ctx.own(ctx.level - 1)["_left"], smooth=False)
    else:
        left = sunshine(h, south, east, ctx.dx, path, ctx.stop) / np.maximum(open_sun, np.float32(1e-4))
        left = np.clip(left, 0, 1).astype(np.float32)
    least, span = np.float32(p.least), np.float32(max(p.full - p.least, 1e-3))
    mask = banded(ctx, lambda sun, left: np.clip((sun * left - least) / span, 0, 1), open_sun, left)
    return {"mask": mask, "_left": left}
