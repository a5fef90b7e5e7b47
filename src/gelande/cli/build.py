"""The command line of deliveries: build and formats."""

from __future__ import annotations

import argparse
import signal
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from .telling import DONE, FAILED, at_least, json_word
from .variants import as_chosen, chosen_words, span

if TYPE_CHECKING:
    from rich.progress import TaskID

    from gelande import api

#: Bytes of results that a build at up to 2049 samples keeps; larger ones go strip by strip and need fewer.
BUILD_CACHE = 1_400_000_000


def build_words(sub: argparse._SubParsersAction) -> None:
    """The words of build and formats."""
    build = sub.add_parser(
        "build",
        help="compute and write a delivery",
        description=(
            "Computes the recipe's deliverables and writes them with a manifest. Every file is read back after "
            "writing. What was finished stays when it is stopped (Ctrl+C), and the next build goes on from there."
        ),
    )
    build.add_argument("recipe", type=Path)
    build.add_argument(
        "--detail",
        type=int,
        metavar="N",
        help="samples along the long side: 129, 257, 513, 1025 (default), 2049, 4097, 8193, 16385",
    )
    chosen_words(build)
    build.add_argument(
        "--seeds", metavar="FIRST..LAST", help="deliver every one of these seeds, each into a folder of its own"
    )
    build.add_argument("--out", type=Path, help="folder for the files (default: deliver/NAME_SEED beside the recipe)")
    _file_words(build.add_argument_group("files"))
    _machine_words(build.add_argument_group("machine"))
    formats = sub.add_parser(
        "formats",
        help="list all file formats, or describe one",
        description="Lists all file formats by what they hold, or tells the options of one.",
    )
    formats.add_argument("kind", nargs="?", metavar="FORMAT", help="a format's id, as mesh_glb")
    json_word(formats)


def _file_words(build: argparse.ArgumentParser) -> None:
    """The words of what is written."""
    build.add_argument("--only", action="append", default=[], metavar="NAME", help="deliver only this file (repeat)")
    build.add_argument(
        "--file",
        action="append",
        default=[],
        metavar='"NAME=NODE.OUTPUT:FORMAT,OPTION=VALUE"',
        help='deliver one more file, as "Rock=ground_cover_1.weight_2:mask_png16" or '
        '"Far=snow_1.height:mesh_glb,error=2" (repeat)',
    )
    build.add_argument("--names", metavar="PATTERN", help="of files, as {site}_{seed}_{what}_{x}_{y}")
    build.add_argument(
        "--samples",
        type=int,
        metavar="N",
        help="samples along the long side of every file, as 505, 1009, 2017, 4033 or 8129: made from the next detail",
    )
    build.add_argument("--tiles", type=int, metavar="N", help="cut into tiles of N samples a side")
    build.add_argument("--apart", action="store_true", help="tiles do not share the samples of their common edges")
    build.add_argument("--columns", metavar="A..B", help="only these columns of tiles, from 0 in the west")
    build.add_argument("--rows", metavar="A..B", help="only these rows of tiles, from 0 in the north")
    build.add_argument(
        "--span",
        metavar="LOW:HIGH",
        help='heights that 16-bit counts run over in all files, or "found" to find them at 513 samples',
    )
    build.add_argument("--pdf", action="store_true", help="write the import sheet as a PDF too")
    build.add_argument(
        "--epsg", type=at_least(1024, 32767), metavar="CODE", help="reference system of GeoTIFF and GeoPackage files"
    )
    build.add_argument("--origin", metavar="EAST,NORTH", help="of the site's south-west corner in that system")


def _machine_words(build: argparse.ArgumentParser) -> None:
    """The words of how it is computed."""
    build.add_argument(
        "--threads", type=at_least(1, 256), help="threads to compute on (the files are the same for any number)"
    )
    build.add_argument(
        "--memory",
        type=float,
        metavar="GB",
        help="memory for results on the way (default 1.4); what does not fit is computed again",
    )
    build.add_argument(
        "--workers", type=at_least(1, 256), metavar="N", help="compute in N processes on this machine (needs Dask)"
    )
    build.add_argument("--scheduler", metavar="ADDRESS", help="compute on the workers of a Dask scheduler, tls://...")
    for name, words in (
        ("ca", "authority that both trust"),
        ("cert", "certificate"),
        ("key", "key of that certificate"),
    ):
        build.add_argument(f"--tls-{name}", type=Path, metavar="PEM", help=f"for a scheduler at tls://: {words}")
    build.add_argument("--quiet", action="store_true", help="no progress bars")
    build.add_argument(
        "--plan", action="store_true", help="tell what would be computed, in order, and compute and write nothing"
    )


def _settled(land: api.Land, args: argparse.Namespace) -> None:
    """Applies what the files are to be. Raises GelandeError."""
    from gelande import api

    changes: dict = {}
    if args.names is not None:
        changes["pattern"] = args.names
    if args.tiles is not None:
        changes |= {"tile": args.tiles, "shared": not args.apart}
    try:
        if args.span == "found":
            changes["span"] = "found"
        elif args.span:
            low, high = (float(v) for v in args.span.split(":"))
            changes |= {"span": "given", "low": low, "high": high}
        if args.origin:
            changes["east"], changes["north"] = (float(v) for v in args.origin.split(","))
    except ValueError:
        raise api.DeliveryError("--span must look like 0:1200 or found, and --origin like 500000,5300000.") from None
    if args.samples is not None:
        changes["size"] = args.samples
    if args.epsg is not None:
        changes["epsg"] = args.epsg
    land.settle(**changes)
    more = [_one_more(land, text) for text in args.file]
    if args.only:
        land.only(*args.only, *more)


def _one_more(land: api.Land, text: str) -> str:
    """Adds one --file. Returns its name."""
    from gelande import api

    name, equals, rest = text.partition("=")
    where, colon, how = rest.partition(":")
    node, dot, output = where.partition(".")
    if not (equals and colon and dot):
        raise api.DeliveryError(f'--file {text!r} must look like "NAME=NODE.OUTPUT:FORMAT,OPTION=VALUE".')
    kind, *options = how.split(",")
    found, more = {}, {}
    for option in options:
        key, _, value = option.partition("=")
        if "." in value and value.split(".")[0] in land.nodes:
            source, _, port = value.partition(".")
            more[key] = source, port
        else:
            found[key] = land.option(kind, key, value)
    land.order(name.strip(), node, output, kind, more, **found)
    return name.strip()


def _numbers(text: str | None, word: str) -> list[int] | None:
    """Columns or rows, as "0..3" or "2"."""
    from gelande import api

    if text is None:
        return None
    first, dots, last = text.partition("..")
    try:
        return list(range(int(first), int(last if dots else first) + 1))
    except ValueError:
        raise api.DeliveryError(f"--{word} is {text!r}; give it as 0..3 or 2.") from None


def build(args: argparse.Namespace) -> int:
    """Delivers."""
    from gelande import api

    land = api.open(args.recipe, args.memory or BUILD_CACHE / 1e9)
    as_chosen(land, args)
    _settled(land, args)
    args.detail = args.detail or land.detail_for_files
    if args.plan:
        for line in land.plan_lines(args.detail):
            print(line)
        return DONE
    if args.threads:
        api.set_threads(args.threads)
    signal.signal(signal.SIGINT, lambda *_: land.stop.set())
    lands = [("", land)]
    if args.seeds:
        first, last = span(args.seeds)
        lands = land.variants("seed", (first, last))
        for _, one in lands:
            one.stop = land.stop  # Ctrl+C ends all of them, not one
    folders = [_folder(one, args) for _, one in lands]
    if args.workers or args.scheduler:
        return _farmed(lands, folders, args)
    common, found = api.common_span([one for _, one in lands]), [DONE]
    for (_, one), folder in zip(lands, folders):
        found.append(_one_build(one, folder, args, common))
        if land.stop:
            break
    return max(found)


def _folder(land: api.Land, args: argparse.Namespace) -> Path:
    if args.out and args.seeds:
        return args.out / f"{land.seed:06d}"
    return args.out or land.default_folder()


def _told(files: list, folder: Path, pdf: bool) -> int:
    """Tells what was written."""
    import sys

    for sheet in folder.glob("*_import.html") if pdf else ():
        from gelande.app.sheetpdf import write_pdf

        write_pdf(sheet)

    for file in files:
        facts = file.facts or {}
        if not file.done:
            print(f"{file.name}: {file.state}{', ' + file.note if file.note else ''}", file=sys.stderr)
            continue
        unit = " m" if facts["meaning"]["unit"] == "m" else ""
        size = f"{facts['samples'][0]} × {facts['samples'][1]}" + (
            f", {len(file.files)} tiles" if len(file.files) > 1 else ""
        )
        worst = max(f["largest_rounding_error"] for f in file.files)
        state = "unchanged, " if file.note == "unchanged" else ""
        error = "" if "picture" in facts or "pages" in facts else f", largest rounding error {worst:.3g}{unit}"
        print(f"{facts['file']}: {facts['format']}, {size}, {state}read back {facts['read_back']}{error}")
    print(f"Folder: {folder}")
    return DONE if all(file.done for file in files) else FAILED


def _one_build(land: api.Land, folder: Path, args: argparse.Namespace, common: tuple[float, float] | None) -> int:
    """Delivers one land."""
    return _told(_with_bars(land, folder, args, common), folder, args.pdf)


def _with_bars(land: api.Land, folder: Path, args: argparse.Namespace, common: tuple[float, float] | None) -> list:
    """Delivers with a progress bar for every file."""
    from rich.markup import escape
    from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

    names = [name for name, *_ in land.deliverables]
    columns = (TextColumn("{task.description}"), BarColumn(), TextColumn("{task.fields[state]}"), TimeRemainingColumn())
    with Progress(*columns, disable=args.quiet) as bars:
        tasks: dict[int, TaskID] = {}

        def tell(index, state, fraction, note) -> None:
            if index not in tasks:
                tasks[index] = bars.add_task(escape(names[index]), total=1.0, state="")
            bars.update(tasks[index], completed=fraction, state=escape(note if state == "computing" else state))

        which = (_numbers(args.columns, "columns"), _numbers(args.rows, "rows"))
        return land.deliver(folder, args.detail, tell, *which, common)


def _tls(args: argparse.Namespace) -> api.Certificates | None:
    """Certificates that were given; tells when a scheduler is asked without."""
    from gelande import api

    files = args.tls_ca, args.tls_cert, args.tls_key
    if not any(files):
        for words in filter(None, [api.scheduler_warning(args.scheduler or "")]):
            print(words, file=sys.stderr)
        return None
    if not all(files):
        raise api.DeliveryError("TLS needs three files: --tls-ca, --tls-cert and --tls-key.")
    return api.Certificates(*files)


def _farmed(lands: list, folders: list[Path], args: argparse.Namespace) -> int:
    """Delivers by workers."""
    from rich.progress import BarColumn, Progress, TextColumn

    from gelande import api

    with Progress(
        TextColumn("{task.description}"), BarColumn(), TextColumn("{task.fields[at]}"), disable=args.quiet
    ) as p:
        bar = p.add_task("units", total=1.0, at="starting workers")

        def tell(progress) -> None:
            at = " · ".join(f"{worker}: {what or 'waiting'}" for worker, what in progress.at.items())
            p.update(bar, total=progress.total, completed=progress.done, at=at)

        if args.columns or args.rows:
            raise api.DeliveryError("Workers deliver all tiles; leave out --columns and --rows.")
        named = [(str(folder), land) for folder, (_, land) in zip(folders, lands)]
        tls = _tls(args)
        found = api.deliver_all(
            named,
            "",
            args.detail,
            args.workers or 0,
            args.scheduler or "",
            args.threads or 1,
            tell,
            folders,
            tls,
        )
    return max(_told(files, Path(folder), args.pdf) for folder, files in found.items())
