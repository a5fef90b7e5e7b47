"""Building a delivery: evaluate, write, read back, and a manifest of it all.

A level that is small enough is evaluated whole, one deliverable after the other. A larger one is computed in strips
from north to south, all deliverables at once, and kept on disk until each is written: what a build holds in memory
grows with the width of the level only.

"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import Path

from gelande.core import model, walk
from gelande.core.cache import Cache
from gelande.core.context import Arrays
from gelande.core.errors import DeliveryError, NodeError, Stopped
from gelande.core.evaluate import Evaluator, Job, Stop
from gelande.core.files import reason_of, sweep, write_text
from gelande.core.job import WHOLE_BESIDE_STRIPS
from gelande.core.model import Deliverable, Recipe
from gelande.core.plan import Plan, is_whole
from gelande.core.query import last_of
from gelande.core.raster import COLOUR, HEIGHT, expected_shape
from gelande.core.rolling import Rolling
from gelande.core.site import Site
from gelande.core.words import clean
from gelande.kernels.frame import Frame

from .formats import format_of
from .manifest import manifest, put_aside
from .names import file_name, manifest_name
from .samples import InMemory, OnDisk, Samples
from .together import key_of, rounded
from .write import write_deliverable

WAITING, WORKING, WRITING, DONE, FAILED, STOPPED = (
    "waiting",
    "computing",
    "writing",
    "written, read back",
    "failed",
    "stopped",
)
#: Computing a result counts this much of a deliverable's bar; writing and reading back the rest.
COMPUTE_SHARE = 0.8
#: Rows of a strip: as many as a tile of the erosion has.
STRIP = 1024
#: Bytes of results that are kept between strips beside what strips hand on to each other.
STRIP_CACHE = 500_000_000


@dataclass
class Item:
    """The state of one deliverable in a build."""

    deliverable: Deliverable
    state: str = WAITING
    share: float = 0.0
    note: str = ""
    facts: dict | None = None


@dataclass
class Build:
    """A delivery being built. tell(index, item) is called on every change of state."""

    recipe: Recipe
    level: int
    folder: Path
    evaluator: Evaluator
    items: list[Item]
    stop: Stop = field(default_factory=Stop)
    tell: Callable[[int, Item], None] = lambda index, item: None
    base: Path = Path()
    whole: int = WHOLE_BESIDE_STRIPS

    def say(self, item: Item, state: str, share: float, note: str = "") -> None:
        """Notes an item's state and tells it."""
        item.state, item.share, item.note = state, share, note
        self.tell(self.items.index(item), item)

    def job(self, progress=None) -> Job:
        """A request of this build."""
        at_once = is_whole(self.recipe.site, self.level, self.whole)
        limit = self.whole if at_once else min(self.whole, WHOLE_BESIDE_STRIPS)
        return Job(self.recipe, self.base, self.stop, progress, limit)

    def checked(self, item: Item) -> None:
        """Raises DeliveryError when a deliverable cannot be written as it is ordered; Stopped."""
        self.stop.check()
        d = item.deliverable
        fmt, port = format_of(d.format), model.output_port(self.recipe, d.node, d.port)
        fmt.checked(dict(d.options))
        if port is not None and port.kind not in (fmt.kind, "any"):
            raise DeliveryError(
                f"{fmt.label} is written from a {fmt.kind}, and {self.recipe.nodes[d.node].name} gives a {port.kind} "
                "here; choose another format"
            )
        for node_id in walk.upstream(self.recipe, d.node) if fmt.kind == COLOUR else ():
            state = self.recipe.nodes[node_id]
            why = state.spec.unfinished(state.params) if state.spec and state.spec.unfinished else ""
            if why:
                raise DeliveryError(f"in {state.name} {why} before its colours are delivered")

    def guarded(self, item: Item, work: Callable[[], None]) -> bool:
        """Does work for one deliverable; whatever happens to it ends up in its state, and the others go on."""
        try:
            work()
            return True
        except Stopped:
            self.say(item, STOPPED, 0.0, "nothing was left of it")
        except MemoryError:
            self.say(item, FAILED, 0.0, "there is not enough memory at this detail; choose a smaller one")
        except Exception as error:
            self.say(item, FAILED, 0.0, clean(str(error) or type(error).__name__))
        return False

    def write(self, item: Item, samples: Samples) -> None:
        """Writes a deliverable whose samples are there."""
        d, rest = item.deliverable, 1 - COMPUTE_SHARE
        self.say(item, WRITING, COMPUTE_SHARE)
        path = self.folder / file_name(self.recipe, d)
        tell = lambda share: self.say(item, WRITING, COMPUTE_SHARE + rest * share)  # noqa: E731
        item.facts = write_deliverable(self.recipe, d, samples, self.level, path, self.stop, tell)
        self.say(item, DONE, 1.0)

    def one(self, item: Item) -> None:
        """Computes and writes one deliverable at once."""

        def work():
            self.checked(item)
            self.say(item, WORKING, 0.0)
            job = self.job(lambda share, label, left: self.say(item, WORKING, COMPUTE_SHARE * share, label))
            d = item.deliverable
            made = self.evaluator.run(job, d.node, self.level)
            self.write(item, InMemory(*rounded(self.recipe, d, made, self.stop)))

        self.guarded(item, work)

    def strips(self) -> Iterator[Frame]:
        """Frames that make up the level, from north to south."""
        yield from strips(self.recipe.site, self.level)

    def in_strips(self) -> None:
        """Computes all deliverables strip by strip onto the disk, then writes each."""
        going = [item for item in self.items if self.guarded(item, partial(self.checked, item))]
        kept: dict[tuple, OnDisk] = {}
        try:
            for item in list(going):
                if not self.guarded(item, partial(self._room_for, item, kept)):
                    going.remove(item)
            frames = list(self.strips())
            nodes = list(dict.fromkeys(item.deliverable.node for item in going))
            place = {"k": 0}

            def told(share, label, left):
                for item in going:
                    self.say(item, WORKING, COMPUTE_SHARE * (place["k"] + share) / len(frames), label)

            engine = Evaluator(Cache(STRIP_CACHE), keys=self.evaluator.known_keys)
            sweep = Rolling(engine, self.job(told)).sweep(nodes, self.level, frames)
            try:
                for k, found in enumerate(sweep):
                    going = self._kept(going, dict(zip(nodes, found)), kept)
                    place["k"] = k + 1
            except Stopped:
                going = [item for item in going if self.guarded(item, self.stop.check)]
            for item in going:
                d = item.deliverable
                self.guarded(item, partial(self.write, item, kept[key_of(self.recipe, d)]))
        finally:
            for samples in kept.values():
                samples.close()

    def _room_for(self, item: Item, kept: dict) -> None:
        d = item.deliverable
        key = key_of(self.recipe, d)
        if key not in kept:
            self.folder.mkdir(parents=True, exist_ok=True)
            kind = format_of(d.format).kind
            try:
                kept[key] = OnDisk(expected_shape(kind, self.recipe.site.shape(self.level)), self.folder)
            except OSError as error:
                raise DeliveryError(f"{self.folder} cannot be written into: {reason_of(error)}.") from None
        self.say(item, WORKING, 0.0)

    def _kept(self, going: list[Item], found: dict[str, Arrays | NodeError], kept: dict) -> list[Item]:
        """Puts a strip of every output onto the disk. Returns the items that go on."""
        on, added = [], set()
        for item in going:
            d = item.deliverable

            def work(d=d):
                made = found[d.node]
                if isinstance(made, NodeError):
                    raise made
                key = key_of(self.recipe, d)
                if key not in added:
                    added.add(key)
                    try:
                        kept[key].add(*rounded(self.recipe, d, made, self.stop))
                    except OSError as error:
                        why = f"there is no room for what is computed in {self.folder}: {reason_of(error)}."
                        raise DeliveryError(why) from None

            if self.guarded(item, work):
                on.append(item)
        return on


def strips(site: Site, level: int) -> Iterator[Frame]:
    """Frames of full width that make up a level, from north to south."""
    rows, columns = site.shape(level)
    for top in range(0, max(rows - 1, 1), STRIP):
        bottom = rows if top + STRIP >= rows - 1 else top + STRIP
        yield Frame.between(top, bottom, 0, columns, (rows, columns))


def usual(recipe: Recipe) -> tuple[Deliverable, ...]:
    """The deliverables of a recipe that names none: the last height twice, the last colour."""
    found, made = last_of(recipe), []
    if HEIGHT in found:
        made += [
            Deliverable("Height", *found[HEIGHT], "height_tiff32"),
            Deliverable("Height for engine", *found[HEIGHT], "height_png16"),
        ]
    if COLOUR in found:
        made.append(Deliverable("Colour", *found[COLOUR], "colour_png8"))
    return tuple(made)


def ordered(recipe: Recipe) -> tuple[Deliverable, ...]:
    """What a recipe delivers: what it names, or the usual. Raises DeliveryError when there is nothing, or two would be
    one file."""
    wanted = recipe.deliverables or usual(recipe)
    if not wanted:
        raise DeliveryError("There is nothing to deliver: the recipe has no height or colour yet.")
    names = [file_name(recipe, d) for d in wanted]
    twice = next((n for n in names if names.count(n) > 1), None)
    if twice:
        raise DeliveryError(f"Two deliverables would be written as {twice}; give one another name.")
    return wanted


def plans(recipe: Recipe, level: int, evaluator: Evaluator, base: Path = Path()) -> Iterator[Plan]:
    """What a build would compute, one plan a part. Raises DeliveryError when there is nothing to deliver."""
    job, wanted = Job(recipe, base), [(n, level) for n in dict.fromkeys(d.node for d in ordered(recipe))]
    if is_whole(recipe.site, level, WHOLE_BESIDE_STRIPS):
        yield evaluator.plan(job, wanted)
        return
    job = replace(job, whole=WHOLE_BESIDE_STRIPS)
    nodes = [node for node, _ in wanted]
    yield from Rolling(evaluator, job).plans(nodes, level, list(strips(recipe.site, level)))


def build(
    recipe: Recipe,
    level: int,
    folder: Path,
    evaluator: Evaluator,
    stop: Stop | None = None,
    tell: Callable[[int, Item], None] = lambda index, item: None,
    base: Path = Path(),
    whole: int = WHOLE_BESIDE_STRIPS,
) -> list[Item]:
    """Builds all deliverables at a level into a folder. tell(index, item) is called on every change of state; whole:
    samples up to which a level is evaluated at once.

    What was finished stays when it is stopped or something fails. Raises DeliveryError when there is nothing to
    deliver."""
    items = [Item(d) for d in ordered(recipe)]
    folder = Path(folder)
    work = Build(recipe, level, folder, evaluator, items, Stop() if stop is None else stop, tell, base, whole)
    sweep(folder)
    if is_whole(recipe.site, level, whole):
        for item in items:
            work.one(item)
    else:
        work.in_strips()
    done = [item.facts for item in items if item.facts]
    if done:
        block = manifest(recipe, level, done, len(done) == len(items))
        try:
            put_aside(recipe, [i.deliverable for i in items], {facts["file"] for facts in done}, folder)
            write_text(folder / manifest_name(recipe), json.dumps(block, indent=2) + "\n")
        except OSError as error:
            raise DeliveryError(f"The manifest cannot be written into {folder}: {reason_of(error)}.") from None
    return items
