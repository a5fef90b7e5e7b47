"""What a new node is linked to and where it comes to stand. No Qt."""

from __future__ import annotations

from gelande.core.errors import RecipeError
from gelande.core.recipe import graph, group
from gelande.core.recipe.convert import between, linked_through
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.node import CAIRN, ENTRY, FRAME, GROUP, NodeSpec, Port

from .sheet import PortAt, SheetModel, made_room, place_for

#: How a node would take a link: by its main port, by another one, or not at all.
MAIN, ALSO, NOT = 0, 1, 2


def inputs_by_rank(spec: NodeSpec) -> list[Port]:
    """A node's inputs, the main one first and the masks that every node has last."""
    own = sorted(spec.inputs, key=lambda p: p.id != spec.base)
    return own + [p for p in spec.all_inputs if p not in own]


def outputs_by_rank(spec: NodeSpec) -> list[Port]:
    """A node's outputs, the main one first."""
    return sorted(spec.outputs, key=lambda p: spec.main is not None and p.id != spec.main.id)


def offered(spec: NodeSpec, inside: str) -> bool:
    """True when a search offers a node at all, from inside a group or not."""
    return spec.role not in (GROUP, FRAME) and (spec.role != ENTRY or bool(inside))


def fit(sheet: SheetModel, spec: NodeSpec, held: PortAt) -> int:
    """Rank of the way in which a node of a kind takes a link from a port: MAIN, ALSO or NOT."""
    node_id, port, output = held
    # it describes what the selected node reads
    if output and reading(sheet.recipe, node_id, spec.kind):
        return ALSO
    if output:
        kind = group.kind_of(sheet.whole, node_id, port)
        ports = [p for p in inputs_by_rank(spec) if not p.reads]
        takes = [p.takes(kind) for p in ports]
        if ports and not any(takes) and between(kind, ports[0].kind):
            # by way of a node that converts
            return ALSO
    else:
        declared = sheet.recipe.nodes[node_id].spec
        into = declared.input(port) if declared else None
        if into is not None and into.reads:
            return MAIN if spec.kind == into.reads else NOT
        takes = [into is not None and into.takes(p.kind) for p in outputs_by_rank(spec)]
    return MAIN if takes and takes[0] else ALSO if any(takes) else NOT


def selected_port(sheet: SheetModel) -> PortAt | None:
    """The main output of the selected node, which a new node is linked to; None when there is none."""
    state = sheet.recipe.nodes.get(sheet.chosen)
    if state is None or state.spec is None or not state.spec.outputs or sheet.chosen == sheet.inside:
        return None
    if state.role == CAIRN:
        return None
    return sheet.chosen, state.spec.result.id, True


def sources(sheet: SheetModel, node_id: str, port: str) -> list[tuple[str, str, str]]:
    """(node, output, words) of the outputs on the sheet that an input may be linked to, the nearest above it first."""
    found = []
    here = sheet.rects.cells[node_id].row
    # nearest above first, as links run down
    for other, cell in sheet.rects.cells.items():
        spec = sheet.recipe.nodes[other].spec
        for out in spec.outputs if spec is not None and other not in (node_id, sheet.inside) else ():
            ends = (other, out.id, *sheet.scene.input_end(node_id, port))
            if not graph.can_link(sheet.whole, *ends):
                name = sheet.recipe.nodes[other].name
                alone = len(spec.outputs) == 1
                found.append(
                    (cell.row > here, abs(here - cell.row), other, out.id, name if alone else f"{name}: {out.label}")
                )
    return [(other, out, words) for _, _, other, out, words in sorted(found)]


def joined(sheet: SheetModel, recipe: Recipe, node_id: str, held: PortAt) -> Recipe:
    """The recipe with a new node linked to a port by the first of its ports that fits, if one does."""
    other, port, output = held
    spec = recipe.nodes[node_id].spec
    if spec is None:
        return recipe
    # What takes one kind of node alone is tried first: what describes rock is no land.
    into = sorted(inputs_by_rank(spec), key=lambda p: not p.reads)
    for q in into if output else outputs_by_rank(spec):
        ends = (other, port, node_id, q.id) if output else (node_id, q.id, *sheet.scene.input_end(other, port))
        try:
            return graph.link(recipe, *ends)
        except RecipeError:
            continue
    first = [p for p in inputs_by_rank(spec) if not p.reads][:1] if output else []
    for q in first:  # by way of a node that converts
        try:
            return linked_through(recipe, other, port, node_id, q.id)[0]
        except RecipeError:
            continue
    return recipe


def reading(recipe: Recipe, node_id: str, kind: str) -> str:
    """The free input of a node that reads what nodes of a kind describe, or ""."""
    state = recipe.nodes[node_id]
    ports = state.spec.inputs if state.spec else ()
    return next((p.id for p in ports if p.reads == kind and p.id not in state.inputs), "")


def added(
    sheet: SheetModel, recipe: Recipe, kind: str, held: PortAt | None, place: tuple[float, float], below: str = ""
) -> tuple[Recipe, str]:
    """A new node, linked to a port if one is held, where it comes to stand: below what it is linked to (above, when it
    feeds it), below another node, or at a place on the sheet. Returns the recipe and the node's id."""
    recipe, node_id = graph.add(recipe, kind, group=sheet.inside)
    if held and held[2] and (reads := reading(recipe, held[0], kind)):  # it is there for what is selected
        held = (held[0], reads, False)
    if held:
        recipe = joined(sheet, recipe, node_id, held)
    beside = held[0] if held else below
    if beside:
        at = place_for(recipe, sheet.inside, node_id, beside, bool(held and not held[2]))
    else:
        at = sheet.place_at(recipe, node_id, *place)
    return made_room(graph.move(recipe, {node_id: at}), sheet.inside, (node_id,)), node_id
