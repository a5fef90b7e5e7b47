"""A row of tiles that is gathered on disk, strip by strip, until it can be written."""

from __future__ import annotations

from functools import partial

from gelande.core.errors import DeliveryError, NodeError
from gelande.core.evaluate.context import Arrays
from gelande.core.files.disk import reason_of
from gelande.kernels.grid_window import GridWindow

from .delivery import Build
from .formats import format_of
from .item import Item
from .parts import Part
from .samples import OnDisk, Samples
from .together import Key


class Row:
    """A row of tiles that is being gathered on disk, strip by strip."""

    def __init__(self, build: Build, parts: list[Part], margin: int) -> None:
        self._build, self._parts = build, sorted(parts, key=lambda p: p.x)
        self._kept: dict[Key, OnDisk] = {}
        first, last = self._parts[0].window, self._parts[-1].window
        window = first.union(last)
        self.window = window.grown(margin) if margin else window
        self._over = False

    def take(self, going: list[Item], strip: GridWindow, found: dict[str, Arrays | NodeError]) -> list[Item]:
        """Adds what a strip has of the row. Returns the items that go on."""
        top, bottom = (
            max(strip.top, self.window.top),
            min(strip.top + strip.height, self.window.top + self.window.height),
        )
        if self._over or top >= bottom:
            return going
        inside = self.window._replace(top=top, height=bottom - top)
        on: list[Item] = []
        added: set[Key] = set()
        for item in going:
            if self._build.guarded(item, partial(self._add, item, strip, inside, found, added)):
                on.append(item)
        return on

    def _add(self, item: Item, strip: GridWindow, inside: GridWindow, found: dict, added: set[Key]) -> None:
        build = self._build
        fmt = format_of(item.deliverable.format)
        for source in build.streamed(item).values():
            made = found[source[0]]
            if isinstance(made, NodeError):
                raise made
            key = build.key_of(source, fmt)
            if key in added:
                continue
            added.add(key)
            rows, moved, off = build.prepared(source, fmt, made, strip)
            try:
                self._samples(key, rows.shape[2] if rows.ndim == 3 else 0).add(inside.cut(rows, strip), moved, off)
            except OSError as error:
                why = f"there is no room for what is computed in {build.folder}: {reason_of(error)}."
                raise DeliveryError(why) from None

    def _samples(self, key: Key, channels: int) -> OnDisk:
        if key not in self._kept:
            folder = self._build.folder
            try:
                folder.mkdir(parents=True, exist_ok=True)
                self._kept[key] = OnDisk(self.window, channels, folder)
            except OSError as error:
                raise DeliveryError(f"{folder} cannot be written into: {reason_of(error)}.") from None
        return self._kept[key]

    def ends_with(self, strip: GridWindow) -> bool:
        """True when a strip was the row's last."""
        return strip.top < self.window.top + self.window.height <= strip.top + strip.height

    def finish(self, going: list[Item]) -> None:
        """Writes the row's tiles."""
        build = self._build
        for item in going:
            fmt = format_of(item.deliverable.format)
            kept = {s: self._kept[build.key_of(at, fmt)] for s, at in build.streamed(item).items()}
            for part in self._parts:
                if part in build.left[build.index(item)] and not item.over:
                    build.guarded(item, partial(self._write, item, kept, part))
        self.close()

    def _write(self, item: Item, kept: dict[str, OnDisk], part: Part) -> None:
        build, fmt = self._build, format_of(item.deliverable.format)
        samples: dict[str, Samples] = {**kept, **build.fixed(fmt, item)}
        build.write(item, build.cut(fmt, item, samples, part), part)

    def close(self) -> None:
        """Gives the room on the disk back."""
        self._over = True
        for samples in self._kept.values():
            samples.close()
        self._kept = {}
