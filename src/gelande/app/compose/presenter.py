"""What Compose shows: which output of which node, and the words that say so. No window: a function of the recipe
and of what was chosen."""

from __future__ import annotations

from dataclasses import dataclass

from gelande.core.evaluate.query import last_node, last_of, most_worked_on
from gelande.core.evaluate.waiting import waiting
from gelande.core.recipe.kinds import output_port
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.raster import COLOUR, HEIGHT


@dataclass(frozen=True)
class Choice:
    """Choices of the person in the window. chosen: the node in the bench; held: the node that the view is held on;
    before: its input is shown as long as a key is down; colours: laid over heights; comparing: the chosen node is
    shown, whatever is held."""

    chosen: str = ""
    held: str = ""
    before: bool = False
    colours: bool = False
    comparing: bool = False


@dataclass(frozen=True)
class Presented:
    """An output to show. words: how it is called over the picture; name: what it is alone."""

    node: str
    port: str
    words: str
    name: str = ""


def present(recipe: Recipe, choice: Choice) -> Presented | None:
    """The output to show, or None when there is nothing."""
    waits = waiting(recipe)
    node_id = choice.chosen if choice.comparing and choice.chosen else choice.held or choice.chosen
    if node_id not in recipe.nodes:
        node_id = last_node(recipe)
    way = "held: " if choice.held == node_id else "looking at "
    if node_id in waits:
        way = f"{said(recipe, node_id, waits)}; looking at "
        node_id = most_worked_on(recipe, recipe.nodes.keys() - waits.keys(), node_id)
    state = recipe.nodes.get(node_id)
    spec = state.spec if state else None
    if spec is None or spec.main is None:
        return None
    port = spec.main.id
    source = _before(recipe, choice.chosen) if choice.before else None
    if source is not None and source[0] not in waits:
        (node_id, port), way = source, "input: "
    elif spec.places is not None and not choice.comparing:
        land = _land(recipe, waits)
        if land is not None:  # things are seen where they stand, and not as a mask
            words = f"{way}{recipe.nodes[node_id].name} on {recipe.nodes[land[0]].name}"
            return Presented(*land, words, recipe.nodes[land[0]].name)
    if choice.colours:
        node_id, port = _coloured(recipe, node_id, port)
    return Presented(node_id, port, way + recipe.nodes[node_id].name, recipe.nodes[node_id].name)


def against(recipe: Recipe, choice: Choice, shown: Presented) -> Presented | None:
    """The output that the shown one is compared with: what is held, else what comes into the shown node."""
    waits = waiting(recipe)
    if choice.held in recipe.nodes and choice.held != shown.node and choice.held not in waits:
        spec = recipe.nodes[choice.held].spec
        if spec is not None and spec.main is not None:
            name = recipe.nodes[choice.held].name
            return Presented(choice.held, spec.main.id, f"held: {name}", name)
    source = _before(recipe, shown.node)
    if source is None or source[0] in waits:
        return None
    name = recipe.nodes[source[0]].name
    return Presented(*source, f"before: {name}", name)


def said(recipe: Recipe, node_id: str, waits: dict[str, str]) -> str:
    """The input that a waiting node needs, as a sentence without its end."""
    name, words = recipe.nodes[node_id].name, waits[node_id]
    return f"{name}: {words} first" if words.startswith("link") else f"{name} {words}"


def _before(recipe: Recipe, node_id: str) -> tuple[str, str] | None:
    """The output linked to a node's base input, or into its first."""
    state = recipe.nodes.get(node_id)
    if state is None or state.spec is None:
        return None
    return state.inputs.get(state.spec.base) or next(iter(state.inputs.values()), None)


def _land(recipe: Recipe, waits: dict[str, str]) -> tuple[str, str] | None:
    """The recipe's last colour, else its last height, when it does not wait."""
    last = last_of(recipe)
    found = last.get(COLOUR) or last.get(HEIGHT)
    return found if found is not None and found[0] not in waits else None


def _coloured(recipe: Recipe, node_id: str, port: str) -> tuple[str, str]:
    """The recipe's last colour in place of a height."""
    out, last = output_port(recipe, node_id, port), last_node(recipe)
    main = recipe.nodes[last].spec.main if last and recipe.nodes[last].spec else None
    if out is None or out.kind != HEIGHT or main is None:
        return node_id, port
    over = output_port(recipe, last, main.id)
    return (last, main.id) if over is not None and over.kind == COLOUR else (node_id, port)
