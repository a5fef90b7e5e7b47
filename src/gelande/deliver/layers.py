"""Deliverables that are made from a layer of things: the layer says how its points are placed."""

from __future__ import annotations

from typing import Any

from gelande.core.recipe.deliverables import Deliverable
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.things import Placing

#: Formats that write points, by how their names begin.
POINTS = "points_"


def placing_of(recipe: Recipe, node_id: str) -> Placing | None:
    """How the things of a node are placed; None when it is no layer of things."""
    state = recipe.nodes.get(node_id)
    if state is None or state.spec is None or state.spec.places is None:
        return None
    return state.spec.places(state.params)


def options_of(recipe: Recipe, d: Deliverable) -> dict[str, Any]:
    """A deliverable's options; of points, with those that its layer of things gives."""
    placing = placing_of(recipe, d.node) if d.format.startswith(POINTS) else None
    return {**dict(d.options), **(placing.options if placing is not None else {})}
