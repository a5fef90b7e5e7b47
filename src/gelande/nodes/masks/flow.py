"""Flow: where water gathers."""

import numpy as np

from gelande.core import param as P
from gelande.core.node import height_in, mask_in, mask_out, node
from gelande.core.site import MAPPED
from gelande.kernels.flow import drainage
from gelande.kernels.lattice import WATER, bent
from gelande.kernels.measure import gaussian
from gelande.kernels.transfer import up


@node("flow", "Flow", "Masks", "White where water gathers: rills, gills and becks.",
      inputs=(height_in(), mask_in("rain", "Rain", True, "Where it rains.")), outputs=(mask_out(),),
      params=(
          P.metres("first", "Streams begin at", 60, "Side of a square whose rain makes the first trace of a stream.", (1, 50_000), (10, 500), 0,
                   log=True, scales=True),
          P.metres("full", "Full white at", 900, "Side of a square whose rain makes a fully white stream.", (2, 200_000), (100, 4000), 0, log=True, scales=True),
          P.metres("softness", "Softness", 6, "Width over which a stream's edge fades.", (0, 1000), (0, 60), 0, scales=True),
      ),
      pyramid=True, figure="from {first}", keywords=("river", "stream", "drainage", "water", "wet", "catchment"),
      starts=(("Every rill", {"first": 30, "full": 500}), ("Rivers only", {"first": 400, "full": 2000, "softness": 20})))
def flow(ctx):
    """Drainage area on the flooded surface (Barnes et al. 2014; two receivers), logarithmic between two areas. Found on a bent
    lattice, so that streams on level ground do not run along the grid.

    Mapped on levels up to 513 samples; finer levels carry that map up, so every detail shows the same streams."""
    if ctx.level > MAPPED:
        return {"mask": np.clip(up(ctx.own(ctx.level - 1)["mask"], False), 0, 1)}
    p = ctx.p
    rain, lattice = ctx.input("rain"), bent(ctx.shape, WATER, ctx.stop)
    supply = lattice.plot if rain is None else np.clip(lattice.onto([rain], ctx.stop)[0], 0, 1) * lattice.plot
    area, _ = drainage(lattice.onto([ctx.input("height")], ctx.stop)[0], ctx.dx, supply, ctx.stop)
    ctx.check()
    area = lattice.back([area], ctx.stop)[0]
    first, full = p.first ** 2, max(p.full, p.first * 1.01) ** 2
    mask = np.log(np.maximum(area, 1e-3) / first) / np.log(full / first)
    mask = np.clip(mask, 0, 1).astype(np.float32)
    return {"mask": gaussian(mask, 0.5 * p.softness / ctx.dx, ctx.stop)}
