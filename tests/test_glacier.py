"""Glaciers: ice that flows downhill and ends where it melts, troughs that are U-shaped, form that is kept."""

import unittest

import numpy as np
from scipy.ndimage import gaussian_filter
from support import chain

from gelande.core.errors import Stopped
from gelande.core.evaluate.executor import Evaluator, Job
from gelande.core.recipe.site import Site
from gelande.kernels.ice import Glacier, carved, flowed

N, DX, LENGTH = 129, 32.0, 4096.0
WHOLE = Glacier(110.0, 800.0, LENGTH)


def dale(seed: int, walls: float = 0.45) -> np.ndarray:
    """A V-shaped dale that falls to the north, winding, with rough ground."""
    draw = np.random.default_rng(seed)
    y, x = np.mgrid[:N, :N] * DX
    middle = LENGTH / 2 + gaussian_filter(draw.normal(0, 1, N), 14)[:, None] * 900
    wide = np.abs(x - middle)
    rough = gaussian_filter(draw.normal(0, 1, (N, N)), 6) * 60
    return 0.14 * y + np.minimum(walls * wide, 420 + 0.1 * wide) + rough


def exponents(h: np.ndarray, ice: np.ndarray) -> np.ndarray:
    """The exponent b of sections z = a·x^b through a dale, as far as the ice is half as thick as in its middle
    (Svensson 1959)."""
    found = []
    for r in (r for r in range(20, 110, 3) if ice[r].max() > WHOLE.thick):
        lowest, away, up = int(np.argmin(gaussian_filter(h[r], 1))), [], []
        for side in (-1, 1):
            columns = lowest + side * np.arange(1, 14)
            columns = columns[(columns > 0) & (columns < N)]
            columns = columns[ice[r, columns] > 0.5 * ice[r].max()]
            away.append(np.abs(columns - lowest) * DX)
            up.append(h[r, columns] - h[r, lowest])
        x, z = np.concatenate(away), np.concatenate(up)
        found.append(np.polyfit(np.log(x[z > 2]), np.log(z[z > 2]), 1)[0])
    return np.array(found)


class IceTest(unittest.TestCase):
    def test_a_trough_is_u_shaped_in_section(self):
        """Svensson (1959): exponents of about 2; a dale that bends much may stay a little below 1.6."""
        found = []
        for seed in (21, 22, 23, 24, 25):
            h = dale(seed)
            line = np.full(h.shape, h.min() + 0.45 * np.ptp(h))
            cut, ice = carved(h, line, WHOLE._replace(relief=float(np.ptp(h))), 220.0, DX)
            self.assertLess(float(np.median(exponents(h, ice))), 1.2, "it was a V")
            found.append(float(np.median(exponents(h - cut, ice))))
        self.assertTrue(1.6 <= np.median(found) <= 2.2, found)
        self.assertTrue(min(found) > 1.4 and max(found) < 2.2, found)

    def test_ice_is_in_balance_and_ends_below_the_snow_line(self):
        h, dx = dale(4)[::2, ::2].copy(), 2 * DX  # an eighth of the steps, a quarter of the samples
        line = np.full(h.shape, h.min() + 0.8 * np.ptp(h))
        ice = flowed(h, np.zeros_like(h), line, WHOLE, dx, 2.0)
        more = flowed(h, ice, line, WHOLE, dx, 0.5)
        self.assertLess(abs(float(more.sum() / ice.sum()) - 1), 0.05, "it rests")
        lowest = h[1:-1, 1:-1][more[1:-1, 1:-1] > 5].min()
        self.assertLess(lowest, line.min() - 20, "it comes down below the line")
        self.assertGreater(float((more < 1).mean()), 0.2, "and much of the land is free of it")
        self.assertEqual(float(flowed(h, ice, line + 5000, WHOLE, dx, 4.0).max()), 0.0, "in warm times it melts")

    def test_as_much_leaves_a_slab_as_its_slope_and_thickness_carry(self):
        """On an even slope ice is in balance when flux equals what fell above: its thickness at the line is known."""
        y = np.mgrid[:N, :33][0] * DX
        bed = 0.16 * y
        line = np.full(bed.shape, 0.16 * LENGTH / 2)
        ice = flowed(bed, np.zeros_like(bed), line, WHOLE._replace(relief=0.16 * LENGTH), DX, 3.0)
        row = N // 2
        # by hand: what falls above the line, through a section whose flux goes with the fifth power of thickness
        here = bed[row:, 16] + 0.3 * ice[row:, 16] - line[row:, 16]
        fed = float(np.minimum(here, 0.35 * 0.16 * LENGTH).sum() * DX)
        usual = 0.35 * 0.16 * LENGTH * 0.22 * LENGTH
        slope = abs(float(np.gradient(bed[:, 16] + ice[:, 16], DX)[row]))
        known = WHOLE.thick * (fed / usual / (slope / 0.16) ** 3) ** 0.2
        self.assertLess(abs(float(ice[row, 16]) / known - 1), 0.08)

    def test_a_stop_is_seen(self):
        with self.assertRaises(Stopped):
            carved(dale(1), np.full((N, N), 300.0), WHOLE, 100.0, DX, np.ones(1, np.uint8))


class GlacierTest(unittest.TestCase):
    def made(self, *before, level=3, site=None, **params):
        recipe, ids = chain(*before, "glacier", site=site or Site("Ice"), glacier=params)
        engine, job = Evaluator(), Job(recipe)
        return engine.result(job, ids[-1], level), engine.result(job, ids[-2], level)["height"]

    def test_summits_and_low_ground_stay_and_the_cut_is_as_deep_as_asked_at_most(self):
        """The bars of form: summits lose 8 % of the relief at most, nothing sinks far below the lowest ground."""
        for land in ("massif", "ridge_noise", "plateau", "fractal_noise"):
            for seed in (31, 32):
                recipe, ids = chain(land, "glacier", **{land: {"seed": seed}}, glacier={"left": 0.0, "moraine": 0.0})
                engine, job = Evaluator(), Job(recipe)
                after, before = (engine.result(job, n, 3)["height"] for n in ids[::-1])
                relief = float(np.ptp(before))
                with self.subTest(land=land, seed=seed):
                    lost = np.percentile(before, 99.9) - np.percentile(after, 99.9)
                    self.assertLess(float(lost) / relief, 0.08)
                    self.assertLess(float((before - after).max()), 1.6 * 120 + 0.1 * relief)
                    broad = [gaussian_filter(h, 513 / 24).ravel() for h in (before, after)]
                    self.assertGreater(float(np.corrcoef(*broad)[0, 1]), 0.95)

    def test_a_plain_below_mountains_is_not_drowned(self):
        for land in ("ring_wall", "cone"):
            found, before = self.made(land, left=1.0)
            self.assertTrue(0.02 < found["ice"].mean() < 0.6, (land, found["ice"].mean()))
            self.assertEqual(float(found["ice"][0].max()), 0.0, "none at the site's edge")

    def test_ice_lies_on_the_land_and_moraines_at_its_edge(self):
        found, _ = self.made("ridge_noise", left=1.0, moraine=20.0)
        bare, _ = self.made("ridge_noise", left=0.0, moraine=20.0)
        ice = found["ice"] > 0.5
        self.assertGreater(ice.mean(), 0.05)
        self.assertTrue((found["height"][ice] > bare["height"][ice] - 9).all())
        self.assertEqual(float(bare["ice"].max()), 0.0)
        heaped, _ = self.made("ridge_noise", left=0.0, moraine=0.0)
        self.assertTrue(10 < float((bare["height"] - heaped["height"]).max()) < 32)

    def test_snow_that_falls_on_one_side_alone_makes_ice_there_alone(self):
        recipe, ids = chain("cone", "facing")
        from gelande.core.recipe import graph

        recipe, node = graph.add(recipe, "glacier")
        recipe = graph.link(recipe, ids[0], "height", node, "height")
        recipe = graph.set_param(recipe, node, "left", 1.0)
        free = Evaluator().result(Job(recipe), node, 2)["cut"]
        shaded = Evaluator().result(Job(graph.link(recipe, ids[1], "mask", node, "snow")), node, 2)["cut"]
        self.assertLess(float(shaded.sum()), 0.8 * float(free.sum()))
