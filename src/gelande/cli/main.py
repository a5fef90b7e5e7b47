"""The command line: gelande new | open | regenerate | build | formats | receive | walk | variants | picture | profile |
info | nodes | examples | prepare.

Exit codes: 0 done, 1 a node or a file of the delivery failed, 2 wrong usage or bad input, 130 stopped by Ctrl+C.
"""

from __future__ import annotations

import argparse
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from gelande.about import versions
from gelande.listing import listed, text_of

from .build import build
from .examples import examples
from .packages import check_nodes, other_packages
from .parser import build_parser
from .picture import picture, thumbnail
from .receive import receive, walk
from .telling import BAD_INPUT, DONE, FAILED, STOPPED, told
from .variants import variants

if TYPE_CHECKING:
    from gelande import api


def main(argv: list[str] | None = None) -> int:
    """Runs one command. Returns the exit code."""
    parser = build_parser()
    try:
        args = parser.parse_args(argv)
    except SystemExit as stop:
        return int(stop.code or 0)
    if args.version:
        print(versions())
        return DONE
    if args.command is None:
        parser.print_help()
        return BAD_INPUT
    try:
        listed = _listed(args)
    except BrokenPipeError:
        return _cut_off()
    if listed is not None:
        return listed
    from gelande import api

    try:
        return {
            "new": _new,
            "open": _open,
            "regenerate": _regenerate,
            "build": build,
            "receive": receive,
            "walk": walk,
            "info": _info,
            "variants": variants,
            "picture": picture,
            "thumbnail": thumbnail,
            "profile": _profile,
            "nodes": _nodes,
            "check-nodes": check_nodes,
            "formats": _unknown_format,
            "examples": examples,
            "prepare": _prepare,
            "integrate": _integrate,
        }[args.command](args)
    except (KeyboardInterrupt, api.Stopped):
        print("gelande: stopped; what was finished stays.", file=sys.stderr)
        return STOPPED
    except api.GelandeError as error:
        print(f"gelande: {error}", file=sys.stderr)
        return BAD_INPUT
    except MemoryError:
        print(
            "gelande: there is not enough memory for this; choose a smaller detail, or give it less with --memory.",
            file=sys.stderr,
        )
        return FAILED
    except OSError as error:
        if isinstance(error, BrokenPipeError):
            return _cut_off()
        print(f"gelande: {error.filename or 'a file'} cannot be used: {api.reason_of(error)}.", file=sys.stderr)
        return FAILED


def _cut_off() -> int:
    """Whoever reads what is told has had enough, as head has."""
    os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())  # what is left is flushed into nothing
    return DONE


def _new(args: argparse.Namespace) -> int:
    from gelande import api

    try:
        sizes = [float(v) for v in args.size.lower().split("x")]
        width, depth = sizes if len(sizes) == 2 else (sizes[0], sizes[0])
    except ValueError:
        raise api.RecipeError(f"--size is {args.size!r}; give metres, as 4096 or 4096x2048.") from None
    land = api.new(args.name, width, depth)
    if args.out is None:
        return _window(None, fresh=land.recipe)
    if args.out.exists():
        raise api.RecipeError(f"{args.out} exists already; choose another name.")
    land.save(args.out)
    print(f"Wrote {args.out}: {land.site.name}, {land.site.width:g} × {land.site.depth:g} m.")
    return DONE


def _window(path: Path | None, **more) -> int:
    from .needs import lacking

    why = lacking()
    if why:
        print(f"gelande: {why}", file=sys.stderr)
        return BAD_INPUT
    from gelande.app.main import run

    return run(path, **more)


def _open(args: argparse.Namespace) -> int:
    from gelande import api

    if args.recipe is not None:
        api.open(args.recipe)
    return _window(args.recipe, example=args.example, shot=args.shot)


def _regenerate(args: argparse.Namespace) -> int:
    from gelande import api

    api.open(args.recipe)
    return _window(args.recipe, regenerate=True, shot=args.shot)


def _profile(args: argparse.Namespace) -> int:
    from rich.console import Console
    from rich.markup import escape
    from rich.table import Table

    from gelande import api

    land = api.open(args.recipe, 8.0)
    if args.edits:
        return _profile_edits(land, args)
    rows, failed = land.profile(args.detail)
    for sentence in failed:
        print(f"gelande: {sentence}", file=sys.stderr)
    if args.json:
        heads = ("node", "kind", "seconds", "seconds_at_detail", "bytes")
        told([dict(zip(heads, row)) for row in rows])
        return FAILED if failed else DONE
    table = Table(title=f"{escape(land.site.name)} at {land.site.samples(land.site.level_of(args.detail))} samples")
    table.add_column("node")
    table.add_column("kind")
    for head in ("own time, all levels", "at this level", "memory"):
        table.add_column(head, justify="right")
    for name, kind, seconds, here, size in rows:
        row = (f"{seconds * 1000:.0f} ms", f"{here * 1000:.0f} ms", f"{size / 1e6:.1f} MB")
        table.add_row(escape(name), kind, *row)
    table.add_row("all", "", f"{sum(r[2] for r in rows) * 1000:.0f} ms", "", f"{sum(r[4] for r in rows) / 1e6:.0f} MB")
    Console(width=120 if not sys.stdout.isatty() else None).print(table)
    return FAILED if failed else DONE


def _profile_edits(land: api.Land, args: argparse.Namespace) -> int:
    """Prints what each kind of edit makes the program compute again."""
    found = land.retraced(args.node, args.detail)
    if args.json:
        told([{"edit": one.edit.kind, "said": one.edit.said, "units": one.units, "of": one.of} for one in found])
        return DONE
    print(f"{land.site.name}: of {found[0].of if found else 0} computations, again after an edit of one node")
    for one in found:
        names = ", ".join(one.names[:4]) + (f" and {len(one.names) - 4} more" if len(one.names) > 4 else "")
        print(f"  {one.edit.kind:<24} {one.edit.said:<28} {one.units:>4}  {names}")
    return DONE


def _figures(args: argparse.Namespace) -> int:
    """Figures of a recipe's last height, or of a height image, beside those of real land."""
    from gelande import api

    if args.recipe.suffix == ".gelande":
        land = api.open(args.recipe)
        rows = [*(land.likeness(513) if args.land else ()), *(land.drainage(513) if args.drainage else ())]
        dx = land.site.spacing(land.site.level_of(513))
        if not args.json:
            print(f"{land.last_land()}, 513 samples, {dx:g} m apart")
        for name, words, fault in land.moved(513) if args.drainage and not args.json else ():
            print(f"  {name}: {words} Balance within {fault:.4%}.")
    else:
        low, _, high = (args.heights or "").partition(":")
        heights, rows = (float(low), float(high)) if args.heights else None, []
        for asked, measure in ((args.land, api.likeness_of), (args.drainage, api.drainage_of)):
            if asked:
                (columns, count), dx, found = measure(args.recipe, args.width, heights)
                rows += found
        if not args.json:
            print(f"{args.recipe.name}, {columns} x {count} samples, {dx:g} m apart")
        if not args.json and args.land and max(columns, count) > 2 * 513:
            print("  These figures look at samples; the bounds were taken at about 513 a side.")
    if args.json:
        told([dict(zip(("figure", "value", "real_land", "inside"), row)) for row in rows])
        return DONE
    for name, value, real, inside in rows:
        print(f"  {name:26} {value:>9}   land has {real}{'' if inside else '   (outside)'}")
    return DONE


def _info(args: argparse.Namespace) -> int:
    if args.drainage or args.land:
        return _figures(args)
    from gelande import api

    land = api.open(args.recipe)
    s = land.site
    if args.json:
        told(_facts(land))
        return DONE
    print(f"{s.name}: {s.width:g} × {s.depth:g} m, sea {s.sea_text}, seed {land.seed}")
    if land.recipe.author:
        print(f"made by {land.recipe.author}")
    print(f"\n{len(land.nodes)} nodes")
    for node_id, (name, category, off) in land.nodes.items():
        print(f"  {node_id:<20} {name:<24} {category}{' (off)' if off else ''}")
    print(f"\n{len(land.controls)} controls")
    for c in land.controls:
        print(f"  {c.group:<12} {c.label:<22} {c.text:>12}   {land.range_text(c)}")
    if land.presets:
        print(f"\npresets: {', '.join(land.presets)}")
    print("\ndeliverables")
    for name, node, port, label in land.deliverables:
        print(f"  {name:<20} {node}.{port:<12} {label}")
    return DONE


def _facts(land: api.Land) -> dict:
    """What a recipe holds, for programs."""
    s = land.site
    kept = {node.id: {"kind": node.kind, "settings": node.settings} for node in land.all_nodes}
    return {
        "site": {"name": s.name, "width_m": s.width, "depth_m": s.depth, "sea_m": s.sea_level if s.has_sea else None},
        "author": land.recipe.author,
        "seed": land.seed,
        "details": land.details,
        "nodes": [
            {"id": n, "name": name, "category": category, "off": off, **kept.get(n, {})}
            for n, (name, category, off) in land.nodes.items()
        ],
        "controls": [vars(c) for c in land.controls],
        "presets": land.presets,
        "cameras": [vars(c) for c in land.recipe.cameras],
        "deliverables": [dict(zip(("name", "node", "output", "format"), one)) for one in land.deliverables],
    }


def _listed(args: argparse.Namespace) -> int | None:
    """Lists nodes or formats, or describes a node; None when it is another command, or a node that there is not."""
    if args.command not in ("nodes", "formats"):
        return None
    kind = getattr(args, "kind", None)
    if args.command == "nodes" and other_packages():
        return None  # theirs are not in what is shipped
    if args.json:
        held = listed(args.command, kind)
        if held is not None:
            told(held)
        return None if held is None else DONE
    text = text_of(args.command, kind)
    if text is not None:
        print(text)
    return None if text is None else DONE


def _nodes(args: argparse.Namespace) -> int:
    """Lists nodes, or describes one, of all packages; says that there is none."""
    from gelande import api, listing

    if args.kind is not None:
        spec = api.node_kind(args.kind)
        told(listing.node_values(spec)) if args.json else print(listing.node_text(spec))
        return DONE
    kinds = api.node_kinds()
    if args.json:
        told([listing.node_values(spec) for specs in kinds.values() for spec in specs])
    else:
        print(listing.nodes_text(kinds))
    return DONE


def _unknown_format(args: argparse.Namespace) -> int:
    from gelande import api

    known = api.formats()
    raise api.RecipeError(f"There is no format called {args.kind!r}{api.nearest(args.kind, known)}.")


def _integrate(args: argparse.Namespace) -> int:
    from . import integrate

    try:
        if args.remove:
            print("Nothing was installed." if not integrate.remove() else "Gelande is no longer known to the desktop.")
        else:
            integrate.integrate()
            print("Gelande is in the menu, and recipe files open with it.")
    except OSError as error:
        print(f"gelande: {error.filename} cannot be written: {error.strerror}", file=sys.stderr)
        return BAD_INPUT
    return DONE


def _prepare(args: argparse.Namespace) -> int:
    from gelande.prepare import prepare, work

    return work() if args.worker else prepare()


if __name__ == "__main__":
    sys.exit(main())
