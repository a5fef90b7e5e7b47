"""Roads and levelled ground: grades, banks, volumes, heights."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from support import chain
from test_window import LEFT, WindowCase, at

from gelande.core.evaluate.executor import Evaluator, Job
from gelande.core.recipe import control, graph
from gelande.core.recipe.recipefile import save
from gelande.core.recipe.site import Site
from gelande.core.regenerate import mass
from gelande.kernels.earthworks import graded, road
from gelande.kernels.grid_window import GridWindow
from gelande.kernels.measure import volume

SIZE = 1024.0


class GradeTest(unittest.TestCase):
    @given(st.lists(st.floats(-500, 500), min_size=2, max_size=60), st.floats(0.01, 0.5), st.floats(0, 200))
    @settings(max_examples=150, deadline=None)
    def test_no_piece_is_steeper_than_the_grade(self, heights, grade, over):
        places = np.cumsum(1 + np.arange(len(heights)) % 7).astype(float)
        found = graded(np.array(heights), places, grade, over)
        self.assertLessEqual(float(np.abs(np.diff(found) / np.diff(places)).max()), grade + 1e-6)
        self.assertTrue(min(heights) - 1e-6 <= found.min() and found.max() <= max(heights) + 1e-6)

    def test_a_line_that_is_gentle_enough_stays(self):
        places = np.linspace(0, 900, 91)
        np.testing.assert_allclose(graded(0.05 * places, places, 0.08, 120), 0.05 * places, atol=1e-9)

    def test_groups_leave_out_only_what_has_no_effect(self):
        rng = np.random.default_rng(3)
        h = rng.normal(0, 20, (65, 65)).cumsum(0).astype(np.float32) / 8
        line = np.stack(
            [np.linspace(-50, 700, 200), 300 + 200 * np.sin(np.linspace(0, 7, 200)), rng.normal(0, 9, 200)], 1
        )
        out, away = road(h, line, 12, (1.2, 0.6), 60, GridWindow.of(h.shape), 640, 10)
        y, x = 640 - np.mgrid[:65, :65][0] * 10.0, np.mgrid[:65, :65][1] * 10.0
        low, high, near = np.full(h.shape, -1e30), np.full(h.shape, 1e30), np.full(h.shape, 1e30)
        level = np.zeros(h.shape)
        for a, b in zip(line, line[1:]):
            v = b[:2] - a[:2]
            t = np.clip(((x - a[0]) * v[0] + (y - a[1]) * v[1]) / (v @ v), 0, 1)
            d, z = np.hypot(x - a[0] - t * v[0], y - a[1] - t * v[1]), a[2] + t * (b[2] - a[2])
            level, near = np.where(d < near, z, level), np.minimum(near, d)
            low, high = (
                np.maximum(low, z - 0.6 * np.maximum(d - 6, 0)),
                np.minimum(high, z + 1.2 * np.maximum(d - 6, 0)),
            )
        wanted = np.where(near <= 6, level, np.minimum(np.maximum(h, low), np.maximum(high, low)))
        np.testing.assert_allclose(out, wanted, atol=1e-3)
        np.testing.assert_allclose(away[near < 60], near[near < 60], atol=1e-3)


class EarthworksTest(unittest.TestCase):
    def land(self, kind, *before, level=4, others=None, **params):
        recipe, ids = chain(*before, kind, site=Site("Works", SIZE, SIZE), **{kind: params}, **(others or {}))
        engine, job = Evaluator(), Job(recipe)
        return recipe, engine.raw(job, ids[-1], level), engine.result(job, ids[-2], level)["height"]

    def test_a_road_keeps_its_grade_and_its_banks(self):
        line = ((60.0, 150.0), (400.0, 420.0), (640.0, 380.0), (960.0, 900.0))
        for seed, grade in ((1, 6.0), (2, 12.0), (3, 9.0)):
            noise = {"fractal_noise": {"seed": seed}}
            recipe, raw, ground = self.land(
                "road", "fractal_noise", line=line, width=14.0, grade=grade / 100, cut=50.0, fill=33.0, others=noise
            )
            dx, h, way = recipe.site.spacing(4), raw["height"].astype(float), raw["_line"]
            steps = np.hypot(*np.diff(way[:, :2], axis=0).T)
            self.assertLessEqual(np.abs(np.diff(way[:, 2]) / steps).max(), grade / 100 + 1e-6)
            gy, gx = np.gradient(h, dx)
            on = raw["road"] == 1
            inner = on & np.roll(on, 1, 0) & np.roll(on, -1, 0) & np.roll(on, 1, 1) & np.roll(on, -1, 1)
            self.assertGreater(inner.sum(), 200)
            # the inner edge of a bend is shorter, and so steeper
            steep = np.hypot(gy, gx)[inner] / (grade / 100)
            self.assertLessEqual(np.percentile(steep, 97), 1.02)
            self.assertLessEqual(steep.max(), 1.6)
            moved = raw["_earth"]
            for side, angle in ((moved < -0.5, 50.0), (moved > 0.5, 33.0)):
                bank = side & ~on & (raw["road"] == 0)
                bank &= np.roll(bank, 1, 0) & np.roll(bank, -1, 0) & np.roll(bank, 1, 1) & np.roll(bank, -1, 1)
                steep = np.degrees(np.arctan(np.hypot(gy, gx)[bank]))
                self.assertGreater(len(steep), 100)
                self.assertLess(np.percentile(steep, 99), angle + 3)
            untouched = moved == 0
            self.assertGreater(untouched.mean(), 0.5)
            np.testing.assert_array_equal(raw["height"][untouched], ground[untouched])

    def test_levelled_ground_is_flat_and_its_volumes_are_those_of_a_pyramid_of_banks(self):
        pad = ((300.0, 300.0), (700.0, 300.0), (700.0, 700.0), (300.0, 700.0))
        outlines = ((False, "given_height", 60.0, 0.0, pad),)
        recipe, raw, ground = self.land("levelled_ground", "level", outlines=outlines, cut=45.0, fill=30.0)
        flat = raw["area"] == 1
        self.assertLess(float(np.ptp(raw["height"][flat])), 0.01)
        self.assertAlmostEqual(float(raw["height"][flat].mean()), 60.0, places=3)
        rise = 60.0 - float(ground[0, 0])
        self.assertNotEqual(rise, 0)
        # a block with straight banks and round corners: h·a² + 2·a·h·w + π·h·w²/3, w = h / tan
        side, tall = 400.0, abs(rise)
        wide = tall / math.tan(math.radians(30.0 if rise > 0 else 45.0))
        wanted = tall * side**2 + 2 * side * tall * wide + math.pi * tall * wide**2 / 3
        found = abs(volume(raw["_earth"])) * recipe.site.spacing(4) ** 2
        self.assertAlmostEqual(found / wanted, 1.0, delta=0.01)
        self.assertIn("left over" if rise < 0 else "to be brought", mass.earthworks(raw, recipe.site.spacing(4) ** 2))

    def test_the_mean_of_its_ground_cuts_as_much_as_it_fills_and_is_the_same_at_every_detail(self):
        pad = ((380.0, 400.0), (660.0, 380.0), (640.0, 640.0), (400.0, 620.0))
        outlines = ((True, "mean_of_its_ground", 0.0, 0.0, pad),)
        found = []
        for level in (3, 4, 5):
            recipe, raw, ground = self.land(
                "levelled_ground", "ramp", level=level, outlines=outlines, cut=85.0, fill=60.0
            )
            found.append(float(raw["height"][raw["area"] == 1].mean()))
            inside = raw["area"] == 1
            self.assertAlmostEqual(found[-1], float(ground[inside].mean()), delta=0.02 * float(np.ptp(ground)))
        self.assertAlmostEqual(found[1], found[2], places=4)
        self.assertAlmostEqual(found[0], found[2], places=4)

    def test_a_second_area_is_levelled_on_what_the_first_one_made(self):
        one, two = (((a, 300.0), (a + 200, 300.0), (a + 200, 500.0), (a, 500.0)) for a in (200.0, 420.0))
        outlines = tuple((False, "given_height", z, 0.0, p) for z, p in ((50.0, one), (58.0, two)))
        _, raw, _ = self.land("levelled_ground", "level", outlines=outlines)
        dx = SIZE / (raw["height"].shape[1] - 1)
        at = [raw["height"][round((SIZE - 400) / dx), round(x / dx)] for x in (280.0, 520.0)]
        np.testing.assert_allclose(at, (50.0, 58.0), atol=1e-3)


class ToldTest(WindowCase):
    def test_the_bench_tells_what_is_cut_and_filled(self):
        _, pad = self.load("fractal_noise", "levelled_ground")
        self.click(pad)
        self.wait.still(self.window)
        words = " ".join(w.text() for w in self.bench.findChildren(type(self.view.place)))
        self.assertRegex(words, r"Cut .* m³, filled .* m³: .* (left over|to be brought)\.")
        before = words
        self.doc.edit("larger", lambda r: graph.set_param(r, pad, "size", 700.0))
        self.wait.still(self.window)
        self.assertNotEqual(before, " ".join(w.text() for w in self.bench.findChildren(type(self.view.place))))


class ArtistTest(WindowCase):
    regenerate = True

    def test_an_artist_draws_a_road_on_a_locked_recipe(self):
        recipe, (_, road_id) = chain("fractal_noise", "road", site=Site("Works", SIZE, SIZE))
        path = self.folder / "works.gelande"
        save(control.publish(recipe, road_id, "line", "Road"), path)
        before = path.read_bytes()
        self.assertTrue(self.window.filing.open_path(path))
        self.wait.still(self.window)
        page = self.window.variants
        view = page.view
        view.set_mode("Plan")
        self.wait.still(self.window)
        page.sheet.draw_asked.emit("Road", True)
        points = ((200.0, 300.0), (520.0, 640.0), (840.0, 420.0))
        for point in points:
            QTest.mouseClick(view, LEFT, pos=at(view.mode.to_widget(point)[0]))
        QTest.keyClick(view, Qt.Key.Key_Return)
        self.wait.still(self.window)
        drawn = self.doc.recipe.nodes[road_id].value("line")
        np.testing.assert_allclose(drawn, points, atol=4)
        made = self.window.engine.evaluator.result(Job(self.doc.recipe), road_id, 3)
        at_sample = [made["road"][round((SIZE - n) / 2), round(e / 2)] for e, n in drawn]
        self.assertGreater(min(at_sample), 0.2, "the road runs where it was drawn")
        self.assertLess(float(made["road"].mean()), 0.05)
        self.assertEqual(path.read_bytes(), before, "the author's file")
        self.assertTrue(self.window.choices.flush())
        self.assertIn("Road", (self.folder / "works.gelande-set").read_text())
