"""Where the things of a recipe stand: the same places in a view and in every delivery."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gelande.kernels.discs import FULL, TILE, room, scattered, tiles_of
from gelande.kernels.picturefile import read_cutout
from gelande.kernels.rasterfile import RasterFileError

from ..errors import GelandeError
from ..files.outside import file_of
from ..recipe import walk
from ..recipe.model import Recipe
from ..recipe.site import Site
from ..recipe.things import ASKED, OWN, Placing
from .executor import Evaluator
from .job import Job

#: Things that a view shows of all layers at most.
MOST = 1_000_000
#: Places that are gone through for a layer at most, taken or not.
MOST_PLACES = 40_000_000


@dataclass(frozen=True, eq=False)
class Layer:
    """A layer of things. table: (n, 4) metres east and north, size and lot; left: why there is none, or ""; picture:
    (rows, columns, 4) red, green, blue and how solid it is, 0 to 1, of things of one's own kind."""

    node: str
    placing: Placing
    table: np.ndarray
    left: str = ""
    picture: np.ndarray | None = None


def pattern_of(recipe_seed: int, pattern: int) -> int:
    """Seed of the places of points."""
    return (recipe_seed * 7919 + pattern * 104_729) & 0x7FFFFFF


def placed(share: np.ndarray, site: Site, seed: int, placing: Placing, stop: np.ndarray | None = None) -> np.ndarray:
    """A layer's table for a whole site. share: of the places that are taken, of the whole site; seed: the recipe's.
    Raises Stopped."""
    pattern = pattern_of(seed, placing.pattern)
    found = scattered(share, (site.width, site.depth), placing.least, pattern, stop)
    size = placing.smallest + (placing.largest - placing.smallest) * found[:, 4]
    return np.stack([found[:, 0], found[:, 1], size, found[:, 3]], -1)


def layers_of(recipe: Recipe) -> list[str]:
    """Nodes that are layers of things, in order."""
    return [
        n
        for n in walk.in_order(recipe)
        if (state := recipe.nodes[n]).spec is not None and state.spec.places is not None and not state.off
    ]


def standing(evaluator: Evaluator, job: Job) -> list[Layer]:
    """All layers of things of a recipe. One that cannot be computed, or has too many of them, is empty and says why.
    Raises Stopped."""
    recipe, found, count = job.recipe, [], 0
    level = recipe.site.finest_within(ASKED)
    for node_id in layers_of(recipe):
        job.stop.check()
        state, table, left, picture = recipe.nodes[node_id], np.zeros((0, 4)), "", None
        assert state.spec is not None and state.spec.places is not None and state.spec.main is not None
        placing = state.spec.places(state.params)
        try:
            share = evaluator.result(job, node_id, level)[state.spec.main.id]
            left = _too_many(share, recipe.site, placing, MOST - count)
            if not left and placing.kind == OWN and placing.file:
                picture = read_cutout(file_of(placing.file, job.folder))
            if not left:
                table = placed(share, recipe.site, recipe.seed, placing, job.stop.flag)
        except (GelandeError, RasterFileError) as error:
            left = str(error)
        count += len(table)
        found.append(Layer(node_id, placing, table, left, picture))
    return found


def _too_many(share: np.ndarray, site: Site, placing: Placing, most: int) -> str:
    """Why a layer is not placed, or ""."""
    per_hectare, area = room(placing.least), site.width * site.depth / 1e4
    if float(share.mean()) * per_hectare * area > most:
        return f"more than {MOST:,} things are too many to be shown"
    if len(tiles_of(share, (site.width, site.depth), placing.least)) * TILE**2 * FULL / 2 > MOST_PLACES:
        return f"{placing.least:g} m between things make too many places on this site; choose a larger distance"
    return ""
