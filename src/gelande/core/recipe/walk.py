"""Walks over a recipe's graph: what comes before and after a node, in which order, and what stands in which group."""

from __future__ import annotations

import weakref
from collections.abc import Iterator, Mapping

from .model import NodeState, Recipe

#: Groups stand in groups at most so deep.
MOST_NESTED = 32


def upstream(recipe: Recipe, node_id: str) -> set[str]:
    """The node and everything it depends on."""
    seen, todo = set(), [node_id]
    while todo:
        current = todo.pop()
        if current in seen or current not in recipe.nodes:
            continue
        seen.add(current)
        todo.extend(source for source, _ in recipe.nodes[current].inputs.values())
    return seen


def downstream(recipe: Recipe, node_id: str) -> set[str]:
    """The node and everything that depends on it."""
    targets: dict[str, list[str]] = {}
    for source, _, target, _ in recipe.links():
        targets.setdefault(source, []).append(target)
    seen, todo = set(), [node_id]
    while todo:
        current = todo.pop()
        if current not in seen:
            seen.add(current)
            todo.extend(targets.get(current, ()))
    return seen


def in_order(recipe: Recipe) -> list[str]:
    """Node ids so that every node comes after what it depends on; ties by id."""
    known = _orders.get(recipe)
    if known is None:
        known = _orders[recipe] = _in_order(recipe.nodes)
    return list(known)


_orders: weakref.WeakKeyDictionary[Recipe, list[str]] = weakref.WeakKeyDictionary()


def _in_order(nodes: Mapping[str, NodeState]) -> list[str]:
    order: list[str] = []
    done: set[str] = set()

    def sources(node_id: str) -> Iterator[str]:
        inputs = nodes[node_id].inputs.values()
        return iter(sorted(s for s, _ in inputs if s in nodes) if inputs else ())

    for first in sorted(nodes):
        if first in done:
            continue
        done.add(first)
        stack = [(first, sources(first))]
        while stack:
            for source in stack[-1][1]:
                if source not in done:
                    done.add(source)
                    stack.append((source, sources(source)))
                    break
            else:
                order.append(stack.pop()[0])
    return order


def reach(recipe: Recipe) -> dict[str, int]:
    """Number of nodes each node depends on, itself among them: the most worked-on has most."""
    bits: dict[str, int] = {}
    for k, node_id in enumerate(in_order(recipe)):
        bits[node_id] = 1 << k
        for source, _ in recipe.nodes[node_id].inputs.values():
            bits[node_id] |= bits.get(source, 0)
    return {node_id: found.bit_count() for node_id, found in bits.items()}


def nearest_above(recipe: Recipe, source: tuple[str, str] | None, kind: str) -> NodeState | None:
    """The first node of a kind up the main line from an output (node id, output id); None when there is none."""
    for _ in recipe.nodes:  # no line is longer
        if source is None or source[0] not in recipe.nodes:
            break
        state = recipe.nodes[source[0]]
        if state.kind == kind:
            return state
        source = state.inputs.get(state.spec.way_in(source[1])) if state.spec else None
    return None


def enclosing_groups(recipe: Recipe, node_id: str) -> list[str]:
    """The groups around a node, the nearest first; ends when they make a circle."""
    found: list[str] = []
    current = recipe.nodes[node_id].group
    while current and current not in found and len(found) <= MOST_NESTED:
        found.append(current)
        current = recipe.nodes[current].group
    return found


def with_members(recipe: Recipe, node_ids: list[str] | set[str]) -> list[str]:
    """The nodes and, before each group, all that stands in it."""
    members: dict[str, list[str]] = {}
    for n, state in recipe.nodes.items():
        if state.group:
            members.setdefault(state.group, []).append(n)
    found: dict[str, None] = {}
    todo = [(n, False) for n in reversed(list(node_ids))]
    while todo:
        node_id, opened = todo.pop()
        if opened or node_id not in members:
            found.setdefault(node_id)
        elif node_id not in found:
            todo.append((node_id, True))
            todo.extend((n, False) for n in reversed(members[node_id]))
    return list(found)
