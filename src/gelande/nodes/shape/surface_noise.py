"""Surface noise: adds noise to a surface."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import height_in, height_out, node
from gelande.kernels import noise
from gelande.kernels.grid_window import place

KINDS = {"rounded": noise.PLAIN, "ridged": noise.RIDGED, "billowy": noise.BILLOW}


def _normals(h, dx, baseline):
    """(east, north, up) parts of the unit normal, measured over a fixed distance."""
    step = max(1, round(baseline / (2 * dx)))

    def side(axis):
        n = h.shape[axis]
        ahead, behind = np.minimum(np.arange(n) + step, n - 1), np.maximum(np.arange(n) - step, 0)
        shape = [-1 if k == axis else 1 for k in (0, 1)]
        return (np.take(h, ahead, axis) - np.take(h, behind, axis)) / ((ahead - behind) * np.float32(dx)).reshape(shape)

    south, east = side(0), side(1)
    up = 1 / np.sqrt(1 + south * south + east * east)
    return -east * up, south * up, up


@node(
    "surface_noise",
    "Surface noise",
    "Shape",
    "Adds fine noise upwards or out of the slope, so that erosion finds something to bite on.",
    inputs=(height_in(),),
    outputs=(height_out(),),
    params=(
        P.metres("depth", "Depth", 14, "Height of the roughness.", (0, 2000), (0, 80), 1, scales=True),
        P.metres("size", "Size", 140, "Size of its largest lumps.", (0.5, 50_000), (10, 800), 0, log=True, scales=True),
        P.count("octaves", "Octaves", 5, "How many finer layers are added.", (1, 12), (1, 8)),
        P.fraction("gain", "Gain", 0.5, "Height of each octave as a share of the one before.", (0.0, 0.9), (0.2, 0.7)),
        P.choice("kind", "Kind", "rounded", tuple(KINDS), "Rounded lumps, sharp ridges or billows."),
        P.choice(
            "way",
            "Way",
            "upwards",
            ("upwards", ("out_of_slope", "Out of the slope")),
            "Straight up, or along the surface normal, which makes overhanging faces craggy.",
        ),
        P.seed(),
    ),
    footprint=lambda p, site: Footprint(
        halo=site.slope_baseline / 2 if p.way == "out_of_slope" else 0.0,
        looks=lambda level, window: window.grown(int(0.7 * p.depth / site.spacing(level)) + 3),
    ),
    base="height",
    figure="{depth} · {size}",
    keywords=("noise", "detail", "displace", "bumps", "roughness"),
    starting_points=(("Before rain", {}), ("Crags", {"way": "out_of_slope", "kind": "ridged", "depth": 24})),
)
def surface_noise(ctx: Context) -> Arrays:
    """Octave noise added to the height; along the normal the surface is moved by n·d and looked up where it came
    from."""
    p, h = ctx.p, ctx.input("height")
    d = noise.fractal(
        ctx.window,
        (0.0, ctx.site.depth),
        ctx.dx,
        p.size,
        p.octaves,
        2.0,
        p.gain,
        ctx.seed,
        form=KINDS[p.kind],
        sharp=1.5,
        stop=ctx.stop,
    )
    d *= np.float32(p.depth * 0.5)
    if p.way == "upwards":
        return {"height": h + d}
    ctx.check()
    east, north, up = _normals(h, ctx.dx, ctx.site.slope_baseline)
    rows, columns = place(ctx.window)
    y, x = rows + north * d / np.float32(ctx.dx), columns - east * d / np.float32(ctx.dx)
    return {"height": ctx.sampled("height", y, x) + up * d}
