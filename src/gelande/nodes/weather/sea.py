"""Sea: water up to a level, with beaches and cliffs where it meets the land."""

import numpy as np

from gelande.core import param as P
from gelande.core.node import height_in, height_out, mask_out, node
from gelande.core.site import MAPPED
from gelande.kernels.shapes import smoothstep
from gelande.kernels.transfer import up
from gelande.kernels.water import DRY, open_water
from gelande.nodes.shared import banded, wander


@node("sea", "Sea", "Weather", "Stands at a level, cuts cliffs into the land and lays beaches before them.",
      inputs=(height_in(),), outputs=(height_out(), mask_out("water", "Water"), mask_out("depth", "Water depth"), mask_out("shore", "Shore")),
      params=(
          P.metres("level", "Sea level", 150, "Height of the sea above the recipe's sea level.", (-20_000, 20_000), (-200, 600), 1, scales=True),
          P.metres("beach", "Beach", 4, "Height over the sea up to which land is worn to a gentle beach.", (0, 500), (0, 30), 1, scales=True),
          P.metres("cliff", "Cliff", 18, "Height of the cliffs that the sea cuts behind the beach; 0 for none.", (0, 1000), (0, 120), 0, scales=True),
          P.share("broken", "Broken coast", 0.5, "How much cliffs and beaches change along the coast."),
          P.toggle("from_edge", "From the edge only", True, "Hollows that the sea cannot reach from the site's edge stay dry."),
          P.metres("deep_at", "Deep at", 40, "Depth at which the depth mask is white.", (0.1, 12_000), (5, 300), 0, scales=True),
          P.seed(),
      ),
      base="height", pyramid=True, water=True, figure="{level}", keywords=("ocean", "water", "coast", "beach", "cliff", "shore", "island"),
      starts=(("Sandy shore", {"beach": 8, "cliff": 0}), ("Cliff coast", {"beach": 2, "cliff": 60}), ("Drowned land", {"level": 60, "beach": 3, "cliff": 8})))
def sea(ctx):
    """Land within reach of the waves is lowered to a beach, then rises in a cliff to where it stood (the wave-cut profile of
    Sunamura 1992, as a curve of height alone, so every detail agrees); both change along the coast by noise. The height is
    the land and the sea's bed; the water lies on it."""
    p, h = ctx.p, ctx.input("height")
    level = np.float32(p.level + ctx.site.sea_level)
    if not p.from_edge:
        reach = np.ones((1, 1), np.float32)
    elif ctx.level <= MAPPED:
        reach = open_water(h, float(level) + p.beach + p.cliff + 1e-3).astype(np.float32)
    else:
        reach = up(ctx.own(ctx.level - 1)["_reach"], False)
    ctx.check()
    along = wander(ctx, ctx.site.long_side / 7, 4, ctx.seed) if p.broken > 0 else np.zeros((1, 1), np.float32)

    def shape(h, along, reach):
        d = h - level
        uneven = np.clip(1 + along * np.float32(2.2 * p.broken), 0, 2)
        top = np.float32(max(p.beach, 1e-3)) * np.clip(2 - uneven, 0.3, 1.7)
        cliff = np.float32(p.cliff) * uneven
        foot = top + cliff  # land lower than this is in the sea's reach
        t = np.clip(d / foot, 0, 1)
        # Up to six tenths of the way the land is beach; then it rises to where it stood.
        worn = top * 0.45 * smoothstep(t / np.float32(0.6)) * np.minimum(t * 3, 1) + (foot - top * 0.45) * smoothstep((t - np.float32(0.6)) / np.float32(0.4))
        out = np.where((d > 0) & (d < foot), level + np.minimum(worn, d), h)
        under = np.clip(-d / (2 * top), 0, 1)  # the beach goes on below the water
        out = np.where((d <= 0) & (d > -2 * top), level - 2 * top * under ** np.float32(1.4), out)
        return h + (out - h) * np.where(reach > 0.5, 1, 0)

    out = banded(ctx, shape, h, along, reach)
    meters = banded(ctx, lambda out, reach: np.where(reach > 0.5, np.maximum(level - out, 0), 0), out, reach)
    film = np.float32(0.12 * ctx.site.long_side / 4096)
    water = banded(ctx, lambda d: np.clip(d / film, 0, 1), meters)
    near = np.float32(max(p.beach, 0.5))
    shore = banded(ctx, lambda out, reach: np.where(reach > 0.5, np.clip(1 - np.abs(out - level) / near, 0, 1), 0), out, reach)
    return {"height": out, "water": water, "depth": banded(ctx, lambda d: np.clip(d / np.float32(p.deep_at), 0, 1), meters), "shore": shore,
            "_reach": reach, "_surface": np.where(meters > 0, level, np.float32(DRY))}
