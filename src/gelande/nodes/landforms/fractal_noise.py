"""Fractal noise: the sum of octaves of a lattice noise."""

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_out, node
from gelande.kernels import noise

BASES = {"gradient": noise.GRADIENT, "value": noise.VALUE, "simplex": noise.SIMPLEX}


@node(
    "fractal_noise",
    "Fractal noise",
    "Landforms",
    "Rolling or rough ground from octaves of noise.",
    outputs=(height_out(),),
    params=(
        P.choice(
            "basis",
            "Basis",
            "gradient",
            tuple(BASES),
            "Gradient is rounded, Value blocky, Simplex even in all directions.",
        ),
        P.metres(
            "feature_size",
            "Feature size",
            1400,
            "Size of the largest hills.",
            (1, 200_000),
            (100, 4000),
            0,
            log=True,
            scales=True,
        ),
        P.metres(
            "relief",
            "Height",
            500,
            "About the height from the lowest to the highest ground.",
            (0, 60_000),
            (0, 1500),
            0,
            scales=True,
        ),
        P.count("octaves", "Octaves", 8, "How many finer layers are added.", (1, 14), (1, 10)),
        P.number(
            "lacunarity",
            "Lacunarity",
            2.0,
            "How much finer each octave is than the one before.",
            (1.2, 4.0),
            (1.5, 3.0),
        ),
        P.fraction(
            "gain",
            "Gain",
            0.48,
            "Height of each octave as a share of the one before: roughness.",
            (0.0, 0.9),
            (0.2, 0.7),
        ),
        P.metres("warp", "Warp", 0, "Bends the noise by this much.", (0, 50_000), (0, 600), 0, scales=True),
        P.seed(),
    ),
    figure="{feature_size} · {relief}",
    keywords=("perlin", "fbm", "hills", "terrain", "random", "source", "clouds"),
    starting_points=(("Rolling downs", {"gain": 0.35}), ("Rough upland", {"gain": 0.55}), ("Folded", {"warp": 400})),
)
def fractal_noise(ctx: Context) -> Arrays:
    """Fractional Brownian motion over gradient, value (Perlin 1985, 2002) or simplex noise (Perlin 2001).

    Octaves shorter than two samples are left out, so detail is added, never changed, at finer levels."""
    p = ctx.p
    n = noise.fractal(
        ctx.window,
        (0.0, ctx.site.depth),
        ctx.dx,
        p.feature_size,
        p.octaves,
        p.lacunarity,
        p.gain,
        ctx.seed,
        BASES[p.basis],
        warp=p.warp,
        stop=ctx.stop,
    )
    return {"height": (n * 0.5 + 0.5) * p.relief}
