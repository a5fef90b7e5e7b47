"""The recipe as a value: nodes, links, controls, deliverables.

A Recipe is never changed in place: each edit (graph.py, group.py, control.py) returns a new one that shares what
did not change. So undo is keeping the old one, a worker thread can evaluate one while the window edits the next,
and two recipes can be compared node by node with ``is``.

"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from functools import cached_property, lru_cache
from typing import Any

from ..errors import RecipeError
from . import packages
from .choices import MOST_KEEPS, MOST_PRESETS, FigureChoice, Keep, Locks, Measures, Preset
from .deliverables import Deliverable, Delivery
from .footprint import Footprint
from .node import Face, NodeSpec, Port, Target, spec_of
from .param import WITHIN, Param, Values
from .site import Site

__all__ = [
    "Bake",
    "COLUMN",
    "Control",
    "Deliverable",
    "FARTHEST",
    "Face",
    "MOST_CONTROLS",
    "MOST_CAMERAS",
    "MOST_DELIVERABLES",
    "MOST_KEEPS",
    "MOST_NODES",
    "MOST_PRESETS",
    "NodeState",
    "RECIPE",
    "ROW",
    "Recipe",
    "Target",
    "with_defaults",
]

MOST_NODES, MOST_CONTROLS, MOST_DELIVERABLES = 2000, 1000, 1000
#: Cameras that a recipe may keep: one for each key that steps to them.
MOST_CAMERAS = 9
#: Target node id of the recipe's own seed.
RECIPE = ""
#: A node's ``at`` is where its card is to stand in its lane: x in steps of COLUMN, y downwards in steps of ROW.
COLUMN, ROW = 178.0, 62.0
#: Cards lie within this many units of the sheet's corner.
FARTHEST = 1e6


@lru_cache(2048)
def _with_ports(spec: NodeSpec, inputs: tuple[Port, ...], outputs: tuple[Port, ...]) -> NodeSpec:
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
    """One node of a recipe. inputs: port id -> (node id, output id). raw: the block of a node this version does not
    know. group, frame: ids of the group it stands in and of the frame around it, or ""."""

    kind: str
    name: str
    at: tuple[float, float] = (0.0, 0.0)
    params: dict[str, Any] = field(default_factory=dict)
    inputs: dict[str, tuple[str, str]] = field(default_factory=dict)
    off: bool = False
    raw: dict | None = None
    group: str = ""
    frame: str = ""
    face: Face | None = None
    bake: Bake | None = None

    @property
    def role(self) -> str:
        """Its role in the order of the graph (node.py), "" for a node that computes."""
        spec = spec_of(self.kind)
        return spec.role if spec is not None else ""

    @property
    def declared(self) -> NodeSpec:
        """The same for a kind that is known. Raises RecipeError for others."""
        spec = self.spec
        if spec is None:
            raise RecipeError(f"This version of Gelande does not know {self.name}'s kind, {self.kind}; {self.lacking}.")
        return spec

    @property
    def lacking(self) -> str:
        """What to do about a kind that is not known, as the second half of a sentence."""
        needs = (self.raw or {}).get("package", "")
        return packages.lacking(self.kind, needs if isinstance(needs, str) else "")

    def reads(self, site: Site) -> Footprint:
        """Footprint of the node as it is set. Raises RecipeError for a kind that is not known."""
        return self.declared.reads(Values(self.params), site)

    @property
    def faced(self) -> Face:
        """Face of a group; nothing for other nodes."""
        return self.face or Face()

    def setting(self, param_id: str) -> Param:
        """The declaration of a setting, or of one of a layer's. Raises KeyError when there is none."""
        param, inner = self._setting(param_id)
        return param.inner(self.params[param.id], inner) if inner else param

    def value(self, param_id: str) -> Any:
        """The value of a setting, or of one of a layer's. Raises KeyError when there is none."""
        param, inner = self._setting(param_id)
        value = self.params[param.id]
        return param.inner_value(value, inner) if inner else value

    def changed(self, param_id: str, value: Any) -> dict[str, Any]:
        """All values, with one of them, or one of a layer's, changed. Raises KeyError."""
        param, inner = self._setting(param_id)
        if inner:
            value = param.with_inner(self.params[param.id], inner, value)
        return {**self.params, param.id: value}

    def _setting(self, param_id: str) -> tuple[Param, str]:
        """(setting, "" or what in it is meant). Raises KeyError."""
        if self.spec is None:
            raise KeyError(param_id)
        head, _, inner = param_id.partition(WITHIN)
        return self.spec.param(head), inner

    @cached_property
    def spec(self) -> NodeSpec | None:
        """The node's declaration with the ports that it has as it is set; None for a kind this version does not
        know."""
        if self.raw is not None:
            return None
        spec = spec_of(self.kind)
        if spec is not None and spec.ports is not None:
            return _with_ports(spec, *spec.ports(self.params, self.face))
        if spec is not None and self.face is not None:
            return _with_ports(spec, self.face.inputs, self.face.outputs)
        return spec


@dataclass(frozen=True)
class Control:
    """A published parameter: label, group, sentence, and a range inside the hard range of every target.

    step: numbers are whole times of it; closed: only the author may set it; shown_when: (label of another control,
    values): it is shown only while that one has one of them."""

    label: str
    group: str
    targets: tuple[Target, ...]
    low: float | None = None
    high: float | None = None
    help: str = ""
    step: float | None = None
    closed: bool = False
    shown_when: tuple = ()


@dataclass(frozen=True)
class NamedCamera:
    """A view of the land that is kept. east, north, height: of the eye, metres, in the space that is drawn; heading:
    degrees clockwise from north; pitch: degrees, negative looks down; times: how much higher the land is drawn."""

    name: str
    east: float
    north: float
    height: float
    heading: float
    pitch: float
    times: float = 1.0


@dataclass(frozen=True, eq=False)
class Recipe:
    """A whole document. view: what the window remembers (held node, detail); author: who made it; locks: seed groups
    with a seed of their own."""

    site: Site = field(default_factory=Site)
    seed: int = 0
    nodes: dict[str, NodeState] = field(default_factory=dict)
    controls: tuple[Control, ...] = ()
    deliverables: tuple[Deliverable, ...] = ()
    cameras: tuple[NamedCamera, ...] = ()
    view: dict = field(default_factory=dict)
    author: str = ""
    locks: Locks = ()
    presets: tuple[Preset, ...] = ()
    keeps: tuple[Keep, ...] = ()
    figures: tuple[FigureChoice, ...] = ()
    measures: Measures = Measures()
    delivery: Delivery = Delivery()

    def node(self, node_id: str) -> NodeState:
        try:
            return self.nodes[node_id]
        except KeyError:
            raise RecipeError(f"There is no node called {node_id} in this recipe.") from None

    def with_node(self, node_id: str, state: NodeState) -> Recipe:
        return replace(self, nodes={**self.nodes, node_id: state})

    def links(self) -> Iterator[tuple[str, str, str, str]]:
        """All links as (source node, output, target node, input)."""
        for target, state in self.nodes.items():
            for port, (source, output) in state.inputs.items():
                yield source, output, target, port


def with_defaults(state: NodeState, spec: NodeSpec, long_side: float) -> NodeState:
    """A node that has a value for each of its settings: its own first, which its ports may follow, then what the engine
    adds to a node with these ports. long_side: of the site, metres."""
    own = {p.id: p.initial(long_side) for p in spec.params}
    state = replace(state, params={**own, **state.params})
    rest = {p.id: p.initial(long_side) for p in state.declared.all_params}
    return replace(state, params={**rest, **state.params})
