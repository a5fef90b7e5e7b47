"""Figures, Where and Finish, bands and wide filters against closed forms."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from support import chain, result

from gelande.app.view.numbers import nice_interval
from gelande.core.evaluate import restrict
from gelande.core.evaluate.executor import Evaluator, Stop
from gelande.core.recipe.choices import FigureChoice, Measures
from gelande.core.recipe.site import Site
from gelande.core.regenerate.figures import FIGURES, figures_of, limit_text
from gelande.core.words import amount
from gelande.kernels import bands, coarse

SITE = Site("Plane", 4096, 4096)


def plane(degrees: float, level: int = 1, base: float = 0.0) -> np.ndarray:
    """Ground that rises evenly to the east."""
    rows, columns = SITE.shape(level)
    x = np.arange(columns, dtype=np.float32) * SITE.spacing(level) * np.float32(math.tan(math.radians(degrees)))
    return np.repeat((x + np.float32(base))[None], rows, 0)


class FiguresTest(unittest.TestCase):
    def test_walkable_and_flat_ground_of_planes(self):
        for degrees, walkable, flat in ((2.0, 1.0, 1677.7), (20.0, 1.0, 0.0), (40.0, 0.0, 0.0)):
            f = figures_of(plane(degrees), SITE, 1)
            self.assertAlmostEqual(f.values["walkable"], walkable)
            self.assertAlmostEqual(f.values["flat"], flat, delta=0.1)
            self.assertAlmostEqual(f.values["relief"], 4096 * math.tan(math.radians(degrees)), delta=1.0)

    def test_half_under_the_sea_is_half_the_hectares(self):
        f = figures_of(plane(10.0, base=-4096 * math.tan(math.radians(10)) / 2), Site("Coast", has_sea=True), 1)
        self.assertAlmostEqual(f.values["water"] / (4096 * 4096 / 10_000), 0.5, delta=0.01)

    def test_figures_agree_between_details(self):
        a, b = (figures_of(plane(24.0, k), SITE, k) for k in (1, 3))
        for name in ("walkable", "relief", "highest", "steepest"):
            self.assertAlmostEqual(a.values[name], b.values[name], places=1, msg=name)

    def test_lines_carry_units(self):
        f = figures_of(plane(3.0), SITE, 1)
        for name in FIGURES:
            self.assertRegex(f.text(name), r"\d( m| %| ha| km| km²|°)$|no pins", name)

    def test_the_largest_walkable_area_is_one_piece(self):
        h = plane(10.0)
        h[:, 60:66] += np.float32(4000)  # a wall from north to south
        f = figures_of(h, SITE, 1)
        whole = SITE.width * SITE.depth / 10_000
        self.assertLess(f.values["area"], 0.52 * whole)
        self.assertGreater(f.values["walkable"] * whole, 1.5 * f.values["area"])

    def test_a_ridge_hides_what_stands_behind_it(self):
        h = plane(0.0)
        h[:, 63:66] = 50.0
        pins = ((1000.0, 2000.0), (3000.0, 2000.0))
        f = figures_of(h, SITE, 1, None, Measures(pins=pins))
        self.assertAlmostEqual(f.values["sight"], 1.7 - 50, delta=1.0)
        self.assertEqual(f.text("sight"), "hidden by 48 m")
        along = Measures(pins=((1000.0, 500.0), (1000.0, 3500.0)))
        self.assertEqual(figures_of(h, SITE, 1, None, along).text("sight"), "clear")

    def test_limits_tell_what_is_outside(self):
        f = figures_of(plane(20.0), SITE, 1)
        choices = (FigureChoice("walkable", low=0.5), FigureChoice("flat", low=10.0), FigureChoice("sight"))
        self.assertEqual(f.misses(choices), ["flat"])
        self.assertEqual(limit_text(choices[1]), "at least 10 ha")

    @given(st.floats(1e-3, 1e5))
    @settings(max_examples=60, deadline=None)
    def test_contour_intervals_are_round_and_give_some_lines(self, span):
        step = nice_interval(span)
        first = float(f"{step:e}".split("e")[0])
        self.assertIn(round(first, 6), (1.0, 2.0, 2.5, 5.0))
        self.assertTrue(8 <= span / step <= 22, (span, step))


class AmountTest(unittest.TestCase):
    def test_bytes_are_told_in_a_unit_that_says_something(self):
        for count, words in (
            (0, "1 kB"),
            (38_400, "38 kB"),
            (949_000, "949 kB"),
            (1_000_000, "1.0 MB"),
            (2.5e9, "2.5 GB"),
        ):
            self.assertEqual(amount(int(count)), words)


class RestrictTest(unittest.TestCase):
    values = {
        "where": "height",
        "where_low": 100.0,
        "where_high": 200.0,
        "where_falloff": 50.0,
        "amount": 1.0,
        "where_invert": False,
        "where_slope_low": 10.0,
        "where_slope_high": 90.0,
        "where_slope_falloff": 0.0,
        "where_slope_over": 24.0,
    }

    def test_a_band_is_full_inside_half_in_the_falloff_and_nothing_beyond(self):
        h = np.array([[40.0, 75.0, 100.0, 150.0, 225.0, 300.0]], np.float32)
        np.testing.assert_allclose(restrict.weight(self.values, h, None, SITE, 1)[0], [0, 0.5, 1, 1, 0.5, 0], atol=1e-6)

    def test_a_linked_mask_counts_with_the_band_and_invert_turns_it_round(self):
        h, mask = np.full((1, 4), 150, np.float32), np.array([[0.0, 0.25, 0.5, 1.0]], np.float32)
        np.testing.assert_allclose(restrict.weight(self.values, h, mask, SITE, 1)[0], mask[0])
        np.testing.assert_allclose(
            restrict.weight({**self.values, "where_invert": True}, h, mask, SITE, 1)[0], 1 - mask[0]
        )

    def test_slope_looks_at_the_land_not_at_the_samples(self):
        for level in (1, 3):
            steep, flat = (
                restrict.weight({**self.values, "where": "slope"}, plane(a, level), None, SITE, level)
                for a in (14.0, 6.0)
            )
            self.assertEqual((float(steep.min()), float(flat.max())), (1.0, 0.0))

    def test_mask_without_a_link_is_nowhere_and_amount_scales(self):
        self.assertEqual(float(restrict.weight({**self.values, "where": "mask"}, None, None, SITE, 1)), 0.0)
        self.assertEqual(
            float(restrict.weight({**self.values, "where": "all", "amount": 0.5}, None, None, SITE, 1)), 0.5
        )

    def test_finish_on_level_ground_makes_no_nonsense(self):
        flat = np.full((3, 3), 50, np.float32)
        out = restrict.finish(
            "height",
            {"stretch": True, "stretch_low": 10.0, "stretch_high": 90.0, "invert": True, "rest_on_zero": True},
            flat,
            50.0,
            50.0,
        )
        self.assertTrue(np.isfinite(out).all())


class BandsTest(unittest.TestCase):
    def test_every_row_is_done_once_for_any_height_of_bands(self):
        for rows in (1, 63, 64, 65, 513):
            for height in (16, 64):
                seen = np.zeros(rows, int)

                def run(a, b):
                    seen[a:b] += 1

                bands.over_rows(run, rows, None, height)
                self.assertTrue((seen == 1).all())

    def test_a_stop_leaves_the_rest_undone_and_what_was_done_cannot_be_taken(self):
        stop, done = Stop(), []

        def run(a, b):
            done.append(a)
            stop.set()

        with self.assertRaises(bands.Stopped):
            bands.over_rows(run, 2000, stop.flag)
        self.assertLessEqual(len(done), bands.threads())

    def test_wide_filters_work_on_the_level_where_they_are_a_few_samples_wide(self):
        self.assertEqual(coarse.on_level(6, 1, SITE.spacing, 200.0), 1)
        self.assertEqual(coarse.on_level(6, 1, SITE.spacing, 40.0), 3)
        self.assertEqual(coarse.on_level(2, 1, SITE.spacing, 1.0), 2)
        recipe, (ramp, smooth) = chain("ramp", "smooth", smooth={"radius": 400.0})
        evaluator, inside = Evaluator(), slice(900, 1100)
        wide = result(recipe, smooth, 5, evaluator)["height"]
        self.assertFalse(evaluator.is_fresh(recipe, ramp, 5), "the ground is not needed as finely as the result")
        np.testing.assert_allclose(wide[inside, inside], result(recipe, ramp, 5)["height"][inside, inside], atol=0.2)


if __name__ == "__main__":
    unittest.main()
