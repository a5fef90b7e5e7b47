"""What rain erosion adds to its water's own cuts: ravines on steep ground, beds that rivers run in."""

import unittest

import numpy as np
from support import chain, result

from gelande.core.evaluate.executor import Cache, Evaluator
from gelande.core.recipe.site import GLOBAL_LEVEL
from gelande.core.regenerate.drainage import drainage_of
from gelande.kernels.beds import LIP, SINK, fine_beds
from gelande.kernels.flow import network
from gelande.kernels.grid_window import GridWindow
from gelande.kernels.ravines import ravines

SAMPLES, DX, INNER = 257, 8.0, slice(20, -20)
#: Rise over run of a river that stands.
LEVEL = 1e-5


def plane(rise, n=SAMPLES):
    """Land that rises to the north, metres."""
    return np.repeat(np.arange(n, dtype=np.float32)[::-1, None] * np.float32(rise * DX), n, 1)


def dug(ground, laid=0.0, soft=1.0, wet=1.0, fraction=0.5, down=0.0):
    """What ravines take away from the edge, where a plane bends."""
    maps = (np.full_like(ground, a) for a in (laid, soft, wet))
    return ravines(ground, *maps, 60.0, fraction, down, 2048.0, DX, 4)[INNER, INNER]


def rivers(h, dx, least):
    """(which samples drain so many m², away from the edge; rise over run of all)."""
    area, _, slope, _ = network(np.ascontiguousarray(h, np.float32), dx)
    found, inner = area.reshape(h.shape) > least, round(64 / dx)
    found[:inner], found[-inner:], found[:, :inner], found[:, -inner:] = False, False, False, False
    return found, slope.reshape(h.shape)


def mean_slope(h, dx=DX):
    return float(np.hypot(*np.gradient(h, dx)).mean())


class RavineTest(unittest.TestCase):
    def test_they_run_down_the_slope(self):
        along, across = np.gradient(dug(plane(0.5)))
        # Small ones run down the sides of large ones, a little across.
        self.assertGreater(float(np.abs(across).mean()), 1.4 * float(np.abs(along).mean()))

    def test_they_take_more_than_their_crests_stand_above_the_ground(self):
        taken = dug(plane(0.5))
        self.assertGreater(float(taken.mean()), 0.2)
        self.assertLess(float(-taken.min()), float(taken.max()))
        self.assertLess(float(taken.max()), 0.5 * 72)

    def test_level_ground_buried_ground_hard_rock_and_dry_land_have_none(self):
        steep = float(np.abs(dug(plane(0.5))).max())
        for what in (
            dug(plane(0.0)),
            dug(plane(0.5), laid=60.0),
            dug(plane(0.5), soft=0.0),
            dug(plane(0.5), wet=0.0),
            dug(plane(0.5), fraction=0.0),
        ):
            self.assertLess(float(np.abs(what).max()), 1e-3 * steep)

    def test_the_steepest_ground_is_not_made_steeper(self):
        self.assertGreater(mean_slope(plane(0.4)[INNER, INNER] - dug(plane(0.4))), 0.43)
        self.assertEqual(float(np.abs(dug(plane(1.3))).max()), 0.0)

    def test_deeper_for_a_greater_share(self):
        shallow, deep = (float(dug(plane(0.4), fraction=s).std()) for s in (0.2, 0.5))
        self.assertGreater(deep, 1.5 * shallow)

    def test_where_land_is_worn_down_large_ones_go_before_small_ones(self):
        young, old = (dug(plane(0.4), down=d) for d in (0.0, 1.0))
        fine = [float(np.abs(np.diff(a, 2, axis=1)).mean() / a.std()) for a in (young, old)]
        self.assertLess(float(old.std()), 0.8 * float(young.std()))
        self.assertGreater(fine[1], 1.1 * fine[0])


class NodeTest(unittest.TestCase):
    def eroded(self, **params):
        recipe, (_, rain) = chain("ridge_noise", "rain_erosion", ridge_noise={"seed": 4}, rain_erosion=params)
        return recipe, rain

    def test_the_parameter_says_how_deep_ravines_are(self):
        def rough(**params):
            recipe, rain = self.eroded(**params)
            h = result(recipe, rain, GLOBAL_LEVEL)["height"]
            return float(np.abs(np.diff(h, 2, axis=0)).mean())

        none, half, most = (rough(ravines=v) for v in (0.0, 0.5, 1.0))
        self.assertGreater(half, 1.1 * none)
        self.assertGreater(most, 1.1 * half)

    def test_rivers_fall_all_the_way_in_narrow_beds(self):
        """Of the cells that drain a large area few stand in pools; and beside them the land rises."""
        recipe, rain = self.eroded()
        engine = Evaluator(Cache(1_000_000_000))
        h, dx = result(recipe, rain, GLOBAL_LEVEL, engine)["height"], recipe.site.spacing(GLOBAL_LEVEL)
        river, slope = rivers(h, dx, 2000 * dx * dx)
        self.assertGreater(int(river.sum()), 500)
        self.assertLess(float((slope[river] <= LEVEL).mean()), 0.1)
        r, c = np.nonzero(river)
        above = [np.maximum(h[r, c + k], h[r, c - k]) - h[r, c] for k in (1, 4)]
        self.assertGreater(float(np.median(above[1])), 2.0)
        self.assertGreater(float(above[1].mean()), 1.5 * float(above[0].mean()))
        self.assertGreater(drainage_of(h, dx).concavity, 0.38)
        for level, most in (
            (GLOBAL_LEVEL + 1, 0.05),
            (GLOBAL_LEVEL + 2, 0.15),
        ):  # what is finer on the ground does not dam them
            fine = result(recipe, rain, level, engine)["height"]
            river, slope = rivers(fine, recipe.site.spacing(level), 2000 * dx * dx)
            self.assertLess(float((slope[river] <= LEVEL).mean()), most, level)


class FineBedTest(unittest.TestCase):
    #: x0, y0, x1, y1, bed0, bed1: two pieces of a river that falls to the east over a plain.
    RIVER = np.array([[20.0, 60.0, 64.0, 70.0, 50.0, 49.0], [64.0, 70.0, 110.0, 58.0, 49.0, 48.0]])

    def bedded(self, ground, window=None):
        window = window or GridWindow.of(ground.shape)
        return fine_beds(window.cut(ground, GridWindow.of(ground.shape)), self.RIVER, 60.0, 1.0, 2, window)

    def test_bumps_and_dips_on_a_river_are_evened_out_and_nothing_else_is_changed(self):
        bed = np.interp(np.arange(129), [20, 64, 110], [50, 49, 48]).astype(np.float32)
        ground = np.repeat(bed[None] + np.float32(0.3), 129, 0)
        ground[:, ::7] += 0.9  # a plain with walls and ditches across it
        ground[:, 3::7] -= 0.6
        out, x = self.bedded(ground), np.arange(22, 109)
        y = np.rint(np.interp(x, [20, 64, 110], [60, 70, 58])).astype(int)
        lip = LIP * 4 + SINK * 60  # as broad as the last whole level's samples, and a little lower
        self.assertLess(float(np.abs(out[y, x] - bed[x] + lip).max()), 2 * LIP)
        self.assertLess(float(np.diff(out[y, x]).max()), LIP, "it rises but from one nearest sample to a next one")
        self.assertGreater(float(np.diff(ground[y, x]).max()), 0.5)
        rows, columns = np.mgrid[0:129, 0:129]
        np.testing.assert_array_equal(out[abs(rows - 64) > 9], ground[abs(rows - 64) > 9])
        np.testing.assert_array_equal(out[(columns < 18) | (columns > 112)], ground[(columns < 18) | (columns > 112)])

    def test_no_deeper_than_beds_are_and_the_same_in_any_part(self):
        ground = np.full((129, 129), 90.0, np.float32)
        out = self.bedded(ground)
        self.assertGreater(float(out.min()), 87.0, "a hill is not cut through")
        part = GridWindow(40, 50, 33, 41, 129, 129)
        np.testing.assert_array_equal(self.bedded(ground, part), out[40:73, 50:91])


if __name__ == "__main__":
    unittest.main()
