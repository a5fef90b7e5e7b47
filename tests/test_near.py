"""Patches: land that is looked at from near is seen at finer levels, and they are what a build gives."""

import math
import re
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
import OpenEXR
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QCursor, QImage
from PyQt6.QtTest import QTest
from support import chain
from test_window import LEFT, WindowCase

from gelande.app.view.readout import bar_of
from gelande.core.errors import RecipeError
from gelande.core.evaluate.executor import Evaluator, Job
from gelande.core.evaluate.query import shown_on, water_over
from gelande.core.recipe import control, graph
from gelande.core.recipe.model import NamedCamera
from gelande.core.recipe.site import Site
from gelande.kernels.grid_window import GridWindow
from gelande.kernels.things import FIELDS
from gelande.scene.camera import Camera
from gelande.scene.patches import RIM, Nest, Patch, box_of, windows_near
from gelande.scene.picture import pictured, save_picture
from gelande.scene.plan import draw_plan
from gelande.scene.relief import PAPER, Look, Scene, pick, render
from gelande.scene.things import Things, standing
from gelande.scene.walk import walk_between, walked

SIZE = (160, 120)


def hills(shape=(129, 161), dx=8.0) -> Scene:
    y, x = np.mgrid[: shape[0], : shape[1]] * dx
    h = 40 * np.sin(x / 170) * np.cos(y / 130) + 6 * np.sin(x / 37 + y / 53)
    return Scene(h.astype(np.float32), dx, None, Look(), None)


def patch_of(scene: Scene, scale: int, top: int, left: int, rows: int, columns: int, more=None) -> Patch:
    """A patch with the scene's own bilinear heights. more: heights to add."""
    nothing = Patch(scale, top, left, np.zeros((rows, columns), np.float32), "height", None)
    h = Nest._coarsest(scene).at(scene.height, nothing)
    h = np.ascontiguousarray(h if more is None else h + more, np.float32)
    return replace(nothing, height=h, data=h)


class NestTest(unittest.TestCase):
    def setUp(self):
        self.scene = hills()
        self.cameras = (
            Camera(640, 500, self.scene.surface(640, 500) + 2, 40, -6, 50),
            Camera.home(self.scene.outline, SIZE[0] / SIZE[1]),
            Camera(640, 300, 300, 0, -80, 50),
        )

    def test_a_patch_with_the_same_ground_is_seen_where_the_ground_was(self):
        patches = (patch_of(self.scene, 2, 64, 96, 97, 129), patch_of(self.scene, 8, 384, 512, 129, 161))
        for camera in self.cameras:
            self.scene.nest = None
            _, plain = render(self.scene, camera, *SIZE, PAPER)
            self.scene.nest = Nest(self.scene, patches)
            total, fine = render(self.scene, camera, *SIZE, PAPER)
            self.assertTrue(np.isfinite(total).all())
            # a ray that grazes a crest may just miss it
            self.assertLess(float((plain.kind != fine.kind).mean()), 0.002)
            both = (plain.kind == 1) & (fine.kind == 1)
            off = np.abs(plain.depth - fine.depth)[both] / plain.depth[both]
            self.assertLess(float(np.quantile(off, 0.995)), 1e-4)

    def test_finer_ground_is_seen_and_stood_on_and_joins_the_land_at_its_rim(self):
        rows, columns = 97, 129
        bump = np.zeros((rows, columns), np.float32)
        bump[:] = 9.0  # up to the rim, where it has to go
        patch = patch_of(self.scene, 2, 64, 96, rows, columns, bump)
        before = self.scene.ground(96 * 4 + 64 * 4, self.scene.depth - 64 * 4 - 48 * 4)
        nest = self.scene.nest = Nest(self.scene, (patch,))
        inside = (96 * 4 + 64 * 4, self.scene.depth - 64 * 4 - 48 * 4)
        self.assertAlmostEqual(self.scene.ground(*inside), before + 9, 3)
        h, under = nest.lit[1].surface, nest.lit[0].at(self.scene.height, patch)
        for edge in (np.s_[0], np.s_[-1], np.s_[:, 0], np.s_[:, -1]):
            np.testing.assert_allclose(h[edge], under[edge], atol=1e-4)
        steps = np.abs(np.diff((h - under)[:, columns // 2]))
        self.assertLess(float(steps.max()), 2 * 9 / RIM, "a rim is no step")
        camera = Camera(*inside, 400, 0, -89.9, 50)
        point = pick(self.scene, camera, 0.0, 0.0, 1.0)
        self.assertAlmostEqual(float(point[2]), before + 9, 1)

    def test_an_eye_within_the_ground_sees_something(self):
        camera, look = Camera(640, 500, self.scene.surface(640, 500) - 20, 40, -6, 50), Look(grain=0.1)
        self.scene.look = look
        for nest in (None, Nest(self.scene, (patch_of(self.scene, 2, 64, 96, 97, 129),))):
            self.scene.nest = nest
            self.assertTrue(np.isfinite(render(self.scene, camera, *SIZE, PAPER)[0]).all())

    def test_things_stand_on_the_finest_ground(self):
        patch = patch_of(self.scene, 2, 64, 96, 97, 129, np.full((97, 129), 9, np.float32))
        rows = np.zeros((2, FIELDS), np.float32)
        rows[:, 0], rows[:, 1] = (640, 100), (640, 100)
        things = Things(rows, np.ones((1, 3)))
        coarse = standing(things, self.scene).copy()
        self.scene.nest = Nest(self.scene, (patch,))
        fine = standing(things, self.scene)
        changed = np.flatnonzero((coarse != fine).any(0))
        self.assertEqual(len(changed), 1, "only the foot")
        np.testing.assert_allclose((fine - coarse)[:, changed[0]], [9, 0], atol=1e-3)

    def test_what_is_lit_already_is_not_lit_again(self):
        patches = (patch_of(self.scene, 2, 64, 96, 97, 129), patch_of(self.scene, 4, 192, 256, 97, 129))
        first = Nest(self.scene, patches[:1])
        second = Nest(self.scene, patches, first)
        self.assertIs(second.lit[1], first.lit[1])
        other = Nest(self.scene, (replace(patches[0]), patches[1]), second)
        self.assertIsNot(other.lit[2], second.lit[2], "it stands on other ground now")


class WindowsTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.scene = hills((513, 513))

    def seen(self, scene, camera):
        _, b = render(scene, camera, 640, 480, PAPER)
        return (b.kind, b.depth, b.column, b.row), 2 * math.tan(math.radians(camera.field / 2)) / 480

    def test_nothing_finer_is_asked_for_from_afar(self):
        scene = self.scene
        self.assertEqual(windows_near(*self.seen(scene, Camera.home(scene.outline, 4 / 3)), 8.0, (513, 513), 5), [])

    @settings(max_examples=25, deadline=None)
    @given(st.floats(20, 4000), st.floats(20, 4000), st.floats(0, 360), st.floats(-60, 5), st.floats(1.7, 300))
    def test_windows_lie_within_each_other_and_hold_what_is_near(self, east, north, heading, pitch, up):
        scene = self.scene
        camera = Camera(east, north, scene.surface(east, north) + up, heading, pitch, 50)
        seen, pixel = self.seen(scene, camera)
        found = windows_near(seen, pixel, 8.0, (513, 513), 5)
        around = GridWindow.between(1, 512, 1, 512, (513, 513))
        for k, window in found:
            around = around.finer()
            self.assertTrue(around.covers(window), (k, window))
            self.assertEqual(window.grid, (512 * 2**k + 1,) * 2)
            self.assertLessEqual(max(window.height, window.width), 700)
            self.assertFalse(window.top % 2**k or window.left % 2**k, "whole cells of the land that is shown")
            around = window
        self.assertEqual([k for k, _ in found], list(range(1, len(found) + 1)))
        self.assertEqual(windows_near(seen, pixel, 8.0, (513, 513), 5, dict(found)), found, "the same again is kept")

    def test_a_box_takes_the_nearest_places_first(self):
        column, row, depth = np.array([5.0, 9.0, 300.0]), np.array([5.0, 2.0, 5.0]), np.array([1.0, 2.0, 3.0])
        self.assertEqual(box_of(column, row, depth, 100), (2, 5, 5, 9))
        self.assertEqual(box_of(column, row, depth, 400), (2, 5, 5, 300))
        self.assertIsNone(box_of(column[:0], row[:0], depth[:0], 100))


class SameBytesTest(unittest.TestCase):
    def test_a_patch_is_the_region_of_a_build_by_the_byte(self):
        """Height, colour and water of a small land two levels beyond the mapped one."""
        recipe, (_, rain, lakes) = chain("massif", "rain_erosion", "lakes", site=Site("Near", 1024, 1024, base=32))
        recipe, colour = graph.add(recipe, "slope_band")
        recipe = graph.link(recipe, lakes, "height", colour, "height")
        level = 5
        grid = recipe.site.shape(level)
        window = GridWindow.between(200, 420, 300, 640, grid)
        engine = Evaluator()
        made = shown_on(engine, Job(recipe, Path(), whole=1), colour, "mask", level, window)
        data, height, water = made
        whole = Evaluator()
        job = Job(recipe)
        land = whole.result(job, lakes, level)["height"]
        self.assertEqual(height.tobytes(), window.cut(land, GridWindow.of(grid)).tobytes())
        mask = whole.result(job, colour, level)["mask"]
        self.assertEqual(data.tobytes(), window.cut(mask, GridWindow.of(grid)).tobytes())
        deep = water_over(whole, job, {rain, lakes}, level, land)
        part = None if deep is None else window.cut(deep, GridWindow.of(grid))
        if water is None:
            self.assertFalse(part is not None and part.any())
        else:
            self.assertEqual(water.tobytes(), part.tobytes())


class WalkTest(unittest.TestCase):
    def setUp(self):
        self.scene = hills()
        temporary = tempfile.TemporaryDirectory()
        self.addCleanup(temporary.cleanup)
        self.folder = Path(temporary.name)

    def test_a_walk_passes_all_cameras_evenly_and_stays_over_the_ground(self):
        scene, stops = (
            self.scene,
            [Camera(100, 100, 60, 350, -5), Camera(600, 500, 90, 20, -20), Camera(1200, 300, -99, 90, 0)],
        )
        found = walk_between(stops, 200, scene.surface)
        self.assertEqual(len(found), 200)
        for a, b in ((found[0], stops[0]), (found[-1], stops[-1])):
            np.testing.assert_allclose(a.position[:2], b.position[:2], atol=1e-3)
        nearest = min(np.linalg.norm(c.position - stops[1].position) for c in found)
        steps = np.array([np.linalg.norm(b.position[:2] - a.position[:2]) for a, b in zip(found, found[1:])])
        self.assertLess(nearest, steps.max(), "it passes the one in the middle")
        self.assertLess(steps[30:170].max(), 1.5 * steps[30:170].min(), "at an even pace")
        self.assertLess(steps[0], 0.4 * steps.max(), "and sets out slowly")
        for c in found:
            self.assertGreaterEqual(c.height, scene.surface(c.east, c.north) + 0.999)
        turns = [abs((b.heading - a.heading + 180) % 360 - 180) for a, b in zip(found, found[1:])]
        self.assertLess(sum(turns), 110, "it turns the shorter way")
        still = walk_between([stops[0], replace(stops[0], heading=80)], 20, scene.surface)  # turning round on the spot
        self.assertGreater(len({round(c.heading) for c in still}), 10)

    def test_pictures_of_a_walk_are_numbered_and_one_camera_is_no_walk(self):
        kept = [NamedCamera("A", 100, 100, 80, 20, -5), NamedCamera("B", 300, 300, 120, 40, -9)]
        files = walked(self.folder / "way.png", self.scene, kept, 3, (48, 32), 1)
        self.assertEqual([f.name for f in files], ["way_0001.png", "way_0002.png", "way_0003.png"])
        pictures = [Image.open(f) for f in files]
        self.assertEqual({p.size for p in pictures}, {(48, 32)})
        self.assertEqual(len({p.tobytes() for p in pictures}), 3)
        with self.assertRaisesRegex(RecipeError, "two at least"):
            walked(self.folder / "way.png", self.scene, kept[:1], 3, (48, 32), 1)

    def test_a_picture_with_depth_is_read_by_others(self):
        depth, camera = np.empty((60, 80), np.float32), Camera(640, 500, 80, 40, -16, 50)
        save_picture(pictured(self.scene, camera, (80, 60), passes=2, depth=depth), self.folder / "land.exr", depth)
        with OpenEXR.File(str(self.folder / "land.exr")) as file:
            z, rgb = file.channels()["Z"].pixels, file.channels()["RGB"].pixels
        np.testing.assert_array_equal(z, depth)
        self.assertEqual(rgb.shape, (60, 80, 3))
        self.assertTrue(np.isinf(z).any() and np.isfinite(z).any(), "sky has no depth")
        point = pick(self.scene, camera, 0.5 / 40, -19.5 / 30 - 0.5 / 30, 80 / 60)
        forward = camera.axes(1)[0]
        self.assertAlmostEqual(float(z[49, 40]), float((point - camera.position) @ forward), delta=2.0)


class WindowTest(WindowCase):
    def test_standing_on_the_ground_brings_finer_levels_and_an_edit_lets_go_of_them(self):
        self.load("fractal_noise", detail=3, site=Site("Near", 2048, 2048))
        view, near = self.view, self.view.near
        self.assertEqual(near.patches, ())
        self.assertFalse(near.label.isVisible())
        scene = view.frame.scene
        view.camera = Camera(900, 1100, scene.surface(900, 1100) + 1.7, 45, -5, 50)
        coarse = scene.ground(900, 1100)
        self.wait.until(view.pictured, lambda f: f.passes == 8 and len(f.request.patches) >= 2, lambda: view.redraw())
        self.assertRegex(near.label.text(), r"near: \d+ (m|cm) a sample|near: 1 m a sample")
        level, patch = 3 + 1, near.patches[0]
        window = GridWindow(patch.top, patch.left, *patch.height.shape, *self.doc.recipe.site.shape(level))
        ids = list(self.doc.recipe.nodes)
        whole = Evaluator().result(Job(self.doc.recipe), ids[0], level, window)["height"]
        self.assertEqual(patch.height.tobytes(), whole.tobytes())
        ground = view.frame.scene.surface(900, 1100)
        self.assertAlmostEqual(ground, coarse, delta=8)
        self.assertAlmostEqual(view.camera.height, ground + 1.7, 3, "who stands there stands on the finer ground")
        fine = view.frame.image.copy()
        view.bar.near.trigger()
        self.wait.until(view.pictured, lambda f: f.passes == 8)
        self.assertNotEqual(view.frame.image, fine)
        self.assertEqual(view.frame.request.patches, ())
        view.bar.near.trigger()
        self.wait.until(view.pictured, lambda f: f.passes == 8 and f.request.patches)
        old = near.patches
        self.doc.edit("Lower", lambda r: graph.set_param(r, ids[0], "gain", 0.47))
        self.wait.until(view.pictured, lambda f: f.request.patches and f.request.patches != old)
        self.assertFalse(set(view.near.patches) & set(old), "what is drawn near is of the land that is shown")
        view.set_contours(True)
        self.wait.until(view.pictured, lambda f: f.passes == 8)
        self.assertEqual(view.frame.request.patches, (), "land that is measured is shown as it is sampled")
        self.assertFalse(near.label.isVisible())

    def test_a_map_is_finer_where_it_is_enlarged(self):
        self.load("fractal_noise", detail=3, site=Site("Near", 2048, 2048))
        view, near = self.view, self.view.near
        view.set_mode("Plan")
        self.wait.still(self.window)
        self.assertEqual(near.patches, (), "the whole site needs none")
        plan = replace(view.mode.projection(), east=700.0, north=900.0, metres=0.5)
        view.mode.plan = plan
        self.wait.until(view.pictured, lambda f: len(f.request.patches) >= 2, view.redraw)
        frame, level = view.frame, 3 + len(near.patches)
        fine = Evaluator().result(Job(self.doc.recipe), next(iter(self.doc.recipe.nodes)), level)["height"]
        dx = self.doc.recipe.site.spacing(level)
        self.assertAlmostEqual(frame.scene.ground(700, 900), float(fine[round((2048 - 900) / dx), round(700 / dx)]), 3)
        total, _ = draw_plan(frame.scene, plan, 200, 150, PAPER, None)
        frame.scene.nest, nest = None, frame.scene.nest
        coarse, _ = draw_plan(frame.scene, plan, 200, 150, PAPER, None)
        frame.scene.nest = nest
        rough = [float(np.abs(np.diff(a.mean(-1))).mean()) for a in (total, coarse)]
        self.assertGreater(rough[0], rough[1], "more is to be seen")
        self.assertLess(float(np.abs(total - coarse).mean()), 12, "of the same land in the same light")

    def test_the_large_variant_is_finer_near_by_too(self):
        recipe, (noise,) = chain("fractal_noise", site=Site("Near", 2048, 2048))
        self.doc.start(control.publish(recipe, control.RECIPE, "seed"), None)
        self.window.go("Variants")
        self.wait.still(self.window)
        view = self.window.variants.large.view
        scene = view.frame.scene
        view.camera = Camera(900, 1100, scene.surface(900, 1100) + 1.7, 45, -5, 50)
        self.wait.until(view.pictured, lambda f: f.request.patches, view.redraw)
        patch = view.near.patches[0]
        window = GridWindow(patch.top, patch.left, *patch.height.shape, *recipe.site.shape(4))
        made = Evaluator().result(Job(self.window.variants.selected.recipe), noise, 4, window)["height"]
        self.assertEqual(patch.height.tobytes(), made.tobytes())

    def test_a_person_shows_how_large_the_land_is(self):
        self.load("fractal_noise", site=Site("Near", 400, 400))
        view, bar = self.view, self.view.bar
        bare = view.frame.image.copy()
        view.modes["Relief"].stand((60.0, 60.0))
        self.wait.until(view.pictured, lambda f: f.passes == 8, view.redraw)
        alone = view.frame.image.copy()
        self.wait.until(view.pictured, lambda f: f.passes == 8, bar.person.trigger)
        self.assertTrue(bar.person.isChecked())
        scene, (east, north) = view.frame.scene, view.things.person
        at = view.mode.to_widget((east, north))[0]
        self.assertAlmostEqual(at.x(), view.width() / 2, delta=3)
        changed = _differs(view.frame.image, alone)
        rows, columns = np.nonzero(changed)
        self.assertTrue(len(rows), "the person is seen")
        self.assertLess(abs(columns.mean() - at.x()), 40, "where it was put")
        away = np.linalg.norm(np.array([east, north, scene.surface(east, north)]) - view.camera.position)
        tall = 1.8 / away / (2 * math.tan(math.radians(view.camera.field / 2))) * view.height()
        body = np.abs(columns - at.x()) < max(2, 0.3 * tall)
        self.assertAlmostEqual(rows[body].max() - rows[body].min(), tall, delta=0.35 * tall + 3)
        QCursor.setPos(view.mapToGlobal(view.rect().center()))
        QTest.keyClick(view, Qt.Key.Key_P)  # the same place again
        self.wait.until(view.pictured, lambda f: f.passes == 8)
        self.assertFalse(bar.person.isChecked())
        self.assertEqual(view.frame.image, alone)
        self.assertNotEqual(bare, alone)

    def test_a_rule_tells_distance_height_and_slope_between_two_places(self):
        self.load("fractal_noise", site=Site("Near", 400, 400))
        view = self.view
        view.setFocus()
        QTest.keyClick(view, Qt.Key.Key_R)
        self.assertTrue(view.rule.on and view.bar.rule.isChecked())
        self.assertTrue(view.active_tool.isVisible(), "it says how it is used")
        middle = view.rect().center()
        places = [middle, middle + QPoint(120, 30)]
        camera, picture = view.camera, view.grab().toImage()
        for place in places:
            QTest.mouseClick(view, LEFT, pos=place)
        self.assertEqual(view.camera, camera, "measuring turns no camera")
        scene, ends = view.frame.scene, [view.mode.to_ground(p) for p in places]
        away, up = math.dist(*ends), scene.ground(*ends[1]) - scene.ground(*ends[0])
        found = [float(v) for v in re.findall(r"[\d.]+", view.rule.words)]
        np.testing.assert_allclose(found, (away, abs(up), math.degrees(math.atan2(abs(up), away))), atol=0.51)
        self.assertIn("up" if up >= 0 else "down", view.rule.words)
        self.assertNotEqual(view.grab().toImage(), picture, "it is seen")
        start, end = middle - QPoint(60, 0), middle + QPoint(0, 40)
        QTest.mousePress(view, LEFT, pos=start)  # by one drag, too
        QTest.mouseMove(view, end)
        QTest.mouseRelease(view, LEFT, pos=end)
        np.testing.assert_allclose((view.rule.first, view.rule.second), [view.mode.to_ground(p) for p in (start, end)])
        QTest.keyClick(view, Qt.Key.Key_Escape)
        self.assertEqual((view.rule.on, view.rule.words, view.active_tool.isVisible()), (False, "", False))

    def test_a_map_has_a_scale_bar_of_a_round_length(self):
        for metres in (0.004, 0.3, 1.0, 7.77, 240.0):
            pixels, words = bar_of(metres)
            number, unit = words.split()
            length = float(number) * {"cm": 0.01, "m": 1, "km": 1000}[unit]
            self.assertAlmostEqual(pixels * metres, length)
            self.assertTrue(40 < pixels <= 150, (metres, pixels))
            self.assertIn(number.replace(".", "").strip("0"), ("1", "2", "5"))

    def test_a_walk_between_kept_cameras_is_saved_from_the_menu(self):
        self.load("fractal_noise", site=Site("Near", 400, 400))
        menu, saving, cameras = self.view.bar.pictures, self.window.compose.pictures, self.window.compose.saved_cameras
        path = self.folder / "way.png"

        def action():
            menu.aboutToShow.emit()
            return next(a for a in menu.actions() if a.text().startswith("A walk"))

        self.assertFalse(action().isEnabled(), "there is no camera yet")
        cameras.keep()
        self.view.camera = replace(self.view.camera, east=self.view.camera.east + 60)
        cameras.keep()
        with (
            mock.patch("PyQt6.QtWidgets.QFileDialog.getSaveFileName", lambda *a: (str(path), "")),
            mock.patch("PyQt6.QtWidgets.QInputDialog.getInt", lambda *a: (2, True)),
        ):
            self.wait.until(saving.said, lambda text: "2 pictures" in text, action().trigger)
        self.assertEqual(sorted(p.name for p in self.folder.glob("way*")), ["way_0001.png", "way_0002.png"])

    def test_the_picture_is_saved_at_any_size(self):
        self.load("fractal_noise", site=Site("Near", 400, 400))
        path, saving = self.folder / "land.png", self.window.compose.pictures
        name = (str(path.with_suffix("")), "")
        with mock.patch("PyQt6.QtWidgets.QFileDialog.getSaveFileName", lambda *a: name):
            menu = self.view.bar.pictures
            menu.aboutToShow.emit()
            (action,) = (a for a in menu.actions() if a.text().startswith("1920"))
            self.wait.until(saving.said, lambda text: "1920 × 1080" in text, action.trigger)
        with Image.open(path) as saved:
            self.assertEqual((saved.size, saved.mode), ((1920, 1080), "RGB"))
            small = np.asarray(saved.resize((480, 270)), float)
        self.assertGreater(small.std(), 5, "land and sky")
        wrong = path / "land.png"  # a file is no folder
        told = self.wait.until(saving.said, ask=lambda: saving.save(wrong, (64, 48)))
        self.assertIn("was not written", told[0])


def _differs(a: QImage, b: QImage) -> np.ndarray:
    """Where two pictures of one size differ."""
    size = (a.height(), a.width(), 4)
    one, two = (np.frombuffer(i.constBits().asstring(i.sizeInBytes()), np.uint8).reshape(size) for i in (a, b))
    return (np.abs(one.astype(int) - two) > 12).any(-1)


if __name__ == "__main__":
    unittest.main()

    def test_air_is_seen_on_the_ground_and_never_under_contours(self):
        self.load("fractal_noise", detail=2, site=Site("Airy", 16_384, 16_384))
        view = self.view
        scene = view.frame.scene
        view.camera = Camera(8000, 500, scene.surface(8000, 500) + 60, 0, -2, 50)
        self.wait.until(view.pictured, lambda f: f.passes == 8, lambda: view.redraw())
        hazy = view.frame.image.copy()
        view.bar.air.trigger()
        self.wait.until(view.pictured, lambda f: f.passes == 8)
        self.assertNotEqual(view.frame.image, hazy)
        view.bar.air.trigger()
        self.wait.until(view.pictured, lambda f: f.passes == 8)
        self.assertEqual(view.frame.image, hazy, "the same again")
        view.set_contours(True)
        self.wait.until(view.pictured, lambda f: f.passes == 8)
        self.assertFalse(view.asked.look.air)
