"""Cell noise: distances to scattered points."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_out, node
from gelande.kernels import noise

METRICS = {"euclidean": 0, "manhattan": 1, "chebyshev": 2}
#: What is shown, and about how large it gets in cells.
WHAT = {"nearest": 0.85, "second": 1.2, "difference": 0.7, "cell_value": 1.0}


@node(
    "cell_noise",
    "Cell noise",
    "Landforms",
    "Bumps, cracks or plates from scattered points.",
    outputs=(height_out(),),
    params=(
        P.choice(
            "what",
            "Shape",
            "difference",
            tuple(WHAT),
            "Distance to the nearest or second point, their difference, or one height a cell.",
        ),
        P.metres(
            "size",
            "Cell size",
            320,
            "Mean distance between points.",
            (0.5, 100_000),
            (20, 1500),
            0,
            log=True,
            scales=True,
        ),
        P.metres(
            "relief", "Height", 120, "About the height from lowest to highest.", (0, 60_000), (0, 600), 0, scales=True
        ),
        P.fraction("jitter", "Jitter", 1.0, "How irregularly the points lie: none gives a square pattern."),
        P.choice(
            "metric",
            "Distance",
            "euclidean",
            tuple(METRICS),
            "How distance is measured: round, diamond or square cells.",
        ),
        P.seed(),
    ),
    figure="{size} · {what}",
    keywords=("worley", "voronoi", "cracks", "plates", "source"),
    starting_points=(
        ("Cracked plates", {"what": "difference"}),
        ("Bumps", {"what": "nearest"}),
        ("Steps", {"what": "cell_value"}),
    ),
)
def cell_noise(ctx: Context) -> Arrays:
    """Cellular basis function (Worley 1996), one point a cell. Cells below four samples fade to their mean."""
    p = ctx.p
    first, second, value = noise.cells(
        ctx.window, (0.0, ctx.site.depth), ctx.dx, p.size, p.jitter, METRICS[p.metric], ctx.seed, ctx.stop
    )
    made = {"nearest": first, "second": second, "difference": second - first, "cell_value": value}[p.what] / WHAT[
        p.what
    ]
    fade = np.float32(min(1.0, max(0.0, (p.size / ctx.dx - 2) / 2)))
    return {"height": (np.float32(0.5) + (made - np.float32(0.5)) * fade) * p.relief}
