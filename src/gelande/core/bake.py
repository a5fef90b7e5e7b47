"""Bakes: a node's results kept beside the recipe, so that what comes before it need not be evaluated.

One npz file a level under ``<recipe>.bakes/``. A bake says under which content key it was made; when the node or what
comes before it changes, the stored results stay and the difference is told.
"""

from __future__ import annotations

import os
import re
from dataclasses import replace
from pathlib import Path

import numpy as np

from .errors import GelandeError, RecipeError
from .files import reason_of, write_whole
from .graph import Bake, Recipe
from .raster import checked
from .site import COARSEST


def file_of(bake: Bake, folder: Path, level: int) -> Path:
    """The file of one level. Raises GelandeError when the bake points outside the recipe's folder."""
    inner = Path(bake.files)
    if inner.is_absolute() or ".." in inner.parts:
        raise GelandeError("its bake lies outside the recipe's folder; release the bake")
    return Path(folder) / f"{bake.files}-L{level}.npz"


def make(evaluator, job, node_id: str, finest: int, recipe_path: Path) -> Bake:
    """Evaluates a node up to a level and writes its results beside the recipe. Raises NodeError, Stopped or RecipeError."""
    recipe_path, state = Path(recipe_path), job.recipe.node(node_id)
    bare = replace(job, recipe=released(job.recipe, node_id))
    stem = re.sub(r"[^A-Za-z0-9_-]", "_", node_id)
    bake = Bake(evaluator.keys(bare.recipe, job.folder)[node_id], finest, f"{recipe_path.stem}.bakes/{stem}-{os.urandom(4).hex()}")
    written = []
    try:
        for level in range(COARSEST, finest + 1):
            arrays = evaluator.run(bare, node_id, level)

            def write(temporary: Path, arrays=arrays):
                with open(temporary, "wb") as file:
                    np.savez(file, **arrays)

            written.append(file_of(bake, recipe_path.parent, level))
            write_whole(written[-1], write)
    except BaseException as error:
        for file in written:
            file.unlink(missing_ok=True)
        if isinstance(error, OSError):
            raise RecipeError(f"{state.name} cannot be baked into {written[-1].parent}: {reason_of(error)}. Nothing was changed.") from None
        raise
    return bake


def read(bake: Bake, folder: Path, level: int, ports, kinds, shape, samples) -> dict:
    """Stored results at a level. Raises GelandeError saying what is missing and what to do."""
    if level > bake.finest:
        raise GelandeError(f"is baked up to {samples(bake.finest)} samples only; bake it again at {samples(level)}, or release the bake")
    file = file_of(bake, folder, level)
    try:
        with open(file, "rb") as opened, np.load(opened, allow_pickle=False) as found:
            arrays = {p.id: checked(kind, found[p.id], shape) for p, kind in zip(ports, kinds)}
            if "_surface" in found.files:
                arrays["_surface"] = checked("height", found["_surface"], shape)
            return arrays
    except OSError as error:
        raise GelandeError(f"its bake {file.name} cannot be read: {reason_of(error)}; bake it again or release the bake") from None
    except Exception:  # a damaged archive raises many things
        raise GelandeError(f"its bake {file.name} is damaged; bake it again or release the bake") from None


def set_bake(recipe: Recipe, node_id: str, bake: Bake) -> Recipe:
    """The recipe with a node that gives its stored results."""
    return recipe.with_node(node_id, replace(recipe.node(node_id), bake=bake))


def released(recipe: Recipe, node_id: str) -> Recipe:
    """The recipe with a node that computes again."""
    return recipe.with_node(node_id, replace(recipe.node(node_id), bake=None))


def asleep(recipe: Recipe) -> set[str]:
    """Nodes that only baked nodes follow: nothing of them is needed."""
    after: dict[str, list[str]] = {}
    for source, _, target, _ in recipe.links():
        after.setdefault(source, []).append(target)
    sleeping: set[str] = set()
    grown = True
    while grown:
        grown = {n for n, targets in after.items() if n not in sleeping
                 and all(recipe.nodes[t].bake is not None or t in sleeping for t in targets)}
        sleeping |= grown
    return sleeping
