"""The manifest of a delivery: what was built, from what; and what an earlier delivery left beside it."""

from __future__ import annotations

import json
import os
from collections.abc import Iterable
from pathlib import Path

import numpy as np

from gelande.core.control import param_of, value_of
from gelande.core.errors import GelandeError
from gelande.core.files import read_bytes
from gelande.core.model import Deliverable, Recipe
from gelande.core.recipe import fingerprint
from gelande.core.seeds import effective_seed
from gelande.core.sheetfile import keep_block
from gelande.version import __version__

from .names import file_name, manifest_name


def put_aside(recipe: Recipe, wanted: Iterable[Deliverable], fresh: set[str], folder: Path) -> list[Path]:
    """Moves what an earlier delivery wrote and this one did not write anew into the folder ``earlier``: files of
    different details or settings never stand side by side as if they belonged together. fresh: names of the files
    that were written now. Returns what was moved."""
    names = {file_name(recipe, d) for d in wanted}
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
        "format": "gelande manifest",
        "version": 1,
        "complete": complete,
        "program": f"Gelande {__version__}",
        "numpy": np.__version__,
        "recipe_sha256": fingerprint(recipe),
        "recipe_seed": recipe.seed,
        "seeds": seeds,
        "seeds_locked": dict(recipe.locks),
        "controls": controls,
        "kept_areas": [keep_block(recipe, k) for k in recipe.keeps if k.on],
        "node_versions": kinds,
        "site": {"name": s.name, "width_m": s.width, "depth_m": s.depth, "sea_level_m": s.sea_level},
        "detail": s.samples(level),
        "metres_per_sample": s.spacing(level),
        "orientation": "first row is the north edge, first column the west edge; samples lie on the site's edges",
        "files": files,
    }
