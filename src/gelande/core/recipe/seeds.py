"""Seeds: the recipe's, those of locked groups, and what each node starts from."""

from __future__ import annotations

from dataclasses import replace

from ..errors import RecipeError
from .choices import GROUPS, group_of
from .model import Recipe


def seed_for(recipe: Recipe, category: str) -> int:
    """The seed that is added to the own seeds of a category's nodes."""
    return dict(recipe.locks).get(group_of(category), recipe.seed)


def effective_seed(recipe: Recipe, node_id: str) -> int:
    """The node's seed with its group's added, unless the node opts out; 0 for a node without a seed."""
    state = recipe.nodes[node_id]
    spec = state.spec
    if spec is not None and not spec.has_seed:
        return 0
    follows = state.params.get("follow_seed", True)
    return int(state.params.get("seed", 0)) + (seed_for(recipe, spec.category if spec else "") if follows else 0)


def locked(recipe: Recipe, group: str, on: bool) -> Recipe:
    """The recipe with a group's seed held where it is now, or let go. Raises RecipeError for a group there is not."""
    if group not in GROUPS:
        raise RecipeError(f"There is no seed group called {group!r}; there are {', '.join(GROUPS)}.")
    held = {g: s for g, s in recipe.locks if g != group}
    if on:
        held[group] = dict(recipe.locks).get(group, recipe.seed)
    found = tuple((g, held[g]) for g in GROUPS if g in held)
    return recipe if found == recipe.locks else replace(recipe, locks=found)
