"""Rock in beds: one description, cliffs in hard ones and benches in soft ones; and steps that break, merge and fade."""

import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from support import chain, result, rms_fraction, slow

from gelande.core.errors import GelandeError
from gelande.core.evaluate.executor import Cache, Evaluator
from gelande.core.evaluate.job import Job
from gelande.core.recipe import graph
from gelande.core.recipe.site import GLOBAL_LEVEL, Site
from gelande.kernels.flow import drain
from gelande.kernels.grid_window import GridWindow
from gelande.kernels.layers import Layers, table_of
from gelande.kernels.measure import slope_degrees
from gelande.nodes.beds import LINKED

FLAT = np.zeros((1, 1), np.float32)
IN_BEDS = {"beds": "in_beds", "gully_spacing": 160.0, "ravines": 0.0}


def steepness(h, bed, dx):
    """(mean slope of hard beds, of soft ones) where land is no plain, degrees."""
    slope = slope_degrees(h, dx, 2 * dx)
    sides = slope_degrees(h, dx, 240.0) > 12
    return float(slope[sides & (bed > 0.6)].mean()), float(slope[sides & (bed < 0.3)].mean())


class TableTest(unittest.TestCase):
    @given(st.floats(0.5, 400), st.floats(0, 1), st.floats(0, 1), st.integers(1, 9999), st.sampled_from([1, 2, 4, 8]))
    @settings(max_examples=25, deadline=None)
    def test_there_and_back(self, thickness, spread, contrast, seed, group):
        layers = Layers(table_of(thickness, spread, contrast, seed, group), FLAT)
        h = np.linspace(-40 * thickness, 40 * thickness, 4001, dtype=np.float32)[None]
        even = layers.even(h)
        self.assertGreater(float(np.diff(even).min()), 0.0, "what is higher stays higher")
        self.assertLess(float(np.abs(layers.height(even) - h).max()), 0.03 * thickness * group)
        hardness = layers.hardness(h)
        self.assertTrue(hardness.min() >= 0 and hardness.max() <= 1)

    def test_rock_without_contrast_is_even(self):
        layers = Layers(table_of(30.0, 1.0, 0.0, 3), FLAT)
        h = np.linspace(-900, 900, 501, dtype=np.float32)[None]
        np.testing.assert_allclose(layers.even(h), h, atol=0.01)

    def test_land_far_above_all_beds_is_even_rock(self):
        layers = Layers(table_of(1.0, 0.5, 1.0, 3), FLAT)
        h = np.array([[5000.0, 5010.0, -8000.0]], np.float32)
        self.assertAlmostEqual(float(np.diff(layers.even(h)[0])[0]), 10.0, places=2)
        np.testing.assert_allclose(layers.height(layers.even(h)), h, atol=0.05)

    def test_an_even_hillside_has_cliffs_in_hard_beds(self):
        layers = Layers(table_of(40.0, 0.5, 0.7, 3), FLAT)
        h = layers.height(np.linspace(0, 900, 1801, dtype=np.float32)[None])
        rise, hardness = np.diff(h)[0], layers.hardness(h)[0, 1:]
        self.assertGreater(float(rise[hardness > 0.7].mean()), 3 * float(rise[hardness < 0.2].mean()))
        self.assertAlmostEqual(float(rise.mean()), 0.5, delta=0.15)


class RainTest(unittest.TestCase):
    def bedded(self, kind, level=GLOBAL_LEVEL, land=None, **more):
        recipe, ids = chain(kind, "rain_erosion", rain_erosion={**IN_BEDS, **more}, **{kind: land or {}})
        engine = Evaluator(Cache(2_000_000_000))
        return result(recipe, ids[0], level, engine), result(recipe, ids[1], level, engine)

    def test_hard_beds_stand_steeper_than_soft_ones(self):
        for kind in ("massif", "valley"):
            _, made = self.bedded(kind, land={"seed": 221})
            hard, soft = steepness(made["height"], made["bed"], 8.0)
            self.assertGreater(hard, 1.3 * soft, kind)

    def test_a_table_stays_a_table_and_its_plain_a_plain(self):
        before, made = self.bedded("plateau", land={"seed": 222}, strength=0.5)
        h, after = before["height"], made["height"]
        top, plain = h > 0.9 * h.max(), h < 0.05 * h.max()
        slope = slope_degrees(after, 8.0, 24.0)
        self.assertLess(float(np.median(slope[plain])), 2.0)
        self.assertGreater(float((after[top] > h[top] - 0.1 * h.max()).mean()), 0.6)

    def test_no_rain_leaves_land_in_beds_alone_and_even_rock_has_no_bed_port(self):
        before, made = self.bedded("ridge_noise", 2, strength=0.0)
        self.assertLess(rms_fraction(before["height"], made["height"]), 0.004)
        recipe, (_, rain) = chain("ridge_noise", "rain_erosion")
        self.assertNotIn("bed", [p.id for p in recipe.nodes[rain].spec.outputs])
        recipe = graph.set_param(recipe, rain, "beds", "in_beds")
        self.assertIn("bed", [p.id for p in recipe.nodes[rain].spec.outputs])

    @slow
    def test_the_same_beds_at_every_detail(self):
        recipe, (_, rain) = chain("massif", "rain_erosion", massif={"seed": 223}, rain_erosion=IN_BEDS)
        engine = Evaluator(Cache(3_000_000_000))
        coarse, fine = (result(recipe, rain, k, engine) for k in (3, 5))
        self.assertLess(rms_fraction(coarse["height"], fine["height"][::4, ::4]), 0.01)
        self.assertLess(float(np.abs(coarse["bed"] - fine["bed"][::4, ::4]).mean()), 0.04)

    def test_water_finds_its_way_out_of_beds(self):
        before, made = self.bedded("fractal_noise", land={"seed": 224})
        deep = [float((drain(a)[0] - a).mean()) for a in (before["height"], made["height"])]
        self.assertLess(deep[1], 0.5 * deep[0])

    def test_strata_and_rain_of_the_same_settings_have_the_same_beds(self):
        beds = {"thickness": 50.0, "dip": 6.0, "contrast": 0.8, "irregularity": 0.5, "dip_direction": 40.0}
        recipe, (land, strata) = chain("massif", "strata", strata=beds)
        recipe, rain = graph.add(recipe, "rain_erosion", params={**IN_BEDS, **beds, "strength": 0.0})
        recipe = graph.link(recipe, strata, "height", rain, "height")
        engine = Evaluator(Cache(10**9))
        one, other = result(recipe, strata, 2, engine)["bed"], result(recipe, rain, 2, engine)["bed"]
        steep = slope_degrees(result(recipe, strata, 2, engine)["height"], 16.0, 64.0)
        there = (steep > 10) & (steep < 24)  # steeper ground has pairs of beds taken together
        self.assertGreater(float(np.corrcoef(one[there], other[there])[0, 1]), 0.6)


class LinkedTest(unittest.TestCase):
    """Rock in beds, described once and linked to all that read it."""

    BEDS = {"thickness": 50.0, "dip": 6.0, "contrast": 0.8, "irregularity": 0.5, "dip_direction": 40.0}

    def linked(self, *kinds, between=()):
        """Massif, then nodes of these kinds in a line, all linked to one Rock in beds; and that one's id."""
        recipe, ids = chain("massif", *kinds)
        recipe, beds = graph.add(recipe, "rock_beds", params=self.BEDS)
        last = beds
        for kind in between:
            recipe, after = graph.add(recipe, kind)
            recipe, last = graph.link(recipe, last, "height", after, "height"), after
        for one in ids[1:]:
            recipe = graph.link(recipe, last, "height", one, LINKED)
        return recipe, ids[1:], beds

    def test_a_link_is_the_same_rock_as_the_same_settings(self):
        engine = Evaluator(Cache(10**9))
        for kind in ("rain_erosion", "scree", "strata"):
            recipe, (node,), _ = self.linked(kind)
            own = {**self.BEDS, **({"beds": "in_beds"} if kind != "strata" else {})}
            plain, ids = chain("massif", kind, **{kind: own})
            for level in (0, 1, 2):
                one, other = result(recipe, node, level, engine), result(plain, ids[1], level, engine)
                np.testing.assert_array_equal(one["height"], other["height"], kind)

    def test_one_change_reaches_all_that_read_it(self):
        recipe, ids, beds = self.linked("strata", "rain_erosion", "scree")
        changed = graph.set_param(recipe, beds, "thickness", 90.0)
        engine = Evaluator(Cache(10**9))
        for node in ids:
            before, after = (result(r, node, 1, engine)["height"] for r in (recipe, changed))
            self.assertGreater(rms_fraction(before, after), 0.001, recipe.nodes[node].name)

    def test_beds_that_were_folded_on_the_way_keep_their_thickness(self):
        recipe, (rain,), beds = self.linked("rain_erosion", between=("bed_folds", "warp"))
        straight, (other,), _ = self.linked("rain_erosion")
        engine = Evaluator(Cache(10**9))
        folded, plain = result(recipe, rain, 2, engine), result(straight, other, 2, engine)
        self.assertGreater(rms_fraction(folded["bed"], plain["bed"]), 0.05)
        thick = graph.set_param(recipe, beds, "contrast", 0.1)
        self.assertGreater(rms_fraction(folded["height"], result(thick, rain, 2, engine)["height"]), 0.001)

    def test_only_beds_are_taken_and_a_link_says_that_rock_is_in_them(self):
        recipe, (rain,), beds = self.linked("rain_erosion")
        self.assertEqual(recipe.nodes[rain].params["beds"], "in_beds")
        recipe, other = graph.add(recipe, "fractal_noise")
        self.assertIn("Rock in beds", graph.can_link(recipe, other, "height", rain, LINKED))
        recipe, step = graph.add(recipe, "smooth")
        recipe = graph.link(recipe, beds, "height", step, "height")
        recipe = graph.link(recipe, step, "height", rain, LINKED)
        recipe = graph.link(recipe, other, "height", step, "height")  # the beds are led away
        with self.assertRaisesRegex(GelandeError, "Beds must come from a node of the kind Rock in beds"):
            result(recipe, rain, 1)

    def test_regions_of_land_in_linked_beds_equal_the_whole(self):
        recipe, ids, _ = self.linked("rain_erosion", "scree", between=("bed_folds",))
        recipe = replace(recipe, site=replace(recipe.site, base=32, depth=recipe.site.depth * 5 / 8))
        whole = Evaluator(Cache(2 * 10**9)).result(Job(recipe), ids[1], 4)["height"]
        window = GridWindow(100, 151, 90, 110, *whole.shape)
        part = Evaluator().result(Job(recipe, whole=1), ids[1], 4, window)["height"]
        np.testing.assert_array_equal(part, window.cut(whole, GridWindow.of(whole.shape)))


class StepTest(unittest.TestCase):
    def risers(self, high, **params):
        """Mask of risers on a ramp that rises by so many metres over its site, up the slope."""
        recipe, ids = chain("ramp", "terrace", ramp={"high": high, "low": 0.0, "direction": 0.0}, terrace=params)
        made = result(recipe, ids[1], GLOBAL_LEVEL)
        return made["height"], made["riser"]

    def test_steep_ground_has_fewer_higher_steps(self):
        counts = {}
        for high in (800.0, 4000.0):
            _, riser = self.risers(high, irregularity=0.0)
            line = riser[:, 256] if np.ptp(riser[:, 256]) > np.ptp(riser[256]) else riser[256]
            counts[high] = int((np.diff((line > 0.5).astype(int)) == 1).sum())
        self.assertGreater(counts[800.0], 20)
        self.assertLess(counts[4000.0], 4000 / 26 / 1.8, "not one every 26 m")
        self.assertLess(counts[4000.0], 513 / 9)

    def test_irregular_risers_fade_out_along_the_slope(self):
        fraction = []
        for irregularity in (0.0, 0.8):
            h, _ = self.risers(900.0, irregularity=irregularity)
            steep = slope_degrees(h, 8.0, 16.0)
            along = steep.max(axis=1) if np.ptp(h[:, 0]) > np.ptp(h[0]) else steep.max(axis=0)
            fraction.append(float((steep > 0.7 * np.median(along)).mean()))
        self.assertLess(fraction[1], 0.85 * fraction[0])

    def test_the_same_on_a_site_of_any_size(self):
        for side in (100.0, 100_000.0):
            recipe, ids = chain("massif", "strata", site=Site("Any", side, side))
            before, after = (result(recipe, k, 2)["height"] for k in ids)
            self.assertTrue(0.0005 < rms_fraction(before, after) < 0.05, side)


if __name__ == "__main__":
    unittest.main()
