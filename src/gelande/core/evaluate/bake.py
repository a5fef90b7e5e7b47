"""Bakes: a node's results kept beside the recipe, so that what comes before it need not be evaluated.

One npz file a level under ``<recipe>.bakes/``. A bake says under which content key it was made; when the node or what
comes before it changes, the stored results stay and the difference is told.
"""

from __future__ import annotations

import os
import re
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from gelande.core.evaluate.job import Job

from ..errors import GelandeError, RecipeError
from ..files import arrays
from ..files.disk import read_bytes, reason_of, sweep
from ..recipe.model import Bake, Recipe
from ..recipe.raster import checked, expected_shape
from ..recipe.recipefile import LARGEST
from ..recipe.site import COARSEST
from ..recipe.walk import in_order


def file_of(bake: Bake, folder: Path, level: int) -> Path:
    """The file of one level. Raises GelandeError when the bake points outside the recipe's folder."""
    inner = Path(bake.files)
    if inner.is_absolute() or ".." in inner.parts:
        raise GelandeError("its bake lies outside the recipe's folder; release the bake")
    return Path(folder) / f"{bake.files}-L{level}.npz"


def make(evaluator, job: Job, node_id: str, finest: int, recipe_path: Path) -> Bake:
    """Evaluates a node up to a level and writes its results beside the recipe. Raises NodeError, Stopped or
    RecipeError."""
    recipe_path, state = Path(recipe_path), job.recipe.node(node_id)
    bare = replace(job, recipe=released(job.recipe, node_id))
    stem = re.sub(r"[^A-Za-z0-9_-]", "_", node_id)
    bake = Bake(
        evaluator.keys(bare.recipe, job.folder)[node_id],
        finest,
        f"{recipe_path.stem}.bakes/{stem}-{os.urandom(4).hex()}",
    )
    written: list[Path] = []
    sweep(recipe_path.parent / f"{recipe_path.stem}.bakes")
    try:
        for level in range(COARSEST, finest + 1):
            made = evaluator.run(bare, node_id, level)
            written.append(file_of(bake, recipe_path.parent, level))
            arrays.write(written[-1], made)
    except BaseException as error:
        for file in written:
            file.unlink(missing_ok=True)
        if isinstance(error, OSError):
            raise RecipeError(
                f"{state.name} cannot be baked into {written[-1].parent}: {reason_of(error)}. Nothing was changed."
            ) from None
        raise
    return bake


def read(
    bake: Bake, folder: Path, level: int, ports: tuple, kinds: list[str], shape: tuple[int, int], samples: Callable
) -> dict:
    """Stored results at a level. Raises GelandeError saying what is missing and what to do."""
    if level > bake.finest:
        raise GelandeError(
            f"is baked up to {samples(bake.finest)} samples only; bake it again at {samples(level)}, or release "
            "the bake"
        )
    file = file_of(bake, folder, level)
    wanted = {**{p.id: expected_shape(kind, shape) for p, kind in zip(ports, kinds)}, "_surface": shape}
    try:
        found = arrays.read(file, wanted)
        made = {p.id: checked(kind, found[p.id], shape) for p, kind in zip(ports, kinds)}
        if "_surface" in found:
            made["_surface"] = checked("height", found["_surface"], shape)
        return made
    except OSError as error:
        raise GelandeError(
            f"its bake {file.name} cannot be read: {reason_of(error)}; bake it again or release the bake"
        ) from None
    except (GelandeError, KeyError, ValueError) as error:
        why = f": {error}" if isinstance(error, GelandeError) else ""
        raise GelandeError(f"its bake {file.name} is damaged{why}; bake it again or release the bake") from None


def forget_unused(recipe_path: Path) -> int:
    """Removes stored results beside a recipe that no recipe in its folder refers to any more. Returns how many
    files went.

    For when the recipe was saved and nothing can be undone any more; what cannot be read counts as referring to
    everything."""
    recipe_path = Path(recipe_path)
    folder = recipe_path.parent / f"{recipe_path.stem}.bakes"
    files = list(folder.glob("*.npz"))
    if not files:
        return 0
    try:
        texts = [
            read_bytes(other, LARGEST).decode("utf-8", "replace") for other in recipe_path.parent.glob("*.gelande")
        ]
    except (OSError, GelandeError):
        return 0
    gone = 0
    for file in files:
        name = f"{folder.name}/{file.stem.rpartition('-L')[0]}"
        if not any(name in text for text in texts):
            file.unlink(missing_ok=True)
            gone += 1
    sweep(folder)
    if not any(folder.iterdir()):
        folder.rmdir()
    return gone


def set_bake(recipe: Recipe, node_id: str, bake: Bake) -> Recipe:
    """The recipe with a node that gives its stored results."""
    return recipe.with_node(node_id, replace(recipe.node(node_id), bake=bake))


def released(recipe: Recipe, node_id: str) -> Recipe:
    """The recipe with a node that computes again."""
    return recipe.with_node(node_id, replace(recipe.node(node_id), bake=None))


def overridden_by_bake(recipe: Recipe) -> set[str]:
    """Nodes that only baked nodes follow: nothing of them is needed."""
    after: dict[str, list[str]] = {}
    for source, _, target, _ in recipe.links():
        after.setdefault(source, []).append(target)
    sleeping: set[str] = set()
    for node_id in reversed(in_order(recipe)):
        if node_id in after and all(recipe.nodes[t].bake is not None or t in sleeping for t in after[node_id]):
            sleeping.add(node_id)
    return sleeping
