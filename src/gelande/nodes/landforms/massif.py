"""Massif: peaks and ridges in one body."""

import numpy as np

from gelande.core import param as P
from gelande.core.node import height_out, node
from gelande.kernels import noise
from gelande.kernels.shapes import grid, turned
from gelande.nodes.shared import banded, wander

#: crest sharpness, gain, share of the body that is ridged, how fast it falls to the foot, distance of ridges, how they
#: bend.
CHARACTERS = {
    "Alpine": (2.0, 0.5, 0.78, 1.0, 1.0, 0.28),
    "Worn": (1.0, 0.36, 0.5, 1.5, 1.25, 0.2),
    "Jagged": (2.6, 0.5, 0.9, 0.55, 0.7, 0.26),
    "Domed": (1.1, 0.42, 0.34, 0.7, 1.0, 0.28),
}

#: Height of the fans before the foot and of the plain's unevenness, as shares of the relief; how far fans reach, in
#: radii.
APRON, PLAIN, SPREADS = 0.07, 0.022, 0.22


@node(
    "massif",
    "Massif",
    "Landforms",
    "A mountain body with peaks, ridges and spurs that fall to a plain.",
    outputs=(height_out(),),
    params=(
        P.choice(
            "character",
            "Character",
            "Alpine",
            tuple(CHARACTERS),
            "Young and sharp, worn down, jagged, or a dome with ribs.",
        ),
        P.metres("radius", "Radius", 1900, "From the middle to the foot.", (1, 500_000), (100, 5000), 0, scales=True),
        P.metres(
            "relief",
            "Height",
            900,
            "Height of the highest peaks over the foot.",
            (0, 60_000),
            (0, 3000),
            0,
            scales=True,
        ),
        P.metres(
            "ridge_spacing",
            "Ridge spacing",
            1100,
            "Distance between the main ridges.",
            (1, 200_000),
            (100, 4000),
            0,
            log=True,
            scales=True,
        ),
        P.share("stretch_along", "Length", 1.3, "Length as a share of the width.", (0.1, 10.0), (0.3, 3.0)),
        P.degrees("turn", "Turned to", 60, "Direction of the long axis, clockwise from north.", (0, 360)),
        P.share("east", "East", 0.5, "Where the middle lies from west to east.", (-1.0, 2.0), (0.0, 1.0)),
        P.share("north", "North", 0.5, "Where the middle lies from south to north.", (-1.0, 2.0), (0.0, 1.0)),
        P.seed(),
    ),
    version=2,
    figure="{character} · {relief}",
    keywords=("mountain", "peak", "range", "alps", "source", "island"),
    starting_points=(("Lone range", {"stretch_along": 2.4}), ("Old highland", {"character": "Worn", "relief": 500})),
)
def massif(ctx):
    """A ridged multifractal (Musgrave 1994) bent by its own large form, under an envelope whose outline the ridges
    push out."""
    p = ctx.p
    sharp, gain, ridged, fall, apart, bend = CHARACTERS[p.character]
    spacing = p.ridge_spacing * apart
    n = noise.fractal(
        ctx.frame,
        (0.0, ctx.site.depth),
        ctx.dx,
        spacing,
        9,
        2.05,
        gain,
        ctx.seed,
        form=noise.RIDGED,
        sharp=sharp,
        warp=bend * spacing,
        stop=ctx.stop,
    )
    x, y = grid(ctx.frame, ctx.site.width, ctx.site.depth, p.east, p.north)
    plain = wander(ctx, 0.8 * p.ridge_spacing, 6, ctx.seed + 31, 0.46)

    def shape(x, y, n, plain):
        n = n * np.float32(0.5) + np.float32(0.5)
        along, across = turned(x, y, p.turn)
        r = np.hypot(along / np.float32(p.stretch_along), across) / np.float32(p.radius)
        r = r * (np.float32(1.16) - np.float32(0.3) * n)  # spurs reach out along the ridges
        body = np.clip(1 - r, 0, 1)
        body = body * body * (np.float32(3) - 2 * body)
        body = body ** np.float32(0.55 + 0.45 * fall)
        ridges = np.float32(ridged) * n * (np.float32(0.35) + np.float32(0.65) * body)
        # Beyond the foot the ground falls on, in fans that lie before the valleys, to an uneven plain.
        apron = np.exp(-np.maximum(r - np.float32(0.75), 0) / np.float32(SPREADS)) * (
            np.float32(1.25) - np.float32(0.5) * n
        )
        foot = np.float32(APRON) * apron + np.float32(PLAIN) * (plain + np.float32(0.5)) * (1 - body)
        return np.float32(p.relief) * (body * (np.float32(1 - ridged) + ridges) / np.float32(0.9) + foot * (1 - body))

    return {"height": banded(ctx, shape, x, y, n, plain)}
