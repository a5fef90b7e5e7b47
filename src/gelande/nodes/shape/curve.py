"""Curve: maps heights through a drawn curve."""

import numpy as np

from gelande.core import param as P
from gelande.core.node import height_in, height_out, node
from gelande.kernels.curves import table


@node("curve", "Curve", "Shape", "Maps each height to another through a drawn curve.",
      inputs=(height_in(),), outputs=(height_out(),),
      params=(P.curve("curve", "Curve", ((0.0, 0.0), (0.35, 0.2), (0.7, 0.82), (1.0, 1.0)),
                      "Left to right the heights that come in, bottom to top those that go out."),),
      base="height", keywords=("remap", "profile", "tone", "hypsometric"),
      starts=(("Flat-topped fells", {"curve": ((0.0, 0.0), (0.3, 0.12), (0.6, 0.8), (1.0, 1.0))}),
              ("Broad floors", {"curve": ((0.0, 0.0), (0.5, 0.16), (1.0, 1.0))})))
def curve(ctx):
    """Monotone cubic curve (Fritsch and Carlson 1980) over the input's range at the figures level; beyond it heights go on unchanged."""
    h = ctx.input("height")
    low, high = ctx.range("height")
    span = max(high - low, 1e-6)
    lut = table(ctx.p.curve)
    inside = np.clip(h, np.float32(low), np.float32(high))
    t = (inside - np.float32(low)) * np.float32((len(lut) - 1) / span)
    i = np.minimum(t.astype(np.int32), len(lut) - 2)
    value = lut[i] + (lut[i + 1] - lut[i]) * (t - i)
    return {"height": np.float32(low) + value * np.float32(span) + (h - inside)}
