"""Colours: known answers of OKLab, tones, light and water, Finish for colours; their settings in the real window."""

import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QColor, QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QColorDialog, QFileDialog
from support import chain, result
from test_window import LEFT, WindowCase

from gelande.core.recipe import graph, rampfile
from gelande.core.recipe import param as P
from gelande.core.recipe import recipefile as files
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.ramps import find, library, ramp_along
from gelande.kernels.curves import ramp_at, to_linear, to_srgb
from gelande.kernels.oklab import adjusted, lab_of, light_of

#: Linear red, green, blue and their OKLab, as published with the space.
KNOWN = (
    ((1.0, 1.0, 1.0), (1.0, 0.0, 0.0)),
    ((1.0, 0.0, 0.0), (0.62796, 0.22486, 0.12585)),
    ((0.0, 1.0, 0.0), (0.86644, -0.23389, 0.17950)),
    ((0.0, 0.0, 1.0), (0.45201, -0.03246, -0.31153)),
)


def hue_of(colour) -> float:
    _, a, b = lab_of(*(float(v) for v in colour))
    return float(np.degrees(np.arctan2(b, a)))


class OklabTest(unittest.TestCase):
    def test_known_colours_and_the_way_back(self):
        for light, lab in KNOWN:
            np.testing.assert_allclose(lab_of(*light), lab, atol=2e-4)
            np.testing.assert_allclose(light_of(*lab_of(*light)), light, atol=1e-5)

    @settings(max_examples=150, deadline=None)
    @given(st.tuples(*[st.floats(0.02, 0.95)] * 3), st.floats(0.3, 2.5), st.floats(-0.3, 0.3), st.floats(0.2, 2.0))
    def test_contrast_lightness_and_saturation_keep_hue_within_a_degree(self, light, contrast, lighter, saturation):
        colour = np.array(light, np.float32).reshape(1, 1, 3)
        before = lab_of(*(float(v) for v in light))
        if np.hypot(before[1], before[2]) < 0.02:
            return  # greys have no hue
        made = adjusted(colour, 0.0, saturation, lighter, contrast)[0, 0]
        after = lab_of(*(float(v) for v in made))
        self.assertTrue(made.min() >= 0 and made.max() <= 1.0001, "a screen can show it")
        if np.hypot(after[1], after[2]) < 0.004:
            return
        self.assertLess(abs((hue_of(made) - hue_of(light) + 180) % 360 - 180), 1.0)

    def test_each_change_does_what_it_says(self):
        colour = to_linear(np.array([[(0.5, 0.4, 0.3)]], np.float32))
        light, a, b = lab_of(*(float(v) for v in colour[0, 0]))
        self.assertAlmostEqual(lab_of(*map(float, adjusted(colour, lighter=0.1)[0, 0]))[0], light + 0.1, places=4)
        self.assertAlmostEqual(
            lab_of(*map(float, adjusted(colour, contrast=1.5)[0, 0]))[0], 0.5 + 1.5 * (light - 0.5), places=4
        )
        grey = adjusted(colour, saturation=0.0)[0, 0]
        np.testing.assert_allclose(grey, grey.mean(), atol=1e-4)
        self.assertAlmostEqual((hue_of(adjusted(colour, hue=40.0)[0, 0]) - hue_of(colour[0, 0])) % 360, 40.0, delta=0.1)
        np.testing.assert_allclose(adjusted(colour), colour, atol=1e-5)


class NodesTest(unittest.TestCase):
    def test_ways_of_mixing_are_the_formulas_of_the_standard(self):
        under, over = (0.2, 0.5, 0.8), (0.7, 0.3, 0.6)
        recipe, a = graph.add(Recipe(), "plain_colour", params={"tone": under})
        recipe, b = graph.add(recipe, "plain_colour", params={"tone": over})
        recipe, mix = graph.add(recipe, "colour_mix")
        recipe = graph.link(graph.link(recipe, a, "colour", mix, "under"), b, "colour", mix, "over")
        x, y = (to_linear(np.array(tone, np.float32)).astype(float) for tone in (under, over))
        bright = np.where(x <= 0.25, ((16 * x - 12) * x + 4) * x, np.sqrt(x))
        for way, wanted in (
            ("multiply", x * y),
            ("screen", x + y - x * y),
            ("overlay", np.where(x <= 0.5, 2 * x * y, 1 - 2 * (1 - x) * (1 - y))),
            ("darken", np.minimum(x, y)),
            ("lighten", np.maximum(x, y)),
            ("add", x + y),
            ("soft_light", np.where(y <= 0.5, x - (1 - 2 * y) * x * (1 - x), x + (2 * y - 1) * (bright - x))),
        ):
            made = result(graph.set_param(recipe, mix, "way", way), mix, 1)["colour"][2, 2]
            np.testing.assert_allclose(made, wanted, atol=1e-5, err_msg=way)

    def test_a_plain_colour_is_the_colour_a_screen_shows(self):
        recipe, node = graph.add(Recipe(), "plain_colour", params={"tone": (0.5, 0.25, 1.0)})
        made = result(recipe, node, 1)["colour"]
        np.testing.assert_allclose(made[3, 4], to_linear(np.array((0.5, 0.25, 1.0), np.float32)), atol=1e-6)

    def test_finish_for_colours_is_the_same_as_colour_adjust(self):
        recipe, (ground, ramp) = chain("fractal_noise", "colour_ramp")
        plain, adjust = graph.add(
            recipe, "colour_adjust", params={"contrast": 1.4, "saturation": 0.7, "lightness": 0.05}
        )
        plain = graph.link(plain, ramp, "colour", adjust, "under")
        finished = recipe
        for name, value in (("contrast_times", 1.4), ("saturation_times", 0.7), ("lightness_by", 0.05)):
            finished = graph.set_param(finished, ramp, name, value)
        np.testing.assert_allclose(result(finished, ramp, 2)["colour"], result(plain, adjust, 2)["colour"], atol=2e-4)

    def test_ground_tone_of_one_part_is_that_part_and_below_zero_its_opposite(self):
        recipe, (ground,) = chain("fractal_noise")
        recipe, tone = graph.add(recipe, "ground_tone")
        recipe = graph.link(recipe, ground, "height", tone, "height")
        for name in ("slope", "bulge", "open", "noise"):
            recipe = graph.set_param(recipe, tone, f"{name}_weight", 0.0)
        h = result(recipe, ground, 3)["height"]
        fraction = (h - h.min()) / (h.max() - h.min())
        np.testing.assert_allclose(result(recipe, tone, 3)["mask"], fraction, atol=0.02)
        turned = graph.set_param(recipe, tone, "height_weight", -0.5)
        np.testing.assert_allclose(result(turned, tone, 3)["mask"], 1 - fraction, atol=0.02)
        bent = graph.set_param(recipe, tone, "height_bend", 0.5)
        inner = fraction > 0.1  # the range is that of a coarser level
        np.testing.assert_allclose(result(bent, tone, 3)["mask"][inner], fraction[inner] ** 0.5, atol=0.03)

    def test_baked_light_on_level_ground_is_sun_by_its_height_and_the_whole_sky(self):
        recipe, (ground,) = chain("level")
        recipe, lit = graph.add(recipe, "baked_light", params={"elevation": 30.0, "sun": 1.0, "sky": 0.5})
        recipe = graph.link(recipe, ground, "height", lit, "height")
        made = result(recipe, lit, 2)
        np.testing.assert_allclose(made["light"][20:-20, 20:-20], (0.5 + 0.5) / 1.5, atol=0.01)
        hazy = graph.set_param(graph.set_param(recipe, lit, "haze", 1.0), lit, "air", (1.0, 0.0, 0.0))
        far = result(hazy, lit, 2)["colour"][40, 40]
        self.assertGreater(float(far[0]), 5 * float(far[1]))

    def test_water_lies_where_the_mask_says_and_hides_its_bed_with_depth(self):
        recipe, (ground, ramp) = chain("fractal_noise", "colour_ramp")
        recipe, shape = graph.add(recipe, "shape_mask")
        place = ("ellipse", 1.0, "inward", "s", 0.0, 50.0, 1, False, (2048.0, 2048.0, 1500.0, 1500.0, 0.0))
        recipe = graph.set_param(recipe, shape, "shapes", (place,))
        recipe, water = graph.add(recipe, "water_colour")
        for source, out, port in ((ramp, "colour", "under"), (shape, "mask", "water"), (shape, "mask", "depth")):
            recipe = graph.link(recipe, source, out, water, port)
        bed, made = result(recipe, ramp, 2)["colour"], result(recipe, water, 2)["colour"]
        mask = result(recipe, shape, 2)["mask"]
        np.testing.assert_array_equal(made[mask == 0], bed[mask == 0])
        self.assertLess(float(made[mask == 1].std(axis=0).max()), 0.2 * float(bed[mask == 1].std(axis=0).max()) + 1e-3)

    def test_a_colour_in_a_file_and_as_text(self):
        recipe, node = graph.add(Recipe(), "plain_colour", params={"tone": (0.2, 0.4, 0.6)})
        again = files.loads(files.dumps(recipe))
        self.assertEqual(again.nodes[node].params["tone"], (0.2, 0.4, 0.6))
        tone = next(p for p in recipe.nodes[node].spec.params if isinstance(p, P.Colour))
        self.assertEqual(tone.text(tone.parse("#336699")), "#336699")
        for bad in ("green", "#12345", (1, 2), (0.1, 0.2, 1.5), "#gg0000"):
            with self.assertRaises(ValueError):
                tone.parse(bad) if isinstance(bad, str) else tone.check(bad)


class RampTest(unittest.TestCase):
    def setUp(self):
        self.temp = tempfile.TemporaryDirectory()
        self.addCleanup(self.temp.cleanup)
        self.folder = Path(self.temp.name)

    def test_the_library_has_at_least_72_ramps_that_get_lighter_or_deeper_one_way(self):
        ramps = library()
        self.assertGreaterEqual(len(ramps), 72)
        self.assertEqual(len({r.name for r in ramps}), len(ramps))
        ramp = P.ramp("x", "X", ramps[0].stops, "")
        for one in ramps:
            self.assertEqual(ramp.check(one.stops), one.stops, one.name)
            light = [lab_of(*map(float, to_linear(np.array(s[1:], np.float32))))[0] for s in one.stops]
            self.assertTrue(all(a < b for a, b in zip(light, light[1:])), f"{one.name} goes from dark to light")
        self.assertEqual({r.group for r in find("SNOW")} & {"Snow and ice"}, {"Snow and ice"})
        self.assertEqual([r.name for r in find("granite rose")], ["Rose granite"])

    def test_ramps_come_back_from_each_format_within_a_count(self):
        for one in (library()[3], library()[60]):
            for suffix in rampfile.SUFFIXES:
                path = self.folder / f"a{suffix}"
                rampfile.write(path, one.stops, one.name)
                again = rampfile.read(path)
                for x in np.linspace(0, 1, 41):
                    apart = np.abs(np.array(ramp_at(again, x)) - ramp_at(one.stops, x))
                    self.assertLessEqual(float(apart.max()), 1.01 / 255, f"{one.name}{suffix} at {x}")

    def test_ramps_of_others_are_read(self):
        (self.folder / "a.cpt").write_text(
            "# COLOR_MODEL = RGB\n-200 0/0/128 0 64/128/255\n0 10 80 10 400 250 240 200\nB 0 0 0\nF 255 255 255\n"
        )
        stops = rampfile.read(self.folder / "a.cpt")
        self.assertAlmostEqual(stops[1][0], 1 / 3)
        np.testing.assert_allclose(stops[-1], (1.0, 250 / 255, 240 / 255, 200 / 255))
        (self.folder / "a.ggr").write_text("GIMP Gradient\nName: x\n1\n0.0 0.25 1.0 1 0 0 1 0 0 1 1 0 0 0 0\n")
        self.assertEqual(rampfile.read(self.folder / "a.ggr")[1], (0.25, 0.5, 0.0, 0.5))
        for name, text in (("b.cpt", "nothing"), ("b.ggr", "GIMP Gradient"), ("b.gpl", "1 2 3"), ("b.txt", "x")):
            (self.folder / name).write_text(text)
            with self.assertRaisesRegex(rampfile.RampFileError, r"^[^\n]{15,150}$"):
                rampfile.read(self.folder / name)
        with self.assertRaises(rampfile.RampFileError):
            rampfile.read(self.folder / "gone.ggr")

    def test_a_ramp_along_a_line_of_colours_has_few_stops_and_follows_it(self):
        wanted = library()[30].stops
        line = np.array([ramp_at(wanted, x) for x in np.linspace(0, 1, 200)])
        made = ramp_along(line)
        self.assertLessEqual(len(made), 12)
        for x in np.linspace(0, 1, 41):
            apart = np.subtract(
                lab_of(*map(float, to_linear(np.array(ramp_at(made, x), np.float32)))),
                lab_of(*map(float, to_linear(np.array(ramp_at(wanted, x), np.float32)))),
            )
            self.assertLess(float(np.linalg.norm(apart)), 0.03)
        noise = np.random.default_rng(2).random((300, 3))
        self.assertEqual(len(ramp_along(noise)), 12)
        self.assertEqual(len(ramp_along(np.full((50, 3), 0.4))), 2)

    def test_a_part_of_a_ramp_the_other_way_and_varied_by_seed(self):
        recipe, (ground, ramp) = chain("fractal_noise", "colour_ramp")
        grey = ((0.0, 0.0, 0.0, 0.0), (1.0, 1.0, 1.0, 1.0))
        recipe = graph.set_param(recipe, ramp, "ramp", grey)
        whole = to_srgb(result(recipe, ramp, 2)["colour"])
        part = graph.set_param(graph.set_param(recipe, ramp, "part_low", 0.75), ramp, "part_high", 0.25)
        np.testing.assert_allclose(to_srgb(result(part, ramp, 2)["colour"]), 0.75 - 0.5 * whole, atol=0.01)
        coloured = graph.set_param(recipe, ramp, "ramp", library()[20].stops)
        plain = result(coloured, ramp, 2)["colour"]
        seeds = [
            result(graph.set_param(graph.set_param(coloured, ramp, "vary", 0.5), ramp, "seed", k), ramp, 2)["colour"]
            for k in (1, 2)
        ]
        self.assertGreater(float(np.abs(seeds[0] - seeds[1]).mean()), 0.005)
        self.assertLess(float(np.abs(seeds[0] - plain).mean()), 0.2)


class WindowTest(WindowCase):
    def test_a_ramp_from_a_line_across_a_picture(self):
        _, ramp = self.load("fractal_noise", "colour_ramp")
        self.click(ramp)
        self.wait.still(self.window)
        picture = QImage(200, 100, QImage.Format.Format_RGB32)
        for x in range(200):
            for y in range(100):
                picture.setPixelColor(x, y, QColor(x, 255 - x, 40))
        file = self.folder / "sunset.png"
        picture.save(str(file))
        row = self.bench.rows["ramp"]
        QTest.mouseClick(row.library, LEFT)
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(file), "")):
            row.sheet.open_picture()
        shown = row.sheet.picture
        w, h = shown.canvas.width(), shown.canvas.height()
        QTest.mousePress(shown.canvas, LEFT, pos=QPoint(2, h // 2))
        QTest.mouseMove(shown.canvas, QPoint(w // 2, h // 2))
        QTest.mouseRelease(shown.canvas, LEFT, pos=QPoint(w // 2, h // 2))
        QTest.mouseClick(shown.take, LEFT)
        stops = self.doc.recipe.nodes[ramp].params["ramp"]
        np.testing.assert_allclose(stops[0][1:], (1 / 255, 1.0, 40 / 255), atol=0.02)
        np.testing.assert_allclose(stops[-1][1:], (100 / 255, 155 / 255, 40 / 255), atol=0.02)
        (self.folder / "text.png").write_text("none")
        QTest.mouseClick(row.library, LEFT)
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(self.folder / "text.png"), "")):
            row.sheet.open_picture()
        self.assertIn("cannot be read as a picture", self.window.status.text())

    def test_a_ramp_is_chosen_from_the_sheet_by_its_search(self):
        _, ramp = self.load("fractal_noise", "colour_ramp")
        self.click(ramp)
        self.wait.still(self.window)
        before = self.pixels(self.view).astype(int)
        row = self.bench.rows["ramp"]
        QTest.mouseClick(row.library, LEFT)
        self.assertIn("77 ramps", row.sheet.count.text())
        QTest.keyClicks(row.sheet.line, "heather")
        self.assertEqual(row.sheet.list.count(), 1)
        QTest.keyClick(row.sheet.line, Qt.Key.Key_Return)
        self.assertEqual(self.doc.recipe.nodes[ramp].params["ramp"], find("heather")[0].stops)
        self.wait.still(self.window)
        self.assertGreater(np.abs(self.pixels(self.view).astype(int) - before).mean(), 1.0)
        QTest.mouseClick(row.library, LEFT)
        file = self.folder / "mine.cpt"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(file), "")):
            row.sheet.save_file()
        QTest.mouseClick(row.library, LEFT)
        row.sheet.reverse()
        turned = self.doc.recipe.nodes[ramp].params["ramp"]
        self.assertEqual(turned[0][1:], find("heather")[0].stops[-1][1:])
        QTest.mouseClick(row.library, LEFT)
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(file), "")):
            row.sheet.open_file()
        np.testing.assert_allclose(self.doc.recipe.nodes[ramp].params["ramp"], find("heather")[0].stops, atol=1 / 255)

    def test_snow_over_rock_becomes_grass_in_two_clicks(self):
        (rock,) = self.load("plain_colour")
        self.doc.edit("Add", lambda r: graph.add(r, "fractal_noise")[0])
        self.doc.edit("Set", lambda r: graph.set_param(r, rock, "tone", (0.93, 0.94, 0.96)))
        self.click(rock)
        self.wait.still(self.window)
        before = self.pixels(self.view).astype(int)
        row = self.bench.rows["tone"]
        with mock.patch.object(QColorDialog, "getColor", return_value=QColor("#5c6e3d")):
            QTest.mouseClick(row.box, LEFT)
        self.assertEqual(P.colour("x", "X", self.doc.recipe.nodes[rock].params["tone"], "").text(row.value), "#5c6e3d")
        self.wait.still(self.window)
        self.assertGreater(np.abs(self.pixels(self.view).astype(int) - before).mean(), 1.0)
        row.setFocus()
        with mock.patch.object(QColorDialog, "getColor", return_value=QColor()):
            QTest.keyClick(row, Qt.Key.Key_Return)
        self.assertEqual(row.param.text(row.value), "#5c6e3d", "given up, it stays")


if __name__ == "__main__":
    unittest.main()
