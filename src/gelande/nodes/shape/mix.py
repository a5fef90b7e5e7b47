"""Mix: two heights into one."""

from __future__ import annotations

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_in, height_out, node

WAYS = ("percentage", "higher", "lower", "add", "subtract", "multiply", "divide", "difference")


def smooth_higher(a: np.ndarray, b: np.ndarray, seam: float) -> np.ndarray:
    """The higher of two heights with a rounded seam (quadratic blend over ``seam`` metres of difference)."""
    if seam <= 0:
        return np.maximum(a, b)
    t = np.clip(np.float32(0.5) + (a - b) * np.float32(0.5 / seam), 0, 1)
    return b + (a - b) * t + np.float32(seam) * t * (1 - t)


@node(
    "mix",
    "Mix",
    "Shape",
    "Joins two heights: a percentage of each, the higher, the lower, or a sum.",
    reshapes="It combines two lands.",
    inputs=(height_in("height", "First"), height_in("second", "Second")),
    outputs=(height_out(),),
    params=(
        P.choice("way", "Way", "percentage", WAYS, "How the two heights are joined."),
        P.fraction(
            "share",
            "Share of the second",
            0.5,
            "How much of the second height is taken.",
            shown_when=("way", ("percentage",)),
        ),
        P.metres(
            "seam",
            "Seam width",
            30,
            "Rounds the seam where the two meet.",
            (0, 5000),
            (0, 200),
            0,
            shown_when=("way", ("higher", "lower", "difference")),
            scales=True,
        ),
        P.metres(
            "unit",
            "Unit height",
            100,
            "The second height that leaves the first as it is.",
            (0.01, 12_000),
            (1, 1000),
            0,
            shown_when=("way", ("multiply", "divide")),
            scales=True,
        ),
    ),
    base="height",
    figure="{way}",
    keywords=("combine", "blend", "max", "min", "add", "subtract", "merge", "lighten", "darken", "screen", "compare"),
    starting_points=(
        ("Half and half", {}),
        ("Higher, soft seam", {"way": "higher", "seam": 60}),
        ("Add detail", {"way": "add"}),
    ),
)
def mix(ctx: Context) -> Arrays:
    """Arithmetic of two heights; the seam is a quadratic smooth maximum (after Quilez' polynomial form)."""
    p, a, b = ctx.p, ctx.input("height"), ctx.input("second")
    seam, unit = p.seam, np.float32(p.unit)
    if p.way == "percentage":
        out = a + (b - a) * np.float32(p.share)
    elif p.way == "higher":
        out = smooth_higher(a, b, seam)
    elif p.way == "lower":
        out = -smooth_higher(-a, -b, seam)
    elif p.way == "add":
        out = a + b
    elif p.way == "subtract":
        out = a - b
    elif p.way == "multiply":
        out = a * (b / unit)
    elif p.way == "divide":
        least = unit * np.float32(0.01)
        out = a / (np.where(np.abs(b) < least, np.where(b < 0, -least, least), b) / unit)
    else:
        out = smooth_higher(a - b, b - a, seam)
    return {"height": out}
