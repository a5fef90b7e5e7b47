"""Which nodes cannot be computed yet because something has not been linked, or is still being prepared for this
computer. That is no failure: it is what a node is like while a recipe is being made."""

from __future__ import annotations

from collections.abc import Collection

from ..recipe.model import NodeState, Recipe
from ..recipe.node import ENTRY, GROUND_PORT, GROUP, MASK_PORT, WHERE_ALL
from ..recipe.site import COARSEST
from ..recipe.walk import in_order
from .plan import ground_source, has_no_part, is_restricted, passes
from .restrict import BY_GROUND

#: Kinds of nodes that are not prepared for this computer yet.
_unprepared: frozenset[str] = frozenset()
PREPARED = "is being prepared"


def set_unprepared(kinds: Collection[str]) -> None:
    """Tells which kinds of nodes are still being prepared at the first start; they wait until they are."""
    global _unprepared
    _unprepared = frozenset(kinds)


def waiting(recipe: Recipe) -> dict[str, str]:
    """The input that each waiting node needs, in a few words, by node; others are left out."""
    found: dict[str, str] = {}
    lacking: set[str] = set()
    for node_id in in_order(recipe):
        state = recipe.nodes[node_id]
        if state.spec is None or state.bake is not None or not state.spec.outputs:
            continue
        if state.off or has_no_part(state):
            way = passes(recipe, node_id)
            sources = [way[0]] if way else []
        else:
            if state.kind in _unprepared:
                found[node_id] = PREPARED
                continue
            lack = _lack(recipe, state)
            if lack:
                found[node_id] = f"link its {lack}"
                lacking.add(node_id)
                continue
            unused = _unused(recipe, state)
            sources = [source for port, (source, _) in state.inputs.items() if port not in unused]
        held_up = next((s for s in sources if s in found), None)
        if held_up is None:
            continue
        entry = _own_entry(recipe, node_id, held_up, found, lacking)
        found[node_id] = f"link its {recipe.nodes[entry].name}" if entry else f"waits for {recipe.nodes[held_up].name}"
    return found


def _lack(recipe: Recipe, state: NodeState) -> str:
    """The first input that must be linked and is not, or ""."""
    spec = state.declared
    if state.role == GROUP:
        return next((f"{p.label} inside" for p in spec.outputs if p.id not in state.inputs), "")
    lack = next((p.label for p in spec.inputs if not p.optional and p.id not in state.inputs), "")
    if not lack and state.params.get("where", WHERE_ALL) in BY_GROUND and ground_source(recipe, state) is None:
        return "Ground"
    return lack


def _unused(recipe: Recipe, state: NodeState) -> set[str]:
    """Inputs that it does not look at as it is set: of its own, and those for Where."""
    spec = state.declared
    if not spec.restrictable:
        return set()
    where, own = state.params.get("where", WHERE_ALL), {p.id for p in spec.inputs}
    reads = state.reads(recipe.site)
    asked = own if reads.asks is None else set(reads.asks(COARSEST))
    asked |= {*reads.low_passed, *reads.ranged}
    idle = own - asked - ({spec.base} if is_restricted(state) else set())
    idle |= {GROUND_PORT.id} if where not in BY_GROUND else set()
    return idle | ({MASK_PORT.id} if where == WHERE_ALL else set())


def _own_entry(recipe: Recipe, node_id: str, held_up: str, found: dict[str, str], lacking: set[str]) -> str:
    """The entry of a group that holds up one of its outputs because nothing is linked to it from outside, or ""."""
    if recipe.nodes[node_id].role != GROUP:
        return ""
    todo, seen = [held_up], set()
    while todo:
        current = todo.pop()
        if current in seen or current not in found:
            continue
        seen.add(current)
        state = recipe.nodes[current]
        if current in lacking and state.role == ENTRY and state.group == node_id:
            return current
        todo.extend(source for source, _ in state.inputs.values())
    return ""
