"""Building a delivery: evaluate, write, read back, hash, and a manifest of it all."""

from __future__ import annotations

import errno
import hashlib
import json
import os
import re
import shutil
import tempfile
from collections.abc import Callable
from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np
from rasterio.errors import RasterioError

import gelande
from gelande.core import graph
from gelande.core.control import param_of, value_of
from gelande.core.errors import DeliveryError, GelandeError, Stopped
from gelande.core.evaluate import Evaluator, Job, Stop, effective_seed
from gelande.core.files import read_bytes, reason_of, sweep, write_text, write_whole
from gelande.core.graph import Deliverable, Recipe
from gelande.core.raster import COLOUR, HEIGHT
from gelande.core.recipe import fingerprint
from gelande.core.words import clean

from .formats import FORMATS, encode, format_of, meaning, rounding_error

WAITING, WORKING, WRITING, DONE, FAILED, STOPPED = "waiting", "computing", "writing", "written, read back", "failed", "stopped"
#: Zeros that are written at most to find out why a file could not be, in pieces of so many bytes.
PROBE, CHUNK = 256_000_000, 1_000_000
#: Computing a result counts this much of a deliverable's bar; writing and reading back the rest.
COMPUTE_SHARE = 0.8


@dataclass
class Item:
    """The state of one deliverable in a build."""

    deliverable: Deliverable
    state: str = WAITING
    share: float = 0.0
    note: str = ""
    facts: dict | None = None


def slug(text: str, most: int = 80) -> str:
    """A text as part of a file name, of at most this many characters."""
    return re.sub(r"[^a-z0-9]+", "_", text.casefold()).strip("_")[:most] or "untitled"


def usual(recipe: Recipe) -> tuple[Deliverable, ...]:
    """The deliverables of a recipe that names none: the last height twice, the last colour."""
    found: dict[str, tuple] = {}
    reach = graph.reach(recipe)
    for node_id in graph.in_order(recipe):
        spec = recipe.nodes[node_id].spec
        if spec is None or not spec.outputs:
            continue
        kind = graph.output_port(recipe, node_id, spec.main.id).kind
        rank = reach[node_id]
        if kind in (HEIGHT, COLOUR) and rank >= found.get(kind, (0,))[0]:
            found[kind] = (rank, node_id, spec.main.id)
    made = []
    if HEIGHT in found:
        made += [Deliverable("Height", *found[HEIGHT][1:], "height_tiff32"), Deliverable("Height for engine", *found[HEIGHT][1:], "height_png16")]
    if COLOUR in found:
        made.append(Deliverable("Colour", *found[COLOUR][1:], "colour_png8"))
    return tuple(made)


def file_name(recipe: Recipe, deliverable: Deliverable) -> str:
    """The file of a deliverable: site, what it is, extension."""
    extension = FORMATS[deliverable.format].extension if deliverable.format in FORMATS else ""
    return f"{slug(recipe.site.name)}_{slug(deliverable.name)}{extension}"


def default_folder(recipe: Recipe, base: Path) -> Path:
    """Where a delivery goes when nobody says."""
    return base / "deliver" / f"{slug(recipe.site.name)}_{recipe.seed}"


def variant_folder(recipe: Recipe, name: str, base: Path) -> Path:
    """Where a variant's delivery goes: each into one of its own, the same variant into the same. A plain seed's is the recipe's usual one."""
    if name == f"seed {recipe.seed}":
        return default_folder(recipe, base)
    return base / "deliver" / f"{slug(recipe.site.name)}_{recipe.seed}_{slug(name, 60)}_{fingerprint(recipe)[:6]}"


def write_deliverable(recipe: Recipe, deliverable: Deliverable, data: np.ndarray, level: int, folder: Path, stop: Stop,
                      tell: Callable[[str, float], None]) -> dict:
    """Writes one file whole or not at all, reads it back and returns its facts for the manifest.

    Raises DeliveryError when it cannot be written or does not read back as it was written."""
    fmt = format_of(deliverable.format)
    m = meaning(fmt, data)
    counts = encode(fmt, data, m)
    path = folder / file_name(recipe, deliverable)
    dx = recipe.site.spacing(level)
    checked: dict = {}

    def write(temporary: Path):
        fmt.write(temporary, counts, recipe.site, dx)
        stop.check()
        tell(WRITING, 0.92)
        back = fmt.read(temporary)
        if back.shape != counts.shape or not np.array_equal(back, counts):
            raise DeliveryError(f"{path.name} does not read back as it was written; nothing was kept. Check the disk and try again.")
        checked["error"] = rounding_error(fmt, back, data, m)
        checked["sha256"] = hashlib.sha256(temporary.read_bytes()).hexdigest()
        checked["bytes"] = temporary.stat().st_size
        stop.check()

    try:
        write_whole(path, write)
    except (OSError, RasterioError) as error:
        # GDAL says only that writing failed; the system, asked to put the rest there, says why.
        error = error if isinstance(error, OSError) and error.errno else _why_not(folder, counts.nbytes)
        raise DeliveryError(f"{path} cannot be written: {reason_of(error)}. Nothing half-written was left.") from None
    return {
        "name": deliverable.name, "file": path.name, "node": deliverable.node, "output": deliverable.port, "kind": fmt.kind,
        "format": fmt.label, "samples": [int(data.shape[1]), int(data.shape[0])], "metres_per_sample": dx,
        "meaning": asdict(m), "largest_rounding_error": checked["error"], "read_back": "identical",
        "bytes": checked["bytes"], "sha256": checked["sha256"],
    }


def _why_not(folder: Path, size: int) -> OSError:
    """Why so many bytes cannot be written into a folder, when the library that was to write them does not say: the system does, when it
    is asked to write as many zeros there."""
    try:
        if shutil.disk_usage(folder).free < size:
            return OSError(errno.ENOSPC, "")
        with tempfile.TemporaryFile(dir=folder) as probe:
            for _ in range(min(size, PROBE) // CHUNK + 1):
                probe.write(bytes(CHUNK))
            probe.flush()
    except OSError as error:
        return error
    return OSError(errno.EIO, "the library that writes it reports an error")


def put_aside(recipe: Recipe, items: list[Item], folder: Path) -> list[Path]:
    """Moves what an earlier delivery wrote and this one did not write anew into the folder ``earlier``: files of different details or
    settings never stand side by side as if they belonged together. Returns what was moved."""
    fresh = {item.facts["file"] for item in items if item.facts}
    names = {file_name(recipe, item.deliverable) for item in items}
    try:
        old = json.loads(read_bytes(folder / manifest_name(recipe), 50_000_000))
        names |= {str(f["file"]) for f in old["files"]}
    except (OSError, GelandeError, ValueError, KeyError, TypeError):
        pass  # no earlier manifest that could be read: the names of this delivery are known all the same
    moved = []
    for name in sorted(names - fresh):
        if Path(name).name == name and (folder / name).is_file():
            (folder / "earlier").mkdir(exist_ok=True)
            os.replace(folder / name, folder / "earlier" / name)
            moved.append(folder / "earlier" / name)
    return moved


def manifest_name(recipe: Recipe) -> str:
    """The file that says what a delivery is."""
    return f"{slug(recipe.site.name)}_manifest.json"


def manifest(recipe: Recipe, level: int, files: list[dict], complete: bool) -> dict:
    """What was built, from what."""
    controls = {}
    for control in recipe.controls:
        param = param_of(recipe, control)
        if param is not None:
            controls[control.label] = {"value": value_of(recipe, control), "unit": param.unit}
    seeds = {n: effective_seed(recipe, n) for n, s in recipe.nodes.items() if s.spec and s.spec.has_seed}
    kinds = {s.kind: s.spec.version for s in recipe.nodes.values() if s.spec}
    s = recipe.site
    return {
        "format": "gelande manifest", "version": 1, "complete": complete, "program": f"Gelande {gelande.__version__}",
        "numpy": np.__version__, "recipe_sha256": fingerprint(recipe), "recipe_seed": recipe.seed, "seeds": seeds, "controls": controls,
        "node_versions": kinds,
        "site": {"name": s.name, "width_m": s.width, "depth_m": s.depth, "sea_level_m": s.sea_level},
        "detail": s.samples(level), "metres_per_sample": s.spacing(level),
        "orientation": "first row is the north edge, first column the west edge; samples lie on the site's edges", "files": files,
    }


def build(recipe: Recipe, level: int, folder: Path, evaluator: Evaluator, stop: Stop | None = None,
          tell: Callable[[int, Item], None] = lambda index, item: None, base: Path = Path()) -> list[Item]:
    """Builds all deliverables at a level into a folder. tell(index, item) is called on every change of state.

    What was finished stays when it is stopped or something fails. Raises DeliveryError when there is nothing to deliver."""
    stop = Stop() if stop is None else stop
    wanted = recipe.deliverables or usual(recipe)
    if not wanted:
        raise DeliveryError("There is nothing to deliver: the recipe has no height or colour yet.")
    names = [file_name(recipe, d) for d in wanted]
    twice = next((n for n in names if names.count(n) > 1), None)
    if twice:
        raise DeliveryError(f"Two deliverables would be written as {twice}; give one another name.")
    items = [Item(d) for d in wanted]
    sweep(Path(folder))
    for index, item in enumerate(items):
        _one(recipe, level, Path(folder), evaluator, stop, tell, base, index, item)
    done = [item.facts for item in items if item.facts]
    if done:
        block = manifest(recipe, level, done, len(done) == len(items))
        try:
            put_aside(recipe, items, Path(folder))
            write_text(Path(folder) / manifest_name(recipe), json.dumps(block, indent=2) + "\n")
        except OSError as error:
            raise DeliveryError(f"The manifest cannot be written into {folder}: {reason_of(error)}.") from None
    return items


def _one(recipe, level, folder, evaluator, stop, tell, base, index, item):
    """Computes and writes one deliverable, whatever happens to it ends up in its state."""
    def say(state, share, note=""):
        item.state, item.share, item.note = state, share, note
        tell(index, item)

    d = item.deliverable
    try:
        stop.check()
        fmt, port = format_of(d.format), graph.output_port(recipe, d.node, d.port)
        if port is not None and port.kind not in (fmt.kind, "any"):
            raise DeliveryError(f"{fmt.label} is written from a {fmt.kind}, and {recipe.nodes[d.node].name} gives a {port.kind} here; "
                                "choose another format")
        say(WORKING, 0.0)
        job = Job(recipe, base, stop, lambda share, label, left: say(WORKING, COMPUTE_SHARE * share, label))
        data = evaluator.run(job, d.node, level)[d.port]
        say(WRITING, COMPUTE_SHARE + 0.04)
        item.facts = write_deliverable(recipe, d, data, level, folder, stop, lambda state, share: say(state, share))
        say(DONE, 1.0)
    except Stopped:
        say(STOPPED, 0.0, "nothing was left of it")
    except MemoryError:
        say(FAILED, 0.0, "there is not enough memory at this detail; choose a smaller one")
    except Exception as error:  # told on its row; the other deliverables go on
        say(FAILED, 0.0, clean(str(error) or type(error).__name__))
