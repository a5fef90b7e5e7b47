"""Ridge noise: crests where octaves of noise cross zero."""

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_out, node
from gelande.kernels import noise


@node(
    "ridge_noise",
    "Ridge noise",
    "Landforms",
    "Mountain crests and spurs that branch from one another.",
    outputs=(height_out(),),
    params=(
        P.metres(
            "feature_size",
            "Feature size",
            1600,
            "Distance between the main crests.",
            (1, 200_000),
            (100, 5000),
            0,
            log=True,
            scales=True,
        ),
        P.metres(
            "relief", "Height", 600, "About the height from valley to crest.", (0, 60_000), (0, 2000), 0, scales=True
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
            0.46,
            "Height of each octave as a share of the one before: roughness.",
            (0.0, 0.9),
            (0.2, 0.7),
        ),
        P.number("sharpness", "Crest sharpness", 1.6, "How sharp the crests stand.", (0.5, 6.0), (0.8, 4.0), 1),
        P.metres("warp", "Warp", 120, "Bends the crests by this much.", (0, 50_000), (0, 600), 0, scales=True),
        P.seed(),
    ),
    figure="{feature_size} · {relief}",
    keywords=("ridged", "mountain", "multifractal", "alps", "source"),
    starting_points=(
        ("Young mountains", {"sharpness": 2.2, "gain": 0.52}),
        ("Worn hills", {"sharpness": 1.0, "gain": 0.36}),
    ),
)
def ridge_noise(ctx: Context) -> Arrays:
    """Ridged multifractal sum after Musgrave (1994): (1 - |n|)^sharpness, each octave weighted by the one above it."""
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
        form=noise.RIDGED,
        sharp=p.sharpness,
        warp=p.warp,
        stop=ctx.stop,
    )
    return {"height": (n * 0.5 + 0.5) * p.relief}
