"""Kinds of data along links: nodes that take anything pass on the kind that comes to them."""

from __future__ import annotations

import weakref
from dataclasses import replace

from ..errors import RecipeError
from .model import Recipe
from .node import Port
from .walk import in_order


def output_port(recipe: Recipe, node_id: str, port_id: str) -> Port | None:
    """An output with its kind resolved: a junction's is that of what it passes on."""
    state = recipe.nodes.get(node_id)
    spec = state.spec if state else None
    port = spec.output(port_id) if spec else None
    if port is None or port.kind != "any":
        return port
    return replace(port, kind=_passed_kinds(recipe)[0].get((node_id, port_id), "any"))


def kind_at(recipe: Recipe, node_id: str, port_id: str) -> str:
    """The kind of data at an output. Raises RecipeError when there is no such output."""
    port = output_port(recipe, node_id, port_id)
    if port is None:
        raise RecipeError(f"{recipe.node(node_id).name} has no output called {port_id}.")
    return port.kind


def wanted_after(recipe: Recipe, node_id: str, port_id: str) -> frozenset[str]:
    """Kinds that are asked for at the far ends of what passes through a port that takes anything."""
    return _passed_kinds(recipe)[1].get((node_id, port_id), frozenset())


_kinds: weakref.WeakKeyDictionary = weakref.WeakKeyDictionary()


def _passed_kinds(recipe: Recipe) -> tuple[dict, dict]:
    """For every output that passes things on: the kind that comes to it, and the kinds asked for after it. One pass
    down the graph and one up, so that chains of junctions cost no more than their length."""
    known = _kinds.get(recipe)
    if known is not None:
        return known
    comes: dict = {}
    wanted: dict = {}
    order = in_order(recipe)
    for node_id in order:
        state = recipe.nodes[node_id]
        for port in state.spec.outputs if state.spec else ():
            if port.kind == "any":
                source = state.inputs.get(port.id)
                before = recipe.nodes[source[0]].spec if source and source[0] in recipe.nodes else None
                found = before.output(source[1]) if before is not None and source else None
                comes[node_id, port.id] = found.kind if found and found.kind != "any" else comes.get(source, "any")
    for node_id in reversed(order):
        state = recipe.nodes[node_id]
        for port_id, source in state.inputs.items():
            into = state.spec.input(port_id) if state.spec else None
            if into is not None:
                kinds = frozenset((into.kind,)) if into.kind != "any" else wanted.get((node_id, port_id), frozenset())
                wanted[source] = wanted.get(source, frozenset()) | kinds
    _kinds[recipe] = comes, wanted
    return comes, wanted
