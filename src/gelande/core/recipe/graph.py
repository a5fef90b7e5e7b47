"""Edits of a recipe's graph: adding, linking, setting, moving and removing nodes. Each is checked and returns a new
recipe."""

from __future__ import annotations

import math
import re
from dataclasses import replace
from typing import Any

from ..errors import RecipeError
from ..words import clean
from . import packages
from .deliverables import remap_sources
from .kinds import kind_at, output_port, wanted_after
from .model import FARTHEST, MOST_NODES, Face, NodeState, Recipe, with_defaults
from .node import ENTRY, FRAME, GROUP, WHERE_ALL, WHERE_MASK, registry, spec_of
from .param import Seed
from .walk import MOST_NESTED, downstream, enclosing_groups, in_order, nearest_above, with_members


def check_node_limit(recipe: Recipe, more: int) -> None:
    """Raises RecipeError when so many more nodes would be too many."""
    if len(recipe.nodes) + more > MOST_NODES:
        raise RecipeError(
            f"The recipe would have {len(recipe.nodes) + more} nodes, more than the {MOST_NODES} that are allowed."
        )


def fresh_id(recipe: Recipe, kind: str) -> str:
    """A node id that is free: the kind and the next number."""
    kind = kind.replace(".", "_")  # of another package: a dot is what divides a node from its output
    taken = [int(m.group(1)) for n in recipe.nodes if (m := re.fullmatch(re.escape(kind) + r"_(\d+)", n))]
    return f"{kind}_{max(taken, default=0) + 1}"


def add(
    recipe: Recipe,
    kind: str,
    at: tuple[float, float] = (0.0, 0.0),
    params: dict | None = None,
    name: str = "",
    group: str = "",
) -> tuple[Recipe, str]:
    """A new node with its defaults scaled to the site, in a group or in none. Returns the recipe and the node's id."""
    spec = spec_of(kind)
    if spec is None:
        raise RecipeError(f"This version of Gelande knows no node called {kind}; {packages.lacking(kind)}.")
    check_node_limit(recipe, 1)
    node_id, face = fresh_id(recipe, kind), Face() if spec.role == GROUP else None
    state = NodeState(kind, name or spec.name, (at[0], at[1]), group=group, face=face)
    recipe = recipe.with_node(node_id, with_defaults(state, spec, recipe.site.long_side))
    for key, value in (params or {}).items():
        recipe = set_param(recipe, node_id, key, value)
    return recipe, node_id


def checked_value(state: NodeState, param_id: str, value: float | tuple) -> float | tuple:
    """The value as the parameter stores it. Raises RecipeError naming node, parameter, value and range."""
    spec = state.spec
    if spec is None:
        raise RecipeError(f"{state.name} is of a kind this version does not know; its parameters cannot be changed.")
    try:
        param = state.setting(param_id)
    except KeyError:
        raise RecipeError(f"{state.name}: there is no parameter called {param_id}.") from None
    try:
        return param.check(value)
    except ValueError as error:
        raise RecipeError(f"{state.name}: {error}.") from None


def set_param(recipe: Recipe, node_id: str, param_id: str, value: Any) -> Recipe:
    """Sets one parameter of one node."""
    state = recipe.node(node_id)
    value = checked_value(state, param_id, value)
    if state.value(param_id) == value:
        # the same recipe: nothing to undo, and every key stays
        return recipe
    return without_stale_links(
        recipe.with_node(node_id, replace(state, params=state.changed(param_id, value))), node_id
    )


def without_stale_links(recipe: Recipe, node_id: str) -> Recipe:
    """The recipe without links to ports that a node no longer has since it was set, without what was to be delivered
    from them, and without controls of settings that are gone."""
    spec = recipe.nodes[node_id].spec
    if spec is None or spec.ports is None:
        return recipe
    # a layer that was taken away takes its mask input along
    for port in [p for p in recipe.nodes[node_id].inputs if spec.input(p) is None]:
        recipe = unlink(recipe, node_id, port)
    for source, output, target, port in list(recipe.links()):
        if source == node_id and spec.output(output) is None:
            recipe = unlink(recipe, target, port)
    orders = remap_sources(
        recipe.deliverables, lambda s: s if s[0] != node_id or spec.output(s[1]) is not None else None
    )
    controls = []
    for control in recipe.controls:
        targets = tuple(t for t in control.targets if t.node != node_id or _has(recipe.nodes[node_id], t.param))
        if targets:
            controls.append(control if targets == control.targets else replace(control, targets=targets))
    if (orders, tuple(controls)) == (recipe.deliverables, recipe.controls):
        return recipe
    return replace(recipe, deliverables=orders, controls=tuple(controls))


def _has(state: NodeState, param_id: str) -> bool:
    """True when a node has a setting, or one of its layers does."""
    try:
        state.setting(param_id)
    except KeyError:
        return False
    return True


def shuffle(recipe: Recipe, node_id: str, draw, only: str = "") -> Recipe:
    """New values within the soft ranges for a node's own settings, or for one of them. draw: a random.Random.

    Numbers, counts, seeds and choices change; toggles, curves, ramps, files and texts stay."""
    spec = recipe.node(node_id).spec
    for p in spec.params if spec else ():
        if only and p.id != only or p.tool:
            continue
        if p.shuffles:
            recipe = set_param(recipe, node_id, p.id, p.shuffled(draw, recipe.site.long_side))
    return recipe


def next_seed(recipe: Recipe, node_id: str, step: int = 1) -> Recipe:
    """A node's seed stepped on; the recipe unchanged when it has none."""
    state = recipe.node(node_id)
    if state.spec is None or not state.spec.has_seed:
        return recipe
    seed = state.spec.param("seed")
    top = int(seed.hard[1]) + 1 if isinstance(seed, Seed) else 1
    return set_param(recipe, node_id, "seed", (state.params["seed"] + step) % top)


def can_link(recipe: Recipe, source: str, output: str, target: str, port: str) -> str:
    """Why this link may not be made, or "" when it may."""
    spec = recipe.nodes[target].spec if target in recipe.nodes else None
    if spec is None or spec.input(port) is None or output_port(recipe, source, output) is None:
        return "one end of the link does not exist"
    # the target already feeds the source
    if source in downstream(recipe, target):
        return "the link would make a circle: a node cannot depend on itself"
    return _misfit(recipe, source, output, target, port)


def _misfit(recipe: Recipe, source: str, output: str, target: str, port: str) -> str:
    """Why an output does not carry what an input takes, or "" when it does."""
    out = output_port(recipe, source, output)
    spec = recipe.nodes[target].spec
    into = spec.input(port) if spec else None
    if out is None or into is None:
        return "one end of the link does not exist"
    if not into.takes(out.kind):
        return f"{into.label} takes {into.kind}, not {out.kind}"
    # the port takes one kind of node alone, which may stand farther up the line
    if into.reads and nearest_above(recipe, (source, output), into.reads) is None:
        return f"{into.label} takes what comes from a node of the kind {registry()[into.reads].name}"
    if into.kind == "any" and out.kind != "any":  # what passes things on must keep carrying what those after it take
        for wanted in sorted(wanted_after(recipe, target, port)):
            if wanted != out.kind:
                return f"what follows takes {wanted}, not {out.kind}"
    return ""


def link(recipe: Recipe, source: str, output: str, target: str, port: str) -> Recipe:
    """Links an output to an input, replacing what the input had. Linking a mask turns Where from All to Mask; other
    inputs may set what they declare."""
    why = can_link(recipe, source, output, target, port)
    if why:
        raise RecipeError(f"{recipe.nodes[target].name if target in recipe.nodes else target}: {why}.")
    return recipe.with_node(target, _linked(recipe.nodes[target], port, (source, output)))


def _linked(state: NodeState, port: str, source: tuple[str, str]) -> NodeState:
    """A node with an input linked."""
    params = state.params
    # a mask that is linked is meant to be used
    if port == "mask" and params.get("where") == WHERE_ALL:
        params = {**params, "where": WHERE_MASK}
    sets = state.declared.entry(port).sets
    if sets:
        params = {**params, sets[0]: sets[1]}
    return replace(state, inputs={**state.inputs, port: source}, params=params)


def unlink(recipe: Recipe, target: str, port: str) -> Recipe:
    """Removes the link that ends at this input."""
    state = recipe.node(target)
    params = state.params
    # and one that is gone restricts nothing
    if port == "mask" and params.get("where") == WHERE_MASK:
        params = {**params, "where": WHERE_ALL}
    inputs = {k: v for k, v in state.inputs.items() if k != port}
    return recipe.with_node(target, replace(state, inputs=inputs, params=params))


def relink(recipe: Recipe, target: str, port: str, source: tuple[str, str] | None) -> Recipe:
    """Leads an input to another end that carries the same data (or takes its link off), leaving Where as it is."""
    state = recipe.nodes[target]
    inputs = {**state.inputs, port: source} if source else {k: v for k, v in state.inputs.items() if k != port}
    return recipe.with_node(target, replace(state, inputs=inputs))


def remove(recipe: Recipe, node_ids: list[str]) -> Recipe:
    """Removes nodes, groups with all that is in them; what came into the first main input of each is joined to what
    came out of its main output."""
    node_ids = with_members(recipe, node_ids)
    gone = set(node_ids)
    used: dict[str, list[tuple[str, str]]] = {}  # by what is linked to each node; those in front of it come to it
    for source, _, target, port in recipe.links():
        used.setdefault(source, []).append((target, port))
    for node_id in node_ids:
        # one after the other, so that a chain that goes is bridged from end to end
        recipe = _bridged(recipe, node_id, used)
    controls = []
    for control in recipe.controls:
        targets = tuple(t for t in control.targets if t.node not in gone)
        if targets:
            controls.append(control if targets == control.targets else replace(control, targets=targets))
    deliverables = remap_sources(recipe.deliverables, lambda s: None if s[0] in gone else s)
    return replace(
        recipe, nodes=_without_traces(recipe.nodes, gone), controls=tuple(controls), deliverables=deliverables
    )


def _bridged(recipe: Recipe, node_id: str, used: dict[str, list[tuple[str, str]]]) -> Recipe:
    """The recipe without a node. used: (node, input) of all that is linked to each node; kept up."""
    state = recipe.node(node_id)
    spec = state.spec
    nodes = {k: v for k, v in recipe.nodes.items() if k != node_id}
    recipe = replace(recipe, nodes=nodes)
    for target, port in used.pop(node_id, ()):
        if target not in nodes or nodes[target].inputs.get(port, ("", ""))[0] != node_id:
            continue
        output = nodes[target].inputs[port][1]
        # taken off first: an input has one link, and Where may go back to All
        nodes[target] = unlink(recipe, target, port).nodes[target]
        # what came in on the main way goes on to those that took the main output
        through = state.inputs.get(spec.way_in(output)) if spec else None
        way = spec is not None and spec.main is not None and output in (spec.main.id, spec.way_in(output))
        if not (through and way and through[0] in nodes):
            continue
        recipe = replace(recipe, nodes=nodes)  # another value, so that nothing is remembered of the one before
        if not _misfit(recipe, *through, target, port):  # there was a way between them, so that there is no circle
            nodes[target] = _linked(nodes[target], port, through)
            used.setdefault(through[0], []).append((target, port))
    return replace(recipe, nodes=nodes)


def _without_traces(nodes: dict, gone: set) -> dict:
    """Nodes that no longer stand in frames that are gone, and groups that no longer show settings of nodes that are;
    a frame with nothing left in it goes too."""
    kept = {}
    for node_id, state in nodes.items():
        if state.frame in gone:
            state = replace(state, frame="")
        if state.face is not None and any(t.node in gone for t in state.face.controls):
            state = replace(
                state, face=replace(state.face, controls=tuple(t for t in state.face.controls if t.node not in gone))
            )
        kept[node_id] = state
    framing = {s.frame for s in kept.values()}
    # a frame around nothing is no longer seen, and could not be deleted
    return {n: s for n, s in kept.items() if s.role != FRAME or n in framing}


def insert(recipe: Recipe, node_id: str, target: str, port: str) -> Recipe:
    """Puts a node into the link that ends at (target, port). Raises RecipeError when it does not fit there."""
    state = recipe.node(node_id)
    source = recipe.node(target).inputs.get(port)
    spec = state.spec
    if source is None or spec is None or not spec.outputs:
        raise RecipeError(f"{state.name} does not fit into this link.")
    kind = kind_at(recipe, *source)
    # a port that is free, so that inserting never takes a link off
    entry = next((p.id for p in spec.inputs if p.takes(kind) and p.id not in state.inputs), None)
    leave = next((p.id for p in spec.outputs if p.kind in (kind, "any")), None)
    if entry is None or leave is None:
        raise RecipeError(f"{state.name} takes and gives other data than this link carries ({kind}).")
    recipe = link(recipe, *source, node_id, entry)
    return link(recipe, node_id, leave, target, port)


def replace_kind(recipe: Recipe, node_id: str, kind: str) -> Recipe:
    """Makes a node another kind, keeping links that fit and parameters of the same name."""
    state, spec = recipe.node(node_id), spec_of(kind)
    if spec is None:
        raise RecipeError(f"This version of Gelande knows no node called {kind}; {packages.lacking(kind)}.")
    if {state.role, spec.role} & {GROUP, FRAME, ENTRY}:
        raise RecipeError(
            f"{state.name} cannot be replaced: groups, their entries and frames are made by packing and framing."
        )
    old = state.spec
    values = {p.id: p.initial(recipe.site.long_side) for p in spec.all_params}
    for param in spec.all_params:
        if param.id in state.params:
            try:
                values[param.id] = param.check(state.params[param.id])
            except ValueError:
                pass  # the new kind has a narrower range or another type: its default stands
    # a name that somebody gave stays; the kind's own goes with the kind
    name = spec.name if old is None or state.name == old.name else state.name
    after = [(t, p) for s, o, t, p in recipe.links() if s == node_id and (old is None or o == old.result.id)]
    inputs = list(state.inputs.items())
    # all links go and come back one by one, as far as the new kind takes them
    for _, _, target, port in [link_ for link_ in recipe.links() if link_[0] == node_id]:
        recipe = unlink(recipe, target, port)
    recipe = recipe.with_node(
        node_id, NodeState(kind, name, state.at, values, {}, state.off, group=state.group, frame=state.frame)
    )
    for port, source in inputs:
        if spec.input(port) and not can_link(recipe, *source, node_id, port):
            recipe = link(recipe, *source, node_id, port)
    for target, port in after:
        if spec.main and not can_link(recipe, node_id, spec.main.id, target, port):
            recipe = link(recipe, node_id, spec.main.id, target, port)
    ids = {p.id for p in spec.all_params}
    controls = tuple(
        replace(c, targets=t)
        for c in recipe.controls
        if (t := tuple(x for x in c.targets if x.node != node_id or x.param in ids))
    )
    keeps = {p.id for p in spec.outputs}
    deliverables = remap_sources(recipe.deliverables, lambda s: s if s[0] != node_id or s[1] in keeps else None)
    return replace(recipe, controls=controls, deliverables=deliverables)


def move(recipe: Recipe, places: dict[str, tuple[float, float]]) -> Recipe:
    """Moves cards; what is no place is left where it is."""
    nodes = dict(recipe.nodes)
    for node_id, at in places.items():
        if not all(math.isfinite(v) for v in at):
            # a drag beyond the screen may end in no number
            continue
        x, y = (round(min(max(float(v), -FARTHEST), FARTHEST), 1) for v in at)
        nodes[node_id] = replace(nodes[node_id], at=(x, y))
    return replace(recipe, nodes=nodes)


def rename(recipe: Recipe, node_id: str, name: str) -> Recipe:
    """Gives a node another name."""
    name = clean(name, 80)
    if not name:
        raise RecipeError("A node needs a name of at least one letter.")
    return recipe.with_node(node_id, replace(recipe.node(node_id), name=name))


def switch(recipe: Recipe, node_ids: list[str], off: bool) -> Recipe:
    """Turns nodes off (what comes in passes through) or on."""
    nodes = dict(recipe.nodes)
    for node_id in node_ids:
        nodes[node_id] = replace(recipe.node(node_id), off=off)
    return replace(recipe, nodes=nodes)


def broken_links(recipe: Recipe) -> list[str]:
    """Why a recipe read from a file is not sound: links to nothing, wrong kinds, circles."""
    faults = [
        f"{s.name}: the {word} {home} that it stands in does not exist"
        for s in recipe.nodes.values()
        for word, home in (("group", s.group), ("frame", s.frame))
        if home and (home not in recipe.nodes or recipe.nodes[home].kind != word)
    ]
    for n, s in recipe.nodes.items():
        around = enclosing_groups(recipe, n) if not faults else []
        if n in around:
            faults.append(f"{s.name}: it stands in itself")
        elif len(around) > MOST_NESTED:
            faults.append(
                f"{s.name}: it stands in {len(around)} groups, one in the other, more than the {MOST_NESTED} that "
                "are allowed"
            )
    for source, output, target, port in recipe.links():
        state = recipe.nodes[target]
        if source not in recipe.nodes:
            faults.append(f"{state.name}: its input {port} is linked to {source}, which does not exist")
            continue
        spec, before = state.spec, recipe.nodes[source].spec
        if spec is None or before is None:
            continue
        if spec.input(port) is None:
            faults.append(f"{state.name}: it has no input called {port}")
        elif before.output(output) is None:
            faults.append(f"{state.name}: {recipe.nodes[source].name} has no output called {output}")
    # nodes on a circle cannot be put in order: one of its links points back
    position = {n: i for i, n in enumerate(in_order(recipe))}
    for source, _, target, _ in recipe.links():
        if source in position and position[source] >= position[target]:
            faults.append(f"{recipe.nodes[target].name}: its links make a circle")
    if not faults:
        for source, output, target, port in recipe.links():
            out, spec = output_port(recipe, source, output), recipe.nodes[target].spec
            into = spec.input(port) if spec else None
            if out and into and not into.takes(out.kind):
                faults.append(f"{recipe.nodes[target].name}: {into.label} takes {into.kind}, not {out.kind}")
    return faults
