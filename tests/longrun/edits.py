"""Random edits as fast as the window takes them: no exception, no dead thread, no growth, and what is shown is what
a fresh evaluation gives."""

from __future__ import annotations

import ctypes
import gc
import os
import random
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path

import numpy as np

from gelande.core.regenerate import preset

#: Operations between two comparisons with a fresh evaluation.
BETWEEN = 60
#: Operations in the second window meanwhile.
BESIDE = 8
MOST_NODES = 26


class Gestures:
    """Does random things in a window, mostly through what the person's own gestures call."""

    def __init__(self, window, draw: random.Random, folder: Path):
        from gelande.core.recipe.node import registry

        self.w, self.draw, self.folder = window, draw, folder
        self.kinds = [k for k, s in registry().items() if k not in ("group", "frame", "entry", "elevation_file")]
        self.acts = {
            self.add: 10,
            self.setting: 16,
            self.link: 6,
            self.unlink: 2,
            self.delete: 3,
            self.undo: 6,
            self.redo: 3,
            self.off: 2,
            self.paste: 2,
            self.group: 2,
            self.order: 2,
            self.replace_kind: 2,
            self.site: 1,
            self.detail: 2,
            self.theme: 1,
            self.page: 3,
            self.size: 2,
            self.open: 0.6,
            self.save: 2,
            self.camera: 6,
            self.variants: 3,
            self.keeping: 2,
            self.deliver: 1,
            self.stop: 1,
            self.control: 3,
            self.bake: 1,
            self.look: 4,
            self.choose: 6,
            self.rename: 1,
            self.journal: 0.5,
        }

    def act(self) -> str:
        """One random thing. Returns its name."""
        run = self.draw.choices(list(self.acts), list(self.acts.values()))[0]
        run()
        return run.__name__

    @property
    def doc(self):
        return self.w.document

    @property
    def canvas(self):
        return self.w.compose.canvas

    def node(self) -> str:
        nodes = list(self.doc.recipe.nodes)
        return self.draw.choice(nodes) if nodes else ""

    def add(self):
        from PyQt6.QtCore import QPointF

        if len(self.doc.recipe.nodes) > MOST_NODES:
            return self.delete()
        place, chosen = QPointF(self.draw.uniform(0, 900), self.draw.uniform(0, 500)), self.canvas.chosen
        state = self.canvas.recipe.nodes.get(chosen)
        dragged = (
            (chosen, state.spec.main.id, True)
            if state and state.spec and state.spec.main and chosen != self.canvas.inside and self.draw.random() < 0.7
            else None
        )
        kind = self.draw.choice(self.kinds)
        self.canvas.add_node(kind, place, dragged)
        return None

    def setting(self):
        rows = self.w.compose.bench.rows
        if not rows:
            return
        row = rows[self.draw.choice(list(rows))]
        p = row.param
        if p.kind == "number":
            low, high = p.scaled_soft(self.doc.recipe.site.long_side)
            self.w.compose.bench.set_value(
                p.id,
                self.draw.choice(
                    (self.draw.uniform(low, high), p.hard[0], p.hard[1])
                    if self.draw.random() < 0.15
                    else (self.draw.uniform(low, high),)
                ),
            )
        elif p.kind in ("count", "seed"):
            self.w.compose.bench.set_value(p.id, self.draw.randint(int(p.soft[0]), int(p.soft[1])))
        elif p.kind == "choice":
            self.w.compose.bench.set_value(p.id, self.draw.choice(p.choices))
        elif p.kind == "toggle":
            self.w.compose.bench.set_value(p.id, self.draw.random() < 0.5)
        elif p.kind in ("line", "strokes"):
            w, d = self.doc.recipe.site.width, self.doc.recipe.site.depth
            points = tuple((self.draw.uniform(0, w), self.draw.uniform(0, d)) for _ in range(4))
            self.w.compose.bench.set_value(
                p.id, points if p.kind == "line" else ((0.05 * w, 0.02 * w if p.unit != "%" else 0.5, 0.3, points),)
            )

    def link(self):
        from gelande.core.recipe import graph

        recipe, a, b = self.doc.recipe, self.node(), self.node()
        if (
            not a
            or recipe.nodes[a].spec is None
            or not recipe.nodes[a].spec.outputs
            or recipe.nodes[b].spec is None
            or not recipe.nodes[b].spec.all_inputs
        ):
            return
        port, into = (
            self.draw.choice(recipe.nodes[a].spec.outputs).id,
            self.draw.choice(recipe.nodes[b].spec.all_inputs).id,
        )
        self.doc.edit("Link", lambda r: graph.link(r, a, port, b, into))

    def unlink(self):
        from gelande.core.recipe import graph

        links = list(self.doc.recipe.links())
        if links:
            _, _, target, port = self.draw.choice(links)
            self.doc.edit("Unlink", lambda r: graph.unlink(r, target, port))

    def choose(self):
        self.canvas.choose(self.node(), self.draw.random() < 0.3)

    def delete(self):
        self.choose()
        self.canvas.delete()

    def undo(self):
        for _ in range(self.draw.choice((1, 1, 2, 5))):
            self.doc.undo()

    def redo(self):
        for _ in range(self.draw.choice((1, 3))):
            self.doc.redo()

    def off(self):
        self.choose()
        self.draw.choice((self.canvas.toggle_off, self.canvas.next_seed))()

    def paste(self):
        if len(self.doc.recipe.nodes) < MOST_NODES:
            self.canvas.copy()
            self.canvas.paste()

    def group(self):
        way = self.draw.randrange(5)
        if way == 0:
            self.canvas.select_all() if self.draw.random() < 0.2 else self.choose()
            self.canvas.pack()
        elif way == 1:
            groups = [n for n, s in self.canvas.recipe.nodes.items() if s.kind == "group" and n != self.canvas.inside]
            if groups:
                self.canvas.enter(self.draw.choice(groups))
        elif way == 2:
            self.canvas.leave()
        elif way == 3:
            self.canvas.unpack()
        else:
            self.canvas.frame_selection()

    def order(self):
        self.draw.choice((self.canvas.arrange, self.canvas.set_cairn, self.canvas.fit))()

    def replace_kind(self):
        from gelande.core.recipe import graph
        from gelande.core.recipe.control import without_misfits

        node, kind = self.canvas.chosen, self.draw.choice(self.kinds)
        if node in self.doc.recipe.nodes:
            self.doc.edit("Replace", lambda r: without_misfits(graph.replace_kind(r, node, kind)))

    def rename(self):
        if self.canvas.chosen in self.canvas.sheet.rects.cards:
            self.canvas.start_rename(self.canvas.chosen)
            if self.canvas._rename is not None:
                self.canvas._rename.setText(self.draw.choice(("Crag", "\x1b[31m", "", "Ground " * 30)))
                self.canvas.setFocus()

    def site(self):
        from gelande.core.recipe.site import Site

        a, thin = 10 ** self.draw.uniform(2, 5), self.draw.choice((1, 1, 2, 7, 60))
        site = Site.fitted(
            "Somewhere", max(a, 20.0 * thin), max(a, 20.0 * thin) / thin, 64, self.draw.choice((0.0, 50.0))
        )
        self.doc.edit("Set the site", lambda r: replace(r, site=site))

    def detail(self):
        self.w.set_detail(self.draw.choice((1, 1, 2, 3)))

    def theme(self):
        from gelande.app.looks import looks

        looks.set_theme(self.draw.choice(("light", "dark", "contrast")))

    def page(self):
        self.w.go(self.draw.choice(("Compose", "Compose", "Variants", "Deliver")))

    def size(self):
        self.w.resize(self.draw.randint(900, 1500), self.draw.randint(600, 900))

    def open(self):
        from support import DEMO

        way = self.draw.randrange(4)
        if way == 0:
            self.w.filing.new()
        elif way == 1:
            self.w.filing.open_path(
                DEMO.parent / self.draw.choice(("columns.gelande", "old-volcano.gelande", "clint-pavement.gelande")),
                True,
            )
        else:
            path = self.folder / f"work{self.draw.randrange(3)}.gelande"
            if path.exists():
                self.w.filing.open_path(path)

    def save(self):
        self.w.filing.save_as(self.folder / f"work{self.draw.randrange(3)}.gelande")

    def camera(self):
        from PyQt6.QtCore import QPoint, QPointF, Qt
        from PyQt6.QtGui import QWheelEvent
        from PyQt6.QtTest import QTest
        from PyQt6.QtWidgets import QApplication

        view = self.draw.choice((self.w.compose.view, self.w.variants.view))
        place = QPoint(self.draw.randrange(view.width()), self.draw.randrange(view.height()))
        way = self.draw.randrange(4)
        if way == 0:
            event = QWheelEvent(
                QPointF(place),
                QPointF(view.mapToGlobal(place)),
                QPoint(),
                QPoint(0, self.draw.choice((-240, 120))),
                Qt.MouseButton.NoButton,
                Qt.KeyboardModifier.NoModifier,
                Qt.ScrollPhase.NoScrollPhase,
                False,
            )
            QApplication.sendEvent(view, event)
        elif way == 1:
            button = self.draw.choice(
                (Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton, Qt.MouseButton.RightButton)
            )
            QTest.mousePress(view, button, Qt.KeyboardModifier.NoModifier, place)
            QTest.mouseMove(view, place + QPoint(20, 9))
            QTest.mouseRelease(view, button, Qt.KeyboardModifier.NoModifier, place + QPoint(20, 9))
        else:
            QTest.keyClick(
                view, self.draw.choice((Qt.Key.Key_W, Qt.Key.Key_D, Qt.Key.Key_Q, Qt.Key.Key_H, Qt.Key.Key_G))
            )

    def look(self):
        view, page = self.w.compose.view, self.w.compose
        way = self.draw.randrange(8)
        if way < 2:
            view.set_mode(self.draw.choice(("Relief", "Plan")))
        elif way == 2:
            view.bar.dial.next()
        elif way == 3:
            view.set_contours(not view.contours)
        elif way == 4:
            page.hold()
        elif way == 5:
            page.peek(not page.peeking)
        elif way == 6:
            view.bar.colours.click()
        else:
            self.draw.choice((view.bar.mesh, view.bar.steep, view.bar.sea)).trigger()

    def variants(self):
        page, tiles = self.w.variants, self.w.variants.tiles
        way = self.draw.randrange(8)
        if way == 0:
            tiles.set_spread(self.draw.choice(("seed", "control", "grid", "around", "between")))
        elif way == 1:
            tiles.next_seeds()
        elif way == 6:
            tiles.set_look(self.draw.choice(("Plan", "Relief")))
            tiles.sort.setCurrentIndex(self.draw.randrange(tiles.sort.count()))
            tiles.count.setCurrentIndex(self.draw.randrange(3))
            tiles.refresh(True)
        elif way == 7:
            self.draw.choice((page.large.toggle_side, page.view.comparison.toggle, page.sheet.reset_all))()
        elif way == 2 and page.variants:
            page.choose(self.draw.randrange(len(page.variants)))
        elif way == 3 and page.variants:
            page.toggle_star(self.draw.randrange(len(page.variants)))
        elif way == 4:
            page.use()
        else:
            page.next_seed()

    def keeping(self):
        """Ground that stays, settings and locks."""
        page, recipe = self.w.variants, self.doc.recipe
        way = self.draw.randrange(6)
        if way == 0 and len(recipe.keeps) < 3:
            w, d = recipe.site.width, recipe.site.depth
            e, n = self.draw.uniform(0, 0.7) * w, self.draw.uniform(0, 0.7) * d
            page.keep_area(((True, False, ((e, n), (e + 0.3 * w, n), (e + 0.2 * w, n + 0.3 * d))),))
        elif way == 1 and recipe.keeps:
            page.keeping.change(self.draw.randrange(len(recipe.keeps)), "Switch", on=self.draw.random() < 0.6)
        elif way == 2 and recipe.keeps:
            page.keeping.forget(self.draw.randrange(len(recipe.keeps)))
        elif way == 3:
            self.doc.edit("Keep", lambda r: preset.with_preset(r, f"Preset {self.draw.randrange(4)}"))
        elif way == 4 and recipe.presets:
            page.sheet.presets.use(self.draw.choice(recipe.presets).name)
        else:
            page.sheet.locks.lock(self.draw.choice(list(page.sheet.locks.buttons)), self.draw.random() < 0.5)

    def deliver(self):
        page = self.w.deliver
        page.folder = self.folder / "out"
        page.set_level(1)
        way = self.draw.randrange(4)
        if way == 0:
            page.deliver_all()
        elif way == 1:
            page.queue(list(self.w.variants.stars.values())[:2])
        elif way == 2:
            page.add_node(self.node())
        else:
            self.draw.choice((page.stop, page.remove_chosen))()

    def stop(self):
        self.w.stop_work()

    def control(self):
        bench, sheet = self.w.compose.bench, self.w.variants.sheet
        if bench.rows and self.draw.random() < 0.5:
            bench.toggle_publish(self.draw.choice(list(bench.rows)))
        elif sheet.rows:
            label = self.draw.choice(list(sheet.rows))
            row = sheet.rows[label]
            if row.param.kind == "number":
                sheet.set_value(label, self.draw.uniform(row.low, row.high))

    def bake(self):
        from gelande.core.evaluate import bake as B

        node = self.canvas.chosen
        if node in self.doc.recipe.nodes:
            if self.doc.recipe.nodes[node].bake is not None:
                self.doc.edit("Release", lambda r: B.released(r, node))
            elif self.doc.recipe.nodes[node].spec and self.doc.recipe.nodes[node].spec.outputs:
                self.w.compose.bake(node)

    def journal(self):
        self.doc.flush()


def compared(window) -> str:
    """What differs between what Compose shows and a fresh evaluation of it, or ""."""
    from gelande.core.errors import GelandeError
    from gelande.core.evaluate.executor import Evaluator, Job
    from gelande.core.recipe.recipefile import dumps, loads

    page, recipe = window.compose, window.document.recipe
    try:
        loads(dumps(recipe))
    except GelandeError as error:
        return f"would not open again once saved: {error}"
    wanted = page.wanted()
    if wanted is None:
        return ""
    node, port, level, _ = wanted
    try:
        fresh = Evaluator().result(Job(recipe, window.document.folder), node, level)[port]
    except GelandeError as error:
        return "" if page.halted else f"fails when it is evaluated anew: {error}"
    if page.halted:
        return f"shown as failed ({window.status.text()}), and evaluates"
    shown = page.view._content
    if shown is None or page.shown_as != wanted:
        return f"shown {page.shown_as}, wanted {wanted}"
    if np.array_equal(shown[4], fresh):
        return ""
    kept = Path(tempfile.gettempdir()) / f"gelande-differs-{node}-{os.getpid()}"
    kept.with_suffix(".gelande").write_text(dumps(recipe))
    np.savez(kept.with_suffix(".npz"), shown=shown[4], fresh=fresh)
    return (
        f"{recipe.nodes[node].name} ({node}) at level {level} is not what a fresh evaluation gives; "
        f"both are kept in {kept.with_suffix('.npz')}"
    )


def edit_all(minutes: float, seed: int) -> dict:
    """Edits for so many minutes; figures and faults."""
    import psutil
    from PyQt6.QtCore import QEventLoop
    from PyQt6.QtWidgets import QApplication
    from support import Waiter, application

    from gelande.app.crash_handler import crash_handler
    from gelande.app.window import Window
    from gelande.prepare import prepare

    app = application()
    prepare(lambda words: None)  # machine code that is loaded later on would look like a leak
    crash_handler.seen, faults, draw, wait, sizes = [], [], random.Random(seed), Waiter(90), []
    trim, me = ctypes.CDLL("libc.so.6").malloc_trim, psutil.Process()
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        window = Window(False, folder / "journal")
        window.set_room({"memory": 0.25, "disk": 0.1})
        window.set_detail(2)
        window.show()
        (folder / "second").mkdir()
        second = Window(False, folder / "second" / "journal", window.engine.evaluator)
        second.set_detail(2)
        second.show()
        gestures, began, count, compares = Gestures(window, draw, folder), time.monotonic(), 0, 0
        other = Gestures(second, draw, folder / "second")
        recent: list[str] = []
        while time.monotonic() - began < 60 * minutes and len(faults) < 20:
            for _ in range(BETWEEN):
                count += 1
                try:
                    recent = [*recent[-14:], gestures.act()]
                except Exception as error:  # a gesture that raises is a fault: in the program it would be a slot's
                    faults.append(f"{recent[-3:]}: {type(error).__name__}: {str(error)[:300]} at {_where(error)}")
                app.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, draw.choice((1, 5, 30)))
            # The second window works on the same recipe, and goes its own way while the first is still at work.
            second.document.start(unbaked(window.document.recipe), None)
            for _ in range(BESIDE):
                count += 1
                try:
                    other.act()
                except Exception as error:
                    faults.append(f"second window: {type(error).__name__}: {str(error)[:300]} at {_where(error)}")
                app.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, draw.choice((1, 5)))
            second.deliver.stop()
            second.go("Compose")
            window.deliver.stop()
            window.go("Compose")
            if draw.random() < 0.5:
                window.compose.request()
            else:
                window.compose._soon.start()
            app.processEvents()
            try:
                wait.still(window, 100)
                if window.state_label.text() == "stopped":
                    window.compose.request()
                    wait.still(window, 100)
                difference = compared(window)
                second.compose.request()
                wait.still(second, 100)
                if not difference and compared(second):
                    difference = f"second window: {compared(second)}"
                compares += 2
            except AssertionError as error:
                difference = f"{error}; state {window.state_label.text()}, busy {window.engine.busy}"
            if difference:
                faults.append(f"after {recent}: {difference}")
                window.compose.request()
            if crash_handler.seen:
                faults += [
                    f"after {recent}: {type(e).__name__}: {str(e)[:300]} at {_where(e)}" for e in crash_handler.seen
                ]
                crash_handler.seen, crash_handler._told = [], {}
            dead = [
                t
                for t in (
                    *window.engine._workers,
                    *second.engine._workers,
                    *window.variants.tiles.workers,
                    window.variants.large.worker,
                    window.deliver.builds.worker,
                    window.compose.view.renderer._thread,
                    window.variants.view.renderer._thread,
                )
                if not t.is_alive()
            ]
            faults += [f"{t.name} is dead" for t in dead]
            QApplication.sendPostedEvents(None, 52)
            gc.collect()
            trim(0)
            sizes.append((time.monotonic() - began, me.memory_info().rss / 1e6))
            print(f"{sizes[-1][0]:.0f} s, {sizes[-1][1]:.0f} MB, {_holdings(window)}", file=sys.stderr, flush=True)
        second.document._saved = second.document.recipe
        second.close()
        window.document._saved = window.document.recipe
        window.close()
    quarter, rest = (
        [s for t, s in sizes if 15 * minutes / 2 < t <= 15 * minutes],
        [s for t, s in sizes if t > 45 * minutes],
    )
    growth = (np.median(rest) / np.median(quarter) - 1) if quarter and rest else 0.0
    if growth > 0.05:
        faults.append(f"memory grew by {growth:.1%} after the first quarter")
    return {
        "edits": f"{count} in {minutes:g} minutes",
        "comparisons with a fresh evaluation": compares,
        "memory": f"{sizes[0][1]:.0f} MB first, {np.median(quarter) if quarter else 0:.0f} MB in the first quarter, "
        f"{np.median(rest) if rest else 0:.0f} MB in the last: {growth:+.1%}",
        "faults": faults,
    }


def _holdings(window) -> str:
    """What is known to take memory, to see what grows."""
    from PyQt6.QtCore import QObject

    engine, doc = window.engine, window.document
    views = [v._content[1].nbytes if v._content else 0 for v in (window.compose.view, window.variants.view)]
    return (
        f"cache {engine.evaluator.cache.size / 1e6:.0f} MB of {len(engine.evaluator.cache._entries)}, pictures "
        f"{len(engine._pictures)}, undo {len(doc._undo)}, "
        f"cards {len(window.compose.canvas._kept)}, objects {len(window.findChildren(QObject))}, python "
        f"{len(gc.get_objects())}, views {sum(views) / 1e6:.1f} MB, "
        f"nodes {len(doc.recipe.nodes)}"
    )


def unbaked(recipe):
    """The recipe without stored results, which lie in the first window's folder."""
    return replace(recipe, nodes={n: replace(s, bake=None) if s.bake else s for n, s in recipe.nodes.items()})


def _where(error: BaseException | str) -> str:
    if isinstance(error, str):  # the guard keeps words only
        return "the window"
    trace, places = error.__traceback__, []
    while trace is not None:
        code = trace.tb_frame.f_code
        places.append(f"{Path(code.co_filename).name}:{trace.tb_lineno} {code.co_name}")
        trace = trace.tb_next
    return " < ".join(reversed(places[-5:]))
