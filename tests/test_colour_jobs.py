"""Six jobs of colour, each done in the real window from the empty sheet, and kept as an example recipe."""

import unittest
from unittest import mock

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QColorDialog
from support import DEMO, result, slow
from test_mask_jobs import Job
from test_window import LEFT

from gelande.core.evaluate.query import last_node
from gelande.core.recipe import recipefile as files
from gelande.core.recipe.ramps import find
from gelande.kernels.oklab import lab_of
from gelande.nodes.colour.ground_cover import LAYERS

EXAMPLES = DEMO.parent
GREEN = QColor("#5c6e3d")


def brightness(colour) -> np.ndarray:
    return colour.mean(axis=-1)


class JobsTest(Job):
    def colour(self, node, level=2):
        return result(self.recipe, node, level)["colour"]

    def ramp(self, words):
        """Takes a ramp from the library by the bench's row that is shown."""
        row = next(r for name, r in self.bench.rows.items() if name.rpartition(":")[2] == "ramp")
        row.edited.emit(row.param.id, find(words)[0].stops)

    def pick(self, name, colour=GREEN):
        """Picks a colour in the chooser that a click on the swatch opens."""
        row = self.bench.rows[name]
        with mock.patch.object(QColorDialog, "getColor", return_value=colour):
            QTest.mouseClick(row.box, LEFT)

    @slow
    def test_1_base_tone_streams_rock_and_snow_as_layers(self):
        rain = self.add("rain", self.add("ridge noise"))
        flow = self.add("flow", rain)
        snow = self.add("snow", rain)
        self.set("snow_line", 250.0)
        tone = self.add("ground tone", rain)
        self.link_by_menu(flow, "mask", tone, "flow")
        cover = self.add("ground cover", rain)
        self.link_by_menu(tone, "mask", cover, "tone")
        layers = self.bench.layers
        for number in (3, 2):  # only the ground is left of the usual ones
            layers.list.choose(number)
            QTest.mouseClick(layers.buttons["Remove"], LEFT)
        self.set("layers:1:along", "ground_tone")
        base = self.colour(cover)
        grey = self.mask(tone)
        light = brightness(base)
        self.assertGreater(float(np.corrcoef(light.ravel(), grey.ravel())[0, 1]), 0.4, "the ramp runs along the tone")
        for name in ("Streams", "Rock", "Snow"):
            QTest.mouseClick(layers.buttons["Add"], LEFT)
            layers.list.setFocus()
            QTest.keyClick(layers.list, Qt.Key.Key_F2)
            QTest.keyClicks(layers.list.line, name)
            QTest.keyClick(layers.list.line, Qt.Key.Key_Return)
        names = [LAYERS.of(one, "name") for one in self.value(cover, "layers")]
        self.assertEqual(names, ["Grass", "Streams", "Rock", "Snow"], "snow was added last and lies on top")
        number = {LAYERS.of(one, "name"): one[-1] for one in self.value(cover, "layers")}
        self.link_by_menu(flow, "mask", cover, f"mask_{number['Streams']}")
        self.link_by_menu(snow, "snow", cover, f"mask_{number['Snow']}")
        layers.list.choose(number["Rock"])
        self.ramp("grey scar")
        self.set(f"layers:{number['Rock']}:lies", "slopes")
        layers.list.choose(number["Snow"])
        self.ramp("fresh snow")
        made = result(self.recipe, cover, 2)
        weights = {name: made[f"weight_{n}"] for name, n in number.items()}
        np.testing.assert_array_equal(sum(weights.values()), 1)
        lies = self.mask(snow, "snow")
        self.assertGreater(float(weights["Snow"][lies > 0.95].mean()), 0.9)
        self.assertEqual(float(weights["Snow"][lies == 0].max()), 0.0)
        wet = (self.mask(flow) > 0.9) & (lies < 0.05) & (weights["Rock"] < 0.05)
        self.assertGreater(float(weights["Streams"][wet].mean()), 0.9)
        self.wait.still(self.window)
        self.assertAlmostEqual(sum(layers.list.fractions.values()), 1.0, places=5)
        self.assertIn("Snow:", layers.words.text())

    @slow
    def test_2_river_snow_and_lake_in_the_order_in_which_they_came(self):
        land = self.add("rain", self.add("fractal"))
        basin = self.add("brushed height", land)
        self.set("brush_radius", 500.0)
        self.set("brush_height", -60.0)
        self.plan()
        QTest.mouseClick(self.bench.rows["strokes"].box, LEFT)
        self.stroke((1800.0, 2000.0), (2000.0, 2100.0), (2200.0, 2100.0))
        QTest.mouseClick(self.bench.rows["strokes"].box, LEFT)
        river = self.add("stream channels", basin)
        lake = self.add("lakes", river)
        snow = self.add("snow", river)
        self.set("snow_line", 190.0)
        running = self.add("plain colour", self.add("colour ramp", river))
        self.pick("tone", QColor("#2f4648"))
        self.link_by_menu(river, "channel", running, "mask")
        white = self.add("plain colour", running)
        self.pick("tone", QColor("#f4f6f8"))
        self.link_by_menu(snow, "snow", white, "mask")
        soft = self.add("mask edge")
        self.link_by_menu(lake, "water", soft, "first")
        drawn_in = self.add("mask levels", soft)
        self.set("way", "curve")
        self.set("curve", ((0.0, 0.0), (0.7, 0.0), (0.9, 0.9), (1.0, 1.0)))
        depths = self.add("colour ramp")
        self.link_by_menu(lake, "depth", depths, "driver")
        bent = self.add("warp", depths)
        self.set("distance", 26.0)
        over = self.add("colour mix", white)
        self.link_by_menu(bent, "height", over, "over")
        self.link_by_menu(drawn_in, "mask", over, "mask")
        made, under = self.colour(over), self.colour(white)
        water, edge = self.mask(lake, "water"), self.mask(drawn_in)
        self.assertGreater(float((edge > 0.9).mean()), 1e-4, "there is a lake")
        self.assertLess(float(edge[water == 0].max()), 0.1, "no colour leaks over the edge")
        np.testing.assert_allclose(made[edge == 0], under[edge == 0], atol=1e-6)
        np.testing.assert_allclose(made[edge > 0.999], result(self.recipe, bent, 2)["height"][edge > 0.999], atol=1e-3)
        both = (self.mask(river, "channel") > 0.5) & (self.mask(snow, "snow") > 0.95)
        self.assertGreater(int(both.sum()), 0, "rivers run out from under the snow")
        self.assertGreater(float(brightness(under)[both].min()), 0.5, "the snow lies on the river")
        free = (self.mask(river, "channel") > 0.95) & (self.mask(snow, "snow") < 0.01)
        self.assertLess(float(brightness(under)[free].mean()), 0.1)

    @slow
    def test_3_two_greens_and_rock_in_the_streams_dark_ground(self):
        rain = self.add("rain", self.add("fractal"))
        flow = self.add("flow", rain)
        bare = self.add("patches", flow)
        self.set("cover", 0.4)
        wood, scrub = self.add("plant cover", rain), self.add("plant cover", rain)
        self.set("seed", 9)
        cover = self.add("ground cover", rain)
        layers = self.bench.layers
        for number in (3, 2):
            layers.list.choose(number)
            QTest.mouseClick(layers.buttons["Remove"], LEFT)
        for source, words in ((flow, "dark loam"), (bare, "moor tor"), (scrub, "spruce"), (wood, "birch")):
            QTest.mouseClick(layers.buttons["Add"], LEFT)
            number = layers.list.chosen
            self.ramp(words)
            self.link_by_menu(source, "mask", cover, f"mask_{number}")
        made = result(self.recipe, cover, 2)
        dark, rock, green, other = (made[f"weight_{n}"] for n in (2, 3, 4, 5))
        self.assertGreater(float(rock.max()), 0.8)
        self.assertEqual(float(rock[self.mask(bare) == 0].max()), 0.0, "rock only where the streams are")
        self.assertGreater(float(dark[(self.mask(flow) > 0.9) & (rock + green + other < 0.05)].mean()), 0.9)
        tones = [made["colour"][w > 0.8].mean(axis=0) for w in (green, other)]
        hues = [lab_of(*(float(v) for v in t)) for t in tones]
        for _, a, _ in hues:
            self.assertLess(a, 0.0, "green")
        self.assertGreater(float(np.linalg.norm(np.subtract(*hues))), 0.05, "two greens")

    @slow
    def test_4_a_cliff_from_a_part_of_a_ramp_a_tide_line_and_water_by_its_depth(self):
        land = self.add("massif")
        sea = self.add("sea", land)
        self.set("level", 120.0)
        steep = self.add("slope band", sea)
        self.set("invert", True)
        cliff = self.add("colour ramp", steep)
        self.ramp("rusted slabs")
        whole = self.colour(cliff)
        self.set("part_low", 0.4)
        self.set("part_high", 0.8)
        part = self.colour(cliff)
        self.assertLess(float(np.ptp(brightness(part))), 0.8 * float(np.ptp(brightness(whole))), "a part of the ramp")
        line = self.add("height band", sea)
        self.set("low", 118.0)
        self.set("high", 123.0)
        self.set("falloff", 2.0)
        weed = self.add("plain colour", cliff)
        self.pick("tone", QColor("#3b3520"))
        self.link_by_menu(line, "mask", weed, "mask")
        water = self.add("water colour", weed)
        for port in ("water", "depth", "shore"):
            self.link_by_menu(sea, port, water, port)
        made, height = self.colour(water), self.height(sea, 2)
        wet, depth, tide = self.mask(sea, "water"), self.mask(sea, "depth"), self.mask(line)
        dry = (tide > 0.99) & (wet == 0) & (self.mask(sea, "shore") == 0)
        if dry.any():
            np.testing.assert_allclose(brightness(made)[dry], brightness(self.colour(weed))[dry], atol=1e-5)
        self.assertGreater(float(tide.max()), 0.9)
        self.assertEqual(float(tide[(height < 110) | (height > 130)].max()), 0.0)
        deep, shallow = made[(wet > 0.99) & (depth > 0.9)], made[(wet > 0.99) & (depth < 0.3) & (tide == 0)]
        self.assertLess(float(brightness(deep).mean()), float(brightness(shallow).mean()), "darker where it is deep")
        np.testing.assert_allclose(made[(wet == 0) & (tide == 0)], part[(wet == 0) & (tide == 0)], atol=0.2)

    @slow
    def test_5_snow_over_rock_dust_on_its_slopes_and_grass_in_two_clicks(self):
        rain = self.add("rain", self.add("ridge noise"))
        snow = self.add("snow", rain)
        self.set("snow_line", 200.0)
        rock = self.add("plain colour")
        self.pick("tone", QColor("#706b66"))
        white = self.add("plain colour", rock)
        self.pick("tone", QColor("#eef0f4"))
        self.link_by_menu(snow, "snow", white, "mask")
        slopes = self.add("slope band", snow)
        both = self.add("mask mix", slopes)
        self.link_by_menu(snow, "snow", both, "second")
        dust = self.add("plain colour", white)
        self.pick("tone", QColor("#9e8c70"))
        self.link_by_menu(both, "mask", dust, "mask")
        made, lies, dusty = self.colour(dust), self.mask(snow, "snow"), self.mask(both)
        level = (lies > 0.99) & (dusty < 0.01)
        self.assertGreater(float(brightness(made)[level].min()), 0.8, "white snow where it is level")
        self.assertLess(float(brightness(made)[dusty > 0.9].mean()), 0.4, "dust on its slopes")
        self.choose(white)
        before = self.pixels(self.view).astype(int)
        self.pick("tone")  # a click on the swatch, a click on a colour
        self.wait.still(self.window)
        self.assertGreater(float(np.abs(self.pixels(self.view).astype(int) - before).mean()), 1.0)
        red, green, blue = self.colour(white)[level].mean(axis=0)
        self.assertGreater(green, max(red, blue), "grass")

    @slow
    def test_6_contrast_by_a_curve_saturation_back_and_hard_light(self):
        rain = self.add("rain", self.add("fractal"))
        ramp = self.add("colour ramp", rain)
        self.ramp("terra rossa")
        strong = self.add("colour adjust", ramp)
        self.set("contrast", 1.0)
        row = self.bench.rows["curve"]
        row.setFocus()
        for fraction, lift in ((0.28, 0.14), (0.62, 0.74)):
            spot = row._spot((fraction, fraction))
            QTest.mouseDClick(row, LEFT, pos=spot.toPoint())
            self.drag(spot, row._spot((fraction, lift)), row)
        self.assertEqual(len(self.value(strong, "curve")), 4)

        def spread(node):
            """(spread of lightness, mean saturation) in OKLab."""
            tones = self.colour(node)[::8, ::8].reshape(-1, 3)
            lab = np.array([lab_of(*(float(v) for v in tone)) for tone in tones])
            return float(lab[:, 0].std()), float(np.hypot(lab[:, 1], lab[:, 2]).mean())

        plain, curved = spread(ramp), spread(strong)
        self.assertGreater(curved[0], 1.2 * plain[0], "more contrast")
        self.set("saturation_times", 0.6)
        back = spread(strong)
        self.assertLess(back[1], 0.7 * curved[1], "saturation taken back")
        self.assertAlmostEqual(back[0], curved[0], delta=0.02)
        light = self.add("baked light", strong)
        self.link_by_menu(rain, "height", light, "height")
        with mock.patch("gelande.app.compose.bench.QMenu.exec", lambda menu, *place: menu.actions()[1].trigger()):
            self.bench.starting_points.click()
        self.assertEqual((self.value(light, "haze"), self.value(light, "sky")), (0.0, 0.1), "hard light, no air")
        shaded = self.mask(light, "light")
        self.assertLess(float(shaded.min()), 0.08, "shadows are nearly black")
        self.assertGreater(float(shaded.max()), 0.8)


class ExamplesTest(unittest.TestCase):
    def test_each_job_is_kept_as_an_example_that_computes(self):
        for name in ("ossenfell", "tarrowmere", "withen-slack", "hob-ness", "skelder-top", "korrast"):
            recipe = files.load(EXAMPLES / f"{name}.gelande")
            colour = result(recipe, last_node(recipe), 1)["colour"]
            self.assertGreater(float(colour.std()), 0.02, name)
            self.assertEqual(colour.shape[2], 3)


if __name__ == "__main__":
    unittest.main()
