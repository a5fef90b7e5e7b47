"""Things: trees, stones and the like, standing where a mask is white."""

from __future__ import annotations

import math

import numpy as np

from gelande.core.errors import GelandeError
from gelande.core.evaluate.context import Arrays, Context
from gelande.core.files.outside import file_of, stamp
from gelande.core.recipe import param as P
from gelande.core.recipe.node import mask_in, mask_out, node
from gelande.core.recipe.things import NAMES, OWN, POST, SIZES, Placing
from gelande.kernels.discs import room
from gelande.kernels.picturefile import read_cutout
from gelande.kernels.rasterfile import RasterFileError
from gelande.nodes.shared import banded


def _placing(params: dict) -> Placing:
    low, high = sorted((float(params["smallest"]), float(params["largest"])))
    sizes, own = (float(params["least"]), low, high), (params["file"], float(params["tall"]))
    return Placing(params["thing"], *sizes, int(params["pattern"]), tuple(params["tint"]), *own)


def _width(ctx: Context) -> float:
    """Metres that a thing of size 1 is wide. Raises GelandeError when its picture cannot be read."""
    if ctx.p.thing != OWN:
        return SIZES[NAMES.index(ctx.p.thing)][1]
    if not ctx.p.file:
        return ctx.p.tall * POST[1] / POST[0]
    try:
        rows, columns = read_cutout(file_of(ctx.p.file, ctx.folder)).shape[:2]
    except RasterFileError as error:
        raise GelandeError(str(error)) from None
    return ctx.p.tall * columns / rows


@node(
    "things",
    "Things",
    "Masks",
    "Trees, bushes, tufts, boulders or posts that stand where a mask is white; seen in Relief, delivered as points.",
    inputs=(mask_in("where", "Where they stand", True), mask_in("without", "Where none stand", True)),
    outputs=(mask_out("mask", "Density"), mask_out("cover", "Ground under them")),
    params=(
        P.choice("thing", "Kind", NAMES[0], (*NAMES, OWN), "What stands there."),
        P.path(
            "file",
            "Picture",
            "A PNG of one thing seen from the side, its foot at the lower edge, with nothing around it; without one "
            "posts stand there.",
            shown_when=("thing", (OWN,)),
        ),
        P.metres(
            "tall", "Height", 6, "Of one of size 1.", (0.01, 1000), (0.2, 40), 2, log=True, shown_when=("thing", (OWN,))
        ),
        P.number(
            "density",
            "Things a hectare",
            150,
            "Where the mask is white, as far as there is room.",
            (0.001, 100_000),
            (1, 2000),
            0,
            log=True,
        ),
        P.metres("least", "Least distance", 4, "Between the feet of two.", (0.2, 10_000), (0.5, 50), 1, log=True),
        P.number("smallest", "Smallest size", 0.6, "Factor of the smallest ones.", (0.01, 100), (0.2, 2)),
        P.number("largest", "Largest size", 1.4, "Factor of the largest ones.", (0.01, 100), (0.5, 4)),
        P.colour("tint", "Tint", (1.0, 1.0, 1.0), "Colours them; white leaves them as they are."),
        P.count("pattern", "Pattern", 0, "Another number gives other places.", (0, 999_999), (0, 99)),
    ),
    base="where",
    stamp=lambda values, folder: stamp(values, folder) if values["thing"] == OWN and values["file"] else "",
    places=_placing,
    figure="{thing}, {density}/ha",
    keywords=(
        *("trees", "forest", "wood", "plants", "vegetation", "scatter", "instances", "points", "foliage", "rocks"),
        *("stones", "grass", "bushes", "shrubs", "cactus", "houses", "fence", "people", "scale", "populate"),
    ),
    starting_points=(
        ("Open conifer wood", {"thing": "conifer", "density": 150, "least": 3}),
        ("Dense conifer wood", {"thing": "conifer", "density": 700, "least": 2, "smallest": 0.7, "largest": 1.2}),
        ("Parkland", {"thing": "broadleaved_tree", "density": 12, "least": 12}),
        ("Thicket", {"thing": "bush", "density": 900, "least": 1.2}),
        ("Grass", {"thing": "tuft", "density": 6000, "least": 0.6}),
        ("Reed bed", {"thing": "reed", "density": 6000, "least": 0.6}),
        ("Boulder field", {"thing": "boulder", "density": 300, "least": 1.5, "smallest": 0.3, "largest": 2.5}),
        ("Burnt wood", {"thing": "dead_tree", "density": 200, "least": 3}),
        ("Desert columns", {"thing": "column_cactus", "density": 25, "least": 6}),
        ("One hut a hectare", {"thing": "hut", "density": 1, "least": 40, "smallest": 0.9, "largest": 1.1}),
    ),
)
def things(ctx: Context) -> Arrays:
    """Places keep a distance from each other and lie at random otherwise (Bridson 2007); the mask says which share of
    them is taken, and another one where none is: on water, roads, building ground. What comes out is that share, and
    how much of the ground lies under things: for discs at random 1 - exp(-number x area) (Chiu et al. 2013).

    The places hang on the seed of the recipe and on Pattern, not on the detail: what stands in the view is what is
    delivered."""
    p, placing = ctx.p, _placing(ctx.p.values)
    density = min(p.density, room(p.least))
    where = ctx.input("where")
    if where is None:
        where = np.ones(ctx.window.shape, np.float32)
    without = ctx.input("without")
    if without is not None:  # water, roads, building ground
        where = banded(ctx, lambda w, o: np.clip(w, 0, 1) * (1 - np.clip(o, 0, 1)), where, without)
    wide = _width(ctx)
    # mean of the square of a size that is spread evenly between two
    square = (placing.smallest**2 + placing.smallest * placing.largest + placing.largest**2) / 3
    area = np.float32(density / 1e4 * math.pi / 4 * wide**2 * square)
    return {
        "mask": banded(ctx, lambda w: np.clip(w, 0, 1) * np.float32(density / room(p.least)), where),
        "cover": banded(ctx, lambda w: 1 - np.exp(-area * np.clip(w, 0, 1)), where),
    }
