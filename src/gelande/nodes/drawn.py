"""What masks of drawn areas share: the settings of an edge, and laying areas on one another."""

from __future__ import annotations

import numpy as np

from gelande.core.evaluate.context import Context
from gelande.core.recipe import param as P
from gelande.kernels.curves import table
from gelande.kernels.outlines import BOTH_WAYS, INWARD, OUTWARD, PROFILES, Outline, filled

DRAWN = "drawn"
EDGE = (
    P.metres(
        "feather", "Feather", 60, "Metres over which the edge fades.", (0, 100_000), (0, 500), 0, scales=True, tool=True
    ),
    P.choice(
        "feather_side",
        "Feather lies",
        INWARD,
        (INWARD, OUTWARD, BOTH_WAYS),
        "On which side of the drawn edge it fades.",
        tool=True,
    ),
    P.choice("profile", "Profile", "s", (*PROFILES, DRAWN), "How the feather rises towards the inside.", tool=True),
    P.metres(
        "rough",
        "Broken edge",
        0,
        "Metres by which noise moves the edge in and out.",
        (0, 20_000),
        (0, 300),
        0,
        scales=True,
        tool=True,
    ),
    P.metres(
        "rough_size",
        "Bays",
        120,
        "Size of the bays that a broken edge has.",
        (0.5, 20_000),
        (10, 800),
        0,
        log=True,
        scales=True,
        tool=True,
    ),
    P.count(
        "edge_number",
        "Edge number",
        1,
        "Another number breaks the edge in other places.",
        (0, 999_999),
        (0, 99),
        tool=True,
    ),
    P.toggle("cut", "Cut out", False, "Takes the area out of what lies below it.", tool=True),
)


def own_profile(noun: str) -> P.Curve:
    """The setting of the profile that is drawn."""
    return P.curve(
        "drawn_profile",
        "Drawn profile",
        ((0.0, 0.0), (1.0, 1.0)),
        f"The feather of {noun} whose profile is drawn, from outside at the left to inside at the right.",
        shown_when=("profile", (DRAWN,)),
    )


def laid_on(ctx: Context, areas: list) -> np.ndarray:
    """The input mask with areas laid on it: (values of EDGE, points of the closed edge in metres) each."""
    own, found = table(ctx.p.drawn_profile), []
    for (feather, side, profile, rough, size, number, cut), points in areas:
        shape = own if profile == DRAWN else profile
        seed = ctx.seed + 7919 * number
        found.append(Outline(np.asarray(points), feather, side, shape, rough, size, seed, cut))
    below = ctx.input("first")
    if below is None:
        below = np.zeros(ctx.shape, np.float32)
    return filled(found, below, ctx.window, ctx.site.depth, ctx.dx, ctx.stop)
