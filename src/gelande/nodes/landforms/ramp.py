"""Ramp: ground that rises in one direction."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_out, node
from gelande.kernels.shapes import grid, smoothstep, turned

PROFILES = ("straight", "smooth", "hollow", "bulging")


@node(
    "ramp",
    "Ramp",
    "Landforms",
    "Ground that rises evenly in one direction.",
    outputs=(height_out(),),
    params=(
        P.degrees("direction", "Rises towards", 0, "Direction of the rise, clockwise from north.", (0, 360)),
        P.metres("low", "Lowest", 0, "Height at the foot.", (-60_000, 60_000), (-500, 1000), 0, scales=True),
        P.metres("high", "Highest", 300, "Height at the top.", (-60_000, 60_000), (-500, 1500), 0, scales=True),
        P.fraction("start", "Begins at", 0.0, "Where the rise begins along its direction.", (-1.0, 2.0), (0.0, 1.0)),
        P.fraction("end", "Ends at", 1.0, "Where the rise ends along its direction.", (-1.0, 2.0), (0.0, 1.0)),
        P.choice("profile", "Profile", "straight", PROFILES, "How the slope runs from foot to top."),
    ),
    figure="{low} to {high}",
    keywords=("gradient", "slope", "plane", "tilt", "source"),
    starting_points=(
        ("Gentle rise", {"high": 120, "profile": "smooth"}),
        ("Escarpment", {"start": 0.45, "end": 0.55, "profile": "smooth"}),
    ),
)
def ramp(ctx: Context) -> Arrays:
    """A plane between two heights; the profile is t, 3t² - 2t³, t² or 1 - (1 - t)²."""
    p = ctx.p
    a = np.radians(p.direction)
    along, _ = turned(*grid(ctx.window, ctx.site.width, ctx.site.depth), p.direction)
    reach = abs(np.sin(a)) * ctx.site.width + abs(np.cos(a)) * ctx.site.depth
    span = p.end - p.start
    t = np.clip(
        (along / np.float32(reach) + np.float32(0.5 - p.start)) / np.float32(span if abs(span) > 1e-4 else 1e-4), 0, 1
    )
    shape = {
        "straight": lambda: t,
        "smooth": lambda: smoothstep(t),
        "hollow": lambda: t * t,
        "bulging": lambda: 1 - (1 - t) ** 2,
    }[p.profile]
    return {"height": np.float32(p.low) + shape() * np.float32(p.high - p.low)}
