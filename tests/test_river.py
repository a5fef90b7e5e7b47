"""A river on its plain: how it winds, that it falls, what it leaves behind."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from support import chain

from gelande.core.errors import Stopped
from gelande.core.evaluate.executor import Evaluator, Job
from gelande.core.recipe.site import Site
from gelande.kernels.grid_window import GridWindow
from gelande.kernels.meanders import meander, sinuosity, wavelength
from gelande.kernels.river import beside, lowest_way

WIDTH = 40.0


class MeanderTest(unittest.TestCase):
    def test_it_winds_as_asked_in_bends_of_ten_to_fourteen_widths(self):
        """Leopold and Wolman (1960): 10 to 14 widths; on seeds that nothing was tuned on."""
        for wound in (1.4, 1.75, 2.2):
            found = [meander(6000, WIDTH, wound, 500, 0.5, seed).line for seed in range(700, 706)]
            for line in found:
                self.assertLess(abs(sinuosity(line) - wound), 0.09 * wound)
            bends = np.mean([wavelength(line) for line in found]) / WIDTH
            self.assertTrue(10 <= bends <= 14, bends)

    @given(st.floats(0.05, 5000), st.floats(1.0, 2.6), st.floats(1, 20_000), st.integers(0, 10**6))
    @settings(max_examples=25, deadline=None)
    def test_any_river_stays_in_its_belt_and_never_meets_itself(self, width, wound, belt, seed):
        reach = 4000.0
        line = meander(reach, width, wound, belt, 0.5, seed).line
        self.assertTrue(np.isfinite(line).all())
        wide = max(width, reach * 5.2 / 3600)
        inside = (line[:, 0] > 0) & (line[:, 0] < reach)
        self.assertLess(np.abs(line[inside, 1]).max(initial=0), max(belt, 1.2 * wide) + 2 * wide)
        steps = np.hypot(*np.diff(line, axis=0).T)
        self.assertLess(steps.max(), 1.5 * wide, "no gap where a bend was cut off")

    def test_bends_that_were_cut_off_lie_beside_it_youngest_first(self):
        made = meander(9000, WIDTH, 2.0, 600, 0.8, 11)
        self.assertGreater(len(made.loops), 5)
        ages = [age for _, age in made.loops]
        self.assertEqual(ages, sorted(ages))
        for loop, _ in made.loops:
            self.assertGreater(sinuosity(np.stack([np.linspace(0, np.hypot(*(loop[-1] - loop[0])), 2), [0, 0]], 1)), 0)
            way = np.hypot(*np.diff(loop, axis=0).T).sum()
            self.assertGreater(way, 1.4 * np.hypot(*(loop[-1] - loop[0])), "a way round, not a straight piece")

    def test_it_can_be_stopped(self):
        with self.assertRaises(Stopped):
            meander(7777, 3.0, 2.0, 300, 0.5, 5, np.ones(1, np.uint8))


class LineTest(unittest.TestCase):
    def test_distances_and_sides_are_those_of_every_piece(self):
        line = np.stack([np.linspace(-50, 700, 60), 300 + 150 * np.sin(np.linspace(0, 9, 60))], 1)
        window = GridWindow(5, 7, 40, 44, 65, 65)
        side, where = beside(line, 120.0, window, 640, 10)
        y, x = 640 - (5 + np.mgrid[:40, :44][0]) * 10.0, (7 + np.mgrid[:40, :44][1]) * 10.0
        best, left = np.full(x.shape, 120.0), np.zeros(x.shape, bool)
        for a, b in zip(line, line[1:]):
            v = b - a
            t = np.clip(((x - a[0]) * v[0] + (y - a[1]) * v[1]) / (v @ v), 0, 1)
            d = np.hypot(x - a[0] - t * v[0], y - a[1] - t * v[1])
            left = np.where(d < best, v[0] * (y - a[1]) - v[1] * (x - a[0]) >= 0, left)
            best = np.minimum(best, d)
        np.testing.assert_allclose(np.abs(side), best, atol=1e-3)
        self.assertTrue(((side > 0) == left)[best < 120].all())
        found = np.stack([np.interp(where, np.arange(60), line[:, k]) for k in (0, 1)])
        away = np.hypot(found[0] - x, found[1] - y)
        np.testing.assert_allclose(away[best < 120], best[best < 120], atol=0.05)

    def test_the_lowest_way_goes_round_a_hill_and_leaves_by_the_side_it_was_told(self):
        y, x = np.mgrid[:65, :65] / 64.0
        hill = 300 * np.exp(-(((x - 0.5) / 0.15) ** 2) - ((y - 0.45) / 0.3) ** 2)
        for side, end in ((1, (1, None)), (3, (0, None)), (0, (None, 1)), (2, (None, 0))):
            way = lowest_way(hill, (side,), 10.0, 0.0, 20.0) / 640
            for value, wanted in zip(way[-1], end):
                self.assertTrue(wanted is None or abs(value - wanted) < 1e-9, (side, way[-1]))
            rows, columns = np.round((1 - way[:, 1]) * 64).astype(int), np.round(way[:, 0] * 64).astype(int)
            if side in (1, 3):
                self.assertLess(hill[rows, columns].max(), 160, "round the hill, not over it")

    def test_a_closed_hollow_is_no_way_through_its_walls(self):
        y, x = np.mgrid[:65, :65] / 64.0 - 0.5
        away = np.hypot(x, y)
        crater = 200 * np.exp(-(((away - 0.25) / 0.05) ** 2)) - 150 * (away < 0.22)
        way = lowest_way(crater, (1,), 10.0, 0.0, 20.0) / 640 - 0.5
        self.assertGreater(np.hypot(*way.T).min(), 0.3)

    def test_of_all_sides_it_takes_the_one_it_can_reach_without_a_climb(self):
        y, x = np.mgrid[:65, :65] / 64.0
        for turns, end in enumerate(((None, 0), (1, None), (None, 1), (0, None))):
            dale = np.rot90(300 * np.abs(x - 0.4) + 60 * (1 - y), turns)
            way = lowest_way(dale, (0, 1, 2, 3), 10.0, 0.0, 20.0) / 640
            for value, wanted in zip(way[-1], end):
                self.assertTrue(wanted is None or abs(value - wanted) < 1e-9, (turns, way[-1]))


class RiverTest(unittest.TestCase):
    def test_hills_keep_their_form_beside_it(self):
        for land in ("plateau", "massif", "fractal_noise"):
            raw, before, _ = self.made(land)
            high = before > before.max() - 0.25 * np.ptp(before)
            self.assertLess((np.abs(raw["height"] - before)[high] > 1).mean(), 0.15, land)

    def made(self, *before, level=3, site=None, **params):
        recipe, ids = chain(*before, "river", site=site or Site("River"), river=params)
        engine, job = Evaluator(), Job(recipe)
        return engine.raw(job, ids[-1], level), engine.result(job, ids[-2], level)["height"], recipe.site.spacing(level)

    def test_low_ground_behind_a_hill_stays_as_it_is(self):
        """A river at the foot of a ring wall fills nothing behind the wall."""
        for seed in (0, 31):
            recipe, ids = chain("ring_wall", "river", ring_wall={"seed": seed})
            job, evaluator = Job(recipe), Evaluator()
            before, after = (np.asarray(evaluator.result(job, n, 2)["height"], float) for n in ids)
            self.assertLess((after - before).max(), 8, "nothing is heaped up inside")
            self.assertGreater((before - after).max(), 30, "and the wall's foot is cut back")

    def test_its_water_falls_all_the_way_and_stands_in_its_bed(self):
        for before in (("fractal_noise",), ("ridge_noise",), ("fractal_noise", "rain_erosion")):
            raw, _, _ = self.made(*before)
            self.assertLessEqual(float(np.diff(raw["_line"][:, 2]).max()), 1e-6, "no water climbs")
            wet = raw["water"] > 0.99
            self.assertGreater(wet.mean(), 0.005)
            self.assertTrue((raw["_surface"][wet] >= raw["height"][wet]).all())
            deep = raw["_surface"][wet] - raw["height"][wet]
            self.assertLess(float(deep.max()), 3.2, "as deep as three quarters of the bed")

    def test_the_plain_is_level_across_and_the_land_above_its_sides_stays(self):
        raw, before, dx = self.made("fractal_noise", terraces=0, old=0.0, levee=0.0)
        on = (raw["plain"] > 0.99) & (raw["water"] == 0) & (raw["old"] == 0)
        self.assertGreater(on.mean(), 0.08)
        slope = np.hypot(*np.gradient(raw["height"], dx))
        # it falls with the land, whose relief is a fourteenth of its length
        self.assertLess(float(np.percentile(slope[on], 95)), 1 / 14)
        heaped = (raw["height"] - before)[raw["plain"] == 0] > 1
        self.assertLess(heaped.mean(), 0.01, "hardly anything is heaped up")
        far = raw["height"] == before
        self.assertGreater(far.mean(), 0.3, "what the river has not come to is as it was")

    def test_terraces_are_steps_of_their_height(self):
        raw, _, _ = self.made("level", terraces=3, riser=10.0, sunk=60.0, old=0.0, levee=0.0)
        flat = np.round(raw["height"][raw["water"] == 0] - np.median(raw["height"][raw["plain"] > 0.99])).astype(int)
        counts = [int((np.abs(flat - 10 * k) <= 1).sum()) for k in range(4)]
        between = int((np.abs(flat - 5) <= 1).sum())
        self.assertGreater(min(counts[:3]), 3 * between)

    def test_bars_lie_inside_bends_and_old_channels_hold_water_only_while_they_are_young(self):
        raw, _, _ = self.made("level", old=1.0, wound=2.1)
        sand = raw["bars"] > 0.3
        self.assertGreater(sand.sum(), 100)
        self.assertGreater(((raw["old"] > 0.5) & (raw["depth"] > 0)).sum(), 50, "cut-off lakes")
        self.assertGreater(((raw["old"] > 0.3) & (raw["depth"] == 0)).sum(), 50, "and dry ones")
        dry, _, _ = self.made("level", filled=0.0)
        self.assertEqual(float(dry["water"].max()), 0.0)

    def test_a_drawn_river_begins_where_it_was_drawn_on_any_site(self):
        for size in (100.0, 100_000.0):
            line = ((0.2 * size, 0.3 * size), (0.5 * size, 0.55 * size), (0.75 * size, 0.5 * size))
            raw, _, dx = self.made(
                "level", site=Site("S", size, size), line=line, width=0.012 * size, plain=0.1 * size, wound=1.3
            )
            rows, columns = np.nonzero(raw["water"] > 0.5)
            self.assertLess(abs(columns.min() * dx - 0.2 * size), 0.06 * size)
            self.assertLess(abs(columns.max() * dx - 0.75 * size), 0.06 * size)
