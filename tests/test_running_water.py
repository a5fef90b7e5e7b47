"""Streams and lakes at every detail: beds fall, courses end in water or at the edge, and no shore has a gap."""

import unittest

import numpy as np
from scipy.ndimage import map_coordinates
from support import DEMO, chain, result, slow

from gelande.core.evaluate.executor import Cache, Evaluator, Job
from gelande.core.recipe import graph
from gelande.core.recipe.recipefile import load
from gelande.core.recipe.site import Site
from gelande.kernels.water import DRY, dammed


class StreamTest(unittest.TestCase):
    def falls(self, recipe, node, engine, levels=(3, 4, 5)):
        for level in levels:
            height, raw = result(recipe, node, level, engine)["height"], engine.raw(Job(recipe), node, level)
            dx, pieces = recipe.site.spacing(level), raw["_pieces"]
            a, b = (map_coordinates(height, pieces[:, k : k + 2].T[::-1] / dx, order=1, mode="nearest") for k in (0, 2))
            dry = pieces[:, 9] > 0.5
            self.assertGreater(dry.sum(), 100)
            self.assertLessEqual(float((b - a)[dry].max()), 0.01, f"beds rise at level {level}")
            self.ends(recipe, pieces, height, raw["_near"], dx)

    def ends(self, recipe, pieces, height, near, dx):
        starts = {tuple(p) for p in pieces[:, :2].round(3)}
        last = np.array([p for p in pieces[:, 2:4] if tuple(p.round(3)) not in starts])
        x, y = last.T
        edge = np.minimum(np.minimum(x, y), np.minimum(recipe.site.width - x, recipe.site.depth - y)) < 1.5 * dx
        r, c = (np.clip(np.rint(v / dx).astype(int), 0, n - 1) for v, n in zip((y, x), height.shape))
        self.assertTrue((edge | (near[r, c] > height[r, c])).all(), "a course ends on dry land")

    @slow
    def test_beds_fall_at_every_detail_and_end_at_the_edge_or_in_water(self):
        for seed, base in ((1, 64), (2, 32), (3, 32), (4, 32)):
            with self.subTest(seed=seed):
                kinds, site = ("fractal_noise", "rain_erosion", "stream_channels"), Site("Test", base=base)
                recipe, ids = chain(*kinds, site=site, fractal_noise={"seed": seed})
                self.falls(recipe, ids[-1], Evaluator(Cache(4_000_000_000)))

    @slow
    def test_so_they_do_in_the_examples(self):
        engine = Evaluator(Cache(4_000_000_000))  # some have their land in common
        for path in sorted(DEMO.parent.glob("*.gelande")):
            recipe = load(path)
            for node in (n for n, s in recipe.nodes.items() if s.kind == "stream_channels"):
                with self.subTest(path.name):
                    self.falls(recipe, node, engine, (4,) if path == DEMO else (3,))

    def test_hollows_are_drained_or_hold_water_by_their_depth(self):
        recipe, (noise, streams) = chain("fractal_noise", "stream_channels")
        standing = []
        for sills in (0.0, 25.0, 500.0):
            found = Evaluator().raw(Job(graph.set_param(recipe, streams, "sills", sills)), streams, 2)
            standing.append(int((found["_near"] > found["height"]).sum()))
        self.assertGreater(standing[0], standing[1])
        self.assertEqual(standing[2], 0, "every sill is cut through")
        dry = result(graph.set_param(recipe, streams, "stands", False), streams, 2)
        wet = result(recipe, streams, 2)
        self.assertLess((dry["_surface"] > DRY).sum(), (wet["_surface"] > DRY).sum())
        np.testing.assert_array_equal(dry["height"], wet["height"])


class LakeTest(unittest.TestCase):
    @slow
    def test_no_shore_lies_lower_than_its_water_at_any_detail(self):
        recipe, (_, lakes) = chain("fractal_noise", "lakes")
        engine = Evaluator(Cache(4_000_000_000))
        flat = None
        for level in (3, 4, 5):
            raw = engine.raw(Job(recipe), lakes, level)
            height, surface = raw["height"], raw["_surface"]
            wet = surface > DRY
            for axis in (0, 1):
                for way in (1, -1):
                    beside = np.roll(np.where(wet, surface, np.float32(DRY)), way, axis)
                    inner = (slice(1, -1), slice(1, -1))
                    low = (beside > height + 0.05) & ~wet
                    self.assertEqual(int(low[inner].sum()), 0, f"a gap in a shore at level {level}")
            levels = set(np.unique(surface[wet]))
            self.assertLessEqual(levels, flat or levels, "the same flat surfaces at every detail")
            flat = flat or levels

    def test_a_mask_says_which_hollows_hold_water(self):
        recipe, (noise, lakes, band) = chain("fractal_noise", "lakes", "height_band")
        recipe = graph.link(graph.unlink(recipe, band, "height"), noise, "height", band, "height")
        every = result(recipe, lakes, 2)
        middle = float(np.median(every["_surface"][every["_surface"] > DRY]))
        for key, value in (("low", middle), ("high", 9000.0), ("falloff", 1.0)):
            recipe = graph.set_param(recipe, band, key, value)
        some = result(graph.link(recipe, band, "mask", lakes, "holds"), lakes, 2)
        held, were = (set(np.unique(a["_surface"][a["_surface"] > DRY])) for a in (some, every))
        self.assertTrue(held and held < were, "some of the same lakes")
        self.assertGreater(min(held), middle - 60)

    def test_a_gap_is_closed_and_falls_off_outwards(self):
        ground = np.full((9, 40), 5, np.float32)
        ground[:, :10], ground[4, 10] = 0.0, 3.0
        ground[:, 11:] = 1.0
        surface = np.full_like(ground, DRY)
        surface[:, :10] = 4.0
        made = dammed(ground, surface, 1.0)
        self.assertEqual(float(made[4, 10]), 4.0)
        self.assertTrue(((made - ground)[:, 17:] == 0).all(), "nothing is raised far away")
        self.assertLessEqual(float(np.abs(np.diff(made[4, 10:16])).max()), 3.0)
        np.testing.assert_array_equal(made[:, :10], ground[:, :10])


if __name__ == "__main__":
    unittest.main()
