"""The real window, driven by clicks, drags and keys; each test asserts what a person would see."""

import json
import os
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel
from support import DEMO, Waiter, application, chain, result, slow

from gelande.app.crash_handler import crash_handler
from gelande.app.shots import leave
from gelande.core.recipe import graph
from gelande.core.recipe import recipefile as files
from gelande.core.recipe.deliverables import Deliverable
from gelande.core.recipe.model import COLUMN, ROW

LEFT, MIDDLE = Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton
CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


def at(point) -> QPoint:
    return QPoint(round(point.x()), round(point.y()))


class WindowCase(unittest.TestCase):
    """A fresh window on a small recipe."""

    regenerate = False
    expected_faults: list = []

    def setUp(self):
        application()
        crash_handler.seen = []
        from gelande.app.window import Window

        self.temp = tempfile.TemporaryDirectory()
        self.addCleanup(self.temp.cleanup)
        self.folder = Path(self.temp.name)
        self.window = Window(self.regenerate, self.folder / "journal")
        self.window.settings.clear()
        self.window.resize(1280, 800)
        self.window.show()
        self.canvas, self.bench, self.view = (
            self.window.compose.canvas,
            self.window.compose.bench,
            self.window.compose.view,
        )
        self.doc = self.window.document
        self.wait = Waiter()

    def tearDown(self):
        self.doc._saved = self.doc.recipe
        leave(self.window)
        self.assertEqual(crash_handler.seen, self.expected_faults, "nobody met a fault of the program's own")

    def load(self, *kinds, detail=1, **params):
        recipe, ids = chain(*kinds, **params)
        self.window.set_detail(detail)
        self.doc.start(recipe, None)
        self.wait.still(self.window)
        return ids

    # -- gestures
    def click(self, node, modifiers=Qt.KeyboardModifier.NoModifier):
        QTest.mouseClick(self.canvas, LEFT, modifiers, at(self.canvas.card_rect(node).center()))

    def drag(self, start, end, widget=None, button=LEFT):
        widget = widget or self.canvas
        start, end = at(start), at(end)
        QTest.mousePress(widget, button, Qt.KeyboardModifier.NoModifier, start)
        for k in (1, 2, 3):
            self.move(widget, start + (end - start) * (k / 3), button)
        QTest.mouseRelease(widget, button, Qt.KeyboardModifier.NoModifier, end)

    def move(self, widget, pos, button=LEFT):
        """A move with a button held (QTest.mouseMove holds none)."""
        from PyQt6.QtGui import QMouseEvent

        pos = QPointF(pos)
        event = QMouseEvent(
            QMouseEvent.Type.MouseMove,
            pos,
            QPointF(widget.mapToGlobal(at(pos))),
            Qt.MouseButton.NoButton,
            button,
            Qt.KeyboardModifier.NoModifier,
        )
        QApplication.sendEvent(widget, event)

    def key(self, key, modifiers=Qt.KeyboardModifier.NoModifier, widget=None):
        QTest.keyClick(widget or self.canvas, key, modifiers)

    def pixels(self, widget) -> np.ndarray:
        image = widget.grab().toImage()
        data = image.constBits().asarray(image.sizeInBytes())
        return (
            np.array(data, np.uint8)
            .reshape(image.height(), image.bytesPerLine() // 4, 4)[:, : image.width(), :3]
            .copy()
        )


class ComposeTest(WindowCase):
    @slow
    def test_from_an_empty_window_to_a_delivered_landscape(self):
        """The walk-through: a new recipe by search, drag and slider, published, saved, delivered at 2049."""
        self.assertFalse(self.view.empty.isHidden(), "an empty window says what to do first")
        self.key(Qt.Key.Key_A)
        QTest.keyClicks(self.canvas.search.line, "fractal")
        QTest.keyClick(self.canvas.search.line, Qt.Key.Key_Return)
        (noise,) = self.doc.recipe.nodes
        self.wait.still(self.window)
        self.assertTrue(self.view.empty.isHidden())
        out = self.canvas.port_at_widget(noise, "height", True)
        self.drag(out, out + QPointF(150, 40))
        QTest.keyClicks(self.canvas.search.line, "terrace")
        QTest.keyClick(self.canvas.search.line, Qt.Key.Key_Return)
        terrace = self.canvas.chosen
        self.assertEqual(self.doc.recipe.nodes[terrace].inputs["height"], (noise, "height"))
        out = self.canvas.port_at_widget(terrace, "height", True)
        self.drag(out, out + QPointF(120, 80))
        QTest.keyClicks(self.canvas.search.line, "rain")
        QTest.keyClick(self.canvas.search.line, Qt.Key.Key_Return)
        rain = self.canvas.chosen
        self.assertEqual(self.doc.recipe.nodes[rain].kind, "rain_erosion")
        row = self.bench.rows["strength"]
        QTest.mouseClick(row, LEFT, pos=QPoint(row.width() - 5, 22))
        self.assertGreater(self.doc.recipe.nodes[rain].params["strength"], 0.9)
        self.click(terrace)
        QTest.mouseClick(self.bench.rows["riser_height"], LEFT, pos=QPoint(6, 10))
        self.assertEqual([c.label for c in self.doc.recipe.controls], ["Riser height"])
        self.window.go("Variants")
        QTest.mouseClick(self.window.variants.sheet.seed_button, LEFT)
        self.wait.still(self.window)
        self.assertIn("Seed", self.window.variants.sheet.rows)
        before = self.doc.recipe.seed
        QTest.mouseClick(self.window.variants.next_seed_button, LEFT)
        self.assertEqual(self.doc.recipe.seed, before + 1)
        path = self.folder / "mine.gelande"
        self.assertTrue(self.doc.save(path))
        self.window.go("Deliver")
        page = self.window.deliver
        page.folder = self.folder / "out"
        page.set_level(5)
        QTest.mouseClick(page.go_button, LEFT)
        self.wait.until(page.ended)
        self.assertIn("2 of 2 written and read back", page.summary.text())
        import tifffile

        data = tifffile.imread(self.folder / "out" / "untitled_height.tif")
        self.assertEqual(data.shape, (2049, 2049))
        block = json.loads((self.folder / "out" / "untitled_manifest.json").read_text())
        self.assertEqual(block["controls"]["Seed"]["value"], before + 1)
        again = result(files.load(path), rain, 3)["height"]
        span = float(again.max() - again.min())
        self.assertLess(
            float(np.sqrt(((data[::4, ::4] - again) ** 2).mean())) / span, 0.01, "the preview is the delivery"
        )

    @slow
    def test_clicking_a_card_shows_its_bench_and_its_picture(self):
        noise, terrace = self.load("fractal_noise", "terrace")
        self.click(noise)
        self.wait.still(self.window)
        self.assertEqual(self.bench.title.text(), "Fractal noise")
        first = self.pixels(self.view)
        self.click(terrace)
        self.wait.still(self.window)
        self.assertEqual(self.bench.title.text(), "Terrace")
        self.assertIn("looking at Terrace", self.view.caption.text())
        self.assertGreater(np.abs(self.pixels(self.view).astype(int) - first).mean(), 0.5)
        self.assertIsNotNone(self.canvas.looks[terrace].picture)
        self.assertEqual(self.window.state_label.text(), "up to date")

    def test_linking_by_drag_and_detaching(self):
        noise, smooth = self.load("fractal_noise", "smooth")
        self.doc.edit("x", lambda r: graph.unlink(r, smooth, "height"))
        self.drag(
            self.canvas.port_at_widget(noise, "height", True), self.canvas.port_at_widget(smooth, "height", False)
        )
        self.assertEqual(self.doc.recipe.nodes[smooth].inputs, {"height": (noise, "height")})
        place = self.canvas.port_at_widget(smooth, "height", False)
        self.drag(place, self.canvas.card_rect(smooth).center() + QPointF(2, 0))
        self.assertEqual(self.doc.recipe.nodes[smooth].inputs, {})

    def test_a_link_that_does_not_fit_goes_by_way_of_a_node_that_converts_or_is_not_made(self):
        noise, band = self.load("fractal_noise", "height_band")
        self.doc.edit("x", lambda r: graph.add(r, "terrace", (400.0, 0.0))[0])
        self.drag(
            self.canvas.port_at_widget(band, "mask", True), self.canvas.port_at_widget("terrace_1", "height", False)
        )
        between = self.doc.recipe.nodes["terrace_1"].inputs["height"][0]
        self.assertEqual(self.doc.recipe.nodes[between].inputs["first"], (band, "mask"))
        self.assertEqual(self.window.status.text(), "Mask as height was put between: it passes on a mask as a height.")
        self.doc.undo()
        self.assertEqual(self.doc.recipe.nodes["terrace_1"].inputs, {}, "one step back")
        self.doc.edit("x", lambda r: graph.add(r, "colour_ramp")[0])
        self.drag(
            self.canvas.port_at_widget("colour_ramp_1", "colour", True),
            self.canvas.port_at_widget("terrace_1", "height", False),
        )
        self.assertEqual(self.doc.recipe.nodes["terrace_1"].inputs, {})

    def test_dragging_a_link_into_nothing_offers_only_what_fits(self):
        noise, band = self.load("fractal_noise", "height_band")
        out = self.canvas.port_at_widget(band, "mask", True)
        self.drag(out, out + QPointF(140, 60))
        names = [
            self.canvas.search.list.item(k).data(Qt.ItemDataRole.UserRole)
            for k in range(self.canvas.search.list.count())
        ]
        self.assertIn("mask_edge", names)
        self.assertNotIn("ramp", names)
        QTest.keyClick(self.canvas.search.line, Qt.Key.Key_Escape)
        self.assertEqual(len(self.doc.recipe.nodes), 2)

    def test_dropping_a_card_on_a_link_inserts_it(self):
        noise, terrace = self.load("fractal_noise", "terrace")
        self.doc.edit("x", lambda r: graph.move(graph.add(r, "smooth", (0.0, 140.0))[0], {terrace: (420.0, 0.0)}))
        route = self.canvas.sheet.routes[terrace, "height"]
        middle = self.canvas.to_widget(*[(a + b) / 2 for a, b in zip(route[0], route[1])])
        self.drag(self.canvas.card_rect("smooth_1").center(), middle)
        self.assertEqual(self.doc.recipe.nodes["smooth_1"].inputs["height"], (noise, "height"))
        self.assertEqual(self.doc.recipe.nodes[terrace].inputs["height"], ("smooth_1", "height"))

    def test_moving_undo_redo(self):
        noise, terrace = self.load("fractal_noise", "terrace")
        start = self.doc.recipe.nodes[terrace].at
        middle = self.canvas.card_rect(terrace).center()
        self.drag(middle, middle + QPointF(170, 130))
        moved = self.doc.recipe.nodes[terrace].at
        self.assertEqual((moved[0] - start[0], moved[1] - start[1]), (COLUMN, 2 * ROW))
        QTest.mouseClick(self.window.undo_button, LEFT)
        self.assertEqual(self.doc.recipe.nodes[terrace].at, start)
        QTest.mouseClick(self.window.redo_button, LEFT)
        self.assertEqual(self.doc.recipe.nodes[terrace].at, moved)

    def test_select_copy_paste_delete_off_rename_replace(self):
        noise, terrace = self.load("fractal_noise", "terrace")
        self.drag(QPointF(self.canvas.width() - 5, 150), QPointF(1, 1))
        self.assertEqual(self.canvas.selection, {noise, terrace})
        self.canvas.copy()
        self.canvas.paste()
        self.assertEqual(len(self.doc.recipe.nodes), 4)
        self.assertEqual(self.doc.recipe.nodes["terrace_2"].inputs["height"], ("fractal_noise_2", "height"))
        self.key(Qt.Key.Key_Delete)
        self.assertEqual(set(self.doc.recipe.nodes), {noise, terrace})
        self.click(terrace)
        self.key(Qt.Key.Key_O)
        self.assertTrue(self.doc.recipe.nodes[terrace].off)
        self.key(Qt.Key.Key_F2)
        self.canvas._rename.setText("Great cliffs")
        QTest.keyClick(self.canvas._rename, Qt.Key.Key_Return)
        self.assertEqual(
            (self.doc.recipe.nodes[terrace].name, self.bench.title.text()), ("Great cliffs", "Great cliffs")
        )
        self.key(Qt.Key.Key_R)
        QTest.keyClicks(self.canvas.search.line, "smooth")
        QTest.keyClick(self.canvas.search.line, Qt.Key.Key_Return)
        self.assertEqual(self.doc.recipe.nodes[terrace].kind, "smooth")
        self.assertEqual(self.doc.recipe.nodes[terrace].inputs["height"], (noise, "height"))

    def test_arrow_keys_walk_from_card_to_card_and_l_lays_out(self):
        noise, terrace = self.load("fractal_noise", "terrace")
        self.click(noise)
        self.key(Qt.Key.Key_Down)
        self.assertEqual(self.canvas.chosen, terrace)
        self.doc.edit("x", lambda r: graph.move(r, {terrace: (3.0 * COLUMN, 4.0)}))
        self.key(Qt.Key.Key_L)
        a, b = self.canvas.card_rect(noise), self.canvas.card_rect(terrace)
        self.assertFalse(a.intersects(b))
        self.assertLess(a.bottom(), b.top())
        self.assertEqual(a.left(), b.left())

    def test_a_row_that_has_the_keyboard_goes_with_its_node(self):
        noise, terrace = self.load("fractal_noise", "terrace")
        for text in ("", "41 m"):
            self.click(terrace)
            self.window.activateWindow()
            self.assertTrue(QTest.qWaitForWindowActive(self.window))
            row = self.bench.rows["riser_height"]
            row.setFocus()
            self.assertIs(QApplication.focusWidget(), row.box)
            QTest.keyClicks(row.box, text)
            self.canvas.choose(noise)  # tearDown sees that nobody met a fault
            QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
            QApplication.processEvents()
            self.assertIn("relief", self.bench.rows)

    def test_the_list_of_nodes_follows_links_ports_and_groups(self):
        noise, terrace = self.load("fractal_noise", "terrace")
        self.window.show_node_list()
        nodes = self.window.compose.nodes
        QApplication.processEvents()
        lines = [nodes.items[terrace].child(k).text(0) for k in range(nodes.items[terrace].childCount())]
        self.assertIn("Input Height: from Fractal noise", lines)
        self.doc.edit("x", lambda r: graph.add(r, "mask_mix")[0])
        for count in (2, 4, 3):  # ports follow a setting
            self.doc.edit("x", lambda r, n=count: graph.set_param(r, "mask_mix_1", "masks", n))
            QApplication.processEvents()
            item = nodes.items["mask_mix_1"]
            told = [item.child(k).text(0) for k in range(item.childCount())]
            self.assertEqual(sum(t.startswith("Input ") for t in told), count)
        nodes.setCurrentItem(nodes.items[noise])
        self.assertEqual(self.canvas.chosen, noise)
        self.doc.edit("x", lambda r: graph.remove(r, [noise]))
        QApplication.processEvents()
        self.assertNotIn(noise, nodes.items)
        self.window.show_node_list()

    def test_typing_values_with_units_and_out_of_range(self):
        noise, terrace = self.load("fractal_noise", "terrace")
        self.click(terrace)
        row = self.bench.rows["riser_height"]
        row.setFocus()
        for text, value in (("41 m", 41.0), ("0.03 km", 30.0)):
            row.type_value()
            row.edit.selectAll()
            QTest.keyClicks(row.edit, text)
            QTest.keyClick(row.edit, Qt.Key.Key_Return)
            self.assertEqual(self.doc.recipe.nodes[terrace].params["riser_height"], value)
        row.type_value()
        row.edit.selectAll()
        QTest.keyClicks(row.edit, "9999999")
        QTest.keyClick(row.edit, Qt.Key.Key_Return)
        self.assertEqual(self.doc.recipe.nodes[terrace].params["riser_height"], 30.0)
        self.assertIn("outside 0.1 m to 3000 m", self.window.status.text())
        QTest.mouseDClick(row, LEFT, pos=QPoint(60, 8))
        self.assertEqual(self.doc.recipe.nodes[terrace].params["riser_height"], 26.0)

    @slow
    def test_where_by_dragging_a_limit_over_the_histogram(self):
        noise, terrace = self.load("fractal_noise", "terrace")
        self.click(terrace)
        self.wait.still(self.window)
        QTest.mouseClick(self.bench.where.buttons["height"], LEFT)
        self.wait.still(self.window)
        plot = self.bench.where.plot
        self.assertTrue(plot.isVisible())
        self.assertIsNotNone(plot.counts)
        before = self.doc.recipe.nodes[terrace].params["where_high"]
        handle = plot.handles()[1]
        self.drag(handle, handle - QPointF(40, 0), plot)
        self.assertLess(self.doc.recipe.nodes[terrace].params["where_high"], before)
        QTest.mouseClick(self.bench.where.invert, LEFT, pos=QPoint(6, 8))
        self.assertTrue(self.doc.recipe.nodes[terrace].params["where_invert"])

    @slow
    def test_pin_and_hold_to_see_the_input(self):
        noise, terrace = self.load("fractal_noise", "terrace")
        self.click(terrace)
        self.wait.still(self.window)
        QTest.keyPress(self.canvas, Qt.Key.Key_X)
        self.wait.still(self.window)
        self.assertEqual(self.view.caption.text(), "input: Fractal noise")
        QTest.keyRelease(self.canvas, Qt.Key.Key_X)
        self.wait.still(self.window)
        self.assertEqual(self.view.caption.text(), "looking at Terrace")
        QTest.keyClick(self.canvas, Qt.Key.Key_V)
        self.click(noise)
        self.wait.still(self.window)
        self.assertEqual((self.view.caption.text(), self.bench.title.text()), ("held: Terrace", "Fractal noise"))

    def test_a_failed_node_tells_why_on_card_and_bench_and_those_after_it_wait(self):
        file, smooth, terrace = self.load("elevation_file", "smooth", "terrace")
        self.doc.edit("x", lambda r: graph.set_param(r, file, "file", "gone.png"))
        self.click(file)
        self.wait.still(self.window)
        self.assertIn("gone.png", self.canvas.looks[file].fault)
        self.assertIn("waits for Smooth, which failed", self.canvas.looks[terrace].fault)
        self.assertIn("gone.png", self.bench.fault.text())
        self.assertEqual(self.window.state_label.text(), "3 failed")
        self.doc.edit("x", lambda r: graph.switch(r, [file], True))
        self.wait.still(self.window)
        self.assertEqual((self.canvas.looks[smooth].fault, self.window.state_label.text()), ("", "up to date"))

    def test_where_by_facing_is_set_on_the_bench(self):
        noise, smooth = self.load("fractal_noise", "smooth")
        self.click(smooth)
        self.wait.still(self.window)
        where = self.bench.where
        QTest.mouseClick(where.buttons["facing"], LEFT)
        self.assertEqual(self.doc.recipe.nodes[smooth].params["where"], "facing")
        self.assertEqual([r.param.label for r in where.rows.values()], ["Faces", "Facing width", "Facing falloff"])
        self.assertTrue(all(r.isVisible() for r in where.rows.values()))
        QTest.keyClick(where.rows["where_facing"], Qt.Key.Key_Home)
        self.assertEqual(self.doc.recipe.nodes[smooth].params["where_facing"], 0.0)
        QTest.mouseClick(where.buttons["all"], LEFT)
        self.assertFalse(any(r.isVisible() for r in where.rows.values()))

    def test_a_node_that_is_not_linked_waits_quietly_and_the_view_says_what_it_needs(self):
        noise, smooth, terrace = self.load("fractal_noise", "smooth", "terrace")
        self.doc.edit("x", lambda r: graph.unlink(r, smooth, "height"))
        self.click(smooth)
        self.wait.still(self.window)
        looks = self.canvas.looks
        self.assertEqual((looks[smooth].waiting, looks[terrace].waiting), ("link its Input", "waits for Smooth"))
        self.assertEqual((looks[smooth].fault, looks[noise].waiting), ("", ""))
        self.assertEqual(self.view.caption.text(), "Smooth: link its Input first; looking at Fractal noise")
        self.assertEqual(self.window.state_label.text(), "up to date · 2 waiting")
        self.assertTrue(self.bench.fault.isHidden())
        QTest.mouseClick(self.window.undo_button, LEFT)
        self.wait.still(self.window)
        self.assertEqual((looks[smooth].waiting, self.window.state_label.text()), ("", "up to date"))

    @slow
    def test_detail_steps_and_a_coarse_picture_first(self):
        noise, rain = self.load("fractal_noise", "rain_erosion", detail=1)
        self.click(rain)
        self.wait.still(self.window)
        seen = []
        self.window.engine.shown.connect(lambda s: seen.append(s.level))
        QTest.mouseClick(self.window.more, LEFT)
        QTest.mouseClick(self.window.more, LEFT)
        self.wait.still(self.window)
        self.assertEqual(self.window.detail_label.text(), "513 samples · 8 m")
        self.assertEqual((seen[-1], seen == sorted(seen)), (3, True))
        # What is slow is said here: how fast the first level is depends on the machine.
        self.enterContext(mock.patch("gelande.app.engine.AT_ONCE", 0.0))
        for patience, levels, strength in ((0.0, [0, 1, 3], 0.2), (60.0, [2, 3], 0.3)):
            with mock.patch("gelande.app.engine.PATIENCE", patience):
                self.doc.edit("x", lambda r: graph.set_param(r, rain, "strength", strength))
                seen.clear()
                self.wait.still(self.window)
            self.assertEqual(seen, levels, "a glimpse of what is slow, then what is delivered at that detail")
            working = [n for n, look in self.canvas.looks.items() if look.working or look.stale]
            self.assertEqual(working, [], "no card seems at work when all is up to date")

    @slow
    def test_stop_ends_a_long_evaluation(self):
        noise, rain = self.load("fractal_noise", "rain_erosion")
        self.window.set_detail(6)
        self.wait.until(
            self.window.engine.progress, lambda fraction, label, left: label == "Rain erosion" and fraction > 0
        )
        self.window._show_progress()
        self.assertNotIn("up to date", self.window.status.text(), "while something is told to be at work")
        self.window.stop_work()
        self.wait.still(self.window)
        key = self.window.engine.evaluator.keys(self.doc.recipe, self.doc.folder)[rain]
        self.assertFalse(self.window.engine.evaluator.cache.peek((key, 6, "final")))
        self.assertEqual(self.window.state_label.text(), "stopped")

    @slow
    def test_tab_reaches_graph_view_and_bench(self):
        noise, terrace = self.load("fractal_noise", "terrace")
        self.click(terrace)
        self.wait.still(self.window)
        self.window.activateWindow()
        seen = set()
        self.canvas.setFocus()
        for _ in range(40):
            widget = QApplication.focusWidget()
            if widget is None:
                break
            seen.add(type(widget).__name__)
            QTest.keyClick(widget, Qt.Key.Key_Tab)
        self.assertTrue({"Canvas", "ValueBox", "QPushButton"} <= seen, seen)


class ViewTest(WindowCase):
    def setUp(self):
        super().setUp()
        (self.noise,) = self.load("fractal_noise")
        self.click(self.noise)
        self.wait.still(self.window)

    @slow
    def test_the_pointer_reads_position_height_and_slope(self):
        middle = self.view.rect().center()
        QTest.mouseMove(self.view, middle)
        self.view.read_out(middle)
        self.assertRegex(self.view.place.text(), r"^E [\d ]+ m · N [\d ]+ m$")
        hit = self.view.under(middle)
        scene = self.view.frame.scene
        told = float(self.view.ground.text().split()[1])
        self.assertAlmostEqual(told, scene.ground(hit[0] * scene.dx, scene.depth - hit[1] * scene.dx), delta=0.06)
        self.view.read_out(QPoint(5, 5))
        self.assertFalse(self.view.place.isVisible(), "nothing is told of the sky")

    @slow
    def test_a_resting_pointer_reads_the_land_that_came_under_it(self):
        middle = self.view.rect().center()
        QTest.mouseMove(self.view, middle)
        self.view.read_out(middle)
        before = self.view.ground.text()
        self.doc.edit("x", lambda r: graph.set_param(r, self.noise, "relief", 900.0))
        self.wait.still(self.window)
        hit, scene = self.view.under(middle), self.view.frame.scene
        self.assertNotEqual(self.view.ground.text(), before)
        self.assertAlmostEqual(
            float(self.view.ground.text().split()[1]),
            scene.ground(hit[0] * scene.dx, scene.depth - hit[1] * scene.dx),
            delta=0.06,
        )
        QApplication.sendEvent(self.view, QEvent(QEvent.Type.Leave))
        self.assertFalse(self.view.ground.isVisible(), "it has left")

    @slow
    def test_left_drag_turns_about_the_point_under_the_pointer(self):
        middle = QPointF(self.view.rect().center())
        point = self.view.mode.grasp(middle.toPoint())
        before = self.view.camera
        self.drag(middle, middle + QPointF(80, 20), self.view)
        self.wait.still(self.window)
        self.assertGreater(abs(self.view.camera.heading - before.heading), 10)
        self.assertAlmostEqual(
            np.linalg.norm(self.view.camera.position - point), np.linalg.norm(before.position - point), delta=1.0
        )

    @slow
    def test_middle_drag_slides_wheel_approaches_h_goes_home(self):
        middle = QPointF(self.view.rect().center())
        home = self.view.camera
        self.drag(middle, middle + QPointF(60, 0), self.view, MIDDLE)
        self.assertEqual(self.view.camera.heading, home.heading)
        self.assertGreater(np.linalg.norm(self.view.camera.position - home.position), 50)
        self.key(Qt.Key.Key_H, widget=self.view)
        np.testing.assert_allclose(self.view.camera.position, home.position)
        from PyQt6.QtGui import QWheelEvent

        point = self.view.mode.grasp(middle.toPoint())
        event = QWheelEvent(
            middle,
            middle,
            QPoint(),
            QPoint(0, 240),
            Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        QApplication.sendEvent(self.view, event)
        self.assertLess(np.linalg.norm(self.view.camera.position - point), 0.8 * np.linalg.norm(home.position - point))

    @slow
    def test_g_puts_the_eye_on_the_ground_and_w_walks_over_it(self):
        self.key(Qt.Key.Key_G, widget=self.view)
        c, scene = self.view.camera, self.view.frame.scene
        self.assertAlmostEqual(c.height - scene.ground(c.east, c.north), 1.7, places=3)
        QTest.keyPress(self.view, Qt.Key.Key_W)
        self.wait.until(self.view.renderer.pictured)
        QTest.keyRelease(self.view, Qt.Key.Key_W)
        d = self.view.camera
        self.assertGreater(np.hypot(d.east - c.east, d.north - c.north), 0.01)
        self.assertAlmostEqual(d.height - scene.ground(d.east, d.north), 1.7, places=3)

    @slow
    def test_plan_shows_the_whole_site_and_contours_darken_it(self):
        QTest.mouseClick(self.view.bar.modes["Plan"], LEFT)
        self.wait.still(self.window)
        plain = self.pixels(self.view)
        buffer = self.view.frame.buffer
        self.assertTrue(buffer.kind[self.view.height() // 2, self.view.width() // 2])
        self.assertAlmostEqual(
            float(buffer.kind.mean()),
            (self.view.height() - 66) ** 2 / (self.view.height() * self.view.width()),
            delta=0.03,
        )
        QTest.mouseClick(self.view.bar.contours, LEFT)
        self.wait.still(self.window)
        self.assertLess(self.pixels(self.view)[80:-80].mean(), plain[80:-80].mean())
        self.assertIn(" m", self.view.bar.contours.text())

    @slow
    def test_the_sun_is_dragged_on_a_dial_of_the_sky(self):
        before, bar = self.pixels(self.view), self.view.bar
        QTest.mouseClick(bar.light, LEFT)
        dial = bar.dial
        self.assertTrue(dial.isVisible())
        middle = dial._middle
        self.drag(middle, middle + QPointF(40, 0), dial)  # the east, not high
        self.wait.still(self.window)
        self.assertEqual(bar.light.text(), "Light 90°/35°")
        self.assertGreater(np.abs(self.pixels(self.view).astype(int) - before).mean(), 1.0)
        QTest.keyClick(dial, Qt.Key.Key_Right)
        QTest.keyClick(dial, Qt.Key.Key_Up)
        self.assertEqual(bar.light.text(), "Light 95°/37°")
        self.drag(middle, middle + QPointF(0, 90), dial)  # beyond the horizon
        self.assertEqual(bar.light.text(), "Light 180°/4°")
        place, (azimuth, elevation, name) = dial._rows()[-1]
        QTest.mouseClick(dial, LEFT, Qt.KeyboardModifier.NoModifier, place.center().toPoint())
        self.wait.still(self.window)
        self.assertEqual((name, bar.light.text()), ("Evening", f"Light {azimuth}°/{elevation}°"))
        dial.next()
        self.assertEqual(bar.light.text(), "Light 318°/34°", "the first after the last")
        dial.hide()


class SecondStartTest(WindowCase):
    @slow
    def test_opening_the_demo_again_computes_nothing(self):
        from gelande.app.window import Window

        self.window.filing.open_path(DEMO, True)
        self.wait.still(self.window)
        self.assertGreater(self.window.engine.evaluator.computed, 0)
        picture = self.pixels(self.view)
        self.window.close()
        second = Window(False, self.folder / "journal2")
        second.resize(1280, 800)
        second.show()
        second.filing.open_path(DEMO, True)
        self.wait.still(second)
        try:
            self.assertEqual(second.engine.evaluator.computed, 0)
            self.assertEqual(second.state_label.text(), "up to date")
            again = self.pixels(second.compose.view)
            self.assertLess(np.abs(again.astype(int) - picture).mean(), 0.5)
        finally:
            second.close()


class FileTest(WindowCase):
    def test_a_broken_file_is_told_and_the_open_recipe_stays(self):
        self.load("fractal_noise")
        path = self.folder / "broken.gelande"
        path.write_text('{"format": "gelande recipe"')
        self.assertFalse(self.window.filing.open_path(path))
        self.assertIn("broken.gelande", self.window.status.text())
        self.assertIn("not valid JSON", self.window.status.text())
        self.assertEqual(len(self.doc.recipe.nodes), 1)
        self.assertEqual(path.read_text(), '{"format": "gelande recipe"')

    def test_save_open_recent_and_title(self):
        self.load("fractal_noise", "terrace")
        self.doc.edit("x", lambda r: graph.set_param(r, "terrace_1", "riser_height", 33))
        self.assertTrue(self.window.windowTitle().startswith("•"))
        path = self.folder / "kept.gelande"
        self.doc.save(path)
        self.window.filing.remember(path)
        self.assertEqual(self.window.windowTitle(), "kept.gelande – Gelande")
        self.window.filing.new()
        self.assertEqual(len(self.doc.recipe.nodes), 0)
        self.assertIn(str(path.resolve()), self.window.filing.recent())
        self.assertTrue(self.window.filing.open_path(path))
        self.assertEqual(self.doc.recipe.nodes["terrace_1"].params["riser_height"], 33)

    def test_unsaved_work_is_kept_when_another_recipe_is_opened(self):
        self.load("fractal_noise")
        self.doc.path = self.folder / "mine.gelande"
        self.doc.edit("x", lambda r: graph.add(r, "dome")[0])
        self.window.filing.new()
        kept = files.load(self.folder / "mine unsaved 1.gelande")
        self.assertIn("dome_1", kept.nodes)

    def test_lost_work_is_offered_and_taken_back(self):
        from gelande.core.recipe.journal import Journal

        old = Journal(self.folder / "journal")
        old.folder = old.folder.with_name("999999998-dead")
        old.write(chain("fractal_noise", "terrace")[0], Path("/somewhere/hills.gelande"))
        old.leave()  # as the end of its program does
        self.window.filing.offer_lost_work()
        self.assertTrue(self.window.recover.isVisible())
        self.assertIn("hills.gelande (2 nodes)", self.window.recover.text.text())
        QTest.mouseClick(self.window.recover.buttons["Open it"], LEFT)
        self.assertEqual(set(self.doc.recipe.nodes), {"fractal_noise_1", "terrace_1"})
        self.assertTrue(self.doc.dirty)
        self.assertFalse(self.window.recover.isVisible())

    @slow
    def test_the_site_is_set_with_units_and_refused_in_words(self):
        self.load("fractal_noise")
        self.window.open_site()
        panel = self.window.dropdowns.site
        panel.lines["width"].setText("9000 km")
        panel.take()
        self.assertIn("outside", panel.fault.text())
        panel.lines["name"].setText("Oru")
        panel.lines["width"].setText("6 km")
        panel.lines["depth"].setText("3 km")
        panel.take()
        self.assertEqual((self.doc.recipe.site.width, self.doc.recipe.site.depth), (6000.0, 3000.0))
        self.wait.still(self.window)
        self.assertIn("Oru · 6 × 3 km", self.window.site_button.text())
        self.assertEqual(self.view.frame.scene.height.shape, self.doc.recipe.site.shape(self.window.compose.detail))


class DeliverTest(WindowCase):
    @slow
    def test_stopping_keeps_what_was_finished_and_says_so(self):
        noise, rain = self.load("fractal_noise", "rain_erosion")
        self.doc.edit(
            "x",
            lambda r: replace(
                r,
                deliverables=(
                    Deliverable("Noise", noise, "height", "height_png16"),
                    Deliverable("Rain", rain, "height", "height_png16"),
                ),
            ),
        )
        self.window.go("Deliver")
        page = self.window.deliver
        page.folder = self.folder / "out"
        page.set_level(5)
        QTest.mouseClick(page.go_button, LEFT)
        self.wait.until(page.told, lambda i, item: i == 1 and item.fraction > 0.001)
        QTest.mouseClick(page.stop_button, LEFT)
        self.wait.until(page.ended)
        self.assertEqual([page.builds.items[d].state for d in page.builds.building], ["written, read back", "stopped"])
        self.assertEqual(
            sorted(os.listdir(self.folder / "out")),
            ["test_import.html", "test_import.pdf", "test_manifest.json", "test_noise.png"],
        )
        self.assertIn("1 of 2", page.summary.text())

    def test_the_facts_say_what_the_numbers_mean(self):
        self.load("fractal_noise")
        self.window.go("Deliver")
        page = self.window.deliver
        page.folder = self.folder / "out"
        page.set_level(2)
        QTest.mouseClick(page.go_button, LEFT)
        self.wait.until(page.ended)
        page.table.setCurrentCell(1, 0)
        words = [w.text() for w in page.findChildren(QLabel)]
        for word in (
            "Zero level",
            "Full level",
            "Step of one count",
            "Largest rounding error",
            "Read back",
            "identical, 66 049 samples",
        ):
            self.assertIn(word, words)

    def test_adding_renaming_removing_is_undoable(self):
        self.load("fractal_noise", "rain_erosion")
        self.window.go("Deliver")
        page = self.window.deliver
        page.add("rain_erosion_1", "flow", "mask_png8")
        self.assertEqual(page.table.rowCount(), 3)
        page.table.item(2, 0).setText("Streams")
        self.assertEqual(self.doc.recipe.deliverables[2].name, "Streams")
        page.table.setCurrentCell(2, 0)
        QTest.mouseClick(page.remove_button, LEFT)
        self.assertEqual(page.table.rowCount(), 2)
        self.doc.undo()
        self.assertEqual(page.table.rowCount(), 3)


if __name__ == "__main__":
    unittest.main()
