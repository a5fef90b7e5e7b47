"""Picture mask: a mask read from a picture that is placed on the land."""

from __future__ import annotations

import numpy as np

from gelande.core.errors import GelandeError
from gelande.core.evaluate.context import Arrays, Context
from gelande.core.files.outside import file_of, stamp
from gelande.core.recipe import param as P
from gelande.core.recipe.node import mask_in, mask_out, node
from gelande.kernels.picturefile import CHANNELS, read_picture
from gelande.kernels.rasterfile import RasterFileError
from gelande.kernels.shapes import grid, turned
from gelande.kernels.transfer import sample
from gelande.nodes.shared import banded

BLACK, EDGES, AGAIN = "black", "its_edge_goes_on", "it_repeats"


@node(
    "picture_mask",
    "Picture mask",
    "Masks",
    "Reads a PNG, JPEG, TIFF or EXR picture and lays it on the land.",
    inputs=(mask_in("first", "Mask", True, "Mask to lay it on: the lighter of both counts."),),
    outputs=(mask_out(),),
    params=(
        P.path("file", "File", "The picture to read; names start at the recipe's folder."),
        P.choice("channel", "Channel", CHANNELS[0], CHANNELS, "What of the picture becomes the mask."),
        P.metres(
            "width",
            "Width",
            4096,
            "How wide the picture lies on the land; its height follows from its own proportions.",
            (0.1, 1_000_000),
            (50, 8000),
            0,
            log=True,
            scales=True,
        ),
        P.fraction("tall", "Height", 1.0, "Of its height by its own proportions.", (0.01, 100.0), (0.25, 4.0)),
        P.metres(
            "east", "East", 0, "Its middle, from the site's middle.", (-500_000, 500_000), (-2048, 2048), 0, scales=True
        ),
        P.metres(
            "north",
            "North",
            0,
            "Its middle, from the site's middle.",
            (-500_000, 500_000),
            (-2048, 2048),
            0,
            scales=True,
        ),
        P.degrees("turn", "Turned", 0, "Clockwise.", (-360, 360), (-180, 180), 1),
        P.choice("outside", "Around it", BLACK, (BLACK, EDGES, AGAIN), "What lies beyond the picture."),
    ),
    base="first",
    figure="{channel}",
    keywords=("image", "photo", "import", "texture", "splat", "png", "jpeg", "exr", "tiff", "source"),
    starting_points=(
        ("Over the whole site", {"width": 4096}),
        ("A tile that repeats", {"width": 400, "outside": AGAIN}),
    ),
    stamp=stamp,
)
def picture_mask(ctx: Context) -> Arrays:
    """One channel of the picture as a share of its greatest possible number, read between its pixels by cubics (Catmull
    and Rom 1974). Where its pixels are finer than the land's samples they are averaged by fours first, so that a coarse
    picture of the land is no other one."""
    p = ctx.p
    if not p.file:
        raise GelandeError("no file is chosen; choose a PNG, JPEG, TIFF or EXR picture")
    try:
        data = read_picture(file_of(p.file, ctx.folder), p.channel, ctx.check)
    except RasterFileError as error:
        raise GelandeError(str(error)) from None
    ctx.check()
    rows, columns = data.shape
    tall = p.width * rows / columns * p.tall
    while min(data.shape) > 3 and p.width / data.shape[1] < 0.75 * ctx.dx:
        data = data[: data.shape[0] // 2 * 2, : data.shape[1] // 2 * 2]
        data = np.float32(0.25) * (data[::2, ::2] + data[1::2, ::2] + data[::2, 1::2] + data[1::2, 1::2])
    ctx.check()
    east, north = grid(ctx.window, ctx.site.width, ctx.site.depth)
    up, right = turned(east - np.float32(p.east), north - np.float32(p.north), p.turn)
    u, v = right / np.float32(p.width) + np.float32(0.5), np.float32(0.5) - up / np.float32(tall)
    u, v = np.broadcast_arrays(u, v)
    inside = (u >= 0) & (u <= 1) & (v >= 0) & (v <= 1)
    if p.outside == AGAIN:
        u, v = u - np.floor(u), v - np.floor(v)
    x = np.clip(u.astype(np.float64) * data.shape[1] - 0.5, 0, data.shape[1] - 1)
    y = np.clip(v.astype(np.float64) * data.shape[0] - 0.5, 0, data.shape[0] - 1)
    found = sample(data, y, x, ctx.stop)
    below = ctx.input("first")

    def laid(found: np.ndarray, inside: np.ndarray, below: np.ndarray) -> np.ndarray:
        found = np.clip(found if p.outside != BLACK else np.where(inside, found, 0), 0, 1)
        return np.maximum(found, below)

    return {"mask": banded(ctx, laid, found, inside, np.zeros((1, 1), np.float32) if below is None else below)}
