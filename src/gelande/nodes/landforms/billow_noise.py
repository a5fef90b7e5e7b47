"""Billow noise: rounded lumps between sharp creases."""

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_out, node
from gelande.kernels import noise


@node(
    "billow_noise",
    "Billow noise",
    "Landforms",
    "Rounded lumps that meet in sharp creases, like heaped cloud or weathered granite.",
    outputs=(height_out(),),
    params=(
        P.metres(
            "feature_size",
            "Feature size",
            900,
            "Size of the largest lumps.",
            (1, 200_000),
            (50, 4000),
            0,
            log=True,
            scales=True,
        ),
        P.metres(
            "relief", "Height", 260, "About the height from crease to top.", (0, 60_000), (0, 1500), 0, scales=True
        ),
        P.count("octaves", "Octaves", 6, "How many finer layers are added.", (1, 14), (1, 10)),
        P.number(
            "lacunarity",
            "Lacunarity",
            2.0,
            "How much finer each octave is than the one before.",
            (1.2, 4.0),
            (1.5, 3.0),
        ),
        P.fraction("gain", "Gain", 0.42, "Height of each octave as a share of the one before.", (0.0, 0.9), (0.2, 0.7)),
        P.metres("warp", "Warp", 80, "Bends the lumps by this much.", (0, 50_000), (0, 600), 0, scales=True),
        P.seed(),
    ),
    figure="{feature_size} · {relief}",
    keywords=("cloud", "lumps", "granite", "tor", "source"),
    starting_points=(
        ("Tors", {"feature_size": 400, "gain": 0.5}),
        ("Broad swells", {"feature_size": 2200, "octaves": 3}),
    ),
)
def billow_noise(ctx: Context) -> Arrays:
    """Octaves of 2|n| - 1 (Ebert et al. 2003, turbulence): creases where the noise crosses zero."""
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
        form=noise.BILLOW,
        warp=p.warp,
        stop=ctx.stop,
    )
    return {"height": (n * 0.5 + 0.5) * p.relief}
