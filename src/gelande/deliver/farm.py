"""Deliveries on many machines, by Dask: each unit of work is a row of tiles of a variant, or a variant.

Workers open the same folder and write finished files into it, each whole or not at all; what a lost worker was at is
done again by another. What all rows need of whole levels is computed once, before them, and shared through the folder.
Files are the same bytes as those of one machine. Dask is an extra: pip install gelande[farm].
"""

from __future__ import annotations

import ctypes
import os
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import CancelledError
from contextlib import ExitStack, contextmanager, suppress
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path
from shutil import rmtree
from tempfile import NamedTemporaryFile

from gelande.core.errors import DeliveryError, GelandeError, Stopped
from gelande.core.evaluate.cache import Cache
from gelande.core.evaluate.executor import Evaluator
from gelande.core.evaluate.job import WHOLE_BESIDE_STRIPS, Stop
from gelande.core.evaluate.shared import Shared
from gelande.core.files.disk import sweep
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.recipefile import dumps, loads
from gelande.kernels.bands import set_threads
from gelande.kernels.grid_window import GridWindow

from . import workers
from .build import SHARED, Build, alone, begun, build
from .item import DONE, FAILED, STOPPED, Item
from .manifest import Earlier
from .parts import parts_of
from .strips import Strips, block_rows
from .wanted import ordered

#: Bytes of results that a worker keeps between units.
ROOM = 1_000_000_000
#: Bytes of free memory that a worker keeps, and of a piece that it asks for by itself. Dask has its workers give
#: everything back at once, and getting it again cost a third of the time.
FREE, PIECE = 2**29, 2**25
#: Samples around a row of tiles that are looked at before it, if they are blocks of others.
MARGIN = 256
#: Seconds between two looks at what the workers do.
LOOK = 0.3
#: Seconds between two manifests of one delivery while it is built; what a killed program had not noted is made again.
NOTE = 1.0


@dataclass(frozen=True)
class Variant:
    """One recipe to deliver, and where to; span: heights that its 16-bit counts run over, when variants share them."""

    recipe: Recipe
    folder: Path
    span: tuple[float, float] | None = None


@dataclass
class Progress:
    """Progress of a farm. done, total: units; at: of each worker, what it is doing or ""; link: of the scheduler's own
    page."""

    done: int
    total: int
    at: dict[str, str] = field(default_factory=dict)
    link: str = ""


@cache
def _engine() -> Evaluator:
    """Evaluator that a worker process keeps from one unit to the next."""
    with suppress(OSError, AttributeError):  # another C library than that of GNU
        libc = ctypes.CDLL(None)
        libc.mallopt(-1, FREE)  # M_TRIM_THRESHOLD
        libc.mallopt(-3, PIECE)  # M_MMAP_THRESHOLD
    return Evaluator(Cache(ROOM))


@dataclass(frozen=True)
class Unit:
    """Task of a worker: a variant, or a row of its tiles. Everything in it can be sent. text: of the recipe;
    row: of tiles, or None for all of them; first: whether it writes what is of the whole site; stop: name of the event
    that stops it; whole: samples up to which a level is computed at once."""

    text: str
    base: str
    level: int
    folder: str
    row: int | None
    first: bool
    span: tuple[float, float] | None
    stop: str
    threads: int
    whole: int

    @property
    def shared(self) -> Shared:
        """Folder of what is found on whole levels."""
        return Shared(Path(self.folder) / SHARED)


@contextmanager
def _stopping(unit: Unit) -> Iterator[Stop]:
    """A stop that is set when the unit's event is."""
    from distributed import Event

    set_threads(unit.threads)
    stop, asked, over = Stop(), Event(unit.stop), threading.Event()

    def watch() -> None:
        while not over.is_set():
            try:
                if asked.wait(timeout=1):
                    stop.set()
                    return
            except (RuntimeError, OSError):  # the worker is being closed
                return

    if asked.is_set():
        stop.set()
    threading.Thread(target=watch, daemon=True).start()
    try:
        yield stop
    finally:
        over.set()


@contextmanager
def _ahead(unit: Unit) -> Iterator[Strips | None]:
    """Strips of a variant that are still to be computed. What cannot be computed ahead says why where it is used."""
    with _stopping(unit) as stop, suppress(GelandeError, Stopped, OSError):
        folder, base, found = Path(unit.folder), Path(unit.base), None
        with suppress(GelandeError, Stopped):
            recipe = loads(unit.text)
            found = begun(recipe, unit.level, folder, _engine(), unit.shared, stop, base, unit.span, unit.whole)
        yield found


def whole_levels(unit: Unit) -> None:
    """Done on a worker, before the rows of a variant: what they need of whole levels."""
    with _ahead(unit) as strips:
        if strips is not None:
            strips.publish(unit.shared)


def blocks(unit: Unit, node: str, top: int, bottom: int, before: None = None) -> None:
    """Done on a worker, before the rows of a variant: a row of the blocks that a node computes in."""
    with _ahead(unit) as strips:
        if strips is not None:
            strips.publish_blocks(unit.shared, node, top, bottom)


def work(unit: Unit, before: object = None) -> list[tuple]:
    """Done on a worker: builds a variant, or a row of its tiles. before: what has to be done first. Returns state,
    note, files and how many of those were there of each item."""
    with _stopping(unit) as stop:
        items = build(
            loads(unit.text),
            unit.level,
            Path(unit.folder),
            _engine(),
            stop,
            base=Path(unit.base),
            whole=unit.whole,
            span=unit.span,
            rows=None if unit.row is None else [unit.row],
            record=False,
            apart=unit.first,
            shared=unit.shared,
        )
    return [(item.state, item.note, item.files, item.kept) for item in items]


def _near(windows: list[GridWindow], top: int, bottom: int) -> bool:
    """True when rows of samples come into any of some windows, with what is around them."""
    return any(f.top - MARGIN < bottom and f.top + f.height + MARGIN > top for f in windows)


def _words(key: tuple[str, str, int]) -> str:
    """Words for a unit, by its key; a scheduler may have work of others."""
    return str(key[1]) if isinstance(key, tuple) and len(key) > 1 else "other work"


class Farm:
    """Deliveries of variants by the workers of a client. tell: called with the progress; whole: samples up to which a
    level is computed at once, and a variant is one unit."""

    def __init__(
        self,
        client,
        stop: Stop,
        tell: Callable[[Progress], None] = lambda progress: None,
        threads: int = 1,
        whole: int = WHOLE_BESIDE_STRIPS,
    ) -> None:
        self._client, self._stop, self._tell, self._threads, self._whole = client, stop, tell, threads, whole
        self._noted: dict[int, float] = {}
        # workers of this machine have no page
        self._page = "" if client.cluster is not None else client.dashboard_link or ""

    def deliver(self, variants: list[Variant], level: int, base: Path = Path()) -> list[list[Item]]:
        """Delivers variants at a level. Returns the items of each. Raises DeliveryError when there is nothing to
        deliver, or no worker is left."""
        builds = [self._begun(v, level, base) for v in variants]
        with ExitStack() as held:
            for folder in sorted({b.folder for b in builds}):
                held.enter_context(alone(folder))
            return self._delivered(variants, builds, level, base)

    def _delivered(self, variants: list[Variant], builds: list[Build], level: int, base: Path) -> list[list[Item]]:
        from distributed import Event, wait

        for b in builds:
            b.left = {k: list(b.parts_for(item)) for k, item in enumerate(b.items)}
            b.claim()
        with NamedTemporaryFile(dir=builds[0].folder, prefix=".seen_") as probe:
            workers.check(self._client, Path(probe.name))
        name = f"gelande-stop-{os.getpid()}-{time.monotonic_ns()}"
        asked = Event(name)
        waiting = self._handed_out(variants, builds, level, base, name)
        total = len(waiting)
        while waiting:
            if self._stop and not asked.is_set():
                asked.set()  # what has not begun sees it when it begins
            try:
                found = wait(list(waiting), timeout=LOOK, return_when="FIRST_COMPLETED").done
            except TimeoutError:
                found = set()
            except (OSError, CancelledError):
                raise DeliveryError(
                    "The scheduler ended. What was finished stays; start it again, and deliver once more."
                ) from None
            for future in found:
                owner = waiting.pop(future)
                if owner is not None:
                    self._take(builds[owner], future)
            self._tell(Progress(total - len(waiting), total, self._at(), self._page))
        for b in builds:
            self._end(b)
        return [b.items for b in builds]

    def _handed_out(self, variants: list[Variant], builds: list[Build], level: int, base: Path, name: str) -> dict:
        """Hands all units to the scheduler. Returns which build each belongs to, None for what is done before its rows.
        name: of the event that stops them."""
        keys, units, before = [], [], []
        owners: dict = {}
        for k, (variant, b) in enumerate(zip(variants, builds)):
            rows = sorted({part.y for part in b.parts}) if b.tiled and not b.at_once else [None]
            text, where = dumps(variant.recipe), str(Path(variant.folder).resolve())
            common = (text, str(Path(base).resolve()), level, where)
            made = [Unit(*common, row, row == rows[0], variant.span, name, self._threads, self._whole) for row in rows]
            needed = self._before(made[0], b, f"{name}-ahead", k) if len(rows) > 1 else {}
            owners |= dict.fromkeys(needed)
            for row, unit in zip(rows, made):
                windows = [b.grid.source(part.window) for part in b.parts if part.y == row]
                before.append([f for f, (top, bottom) in needed.items() if _near(windows, top, bottom)])
                keys.append((name, variant.folder.name + ("" if row is None else f", tiles in row {row}"), k))
                units.append(unit)
        # one group and one call, so that the scheduler keeps those back that no worker is free for
        futures = self._client.map(work, units, before, key=keys, pure=False)
        return {**owners, **dict(zip(futures, (key[2] for key in keys)))}

    def _before(self, unit: Unit, b: Build, name: str, k: int) -> dict:
        """Hands out what is done before the rows of a variant. Returns the rows of samples that each is for."""
        what, submit = Path(unit.folder).name, self._client.submit
        first = submit(whole_levels, unit, key=(name, f"{what}, whole levels", k), pure=False)
        found = {first: (0, b.recipe.site.shape(b.level)[0])}
        nodes = list({node for item in b.items for node, _ in item.deliverable.sources.values()})
        for node, top, bottom in block_rows(b.recipe, nodes, b.level):
            words = f"{what}, {b.recipe.nodes[node].name}, rows from {top}"
            there = (name, words, f"{k} {node}")
            found[submit(blocks, unit, node, top, bottom, first, key=there, pure=False)] = top, bottom
        return found

    def _begun(self, variant: Variant, level: int, base: Path) -> Build:
        recipe = variant.recipe
        items = [Item(d) for d in ordered(recipe, level)]
        return Build(
            recipe,
            level,
            Path(variant.folder),
            Evaluator(Cache(1)),
            items,
            parts_of(recipe.site, level, recipe.delivery),
            base=base,
            whole=self._whole,
            earlier=Earlier.read(recipe, Path(variant.folder)),
        )

    def _at(self) -> dict[str, str]:
        """Present task of each worker."""
        return {
            worker.rsplit(":", 1)[-1]: _words(keys[0]) if keys else ""
            for worker, keys in sorted(self._client.processing().items())
        }

    def _take(self, b: Build, future) -> None:
        """Takes in what a unit made."""
        if future.status == "finished":
            for item, (state, note, files, kept) in zip(b.items, future.result()):
                item.files += files
                item.kept += kept
                if state != DONE and item.state != FAILED:
                    item.state, item.note = state, note
        else:
            why = (
                "the delivery was stopped"
                if future.status == "cancelled"
                else f"its worker was lost: {future.exception()}"
            )
            for item in b.items:
                if item.state != FAILED:
                    item.state, item.note = (STOPPED if future.status == "cancelled" else FAILED), why
        if time.monotonic() - self._noted.get(id(b), 0.0) > NOTE:
            b.note(False)
            self._noted[id(b)] = time.monotonic()

    def _end(self, b: Build) -> None:
        for item in b.items:
            item.files.sort(key=lambda f: tuple(reversed(f.get("tile", (0, 0)))))
            if len(item.files) == len(b.parts_for(item)):
                item.state, item.fraction, item.note = DONE, 1.0, ""
        b.note(True)
        sweep(b.folder)  # what a lost worker had begun
        rmtree(b.folder / SHARED, ignore_errors=True)
