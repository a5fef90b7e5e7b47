"""A level that is computed in strips from north to south, all deliverables at once, onto the disk."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress

from gelande.core.errors import NodeError, Stopped
from gelande.core.evaluate.cache import Cache
from gelande.core.evaluate.executor import Evaluator, Run
from gelande.core.evaluate.plan import SIMULATED, Unit, covering
from gelande.core.evaluate.shared import Shared
from gelande.core.evaluate.strips import Rolling
from gelande.core.recipe import walk
from gelande.core.recipe.model import Recipe
from gelande.kernels.grid_window import GridWindow

from .delivery import COMPUTE_SHARE, Build
from .formats import format_of
from .item import WORKING, Item
from .parts import Part, strips_of
from .row import Row

#: Bytes of results that are kept between strips beside what strips hand on to each other.
STRIP_CACHE = 500_000_000
#: Blocks of a node beside each other that are computed at once.
BLOCKS_AT_ONCE = 4


def block_size(recipe: Recipe, node: str, level: int) -> tuple[int, int]:
    """Rows and columns of the blocks that a node computes in."""
    blocks = recipe.nodes[node].reads(recipe.site).blocks
    assert blocks is not None
    return blocks(level)


def block_rows(recipe: Recipe, nodes: list[str], level: int) -> list[tuple[str, int, int]]:
    """Rows of blocks of what comes into some nodes, in their order: (node, first sample of a row of its blocks,
    sample after its last)."""
    above = set().union(*(walk.upstream(recipe, node) for node in nodes))
    found, total = [], recipe.site.shape(level)[0]
    for node in walk.in_order(recipe):
        state = recipe.nodes[node]
        if node not in above or state.spec is None or state.off or state.bake is not None:
            continue
        if state.reads(recipe.site).blocks is not None:
            tall = block_size(recipe, node, level)[0]
            rows = max(1, -(-(total - 1) // tall))
            found += [(node, k * tall, total if k == rows - 1 else (k + 1) * tall) for k in range(rows)]
    return found


class Strips:
    """The strips of what is still to be written of some items."""

    def __init__(self, build: Build, going: list[Item]) -> None:
        self._build, self._going = build, going
        options = ((format_of(i.deliverable.format), dict(i.deliverable.options)) for i in going)
        self.margin = max((fmt.margin(chosen, build.dx) for fmt, chosen in options), default=0)
        self.parts: set[Part] = {part for item in going for part in build.left[build.index(item)]}
        self.windows = strips_of((part.window for part in self.parts), self.margin)
        self.nodes = list(dict.fromkeys(s[0] for item in going for s in build.streamed(item).values()))

    def sources(self, windows: list[GridWindow]) -> list[GridWindow]:
        """The windows of the level that strips are made from."""
        return [self._build.grid.source(window) for window in windows]

    def rows(self) -> list[list[Part]]:
        """The parts, row by row."""
        return [[p for p in self.parts if p.y == y] for y in sorted({p.y for p in self.parts})]

    def engine(self) -> Evaluator:
        """Evaluator of the strips."""
        return Evaluator(Cache(STRIP_CACHE), store=self._build.shared, keys=self._build.evaluator.known_keys)

    def run(self) -> None:
        """Computes all of them, and writes each row of tiles when it is there, while the next is computed."""
        build, going, done = self._build, self._going, 0
        rows = [Row(build, parts, self.margin) for parts in self.rows()]

        def told(fraction, label, left) -> None:
            for item in going:
                if not item.over:
                    part = COMPUTE_SHARE * (done + fraction) / len(self.windows)
                    build.say(item, WORKING, max(item.fraction, part), label)

        def write(row: Row, items: list[Item]) -> None:
            row.finish(items)
            build.note(False)

        writer, written = ThreadPoolExecutor(1, thread_name_prefix="tiles"), []
        try:
            for item in going:
                build.say(item, WORKING, 0.0)
            for found in Rolling(self.engine(), build.job(told)).sweep(
                self.nodes, build.level, self.sources(self.windows)
            ):
                window = self.windows[done]
                for row in rows:
                    going = row.take(going, window, dict(zip(self.nodes, found)))
                    if row.ends_with(window):
                        written.append(writer.submit(write, row, list(going)))
                del found
                done += 1
                for row_written in [w for w in written if w.done()]:
                    row_written.result()  # a disk that is full ends the delivery
            for row_written in written:
                row_written.result()
        except Stopped:
            for item in going:
                if not item.over:
                    build.guarded(item, build.stop.check)
        finally:
            writer.shutdown(cancel_futures=True)
            for row in rows:
                row.close()

    def publish_blocks(self, shared: Shared, node: str, top: int, bottom: int) -> None:
        """Computes a row of the blocks that a node computes in, as far as it is needed for what is still to be written,
        and puts them where other programs find them. Raises NodeError, OSError, Stopped."""
        build = self._build
        tall, broad = block_size(build.recipe, node, build.level)
        grid = build.recipe.site.shape(build.level)
        near = (build.grid.source(part.window).grown(tall) for part in self.parts)
        if not any(f.top < bottom and f.top + f.height > top for f in near):
            return
        engine, blocks = self.engine(), GridWindow.between(top, bottom, 0, grid[1], grid).tiles(tall, broad)
        for k in range(0, len(blocks), BLOCKS_AT_ONCE):
            run = Run(engine, build.job())
            unit = run.planner.unit(node, build.level, SIMULATED, covering(blocks[k : k + BLOCKS_AT_ONCE]))
            (made,) = run.evaluate([unit])
            if unit.window.whole:
                shared.publish(run.key(unit), made)

    def publish(self, shared: Shared) -> None:
        """Computes what rows of tiles need of whole levels, and puts it where other programs find it. Raises
        Stopped."""
        run = Rolling(self.engine(), self._build.job())
        wanted: dict[Unit, None] = {}
        windows = [f for parts in self.rows() for f in strips_of((part.window for part in parts), self.margin)]
        for todo in run.plans(self.nodes, self._build.level, self.sources(windows)):
            for unit in todo.units:
                coarser = (need for need in todo.needs[unit] if need.level < self._build.level and need.window.whole)
                if unit.level == self._build.level:
                    wanted |= dict.fromkeys(coarser)
        for unit in sorted(wanted, key=lambda u: u.level):
            # what fails, or finds no room on the disk, does so again where it is asked for
            with suppress(NodeError, OSError):
                shared.publish(run.key(unit), run.evaluate([unit])[0])
