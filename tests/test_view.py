"""What the view does with a result: home, standing on the ground, comparing, cutting, cameras, heights drawn larger."""

import json
import unittest

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from support import slow
from test_window import LEFT, WindowCase

from gelande.app.view.compare import Content, change_of
from gelande.app.view.framing import widest_view
from gelande.app.view.section import along, profile
from gelande.core.recipe import cameras, graph
from gelande.core.recipe import recipefile as files
from gelande.core.recipe.model import NamedCamera, Recipe
from gelande.core.recipe.raster import HEIGHT, MASK
from gelande.core.recipe.site import Site
from gelande.scene.camera import Camera


class HomeTest(unittest.TestCase):
    def test_the_whole_site_spans_most_of_the_picture_and_none_of_it_is_cut(self):
        for width, depth, low, high, aspect in (
            (4096, 4096, 0, 400, 1.3),
            (100, 100, 0, 60, 1.3),
            (100_000, 25_000, 0, 3000, 0.6),
            (64_000, 1000, -50, 50, 2.4),
            (1000, 64_000, 0, 900, 1.3),
        ):
            points = np.array([(e, n, h) for e in (0, width) for n in (0, depth) for h in (low, high)], float)
            c = Camera.home(points, aspect)
            forward, right, up = c.axes(aspect)
            away = points - c.position
            t = away @ forward
            a, b = away @ right / (right @ right) / t, away @ up / (up @ up) / t
            self.assertGreater(t.min(), 0)
            self.assertLess(max(np.abs(a).max(), np.abs(b).max()), 1.0, "cut")
            self.assertGreater(max(np.ptp(a) / 2, np.ptp(b) / 2), 0.85)


class OutlookTest(unittest.TestCase):
    def test_one_looks_out_of_a_valley_and_not_at_its_walls(self):
        height = np.full((101, 101), 300.0, np.float32)
        height[:, 45:56] = 0.0  # a gorge from north to south
        height[:50] = 300.0  # closed to the north
        heading = widest_view(height, 10.0, 500.0, 520.0, 1.7)
        self.assertLess(abs(heading - 180), 25)


class ChangeTest(unittest.TestCase):
    def content(self, kind, data, height=None):
        data = np.asarray(data, np.float32)
        return Content((0,), data if height is None else height, 1.0, kind, data)

    def test_heights_in_metres_and_masks_as_shares(self):
        a, b = np.zeros((4, 4)), np.full((4, 4), 3.0)
        change = change_of(self.content(HEIGHT, a), self.content(HEIGHT, b))
        self.assertEqual((change.span, change.low, change.high, change.unit), (5.0, -3.0, -3.0, " m"))
        np.testing.assert_allclose(change.fractions, -0.6)
        ground = np.zeros((4, 4), np.float32)
        change = change_of(self.content(MASK, a + 1, ground), self.content(MASK, b / 6, ground))
        self.assertEqual((change.span, change.unit), (0.5, ""))
        np.testing.assert_allclose(change.fractions, 1.0)

    def test_a_few_steps_leave_colours_for_the_rest(self):
        a = np.zeros((100, 100))
        a[0, 0], a[50:] = 900.0, 2.0
        change = change_of(self.content(HEIGHT, a), self.content(HEIGHT, a * 0))
        self.assertEqual((change.span, change.high), (2.0, 900.0))


class ProfileTest(unittest.TestCase):
    def test_a_profile_is_the_surface_between_the_samples(self):
        rows, columns = np.mgrid[0:11, 0:21]
        height = (3.0 * columns + 2.0 * (10 - rows)).astype(np.float32)  # 3 m a sample to the east, 2 m to the north
        line = ((0.0, 0.0), (100.0, 50.0))
        heights = profile(height, 5.0, along(line, 41))
        fraction = np.linspace(0, 1, 41)
        np.testing.assert_allclose(heights, 60 * fraction + 20 * fraction, atol=1e-4)


class CamerasTest(unittest.TestCase):
    def test_nine_are_kept_with_names_of_their_own_and_survive_the_file(self):
        recipe = Recipe(Site())
        for k in range(9):
            recipe = cameras.keep(recipe, NamedCamera("", k, 2, 3, 4, 5))
        self.assertEqual([c.name for c in recipe.cameras], [f"Camera {k}" for k in range(1, 10)])
        with self.assertRaisesRegex(graph.RecipeError, "keeps 9 cameras"):
            cameras.keep(recipe, NamedCamera("", 1, 2, 3, 4, 5))
        recipe = cameras.rename(recipe, 2, "camera 1")
        self.assertEqual(recipe.cameras[2].name, "camera 1 1")
        recipe = cameras.put(cameras.remove(recipe, 0), 0, NamedCamera("x", 9, 9, 9, 9, 9, 2))
        self.assertEqual((recipe.cameras[0].name, recipe.cameras[0].east, len(recipe.cameras)), ("Camera 2", 9, 8))
        self.assertEqual(files.loads(files.dumps(recipe)).cameras, recipe.cameras)

    def test_a_camera_out_of_range_is_refused_with_words(self):
        block = json.loads(files.dumps(cameras.keep(Recipe(Site()), NamedCamera("", 1, 2, 3, 4, 5))))
        block["cameras"][0]["heights_times"] = 9
        with self.assertRaisesRegex(graph.RecipeError, "heights_times"):
            files.loads(json.dumps(block))


class ViewCase(WindowCase):
    def setUp(self):
        super().setUp()
        self.nodes = self.load("fractal_noise", "terrace")
        self.click(self.nodes[1])
        self.wait.still(self.window)

    def key_view(self, key):
        self.view.setFocus()
        QTest.keyClick(self.view, key)
        self.wait.still(self.window)


class LookTest(ViewCase):
    def test_the_land_fills_the_pane_at_home_and_after_the_pane_has_changed(self):
        for size in ((1280, 800), (900, 600), (1500, 700)):
            self.window.resize(*size)
            self.wait.still(self.window)
            seen = self.view.frame.buffer.kind > 0
            rows, columns = np.flatnonzero(seen.any(axis=1)), np.flatnonzero(seen.any(axis=0))
            spans = np.ptp(rows) / seen.shape[0], np.ptp(columns) / seen.shape[1]
            self.assertGreater(max(spans), 0.85, size)

    @slow
    def test_g_stands_on_the_ground_and_looks_level(self):
        self.key_view(Qt.Key.Key_G)
        scene, c = self.view.frame.scene, self.view.camera
        self.assertEqual(c.pitch, 0.0)
        self.assertAlmostEqual(c.height - scene.ground(c.east, c.north), 1.7, places=3)

    def test_heights_drawn_larger_are_said_and_read_out_as_they_are(self):
        pos = self.view.rect().center()
        self.view.read_out(pos)
        before, hit = self.view.frame.buffer.kind.astype(bool).any(axis=1).sum(), self.view.under(pos)
        self.view.bar.times[5.0].trigger()
        self.wait.still(self.window)
        self.assertIn("heights × 5", self.view.caption.text())
        self.assertGreater(self.view.frame.buffer.kind.astype(bool).any(axis=1).sum(), 1.1 * before)
        scene = self.view.frame.scene
        self.assertLessEqual(scene.high, float(scene.height.max()))
        c, r = (int(v) for v in hit)
        where = self.view.modes["Relief"].to_widget((c * scene.dx, scene.depth - r * scene.dx))[0]
        self.view.read_out(QPoint(round(where.x()), round(where.y())))
        told = float(self.view.ground.text().split()[1])
        self.assertAlmostEqual(told, float(scene.height[r, c]), delta=0.12 * scene.span)
        self.view.bar.times[1.0].trigger()
        self.wait.still(self.window)
        self.assertNotIn("heights ×", self.view.caption.text())

    def test_cameras_are_kept_stepped_to_and_undone(self):
        home = self.view.camera
        self.window.compose.saved_cameras.keep()
        self.key_view(Qt.Key.Key_G)
        self.assertNotEqual(self.view.camera, home)
        self.key_view(Qt.Key.Key_1)
        self.assertEqual(self.view.camera, home)
        self.key_view(Qt.Key.Key_2)
        self.assertIn("No camera 2", self.window.status.text())
        self.doc.undo()
        self.assertEqual(self.doc.recipe.cameras, ())


class CompareTest(ViewCase):
    def test_c_splits_before_and_after_under_a_line_that_is_dragged(self):
        self.view.bar.grain.setChecked(False)  # as lands are drawn that are compared
        QTest.keyClick(self.view, Qt.Key.Key_C)
        self.wait.still(self.window)
        comparison = self.view.comparison
        self.assertEqual((comparison.way, comparison.other.words), ("split", "before: Fractal noise"))
        split = self.pixels(self.view)
        after = self.pixels_of(self.view.frame.image)
        before = self.pixels_of(comparison.frame.image)
        band = slice(90, -60)
        np.testing.assert_array_equal(
            split[band, : self.view.width() // 2 - 4], before[band, : before.shape[1] // 2 - 4]
        )
        np.testing.assert_array_equal(split[band, self.view.width() // 2 + 4 :], after[band, after.shape[1] // 2 + 4 :])
        self.assertGreater(np.abs(after.astype(int) - before).max(), 20, "there is something to compare")
        middle = QPointF(self.view.width() / 2, self.view.height() / 2)
        self.drag(middle, middle + QPointF(150, 0), self.view)
        self.assertAlmostEqual(comparison.line, middle.x() + 150, delta=2)
        QTest.keyClick(self.view, Qt.Key.Key_C)
        self.wait.still(self.window)
        self.assertFalse(self.view.bar.compare.isChecked())
        np.testing.assert_array_equal(self.pixels(self.view)[band, 2:-2], after[band, 2:-2])

    def pixels_of(self, image):
        rows = np.frombuffer(image.constBits().asstring(image.sizeInBytes()), np.uint8)
        return rows.reshape(image.height(), image.width(), 4)[..., :3]

    def test_the_difference_has_a_legend_in_metres_and_follows_a_slider(self):
        self.view.comparison.set_way("difference")
        self.wait.still(self.window)
        change = self.view.comparison.change
        levels = self.window.compose.detail
        results = [
            self.window.engine.evaluator.result(self.job(), n, levels)["height"].astype(float) for n in self.nodes
        ]
        self.assertAlmostEqual(change.low, float((results[1] - results[0]).min()), places=2)
        self.doc.edit("x", lambda r: graph.set_param(r, self.nodes[1], "amount", 0.0))
        self.wait.still(self.window)
        self.assertEqual((self.view.comparison.change.low, self.view.comparison.change.high), (0.0, 0.0))

    def job(self):
        from gelande.core.evaluate.job import Job

        return Job(self.doc.recipe, self.doc.folder)

    @slow
    def test_blinking_shows_one_after_the_other(self):
        self.view.comparison.set_way("blink")
        self.wait.still(self.window)
        first = self.pixels(self.view)
        self.view.comparison._turn()
        second = self.pixels(self.view)
        self.assertGreater(np.abs(first.astype(int) - second)[90:-60].max(), 20)

    @slow
    def test_what_is_held_is_compared_with_what_is_selected(self):
        self.window.compose.hold(self.nodes[0])
        self.view.comparison.set_way("split")
        self.wait.still(self.window)
        self.assertEqual(self.view.comparison.other.words, "held: Fractal noise")
        self.assertEqual(self.view.comparison.main.words, "Terrace")


class SectionTest(ViewCase):
    def test_the_profile_is_the_land_under_the_line_and_its_ends_are_dragged(self):
        self.view.set_mode("Plan")
        QTest.mouseClick(self.view.bar.section, LEFT)
        self.wait.still(self.window)
        section = self.view.section
        length, found = section.panel.profiles()
        layer, ground, _ = found[0]
        rows = layer.height.shape[0]
        self.assertAlmostEqual(length, self.doc.recipe.site.width)
        middle = (layer.height[rows // 2, 0], layer.height[rows // 2, -1])
        np.testing.assert_allclose((ground[0], ground[-1]), middle, atol=1e-3)
        end = self.view.mode.to_widget(section.ends()[1])[0]
        self.drag(end, end + QPointF(-60, 40), self.view)
        self.assertLess(section.panel.profiles()[0], length)
        self.assertGreater(section.ends()[0][1], section.ends()[1][1])

    def test_up_to_four_nodes_lie_over_each_other_and_the_pointer_is_linked(self):
        self.view.section.set_on(True)
        self.wait.still(self.window)
        panel = self.view.section.panel
        QTest.mouseClick(panel.keep, LEFT)
        self.click(self.nodes[0])
        self.wait.still(self.window)
        names = [layer.name for layer in self.view.section.layers]
        self.assertEqual(names, ["Fractal noise", "Terrace"])
        QTest.mouseMove(panel, panel.field().center().toPoint())
        self.assertAlmostEqual(self.view.section.mark, 0.5, delta=0.01)
        before = self.pixels(panel)
        panel.leaveEvent(None)
        self.assertIsNone(self.view.section.mark)
        self.assertGreater(np.abs(before.astype(int) - self.pixels(panel)).max(), 20)

    def test_a_line_is_drawn_over_the_land(self):
        self.view.set_mode("Plan")
        self.view.section.set_on(True)
        self.wait.still(self.window)
        QTest.mouseClick(self.view.section.panel.draw, LEFT)
        a, b = QPointF(self.view.width() / 2 - 80, 150), QPointF(self.view.width() / 2 + 60, 200)
        self.drag(a, b, self.view)
        for end, place in zip(self.view.section.ends(), (a, b)):
            self.assertLess((self.view.mode.to_widget(end)[0] - place).manhattanLength(), 4)
        self.assertFalse(self.view.section.panel.draw.isChecked())

    @slow
    def test_water_stands_in_the_profile(self):
        recipe, lakes = graph.add(self.doc.recipe, "lakes")
        self.doc.edit("x", lambda r: graph.link(recipe, self.nodes[0], "height", lakes, "height"))
        self.view.section.set_on(True)
        self.canvas.choose(lakes)
        self.wait.still(self.window)
        layer = self.view.section.layers[0]
        self.assertGreater(float(layer.water.max()), 0.1)


if __name__ == "__main__":
    unittest.main()
