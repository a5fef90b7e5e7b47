"""Elevation file: heights read from an image or a raster."""

import numpy as np

from gelande.core.errors import GelandeError
from gelande.core.evaluate.context import Arrays, Context
from gelande.core.files.outside import file_of, stamp
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_out, node
from gelande.kernels.rasterfile import RasterFileError, read_raster
from gelande.kernels.transfer import sample


@node(
    "elevation_file",
    "Elevation file",
    "Landforms",
    "Heights from a PNG, TIFF, GeoTIFF or ASCII grid file, laid over the whole site.",
    outputs=(height_out(),),
    params=(
        P.path("file", "File", "The file to read; names start at the recipe's folder."),
        P.choice(
            "numbers",
            "Its numbers are",
            "black_to_white",
            ("black_to_white", "metres"),
            "Black to white: the lowest and highest possible number mean the two heights below. Metres: as they stand.",
        ),
        P.metres(
            "black",
            "Black is",
            0,
            "Height of the lowest number the file can hold.",
            (-12_000, 12_000),
            (-500, 1000),
            1,
            shown_when=("numbers", ("black_to_white",)),
        ),
        P.metres(
            "white",
            "White is",
            500,
            "Height of the highest number the file can hold.",
            (-12_000, 12_000),
            (-500, 3000),
            1,
            shown_when=("numbers", ("black_to_white",)),
        ),
    ),
    figure="{numbers}",
    keywords=("import", "heightmap", "dem", "image", "geotiff", "png", "source"),
    starting_points=(
        ("Survey in metres", {"numbers": "metres"}),
        ("Painted 0 to 1000 m", {"numbers": "black_to_white", "black": 0, "white": 1000}),
    ),
    stamp=stamp,
)
def elevation_file(ctx: Context) -> Arrays:
    """Reads one band. The file's outer samples lie on the site's edges; between samples Catmull-Rom interpolation.

    Floating-point files without metres are taken as 0 to 1."""
    p = ctx.p
    if not p.file:
        raise GelandeError("no file is chosen; choose a PNG, TIFF or ASCII grid file")
    try:
        data, top = read_raster(file_of(ctx.p.file, ctx.folder), ctx.check)
    except RasterFileError as error:
        raise GelandeError(str(error)) from None
    ctx.check()
    if p.numbers == "black_to_white":
        data = np.float32(p.black) + data * np.float32((p.white - p.black) / top)
    f = ctx.window
    y = np.linspace(0, data.shape[0] - 1, f.rows)[f.top : f.top + f.height]
    x = np.linspace(0, data.shape[1] - 1, f.columns)[f.left : f.left + f.width]
    y, x = np.repeat(y[:, None], f.width, 1), np.repeat(x[None], f.height, 0)
    return {"height": sample(data, y, x, ctx.stop)}
