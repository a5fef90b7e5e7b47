"""The command line of pictures: a land as a camera sees it."""

from __future__ import annotations

import argparse
import os
import signal
from pathlib import Path

from .telling import DONE, FAILED
from .variants import as_chosen, chosen_words

#: Seconds after which a thumbnail is given up.
PATIENCE = 30


def picture_words(sub: argparse._SubParsersAction) -> None:
    """The words of picture."""
    command = sub.add_parser(
        "picture",
        help="write a picture of the land",
        description="Draws the land as a camera sees it, with what stands on it: a PNG of up to 8192 pixels, or an EXR "
        "with depth.",
    )
    command.add_argument("recipe", type=Path)
    command.add_argument("out", type=Path, metavar="FILE")
    command.add_argument("--size", default="1920x1080", metavar="WIDTHxHEIGHT", help="pixels (1920x1080)")
    command.add_argument(
        "--camera",
        default="",
        metavar="WHERE",
        help="a camera that the recipe keeps, or EAST,NORTH,HEADING of somebody who stands there; else the whole land",
    )
    command.add_argument("--detail", type=int, default=1025, metavar="N", help="samples along the long side (1025)")
    command.add_argument("--sun", default="318,34", metavar="AZIMUTH,HEIGHT", help="where the sun stands, degrees")
    command.add_argument("--passes", type=int, default=16, metavar="N", help="more make smoother edges (16)")
    command.add_argument(
        "--walk", type=int, default=0, metavar="N", help="N numbered pictures from the first kept camera to the last"
    )
    command.add_argument("--bare", action="store_true", help="without things")
    command.add_argument("--plain", action="store_true", help="without haze, sky and mirroring water, for measuring")
    chosen_words(command)


def picture(args: argparse.Namespace) -> int:
    """Writes the picture."""
    from gelande import api

    try:
        width, height = (int(v) for v in args.size.lower().split("x"))
        azimuth, high = (float(v) for v in args.sun.split(","))
    except ValueError:
        raise api.RecipeError(
            f"--size {args.size!r} must look like 1920x1080, and --sun {args.sun!r} like 318,34."
        ) from None
    land = api.open(args.recipe)
    as_chosen(land, args)
    size, sun, things = (width, height), (azimuth, high), not args.bare
    land.picture(args.out, size, args.camera, args.detail, things, args.passes, sun, args.walk, args.plain)
    print(f"{args.walk} pictures: {args.out.stem}_0001.png and on" if args.walk else f"Picture: {args.out}")
    return DONE


def thumbnail_words(sub: argparse._SubParsersAction) -> None:
    """The words of thumbnail."""
    command = sub.add_parser(
        "thumbnail",
        help="write a small picture of a recipe, as file managers ask for",
        description="Draws the land of a recipe at 129 samples as a square PNG.",
    )
    command.add_argument("recipe", type=Path)
    command.add_argument("out", type=Path, metavar="FILE")
    command.add_argument("size", type=int, nargs="?", default=256, help="pixels along a side (256)")


def thumbnail(args: argparse.Namespace) -> int:
    """Writes the thumbnail. A recipe that takes too long gets none."""
    from gelande import api

    size = max(16, min(args.size, 1024))
    signal.signal(signal.SIGALRM, lambda *_: os._exit(FAILED))
    signal.alarm(PATIENCE)
    api.open(args.recipe).picture(args.out, (size, size), detail=129, passes=4)
    signal.alarm(0)
    return DONE
