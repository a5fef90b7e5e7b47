"""Copying nodes as text, so that they can be pasted into another recipe or another window."""

from __future__ import annotations

import json

from . import graph
from .errors import GelandeError, RecipeError
from .graph import Recipe
from .recipe import NodeBlock, node_block, pretty, read_node

FORMAT = "gelande nodes"


def copy(recipe: Recipe, node_ids) -> str:
    """The chosen nodes, with the links among them, as JSON text."""
    chosen = [n for n in recipe.nodes if n in set(node_ids)]
    block = {}
    for node_id in chosen:
        block[node_id] = node_block(recipe.nodes[node_id])
        block[node_id]["inputs"] = {port: text for port, text in block[node_id]["inputs"].items()
                                    if text.rpartition(".")[0] in chosen}
    return pretty({"format": FORMAT, "nodes": block})


def paste(recipe: Recipe, text: str, shift=(0.0, 0.0)) -> tuple[Recipe, list[str]]:
    """The recipe with copied nodes added under new ids. Raises RecipeError when the text holds no nodes."""
    try:
        block = json.loads(text)
        if not isinstance(block, dict) or block.get("format") != FORMAT:
            raise ValueError
        parsed = {old: NodeBlock.model_validate(raw) for old, raw in block["nodes"].items()}
    except (ValueError, KeyError, AttributeError, RecursionError):
        raise RecipeError("There are no copied nodes to paste.") from None
    names: dict[str, str] = {}
    pending = []
    for old, n in parsed.items():
        state = read_node(old, n, block["nodes"][old], recipe.site)
        names[old] = graph.fresh_id(recipe, n.kind)
        at = (state.at[0] + shift[0], state.at[1] + shift[1])
        pending += [(old, port, source) for port, source in state.inputs.items()]
        recipe = recipe.with_node(names[old], graph.replace(state, at=at, inputs={}))
    for old, port, (source, output) in pending:
        if source not in names:
            continue
        try:
            recipe = graph.link(recipe, names[source], output, names[old], port)
        except GelandeError:
            state = recipe.nodes[names[old]]  # a node of an unknown kind keeps its links as they were copied
            recipe = recipe.with_node(names[old], graph.replace(state, inputs={**state.inputs, port: (names[source], output)}))
    return recipe, list(names.values())
