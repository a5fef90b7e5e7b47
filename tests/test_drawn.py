"""Masks that are drawn: strokes, outlines, shapes and pictures; what they give, how they are kept, and drawing them in
the real window."""

import random
import tempfile
import unittest
from pathlib import Path

import numpy as np
import scipy.ndimage as ndi
from hypothesis import given, settings
from hypothesis import strategies as st
from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QPointingDevice, QTabletEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication
from support import chain, result
from test_window import LEFT, WindowCase, at

from gelande.core.evaluate.executor import Evaluator, Job
from gelande.core.recipe import graph, model
from gelande.core.recipe import param as P
from gelande.core.recipe import recipefile as files
from gelande.core.recipe.node import spec_of
from gelande.core.recipe.site import Site
from gelande.kernels.outlines import INWARD, Outline, filled, signed_distance
from gelande.kernels.shapes import closed_curve, corners
from gelande.kernels.strokes import brushed, covered

SITE, N = 4096.0, 513
DX = SITE / (N - 1)


def outline(points, feather=0.0, **more):
    made = Outline(np.asarray(points, float), feather, INWARD, "straight", 0.0, 100.0, 1, False)
    return made._replace(**more)


def laid(*outlines, n=N):
    return filled(outlines, np.zeros((n, n), np.float32), (n, n), SITE, SITE / (n - 1))


def area(mask):
    """Square metres that are white."""
    return float(mask.sum(dtype=np.float64)) * (SITE / (mask.shape[0] - 1)) ** 2


class AreaTest(unittest.TestCase):
    def test_an_outlines_area_is_right_within_a_thousandth(self):
        triangle = [(700.0, 500.0), (3300.0, 900.0), (1500.0, 3400.0)]
        (ax, ay), (bx, by), (cx, cy) = triangle
        wanted = abs((bx - ax) * (cy - ay) - (cx - ax) * (by - ay)) / 2
        for n in (257, 513, 1025):
            self.assertAlmostEqual(area(laid(outline(triangle), n=n)) / wanted, 1, delta=0.001)

    def test_an_ellipses_and_a_boxs_area(self):
        for round_one, wanted in ((True, np.pi * 600 * 900), (False, 4 * 600 * 900)):
            shape = corners(round_one, 2000.0, 2100.0, 1200.0, 1800.0, 33.0)
            self.assertAlmostEqual(area(laid(outline(shape))) / wanted, 1, delta=0.001)

    def test_a_curved_outline_goes_through_its_points_and_is_closed(self):
        points = [(1000.0, 1000.0), (3000.0, 1000.0), (3000.0, 3000.0), (1000.0, 3000.0)]
        fine = closed_curve(points, 16)
        for point in points:
            self.assertLess(np.hypot(*(fine - point).T).min(), 1e-6)
        steps = np.hypot(*(fine - np.roll(fine, 1, axis=0)).T)
        self.assertLess(steps.max(), 2 * np.median(steps), "no gap where it begins")
        self.assertGreater(area(laid(outline(fine))), area(laid(outline(points))))

    def test_the_signed_distance_is_that_to_the_edge(self):
        box = corners(False, 2048.0, 2048.0, 1600.0, 1600.0, 0.0)
        d = signed_distance(box, 5000.0, (N, N), SITE, DX)
        self.assertAlmostEqual(float(d[N // 2, N // 2]), 800.0, places=2)
        self.assertAlmostEqual(float(d[N // 2, 0]), -(2048.0 - 800.0), places=2)
        self.assertAlmostEqual(float(d[0, 0]), -np.hypot(1248, 1248), places=1)

    def test_feather_profile_and_cut(self):
        box = corners(False, 2048.0, 2048.0, 2400.0, 2400.0, 0.0)
        column = round((2048 - 1200 + 100) / DX)
        inside = (column * DX - (2048 - 1200)) / 200  # share of a feather of 200 m inwards
        for profile, value in (
            ("straight", inside),
            ("hollow", inside**2),
            ("bulging", 1 - (1 - inside) ** 2),
            ("s", inside**2 * (3 - 2 * inside)),
        ):
            m = laid(outline(box, 200.0, profile=profile))
            self.assertAlmostEqual(float(m[N // 2, column]), value, places=4, msg=profile)
        hole = outline(corners(True, 2048.0, 2048.0, 600.0, 600.0, 0.0), cut=True)
        m = laid(outline(box), hole)
        self.assertEqual((float(m[N // 2, N // 2]), float(m[N // 2, round(3000 / DX)])), (0.0, 1.0))

    def test_a_broken_edge_moves_it_both_ways_and_leaves_the_inside(self):
        disc = corners(True, 2048.0, 2048.0, 2400.0, 2400.0, 0.0)
        plain, broken = laid(outline(disc)), laid(outline(disc, rough=120.0, rough_size=300.0))
        self.assertGreater(float(((broken > 0.5) & (plain < 0.5)).sum()), 200)
        self.assertGreater(float(((broken < 0.5) & (plain > 0.5)).sum()), 200)
        self.assertEqual(float(broken[N // 2, N // 2]), 1.0)
        away = np.abs(signed_distance(disc, 4000.0, (N, N), SITE, DX))
        self.assertTrue(np.array_equal(broken[away > 250], plain[away > 250]), "it goes no farther than its noise")


class StrokeTest(unittest.TestCase):
    def test_strokes_lead_to_white_and_black_one_after_the_other(self):
        line = ((1000.0, 2048.0), (3000.0, 2048.0))
        kept, white = covered(((300.0, 0.6, 0.5, line),), (N, N), SITE, DX)
        self.assertAlmostEqual(float(white[N // 2, N // 2]), 0.6, places=5)
        self.assertAlmostEqual(float(kept[N // 2, N // 2]), 0.4, places=5)
        _, twice = covered(((300.0, 0.6, 0.5, line),) * 2, (N, N), SITE, DX)
        self.assertAlmostEqual(float(twice[N // 2, N // 2]), 1 - 0.4**2, places=5)
        _, erased = covered(((300.0, 0.6, 0.5, line), (300.0, -0.5, 0.5, line)), (N, N), SITE, DX)
        self.assertAlmostEqual(float(erased[N // 2, N // 2]), 0.3, places=5)

    def test_a_stroke_that_crosses_itself_counts_once(self):
        there = ((1000.0, 1000.0), (3000.0, 3000.0), (3000.0, 1000.0), (1000.0, 3000.0))
        self.assertAlmostEqual(float(brushed(((200.0, 50.0, 0.9, there),), (N, N), SITE, DX).max()), 50.0, places=4)

    def test_a_pens_pressure_lessens_it_on_the_way(self):
        line = ((500.0, 2048.0, 1.0), (3500.0, 2048.0, 0.0))
        _, white = covered(((200.0, 1.0, 0.5, line),), (N, N), SITE, DX)
        middle = white[N // 2]
        for east in (1000.0, 2000.0, 3000.0):
            self.assertAlmostEqual(float(middle[round(east / DX)]), 1 - (round(east / DX) * DX - 500) / 3000, places=3)

    @settings(max_examples=25, deadline=None)
    @given(st.integers(0, 10_000))
    def test_what_earlier_strokes_left_is_remembered_and_changes_nothing(self, seed):
        draw = random.Random(seed)
        strokes = tuple(
            (
                draw.uniform(50, 600),
                draw.uniform(-1, 1),
                draw.random(),
                ((draw.uniform(0, SITE), draw.uniform(0, SITE)),),
            )
            for _ in range(draw.randint(1, 6))
        )
        n = 65
        piecewise = [covered(strokes[: k + 1], (n, n), SITE, SITE / (n - 1)) for k in range(len(strokes))][-1]
        other = covered(strokes, (n, n + 2), SITE, SITE / (n - 1))  # a place that is not remembered
        np.testing.assert_array_equal(piecewise[1], other[1][:, :n])


class PictureTest(unittest.TestCase):
    def setUp(self):
        self.temp = tempfile.TemporaryDirectory()
        self.addCleanup(self.temp.cleanup)
        self.folder = Path(self.temp.name)

    def made(self, name, level=3, **params):
        recipe, node = graph.add(model.Recipe(Site("S", SITE, SITE)), "picture_mask", params={"file": name, **params})
        return Evaluator().result(Job(recipe, self.folder), node, level)["mask"]

    def pictures(self):
        """The same picture in every format: red falls to the east, green to the south, all blue, half solid."""
        import OpenEXR
        import tifffile
        from PIL import Image

        a = np.zeros((128, 128, 4), np.uint8)
        a[..., 0], a[..., 1] = np.arange(128)[None, ::-1] * 2, np.arange(128)[::-1, None] * 2
        a[..., 2], a[..., 3] = 255, 128
        Image.fromarray(a).save(self.folder / "a.png")
        Image.fromarray(a[..., :3]).save(self.folder / "a.jpg", quality=100, subsampling=0)
        tifffile.imwrite(self.folder / "a.tif", a[..., :3], photometric="rgb")
        tifffile.imwrite(self.folder / "deep.tif", (a[..., 0] * 257.0).astype(np.uint16))
        kind = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
        OpenEXR.File(kind, {"RGB": (a[..., :3] / 255).astype(np.float16)}).write(str(self.folder / "a.exr"))
        return a.astype(np.float32) / 255

    def test_every_format_and_channel(self):
        a = self.pictures()
        for name, channel, wanted in (
            ("a.png", "red", a[..., 0]),
            ("a.png", "transparency", a[..., 3]),
            ("a.png", "brightness", a[..., :3] @ np.array([0.2126, 0.7152, 0.0722], np.float32)),
            ("a.jpg", "green", a[..., 1]),
            ("a.tif", "green", a[..., 1]),
            ("deep.tif", "green", a[..., 0]),
            ("a.exr", "blue", a[..., 2]),
            ("a.exr", "red", a[..., 0]),
        ):
            m = self.made(name, channel=channel)
            self.assertLess(float(np.abs(m[::4, ::4][:128, :128] - wanted).max()), 0.03, f"{name} {channel}")

    def test_it_is_placed_and_turned_in_metres(self):
        from PIL import Image

        a = np.zeros((64, 128), np.uint8)
        a[:, 64:] = 255  # white to the right
        Image.fromarray(a).save(self.folder / "half.png")
        m = self.made("half.png", width=2000.0, east=300.0, north=-200.0)
        rows, columns = np.nonzero(m > 0.5)
        self.assertAlmostEqual(area(m) / (1000.0 * 1000.0), 1, delta=0.02)
        self.assertAlmostEqual(float(columns.mean()) * DX, 2048 + 300 + 500, delta=DX)
        self.assertAlmostEqual(float(rows.mean()) * DX, 2048 + 200, delta=DX)
        turned = self.made("half.png", width=2000.0, turn=90.0)
        rows, columns = np.nonzero(turned > 0.5)
        self.assertAlmostEqual(float(rows.mean()) * DX, 2048 + 500, delta=2 * DX, msg="its right points south")
        again = self.made("half.png", width=2000.0, outside="it_repeats")
        self.assertAlmostEqual(float(again.mean()), 0.5, delta=0.03)

    def test_a_fine_picture_is_the_same_at_every_detail(self):
        from PIL import Image

        noise = np.random.default_rng(3).random((2048, 2048))
        Image.fromarray((noise * 255).astype(np.uint8)).save(self.folder / "noise.png")
        self.assertLess(float(self.made("noise.png", 2).std()), 0.1, "pixels finer than the samples are averaged")
        soft = ndi.gaussian_filter(noise, 12, mode="wrap")
        soft = (soft - soft.min()) / (soft.max() - soft.min())
        Image.fromarray((soft * 255).astype(np.uint8)).save(self.folder / "soft.png")
        fine, coarse = self.made("soft.png", 5), self.made("soft.png", 3)
        self.assertLess(float(np.abs(fine[::4, ::4] - coarse).mean()), 0.02)

    def test_bad_files_are_told_in_one_sentence(self):
        self.pictures()
        whole = (self.folder / "a.exr").read_bytes()
        (self.folder / "cut.exr").write_bytes(whole[: len(whole) // 2])
        (self.folder / "cut.png").write_bytes((self.folder / "a.png").read_bytes()[:200])
        (self.folder / "text.png").write_text("no picture")
        (self.folder / "empty.jpg").write_bytes(b"")
        for name in ("cut.exr", "cut.png", "text.png", "empty.jpg", "gone.tif", ""):
            with self.assertRaisesRegex(Exception, r"^[^\n]{20,200}$", msg=name):
                self.made(name)


class FileTest(unittest.TestCase):
    def test_pieces_are_written_by_name_and_read_back(self):
        recipe, outlines = graph.add(model.Recipe(), "outline_mask")
        recipe, shapes = graph.add(recipe, "shape_mask")
        recipe, strokes = graph.add(recipe, "brush_mask")
        from gelande.samples import sample_pieces

        for node in (outlines, shapes, strokes):
            param = next(p for p in spec_of(recipe.nodes[node].kind).params if isinstance(p, P.Pieces))
            recipe = graph.set_param(recipe, node, param.id, sample_pieces(recipe.site, param))
        text = files.dumps(recipe)
        self.assertIn('"feather_m"', text)
        self.assertIn('"turn_deg"', text)
        again = files.loads(text)
        for node in (outlines, shapes, strokes):
            self.assertEqual(again.nodes[node].params, recipe.nodes[node].params)
        self.assertEqual(files.dumps(again), text)

    def test_a_wrong_piece_is_told_with_its_number(self):
        spec = next(p for p in spec_of("outline_mask").params if isinstance(p, P.Pieces))
        with self.assertRaisesRegex(ValueError, "outline 2: Feather is -5 m, outside 0 m"):
            spec.check([{"points": [[0, 0], [1, 0], [0, 1]]}, {"feather_m": -5, "points": [[0, 0]]}])
        shape = next(p for p in spec_of("shape_mask").params if isinstance(p, P.Pieces))
        for bad in ([1, 2, 3, 4], [0, 0, -1, 5, 0], [0, 0, float("nan"), 5, 0]):
            with self.assertRaisesRegex(ValueError, "shape 1"):
                shape.check([("ellipse", 1.0, INWARD, "s", 0.0, 50.0, 1, False, bad)])


class DrawingTest(WindowCase):
    def place(self, *point):
        return at(self.view.marks.to_widget(point)[0])

    def value(self, node, param):
        return self.doc.recipe.nodes[node].params[param]

    def with_land(self, kind, mode="Plan"):
        (land,) = self.load("fractal_noise")
        self.doc.edit("Add", lambda recipe: graph.add(recipe, kind)[0])
        self.doc.end_step()
        self.click(f"{kind}_1")
        self.view.set_mode(mode)
        self.wait.still(self.window)
        self.assertGreater(self.view.heights[1], 50, "a mask that comes from no land is shown on the land there is")
        return f"{kind}_1"

    def stroke(self, *points, modifier=Qt.KeyboardModifier.NoModifier):
        places = [self.place(*p) for p in points]
        QTest.mousePress(self.view, LEFT, modifier, places[0])
        for place in places[1:]:
            QTest.mouseMove(self.view, place)
        QTest.mouseRelease(self.view, LEFT, modifier, places[-1])

    def test_a_stroke_is_seen_while_it_is_drawn_and_is_one_step_of_undo(self):
        node = self.with_land("brush_mask")
        self.bench.rows["strokes"].box.click()
        QTest.mousePress(self.view, LEFT, Qt.KeyboardModifier.NoModifier, self.place(1000.0, 1000.0))
        QTest.mouseMove(self.view, self.place(1800.0, 1000.0))
        self.assertEqual(len(self.value(node, "strokes")), 1, "before the button is released")
        QTest.mouseMove(self.view, self.place(2600.0, 1000.0))
        QTest.mouseRelease(self.view, LEFT, Qt.KeyboardModifier.NoModifier, self.place(2600.0, 1000.0))
        mask = result(self.doc.recipe, node, 2)["mask"]
        self.assertAlmostEqual(float(mask[256 - 64, 112]), self.value(node, "brush_strength"), delta=0.02)
        self.stroke((1800.0, 600.0), (1800.0, 1400.0), modifier=Qt.KeyboardModifier.ShiftModifier)
        erased = result(self.doc.recipe, node, 2)["mask"]
        self.assertLess(float(erased[256 - 64, 112]), 0.3, "Shift erases")
        self.doc.undo()
        self.assertEqual(len(self.value(node, "strokes")), 1)
        self.doc.undo()
        self.assertEqual(self.value(node, "strokes"), ())

    def test_a_pens_pressure_is_kept_with_the_points_it_was_felt_at(self):
        node = self.with_land("brush_mask")
        self.bench.rows["strokes"].box.click()
        places = [self.place(900.0 + 700 * k, 2000.0) for k in range(4)]
        for k, place in enumerate(places):
            kind, spot = QEvent.Type.TabletMove if k else QEvent.Type.TabletPress, QPointF(place)
            still = (0, 0, 0, 0, 0, Qt.KeyboardModifier.NoModifier, LEFT, LEFT)
            pen = QTabletEvent(kind, QPointingDevice.primaryPointingDevice(), spot, spot, 0.25 * (k + 1), *still)
            QApplication.sendEvent(self.view, pen)
            act = QTest.mousePress if k == 0 else QTest.mouseMove
            act(self.view, *((LEFT, Qt.KeyboardModifier.NoModifier, place) if k == 0 else (place,)))
        QTest.mouseRelease(self.view, LEFT, Qt.KeyboardModifier.NoModifier, places[-1])
        ((*_, points),) = self.value(node, "strokes")
        self.assertEqual((points[0][2], points[-1][2]), (0.25, 1.0))
        mask = result(self.doc.recipe, node, 2)["mask"][128 - 3 : 128 + 9].max(axis=0)
        self.assertLess(float(mask[60]), 0.5 * float(mask[180]), "it is stronger where the pen was pressed")

    def test_brackets_change_the_brush_and_a_chosen_stroke(self):
        node = self.with_land("brush_mask")
        self.bench.rows["strokes"].box.click()
        before = self.value(node, "brush_radius")
        QTest.keyClick(self.view, Qt.Key.Key_BracketRight)
        self.assertGreater(self.value(node, "brush_radius"), before)
        self.assertAlmostEqual(self.bench.rows["brush_radius"].value, self.value(node, "brush_radius"))
        self.stroke((1000.0, 2000.0), (3000.0, 2000.0))
        QTest.keyClick(self.view, Qt.Key.Key_Escape)
        QTest.mouseClick(self.view, LEFT, Qt.KeyboardModifier.NoModifier, self.place(2000.0, 2000.0))
        self.assertEqual(self.view.marks.chosen, 0)
        QTest.keyClick(self.view, Qt.Key.Key_BracketLeft)
        self.assertLess(self.value(node, "strokes")[0][0], self.value(node, "brush_radius"))
        self.assertAlmostEqual(self.bench.rows["brush_radius"].value, self.value(node, "strokes")[0][0])
        self.bench.rows["brush_strength"].edited.emit("brush_strength", 0.25)
        self.assertEqual(self.value(node, "strokes")[0][1], 0.25)
        self.assertNotEqual(self.value(node, "brush_strength"), 0.25, "the next stroke's stays as it was")

    def test_a_locked_brush_paints_while_another_node_is_shown(self):
        land, terrace = self.load("fractal_noise", "terrace")
        self.doc.edit("Add", lambda recipe: graph.add(recipe, "brush_mask")[0])
        self.doc.edit("Link", lambda recipe: graph.link(recipe, "brush_mask_1", "mask", terrace, "mask"))
        self.click("brush_mask_1")
        self.view.set_mode("Plan")
        self.wait.still(self.window)
        QTest.mouseClick(self.bench.rows["strokes"].keep, LEFT)
        self.click(terrace)
        self.wait.still(self.window)
        self.assertTrue(self.view.active_tool.isVisible())
        self.assertIn("Brush mask", self.view.active_tool.words.text())
        before = self.view.shown_height.copy()
        self.stroke((1000.0, 1000.0), (3000.0, 3000.0))
        self.wait.still(self.window)
        self.assertEqual(self.canvas.chosen, terrace)
        self.assertEqual(len(self.value("brush_mask_1", "strokes")), 1)
        self.assertGreater(float(np.abs(self.view.shown_height - before).max()), 1.0, "the result follows")
        QTest.mouseClick(self.view.active_tool.button, LEFT)
        self.assertFalse(self.view.active_tool.isVisible())
        self.stroke((1000.0, 3000.0), (3000.0, 1000.0))
        self.assertEqual(len(self.value("brush_mask_1", "strokes")), 1, "put down")
        self.click("brush_mask_1")
        QTest.mouseClick(self.bench.rows["strokes"].keep, LEFT)
        self.assertTrue(self.view.active_tool.isVisible())
        self.doc.start(self.doc.recipe, None)
        self.wait.still(self.window)
        self.assertFalse(self.view.active_tool.isVisible(), "nothing of another recipe stays in hand")
        self.stroke((1000.0, 3000.0), (3000.0, 1000.0))
        self.assertEqual(len(self.value("brush_mask_1", "strokes")), 1)

    def test_an_outline_is_drawn_by_clicks_changed_and_taken_back_point_by_point(self):
        node = self.with_land("outline_mask")
        points = [(900.0, 900.0), (2600.0, 800.0), (3000.0, 2600.0), (1200.0, 2400.0)]
        self.bench.rows["outlines"].box.click()
        for point in points:
            QTest.mouseClick(self.view, LEFT, Qt.KeyboardModifier.NoModifier, self.place(*point))
        self.doc.undo()
        self.assertEqual(len(self.value(node, "outlines")[0][-1]), 3, "undo takes back a point")
        self.doc.redo()
        QTest.keyClick(self.view, Qt.Key.Key_Return)
        self.assertFalse(self.bench.rows["outlines"].box.isChecked())
        np.testing.assert_allclose(self.value(node, "outlines")[0][-1], points, atol=12)
        self.wait.still(self.window)
        self.drag(QPointF(self.place(*points[2])), QPointF(self.place(3500.0, 3200.0)), self.view)
        np.testing.assert_allclose(self.value(node, "outlines")[0][-1][2], (3500.0, 3200.0), atol=15)
        self.bench.set_value("feather", 300.0)
        self.assertEqual(self.value(node, "outlines")[0][1], 300.0, "the chosen outline's own")
        middle = self.view.marks.tool.middle(self.view.marks.piece)
        self.drag(QPointF(self.place(*middle)), QPointF(self.place(middle[0] + 300, middle[1])), self.view)
        self.assertAlmostEqual(self.value(node, "outlines")[0][-1][0][0], 1200.0, delta=25)
        QTest.mouseClick(
            self.view,
            Qt.MouseButton.RightButton,
            Qt.KeyboardModifier.NoModifier,
            self.place(*self.value(node, "outlines")[0][-1][1]),
        )
        self.assertEqual(len(self.value(node, "outlines")[0][-1]), 3)
        self.view.marks.tool.point = None
        QTest.keyClick(self.view, Qt.Key.Key_Delete)
        self.assertEqual(self.value(node, "outlines"), ())

    def test_an_outline_drawn_in_one_go_in_relief(self):
        node = self.with_land("outline_mask", "Relief")
        self.bench.rows["outlines"].box.click()
        turn = np.linspace(0, 2 * np.pi, 40)
        self.stroke(*[(2000.0 + 700 * np.cos(a), 1800.0 + 700 * np.sin(a)) for a in turn])
        ((*_, points),) = self.value(node, "outlines")
        self.assertGreater(len(points), 7)
        self.assertAlmostEqual(area(result(self.doc.recipe, node, 3)["mask"]) / (np.pi * 700**2), 1, delta=0.12)

    def test_a_shape_is_drawn_stretched_turned_moved_and_cut_out(self):
        node = self.with_land("shape_mask")
        self.bench.rows["shapes"].box.click()
        self.stroke((2000.0, 2000.0), (2400.0, 2300.0), (2600.0, 2800.0))
        self.assertEqual(self.view.marks.chosen, 0)
        self.wait.still(self.window)

        def handle(k):
            return self.view.marks.tool.handles(self.view.marks.piece)[k]

        place = self.value(node, "shapes")[0][-1]
        np.testing.assert_allclose(place, (2000, 2000, 1200, 1600, 0), atol=25)
        self.drag(QPointF(self.place(*handle(1))), QPointF(self.place(2300.0, 2000.0)), self.view)
        self.drag(QPointF(self.place(*handle(3))), QPointF(self.place(3500.0, 2000.0)), self.view)
        place = self.value(node, "shapes")[0][-1]
        np.testing.assert_allclose(place, (2000, 2000, 600, 1600, 90), atol=25)
        self.drag(QPointF(self.place(*handle(0))), QPointF(self.place(1500.0, 2600.0)), self.view)
        np.testing.assert_allclose(self.value(node, "shapes")[0][-1][:2], (1500, 2600), atol=15)
        self.assertAlmostEqual(area(result(self.doc.recipe, node, 3)["mask"]) / (np.pi * 300 * 800), 0.85, delta=0.15)
        self.bench.rows["form"].edited.emit("form", "box")
        self.bench.rows["cut"].edited.emit("cut", True)
        self.assertEqual(self.value(node, "shapes")[0][0], "box")
        self.assertEqual(float(result(self.doc.recipe, node, 2)["mask"].max()), 0.0)

    def test_five_hundred_edits_of_what_is_drawn_and_undo(self):
        draw = random.Random(5)
        nodes = ("brush_mask_1", "outline_mask_1", "shape_mask_1")
        recipe = model.Recipe()
        for kind in ("brush_mask", "outline_mask", "shape_mask", "fractal_noise"):
            recipe, _ = graph.add(recipe, kind)
        self.doc.start(recipe, None)
        self.view.set_mode("Plan")
        self.click(nodes[0])
        self.wait.still(self.window)
        steps = [self.doc.recipe]
        for _ in range(500):
            self.edit_at_random(draw, nodes)
            self.doc.end_step()
            if self.doc.recipe is not steps[-1]:
                steps.append(self.doc.recipe)
            shown = self.doc.recipe.nodes[self.canvas.chosen]
            marks = self.view.marks
            self.assertEqual(marks.value, shown.params[marks.param.id], "model and window agree")
            row = self.bench.rows[marks.param.id]
            self.assertEqual((row.value, row.chosen), (marks.value, marks.chosen))
        back = min(150, len(steps) - 1)
        for k in range(back):
            self.doc.undo()
            self.assertIs(self.doc.recipe, steps[-2 - k])
        for k in range(back):
            self.doc.redo()
            self.assertIs(self.doc.recipe, steps[-back + k])

    def edit_at_random(self, draw, nodes):
        marks, what = self.view.marks, draw.random()
        if what < 0.1:
            self.canvas.choose(draw.choice(nodes))
            self.window.compose._chosen(self.canvas.chosen)
            return
        if what < 0.2 and not marks.drawing:
            self.bench.rows[marks.param.id].box.click()
            return
        spots = [QPointF(draw.uniform(20, self.view.width() - 20), draw.uniform(60, self.view.height() - 40))]
        if marks.value and not marks.drawing and draw.random() < 0.8:
            piece = draw.choice(marks.value)
            points = piece[-1] if isinstance(piece[-1][0], tuple) else (piece[-1][:2],)
            spots = [self.view.marks.to_widget(draw.choice(points)[:2])[0]]
        spots += [spots[0] + QPointF(draw.uniform(-60, 60), draw.uniform(-60, 60)) for _ in range(draw.randint(0, 3))]
        button = Qt.MouseButton.RightButton if what > 0.93 else LEFT
        if what < 0.8 or what > 0.93:
            QTest.mousePress(self.view, button, Qt.KeyboardModifier.NoModifier, at(spots[0]))
            for spot in spots[1:]:
                QTest.mouseMove(self.view, at(spot))
            QTest.mouseRelease(self.view, button, Qt.KeyboardModifier.NoModifier, at(spots[-1]))
        else:
            keys = (Qt.Key.Key_Delete, Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_BracketLeft)
            QTest.keyClick(self.view, draw.choice(keys))


class ChainTest(unittest.TestCase):
    def test_a_mask_that_is_drawn_restricts_what_it_is_linked_to(self):
        recipe, (land, terrace) = chain("fractal_noise", "terrace")
        recipe, mask = graph.add(recipe, "shape_mask")
        shape = ("ellipse", 1.0, INWARD, "s", 0.0, 50.0, 1, False, (2000.0, 2000.0, 1000.0, 1000.0, 0.0))
        recipe = graph.set_param(recipe, mask, "shapes", (shape,))
        recipe = graph.link(recipe, mask, "mask", terrace, "mask")
        changed = np.abs(result(recipe, terrace, 2)["height"] - result(recipe, land, 2)["height"]) > 1e-3
        rows, columns = np.nonzero(changed)
        away = np.hypot(columns * 16 - 2000.0, 4096 - rows * 16 - 2000.0)
        self.assertGreater(len(rows), 300)
        self.assertLess(float(away.max()), 530)


if __name__ == "__main__":
    unittest.main()
