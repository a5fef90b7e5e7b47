"""The command line: gelande new | open | regenerate | build | profile | info | nodes | prepare.

Exit codes: 0 done, 1 a node or a file of the delivery failed, 2 wrong usage or bad input.
"""

from __future__ import annotations

import argparse
import os
import signal
import sys
from pathlib import Path

from . import __version__

DONE, FAILED, BAD_INPUT = 0, 1, 2
#: Bytes of results that a build keeps, so that a 4097 build of the demo stays under 3 GB in all.
BUILD_CACHE = 1_400_000_000


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="gelande", description="Node graphs that make landscapes, and the control sheets that regenerate and deliver them.",
        epilog="Exit codes: 0 done, 1 a node or file failed, 2 wrong usage or bad input.")
    parser.add_argument("--version", action="version", version=f"Gelande {__version__}")
    sub = parser.add_subparsers(dest="command", metavar="COMMAND")

    new = sub.add_parser("new", help="open the window on an empty recipe, or write one to a file",
                         description="Opens the window on an empty recipe. With --out writes the empty recipe instead.")
    new.add_argument("--name", default="Untitled", help="name of the site")
    new.add_argument("--size", default="4096", metavar="WIDTH[xDEPTH]", help="extent in metres, as 4096 or 4096x2048")
    new.add_argument("--out", type=Path, help="recipe file to write (nothing is overwritten)")

    for name, text in (("open", "open a recipe in the window"), ("regenerate", "open only Variants and Deliver, with the graph locked")):
        one = sub.add_parser(name, help=text, description=text[:1].upper() + text[1:] + ".")
        one.add_argument("recipe", type=Path, nargs="?" if name == "open" else None, help="recipe file")
        one.add_argument("--shot", type=Path, metavar="PNG", help="write a picture of the window once everything is fresh, and end")
        if name == "open":
            one.add_argument("--example", action="store_true", help="open as a new recipe: saving never overwrites the file")

    build = sub.add_parser("build", help="compute and write a delivery", description=(
        "Computes the recipe's deliverables and writes them with a manifest. Every file is read back after writing. "
        "What was finished stays when it is stopped (Ctrl+C)."))
    build.add_argument("recipe", type=Path)
    build.add_argument("--detail", type=int, default=1025, metavar="N", help="samples along the long side: 129, 257, 513, 1025, 2049, 4097, 8193")
    build.add_argument("--set", action="append", default=[], metavar='"NAME=VALUE"', help='set a control, as "Riser height=30" (repeat as needed)')
    build.add_argument("--out", type=Path, help="folder for the files (default: deliver/NAME_SEED beside the recipe)")
    build.add_argument("--threads", type=int, help="threads to compute on (the files are the same for any number)")
    build.add_argument("--memory", type=float, metavar="GB", help="memory for results on the way (by default two fifths of what is free)")
    build.add_argument("--quiet", action="store_true", help="no progress bars")

    profile = sub.add_parser("profile", help="time and memory of every node", description="Computes a recipe once and tells each node's own time and memory.")
    profile.add_argument("recipe", type=Path)
    profile.add_argument("--detail", type=int, default=513, metavar="N", help="samples along the long side")
    info = sub.add_parser("info", help="tell what a recipe holds", description="Tells site, nodes, controls and deliverables of a recipe.")
    info.add_argument("recipe", type=Path, help="recipe, or with --drainage also a height image")
    info.add_argument("--drainage", action="store_true",
                      help="figures that real land has (Hack, concavity, pits, area exceedance), and what was worn and laid down")
    info.add_argument("--width", type=float, metavar="M", help="extent of a height image from west to east in metres")
    info.add_argument("--heights", metavar="LOW:HIGH", help="what black and white mean in metres, for images of whole numbers")
    nodes = sub.add_parser("nodes", help="list all nodes, or describe one", description="Lists all nodes, or describes one with its parameters.")
    nodes.add_argument("kind", nargs="?", help="a node's kind or name, as terrace")
    sub.add_parser("prepare", help="compile the numeric kernels once, so that the first start is fast")
    return parser


def main(argv: list[str] | None = None) -> int:
    """Runs one command. Returns the exit code."""
    parser = _parser()
    try:
        args = parser.parse_args(argv)
    except SystemExit as stop:
        return int(stop.code or 0)
    if args.command is None:
        parser.print_help()
        return BAD_INPUT
    from .core.errors import GelandeError
    from .core.files import reason_of

    try:
        return {"new": _new, "open": _open, "regenerate": _regenerate, "build": _build, "info": _info, "profile": _profile, "nodes": _nodes,
                "prepare": _prepare}[args.command](args)
    except GelandeError as error:
        print(f"gelande: {error}", file=sys.stderr)
        return BAD_INPUT
    except MemoryError:
        print("gelande: there is not enough memory for this; choose a smaller detail, or give it less with --memory.", file=sys.stderr)
        return FAILED
    except OSError as error:
        if isinstance(error, BrokenPipeError):
            sys.stderr.close()
            return DONE
        print(f"gelande: {error.filename or 'a file'} cannot be used: {reason_of(error)}.", file=sys.stderr)
        return FAILED


def _new(args) -> int:
    from .core.errors import RecipeError
    from .core.graph import Recipe
    from .core.recipe import save
    from .core.site import Site
    from .core.words import clean

    try:
        sizes = [float(v) for v in args.size.lower().split("x")]
        width, depth = sizes if len(sizes) == 2 else (sizes[0], sizes[0])
    except ValueError:
        raise RecipeError(f"--size is {args.size!r}; give metres, as 4096 or 4096x2048.") from None
    site = Site.fitted(clean(args.name, 200) or "Untitled", width, depth)
    if args.out is None:
        return _window(None, fresh=Recipe(site))
    if args.out.exists():
        raise RecipeError(f"{args.out} exists already; choose another name.")
    save(Recipe(site), args.out)
    print(f"Wrote {args.out}: {site.name}, {site.width:g} × {site.depth:g} m.")
    return DONE


def _window(path: Path | None, **more) -> int:
    if not os.environ.get("DISPLAY") and not os.environ.get("WAYLAND_DISPLAY") and not os.environ.get("QT_QPA_PLATFORM"):
        print("gelande: there is no display; start it on a desktop, or use ./gelande-demo, which brings a virtual one.", file=sys.stderr)
        return BAD_INPUT
    from .app.main import run

    return run(path, **more)


def _open(args) -> int:
    from .core.recipe import load

    if args.recipe is not None:
        load(args.recipe)
    return _window(args.recipe, example=args.example, shot=args.shot)


def _regenerate(args) -> int:
    from .core.recipe import load

    load(args.recipe)
    return _window(args.recipe, regenerate=True, shot=args.shot)


def _with_settings(recipe, settings: list[str]):
    """The recipe with --set applied. "Seed" always works, published or not."""
    from dataclasses import replace

    from .core import control as C
    from .core import param as P
    from .core.errors import RecipeError

    for setting in settings:
        name, equals, text = setting.partition("=")
        if not equals:
            raise RecipeError(f"--set {setting!r} must look like \"NAME=VALUE\".")
        if name.strip().casefold() == "seed" and not any(c.label.casefold() == "seed" for c in recipe.controls):
            try:
                recipe = replace(recipe, seed=P.seed().parse(text))
            except ValueError as error:
                raise RecipeError(f"{error}.") from None
            continue
        control = C.find(recipe, name)
        param = C.param_of(recipe, control)
        if param is None:
            raise RecipeError(f"{control.label}: the node it drives is not known to this version.")
        try:
            value = param.parse(text)
        except ValueError as error:
            raise RecipeError(f"{control.label}: {error}.") from None
        recipe = C.set_control(recipe, control, value)
    return recipe


def _room(gigabytes: float | None) -> int:
    """Bytes for results on the way. What does not fit is computed again when it is needed: a demo build at 4097 samples takes
    131 s in 1.4 GB and 49 s in 8."""
    if gigabytes is not None:
        return int(gigabytes * 1e9)
    try:
        lines = dict(line.split(":", 1) for line in Path("/proc/meminfo").read_text().splitlines())
        free = int(lines["MemAvailable"].split()[0]) * 1024
    except (OSError, KeyError, ValueError):
        free = 0
    return max(BUILD_CACHE, int(0.4 * free))


def _build(args) -> int:
    from rich.markup import escape
    from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

    from .core.evaluate import Cache, Evaluator, Stop
    from .core.recipe import load
    from .deliver import build as B
    from .kernels.bands import set_threads

    recipe = _with_settings(load(args.recipe), args.set)
    level = recipe.site.level_of(args.detail)
    if args.threads:
        set_threads(args.threads)
    base = args.recipe.resolve().parent
    folder = args.out or B.default_folder(recipe, base)
    stop = Stop()
    signal.signal(signal.SIGINT, lambda *_: stop.set())
    columns = (TextColumn("{task.description}"), BarColumn(), TextColumn("{task.fields[state]}"), TimeRemainingColumn())
    with Progress(*columns, disable=args.quiet) as bars:
        tasks: dict[int, int] = {}

        def tell(index, item):
            if index not in tasks:
                tasks[index] = bars.add_task(escape(item.deliverable.name), total=1.0, state="")
            bars.update(tasks[index], completed=item.share, state=escape(item.note if item.state == B.WORKING else item.state))

        items = B.build(recipe, level, folder, Evaluator(Cache(_room(args.memory))), stop, tell, base)
    for item in items:
        facts = item.facts or {}
        if facts:
            unit = " m" if facts["kind"] == "height" else ""
            print(f"{facts['file']}: {facts['format']}, {facts['samples'][0]} × {facts['samples'][1]}, read back identical, "
                  f"largest rounding error {facts['largest_rounding_error']:.3g}{unit}")
        else:
            print(f"{item.deliverable.name}: {item.state}{', ' + item.note if item.note else ''}", file=sys.stderr)
    print(f"Folder: {folder}")
    return DONE if all(item.facts for item in items) else FAILED


def _profile(args) -> int:
    from rich.console import Console
    from rich.markup import escape
    from rich.table import Table

    from .core import graph
    from .core.errors import NodeError
    from .core.evaluate import Cache, Evaluator, Job
    from .core.recipe import load

    recipe = load(args.recipe)
    level, base = recipe.site.level_of(args.detail), args.recipe.resolve().parent
    evaluator, failed = Evaluator(Cache(8_000_000_000)), False
    for node_id in graph.in_order(recipe):
        if recipe.nodes[node_id].spec is None or recipe.nodes[node_id].spec.outputs:
            try:
                evaluator.result(Job(recipe, base), node_id, level)
            except NodeError as error:
                failed = True
                print(f"gelande: {error}", file=sys.stderr)
    table = Table(title=f"{escape(recipe.site.name)} at {recipe.site.samples(level)} samples")
    for head, side in (("node", "left"), ("kind", "left"), ("own time, all levels", "right"), ("at this level", "right"), ("memory", "right")):
        table.add_column(head, justify=side)
    rows = [(evaluator.cost(recipe, n, base), n) for n in recipe.nodes]
    for (seconds, size), node_id in sorted(rows, reverse=True):
        own = evaluator.seconds(recipe, node_id, level, base)
        table.add_row(escape(recipe.nodes[node_id].name), recipe.nodes[node_id].kind, f"{seconds * 1000:.0f} ms", f"{own * 1000:.0f} ms", f"{size / 1e6:.1f} MB")
    table.add_row("all", "", f"{sum(r[0][0] for r in rows) * 1000:.0f} ms", "", f"{evaluator.cache.size / 1e6:.0f} MB")
    Console(width=120 if not sys.stdout.isatty() else None).print(table)
    return FAILED if failed else DONE


def _drainage(args) -> int:
    """Figures of a recipe's last height, or of a height image."""
    import numpy as np

    from .core import drainage, graph, mass
    from .core.errors import GelandeError
    from .core.evaluate import Evaluator, Job
    from .core.recipe import load
    from .kernels.rasterfile import RasterFileError, read_raster

    if args.recipe.suffix == ".gelande":
        recipe, engine, job = load(args.recipe), Evaluator(), None
        job = Job(recipe, args.recipe.parent)
        order = [n for n in graph.in_order(recipe) if recipe.nodes[n].spec and recipe.nodes[n].spec.main
                 and recipe.nodes[n].spec.category != "Order" and recipe.nodes[n].spec.main.kind == "height"]
        if not order:
            raise GelandeError(f"{args.recipe.name} has no height to measure.")
        node = max(order, key=graph.reach(recipe).get)
        dx = recipe.site.spacing(3)
        height = engine.run(job, node, 3)[recipe.nodes[node].spec.main.id]
        print(f"{recipe.nodes[node].name}, {recipe.site.samples(3)} samples, {dx:g} m apart")
        for n in order:
            found = mass.balance(engine.raw(job, n, 3), None, dx * dx) if recipe.nodes[n].spec.category == "Weather" else None
            if found:
                print(f"  {recipe.nodes[n].name}: {found.text()} Balance within {found.fault:.4%}.")
    else:
        try:
            data, top = read_raster(args.recipe)
        except RasterFileError as error:
            raise GelandeError(f"{error}.") from None
        low, high = (float(v) for v in args.heights.split(":")) if args.heights else (0.0, 1.0)
        if top != 1.0 and not args.heights:
            raise GelandeError(f"{args.recipe.name} holds whole numbers; say what they mean with --heights LOW:HIGH in metres.")
        height = low + data / np.float32(top) * np.float32(high - low) if args.heights else data
        dx = (args.width or float(data.shape[1] - 1)) / (data.shape[1] - 1)
        print(f"{args.recipe.name}, {data.shape[1]} x {data.shape[0]} samples, {dx:g} m apart")
    for name, value, land, inside in drainage.measure(height, dx).rows():
        print(f"  {name:26} {value:>9}   land has {land}{'' if inside else '   (outside)'}")
    return DONE


def _info(args) -> int:
    if args.drainage:
        return _drainage(args)
    from .core import control as C
    from .core.recipe import load
    from .deliver.build import usual
    from .deliver.formats import FORMATS

    recipe = load(args.recipe)
    s = recipe.site
    print(f"{s.name}: {s.width:g} × {s.depth:g} m, sea level {s.sea_level:g} m, seed {recipe.seed}")
    print(f"\n{len(recipe.nodes)} nodes")
    for node_id, state in recipe.nodes.items():
        print(f"  {node_id:<20} {state.name:<24} {state.spec.category if state.spec else 'not known to this version'}{' (off)' if state.off else ''}")
    print(f"\n{len(recipe.controls)} controls")
    for c in recipe.controls:
        p = C.param_of(recipe, c)
        span = f"{p.text(c.low)} to {p.text(c.high)}" if p and p.numeric else ", ".join(p.choices) if p else ""
        print(f"  {c.group:<12} {c.label:<22} {p.text(C.value_of(recipe, c)) if p else '?':>12}   {span}")
    print("\ndeliverables")
    for d in recipe.deliverables or usual(recipe):
        print(f"  {d.name:<20} {d.node}.{d.port:<12} {FORMATS[d.format].label if d.format in FORMATS else d.format}")
    return DONE


def _nodes(args) -> int:
    from .core.errors import RecipeError
    from .core.node import CATEGORIES, registry

    specs = registry()
    if args.kind is None:
        for category in CATEGORIES:
            found = [s for s in specs.values() if s.category == category]
            if found:
                print(category)
            for spec in sorted(found, key=lambda s: s.name):
                print(f"  {spec.kind:<16} {spec.name:<18} {spec.summary}")
        return DONE
    wanted = args.kind.casefold()
    spec = next((s for s in specs.values() if wanted in (s.kind.casefold(), s.name.casefold())), None)
    if spec is None:
        raise RecipeError(f"There is no node called {args.kind!r}; \"gelande nodes\" lists them.")
    print(f"{spec.name} ({spec.kind}), {spec.category}\n{spec.summary}\n\n{spec.help}\n")
    for word, ports in (("in ", spec.all_inputs), ("out", spec.outputs)):
        for p in ports:
            print(f"  {word}  {p.id:<12} {p.kind}{', optional' if p.optional else ''}")
    print()
    for p in spec.all_params:
        span = f"{p.text(p.hard[0])} to {p.text(p.hard[1])}" if p.numeric else ", ".join(p.choices)
        print(f"  {p.key:<24} {p.text(p.default):>12}   {span}\n{'':28}{p.help}")
    return DONE


def _prepare(args) -> int:
    from .prepare import prepare

    return prepare()


if __name__ == "__main__":
    sys.exit(main())
