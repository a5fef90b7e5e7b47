"""What rain erosion adds to its water's own cuts: ravines on steep ground, beds that rivers run in."""

import unittest

import numpy as np
from support import chain, result

from gelande.core.drainage import drainage_of
from gelande.core.evaluate import Cache, Evaluator
from gelande.core.site import MAPPED
from gelande.kernels.flow import network
from gelande.kernels.ravines import ravines

SAMPLES, DX, INNER = 257, 8.0, slice(20, -20)


def plane(rise, n=SAMPLES):
    """Land that rises to the north, metres."""
    return np.repeat(np.arange(n, dtype=np.float32)[::-1, None] * np.float32(rise * DX), n, 1)


def dug(ground, laid=0.0, soft=1.0, wet=1.0, share=0.5, down=0.0):
    """What ravines take away from the edge, where a plane bends."""
    maps = (np.full_like(ground, a) for a in (laid, soft, wet))
    return ravines(ground, *maps, 60.0, share, down, 2048.0, DX, 4)[INNER, INNER]


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
            dug(plane(0.5), share=0.0),
        ):
            self.assertLess(float(np.abs(what).max()), 1e-3 * steep)

    def test_the_steepest_ground_is_not_made_steeper(self):
        self.assertGreater(mean_slope(plane(0.4)[INNER, INNER] - dug(plane(0.4))), 0.43)
        self.assertEqual(float(np.abs(dug(plane(1.3))).max()), 0.0)

    def test_deeper_for_a_greater_share(self):
        shallow, deep = (float(dug(plane(0.4), share=s).std()) for s in (0.2, 0.5))
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
            h = result(recipe, rain, MAPPED)["height"]
            return float(np.abs(np.diff(h, 2, axis=0)).mean())

        none, half, most = (rough(ravines=v) for v in (0.0, 0.5, 1.0))
        self.assertGreater(half, 1.1 * none)
        self.assertGreater(most, 1.1 * half)

    def test_rivers_fall_all_the_way_in_narrow_beds(self):
        """Of the cells that drain a large area few stand in pools; and beside them the land rises."""
        recipe, rain = self.eroded()
        engine = Evaluator(Cache(1_000_000_000))
        h, dx = result(recipe, rain, MAPPED, engine)["height"], recipe.site.spacing(MAPPED)
        area, _, slope, _ = network(np.ascontiguousarray(h, np.float32), dx)
        river = area.reshape(h.shape) > 2000 * dx * dx
        river[:8], river[-8:], river[:, :8], river[:, -8:] = False, False, False, False
        self.assertGreater(int(river.sum()), 500)
        pools = float((slope.reshape(h.shape)[river] <= 1e-5).mean())
        self.assertLess(pools, 0.1)
        r, c = np.nonzero(river)
        above = [np.maximum(h[r, c + k], h[r, c - k]) - h[r, c] for k in (1, 4)]
        self.assertGreater(float(np.median(above[1])), 2.0)
        self.assertGreater(float(above[1].mean()), 1.5 * float(above[0].mean()))
        self.assertGreater(drainage_of(h, dx).concavity, 0.38)


if __name__ == "__main__":
    unittest.main()
