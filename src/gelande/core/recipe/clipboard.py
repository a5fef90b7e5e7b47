"""Copying nodes as text, so that they can be pasted into another recipe, another window, a library or a file."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from gelande.core.recipe.model import NodeState

from ..errors import RecipeError
from ..files.disk import reason_of, write_text
from . import graph, walk
from .blocks import NodeBlock
from .model import Recipe
from .node import Target
from .recipefile import LARGEST, node_block, parsed_json, pretty, read_node
from .recipefile import read_text as recipe_text

FORMAT = "gelande nodes"


def copy(recipe: Recipe, node_ids: list[str] | set[str], shared: bool = False) -> str:
    """The chosen nodes, groups with all that is in them, and the links among them, as JSON text.

    shared: for somebody else, so bakes, which lie beside the recipe, are left out."""
    wanted = walk.with_members(recipe, node_ids)
    chosen = [n for n in recipe.nodes if n in set(wanted)]
    block = {}
    for node_id in chosen:
        block[node_id] = node_block(recipe.nodes[node_id])
        block[node_id]["inputs"] = {
            port: text for port, text in block[node_id]["inputs"].items() if text.rpartition(".")[0] in chosen
        }
        for word in ("group", "frame"):
            if block[node_id].get(word) not in chosen:
                block[node_id].pop(word, None)
        if shared:
            block[node_id].pop("bake", None)
    return pretty({"format": FORMAT, "nodes": block})


def paste(
    recipe: Recipe, text: str, shift: tuple[float, float] = (0.0, 0.0), group: str = ""
) -> tuple[Recipe, list[str]]:
    """The recipe with copied nodes added under new ids in a group or in none. Returns it and the ids of the nodes
    that stand there (not those in groups among them). Raises RecipeError when the text holds no nodes."""
    try:
        if len(text) > LARGEST or FORMAT not in text:
            raise ValueError
        block = parsed_json(text, "copied text")
        if not isinstance(block, dict) or block.get("format") != FORMAT:
            raise ValueError
        graph.check_node_limit(recipe, len(block["nodes"]))
        parsed = {old: NodeBlock.model_validate(raw) for old, raw in block["nodes"].items()}
    except (ValueError, KeyError, TypeError, AttributeError):
        raise RecipeError("There are no copied nodes to paste.") from None
    except RecipeError as error:
        raise RecipeError(f"There are no copied nodes to paste: {error}") from None
    before = recipe
    names: dict[str, str] = {}
    for old, n in parsed.items():
        state = read_node(old, n, block["nodes"][old], recipe.site)
        names[old] = graph.fresh_id(recipe, n.kind)
        at = (state.at[0] + shift[0], state.at[1] + shift[1]) if state.group not in parsed else state.at
        recipe = recipe.with_node(names[old], replace(state, at=at))
    for old in parsed:  # all have their new ids now
        recipe = recipe.with_node(names[old], _renamed(recipe.nodes[names[old]], names, group))
    faults = graph.broken_links(recipe)
    if faults and not graph.broken_links(before):
        raise RecipeError(f"The copied nodes are damaged: {faults[0]}.")
    return recipe, [new for new in names.values() if recipe.nodes[new].group == group]


def _renamed(state: NodeState, names: dict, group: str) -> NodeState:
    """A pasted node with its links, group, frame and shown settings led to the new ids."""
    inputs = {port: (names[s], o) for port, (s, o) in state.inputs.items() if s in names}
    face = state.face
    if face is not None:
        face = replace(face, controls=tuple(Target(names[t.node], t.param) for t in face.controls if t.node in names))
    return replace(
        state, inputs=inputs, face=face, group=names.get(state.group, group), frame=names.get(state.frame, "")
    )


def write_group(recipe: Recipe, group_id: str, path: Path) -> None:
    """Writes a group as a file for a library or for somebody else. Raises RecipeError."""
    try:
        write_text(Path(path), copy(recipe, [group_id], shared=True) + "\n")
    except OSError as error:
        raise RecipeError(f"{path} cannot be written: {reason_of(error)}. Nothing was changed.") from None


def read_text(path: Path) -> str:
    """The text of a group file. Raises RecipeError with one sentence."""
    text = recipe_text(Path(path), "group")
    if FORMAT not in text:
        raise RecipeError(f"{path} is not a group file.")
    return text


def add_file(
    recipe: Recipe, path: Path, at: tuple[float, float] = (0.0, 0.0), group: str = ""
) -> tuple[Recipe, list[str]]:
    """The recipe with a group file's nodes added at a place."""
    recipe, new = paste(recipe, read_text(path), (0.0, 0.0), group)
    if not new:
        raise RecipeError(f"{path} holds no nodes.")
    left = min(recipe.nodes[n].at[0] for n in new)
    top = min(recipe.nodes[n].at[1] for n in new)
    return graph.move(
        recipe, {n: (recipe.nodes[n].at[0] - left + at[0], recipe.nodes[n].at[1] - top + at[1]) for n in new}
    ), new
