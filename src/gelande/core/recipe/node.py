"""What a node declares, and the registry that finds nodes by walking ``gelande.nodes``."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache, cached_property, lru_cache
from pathlib import Path

from . import packages
from . import param as P
from .footprint import Footprint
from .raster import COLOUR, HEIGHT, MASK
from .site import Site
from .things import Placing

#: What a mask may be besides white and black.
SHARE, INDEX = "share", "index"
#: Roles of nodes that order a graph instead of computing: what holds others, its inputs, a box around cards, an output
#: with a name, a point on a link, words, and the place at which kept ground is set in.
GROUP, ENTRY, FRAME, CAIRN, JUNCTION, NOTE, KEEP = "group", "entry", "frame", "cairn", "junction", "note", "keep"
CATEGORIES = ("Landforms", "Shape", "Weather", "Masks", "Colour", "Order")


@dataclass(frozen=True)
class Port:
    """A place where a link ends or begins. kind is height, mask or colour, or "any": what an output of that kind
    carries is what comes into the input of the same id. role: of a mask that goes out: SHARE: it is one with all others
    of the node that have this role, also when it is written as whole counts; INDEX: it counts something, so it is
    never mixed. reads: of an input: the kind of node whose settings it reads, too; it takes only what that node makes,
    shaped or not. sets: (setting, value) that a link to it sets."""

    id: str
    label: str
    kind: str
    optional: bool = False
    help: str = ""
    role: str = ""
    reads: str = ""
    sets: tuple = ()

    def takes(self, kind: str) -> bool:
        """True when a link of this kind may end here. A mask may drive where a height is asked, never silently."""
        return self.kind in (kind, "any") or kind == "any"


@dataclass(frozen=True)
class Target:
    """One driven parameter; the control's value times ``times`` is written to it. span: or what it is at the control's
    lowest and at its highest value, and between them by a curve of control.CURVES."""

    node: str
    param: str
    times: float = 1.0
    span: tuple[float, float] | None = None
    curve: str = ""


@dataclass(frozen=True)
class Face:
    """The ports of a node that differ from one such node to the next (a group's), and the settings it shows for its
    members."""

    inputs: tuple[Port, ...] = ()
    outputs: tuple[Port, ...] = ()
    controls: tuple[Target, ...] = ()


@dataclass(frozen=True, eq=False)
class NodeSpec:
    """Everything that search, bench, card, help, command line, documentation and the generic tests need.

    base: id of the input that Amount and Where blend back to; "" for a source.
    figure: format string over the parameters' texts, shown on the card ("{riser_height} risers").
    limits: ids of height parameters that the bench draws over the input's histogram, to be dragged.
    water: it leaves water standing: its computation also returns "_surface", the water's height in metres,
    kernels.water.DRY where there is none.
    unfinished: parameters -> why the result is only to look at, and not for delivery, or "".
    converts: it turns one kind of data into another, and is put between ports whose kinds do not fit.
    reshapes: why it changes the form of a land by design, or "": it leaves summits, lowest ground and large form where
    they are.
    ports: parameters, face -> (inputs, outputs), for a node whose ports follow its settings.
    stamp: parameters -> text that identifies outside files, part of the content key.
    simulate: context -> arrays: the dear half of a computation that goes block by block on fine levels (footprint's
    blocks). The computation gets it on its window by Context.simulated.
    places: settings -> how things stand where its mask is (core/recipe/things.py), for a node that is a layer of them.
    earthworks: it cuts and fills ground; its computation also returns "_earth", metres by which it rose.
    role: of a node that orders the graph (GROUP, ENTRY, FRAME, CAIRN, JUNCTION, NOTE, KEEP), "" for one that computes.

    footprint: what it reads for its settings on a site, or one that is the same for all (nothing said: each sample
    of its inputs by itself).
    """

    kind: str
    name: str
    category: str
    summary: str
    compute: Callable
    inputs: tuple[Port, ...] = ()
    outputs: tuple[Port, ...] = ()
    params: tuple[P.Param, ...] = ()
    keywords: tuple[str, ...] = ()
    base: str = ""
    footprint: Footprint | Callable[[P.Values, Site], Footprint] = Footprint()
    figure: str = ""
    version: int = 1
    ports: Callable[[dict, Face | None], tuple[tuple[Port, ...], tuple[Port, ...]]] | None = None
    stamp: Callable | None = None
    help: str = ""
    starting_points: tuple = ()
    limits: tuple[str, ...] = ()
    water: bool = False
    unfinished: Callable[[dict], str] | None = None
    converts: bool = False
    reshapes: str = ""
    simulate: Callable | None = None
    places: Callable[[dict], Placing] | None = None
    role: str = ""
    earthworks: bool = False

    def reads(self, values: P.Values, site: Site) -> Footprint:
        """Its footprint with these settings on a site."""
        return self.footprint if isinstance(self.footprint, Footprint) else self.footprint(values, site)

    @property
    def weathers(self) -> bool:
        """True for a simulation of weather, which moves material."""
        return self.category == "Weather"

    @property
    def reads_files(self) -> bool:
        """True when it reads a file outside the recipe whatever its settings, and gives nothing without one."""
        return self.stamp is not None and bool(self.stamp({p.id: p.default for p in self.params}, Path()))

    @property
    def main(self) -> Port | None:
        return self.outputs[0] if self.outputs else None

    @property
    def result(self) -> Port:
        """The main output of a node that has one. Raises ValueError for others."""
        if not self.outputs:
            raise ValueError(f"{self.name} has no output")
        return self.outputs[0]

    def entry(self, id: str) -> Port:
        """An input by id. Raises ValueError when there is none."""
        found = self.input(id)
        if found is None:
            raise ValueError(f"{self.name} has no input called {id}")
        return found

    @cached_property
    def all_params(self) -> tuple[P.Param, ...]:
        """The node's own parameters, then those that the engine adds to every node."""
        return self.params + engine_params(self)

    @cached_property
    def all_inputs(self) -> tuple[Port, ...]:
        """The node's inputs, then the mask (and ground) inputs that every node but a source has."""
        if not self.restrictable:
            return self.inputs
        passes = self.result.kind == "any"  # what comes in may be no height
        has_ground = any(p.kind == HEIGHT or p.kind == "any" and not passes for p in self.inputs)
        return self.inputs + (() if has_ground else (GROUND_PORT,)) + (MASK_PORT,)

    @cached_property
    def restrictable(self) -> bool:
        """True when the node has a mask input, Where and Amount."""
        return bool(self.inputs and self.outputs and not self.role)

    def param(self, id: str) -> P.Param:
        return param_index(self)[id]

    def input(self, id: str) -> Port | None:
        return next((p for p in self.all_inputs if p.id == id), None)

    def output(self, id: str) -> Port | None:
        return next((p for p in self.outputs if p.id == id), None)

    def way_in(self, output: str) -> str:
        """The input that comes out of an output when the node is not there: the one of its name, else the base or the
        first; "" when there is none."""
        if self.input(output):
            return output
        return self.base or (self.inputs[0].id if self.inputs else "")

    @cached_property
    def has_seed(self) -> bool:
        return any(isinstance(p, P.Seed) for p in self.params)


MASK_PORT = Port(
    "mask", "Mask", MASK, True, "Where the mask is white the node works in full; where it is black, not at all."
)

GROUND_PORT = Port(
    "ground",
    "Ground for Where",
    HEIGHT,
    True,
    "The height that Where looks at when it restricts by height, slope or facing.",
)

WHERE_ALL, WHERE_HEIGHT, WHERE_SLOPE, WHERE_FACING, WHERE_MASK = "all", "height", "slope", "facing", "mask"

_WHERE = (
    P.fraction("amount", "Amount", 1.0, "How much of the node's effect is mixed in."),
    P.choice(
        "where",
        "Where",
        WHERE_ALL,
        (WHERE_ALL, WHERE_HEIGHT, WHERE_SLOPE, WHERE_FACING, WHERE_MASK),
        "Restricts the node to heights, slopes, a side of the land or a linked mask. A linked mask counts with the "
        "others too.",
    ),
    P.metres(
        "where_low",
        "From height",
        0,
        "Lowest height at which the node works in full.",
        (-100_000, 100_000),
        (-200, 2000),
        scales=True,
    ),
    P.metres(
        "where_high",
        "To height",
        400,
        "Greatest height at which the node works in full.",
        (-100_000, 100_000),
        (-200, 2000),
        scales=True,
    ),
    P.metres(
        "where_falloff",
        "Height falloff",
        60,
        "Height over which the effect fades out.",
        (0, 100_000),
        (0, 500),
        scales=True,
    ),
    P.degrees("where_slope_low", "From slope", 20, "Gentlest slope on which the node works in full."),
    P.degrees("where_slope_high", "To slope", 90, "Steepest slope on which the node works in full."),
    P.degrees("where_slope_falloff", "Slope falloff", 8, "Degrees over which the effect fades out."),
    P.metres(
        "where_slope_over",
        "Slope over",
        24,
        "Distance over which slope is measured: the shorter, the smaller the cliffs that count.",
        (0.1, 5000),
        (24, 160),
        0,
        log=True,
        scales=True,
    ),
    P.degrees("where_facing", "Faces", 180, "Where the ground faces, clockwise from north: 180° is south.", (0, 360)),
    P.degrees(
        "where_facing_width", "Facing width", 90, "Sector of directions in which the node works in full.", (0, 360)
    ),
    P.degrees("where_facing_falloff", "Facing falloff", 40, "Degrees over which the effect fades out.", (0, 180)),
    P.toggle("where_invert", "Everywhere but there", False, "Turns the restriction round."),
)
_FINISH_HEIGHT = (
    P.toggle(
        "stretch",
        "Stretch to range",
        False,
        "Stretches the result so that it runs from the lowest to the highest height given.",
    ),
    P.metres(
        "stretch_low",
        "Lowest",
        0,
        "Lowest height after stretching.",
        (-100_000, 100_000),
        (-500, 2000),
        shown_when=("stretch", (True,)),
        scales=True,
    ),
    P.metres(
        "stretch_high",
        "Highest",
        600,
        "Greatest height after stretching.",
        (-100_000, 100_000),
        (-500, 2000),
        shown_when=("stretch", (True,)),
        scales=True,
    ),
    P.toggle("invert", "Invert", False, "Turns high into low within the result's own range."),
    P.toggle("rest_on_zero", "Rest on zero", False, "Moves the result so that its lowest point lies at 0 m."),
)
_FINISH_MASK = (
    P.toggle("stretch", "Stretch to range", False, "Stretches the mask so that it runs from black to white."),
    P.toggle("invert", "Invert", False, "Turns black into white."),
)
_FINISH_COLOUR = (
    P.fraction(
        "lightness_by", "Lighter by", 0.0, "Makes the colour lighter, or darker below zero.", (-1.0, 1.0), (-0.4, 0.4)
    ),
    P.fraction("contrast_times", "Contrast times", 1.0, "Contrast about middle lightness.", (0.0, 4.0), (0.2, 2.0)),
    P.fraction("saturation_times", "Saturation times", 1.0, "Below 100 % towards grey.", (0.0, 4.0), (0.0, 2.0)),
)
_FOLLOW = P.toggle(
    "follow_seed", "Follow the recipe's seed", True, "Off: the next seed of the recipe leaves this node as it is."
)
ENGINE_IDS = frozenset(p.id for p in (_FOLLOW,) + _WHERE + _FINISH_HEIGHT + _FINISH_MASK + _FINISH_COLOUR)


@lru_cache(4096)
def engine_params(spec: NodeSpec) -> tuple[P.Param, ...]:
    """Where, Amount and Finish as parameters, so that they are stored, published and checked like any other."""
    if not spec.outputs or spec.role:
        return ()
    seeds = (_FOLLOW,) if spec.has_seed else ()
    where: tuple = ()
    if spec.restrictable:
        where = _WHERE
    finish = {HEIGHT: _FINISH_HEIGHT, "any": _FINISH_HEIGHT, MASK: _FINISH_MASK, COLOUR: _FINISH_COLOUR}.get(
        spec.result.kind, ()
    )
    return seeds + where + finish


@lru_cache(4096)
def param_index(spec: NodeSpec) -> dict[str, P.Param]:
    return {p.id: p for p in spec.all_params}


_REGISTRY: dict[str, NodeSpec] = {}


def node(kind: str, name: str, category: str, summary: str, **more) -> Callable:
    """Declares a node. The decorated function takes a Context and returns {output id: array}."""

    def declare(compute: Callable) -> Callable:
        doc = (compute.__doc__ or "").strip()
        spec = NodeSpec(kind, name, category, summary, compute, help=doc, **more)
        package = packages.owner()
        if not packages.own_kind(kind, package):
            before = f"the package's name and a dot, as in {package}.{kind}" if package else "no dot"
            raise ValueError(f"{kind}: the id of a kind of node has {before} before it")
        if category not in CATEGORIES and not package:
            raise ValueError(f"{kind}: unknown category {category}")
        if kind in _REGISTRY and _REGISTRY[kind].compute.__module__ != compute.__module__:
            raise ValueError(f"two nodes are called {kind}")
        own = {p.id for p in spec.params}
        if own & ENGINE_IDS or len(own) != len(spec.params):
            raise ValueError(f"{kind}: a parameter is declared twice or uses an engine name")
        _REGISTRY[kind] = spec
        return compute

    return declare


@cache
def registry() -> dict[str, NodeSpec]:
    """All nodes by kind; imports every module below ``gelande.nodes`` once, then those of other packages."""
    nodes = importlib.import_module("gelande.nodes")
    for module in pkgutil.walk_packages(nodes.__path__, "gelande.nodes."):
        importlib.import_module(module.name)
    packages.load(_REGISTRY)
    return _REGISTRY


@cache
def categories() -> tuple[str, ...]:
    """Gelande's own categories, then those of other packages."""
    others = {spec.category for spec in registry().values()} - set(CATEGORIES)
    return (*CATEGORIES, *sorted(others))


def spec_of(kind: str) -> NodeSpec | None:
    """The declaration of a kind, or None when this version does not know it."""
    return registry().get(kind)


def height_in(id: str = "height", label: str = "Height", optional: bool = False, help: str = "") -> Port:
    return Port(id, label, HEIGHT, optional, help)


def any_in(id: str = "height", label: str = "Input", help: str = "Land, a mask or a colour.") -> Port:
    return Port(id, label, "any", False, help)


def any_out(id: str = "height", label: str = "Result") -> Port:
    """Output of the kind that comes into the input of the same id."""
    return Port(id, label, "any")


def mask_in(id: str, label: str, optional: bool = False, help: str = "") -> Port:
    return Port(id, label, MASK, optional, help)


def colour_in(id: str, label: str, optional: bool = False, help: str = "") -> Port:
    return Port(id, label, COLOUR, optional, help)


def height_out(id: str = "height", label: str = "Height") -> Port:
    return Port(id, label, HEIGHT)


def mask_out(id: str = "mask", label: str = "Mask") -> Port:
    return Port(id, label, MASK)


def colour_out(id: str = "colour", label: str = "Colour") -> Port:
    return Port(id, label, COLOUR)
