"""The command line of variants: what is chosen in a recipe, and sheets of other outcomes of it."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from .telling import DONE, json_word, told

if TYPE_CHECKING:
    from gelande import api

#: Variants that one sheet has at most.
MOST = 400


def chosen_words(command: argparse.ArgumentParser) -> None:
    """The words with which controls, presets and areas to keep are chosen."""
    command.add_argument("--set-file", type=Path, metavar="FILE", help="what an artist chose, as *.gelande-set")
    command.add_argument("--preset", metavar="NAME", help='set all controls to a preset, as "Wet winter"')
    command.add_argument(
        "--set",
        action="append",
        default=[],
        metavar='"NAME=VALUE"',
        help='set a control, as "Riser height=30" (repeat as needed)',
    )
    command.add_argument(
        "--lock",
        action="append",
        default=[],
        metavar="GROUP",
        help="hold the seed of Landforms, Weather, Masks or Colour",
    )
    command.add_argument(
        "--keep",
        action="append",
        default=[],
        metavar="FILE[@WHAT]",
        help="keep the land in the polygons of a GeoJSON file (metres east and north of the site's south-west corner) "
        'as it is, or as it is under WHAT: "seed=12", "preset=Wet winter", "width=300", joined by commas',
    )


def as_chosen(land: api.Land, args: argparse.Namespace) -> None:
    """Applies what was chosen. What has no place any more is told. Raises GelandeError."""
    from gelande import api

    lost = land.read_set(args.set_file) if args.set_file else []
    if args.preset:
        lost += land.use(args.preset)
    for text in args.set:
        name, equals, value = text.partition("=")
        if not equals:
            raise api.RecipeError(f'--set {text!r} must look like "NAME=VALUE".')
        land.set(name, value)
    for group in args.lock:
        land.lock(group)
    for text in args.keep:
        _keep(land, text)
    for sentence in lost:
        print(f"gelande: {sentence}")


def _keep(land: api.Land, text: str) -> None:
    """One --keep."""
    from gelande import api

    path, _, rest = text.partition("@")
    what: dict[str, str] = {}
    for part in filter(None, rest.split(",")):
        name, equals, value = part.partition("=")
        if not equals or name.strip() not in ("seed", "preset", "width"):
            raise api.RecipeError(f'--keep {text!r} must look like "FILE@seed=12,preset=NAME,width=300".')
        what[name.strip()] = value.strip()
    try:
        seed = int(what["seed"]) if "seed" in what else None
        width = float(what["width"]) if "width" in what else None
    except ValueError:
        raise api.RecipeError(f"--keep {text!r}: seed and width must be numbers.") from None
    land.keep_area(path, seed, what.get("preset", ""), width)


def span(text: str) -> tuple[int, int]:
    """A range of seeds, as "1..20". Raises RecipeError."""
    from gelande import api

    first, dots, last = text.partition("..")
    try:
        found = int(first), int(last if dots else first)
    except ValueError:
        found = (1, 0)
    if not 0 <= found[0] <= found[1] <= 999_999:
        raise api.RecipeError(f"Seeds are {text!r}; give them as 1..20, from 0 to 999999.")
    return found


def variant_words(sub: argparse._SubParsersAction) -> None:
    """The words of variants."""
    command = sub.add_parser(
        "variants",
        help="figures and a picture sheet of other outcomes",
        description="Computes other outcomes of a recipe, tells their figures, and writes a sheet of pictures.",
    )
    command.add_argument("recipe", type=Path)
    command.add_argument(
        "--by",
        nargs="+",
        default=["seed", "0..8"],
        metavar="WAY",
        help='seed 1..49, control "Cliff height", grid "Cliff height" "Gully strength", around, '
        'or between "Wet winter" "Dry summer"',
    )
    command.add_argument("--count", type=int, default=9, metavar="N", help="how many, where seeds do not say (9)")
    command.add_argument("--detail", type=int, default=129, metavar="N", help="samples along the long side (129)")
    command.add_argument("--sort", metavar="FIGURE", help="the greatest first, as flat, area, walkable, water, relief")
    command.add_argument("--only-within", action="store_true", help="leave out what is outside the recipe's limits")
    command.add_argument("--sheet", type=Path, metavar="PNG", help="picture sheet to write")
    command.add_argument("--relief", action="store_true", help="pictures in Relief, not from above")
    command.add_argument("--csv", action="store_true", help="tell as comma-separated values")
    json_word(command)
    chosen_words(command)


def variants(args: argparse.Namespace) -> int:
    """Tells the figures of variants, and writes their sheet."""
    from gelande import api

    land = api.open(args.recipe)
    as_chosen(land, args)
    way, names = args.by[0], tuple(args.by[1:])
    if args.sort and args.sort not in api.figure_names():
        known = ", ".join(api.figure_names())
        raise api.RecipeError(f"There is no figure called {args.sort!r}; there are {known}.")
    seeds = span(names[0]) if way == "seed" and names else (0, 8)
    if max(args.count, seeds[1] - seeds[0] + 1) > MOST:
        raise api.RecipeError(f"A sheet has at most {MOST} variants.")
    found = land.variants(way, seeds, args.count, names)
    choices = land.figure_choices
    rows = [(name, one, one.figures(args.detail)) for name, one in found]
    if args.only_within:
        rows = [row for row in rows if not row[2].misses(choices)]
    if args.sort:
        value = {id(row): row[2].values.get(args.sort) for row in rows}
        rows.sort(key=lambda row: (value[id(row)] is None, -(value[id(row)] or 0.0)))
    if args.json:
        told([{"name": name, "seed": one.seed, **figures.values} for name, one, figures in rows])
    elif args.csv:
        _tell_csv(rows)
    else:
        _tell(rows, choices, land)
    if args.sheet:
        _write_sheet(args, land, rows)
    return DONE


def _tell_csv(rows: list) -> None:
    import csv
    import sys

    names = list(rows[0][2].values) if rows else []
    out = csv.writer(sys.stdout, lineterminator="\n")
    out.writerow(["name", "seed", *names])
    for name, one, figures in rows:
        out.writerow([name, one.seed, *(figures.values[n] for n in names)])


def _tell(rows: list, choices: tuple, land: api.Land) -> None:
    wide = max([12, *(len(name) for name, *_ in rows)])
    heads = [land.figure_label(c.figure) for c in choices]
    print(" " * wide + "".join(f"  {head:>{len(head)}}" for head in heads))
    for name, _, figures in rows:
        missed = set(figures.misses(choices))
        cells = ((figures.text(c.figure) + (" !" if c.figure in missed else "")) for c in choices)
        print(f"{name:{wide}}" + "".join(f"  {cell:>{len(head)}}" for cell, head in zip(cells, heads)))
    if any(figures.misses(choices) for *_, figures in rows):
        print("! outside the recipe's limits")


def _write_sheet(args: argparse.Namespace, land: api.Land, rows: list) -> None:
    from gelande import api

    api.write_sheet(args.sheet, rows, f"{land.site.name}: {len(rows)} variants", args.detail, args.relief)
    if not (args.json or args.csv):
        print(f"Sheet: {args.sheet}")
