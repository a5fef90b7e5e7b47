"""Ramp: ground that rises in one direction."""

import numpy as np

from gelande.core import param as P
from gelande.core.node import height_out, node

PROFILES = ("Straight", "Smooth", "Hollow", "Bulging")


@node("ramp", "Ramp", "Landforms", "Ground that rises evenly in one direction.",
      outputs=(height_out(),),
      params=(
          P.degrees("direction", "Rises towards", 0, "Direction of the rise, clockwise from north.", (0, 360)),
          P.metres("low", "Lowest", 0, "Height at the foot.", (-12_000, 12_000), (-500, 1000), 0),
          P.metres("high", "Highest", 300, "Height at the top.", (-12_000, 12_000), (-500, 1500), 0),
          P.share("start", "Begins at", 0.0, "Where the rise begins along its direction.", (-1.0, 2.0), (0.0, 1.0)),
          P.share("end", "Ends at", 1.0, "Where the rise ends along its direction.", (-1.0, 2.0), (0.0, 1.0)),
          P.choice("profile", "Profile", "Straight", PROFILES, "How the slope runs from foot to top."),
      ),
      figure="{low} to {high}", keywords=("gradient", "slope", "plane", "tilt", "source"),
      starts=(("Gentle rise", {"high": 120, "profile": "Smooth"}), ("Escarpment", {"start": 0.45, "end": 0.55, "profile": "Smooth"})))
def ramp(ctx):
    """A plane between two heights; the profile is t, 3t² - 2t³, t² or 1 - (1 - t)²."""
    p = ctx.p
    a = np.radians(p.direction)
    rows, columns = ctx.shape
    x = np.linspace(-0.5, 0.5, columns) * ctx.site.width
    y = np.linspace(0.5, -0.5, rows) * ctx.site.depth
    reach = abs(np.sin(a)) * ctx.site.width + abs(np.cos(a)) * ctx.site.depth
    t = (x[None] * np.sin(a) + y[:, None] * np.cos(a)) / reach + 0.5
    span = p.end - p.start
    t = np.clip((t - p.start) / (span if abs(span) > 1e-4 else 1e-4), 0, 1)
    shaped = {"Straight": t, "Smooth": t * t * (3 - 2 * t), "Hollow": t * t, "Bulging": 1 - (1 - t) ** 2}[p.profile]
    return {"height": p.low + shaped * (p.high - p.low)}
