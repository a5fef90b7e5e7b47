"""The recipe as a value: nodes, links, controls, deliverables, and every edit of them.

A Recipe is never changed in place: each edit returns a new one that shares what did not change. So undo
is keeping the old one, a worker thread can evaluate one while the window edits the next, and two
recipes can be compared node by node with ``is``.
"""

from __future__ import annotations

import math
import re
import weakref
from dataclasses import dataclass, field, replace
from functools import lru_cache

from .control import Control, Target
from .errors import RecipeError
from .node import NodeSpec, WHERE_ALL, WHERE_MASK, Port, spec_of
from .site import Site
from .walk import MOST_NESTED, downstream, homes, in_order, reach, upstream, with_members
from .words import clean



MOST_NODES, MOST_CONTROLS, MOST_DELIVERABLES = 2000, 1000, 1000
#: Cards lie within this many units of the sheet's corner.
FARTHEST = 1e6


@dataclass(frozen=True)
class Face:
    """The ports of a node that differ from one such node to the next (a group's), and the settings it shows for its members."""

    inputs: tuple[Port, ...] = ()
    outputs: tuple[Port, ...] = ()
    controls: tuple[Target, ...] = ()


@lru_cache(2048)
def _faced(spec: NodeSpec, inputs: tuple[Port, ...], outputs: tuple[Port, ...]) -> NodeSpec:
    return replace(spec, inputs=inputs, outputs=outputs)


@dataclass(frozen=True)
class Bake:
    """Stored results of a node. key: its content key when it was baked; finest: up to which level; files: their path's
    beginning, relative to the recipe's folder."""

    key: str
    finest: int
    files: str


@dataclass(frozen=True)
class NodeState:
    """One node of a recipe. inputs: port id -> (node id, output id). raw: the block of a node this version does not know.
    group, frame: ids of the group it stands in and of the frame around it, or ""."""

    kind: str
    name: str
    at: tuple[float, float] = (0.0, 0.0)
    params: dict = field(default_factory=dict)
    inputs: dict = field(default_factory=dict)
    off: bool = False
    raw: dict | None = None
    group: str = ""
    frame: str = ""
    face: Face | None = None
    bake: Bake | None = None

    @property
    def spec(self) -> NodeSpec | None:
        if self.raw is not None:
            return None
        spec = spec_of(self.kind)
        return _faced(spec, self.face.inputs, self.face.outputs) if spec and self.face is not None else spec


@dataclass(frozen=True)
class Deliverable:
    """One file of a delivery: which output of which node, in which format."""

    name: str
    node: str
    port: str
    format: str


@dataclass(frozen=True, eq=False)
class Recipe:
    """A whole document. view: what the window remembers (pinned node, detail); unknown: blocks kept for newer versions."""

    site: Site = field(default_factory=Site)
    seed: int = 0
    nodes: dict = field(default_factory=dict)
    controls: tuple[Control, ...] = ()
    deliverables: tuple[Deliverable, ...] = ()
    view: dict = field(default_factory=dict)

    def node(self, node_id: str) -> NodeState:
        try:
            return self.nodes[node_id]
        except KeyError:
            raise RecipeError(f"There is no node called {node_id} in this recipe.") from None

    def with_node(self, node_id: str, state: NodeState) -> Recipe:
        return replace(self, nodes={**self.nodes, node_id: state})

    def links(self):
        """All links as (source node, output, target node, input)."""
        for target, state in self.nodes.items():
            for port, (source, output) in state.inputs.items():
                yield source, output, target, port


def output_port(recipe: Recipe, node_id: str, port_id: str) -> Port | None:
    """An output with its kind resolved: a junction's is that of what it passes on."""
    state = recipe.nodes.get(node_id)
    spec = state.spec if state else None
    port = spec.output(port_id) if spec else None
    if port is None or port.kind != "any":
        return port
    return replace(port, kind=_passed_kinds(recipe)[0].get((node_id, port_id), "any"))


def wanted_after(recipe: Recipe, node_id: str, port_id: str) -> frozenset[str]:
    """Kinds that are asked for at the far ends of what passes through a port that takes anything."""
    return _passed_kinds(recipe)[1].get((node_id, port_id), frozenset())


_kinds: weakref.WeakKeyDictionary = weakref.WeakKeyDictionary()


def _passed_kinds(recipe: Recipe) -> tuple[dict, dict]:
    """For every output that passes things on: the kind that comes to it, and the kinds asked for after it. One pass down the graph and
    one up, so that chains of junctions cost no more than their length."""
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
                found = recipe.nodes[source[0]].spec.output(source[1]) if source and source[0] in recipe.nodes and recipe.nodes[source[0]].spec else None
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


def check_room(recipe: Recipe, more: int) -> None:
    """Raises RecipeError when so many more nodes would be too many."""
    if len(recipe.nodes) + more > MOST_NODES:
        raise RecipeError(f"The recipe would have {len(recipe.nodes) + more} nodes, more than the {MOST_NODES} that are allowed.")


def fresh_id(recipe: Recipe, kind: str) -> str:
    """A node id that is free: the kind and the next number."""
    taken = [int(m.group(1)) for n in recipe.nodes if (m := re.fullmatch(re.escape(kind) + r"_(\d+)", n))]
    return f"{kind}_{max(taken, default=0) + 1}"


def add(recipe: Recipe, kind: str, at=(0.0, 0.0), params: dict | None = None, name: str = "", group: str = "") -> tuple[Recipe, str]:
    """A new node with its defaults scaled to the site, in a group or in none. Returns the recipe and the node's id."""
    spec = spec_of(kind)
    if spec is None:
        raise RecipeError(f"This version of Gelande knows no node called {kind}.")
    check_room(recipe, 1)
    values = {p.id: p.initial(recipe.site.long_side) for p in spec.all_params}
    node_id = fresh_id(recipe, kind)
    state = NodeState(kind, name or spec.name, tuple(at), values, group=group, face=Face() if kind == "group" else None)
    recipe = recipe.with_node(node_id, state)
    for key, value in (params or {}).items():
        recipe = set_param(recipe, node_id, key, value)
    return recipe, node_id


def checked_value(state: NodeState, param_id: str, value):
    """The value as the parameter stores it. Raises RecipeError naming node, parameter, value and range."""
    spec = state.spec
    if spec is None:
        raise RecipeError(f"{state.name} is of a kind this version does not know; its parameters cannot be changed.")
    try:
        param = spec.param(param_id)
    except KeyError:
        raise RecipeError(f"{state.name}: there is no parameter called {param_id}.") from None
    try:
        return param.check(value)
    except ValueError as error:
        raise RecipeError(f"{state.name}: {error}.") from None


def set_param(recipe: Recipe, node_id: str, param_id: str, value) -> Recipe:
    """Sets one parameter of one node."""
    state = recipe.node(node_id)
    value = checked_value(state, param_id, value)
    if state.params.get(param_id) == value:
        return recipe
    return recipe.with_node(node_id, replace(state, params={**state.params, param_id: value}))


def shuffle(recipe: Recipe, node_id: str, draw, only: str = "") -> Recipe:
    """New values within the soft ranges for a node's own settings, or for one of them. draw: a random.Random.

    Numbers, counts, seeds and choices change; toggles, curves, ramps, files and texts stay."""
    spec = recipe.node(node_id).spec
    for p in spec.params if spec else ():
        if only and p.id != only or p.tool:
            continue
        low, high = p.scaled_soft(recipe.site.long_side) if p.numeric else (0, 0)
        if p.kind == "number":
            share = draw.random()
            value = low * (high / low) ** share if p.log and low > 0 else low + (high - low) * share
            digits = p.decimals + (2 if p.unit == "%" else 0)
            recipe = set_param(recipe, node_id, p.id, min(max(round(value, digits), p.hard[0]), p.hard[1]))
        elif p.kind in ("count", "seed"):
            recipe = set_param(recipe, node_id, p.id, draw.randint(int(low), int(high)))
        elif p.kind == "choice":
            recipe = set_param(recipe, node_id, p.id, draw.choice(p.choices))
    return recipe


def next_seed(recipe: Recipe, node_id: str, step: int = 1) -> Recipe:
    """A node's seed stepped on; the recipe unchanged when it has none."""
    state = recipe.node(node_id)
    if state.spec is None or not state.spec.has_seed:
        return recipe
    top = int(state.spec.param("seed").hard[1]) + 1
    return set_param(recipe, node_id, "seed", (state.params["seed"] + step) % top)


def can_link(recipe: Recipe, source: str, output: str, target: str, port: str) -> str:
    """Why this link may not be made, or "" when it may."""
    out = output_port(recipe, source, output)
    spec = recipe.nodes[target].spec if target in recipe.nodes else None
    into = spec.input(port) if spec else None
    if out is None or into is None:
        return "one end of the link does not exist"
    if source in downstream(recipe, target):
        return "the link would make a circle: a node cannot depend on itself"
    if not into.takes(out.kind):
        return f"{into.label} takes {into.kind}, not {out.kind}"
    if into.kind == "any" and out.kind != "any":  # what passes things on must keep carrying what those after it take
        for wanted in sorted(wanted_after(recipe, target, port)):
            if wanted != out.kind:
                return f"what follows takes {wanted}, not {out.kind}"
    return ""


def link(recipe: Recipe, source: str, output: str, target: str, port: str) -> Recipe:
    """Links an output to an input, replacing what the input had. Linking a mask turns Where from All to Mask."""
    why = can_link(recipe, source, output, target, port)
    if why:
        raise RecipeError(f"{recipe.nodes[target].name if target in recipe.nodes else target}: {why}.")
    state = recipe.nodes[target]
    params = state.params
    if port == "mask" and params.get("where") == WHERE_ALL:
        params = {**params, "where": WHERE_MASK}
    return recipe.with_node(target, replace(state, inputs={**state.inputs, port: (source, output)}, params=params))


def unlink(recipe: Recipe, target: str, port: str) -> Recipe:
    """Removes the link that ends at this input."""
    state = recipe.node(target)
    params = state.params
    if port == "mask" and params.get("where") == WHERE_MASK:
        params = {**params, "where": WHERE_ALL}
    inputs = {k: v for k, v in state.inputs.items() if k != port}
    return recipe.with_node(target, replace(state, inputs=inputs, params=params))


def relink(recipe: Recipe, target: str, port: str, source: tuple[str, str] | None) -> Recipe:
    """Leads an input to another end that carries the same data (or takes its link off), leaving Where as it is."""
    state = recipe.nodes[target]
    inputs = {**state.inputs, port: source} if source else {k: v for k, v in state.inputs.items() if k != port}
    return recipe.with_node(target, replace(state, inputs=inputs))


def remove(recipe: Recipe, node_ids) -> Recipe:
    """Removes nodes, groups with all that is in them; what came into the first main input of each is joined to what
    came out of its main output."""
    node_ids = with_members(recipe, node_ids)
    gone = set(node_ids)
    for node_id in node_ids:
        state = recipe.node(node_id)
        spec = state.spec
        rest = {k: v for k, v in recipe.nodes.items() if k != node_id}
        recipe = replace(recipe, nodes=rest)
        for target, after in rest.items():
            for port, (source, output) in after.inputs.items():
                if source != node_id:
                    continue
                recipe = unlink(recipe, target, port)
                entry = output if spec and spec.input(output) else spec.base or (spec.inputs[0].id if spec.inputs else "") if spec else ""
                through = state.inputs.get(entry)
                if through and spec.main and (output == spec.main.id or entry == output) and not can_link(recipe, *through, target, port):
                    recipe = link(recipe, *through, target, port)
    controls = []
    for control in recipe.controls:
        targets = tuple(t for t in control.targets if t.node not in gone)
        if targets:
            controls.append(control if targets == control.targets else replace(control, targets=targets))
    deliverables = tuple(d for d in recipe.deliverables if d.node not in gone)
    return replace(recipe, nodes=_without_traces(recipe.nodes, gone), controls=tuple(controls), deliverables=deliverables)


def _without_traces(nodes: dict, gone: set) -> dict:
    """Nodes that no longer stand in frames that are gone, and groups that no longer show settings of nodes that are;
    a frame with nothing left in it goes too."""
    kept = {}
    for node_id, state in nodes.items():
        if state.frame in gone:
            state = replace(state, frame="")
        if state.face is not None and any(t.node in gone for t in state.face.controls):
            state = replace(state, face=replace(state.face, controls=tuple(t for t in state.face.controls if t.node not in gone)))
        kept[node_id] = state
    framing = {s.frame for s in kept.values()}
    return {n: s for n, s in kept.items() if s.kind != "frame" or n in framing}


def insert(recipe: Recipe, node_id: str, target: str, port: str) -> Recipe:
    """Puts a node into the link that ends at (target, port). Raises RecipeError when it does not fit there."""
    state = recipe.node(node_id)
    source = recipe.node(target).inputs.get(port)
    spec = state.spec
    if source is None or spec is None or not spec.outputs:
        raise RecipeError(f"{state.name} does not fit into this link.")
    kind = output_port(recipe, *source).kind
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
        raise RecipeError(f"This version of Gelande knows no node called {kind}.")
    if {state.kind, kind} & {"group", "frame", "entry"}:
        raise RecipeError(f"{state.name} cannot be replaced: groups, their entries and frames are made by packing and framing.")
    old = state.spec
    values = {p.id: p.initial(recipe.site.long_side) for p in spec.all_params}
    for param in spec.all_params:
        if param.id in state.params:
            try:
                values[param.id] = param.check(state.params[param.id])
            except ValueError:
                pass  # the new kind has a narrower range or another type: its default stands
    name = spec.name if old is None or state.name == old.name else state.name
    after = [(t, p) for s, o, t, p in recipe.links() if s == node_id and (old is None or o == old.main.id)]
    inputs = list(state.inputs.items())
    for _, _, target, port in [link_ for link_ in recipe.links() if link_[0] == node_id]:
        recipe = unlink(recipe, target, port)
    recipe = recipe.with_node(node_id, NodeState(kind, name, state.at, values, {}, state.off, group=state.group, frame=state.frame))
    for port, source in inputs:
        if spec.input(port) and not can_link(recipe, *source, node_id, port):
            recipe = link(recipe, *source, node_id, port)
    for target, port in after:
        if spec.main and not can_link(recipe, node_id, spec.main.id, target, port):
            recipe = link(recipe, node_id, spec.main.id, target, port)
    ids = {p.id for p in spec.all_params}
    controls = tuple(replace(c, targets=t) for c in recipe.controls
                     if (t := tuple(x for x in c.targets if x.node != node_id or x.param in ids)))
    keeps = {p.id for p in spec.outputs}
    deliverables = tuple(d for d in recipe.deliverables if d.node != node_id or d.port in keeps)
    return replace(recipe, controls=controls, deliverables=deliverables)


def move(recipe: Recipe, places: dict[str, tuple[float, float]]) -> Recipe:
    """Moves cards; what is no place is left where it is."""
    nodes = dict(recipe.nodes)
    for node_id, at in places.items():
        if not all(math.isfinite(v) for v in at):
            continue
        nodes[node_id] = replace(nodes[node_id], at=tuple(round(min(max(float(v), -FARTHEST), FARTHEST), 1) for v in at))
    return replace(recipe, nodes=nodes)


def rename(recipe: Recipe, node_id: str, name: str) -> Recipe:
    """Gives a node another name."""
    name = clean(name, 80)
    if not name:
        raise RecipeError("A node needs a name of at least one letter.")
    return recipe.with_node(node_id, replace(recipe.node(node_id), name=name))


def switch(recipe: Recipe, node_ids, off: bool) -> Recipe:
    """Turns nodes off (what comes in passes through) or on."""
    nodes = dict(recipe.nodes)
    for node_id in node_ids:
        nodes[node_id] = replace(recipe.node(node_id), off=off)
    return replace(recipe, nodes=nodes)


def broken_links(recipe: Recipe) -> list[str]:
    """Why a recipe read from a file is not sound: links to nothing, wrong kinds, circles."""
    faults = [f"{s.name}: the {word} {home} that it stands in does not exist" for s in recipe.nodes.values()
              for word, home in (("group", s.group), ("frame", s.frame)) if home and
              (home not in recipe.nodes or recipe.nodes[home].kind != word)]
    for n, s in recipe.nodes.items():
        around = homes(recipe, n) if not faults else []
        if n in around:
            faults.append(f"{s.name}: it stands in itself")
        elif len(around) > MOST_NESTED:
            faults.append(f"{s.name}: it stands in {len(around)} groups, one in the other, more than the {MOST_NESTED} that are allowed")
    for source, output, target, port in recipe.links():
        state = recipe.nodes[target]
        if source not in recipe.nodes:
            faults.append(f"{state.name}: its input {port} is linked to {source}, which does not exist")
            continue
        if state.spec is None or recipe.nodes[source].spec is None:
            continue
        if state.spec.input(port) is None:
            faults.append(f"{state.name}: it has no input called {port}")
        elif recipe.nodes[source].spec.output(output) is None:
            faults.append(f"{state.name}: {recipe.nodes[source].name} has no output called {output}")
    position = {n: i for i, n in enumerate(in_order(recipe))}
    for source, output, target, port in recipe.links():
        if source in position and position[source] >= position[target]:
            faults.append(f"{recipe.nodes[target].name}: its links make a circle")
    if not faults:
        for source, output, target, port in recipe.links():
            out, into = output_port(recipe, source, output), recipe.nodes[target].spec
            if out and into and not into.input(port).takes(out.kind):
                faults.append(f"{recipe.nodes[target].name}: {into.input(port).label} takes "
                              f"{into.input(port).kind}, not {out.kind}")
    return faults
