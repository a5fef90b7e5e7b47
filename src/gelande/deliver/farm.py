"""Deliveries on many machines, by Dask: each unit of work is a tile of a variant, or a variant that has no tiles.

Workers open the same folder and write finished files into it, each whole or not at all; what a lost worker was at is
done again by another. Files are the same bytes as those of one machine. Dask is an extra: pip install gelande[farm].

"""

from __future__ import annotations

import logging
import os
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path

from gelande.core.cache import Cache
from gelande.core.errors import DeliveryError
from gelande.core.evaluate import Evaluator
from gelande.core.files import sweep
from gelande.core.job import Stop
from gelande.core.model import Recipe
from gelande.core.recipe import dumps, loads
from gelande.kernels.bands import set_threads

from .build import Build, build
from .item import DONE, FAILED, STOPPED, Item
from .manifest import Earlier
from .parts import parts_of
from .wanted import ordered

#: Bytes of results that a worker keeps between units.
ROOM = 1_000_000_000
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
    """How far a farm is. done, total: units; at: of each worker, what it is doing or ""; link: of the scheduler's own
    page."""

    done: int
    total: int
    at: dict[str, str] = field(default_factory=dict)
    link: str = ""


@cache
def _engine() -> Evaluator:
    """What a worker process keeps from one unit to the next."""
    return Evaluator(Cache(ROOM))


def work(
    text: str,
    base: str,
    level: int,
    folder: str,
    tile: tuple[int, int] | None,
    apart: bool,
    span: tuple[float, float] | None,
    stop_name: str,
    threads: int,
) -> list[tuple]:
    """Done on a worker: builds a variant, or one of its tiles. Returns state, note, files and how many of those were
    there of each item."""
    from distributed import Event

    set_threads(threads)
    stop, asked, over = Stop(), Event(stop_name), threading.Event()

    def watch():
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
        columns, rows = (None, None) if tile is None else ([tile[0]], [tile[1]])
        items = build(
            loads(text),
            level,
            Path(folder),
            _engine(),
            stop,
            base=Path(base),
            span=span,
            columns=columns,
            rows=rows,
            record=False,
            apart=apart,
        )
    finally:
        over.set()
    return [(item.state, item.note, item.files, item.kept) for item in items]


@contextmanager
def cluster(workers: int = 0, scheduler: str = "") -> Iterator:
    """A client of a scheduler that runs somewhere, or of so many workers on this machine. Raises DeliveryError."""
    try:
        import dask
        from distributed import Client, LocalCluster
    except ImportError:
        raise DeliveryError(
            "Delivering on workers needs Dask, which is not installed; install it with: pip install gelande[farm]"
        ) from None
    if scheduler:
        try:
            client = Client(scheduler, timeout=10)
        except (OSError, ValueError, TimeoutError):
            raise DeliveryError(
                f"No scheduler answers at {scheduler}; start one with: dask scheduler, and give its address."
            ) from None
        try:
            yield client
        finally:
            client.close()
        return
    with (
        # a unit is given to a worker when that is free, and not before: units take long, and as long as each other
        dask.config.set({"distributed.scheduler.worker-saturation": 1.0}),
        LocalCluster(
            n_workers=workers,
            threads_per_worker=1,
            processes=True,
            dashboard_address="127.0.0.1:0",
            silence_logs=logging.CRITICAL,
        ) as local,
        Client(local) as client,
    ):
        yield client


def _words(key) -> str:
    """What a unit is, by its key; a scheduler may have work of others."""
    return str(key[1]) if isinstance(key, tuple) and len(key) > 1 else "other work"


class Farm:
    """Deliveries of variants by the workers of a client. tell: called with the progress."""

    def __init__(self, client, stop: Stop, tell: Callable[[Progress], None] = lambda progress: None, threads: int = 1):
        self._client, self._stop, self._tell, self._threads = client, stop, tell, threads
        self._noted: dict[int, float] = {}

    def deliver(self, variants: list[Variant], level: int, base: Path = Path()) -> list[list[Item]]:
        """Delivers variants at a level. Returns the items of each. Raises DeliveryError when there is nothing to
        deliver, or no worker is left."""
        from distributed import Event, wait

        if not self._client.scheduler_info()["workers"]:
            raise DeliveryError("The scheduler has no workers; start some with: dask worker ADDRESS, and try again.")
        builds = [self._begun(v, level, base) for v in variants]
        for b in builds:
            b.left = {k: list(b.parts_for(item)) for k, item in enumerate(b.items)}
            b.claim()
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
            for future in found:
                self._take(builds[waiting.pop(future)], future)
            self._tell(Progress(total - len(waiting), total, self._at(), self._client.dashboard_link or ""))
        for b in builds:
            self._end(b)
        return [b.items for b in builds]

    def _handed_out(self, variants: list[Variant], builds: list[Build], level: int, base: Path, name: str) -> dict:
        """Hands all units to the scheduler. Returns which build each belongs to. name: of the event that stops them."""
        keys, asked, owners = [], [], []
        there = str(Path(base).resolve())
        for k, (variant, b) in enumerate(zip(variants, builds)):
            text, where = dumps(variant.recipe), str(Path(variant.folder).resolve())
            for part in b.parts:
                tile = (part.x, part.y) if b.tiled else None
                # one group and one call, so that the scheduler keeps those back that no worker is free for
                keys.append((name, variant.folder.name + (f", tile {part.x} {part.y}" if tile else ""), k))
                # one of the units writes what is of the whole site
                asked.append((text, there, level, where, tile, part is b.parts[0], variant.span, name, self._threads))
                owners.append(k)
        return dict(zip(self._client.map(work, *zip(*asked), key=keys, pure=False), owners))

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
            earlier=Earlier.read(recipe, Path(variant.folder)),
        )

    def _at(self) -> dict[str, str]:
        """What each worker does now."""
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
                item.state, item.share, item.note = DONE, 1.0, ""
        b.note(True)
        sweep(b.folder)  # what a lost worker had begun
