"""The command line of what receives a delivery: receive and walk."""

from __future__ import annotations

import argparse
import os
import sys
from pathlib import Path

from .telling import DONE, FAILED, at_least, json_word, told

#: Metres that heights may differ from those of a recipe: what 16 bits round away from the tallest land.
CLOSE = 0.5


def receive_words(sub: argparse._SubParsersAction) -> None:
    """The words of receive and walk."""
    receive = sub.add_parser(
        "receive",
        help="take in a delivery as an engine would, and say what does not fit",
        description="Rebuilds land, weights, meshes and points from the files and the manifest alone, and says what "
        "does not fit. Opens a plain window where there is a display.",
    )
    receive.add_argument("folder", type=Path)
    receive.add_argument(
        "--recipe",
        type=Path,
        help="compare the heights with what this recipe makes under the seed, controls and kept areas of the manifest",
    )
    receive.add_argument("--seed", type=int, help="of the recipe, instead of the seed that the manifest states")
    json_word(receive)
    receive.add_argument("--no-window", action="store_true", help="only tell")
    receive.add_argument("--shot", type=Path, metavar="PNG", help="write a picture of the window, and end")
    walk = sub.add_parser(
        "walk",
        help="ask for the land around somebody who walks over it",
        description="Walks over the land of a recipe and asks for the heights around each step, as a game does while "
        "it runs; tells how long each answer took.",
    )
    walk.add_argument("recipe", type=Path)
    walk.add_argument("--detail", type=int, default=2049, metavar="N", help="samples along the long side")
    walk.add_argument("--steps", type=at_least(1), default=100, metavar="N", help="how many steps (100)")
    walk.add_argument(
        "--window", type=at_least(2), default=257, metavar="N", help="samples a side that are asked for (257)"
    )


def receive(args: argparse.Namespace) -> int:
    """Takes in a delivery."""
    from gelande import api
    from gelande.arrived import manifest_of
    from gelande.receive import against
    from gelande.receive import receive as taken

    land = taken(args.folder)
    if args.recipe:
        made = api.open(args.recipe)
        land.faults += made.as_delivered(manifest_of(args.folder))
        made.seed = args.seed if args.seed is not None else made.seed
        detail = max(land.height.shape) if land.height is not None else 129
        worst, usual = against(land, made.height(detail))
        words = f"within {worst:.3g} m, {usual:.3g} m on average (RMS)"
        if worst <= CLOSE:
            land.fits.append(f"Heights are those of the recipe {words}.")
        else:
            land.faults.append(f"Heights are not those of the recipe: they agree {words}.")
    if args.json:
        told({"fits": land.fits, "faults": land.faults})
    else:
        for words in land.fits:
            print(f"fits      {words}")
        for words in land.faults:
            print(f"does not  {words}")
    display = any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"))
    if not args.no_window and display:
        from gelande.app.received import show

        show(land, args.shot)
    return FAILED if land.faults else DONE


def walk(args: argparse.Namespace) -> int:
    """Walks."""
    import math
    import statistics
    import time

    from gelande import api

    land = api.open(args.recipe)
    site, dx = land.site, land.site.spacing(land.site.level_of(args.detail))
    size, times = (args.window - 1) * dx, []
    began = time.perf_counter()
    land.height(min(513, args.detail))
    print(f"The whole site first: {time.perf_counter() - began:.2f} s")
    for k in range(args.steps):
        # a spiral from the middle, so that every step is on new ground
        turn, out = k * 0.5, 0.45 * (k + 1) / args.steps
        east, north = site.width * (0.5 + out * math.cos(turn)), site.depth * (0.5 + out * math.sin(turn))
        began = time.perf_counter()
        height = land.height(args.detail, api.Region.around(east, north, size))
        times.append(time.perf_counter() - began)
        if sys.stdout.isatty():
            middle = height[height.shape[0] // 2, height.shape[1] // 2]
            print(f"\r{east:8.0f} {north:8.0f}  {middle:8.1f} m  {1000 * times[-1]:6.0f} ms", end="", flush=True)
    print(
        f"{'' if not sys.stdout.isatty() else chr(10)}{args.steps} answers of {args.window} samples a side: "
        f"{1000 * statistics.median(times):.0f} ms in the middle of cases, {1000 * max(times):.0f} ms at most"
    )
    return DONE
