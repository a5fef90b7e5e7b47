"""Recipes built and changed by programs: nodes, links, settings, controls, groups. Each call goes through the same
functions as the window's edit, with the same checks and sentences."""

from __future__ import annotations

import difflib
import os
import random
import shutil
import tempfile
import weakref
from collections.abc import Iterable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from .core.errors import RecipeError
from .core.recipe import clipboard, control, convert, graph, group, kinds, model, walk
from .core.recipe.model import NodeState, Target
from .core.recipe.node import NodeSpec, registry
from .delivering import Delivering
from .rasters import write_geotiff


def nearest(wrong: str, names: Iterable[str]) -> str:
    """' (did you mean …?)' with the name that is most like a wrong one, or ''."""
    found = difflib.get_close_matches(wrong, list(names), 1, 0.6)
    return f" (did you mean {found[0]}?)" if found else ""


def kind_named(name: str) -> NodeSpec:
    """A kind of node by its id or its name, whatever the case. Raises RecipeError offering the nearest."""
    wanted = name.strip().casefold()
    for spec in registry().values():
        if wanted in (spec.kind.casefold(), spec.name.casefold()):
            return spec
    raise RecipeError(f'There is no node called {name!r}{nearest(wanted, registry())}; "gelande nodes" lists them.')


class Output:
    """One output of a node, as rain["flow"]."""

    def __init__(self, node: Node, port: str) -> None:
        self.node, self.port = node, port

    def __repr__(self) -> str:
        return f"<{self.port} of {self.node.name}>"


class Node:
    """A node of a land. Its settings are attributes: read as they are stored, set as numbers in metres, degrees and
    shares, or as text as people write it ("1.8 km", "35 %"). node["flow"] is one of its outputs."""

    id: str

    def __init__(self, land: Building, node_id: str) -> None:
        object.__setattr__(self, "_land", land)
        object.__setattr__(self, "id", node_id)

    # -- what it is -----------------------------------------------------------------------------------
    @property
    def state(self) -> NodeState:
        """The node as the recipe has it. Raises RecipeError when it was removed."""
        return self._land.recipe.node(self.id)

    @property
    def name(self) -> str:
        """The name on its card."""
        return self.state.name

    @property
    def kind(self) -> str:
        """The id of its kind."""
        return self.state.kind

    @property
    def settings(self) -> dict[str, Any]:
        """All its settings as they are stored, in metres, degrees and shares."""
        return dict(self.state.params)

    @property
    def outputs(self) -> list[str]:
        """Ids of its outputs."""
        return [p.id for p in self.state.declared.outputs]

    @property
    def inputs(self) -> dict[str, Output]:
        """What is linked to its inputs, by their ids."""
        return {port: Output(Node(self._land, n), out) for port, (n, out) in self.state.inputs.items()}

    @property
    def off(self) -> bool:
        """True while what comes in passes through."""
        return self.state.off

    @off.setter
    def off(self, value: bool) -> None:
        self._land._edit(graph.switch(self._land.recipe, [self.id], bool(value)))

    def __getitem__(self, output: str) -> Output:
        if output not in self.outputs:
            has = ", ".join(self.outputs) or "none"
            raise RecipeError(
                f"{self.name} has no output called {output}{nearest(output, self.outputs)}; it has {has}."
            )
        return Output(self, output)

    def __getattr__(self, name: str) -> Any:
        if name.startswith("_"):
            raise AttributeError(name)
        state = self.state
        try:
            return state.value(setting_named(state, name))
        except RecipeError as error:
            raise AttributeError(str(error)) from None

    def __setattr__(self, name: str, value: Any) -> None:
        if name == "off":
            object.__setattr__(self, name, value)
        elif name == "name":
            self._land._edit(graph.rename(self._land.recipe, self.id, value))
        else:
            self.set(**{name: value})

    def __dir__(self) -> list[str]:
        return sorted({*super().__dir__(), *self.state.params})

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Node) and (self.id, self._land) == (other.id, other._land)

    def __hash__(self) -> int:
        return hash(self.id)

    def __repr__(self) -> str:
        return f"<{self.kind} {self.name!r}>"

    # -- changing it ----------------------------------------------------------------------------------
    def set(self, **settings: Any) -> Node:
        """Sets settings. Raises RecipeError naming the setting, the value and the range, or the nearest name."""
        recipe = self._land.recipe
        for name, value in settings.items():
            state = recipe.node(self.id)
            setting = setting_named(state, name)
            recipe = graph.set_param(recipe, self.id, setting, _read(state, setting, value))
        self._land._edit(recipe)
        return self

    def link(self, source: Node | Output, port: str = "") -> Node:
        """Links an output to an input, to the first free one that takes it when none is named. What the input had
        goes. Raises RecipeError saying why they do not fit."""
        recipe, (node, output) = self._land.recipe, end_of(source)
        state = recipe.node(self.id)
        entries = state.declared.all_inputs
        if port and port not in {p.id for p in entries}:
            has = [p.id for p in entries]
            raise RecipeError(f"{state.name} has no input called {port}{nearest(port, has)}; it has {', '.join(has)}.")
        if not port:
            carries = kinds.kind_at(recipe, node, output)
            fits = [p.id for p in state.declared.inputs if p.takes(carries)]
            # where none takes it, a node that converts goes between
            fits = fits or [p.id for p in state.declared.inputs if convert.between(carries, p.kind)]
            if not fits:
                raise RecipeError(f"{state.name} has no input that takes {carries}.")
            port = next((p for p in fits if p not in state.inputs), fits[0])
        self._land._edit(convert.linked_through(recipe, node, output, self.id, port)[0])
        return self

    def unlink(self, port: str) -> Node:
        """Takes the link off an input."""
        self._land._edit(graph.unlink(self._land.recipe, self.id, port))
        return self

    def insert(self, target: Node, port: str) -> Node:
        """Puts the node into the link that ends at an input of another one."""
        self._land._edit(graph.insert(self._land.recipe, self.id, target.id, port))
        return self

    def replace(self, kind: str) -> Node:
        """Makes it another kind, with the links that fit and the settings of the same name."""
        recipe = graph.replace_kind(self._land.recipe, self.id, kind_named(kind).kind)
        self._land._edit(control.without_misfits(recipe))
        return self

    def remove(self) -> None:
        """Takes it out; what came into it goes on to what followed."""
        self._land._edit(graph.remove(self._land.recipe, [self.id]))

    def shuffle(self, seed: int, setting: str = "") -> Node:
        """New values for its settings, or for one of them, drawn within what their sliders reach."""
        only = setting_named(self.state, setting) if setting else ""
        self._land._edit(graph.shuffle(self._land.recipe, self.id, random.Random(seed), only))
        return self

    def next_seed(self, step: int = 1) -> Node:
        """Steps its seed on."""
        self._land._edit(graph.next_seed(self._land.recipe, self.id, step))
        return self

    def show(self, node: Node, setting: str, on: bool = True) -> Node:
        """Shows a member's setting among those of this group, or takes it away."""
        self._land._edit(group.show_setting(self._land.recipe, self.id, node.id, setting, on))
        return self

    def give(self, source: Node | Output) -> Output:
        """Gives this group another output, fed by a member's."""
        recipe, port = group.add_output(self._land.recipe, self.id, *end_of(source))
        self._land._edit(recipe)
        return Output(self, port)

    def unpack(self) -> None:
        """Takes a group apart."""
        self._land._edit(group.unpack(self._land.recipe, self.id))


def end_of(source: Node | Output) -> tuple[str, str]:
    """(node, output) of what is given as a source."""
    if isinstance(source, Output):
        return source.node.id, source.port
    if isinstance(source, Node):
        return source.id, source.state.declared.result.id
    raise RecipeError(f"{source!r} is no node and no output of one.")


def setting_named(state: NodeState, name: str) -> str:
    """The id of a node's setting by its id, by its label, or by the last word of either where that is clear. Raises
    RecipeError offering the nearest."""
    if name in state.params:
        return name
    try:
        state.setting(name)  # of a layer, as layer.name
        return name
    except KeyError:
        pass
    words = {p.id: {p.id, p.label.lower().replace(" ", "_")} for p in state.declared.all_params}
    for fits in (lambda word: word == name, lambda word: word.endswith(f"_{name}")):
        found = [key for key, names in words.items() if any(map(fits, names))]
        if len(found) == 1:
            return found[0]
    raise RecipeError(f"{state.name} has no setting called {name}{nearest(name, state.params)}.")


def _has(state: NodeState, name: str) -> bool:
    try:
        setting_named(state, name)
    except RecipeError:
        return False
    return True


def _read(state: NodeState, name: str, value: Any) -> Any:
    """A setting's value, read as in the bench where it is text. Raises RecipeError."""
    param = state.setting(name)
    if isinstance(value, np.ndarray):
        value = value.tolist()
    if isinstance(value, list):
        value = tuple(tuple(v) if isinstance(v, list) else v for v in value)
    if not isinstance(value, str):
        return value
    try:
        return param.parse(value)
    except ValueError as error:
        raise RecipeError(f"{state.name}: {error}.") from None


class Building(Delivering):
    """The part of a land whose recipe is built and changed."""

    _recipe: model.Recipe
    _folder: Path
    #: Where files of arrays lie until the recipe is saved.
    _arrays: Path

    @property
    def recipe(self) -> model.Recipe:
        """The recipe as it stands; it never changes, a changed one takes its place."""
        return self._recipe

    def _edit(self, recipe: model.Recipe) -> None:
        self._recipe = recipe

    # -- nodes ------------------------------------------------------------------------------------------
    def add(self, kind: str, *sources: Node | Output | np.ndarray, name: str = "", **settings: Any) -> Node:
        """A new node. kind: its id or name; sources: linked to its inputs in their order, an array of heights in
        metres for an elevation file; a setting's name gives its value, an input's name what is linked to it; where: a
        mask (or "height", "slope", "facing"). Nothing is added when something is wrong. Raises RecipeError."""
        spec, before = kind_named(kind), self._recipe
        try:
            self._recipe, node_id = graph.add(before, spec.kind, name=name)
            node = Node(self, node_id)
            for source in sources:
                if isinstance(source, np.ndarray):
                    node.set(numbers="metres", file=str(self._array_file(source, node_id)))
                else:
                    node.link(source)
            ports = {p.id for p in spec.all_inputs}
            for key, value in settings.items():
                if isinstance(value, (Node, Output)):
                    node.link(value, "mask" if key == "where" else key)
                elif key in ports and not _has(node.state, key):
                    raise RecipeError(f"{node.name}: {key} is an input; give a node or an output.")
                else:
                    node.set(**{key: value})
        except RecipeError:
            self._recipe = before
            raise
        return node

    def node(self, name: str) -> Node:
        """A node by its id or the name on its card. Raises RecipeError offering the nearest."""
        if name in self._recipe.nodes:
            return Node(self, name)
        found = [n for n, s in self._recipe.nodes.items() if s.name.casefold() == name.strip().casefold()]
        if len(found) == 1:
            return Node(self, found[0])
        if found:
            raise RecipeError(f"{len(found)} nodes are called {name}; their ids are {', '.join(found)}.")
        names = [*self._recipe.nodes, *(s.name for s in self._recipe.nodes.values())]
        raise RecipeError(f"There is no node called {name}{nearest(name, names)}.")

    @property
    def all_nodes(self) -> list[Node]:
        """All nodes, each after what it is made from."""
        return [Node(self, n) for n in walk.in_order(self._recipe)]

    def copy(self, nodes: Sequence[Node]) -> list[Node]:
        """Copies of nodes, linked among each other as they are and to what theirs are linked to."""
        text = clipboard.copy(self._recipe, [n.id for n in nodes])
        self._recipe, found = clipboard.paste(self._recipe, text)
        return [Node(self, n) for n in found]

    def insert_file(self, path: str | os.PathLike) -> list[Node]:
        """Adds the nodes of a group file."""
        self._recipe, found = clipboard.add_file(self._recipe, Path(path))
        return [Node(self, n) for n in found]

    def pack(self, nodes: Sequence[Node], name: str = "Group") -> Node:
        """Packs nodes into a group. Raises RecipeError."""
        self._recipe, found = group.pack(self._recipe, [n.id for n in nodes], name)
        return Node(self, found)

    def frame(self, nodes: Sequence[Node], title: str = "Frame") -> Node:
        """Puts a frame around nodes."""
        self._recipe, found = group.frame(self._recipe, [n.id for n in nodes], title)
        return Node(self, found)

    def cairn(self, source: Node | Output, name: str = "") -> Node:
        """Sets a cairn on an output: a name by which others link to it."""
        self._recipe, found = group.set_cairn(self._recipe, *end_of(source))
        if name:
            self._edit(graph.rename(self._recipe, found, name))
        return Node(self, found)

    def note(self, text: str) -> Node:
        """A note on the sheet."""
        return self.add("note", text=text)

    # -- controls -----------------------------------------------------------------------------------------
    def publish(
        self,
        node: Node,
        setting: str,
        label: str = "",
        group: str = "",
        low: float | str | None = None,
        high: float | str | None = None,
        help: str = "",
    ) -> str:
        """Puts a setting on the control sheet; a label that stands there already drives this one, too. low, high: its
        range, in the setting's unit. Returns its label. Raises RecipeError."""
        state = self._recipe.node(node.id)
        setting = setting_named(state, setting)
        ends = [None if v is None else _read(state, setting, v) for v in (low, high)]
        same = next((c for c in self._recipe.controls if label and c.label.casefold() == label.casefold()), None)
        if same is not None:
            more = replace(same, targets=(*same.targets, Target(node.id, setting)))
            self._edit(control.replace_control(self._recipe, same, more))
            return same.label
        recipe = control.publish(self._recipe, node.id, setting, label, group)
        made = control.published(recipe, node.id, setting)
        assert made is not None
        one = replace(
            made,
            low=made.low if ends[0] is None else ends[0],
            high=made.high if ends[1] is None else ends[1],
            help=help or made.help,
        )
        if one != made:
            recipe = control.replace_control(recipe, made, one)
        self._edit(recipe)
        return made.label

    def unpublish(self, label: str) -> None:
        """Takes a control off the sheet."""
        recipe = self._recipe
        for target in control.find(recipe, label).targets:
            recipe = control.unpublish(recipe, target.node, target.param)
        self._edit(recipe)

    def reorder(self, label: str, place: int) -> None:
        """Moves a control to a place on the sheet, counted from 0."""
        self._edit(control.reorder(self._recipe, control.find(self._recipe, label), place))

    def publish_seed(self) -> str:
        """Puts the recipe's seed on the control sheet."""
        self._edit(control.publish(self._recipe, model.RECIPE, "seed"))
        return "Seed"

    # -- files ----------------------------------------------------------------------------------------------
    def order(
        self,
        name: str,
        node: str | Node | Output,
        output: str = "",
        format: str = "",
        more: dict[str, tuple[str, str]] | None = None,
        **options: bool | int | float | str,
    ) -> None:
        """As Delivering.order; node may be a node or one of its outputs, too."""
        if not isinstance(node, str):
            node, output = end_of(node)
        super().order(name, node, output, format, more, **options)

    @property
    def has_arrays(self) -> bool:
        """True when heights came as arrays."""
        return "_arrays" in self.__dict__

    # -- arrays ---------------------------------------------------------------------------------------------
    def _array_file(self, heights: np.ndarray, name: str) -> Path:
        """A file of heights that came as an array; it is copied beside the recipe when that is saved."""
        if heights.ndim != 2 or min(heights.shape) < 2:
            raise RecipeError(
                f"Heights come as rows and columns; this array is {' by '.join(map(str, heights.shape))}."
            )
        if not np.isfinite(heights).all():
            raise RecipeError("The array of heights holds values that are no numbers (NaN or infinite).")
        if not self.has_arrays:
            self._arrays = Path(tempfile.mkdtemp(prefix="gelande-arrays-"))
            weakref.finalize(self, shutil.rmtree, self._arrays, ignore_errors=True)
        path = self._arrays / f"{name}.tif"
        rows, columns = heights.shape
        site = self._recipe.site
        east, north = site.width / (columns - 1), site.depth / (rows - 1)  # outer samples lie on the site's edges
        return write_geotiff(path, heights, (east, 0.0, -0.5 * east, 0.0, -north, site.depth + 0.5 * north))

    def _with_arrays_beside(self, folder: Path) -> model.Recipe:
        """The recipe with files of arrays copied into a folder and named from there."""
        recipe = self._recipe
        if not self.has_arrays:
            return recipe
        for node_id, state in recipe.nodes.items():
            file = Path(str(state.params.get("file", "")))
            if file.parent == self._arrays:
                target = folder / file.name
                shutil.copyfile(file, target)
                recipe = graph.set_param(recipe, node_id, "file", os.fspath(target.name))
        return recipe


__all__ = ["Building", "Node", "Output", "end_of", "kind_named", "nearest"]
