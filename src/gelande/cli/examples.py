"""The command line of the shipped recipes: list them, bring one."""

from __future__ import annotations

import argparse
import shutil
import sys
from pathlib import Path

from .telling import BAD_INPUT, DONE, json_word, told


def examples_words(sub: argparse._SubParsersAction) -> None:
    """The words of examples."""
    examples = sub.add_parser(
        "examples",
        help="list the shipped recipes, or bring one",
        description="Lists the shipped recipes, or copies one, with the files it needs, into a folder.",
    )
    examples.add_argument("copy", nargs="?", choices=("copy",), help="bring one")
    examples.add_argument("name", nargs="?", help="as varrowdale")
    examples.add_argument("--to", type=Path, default=Path("."), metavar="FOLDER", help="where to (here)")
    json_word(examples)


def examples(args: argparse.Namespace) -> int:
    """Lists the shipped recipes, or copies one. Nothing is overwritten."""
    from gelande import api

    paths = {path.stem: path for path in sorted(api.examples_folder().glob("*.gelande"))}
    if not args.copy:
        found = [(name, api.open(path)) for name, path in paths.items()]
        if args.json:
            told(
                [{"name": n, "site": one.site.name, "nodes": len(one.nodes), "path": str(paths[n])} for n, one in found]
            )
        else:
            for name, one in found:
                print(f"{name:<22} {one.site.name:<22} {len(one.nodes):>3} nodes, {len(one.controls):>2} controls")
        return DONE
    if args.name not in paths:
        wrong = args.name or ""
        print(f"gelande: there is no example called {wrong!r}{api.nearest(wrong, paths)}.", file=sys.stderr)
        return BAD_INPUT
    path, target = paths[args.name], args.to / f"{args.name}.gelande"
    if target.exists():
        print(f"gelande: {target} exists already; choose another folder with --to.", file=sys.stderr)
        return BAD_INPUT
    args.to.mkdir(parents=True, exist_ok=True)
    for beside in (path, *_needed(api.open(path))):
        shutil.copyfile(beside, args.to / beside.name)
        print(f"Wrote {args.to / beside.name}.")
    return DONE


def _needed(land) -> list[Path]:
    """Outside files of a recipe that lie beside it."""
    folder = Path(land.path).parent
    names = {str(v) for s in land.recipe.nodes.values() for k, v in s.params.items() if k == "file" and v}
    return [folder / name for name in sorted(names) if (folder / name).is_file()]
