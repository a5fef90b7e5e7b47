"""Rain erosion: mass, prefix, lakes, tiles, figures of real land."""

import unittest

import numpy as np
from support import chain, result

from gelande.core import graph
from gelande.core.evaluate import Cache, Evaluator, Job
from gelande.core.site import Site
from gelande.kernels import erosion, flow, noise

STOP = np.zeros(1, np.uint8)


def ground(n=129, dx=32.0, tall=500.0, seed=3):
    return noise.fractal((n, n), (0, 4096), dx, 1400, 7, seed=seed) * np.float32(tall) + np.float32(tall)


def once(h, steps=6, strength=0.05, dx=32.0, ease=0.5):
    ones = np.ones_like(h)
    return erosion.erode_global(h, ones, ones, steps, strength, 180.0, ease, dx, 5, STOP, np.zeros(1, np.int64))


class KernelTest(unittest.TestCase):
    def test_what_is_worn_is_laid_down_or_leaves(self):
        h = ground()
        out, worn, laid, _ = once(h)
        np.testing.assert_allclose(out - h, laid - worn, atol=2e-2)
        self.assertGreater(worn.sum(), laid.sum(), "more cannot be laid than was worn")
        self.assertGreater(laid.sum(), 0.05 * worn.sum())

    def test_worn_and_laid_are_never_negative(self):
        _, worn, laid, _ = once(ground())
        self.assertGreaterEqual(float(min(worn.min(), laid.min())), 0.0)

    def test_water_wears_valleys_not_crests(self):
        h = ground()
        _, worn, _, area = once(h)
        self.assertGreater(worn[area > np.percentile(area, 95)].mean(), 1.5 * worn[area < np.percentile(area, 30)].mean())

    def test_hollows_fill(self):
        h = ground()
        deep = lambda a: float((flow.drainage(a, 32.0)[1] - a).sum())
        self.assertLess(deep(once(h, 12)[0]), 0.5 * deep(h))

    def test_lake_floors_come_out_level(self):
        y, x = np.mgrid[0:65, 0:65].astype(np.float32)
        h = np.minimum(200.0, 4 * np.hypot(x - 32, y - 32)).astype(np.float32) + 20 * np.float32(np.sin(x / 5))
        floor = flow.drainage(h, 32.0)[1] > h + 1
        out, _, laid, _ = once(h, 20, strength=0.5)
        self.assertTrue(floor.any())
        self.assertLess(float(out[floor].std()), float(h[floor].std()))

    def test_hard_rock_is_worn_less(self):
        h, ones = ground(), np.ones((129, 129), np.float32)
        soft = once(h)[1].sum()
        hard = erosion.erode_global(h, ones * np.float32(0.1), ones, 6, 0.05, 180.0, 0.5, 32.0, 5, STOP, np.zeros(1, np.int64))[1].sum()
        self.assertLess(hard, 0.5 * soft)

    def test_tiles_are_the_whole(self):
        h = ground(1400, 8.0)
        ones = np.ones_like(h)
        tiled = erosion.erode_local(h, ones, ones, 2, 0.05, 180.0, 0.5, 8.0, 5, STOP)[0]
        parts, whole = [np.zeros_like(h) for _ in range(3)], h.copy()
        erosion.local_steps(whole, ones, ones * np.float32(64.0), 2, 0.05, 180.0, 0.5, 8.0, 5, 0, 0, *parts, STOP)
        self.assertGreater(h.shape[0], erosion.LARGE_TILE[0], "more than one tile")
        self.assertLess(float(np.abs(tiled - whole).max()), 0.05)
        self.assertLess(float(np.sqrt(((tiled - whole) ** 2).mean())), 1e-3)

    def test_a_stop_ends_it_early(self):
        h = ground()
        shown = np.zeros(1, np.int64)
        ones = np.ones_like(h)
        erosion.erode_global(h, ones, ones, 500, 0.05, 180.0, 0.5, 32.0, 5, np.ones(1, np.uint8), shown)
        self.assertEqual(int(shown[0]), 0)


class NodeTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.recipe, (cls.noise, cls.rain) = chain("fractal_noise", "rain_erosion", fractal_noise={"relief": 800.0})
        cls.evaluator = Evaluator(Cache(3_000_000_000))
        cls.fine = result(cls.recipe, cls.rain, 4, cls.evaluator)

    def test_the_513_inside_a_finer_build_is_the_513_build(self):
        inside = self.evaluator.raw(Job(self.recipe), self.rain, 3)["height"]
        alone = Evaluator().raw(Job(self.recipe), self.rain, 3)["height"]
        self.assertEqual(inside.tobytes(), alone.tobytes())

    def test_no_strength_leaves_the_land_alone(self):
        calm = graph.set_param(graph.set_param(self.recipe, self.rain, "strength", 0.0), self.rain, "deposition", 0.0)
        before, after = result(calm, self.noise, 2)["height"], result(calm, self.rain, 2)["height"]
        self.assertLess(float(np.sqrt(((after - before) ** 2).mean())), 0.02 * float(before.max() - before.min()))

    def test_no_single_sample_pits_or_spikes(self):
        h = self.fine["height"]
        ring = np.stack([np.roll(np.roll(h, j, 0), i, 1) for j in (-1, 0, 1) for i in (-1, 0, 1) if j or i])[:, 2:-2, 2:-2]
        inner = h[2:-2, 2:-2]
        limit = 0.5 * self.recipe.site.spacing(4)
        self.assertLess(float((inner > ring.max(0) + limit).mean()), 1e-4)
        self.assertLess(float((inner < ring.min(0) - limit).mean()), 1e-4)

    def test_gullies_have_no_favourite_direction(self):
        flow_mask = self.fine["flow"] > 0.25
        gy, gx = np.gradient(self.fine["flow"])
        angle = np.degrees(np.arctan2(gy, gx)[flow_mask & (np.hypot(gx, gy) > 0.02)]) % 90
        counts, _ = np.histogram(angle, bins=9, range=(0, 90))
        self.assertLess(counts.max() / counts.mean(), 3.0)

    def test_sites_of_all_sizes(self):
        for side in (100.0, 100_000.0):
            recipe, (_, rain) = chain("fractal_noise", "rain_erosion", site=Site("Any", side, side))
            out = result(recipe, rain, 3)
            self.assertTrue(np.isfinite(out["height"]).all())
            self.assertTrue(0.05 < out["wear"].mean() < 0.98, (side, out["wear"].mean()))

    def test_a_masked_pass_keeps_the_tops(self):
        recipe = self.recipe
        for key, value in (("where", "Height"), ("where_low", -100.0), ("where_high", 300.0), ("where_falloff", 40.0)):
            recipe = graph.set_param(recipe, self.rain, key, value)
        before, after = result(recipe, self.noise, 3)["height"], result(recipe, self.rain, 3)["height"]
        np.testing.assert_array_equal(after[before > 345], before[before > 345])


if __name__ == "__main__":
    unittest.main()
