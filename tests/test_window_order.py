"""The real window: groups, cairns, frames, bakes, lines and strokes on the land, limits over a histogram, overlays."""

import unittest

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QContextMenuEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMenu
from support import result, slow
from test_window import CTRL, LEFT, WindowCase, at

from gelande.core.recipe import graph
from gelande.core.recipe.model import ROW


class OrderTest(WindowCase):
    def rename(self, text):
        """Types into the line that a new card opens over its name."""
        self.canvas._rename.setText(text)
        QTest.keyClick(self.canvas._rename, Qt.Key.Key_Return)

    def names(self):
        return {s.name for s in self.canvas.recipe.nodes.values()}

    @slow
    def test_packing_going_in_and_out_and_unpacking(self):
        noise, warp, terrace = self.load("fractal_noise", "warp", "terrace")
        before = result(self.doc.recipe, terrace, 1)["height"]
        self.click(warp)
        self.click(terrace, CTRL)
        self.key(Qt.Key.Key_G, CTRL)
        self.rename("Steps")
        group = self.canvas.chosen
        self.assertEqual(self.names(), {"Fractal noise", "Steps"})
        self.assertIn(
            (group, self.canvas.recipe.nodes[group].spec.inputs[0].id),
            self.canvas.sheet.routes,
            "the link ends at the group's card",
        )
        self.wait.still(self.window)
        self.assertIn("Steps", self.view.caption.text())
        QTest.mouseDClick(self.canvas, LEFT, Qt.KeyboardModifier.NoModifier, at(self.canvas.card_rect(group).center()))
        self.assertEqual(self.names(), {"Input", "Warp", "Terrace", "Steps"})
        self.assertTrue(self.canvas.path_bar.isVisible())
        self.assertEqual([b.text() for b in self.canvas.path_bar.buttons], ["Test", "› Steps"])
        self.click(warp)
        self.bench.show_on_group("strength" if "strength" in self.bench.rows else next(iter(self.bench.rows)))
        self.canvas.path_bar.buttons[0].click()
        self.assertEqual((self.canvas.inside, self.names()), ("", {"Fractal noise", "Steps"}))
        self.click(group)
        ((row_id, row),) = self.bench.rows.items()
        setting = row_id.split("/")[1]
        self.assertTrue(row_id.startswith(f"{warp}/"))
        QTest.keyClick(row, Qt.Key.Key_Right)
        self.assertNotEqual(self.doc.recipe.nodes[warp].params[setting], row.default)
        self.doc.undo()
        self.canvas.unpack()
        self.assertEqual(self.names(), {"Fractal noise", "Warp", "Terrace"})
        np.testing.assert_array_equal(result(self.doc.recipe, terrace, 1)["height"], before)

    def test_a_group_is_kept_in_the_library_and_found_by_the_search(self):
        noise, warp = self.load("fractal_noise", "warp")
        self.click(warp)
        self.key(Qt.Key.Key_G, CTRL)
        self.rename("Bent land")
        self.canvas.keep_in_library()
        self.canvas.open_search(self.canvas.mapToGlobal(QPoint(60, 60)), QPointF(300, 200))
        self.canvas.search.line.setText("bent")
        self.assertEqual(self.canvas.search.list.item(0).text(), "Bent land")
        QTest.keyClick(self.canvas.search.line, Qt.Key.Key_Return)
        self.assertEqual(
            sorted(s.name for s in self.canvas.recipe.nodes.values()), ["Bent land", "Bent land", "Fractal noise"]
        )

    def test_a_cairn_is_linked_by_name_and_pointing_shows_both_ends(self):
        noise, band = self.load("fractal_noise", "height_band")
        self.doc.edit("free", lambda r: graph.unlink(r, band, "height"))
        self.click(noise)
        self.key(Qt.Key.Key_K)
        self.rename("High ground")
        cairn = self.canvas.chosen
        self.drag(self.canvas.port_at_widget(band, "height", False), QPointF(400, 480))
        self.assertEqual(self.canvas.search.list.item(0).text(), "Cairn High ground")
        QTest.keyClick(self.canvas.search.line, Qt.Key.Key_Return)
        self.assertEqual(self.doc.recipe.nodes[band].inputs["height"], (cairn, "through"))
        self.assertNotIn((band, "height"), self.canvas.sheet.routes, "no wire is drawn")
        self.assertEqual(self.canvas.far_ends(band), [cairn])
        plain = self.pixels(self.canvas)
        self.move(self.canvas, at(self.canvas.card_rect(cairn).center()), Qt.MouseButton.NoButton)
        lit = self.pixels(self.canvas)
        a, b = self.canvas.card_rect(cairn).center(), self.canvas.card_rect(band).center()
        changed = 0
        for fraction in (0.3, 0.4, 0.5, 0.6, 0.7):
            x, y = int(a.x() + (b.x() - a.x()) * fraction), int(a.y() + (b.y() - a.y()) * fraction)
            changed += bool((plain[y - 4 : y + 5, x - 4 : x + 5] != lit[y - 4 : y + 5, x - 4 : x + 5]).any())
        self.assertGreater(changed, 2, "a line joins both ends")

    def test_a_frame_follows_its_cards_and_moves_them(self):
        noise, warp = self.load("fractal_noise", "warp")
        self.click(noise)
        self.click(warp, CTRL)
        self.key(Qt.Key.Key_B)
        self.rename("Big form")
        frame = self.canvas.chosen
        before = {n: self.doc.recipe.nodes[n].at for n in (noise, warp)}
        title = self.canvas.card_rect(frame).center()
        self.drag(title, title + QPointF(0, 60))
        for n, (_, y) in before.items():
            self.assertAlmostEqual(self.doc.recipe.nodes[n].at[1], y + ROW, delta=2)
        box = self.canvas.sheet.rects.frames[frame]
        for n in before:
            x, y, w, h = self.canvas.sheet.rects.cards[n]
            self.assertTrue(box[0] < x and box[1] < y and x + w < box[0] + box[2] and y + h < box[1] + box[3])

    @slow
    def test_baking_needs_a_saved_recipe_then_stops_what_comes_before(self):
        noise, warp = self.load("fractal_noise", "warp")
        self.canvas.bake_asked.emit(warp)
        self.assertIn("Save the recipe first", self.window.status.text())
        self.doc.save(self.folder / "land.gelande")
        self.canvas.bake_asked.emit(warp)
        self.wait.until(self.doc.changed, lambda a, b: b.nodes[warp].bake is not None)
        self.wait.still(self.window)
        self.assertEqual(self.canvas.looks[warp].baked, "baked 129")
        self.assertEqual(self.canvas.looks[noise].baked, "behind a bake")
        self.doc.edit("x", lambda r: graph.set_param(r, noise, "seed", 7))
        self.wait.still(self.window)
        self.assertEqual(self.canvas.looks[warp].baked, "bake is older than its inputs")
        self.canvas.release_asked.emit(warp)
        self.wait.still(self.window)
        self.assertEqual((self.canvas.looks[warp].baked, self.doc.recipe.nodes[warp].bake), ("", None))

    def test_right_click_on_an_input_offers_cairns_and_taking_the_link_off(self):
        noise, warp = self.load("fractal_noise", "warp")
        offered = []

        class Seen(QMenu):
            def exec(self, place):
                offered.extend(a.text() for a in self.actions())
                self.actions()[-1].trigger()

        import gelande.app.compose.grouping as module

        plain, module.QMenu = module.QMenu, Seen
        try:
            spot = at(self.canvas.port_at_widget(warp, "height", False))
            QApplication.sendEvent(
                self.canvas, QContextMenuEvent(QContextMenuEvent.Reason.Mouse, spot, self.canvas.mapToGlobal(spot))
            )
        finally:
            module.QMenu = plain
        self.assertEqual(offered, ["Take the link off"])
        self.assertEqual(self.doc.recipe.nodes[warp].inputs, {})


class MarksTest(WindowCase):
    def setUp(self):
        super().setUp()
        self.plan = lambda p: at(self.view.marks.to_widget(p)[0])

    def in_plan(self, *kinds):
        ids = self.load(*kinds)
        self.click(ids[-1])
        self.view.set_mode("Plan")
        self.wait.still(self.window)
        return ids[-1]

    def value(self, node, param):
        return self.doc.recipe.nodes[node].params[param]

    @slow
    def test_a_line_is_drawn_by_clicks_and_its_points_dragged_added_and_removed(self):
        valley = self.in_plan("fractal_noise", "valley")
        before = result(self.doc.recipe, valley, 1)["height"]
        self.bench.rows["line"].box.click()
        wanted = [(800.0, 3300.0), (2000.0, 2000.0), (3200.0, 700.0)]
        for point in wanted:
            QTest.mouseClick(self.view, LEFT, Qt.KeyboardModifier.NoModifier, self.plan(point))
        QTest.keyClick(self.view, Qt.Key.Key_Return)
        np.testing.assert_allclose(self.value(valley, "line"), wanted, atol=12)
        self.assertNotIn("direction", self.bench.rows, "a drawn line replaces the settings of the winding one")
        land = result(self.doc.recipe, valley, 1)["height"]
        self.assertLess(land[64, 62], before[64, 62] - 0.0 if before[64, 62] > land[64, 62] else 1e9)
        self.wait.still(self.window)
        self.drag(QPointF(self.plan(self.value(valley, "line")[1])), QPointF(self.plan((2600.0, 2600.0))), self.view)
        np.testing.assert_allclose(self.value(valley, "line")[1], (2600.0, 2600.0), atol=15)
        self.wait.still(self.window)
        a, b = self.value(valley, "line")[:2]
        from gelande.kernels.shapes import curve_through

        middle = curve_through(self.value(valley, "line"), 8)[4]
        self.drag(QPointF(self.plan(middle)), QPointF(self.plan(middle)) + QPointF(20, 0), self.view)
        self.assertEqual(len(self.value(valley, "line")), 4)
        self.wait.still(self.window)
        QTest.mouseClick(
            self.view,
            Qt.MouseButton.RightButton,
            Qt.KeyboardModifier.NoModifier,
            self.plan(self.value(valley, "line")[1]),
        )
        self.assertEqual(len(self.value(valley, "line")), 3)
        self.doc.undo()
        self.assertEqual(len(self.value(valley, "line")), 4)

    @slow
    def test_a_point_in_relief_follows_the_ground_under_the_pointer(self):
        (ridge,) = self.load("ridge_line")
        self.click(ridge)
        self.bench.set_value("line", ((900.0, 2000.0), (3000.0, 2200.0)))
        self.wait.still(self.window)
        spot, hidden = self.view.marks.to_widget((900.0, 2000.0))
        self.assertFalse(hidden)
        under = self.view.marks.to_ground(spot)
        self.assertLess(np.hypot(under[0] - 900, under[1] - 2000), 60)
        self.drag(spot, spot + QPointF(40, 6), self.view)
        moved = self.value(ridge, "line")[0]
        self.assertGreater(np.hypot(moved[0] - 900, moved[1] - 2000), 100)
        heading = self.view.camera.heading
        self.drag(QPointF(self.view.rect().center()), QPointF(self.view.rect().center()) + QPointF(60, 0), self.view)
        self.assertNotEqual(self.view.camera.heading, heading, "beside the line a drag still turns the camera")

    @slow
    def test_brush_strokes_raise_the_land_are_moved_and_removed(self):
        node = self.in_plan("brushed_height")
        self.bench.rows["strokes"].box.click()
        self.drag(QPointF(self.plan((1000.0, 1000.0))), QPointF(self.plan((3000.0, 1000.0))), self.view)
        ((radius, amount, hardness, points),) = self.value(node, "strokes")
        self.assertEqual((radius, amount), (self.value(node, "brush_radius"), self.value(node, "brush_height")))
        np.testing.assert_allclose((points[0], points[-1]), ((1000, 1000), (3000, 1000)), atol=20)
        land = result(self.doc.recipe, node, 1)["height"]
        self.assertAlmostEqual(float(land[128 - 32 + 1, 64]), amount, delta=0.3 * amount)
        self.assertEqual(float(land[20, 64]), 0.0)
        QTest.keyClick(self.view, Qt.Key.Key_Escape)
        self.assertFalse(self.bench.rows["strokes"].box.isChecked())
        self.wait.still(self.window)
        self.drag(QPointF(self.plan((2000.0, 1000.0))), QPointF(self.plan((2000.0, 3000.0))), self.view)
        self.assertAlmostEqual(self.value(node, "strokes")[0][3][0][1], 3000.0, delta=30)
        QTest.keyClick(self.view, Qt.Key.Key_Delete)
        self.assertEqual(self.value(node, "strokes"), ())

    @slow
    def test_brush_settings_are_no_part_of_the_result(self):
        node = self.in_plan("brushed_height")
        engine, recipe = self.window.engine.evaluator, self.doc.recipe
        other = graph.set_param(recipe, node, "brush_radius", 500.0)
        self.assertEqual(engine.keys(recipe)[node], engine.keys(other)[node])


class BenchPlotTest(WindowCase):
    @slow
    def test_a_limit_is_dragged_over_the_histogram_of_what_comes_in(self):
        noise, clip = self.load("fractal_noise", "clip")
        self.click(clip)
        self.wait.still(self.window)
        plot = self.bench.limits
        self.assertEqual(plot._found[:2], self.bench.figures.heights[:2])
        y = plot.height() / 2
        target = plot.x_of(120.0)
        self.drag(QPointF(plot.x_of(plot.values["floor"]), y), QPointF(target, y), plot)
        self.assertAlmostEqual(self.doc.recipe.nodes[clip].params["floor"], 120.0, delta=8)
        self.assertAlmostEqual(self.bench.rows["floor"].value, self.doc.recipe.nodes[clip].params["floor"])
        self.wait.still(self.window)
        self.assertAlmostEqual(
            float(result(self.doc.recipe, clip, 1)["height"].min()),
            self.doc.recipe.nodes[clip].params["floor"],
            delta=9,
        )
        before = self.doc.recipe.nodes[clip].params["ceiling"]
        QTest.keyClick(plot, Qt.Key.Key_Up)
        QTest.keyClick(plot, Qt.Key.Key_Left)
        self.assertLess(self.doc.recipe.nodes[clip].params["ceiling"], before)

    @slow
    def test_the_curve_stands_over_the_histogram(self):
        noise, curve = self.load("fractal_noise", "curve")
        self.click(curve)
        self.wait.still(self.window)
        row = self.bench.rows["curve"]
        np.testing.assert_array_equal(row.histogram, self.bench.figures.heights[2])

    def test_room_for_results_is_set_in_gigabytes_and_bounds_the_cache(self):
        self.load("fractal_noise", "warp")
        self.window.open_room()
        panel = self.window.dropdowns.room
        panel.lines["memory"].setText("much")
        panel.take()
        self.assertIn("must be a number", panel.fault.text())
        panel.lines["memory"].setText("0.3 GB")
        panel.take()
        self.assertEqual(self.window.engine.evaluator.cache.limit, 300_000_000)


class OverlayTest(WindowCase):
    @slow
    def test_the_mesh_darkens_lines_and_steep_faces_are_hatched_and_counted(self):
        (noise,) = self.load("fractal_noise", fractal_noise={"relief": 80})
        self.wait.still(self.window)
        plain = self.pixels(self.view)
        self.view.bar.mesh.trigger()
        self.wait.still(self.window)
        meshed = self.pixels(self.view)
        inner = (slice(120, -80), slice(80, -80))
        self.assertGreater((np.abs(meshed[inner].astype(int) - plain[inner]).max(axis=2) > 25).mean(), 0.02)
        self.view.bar.mesh.trigger()
        self.view.bar.steep.trigger()
        self.wait.still(self.window)
        self.assertEqual(self.view.bar.steep.text(), "Too steep for the samples: 0 %")
        self.doc.edit("x", lambda r: graph.set_param(r, noise, "relief", 9000.0))
        self.wait.still(self.window)
        fraction = float(self.view.bar.steep.text().split()[-2])
        h, dx = self.view.frame.scene.height, self.view.frame.scene.dx
        steps = [
            np.abs(np.diff(h, axis=0))[:, :-1],
            np.abs(np.diff(h, axis=0))[:, 1:],
            np.abs(np.diff(h, axis=1))[:-1],
            np.abs(np.diff(h, axis=1))[1:],
        ]
        self.assertAlmostEqual(fraction, 100 * float((np.max(steps, axis=0) > 2.5 * dx).mean()), delta=0.6)
        self.assertGreater(fraction, 1.0)


if __name__ == "__main__":
    unittest.main()
