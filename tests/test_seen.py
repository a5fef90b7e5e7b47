"""Masks as they are seen: several in colours with a legend, alone in grey, values under the pointer, the ground that
Where chooses while it is set."""

import unittest

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from support import result
from test_window import LEFT, WindowCase, at

from gelande.core.evaluate.query import ground_of, masks_of
from gelande.core.recipe import graph, recipefile
from gelande.core.recipe.raster import MASK
from gelande.core.recipe.site import BARE
from gelande.kernels import bare
from gelande.kernels.light import lit_textures
from gelande.scene import tints
from gelande.scene.plan import Drawn, PlanCamera, draw_plan
from gelande.scene.relief import Look, Scene, Tones


class TintTest(unittest.TestCase):
    def test_each_mask_has_a_colour_and_a_hatch_of_its_own(self):
        looks = [(tints.tone_of(k), tints.hatch((129, 129), k).tobytes()) for k in range(len(tints.TONES))]
        self.assertEqual(len({tone for tone, _ in looks}), len(looks))
        self.assertEqual(len({stripes for _, stripes in looks}), len(looks))
        for k in range(len(tints.TONES)):
            self.assertAlmostEqual(float(tints.hatch((257, 257), k).mean()), 0.5, delta=0.06)

    def test_the_later_mask_lies_on_top_and_black_shows_the_ground(self):
        white, half = np.ones((65, 65), np.float32), np.zeros((65, 65), np.float32)
        half[:, 32:] = 1
        both = tints.albedo_of(tints.MASKS, ((white, half), (0, 1)))
        only = tints.albedo_of(tints.MASKS, ((white,), (0,)))
        np.testing.assert_array_equal(both[:, :32], only[:, :32])
        first, second = (np.array(tints.tone_of(k), float) for k in (0, 1))
        blueish = both[:, 33:, 2].mean() - both[:, 33:, 0].mean()
        self.assertGreater(blueish, 0.05, "the teal one on top of the rust one")
        self.assertGreater(second[2] - second[0], first[2] - first[0])
        none = tints.albedo_of(MASK, np.zeros((5, 5), np.float32))
        np.testing.assert_allclose(none, np.broadcast_to(tints.MASK_GROUND, (5, 5, 3)), rtol=1e-6)
        faint = tints.albedo_of(MASK, np.ones((5, 5), np.float32), 0.5)
        np.testing.assert_allclose(faint[0, 0], (np.array(tints.MASK_GROUND) + tints.MASK_INK) / 2, rtol=1e-5)


class BareTest(unittest.TestCase):
    def test_bare_land_tells_flat_from_steep_and_hollow_from_crest(self):
        self.assertEqual(tuple(bare.PALETTES), BARE)
        x = np.linspace(-300, 300, 129, dtype=np.float32)
        wave = np.broadcast_to(40 * np.cos(x / 48), (129, 129))
        wall = np.broadcast_to(np.clip(3 * x, -60, 60), (129, 129))

        def seen(height, tones):
            lit = lit_textures(np.ascontiguousarray(height, np.float32), 600 / 128, 0, 88, None, 72, bare_as=tones)
            return lit[0][64, :, :3].astype(int)

        for tones in BARE:
            wavy, steep = seen(wave, tones), seen(wall, tones)
            self.assertGreater(np.abs(wavy[64] - wavy[32]).max(), 18, f"{tones}: a crest is not a hollow")
            self.assertGreater(np.abs(steep[64] - steep[20]).max(), 18, f"{tones}: a wall is not a floor")
        looks = [seen(wave, tones).mean(0) for tones in BARE]
        for k, a in enumerate(looks):
            for b in looks[k + 1 :]:
                self.assertGreater(np.abs(a - b).max(), 15)


class PartTest(unittest.TestCase):
    def test_a_map_of_which_only_some_rows_changed_is_the_same_picture_as_one_drawn_whole(self):
        rng = np.random.default_rng(4)
        height = np.cumsum(np.cumsum(rng.normal(size=(257, 257)), 0), 1).astype(np.float32)
        tones = Tones(tuple((k * 30.0, 90.0, 120.0) for k in range(6)))
        before, after = np.zeros((257, 257), np.float32), np.zeros((257, 257), np.float32)
        before[40:90, 30:200] = 0.5
        after[40:90, 30:200] = 0.5
        after[120:171, 60:140] = 0.8
        old = Scene(height, 16.0, tints.albedo_of(MASK, before))
        for mask in (after, before):
            whole = Scene(height, 16.0, tints.albedo_of(MASK, mask))
            part = Scene(height, 16.0, tints.albedo_of(MASK, mask), before=old)
            self.assertEqual(part.changed[1:], (120, 171) if mask is after else (0, 0))
            np.testing.assert_array_equal(part.textures[0], whole.textures[0])
            for metres in (3.0, 9.0, 40.0):
                sight = PlanCamera(2048.0, 2048.0, metres)
                kept = Drawn(old, *draw_plan(old, sight, 500, 400, tones, None))
                made, _ = draw_plan(part, sight, 500, 400, tones, None, kept)
                np.testing.assert_array_equal(made, draw_plan(whole, sight, 500, 400, tones, None)[0])

    def test_another_light_or_another_land_is_drawn_whole(self):
        height = np.random.default_rng(4).normal(size=(65, 65)).astype(np.float32)
        mask = tints.albedo_of(MASK, np.zeros((65, 65), np.float32))
        old = Scene(height, 16.0, mask)
        self.assertIsNotNone(Scene(height, 16.0, mask, before=old).changed)
        self.assertIsNone(Scene(height.copy(), 16.0, mask, before=old).changed)
        self.assertIsNone(Scene(height, 16.0, mask, Look(azimuth=10.0), before=old).changed)
        self.assertIsNone(Scene(height, 16.0, None, before=old).changed)


class GroundTest(unittest.TestCase):
    def test_a_mask_from_no_land_is_shown_on_the_land_that_it_works_on(self):
        from gelande.core.recipe.model import Recipe

        recipe, mask = graph.add(Recipe(), "brush_mask")
        self.assertIsNone(ground_of(recipe, mask))
        recipe, noise = graph.add(recipe, "fractal_noise")
        self.assertEqual(ground_of(recipe, mask), (noise, "height"))
        recipe, other = graph.add(recipe, "ridge_noise")
        recipe, terrace = graph.add(recipe, "terrace")
        recipe, smooth = graph.add(recipe, "smooth")
        recipe = graph.link(graph.link(recipe, other, "height", terrace, "height"), mask, "mask", terrace, "mask")
        recipe = graph.link(recipe, terrace, "height", smooth, "height")
        self.assertEqual(ground_of(recipe, mask), (other, "height"), "what comes into the first node that it restricts")
        self.assertEqual({(n, p) for n, p, _ in masks_of(recipe)}, {(mask, "mask"), (terrace, "riser")})


class SeenTest(WindowCase):
    def with_masks(self):
        land, terrace = self.load("fractal_noise", "terrace")
        for kind in ("height_band", "slope_band"):
            self.doc.edit("Add", lambda recipe, kind=kind: graph.add(recipe, kind)[0])
            self.doc.edit("Link", lambda r, kind=kind: graph.link(r, land, "height", f"{kind}_1", "height"))
        self.click(land)
        self.wait.still(self.window)
        return land, "height_band_1", "slope_band_1", terrace

    def test_masks_ticked_in_the_list_lie_in_colours_on_the_land_with_a_legend(self):
        land, high, steep, _ = self.with_masks()
        before = self.pixels(self.view).astype(int)
        QTest.mouseClick(self.view.bar.masks, LEFT)
        panel = self.view.masks.panel
        items = {panel.list.item(k).text(): panel.list.item(k) for k in range(panel.list.count())}
        self.assertIn("Height band", items)
        self.assertIn("Terrace: riser", items)
        items["Height band"].setCheckState(Qt.CheckState.Checked)
        items = {panel.list.item(k).text(): panel.list.item(k) for k in range(panel.list.count())}
        items["Slope band"].setCheckState(Qt.CheckState.Checked)
        panel.hide()
        self.wait.still(self.window)
        legend = self.view.masks.legend
        self.assertTrue(legend.isVisible())
        self.assertEqual(legend.lines, ["Slope band", "Height band"], "the topmost first")
        self.assertGreater(np.abs(self.pixels(self.view).astype(int) - before).mean(), 4.0)
        spot = QPoint(self.view.width() // 2, self.view.height() // 2)
        self.view.read_out(spot)
        east, north = self.view.marks.to_ground(spot)
        row, column = round((4096 - north) / self.view._told[0].dx), round(east / self.view._told[0].dx)
        wanted = [result(self.doc.recipe, n, 1)["mask"][row, column] for n in (high, steep)]
        np.testing.assert_allclose(legend.values, wanted, atol=1e-6)
        self.doc.edit("Remove", lambda recipe: graph.remove(recipe, [high]))
        self.wait.still(self.window)
        self.assertEqual(legend.lines, ["Slope band"], "one that is gone is no longer shown")
        self.doc.start(self.doc.recipe, None)
        self.wait.still(self.window)
        self.assertFalse(legend.isVisible(), "another recipe, and be it with nodes of the same names")

    def test_tones_of_bare_land_are_chosen_over_the_view_and_saved_with_the_recipe(self):
        self.load("fractal_noise")
        view, card = self.view, self.window.compose.canvas.looks
        (node,) = self.doc.recipe.nodes
        before, picture = view.frame.image.copy(), card[node].picture.copy()
        (action,) = (a for a in view.bar.bare.actions() if a.text() == "Sand and rust")
        self.wait.until(view.pictured, lambda f: f.passes == 8 and f.request.look.bare == "sand", action.trigger)
        self.wait.still(self.window)
        self.assertNotEqual(view.frame.image, before)
        self.assertNotEqual(card[node].picture, picture)
        self.assertEqual(recipefile.loads(recipefile.dumps(self.doc.recipe)).site.bare, "sand")
        self.doc.undo()
        self.wait.until(view.pictured, lambda f: f.passes == 8 and f.request.look.bare == "grass")
        self.assertEqual(view.frame.image, before)

    def test_m_shows_the_mask_alone_in_grey_and_the_read_out_gives_its_value(self):
        _, high, *_ = self.with_masks()
        self.click(high)
        self.view.set_mode("Plan")
        self.wait.still(self.window)
        tinted = self.pixels(self.view).astype(int)
        self.assertGreater(np.abs(tinted[..., 0] - tinted[..., 2])[100:400].max(), 60, "a tint has a colour")
        QTest.keyClick(self.view, Qt.Key.Key_M)
        self.wait.still(self.window)
        middle = self.pixels(self.view).astype(int)[150:350, 250:450]
        self.assertLess(np.abs(middle[..., 0] - middle[..., 2]).max(), 24, "grey")
        self.assertGreater(int(middle.max()) - int(middle.min()), 120)
        spot = QPoint(self.view.width() // 2, self.view.height() // 2)
        self.view.read_out(spot)
        east, north = self.view.marks.to_ground(spot)
        dx = self.view._told[0].dx
        value = result(self.doc.recipe, high, 1)["mask"][round((4096 - north) / dx), round(east / dx)]
        self.assertIn(f"mask {value:.2f}", self.view.ground.text())
        QTest.keyClick(self.view, Qt.Key.Key_M)
        self.view.masks.panel.strength.setValue(20)
        self.wait.still(self.window)
        faint = self.pixels(self.view).astype(int)
        self.assertLess(np.abs(faint - tinted)[..., 0].mean(), 255)
        self.assertLess(
            np.abs(faint[..., 0] - faint[..., 2])[100:400].max(), np.abs(tinted[..., 0] - tinted[..., 2])[100:400].max()
        )

    def test_the_bench_gives_the_white_share_and_hectares(self):
        _, high, *_ = self.with_masks()
        self.click(high)
        self.wait.still(self.window)
        fraction = float(result(self.doc.recipe, high, 1)["mask"].mean())
        words = self.bench.where.hint.text()
        self.assertIn(f"White: {fraction * 100:.1f} % of the site", words)
        hectares = f"{fraction * 1677.72:,.0f}".replace(",", " ")
        self.assertIn(f"{hectares} ha", words)

    def test_the_ground_that_where_chooses_is_tinted_while_a_limit_is_dragged(self):
        *_, terrace = self.with_masks()
        self.click(terrace)
        self.bench.set_value("where", "height")
        self.wait.still(self.window)
        plot = self.bench.where.plot
        handle = plot.handles()[0]
        QTest.mousePress(plot, LEFT, Qt.KeyboardModifier.NoModifier, at(handle))
        QTest.mouseMove(plot, at(handle + QPointF(30, 0)))
        self.wait.still(self.window)
        shown = self.view._told[0]
        self.assertEqual(shown.kind, MASK)
        low = self.doc.recipe.nodes[terrace].params["where_low"]
        ground = result(self.doc.recipe, "fractal_noise_1", 1)["height"]
        self.assertTrue(np.all(shown.data[(ground > low + 5) & (ground < 395)] > 0.95))
        self.assertIn("works", self.view.caption.text())
        QTest.mouseRelease(plot, LEFT, Qt.KeyboardModifier.NoModifier, at(handle + QPointF(30, 0)))
        self.window.compose._untint.setInterval(1)
        self.window.compose._tint()
        if self.window.compose._tinted:
            self.wait.until(self.window.compose._untint.timeout)
        self.wait.still(self.window)
        self.assertNotIn("works", self.view.caption.text())


if __name__ == "__main__":
    unittest.main()
