"""Links between ports of different kinds: the node that turns one kind into the other is put between. Nothing is
converted silently."""

from __future__ import annotations

from ..errors import RecipeError
from . import graph, kinds
from .model import Recipe
from .node import registry, spec_of


def between(kind: str, wanted: str) -> str:
    """The kind of node that turns a kind of data into another, or "" when there is none, or none is needed."""
    if kind == wanted:
        return ""
    for name, spec in sorted(registry().items()):
        if spec.converts and spec.inputs[0].kind == kind and spec.result.kind == wanted:
            return name
    return ""


def can_link_through(recipe: Recipe, source: str, output: str, target: str, port: str) -> bool:
    """True when a link may be made, if need be by way of a node that converts."""
    if not graph.can_link(recipe, source, output, target, port):
        return True
    spec = recipe.nodes[target].spec if target in recipe.nodes else None
    into = spec.input(port) if spec is not None else None
    out = kinds.output_port(recipe, source, output)
    return into is not None and out is not None and bool(between(out.kind, into.kind))


def linked_through(recipe: Recipe, source: str, output: str, target: str, port: str) -> tuple[Recipe, str]:
    """The recipe with a link, by way of a node that converts where the kinds do not fit. Returns it and the name of
    that node, or "". Raises RecipeError when neither can be."""
    try:
        return graph.link(recipe, source, output, target, port), ""
    except RecipeError:
        kind = between(kinds.kind_at(recipe, source, output), recipe.nodes[target].declared.entry(port).kind)
        if not kind:
            raise
    spec, state = spec_of(kind), recipe.nodes[target]
    if spec is None:
        raise RecipeError(f"This version of Gelande knows no node called {kind}.")
    recipe, middle = graph.add(recipe, kind, state.at, group=state.group)
    recipe = graph.link(recipe, source, output, middle, spec.inputs[0].id)
    return graph.link(recipe, middle, spec.result.id, target, port), spec.name
