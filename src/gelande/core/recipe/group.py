"""Groups, frames and cairns: packing nodes behind one card, and what of a recipe is seen from inside a group.

A group is a node whose inputs are the ends of its own outputs, and its members stay nodes of the recipe that name it as
their group. What comes in passes through an entry, a node inside. So evaluation, keys and undo know nothing of groups.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from ..errors import RecipeError
from .deliverables import remap_sources
from .graph import add, can_link, check_node_limit, fresh_id, link, relink
from .kinds import output_port, wanted_after
from .model import ROW, NodeState, Recipe
from .node import CAIRN, ENTRY, FRAME, GROUP, Face, Port, Target
from .walk import MOST_NESTED, downstream, enclosing_groups, upstream, with_members

THROUGH = "through"


def path(recipe: Recipe, group_id: str) -> list[str]:
    """Group ids from the outermost to this one."""
    return [*reversed(enclosing_groups(recipe, group_id)), group_id] if group_id in recipe.nodes else []


def entries(recipe: Recipe, group_id: str) -> list[str]:
    """A group's entries from top to bottom: its input ports."""
    found = [n for n, s in recipe.nodes.items() if s.group == group_id and s.role == ENTRY]
    return sorted(found, key=lambda n: (recipe.nodes[n].at[1], n))


def kind_of(recipe: Recipe, node_id: str, port: str) -> str:
    """The kind of data at an output that passes things on: what comes in, else what those after it ask for."""
    found = output_port(recipe, node_id, port)
    if found is not None and found.kind != "any":
        return found.kind
    wanted = sorted(wanted_after(recipe, node_id, port))
    return wanted[0] if len(wanted) == 1 else "any"


def pack(recipe: Recipe, node_ids: list[str], name: str = "Group") -> tuple[Recipe, str]:
    """Packs chosen nodes, which stand in the same group or in none, into a new group. Returns recipe and the
    group's id."""
    chosen = [n for n in recipe.nodes if n in set(node_ids)]
    around = {recipe.nodes[n].group for n in chosen}
    if not chosen or len(around) != 1:
        raise RecipeError("Select the nodes to pack first; they must stand side by side.")
    if any(recipe.nodes[n].role == ENTRY for n in chosen):
        raise RecipeError("Entries belong to the group they stand in; leave them out of the new group.")
    home, inside = around.pop(), set(with_members(recipe, chosen))
    before, after = set(), set()
    for n in inside:
        before |= upstream(recipe, n)
        after |= downstream(recipe, n)
    between = sorted(recipe.nodes[n].name for n in (before & after) - inside)
    # a node outside that lies on the way would make the group its own source
    if between:
        raise RecipeError(
            f"{between[0]} stands between the selected nodes; select it as well, so that the group is in one piece."
        )
    check_node_limit(recipe, 1)
    group_id = fresh_id(recipe, "group")
    left = min(recipe.nodes[n].at[0] for n in chosen)
    top = min(recipe.nodes[n].at[1] for n in chosen)
    if home and len(enclosing_groups(recipe, home)) + 2 > MOST_NESTED:
        raise RecipeError(f"Groups can stand in each other {MOST_NESTED} deep at most; pack these nodes farther out.")
    recipe = recipe.with_node(group_id, NodeState("group", name, (left, top), group=home, face=Face()))
    for n in chosen:
        state = recipe.nodes[n]
        recipe = recipe.with_node(
            n,
            replace(
                state,
                group=group_id,
                frame="" if state.frame not in inside else state.frame,
                at=(state.at[0] - left, state.at[1] - top),
            ),
        )
    recipe = _with_entries(recipe, group_id, inside)
    outputs = _with_outputs(recipe, group_id, inside)
    return outputs, group_id


def _with_entries(recipe: Recipe, group_id: str, inside: set) -> Recipe:
    """Leads every link that comes in from outside, cairns left out, through an entry."""
    made: dict = {}
    for source, output, target, port in list(recipe.links()):
        if target not in inside or source in inside or source == group_id or recipe.nodes[source].role == CAIRN:
            continue
        # one entry for an output, however many members take it
        if (source, output) not in made:
            spec = recipe.nodes[target].spec
            into = spec.input(port) if spec else None
            label = into.label if into else port
            taken = {recipe.nodes[n].name for n in made.values()}
            # two entries of one name could not be told apart on the card
            if label in taken:
                label = f"{recipe.nodes[target].name} {label.lower()}"
            recipe, entry = add(recipe, "entry", (0.0, ROW * len(made)), name=label, group=group_id)
            made[source, output] = entry
            recipe = link(recipe, source, output, entry, THROUGH)
        recipe = relink(recipe, target, port, (made[source, output], THROUGH))
    return recipe


def _with_outputs(recipe: Recipe, group_id: str, inside: set) -> Recipe:
    """Gives the group an output for each one that is used outside, or for the last nodes when none is."""
    used: dict = {}
    for source, output, target, port in list(recipe.links()):
        if source in inside and target not in inside and target != group_id and recipe.nodes[source].role != CAIRN:
            used.setdefault((source, output), []).append((target, port))
    # a group whose results nobody takes yet gives those of its last nodes
    if not used:
        feeding = {s for s, _, t, _ in recipe.links() if t in inside}
        specs = {n: recipe.nodes[n].spec for n in sorted(inside) if n not in feeding}
        used = {(n, spec.result.id): [] for n, spec in specs.items() if spec and spec.outputs}
    for source, output in used:
        recipe, port = add_output(recipe, group_id, source, output)
        for target, into in used[source, output]:
            recipe = relink(recipe, target, into, (group_id, port))
    return recipe


def add_output(recipe: Recipe, group_id: str, source: str, output: str) -> tuple[Recipe, str]:
    """Gives a group another output, fed by a member's output. Returns the recipe and the new port's id."""
    state, member = recipe.node(group_id), recipe.node(source)
    # numbers are not used again: links, controls and deliverables name them
    port_id = f"out_{1 + max((int(p.id.split('_')[1]) for p in state.faced.outputs), default=0)}"
    found = output_port(recipe, source, output)
    label = (
        f"{member.name} {found.label.lower()}"
        if member.spec and found and found.id != member.spec.result.id
        else member.name
    )
    ports = (*state.faced.outputs, Port(port_id, label, "any"))
    recipe = recipe.with_node(group_id, replace(state, face=replace(state.faced, inputs=ports, outputs=ports)))
    why = can_link(recipe, source, output, group_id, port_id)
    if why:
        raise RecipeError(f"{state.name}: {why}.")
    return link(recipe, source, output, group_id, port_id), port_id


def unpack(recipe: Recipe, group_id: str) -> Recipe:
    """Puts a group's members back where the group stands, and joins their links."""
    state = recipe.node(group_id)
    if state.face is None:
        raise RecipeError(f"{state.name} is not a group.")
    members = [n for n, s in recipe.nodes.items() if s.group == group_id]
    # what only passes on goes: its ends are joined
    passing = [n for n in members if recipe.nodes[n].role == ENTRY] + [group_id]
    left = min((recipe.nodes[n].at[0] for n in members if n not in passing), default=0.0)
    top = min((recipe.nodes[n].at[1] for n in members if n not in passing), default=0.0)
    for n in members:
        s = recipe.nodes[n]
        recipe = recipe.with_node(
            n, replace(s, group=state.group, at=(s.at[0] - left + state.at[0], s.at[1] - top + state.at[1]))
        )
    for gone in passing:
        for source, output, target, port in list(recipe.links()):
            if source == gone:
                recipe = relink(recipe, target, port, recipe.nodes[gone].inputs.get(output))
    orders = remap_sources(recipe.deliverables, lambda s: recipe.nodes[s[0]].inputs.get(s[1]) if s[0] in passing else s)
    return replace(recipe, nodes={n: s for n, s in recipe.nodes.items() if n not in passing}, deliverables=orders)


def show_setting(recipe: Recipe, group_id: str, node_id: str, param_id: str, on: bool = True) -> Recipe:
    """Shows a member's setting among the group's own, or takes it away."""
    state = recipe.node(group_id)
    kept = tuple(t for t in state.faced.controls if (t.node, t.param) != (node_id, param_id))
    controls = (*kept, Target(node_id, param_id)) if on else kept
    return recipe.with_node(group_id, replace(state, face=replace(state.faced, controls=controls)))


def frame(recipe: Recipe, node_ids: list[str], title: str = "Frame") -> tuple[Recipe, str]:
    """Puts a frame around chosen nodes."""
    chosen = [n for n in recipe.nodes if n in set(node_ids) and recipe.nodes[n].role != FRAME]
    if not chosen:
        raise RecipeError("Select the cards to frame first.")
    recipe, frame_id = add(recipe, "frame", recipe.nodes[chosen[0]].at, name=title, group=recipe.nodes[chosen[0]].group)
    for n in chosen:
        recipe = recipe.with_node(n, replace(recipe.nodes[n], frame=frame_id))
    framing = {s.frame for s in recipe.nodes.values()}
    return replace(recipe, nodes={n: s for n, s in recipe.nodes.items() if s.role != FRAME or n in framing}), frame_id


def set_cairn(recipe: Recipe, node_id: str, output: str, at: tuple[float, float] = (0.0, 0.0)) -> tuple[Recipe, str]:
    """Sets a cairn on an output, named after it; the name is made unique."""
    state = recipe.node(node_id)
    port, main = output_port(recipe, node_id, output), state.declared.result
    name = state.name if main.id == output or port is None else f"{state.name} {port.label.lower()}"
    taken, n, plain = {s.name for s in recipe.nodes.values() if s.role == CAIRN}, 2, name
    while name in taken:
        name, n = f"{plain} {n}", n + 1
    recipe, cairn = add(recipe, "cairn", at, name=name, group=state.group)
    return link(recipe, node_id, output, cairn, THROUGH), cairn


def cairns_for(recipe: Recipe, target: str, port: str) -> list[str]:
    """Cairns that an input may be linked to, by name."""
    found = [n for n, s in recipe.nodes.items() if s.role == CAIRN and not can_link(recipe, n, THROUGH, target, port)]
    return sorted(found, key=lambda n: recipe.nodes[n].name)


@dataclass
class Scene:
    """The cards that are seen from inside a group ("" for the whole recipe): a recipe of the cards that show, with a
    group's ports on its card, and the links that are told by a flag with a name: (node, port) -> (source node,
    output)."""

    recipe: Recipe
    inside: str = ""
    flags: dict = field(default_factory=dict)

    def input_end(self, node_id: str, port: str) -> tuple[str, str]:
        """The node and input of the real recipe behind an input of a card."""
        state = self.recipe.nodes.get(node_id)
        if state is not None and state.role == GROUP and node_id != self.inside:
            return port, THROUGH
        return node_id, port


def _closing(shown: dict[str, NodeState]) -> list[tuple[str, str]]:
    """Inputs of cards (node, port) whose links close a circle of cards: nodes in a group may stand on both sides of one
    outside, so that nodes make no circle and cards do. Those links are told by name instead of drawn."""
    found: list[tuple[str, str]] = []
    over: set[str] = set()
    begun: set[str] = set()
    if not any(state.role == GROUP for state in shown.values()):
        return found
    for first in sorted(shown):
        begun.add(first)
        way = [(first, iter(sorted(shown[first].inputs.items())))] if first not in over else []
        while way:
            node_id, left = way[-1]
            port, source = next(left, ("", ("", "")))
            if not port:
                over.add(node_id)
                way.pop()
            elif source[0] in begun and source[0] not in over:
                found.append((node_id, port))
            elif source[0] in shown and source[0] not in over:
                begun.add(source[0])
                way.append((source[0], iter(sorted(shown[source[0]].inputs.items()))))
    return found


def scene(recipe: Recipe, inside: str = "") -> Scene:
    """The cards and links that show from inside a group."""
    shown, flags = {}, {}
    for node_id, state in recipe.nodes.items():
        if state.group != inside:
            continue
        if state.role == GROUP:
            ways = {n: recipe.nodes[n].inputs.get(THROUGH) for n in entries(recipe, node_id)}
            face = Face(
                tuple(Port(n, recipe.nodes[n].name, kind_of(recipe, n, THROUGH)) for n in ways),
                tuple(replace(p, kind=kind_of(recipe, node_id, p.id)) for p in state.faced.outputs),
                state.faced.controls,
            )
            state = replace(state, face=face, inputs={n: source for n, source in ways.items() if source})
        elif state.role == ENTRY:
            state = replace(
                state, face=Face((), (Port(THROUGH, state.name, kind_of(recipe, node_id, THROUGH)),)), inputs={}
            )
        elif state.spec is not None and state.spec.role and state.spec.output(THROUGH):
            kind = kind_of(recipe, node_id, THROUGH)
            state = replace(state, face=Face((Port(THROUGH, "In", kind),), (Port(THROUGH, "Out", kind),)))
        shown[node_id] = state
    if inside in recipe.nodes:
        home = recipe.nodes[inside]
        bottom = max((s.at[1] for s in shown.values()), default=-ROW)
        ports = tuple(replace(p, kind=kind_of(recipe, inside, p.id)) for p in home.faced.outputs)
        shown[inside] = replace(home, at=(0.0, bottom + ROW), face=Face(ports, ()), group=inside, frame="")
    for node_id, state in list(shown.items()):
        # of a group that one stands in only the plate of its outputs shows, from which no link can leave
        far = {s[0] for s in state.inputs.values() if s[0] not in shown or s[0] == inside}
        hidden = {p: s for p, s in state.inputs.items() if s[0] in far or recipe.nodes[s[0]].role == CAIRN}
        if hidden:
            flags.update({(node_id, p): s for p, s in hidden.items()})
            shown[node_id] = replace(state, inputs={p: s for p, s in state.inputs.items() if p not in hidden})
    for node_id, port in _closing(shown):
        inputs = dict(shown[node_id].inputs)
        flags[node_id, port] = inputs.pop(port)
        shown[node_id] = replace(shown[node_id], inputs=inputs)
    return Scene(replace(recipe, nodes=shown, controls=(), deliverables=()), inside, flags)
