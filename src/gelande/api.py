"""Gelande for programs: open a recipe, set its controls, ask for heights, masks and colours, deliver.

    import gelande

    land = gelande.open("examples/varrowdale.gelande")
    land.set("Riser height", 30)
    land.seed = 7
    print(land.height(513).max())
    land.deliver("out", detail=2049)

Lengths and heights are in metres, masks run from 0 to 1, colours are linear RGB. Whatever can go wrong is a
GelandeError with one sentence that says what, where and what to do.
"""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from .building import Node, Output, end_of, kind_named, nearest
from .core.errors import DeliveryError, GelandeError, NodeError, RecipeError, stops_told
from .core.errors import StoppedError as Stopped
from .core.evaluate import pieces, query
from .core.evaluate.cache import Cache
from .core.evaluate.executor import Evaluator
from .core.evaluate.job import Stop
from .core.evaluate.standing import standing
from .core.files.disk import reason_of
from .core.recipe import control as C
from .core.recipe import geojson, kinds, model
from .core.recipe import param as P
from .core.recipe.node import CATEGORIES, NodeSpec, categories, registry
from .core.recipe.packages import Package
from .core.recipe.packages import packages as found_packages
from .core.recipe.raster import COLOUR, HEIGHT, MASK
from .core.recipe.recipefile import load, save
from .core.recipe.seeds import locked
from .core.recipe.site import Site
from .core.regenerate import kept_ground, preset, setfile, variant
from .core.regenerate.figures import FIGURES, Figures
from .core.words import clean
from .delivering import Certificates, File, all_formats, common_span, deliver_all, formats, scheduler_warning
from .heightfiles import drainage_of, likeness_of
from .kernels.bands import set_threads
from .kernels.grid_window import GridWindow
from .measuring import Measuring
from .places import examples_folder
from .rasters import CUT, ERROR, PAD, UNITS, Raster, Region, SampleRegion, padded

__all__ = [
    "CATEGORIES",
    "Certificates",
    "Control",
    "DeliveryError",
    "File",
    "GelandeError",
    "Land",
    "Node",
    "NodeError",
    "NodeSpec",
    "Output",
    "Raster",
    "RecipeError",
    "Region",
    "Stop",
    "Stopped",
    "all_formats",
    "common_span",
    "deliver_all",
    "drainage_of",
    "examples_folder",
    "figure_names",
    "formats",
    "likeness_of",
    "nearest",
    "new",
    "node_kind",
    "node_kinds",
    "open",
    "packages",
    "reason_of",
    "scheduler_warning",
    "set_threads",
]

#: What may be asked for instead of the whole site.
Area = Region | SampleRegion | None
#: Samples of coarser levels that are evaluated whole, and kept, while regions are asked for.
REGION_WHOLE = 1025 * 1025
#: Bytes for results that are kept between two questions.
ROOM = 1_500_000_000


@dataclass(frozen=True)
class Control:
    """A control of the sheet as it stands. text: the value as people read it; low, high: its range, None where it has
    none; choices: what it may be set to, where that is a list."""

    label: str
    group: str
    value: object
    text: str
    low: float | None
    high: float | None
    choices: tuple[str, ...]
    help: str


class Land(Measuring):
    """A recipe and what it makes. Questions that were asked before are answered from memory."""

    def __init__(self, recipe: model.Recipe, folder: str | os.PathLike = ".", memory: float | None = None) -> None:
        """folder: where outside files and bakes of the recipe are; memory: GB for results between questions."""
        self._recipe, self._folder = recipe, Path(folder)
        self._evaluator = Evaluator(Cache(ROOM if memory is None else int(memory * 1e9)))
        self.stop = Stop()

    # -- what it is -----------------------------------------------------------------------------------
    @property
    def site(self) -> Site:
        """Name, extent and sea level."""
        return self._recipe.site

    @property
    def seed(self) -> int:
        """The recipe's seed: another number gives another landscape of the same kind."""
        return self._recipe.seed

    @seed.setter
    def seed(self, value: int) -> None:
        try:
            self._recipe = replace(self._recipe, seed=P.seed().check(value))
        except ValueError as error:
            raise RecipeError(f"{error}.") from None

    @property
    def details(self) -> list[int]:
        """Samples along the long side that can be asked for."""
        return [self.site.samples(level) for level in self.site.levels]

    @property
    def nodes(self) -> dict[str, tuple[str, str, bool]]:
        """Name, category (or "not known to this version") and whether it is off, of every node by its id."""
        unknown = "not known to this version"
        states = self._recipe.nodes.items()
        return {n: (s.name, s.spec.category if s.spec else unknown, s.off) for n, s in states}

    @property
    def controls(self) -> list[Control]:
        """The control sheet."""
        found = []
        for c in self._recipe.controls:
            p = C.param_of(self._recipe, c)
            if p is None:
                found.append(Control(c.label, c.group, None, "?", None, None, (), c.help))
                continue
            value = C.value_of(self._recipe, c)
            found.append(Control(c.label, c.group, value, p.text(value), c.low, c.high, p.choices, c.help))
        return found

    def range_text(self, control: Control) -> str:
        """The values that a control can be set to, as people read them."""
        p = C.param_of(self._recipe, C.find(self._recipe, control.label))
        return p.span_text(control.low, control.high) if p else ""

    # -- changing it ----------------------------------------------------------------------------------
    def set(self, name: str, value: object) -> Land:
        """Sets a control by its label, whatever its case; "Seed" works whether it is published or not. value: a
        number, or a text as people write it ("30 m"). Raises RecipeError naming the control, the value and the
        range."""
        published = any(c.label.casefold() == name.strip().casefold() for c in self._recipe.controls)
        if name.strip().casefold() == "seed" and not published:
            param = P.seed()
            self.seed = self._read(param, param.label, value)
            return self
        control = C.find(self._recipe, name)
        param = C.param_of(self._recipe, control)
        if param is None:
            raise RecipeError(f"{control.label}: the node it drives is not known to this version.")
        self._recipe = C.set_control(self._recipe, control, self._read(param, control.label, value))
        return self

    @property
    def presets(self) -> list[str]:
        """Names of the presets that the recipe holds."""
        return [s.name for s in self._recipe.presets]

    def use(self, name: str) -> list[str]:
        """Sets all controls and seeds to a preset of the recipe. Returns a sentence for each value that has no place
        any more. Raises RecipeError naming the presets there are."""
        self._recipe, told = preset.apply_preset(self._recipe, preset.find_preset(self._recipe, name))
        return told

    def name_preset(self, name: str) -> Land:
        """Keeps the values of all controls as a preset under a name."""
        self._recipe = preset.with_preset(self._recipe, name)
        return self

    def read_set(self, path: str | os.PathLike) -> list[str]:
        """Takes what an artist chose from a set file. Returns a sentence for each thing that has no place any more."""
        self._recipe, told = setfile.load(Path(path), self._recipe)
        return told

    def lock(self, group: str, on: bool = True) -> Land:
        """Holds the seed of a group of nodes ("Landforms", "Weather", "Masks" or "Colour") where it is, or lets it
        go."""
        self._recipe = locked(self._recipe, group, on)
        return self

    def keep_area(
        self,
        outline: str | os.PathLike | list[tuple[float, float]],
        seed: int | None = None,
        preset_name: str = "",
        width: float | None = None,
    ) -> Land:
        """Keeps the land inside an area as it is now, or as it is under another seed or preset: whatever is set
        later, it stays. outline: (east, north) in metres, or a GeoJSON file in the site's metres; width: metres over
        which it is blended. Raises RecipeError."""
        if isinstance(outline, (str, os.PathLike)):
            pieces = geojson.read(Path(outline))
        else:
            pieces = ((False, False, tuple(outline)),)
        of = preset.find_preset(self._recipe, preset_name) if preset_name else preset.capture_preset(self._recipe)
        if seed is not None:
            try:
                of = replace(of, seed=P.seed().check(seed))
            except ValueError as error:
                raise RecipeError(f"{error}.") from None
        self._recipe = kept_ground.add(self._recipe, pieces, width=width, of=replace(of, name=""))
        return self

    def variants(
        self, by: str = "seed", seeds: tuple[int, int] = (0, 8), count: int = 9, names: tuple[str, ...] = ()
    ) -> list[tuple[str, Land]]:
        """Other outcomes of the recipe: (name, land). by: "seed" (seeds from the first to the last), "control", "grid"
        (of the controls in names), "around", or "between" (the presets in names). They share what is known."""
        count = seeds[1] - seeds[0] + 1 if by == "seed" else count
        found = variant.made(self._recipe, by, names, seeds[0], count)
        return [(v.name, self._like(v.recipe)) for v in found]

    def _like(self, recipe: model.Recipe) -> Land:
        other = Land(recipe, self._folder)
        other._evaluator = self._evaluator
        return other

    def cancel(self) -> None:
        """Stops what this land is at, on whatever thread: that ends with Stopped. What is asked for later begins
        anew."""
        stop, self.stop = self.stop, Stop()
        stop.set()

    @stops_told()
    def seen(self, detail: int = 129) -> tuple[str, np.ndarray, np.ndarray, np.ndarray | None]:
        """The output that shows most of the recipe: its last colours or else its last height: (kind of data, samples,
        the ground under them in metres, depth of the water over that or None)."""
        node, level = query.last_node(self._recipe), self.site.level_of(detail)
        if not node:
            raise RecipeError("The recipe has nothing to show yet.")
        job, port = self._job(), self._recipe.nodes[node].declared.result.id
        data = self._evaluator.run(job, node, level)[port]
        kind = kinds.kind_at(self._recipe, node, port)
        return kind, data, *query.ground_under(self._evaluator, job, node, port, level)

    @staticmethod
    def _read(param: P.Param, label: str, value: Any) -> Any:
        if not isinstance(value, str):
            return value
        try:
            return param.parse(value)
        except ValueError as error:
            raise RecipeError(f"{label}: {error}.") from None

    def save(self, path: str | os.PathLike) -> None:
        """Writes the recipe as it stands, whole or not at all, and files of arrays beside it. Raises RecipeError."""
        self._recipe = self._with_arrays_beside(Path(path).parent)
        save(self._recipe, Path(path))
        self._saved_at(path)

    # -- what it makes --------------------------------------------------------------------------------
    def height(self, detail: int = 513, region: Area = None, node: str | Node | Output = "") -> np.ndarray:
        """Heights in metres, float32 (rows from north, columns from west): of the recipe's last height, or of a
        node."""
        return self._data(HEIGHT, detail, region, node, "")

    def mask(self, node: str | Node | Output, output: str = "", detail: int = 513, region: Area = None) -> np.ndarray:
        """A mask from 0 to 1, float32 (rows, columns). output: of the node, its first mask when left out."""
        return self._data(MASK, detail, region, node, output)

    def colour(self, detail: int = 513, region: Area = None, node: str | Node | Output = "") -> np.ndarray:
        """Colours in linear RGB, float32 (rows, columns, 3): the recipe's last colours, or a node's."""
        return self._data(COLOUR, detail, region, node, "")

    def raster(
        self, source: str | Node | Output = HEIGHT, detail: int = 513, region: Area = None, outside: str = CUT
    ) -> Raster:
        """Samples with their place. source: "height" or "colour" for the recipe's last ones, a node, or one of its
        outputs; outside: what is done with a region that reaches beyond the site: "cut", "error", or "pad" with no
        number. Raises GelandeError."""
        level, site = self.site.level_of(detail), self.site
        if isinstance(source, str) and source in (HEIGHT, COLOUR):
            at, kind, name = query.last_output(self._recipe, source), source, source
        else:
            at = end_of(self.node(source) if isinstance(source, str) else source)
            kind, name = kinds.kind_at(self._recipe, *at), self._recipe.node(at[0]).name
        rows, columns = site.shape(level)
        place = region.place(site, level) if region else (0, rows, 0, columns)
        if outside not in (CUT, ERROR, PAD):
            raise GelandeError(f"Outside is {outside!r}; it must be {CUT}, {ERROR} or {PAD}.")
        if outside == ERROR and (min(place) < 0 or place[1] > rows or place[3] > columns):
            raise GelandeError(f"The region {region} lies partly outside the site, {site.width:g} by {site.depth:g} m.")
        values = self._samples(at, level, region)
        window = region.window(site, level) if region else GridWindow.of((rows, columns))
        if outside == PAD:
            values = padded(values, window, place)
        else:
            place = (window.top, window.top + window.height, window.left, window.left + window.width)
        dx, (top, bottom, left, right), given = site.spacing(level), place, self.delivery
        west, north = given.east + left * dx, given.north + site.depth - top * dx
        extent = (west, north - (bottom - 1 - top) * dx, west + (right - 1 - left) * dx, north)
        return Raster(values, extent, dx, UNITS.get(kind, "share"), name, given.epsg)

    def _data(self, kind: str, detail: int, region: Area, node: str | Node | Output, output: str) -> np.ndarray:
        if isinstance(node, Output):
            node, output = end_of(node)
        name = node.id if isinstance(node, Node) else node
        at = self._output(kind, name, output) if name else query.last_output(self._recipe, kind)
        return self._samples(at, self.site.level_of(detail), region)

    @stops_told()
    def _samples(self, at: tuple[str, str], level: int, region: Area) -> np.ndarray:
        job = self._job()
        if region is not None:  # of the level that is asked for only what it needs, and of all beyond 1025
            rows, columns = self.site.shape(max(level - 1, 0))
            job = replace(job, whole=min(REGION_WHOLE, rows * columns))
            return pieces.region(self._evaluator, job, *at, level, region.window(self.site, level))
        ask = self._evaluator.run if self.progress else self._evaluator.result
        return ask(job, at[0], level)[at[1]]

    def _output(self, kind: str, node: str, output: str) -> tuple[str, str]:
        state = self._recipe.node(node)
        ports = state.spec.outputs if state.spec else ()
        found = [p.id for p in ports if kinds.kind_at(self._recipe, node, p.id) == kind]
        if output and output not in found or not found:
            has = f"its outputs of that kind are {', '.join(found)}" if found else f"it gives no {kind}"
            raise RecipeError(
                f"{state.name} has no {kind} called {output!r}; {has}." if output else f"{state.name}: {has}."
            )
        return node, output or found[0]

    @stops_told()
    def water(self, detail: int = 513) -> np.ndarray | None:
        """Depth in metres of the water that stands on the recipe's last height, or None when there is none."""
        at = query.last_output(self._recipe, HEIGHT)
        job = self._job()
        return query.ground_under(self._evaluator, job, *at, self.site.level_of(detail))[1]

    @stops_told()
    def picture(
        self,
        path: str | os.PathLike,
        size: tuple[int, int] = (1920, 1080),
        camera: str = "",
        detail: int = 1025,
        things: bool = True,
        passes: int = 16,
        sun: tuple[float, float] = (318.0, 34.0),
        walk: int = 0,
        plain: bool = False,
    ) -> None:
        """Writes a picture of the land as PNG (or EXR, with depth), with what stands on it or without. camera: the name
        of a kept one, or "EAST,NORTH,HEADING" of somebody who stands there, or "" for the whole land; passes: more make
        smoother edges; sun: azimuth and height, degrees; walk: so many pictures from the first kept camera to the last;
        plain: without air and mirrors, for measuring. Raises GelandeError, OSError."""
        from .picturing import Order, write_picture
        from .scene.things import Things

        order, job = Order(size, camera, passes, sun, walk, plain), self._job()
        order.check()
        seen, dx = self.seen(detail), self.site.spacing(self.site.level_of(detail))
        stands = Things.of(standing(self._evaluator, job)) if things else None
        write_picture(Path(path), order, seen, dx, self._recipe.cameras, self.site.bare, stands, self.stop.flag)


def open(path: str | os.PathLike, memory: float | None = None) -> Land:
    """Opens a recipe file, which is never touched. memory: GB for results between questions. Raises RecipeError."""
    path = Path(path)
    land = Land(load(path), path.resolve().parent, memory)
    land.path = path.resolve()
    return land


def new(name: str = "Untitled", width: float | str = 4096.0, depth: float | str | None = None) -> Land:
    """An empty recipe of a size in metres, or as text ("6 km"); its short side is moved to the nearest that fits."""
    size = P.metres("size", "Size", 4096, "", (1, 1_000_000))
    east, north = (Land._read(size, "The site's size", side) for side in (width, width if depth is None else depth))
    return Land(model.Recipe(Site.fitted(clean(name, 200) or "Untitled", float(east), float(north))))


def write_sheet(
    path: str | os.PathLike,
    lands: Sequence[tuple[str, Land] | tuple[str, Land, Figures]],
    title: str = "",
    detail: int = 129,
    relief: bool = False,
) -> None:
    """Writes a picture of several lands side by side with their figures, as PNG. lands: (name, land), as variants gives
    them, with figures where they are known already; relief: as they look in Relief, and not from above. Raises
    GelandeError, OSError."""
    from .scene import sheet

    pictures = []
    for name, land, *known in lands:
        place = (*land.seen(detail), land.site, land.site.spacing(land.site.level_of(detail)))
        picture = sheet.relief_picture(*place, sheet.TILE) if relief else sheet.plan_picture(*place)
        figures = known[0] if known else land.figures(detail)
        pictures.append((picture, sheet.caption(name, figures, land.figure_choices)))
    sheet.save_sheet(sheet.sheet_image(pictures, title or f"{len(pictures)} variants"), Path(path))


def figure_names() -> dict[str, str]:
    """The figures that variants are sorted by: id and name."""
    return {name: figure.label for name, figure in FIGURES.items()}


def node_kinds() -> dict[str, list[NodeSpec]]:
    """All kinds of node by category, by name."""
    specs = sorted(registry().values(), key=lambda s: s.name)
    found = {category: [s for s in specs if s.category == category] for category in categories()}
    return {category: kinds for category, kinds in found.items() if kinds}


def packages() -> list[Package]:
    """Installed packages that bring nodes: name, version, folder, kinds, and why one could not be loaded."""
    registry()
    return list(found_packages())


def node_kind(name: str) -> NodeSpec:
    """A kind of node by its id or name, whatever the case. Raises RecipeError."""
    return kind_named(name)
