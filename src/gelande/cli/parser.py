"""The words of the command line: all commands and their options."""

from __future__ import annotations

import argparse
from pathlib import Path

from .build import build_words
from .examples import examples_words
from .packages import check_words
from .picture import picture_words, thumbnail_words
from .receive import receive_words
from .telling import json_word
from .variants import variant_words


def build_parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="gelande",
        description="Node graphs that make landscapes, and the control sheets that regenerate and deliver them.",
        epilog="Exit codes: 0 done, 1 a node or file failed, 2 wrong usage or bad input, 130 stopped by Ctrl+C.",
    )
    parser.add_argument(
        "--version", action="store_true", help="tell the version, those of its parts, and the processor"
    )
    sub = parser.add_subparsers(dest="command", metavar="COMMAND")

    new = sub.add_parser(
        "new",
        help="open the window on an empty recipe, or write one to a file",
        description="Opens the window on an empty recipe. With --out writes the empty recipe instead.",
    )
    new.add_argument("--name", default="Untitled", help="name of the site")
    new.add_argument("--size", default="4096", metavar="WIDTH[xDEPTH]", help="extent in metres, as 4096 or 4096x2048")
    new.add_argument("--out", type=Path, help="recipe file to write (nothing is overwritten)")

    for name, text in (
        ("open", "open a recipe in the window"),
        ("regenerate", "open only Variants and Deliver, with the graph locked"),
    ):
        one = sub.add_parser(name, help=text, description=text[:1].upper() + text[1:] + ".")
        one.add_argument("recipe", type=Path, nargs="?" if name == "open" else None, help="recipe file")
        one.add_argument(
            "--shot",
            type=Path,
            metavar="PNG",
            help="write a picture of the window once everything is up to date, and end",
        )
        if name == "open":
            one.add_argument(
                "--example", action="store_true", help="open as a new recipe: saving never overwrites the file"
            )

    build_words(sub)
    receive_words(sub)
    variant_words(sub)
    picture_words(sub)
    _profile_words(sub)
    _info_words(sub)
    nodes = sub.add_parser(
        "nodes",
        help="list all nodes, or describe one",
        description="Lists all nodes, or describes one with its parameters.",
    )
    nodes.add_argument("kind", nargs="?", help="a node's kind or name, as terrace")
    json_word(nodes)
    check_words(sub)
    examples_words(sub)
    thumbnail_words(sub)
    integrate = sub.add_parser(
        "integrate",
        help="make Gelande known to the desktop",
        description="Installs menu entry, icons and the type of recipe files for this person; no root is needed.",
    )
    integrate.add_argument("--remove", action="store_true", help="take them away again")
    prepare = sub.add_parser("prepare", help="compile the numeric kernels once, so that the first start is fast")
    prepare.add_argument("--worker", action="store_true", help=argparse.SUPPRESS)
    return parser


def _info_words(sub: argparse._SubParsersAction) -> None:
    """The words of info."""
    info = sub.add_parser(
        "info", help="tell what a recipe holds", description="Tells site, nodes, controls and deliverables of a recipe."
    )
    json_word(info)
    info.add_argument("recipe", type=Path, help="recipe, or with --drainage or --land also a height image")
    info.add_argument(
        "--drainage",
        action="store_true",
        help="figures that real land has (Hack, concavity, pits, area exceedance), and what was worn and laid down",
    )
    info.add_argument(
        "--land",
        action="store_true",
        help="how natural the land looks: figures of slopes, roughness, spectrum and valleys beside those of real land",
    )
    info.add_argument("--width", type=float, metavar="M", help="extent of a height image from west to east in metres")
    info.add_argument(
        "--heights", metavar="LOW:HIGH", help="what black and white mean in metres, for images of whole numbers"
    )


def _profile_words(sub: argparse._SubParsersAction) -> None:
    """The words of profile."""
    profile = sub.add_parser(
        "profile",
        help="time and memory of every node",
        description="Computes a recipe once and tells each node's own time and memory.",
    )
    profile.add_argument("recipe", type=Path)
    json_word(profile)
    profile.add_argument("--detail", type=int, default=513, metavar="N", help="samples along the long side")
    profile.add_argument("--edits", action="store_true", help="tell what each kind of edit computes again")
    profile.add_argument("--node", default="", help="with --edits: the node that is edited; else the slowest")
