"""Building a delivery: evaluate, write, read back, hash, and a manifest of it all."""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Callable
from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np

import gelande
from gelande.core import graph
from gelande.core.control import param_of, value_of
from gelande.core.errors import DeliveryError, Stopped
from gelande.core.evaluate import Evaluator, Job, Stop, effective_seed
from gelande.core.files import reason_of, write_text, write_whole
from gelande.core.graph import Deliverable, Recipe
from gelande.core.raster import COLOUR, HEIGHT
from gelande.core.recipe import fingerprint

from .formats import encode, format_of, meaning, rounding_error

WAITING, WORKING, WRITING, DONE, FAILED, STOPPED = "waiting", "computing", "writing", "written, read back", "failed", "stopped"
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


def slug(text: str) -> str:
    """A text as part of a file name."""
    return re.sub(r"[^a-z0-9]+", "_", text.casefold()).strip("_") or "untitled"


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
    return f"{slug(recipe.site.name)}_{slug(deliverable.name)}{format_of(deliverable.format).extension}"


def default_folder(recipe: Recipe, base: Path) -> Path:
    """Where a delivery goes when nobody says."""
    return base / "deliver" / f"{slug(recipe.site.name)}_{recipe.seed}"


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
    except OSError as error:
        raise DeliveryError(f"{path} cannot be written: {reason_of(error)}. Nothing half-written was left.") from None
    return {
        "name": deliverable.name, "file": path.name, "node": deliverable.node, "output": deliverable.port, "kind": fmt.kind,
        "format": fmt.label, "samples": [int(data.shape[1]), int(data.shape[0])], "metres_per_sample": dx,
        "meaning": asdict(m), "largest_rounding_error": checked["error"], "read_back": "identical",
        "bytes": checked["bytes"], "sha256": checked["sha256"],
    }


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
    for index, item in enumerate(items):
        _one(recipe, level, Path(folder), evaluator, stop, tell, base, index, item)
    done = [item.facts for item in items if item.facts]
    if done:
        block = manifest(recipe, level, done, len(done) == len(items))
        try:
            write_text(Path(folder) / f"{slug(recipe.site.name)}_manifest.json", json.dumps(block, indent=2) + "\n")
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
        say(WORKING, 0.0)
        job = Job(recipe, base, stop, lambda share, label, left: say(WORKING, COMPUTE_SHARE * share, label))
        data = evaluator.run(job, d.node, level)[d.port]
        say(WRITING, COMPUTE_SHARE + 0.04)
        item.facts = write_deliverable(recipe, d, data, level, folder, stop, lambda state, share: say(state, share))
        say(DONE, 1.0)
    except Stopped:
        say(STOPPED, 0.0, "nothing was left of it")
    except Exception as error:  # told on its row; the other deliverables go on
        say(FAILED, 0.0, str(error))
