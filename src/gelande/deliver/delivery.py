"""One delivery while it is made: what is still to be written of it, and how one of its files is."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path

import numpy as np

from gelande.core.errors import DeliveryError, Stopped
from gelande.core.evaluate.context import Arrays
from gelande.core.evaluate.executor import Evaluator, Job, Stop
from gelande.core.evaluate.job import WHOLE_BESIDE_STRIPS
from gelande.core.evaluate.plan import is_whole
from gelande.core.evaluate.query import water_over
from gelande.core.evaluate.shared import Shared
from gelande.core.files.disk import reason_of, write_text
from gelande.core.recipe import kinds, walk
from gelande.core.recipe.deliverables import Source
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.raster import COLOUR, HEIGHT
from gelande.core.recipe.site import FIGURES_LEVEL
from gelande.core.words import clean
from gelande.kernels.grid_window import GridWindow

from .formats import WATER, Writer, format_of
from .grid import Grid
from .importsheet import write_sheet
from .item import DONE, FAILED, STOPPED, WORKING, WRITING, Item
from .layers import options_of
from .manifest import Earlier, made_from, manifest
from .names import is_one, manifest_name, names_of, stem
from .parts import Part
from .place import Place, Work
from .samples import Cut, InMemory, Off, Samples
from .spans import is_found, spans_of
from .together import Key, key_of, ports_of, rounded
from .wanted import with_format_nodes
from .write import write_file

#: Computing a result counts this much of a deliverable's bar; writing and reading back the rest.
COMPUTE_SHARE = 0.8


@dataclass
class Build:
    """A delivery being built. tell(index, item) is called on every change of state; parts: tiles that are wanted;
    span: heights that 16-bit counts run over, when others share them; apart: whether files of the whole site are
    written beside the tiles; shared: where other programs left what they found."""

    recipe: Recipe
    level: int
    folder: Path
    evaluator: Evaluator
    items: list[Item]
    parts: list[Part]
    stop: Stop = field(default_factory=Stop)
    tell: Callable[[int, Item], None] = lambda index, item: None
    base: Path = Path()
    whole: int = WHOLE_BESIDE_STRIPS
    span: tuple[float, float] | None = None
    earlier: Earlier = field(default_factory=lambda: Earlier(Path()))
    record: bool = True
    apart: bool = True
    shared: Shared | None = None
    #: Of each item by place in the list: its span, and the tiles that are still to be written.
    spans: dict[int, tuple[float, float] | None] = field(default_factory=dict)
    left: dict[int, list[Part]] = field(default_factory=dict)
    _found: dict[Source, tuple[float, float]] = field(default_factory=dict)
    #: The recipe with nodes that formats lead their outputs through, and what those give, by place in the list.
    drawn: Recipe | None = None
    _format_outputs: dict[int, Source] = field(default_factory=dict)

    def say(self, item: Item, state: str, fraction: float, note: str = "") -> None:
        """Notes an item's state and tells it."""
        item.state, item.fraction, item.note = state, fraction, note
        self.tell(self.index(item), item)

    def index(self, item: Item) -> int:
        """The place of an item in the list."""
        return next(k for k, other in enumerate(self.items) if other is item)

    @property
    def at_once(self) -> bool:
        """True when the level is evaluated whole."""
        return is_whole(self.recipe.site, self.level, self.whole)

    @property
    def tiled(self) -> bool:
        """True when each deliverable is several files."""
        return not self.parts[0].window.whole

    def job(self, progress: Callable | None = None) -> Job:
        """A request of this build."""
        limit = self.whole if self.at_once else min(self.whole, WHOLE_BESIDE_STRIPS)
        return Job(self.drawn or self.recipe, self.base, self.stop, progress, limit)

    def stripped(self, going: list[Item]) -> list[Item]:
        """Those items that are computed in strips."""
        return [] if self.at_once else [item for item in going if not is_one(item.deliverable)]

    # -- before anything is computed --------------------------------------------------------------------
    def checked(self, item: Item) -> None:
        """Raises DeliveryError when a deliverable cannot be written as it is ordered; Stopped."""
        self.stop.check()
        d = item.deliverable
        fmt = format_of(d.format)
        fmt.checked(options_of(self.recipe, d))
        Place(self.recipe.site, self.level, self.parts[0].window, self.recipe.delivery).crs()
        slot_kinds = {"": fmt.kind, **{slot.id: slot.kind for slot in fmt.slots}}
        for slot, source in d.sources.items():
            port = kinds.output_port(self.recipe, *source)
            if slot not in slot_kinds:
                raise DeliveryError(f"{fmt.label} has no place for {slot}")
            if port is not None and port.kind not in (slot_kinds[slot], "any"):
                raise DeliveryError(
                    f"{fmt.label} is written from a {slot_kinds[slot]}, and {self.recipe.nodes[source[0]].name} gives "
                    f"a {port.kind} here; choose another format"
                )
            for node_id in walk.upstream(self.recipe, source[0]) if slot_kinds[slot] == COLOUR else ():
                state = self.recipe.nodes[node_id]
                why = state.spec.unfinished(state.params) if state.spec and state.spec.unfinished else ""
                if why:
                    raise DeliveryError(f"in {state.name} {why} before its colours are delivered")
        lacking = next((s.label for s in fmt.slots if s.needed and d.other(s.id) is None), "")
        if lacking:
            raise DeliveryError(f"{fmt.label} needs an output for {lacking.lower()}; choose one")

    def guarded(self, item: Item, work: Callable[[], None]) -> bool:
        """Does work for one deliverable; whatever happens to it ends up in its state, and the others go on."""
        try:
            work()
            return True
        except Stopped:
            left = (
                f"{len(item.files)} of {len(self.parts_for(item))} tiles are there"
                if item.files
                else "nothing was left of it"
            )
            self.say(item, STOPPED, 0.0, left)
        except MemoryError:
            self.say(item, FAILED, 0.0, "there is not enough memory at this detail; choose a smaller one")
        except Exception as error:
            self.say(item, FAILED, 0.0, clean(str(error) or type(error).__name__))
        return False

    def begin(self) -> list[Item]:
        """Finds what has to be written of each item. Returns the items that are not all there already."""
        self.draw()
        going = [item for item in self.items if self.guarded(item, partial(self.checked, item))]
        going = [item for item in going if self.guarded(item, partial(self._look, item))]
        orders = [item.deliverable for item in going]
        found = spans_of(self.recipe, orders, self.span, self._found)
        for item, span in zip(going, found):
            self.spans[self.index(item)] = span
        keys = self.evaluator.keys(self.recipe, self.base)
        for item in list(going):
            left = []
            for part in self.parts_for(item):
                facts = self.earlier.same(self.names(item, part)[0], self.origin(item, part, keys))
                if facts is None:
                    left.append(part)
                else:
                    item.files.append(facts)
                    item.kept += 1
            self.left[self.index(item)] = left
            if not left:
                going.remove(item)
                self.say(item, DONE, 1.0, "unchanged")
        return going

    def _look(self, item: Item) -> None:
        """Finds the range of a height whose counts run over what is found, at 513 samples or the coarser level that is
        built."""
        d = item.deliverable
        if not is_found(self.recipe.delivery, d, self.tiled, self.span) or d.source in self._found:
            return
        data = self.evaluator.result(self.job(), d.node, min(self.level, FIGURES_LEVEL))[d.port]
        self._found[d.source] = float(data.min()), float(data.max())

    def origin(self, item: Item, part: Part, keys: dict[str, str]) -> str:
        """Key of the contents of an item's file."""
        return made_from(self.recipe, keys, item.deliverable, self.level, part, self.spans.get(self.index(item)))

    def names(self, item: Item, part: Part) -> list[str]:
        """The files of a part of an item."""
        return names_of(self.recipe, item.deliverable, self.level, None if part.window.whole else part)

    def parts_for(self, item: Item) -> list[Part]:
        """Parts that are written of an item: the tiles, or one file of the whole site."""
        if not is_one(item.deliverable):
            return self.parts
        return [Part(0, 0, GridWindow.of(self.grid.shape))] if self.apart else []

    # -- writing ----------------------------------------------------------------------------------------
    def write(self, item: Item, samples: dict[str, Samples], part: Part) -> None:
        """Writes a part of a deliverable whose samples are there."""
        d, rest = item.deliverable, 1 - COMPUTE_SHARE
        place = Place(self.recipe.site, self.level, part.window, self.recipe.delivery)
        done, count, tile = len(item.files), len(self.parts_for(item)), not part.window.whole
        note = part.words if tile else ""

        def tell(fraction: float) -> None:
            self.say(item, WRITING, max(item.fraction, COMPUTE_SHARE + rest * (done + fraction) / count), note)

        tell(0.0)
        name = stem(self.recipe, d, self.level, part if tile else None)
        facts = write_file(
            Work(d, place, self.recipe, self.stop, tell), samples, self.folder, name, self.spans[self.index(item)]
        )
        where = {"tile": [part.x, part.y], "first_sample": [part.window.left, part.window.top]} if tile else {}
        keys = self.evaluator.keys(self.recipe, self.base)
        item.files.append({**facts, **where, "made_from": self.origin(item, part, keys)})
        self.left[self.index(item)].remove(part)
        if not self.left[self.index(item)]:
            self.say(item, DONE, 1.0)

    def claim(self) -> None:
        """Notes which files are going to be written, so that whatever happens they are known to be of this delivery;
        moves files of these names that nobody knows apart, so that they are kept. Raises DeliveryError."""
        names = {n for k, left in self.left.items() for part in left for n in self.names(self.items[k], part)}
        if not self.record or not names:
            return
        try:
            self.earlier.claim(self.recipe, names)
        except OSError as error:
            raise DeliveryError(f"{self.folder} cannot be written into: {reason_of(error)}.") from None

    def note(self, over: bool) -> None:
        """Writes the manifest as things stand. over: nothing more will be written. Raises DeliveryError."""
        files = [facts for item in self.items for facts in item.files]
        if over and self.record:
            self.earlier.release(self.recipe)
        if not files or not self.record:
            return
        fresh = {name for f in files for name in (f["file"], *(b["file"] for b in f.get("beside", ())))}
        try:
            left: set[str] = {name for name in self.earlier.names - fresh if self.earlier.is_there(name)}
            if over:
                wanted = (
                    name for item in self.items for part in self.parts_for(item) for name in self.names(item, part)
                )
                self.earlier.put_aside(wanted, fresh)
                left = set()
            complete = all(item.state == DONE for item in self.items)
            block = manifest(self.recipe, self.level, files, complete, left)
            write_text(self.folder / manifest_name(self.recipe), json.dumps(block, indent=2) + "\n", follow=False)
            if over:
                write_sheet(block, self.folder, manifest_name(self.recipe))
        except OSError as error:
            raise DeliveryError(f"The manifest cannot be written into {self.folder}: {reason_of(error)}.") from None

    # -- a level that is evaluated whole ----------------------------------------------------------------
    def one(self, item: Item) -> None:
        """Computes and writes one deliverable at once."""

        def work() -> None:
            self.say(item, WORKING, 0.0)
            job = self.job(lambda fraction, label, left: self.say(item, WORKING, COMPUTE_SHARE * fraction, label))
            fmt = format_of(item.deliverable.format)
            samples: dict[str, Samples] = {}
            for slot, source in self.sources(item).items():
                level = self.fixed_level(item, slot)
                made = self.evaluator.run(job, source[0], self.level if level is None else level)
                whole = level is not None
                samples[slot] = InMemory(made[source[1]]) if whole else InMemory(*self.prepared(source, fmt, made))
            if fmt.water:
                samples |= self._water(item, samples[""])
            for part in list(self.left[self.index(item)]):
                self.write(item, self.cut(fmt, item, samples, part), part)

        self.guarded(item, work)
        self.note(False)

    def cut(self, fmt: Writer, item: Item, samples: dict[str, Samples], part: Part) -> dict[str, Samples]:
        """The samples that a format looks at for a part of a deliverable."""
        margin = fmt.margin(options_of(self.recipe, item.deliverable), self.dx)
        window = part.window.grown(margin) if margin else part.window
        whole = {slot for slot in samples if self.fixed_level(item, slot) is not None}
        return {slot: s if s.window == window or slot in whole else Cut(s, window) for slot, s in samples.items()}

    def fixed_level(self, item: Item, slot: str) -> int | None:
        """The level at which a format asks for an output; None for the delivery's own part of it."""
        d = item.deliverable
        return format_of(d.format).fixed(slot, self.recipe.site, self.level, options_of(self.recipe, d))

    def _water(self, item: Item, ground: Samples) -> dict[str, Samples]:
        """The depth of the water over a height, where there is any."""
        sources, level = self.sources(item).values(), self.fixed_level(item, "")
        nodes = set().union(*(walk.upstream(self.recipe, node) for node, _ in sources))
        depth = water_over(self.evaluator, self.job(), nodes, self.level if level is None else level, ground.all())
        return {WATER: InMemory(depth)} if depth is not None else {}

    def fixed(self, fmt: Writer, item: Item) -> dict[str, Samples]:
        """The samples that a format asks for at a level of their own."""
        found: dict[str, Samples] = {}
        for slot, (node, port) in self.sources(item).items():
            level = self.fixed_level(item, slot)
            if level is not None:
                found[slot] = InMemory(self.evaluator.result(self.job(), node, level)[port])
        return found

    def streamed(self, item: Item) -> dict[str, Source]:
        """The outputs of an item that are computed at the delivery's level, by slot."""
        return {s: at for s, at in self.sources(item).items() if self.fixed_level(item, s) is None}

    # -- outputs that are led through a node first ------------------------------------------------------
    def draw(self) -> None:
        """Adds the nodes that formats lead their outputs through to what is computed."""
        drawn, self._format_outputs = with_format_nodes(self.recipe, [item.deliverable for item in self.items])
        self.drawn = drawn if self._format_outputs else None

    def sources(self, item: Item) -> dict[str, Source]:
        """The outputs that are computed for an item, by slot."""
        found = item.deliverable.sources
        remap_sources = self._format_outputs.get(self.index(item))
        return {**found, "": remap_sources} if remap_sources is not None else found

    def key_of(self, source: Source, fmt: Writer) -> Key:
        """Key of what is kept of an output for a format."""
        return key_of(self.drawn or self.recipe, source, fmt)

    def prepared(
        self, source: Source, fmt: Writer, made: Arrays, window: GridWindow | None = None
    ) -> tuple[np.ndarray, float, Off]:
        """The samples of an output that are written, on a window of the delivery's grid or all of it; how far they were
        moved at most, and how far they are from the level's own. made: on the window of the level for that."""
        recipe, key = self.drawn or self.recipe, self.key_of(source, fmt)
        ports = {port: kinds.kind_at(recipe, source[0], port) == HEIGHT for port in ports_of(recipe, key)}
        taken, off = self.grid.taken(made, ports, window or GridWindow.of(self.grid.shape), self.stop)
        return (*rounded(recipe, key, taken, self.stop), off[source[1]])

    @property
    def grid(self) -> Grid:
        """The grid of the files."""
        return Grid.of(self.recipe.site, self.level, self.recipe.delivery)

    @property
    def dx(self) -> float:
        """Metres between samples."""
        return self.grid.dx
