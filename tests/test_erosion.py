"""Rain erosion: mass, prefix, lakes, tiles, figures of real land."""

import os
import tempfile
import unittest
from pathlib import Path
from types import SimpleNamespace
from unittest import mock

import numpy as np
import scipy.ndimage as ndi
from support import chain, drainage, result, slow

from gelande import prepare
from gelande.core.evaluate.executor import Cache, Evaluator, Job
from gelande.core.recipe import graph
from gelande.core.recipe.site import Site
from gelande.kernels import (
    bands,
    channels,
    erosion,
    flow,
    global_erosion,
    lattice,
    local_erosion,
    midpoints,
    noise,
    rain,
    transfer,
    water,
)
from gelande.kernels.grid_window import GridWindow

STOP = np.zeros(1, np.uint8)


def ground(n=129, dx=32.0, tall=500.0, seed=3):
    return noise.fractal((n, n), (0, 4096), dx, 1400, 7, seed=seed) * np.float32(tall) + np.float32(tall)


def once(h, steps=6, strength=0.05, dx=32.0, ease=0.5, carries=0.0, soft=1.0, stop=STOP):
    ones = np.ones_like(h)
    how = erosion.Pass(steps, strength, 180.0, ease, carries, 5)
    return global_erosion.erode_global(h, ones * np.float32(soft), ones, lattice.bent(h.shape, 5), how, dx, stop)


class KernelTest(unittest.TestCase):
    def test_what_is_worn_is_laid_down_or_leaves(self):
        h = ground()
        plot = lattice.bent(h.shape, 5).plot
        for ease, carries in ((0.1, 0.0), (0.5, 0.2), (3.0, 0.01)):
            out, (worn, laid, _, _, lost, *_) = once(h, ease=ease, carries=carries)
            np.testing.assert_allclose(out - h, laid - worn, atol=2e-2)
            w, d = (float((a * plot).sum(dtype=float)) for a in (worn, laid))
            self.assertLess(abs(w - d - lost), 1e-3 * w, "what leaves is counted where it leaves")
            self.assertGreater(lost, 0.1 * w)

    def test_worn_and_laid_are_never_negative(self):
        _, (worn, laid, *_) = once(ground(), carries=0.02)
        self.assertGreaterEqual(float(min(worn.min(), laid.min())), 0.0)

    def test_water_wears_valleys_not_crests(self):
        h = ground()
        _, (worn, _, _, area, *_) = once(h)
        self.assertGreater(
            worn[area > np.percentile(area, 95)].mean(), 1.5 * worn[area < np.percentile(area, 30)].mean()
        )

    def test_hillsides_follow_the_valleys_at_their_feet_and_hard_rock_stands_steeper(self):
        h = ground(tall=700.0)
        ones = np.ones_like(h)

        def slopes(fails, soft):
            how = erosion.Pass(12, 0.05, 180.0, 0.5, 0.0, 5, 0.6, fails)
            out, moved = global_erosion.erode_global(h, ones * soft, ones, lattice.bent(h.shape, 5), how, 32.0, STOP)
            plot = lattice.bent(h.shape, 5).plot
            worn, laid = (float((a * plot).sum(dtype=float)) for a in moved[:2])
            self.assertLess(abs(worn - laid - moved.left), 1e-3 * worn, "what slid is laid down or leaves")
            return float((np.hypot(*np.gradient(out, 32.0)) > 0.75).mean())

        stands, soft, hard = slopes(0.0, 1.0), slopes(0.5, 1.0), slopes(0.5, 0.2)
        self.assertGreater(stands, 0.1)
        self.assertLess(soft, 0.8 * stands)
        self.assertGreater(hard, 1.3 * soft)

    def test_hollows_are_drained_or_filled_as_wished(self):
        recipe, (_, node) = chain("fractal_noise", "rain_erosion", fractal_noise={"relief": 260, "seed": 5})
        filled = []
        for fraction in (0.0, 1.0):
            wished = graph.set_param(recipe, node, "hollows", fraction)
            filled.append(float(Evaluator(Cache(10**9)).raw(Job(wished), node, 1)["_fill"].mean()))
        self.assertGreater(filled[1], 2 * filled[0])

    def test_a_way_out_is_cut_from_every_hollow_and_nothing_else_is_touched(self):
        h = ground()
        level, way, _, _ = flow.drain(h)
        out = flow.breached(h)
        still, cut = flow.drain(out)[0], h - out
        self.assertGreater(float((level - h).max()), 20.0, "there are hollows")
        np.testing.assert_array_equal(still, out, "no water stands any more")
        self.assertGreaterEqual(float(cut.min()), 0.0)
        self.assertLess(float((cut > 0).mean()), 0.2)
        np.testing.assert_array_equal(flow.breached(out), out)

    def test_noise_is_drained_and_a_crater_keeps_its_rim(self):
        for kind, form, low, high in (
            ("fractal_noise", 1.0, 0.0, 0.25),
            ("ring_wall", 0.0, 0.15, 0.7),
            ("ring_wall", 1.0, 0.5, 0.9),  # a notch is cut, and the rest stays
        ):
            recipe, (land, node) = chain(kind, "rain_erosion", rain_erosion={"strength": 0.3, "form": form})
            before, after = (result(recipe, n, 2)["height"] for n in (land, node))
            deep = [float((flow.drain(a)[0] - a).max()) for a in (before, after)]
            self.assertTrue(low <= deep[1] / deep[0] <= high, (kind, form, deep))

    def test_hollows_fill(self):
        h = ground()
        deep = lambda a: float((drainage(a, 32.0)[1] - a).sum())
        self.assertLess(deep(once(h, 12)[0]), 0.5 * deep(h))

    def test_lake_floors_come_out_level(self):
        y, x = np.mgrid[0:65, 0:65].astype(np.float32)
        h = np.minimum(200.0, 4 * np.hypot(x - 32, y - 32)).astype(np.float32) + 20 * np.float32(np.sin(x / 5))
        floor = drainage(h, 32.0)[1] > h + 1
        out = once(h, 20, strength=0.5)[0]
        self.assertTrue(floor.any())
        self.assertLess(float(out[floor].std()), float(h[floor].std()))

    def test_hard_rock_is_worn_less(self):
        h = ground()
        self.assertLess(once(h, soft=0.1)[1].worn.sum(), 0.5 * once(h)[1].worn.sum())

    def test_fans_lie_where_a_slope_ends(self):
        y, x = np.mgrid[0:129, 0:129].astype(np.float32)
        foot = 60.0
        h = np.maximum(0, foot - y) * np.float32(12.0) + ground(tall=6.0)  # a mountain side to the north of a plain
        bound, free = (once(h, 12, carries=c, ease=0.0)[1].laid for c in (0.1, 0.0))
        near = (y > foot) & (y < foot + 12)
        self.assertGreater(
            float(bound[near].mean()), 3 * float(bound[y > foot + 30].mean()), "what the slope gave lies at its foot"
        )
        self.assertGreater(float(bound[near].mean()), 0.5, "metres")
        self.assertGreater(float(bound[near].mean()), 5 * float(free[near].mean()))
        # A fan is a heap one can see, no dam: where it lies, no neighbour stands a tenth of a cell above another.
        out = once(h, 12, carries=0.1, ease=0.0)[0]
        across = np.abs(np.diff(out, axis=1))[near[:, 1:]]
        self.assertLess(float(np.percentile(across, 99)), 0.2 * 32.0)

    def test_a_cut_runs_up_the_whole_river_within_a_step(self):
        """Braun and Willett (2013): h = (before + c * receiver after) / (1 + c), from the outlet up."""
        n, c = 40, 4.0
        wanted = np.linspace(80.0, 0.0, n)
        wanted[-2:] = -100.0  # the base level has fallen
        first = np.append(np.arange(1, n), -1).astype(np.int32)
        rates, cells = np.zeros((n, erosion.RATES), np.float32), np.zeros((n, 8), np.float32)
        rates[:, erosion.PULL1], rates[:, erosion.BEARS] = c / (1 + c), 1e6
        cells[:, erosion.HEIGHT] = cells[:, erosion.WATER] = wanted
        for p in range(n - 2, -1, -1):
            wanted[p] = (wanted[p] + c * wanted[p + 1]) / (1 + c)
        erosion.incise(first, first, np.ones(n, np.float32), cells, rates, 0.0, STOP)
        np.testing.assert_allclose(cells[:, erosion.FRESH], wanted, atol=1e-3)
        lake = cells.copy()
        lake[-2:, erosion.WATER] = 1.0  # water stands over the fallen bed: nothing is cut below it
        erosion.incise(first, first, np.ones(n, np.float32), lake, rates, 0.0, STOP)
        self.assertGreater(float(lake[: n - 2, erosion.FRESH].min()), 1.0)

    def test_a_fine_level_cuts_towards_what_was_there_before(self):
        """h = (before + c * receiver before) / (1 + c), c by the root of the area, of up to 64 cells. A tile's
        halo, in which other cells are cut, is not left behind."""
        n, strength, dx = 100, 0.3, 2.0
        before, area = np.linspace(400.0, 0.0, n) ** 1.1, np.minimum(np.arange(1, n + 1), 64) * dx * dx
        first, cells = np.append(np.arange(1, n), -1).astype(np.int32), np.zeros((n, 8), np.float32)
        cells[:, erosion.HEIGHT], cells[:, erosion.AREA] = before, dx * dx
        cells[:, erosion.GIVE] = cells[:, erosion.SHARE] = 1.0
        cells[:, local_erosion.WAYS] = 4 + 16 * flow.NONE  # to the east
        local_erosion.sweep(first, first, cells, (strength, 0.0, 0.0, 1e6), 0.0, dx, STOP)
        c = strength * np.sqrt(area[:-1]) / dx
        np.testing.assert_allclose(cells[:, erosion.AREA], area, rtol=1e-5)
        np.testing.assert_allclose(cells[:-1, erosion.FRESH], (before[:-1] + c * before[1:]) / (1 + c), rtol=1e-5)
        # What a cell cuts and what of it goes on is what the next is given, but for what is forgotten on the way.
        carried = 0.0
        for cut in before[:-1] - cells[:-1, erosion.FRESH]:
            carried = (carried + cut) * local_erosion.CARRY
        self.assertAlmostEqual(float(cells[-1, erosion.LOAD]), carried, delta=1e-3 * carried)

    @slow
    def test_tiles_are_the_whole(self):
        h = ground(1400, 8.0)
        ones = np.ones_like(h)
        how = erosion.Pass(2, 0.05, 180.0, 0.5, 0.0, 5, 0.6, 0.4)
        tiled, moved = local_erosion.erode_local(
            h, ones, ones, how, 8.0, STOP, GridWindow.of(h.shape), GridWindow.of(h.shape)
        )
        parts, whole, lost = [np.zeros_like(h) for _ in range(4)], h.copy(), np.zeros(1)
        local_erosion.local_steps(
            whole,
            ones,
            ones * np.float32(64.0),
            erosion.repose_drop(ones, how.steep, 8.0),
            2,
            0.05,
            180.0,
            0.5,
            how.steep,
            how.fails,
            8.0,
            5,
            0,
            0,
            (0, 1400, 0, 1400),
            *parts,
            lost,
            local_erosion.buffers(h.shape),
            STOP,
        )
        self.assertGreater(h.shape[0], local_erosion.LARGE_TILE[0], "more than one tile")
        self.assertLess(float(np.abs(tiled - whole).max()), 0.05)
        self.assertLess(float(np.sqrt(((tiled - whole) ** 2).mean())), 1e-3)
        self.assertAlmostEqual(moved.left / float(lost[0]), 1.0, places=3)

    def test_a_change_carried_up_is_as_rough_between_its_samples_as_at_them(self):
        rough = np.random.default_rng(4).standard_normal((65, 65)).astype(np.float32)
        rough[:, 40:] = np.linspace(0, 50, 65, dtype=np.float32)[:, None]  # a smooth slope beside it
        raised, off = transfer.up_kept(rough), transfer.up(midpoints.roughness(rough), smooth=False)
        out = midpoints.displaced(raised, off, GridWindow.of(raised.shape), 3)
        np.testing.assert_allclose(out[20:-20, 100:], raised[20:-20, 100:], atol=1e-3)

        def bends(h):  # at the coarser level's columns over between them
            bend = np.abs(np.diff(h[::2, :70].astype(float), 2, axis=1)).mean(0)
            return bend[1::2].mean() / bend[::2].mean()

        self.assertGreater(bends(raised), 2)
        self.assertLess(bends(out), 1.5)
        part = GridWindow(20, 31, 40, 50, 129, 129)
        seen = midpoints.displaced(
            part.cut(raised, GridWindow.of(raised.shape)), part.cut(off, GridWindow.of(off.shape)), part, 3
        )
        np.testing.assert_array_equal(seen[2:-2, 2:-2], out[22:58, 33:79])

    def test_a_stop_ends_it_early(self):
        with self.assertRaises(bands.Stopped):  # in full it takes hours
            once(ground(), 500_000, stop=np.ones(1, np.uint8))

    def test_what_a_stop_leaves_unfinished_is_read_by_nobody(self):
        stop, h, ones = np.ones(1, np.uint8), ground(), np.ones((129, 129), np.float32)
        nothing = np.full_like(h, np.nan)  # what the memory of an unfinished array may hold
        order, parent = np.empty(h.size, np.int32), np.empty(h.size, np.int32)
        self.assertFalse(flow.flood(nothing, nothing.copy(), order, parent, False, stop))
        for run in (
            lambda: rain.erode(rain.Rain(0.5, 60.0, 0.5, 3, 4096.0), h, ones, ones, 0, 32.0, stop),
            lambda: water.filled_depressions(h, stop),
            lambda: channels.courses(h, 32.0, 1e4, 1e6, 20.0, 3.0, 6.0, stop=stop),
            lambda: flow.drain(h, stop=stop),
            lambda: lattice.bent((129, 129), 12_345, stop),
            lambda: noise.fractal((300, 300), (0.0, 0.0), 8.0, 90.0, 4, stop=stop),
        ):
            with self.assertRaises(bands.Stopped):
                run()
        whole = lattice.bent((129, 129), 12_345)
        self.assertTrue(np.isfinite(whole.plot).all() and whole.plot.min() > 0, "an unfinished lattice was not kept")

    def test_machine_code_older_than_any_kernel_is_made_anew(self):
        with tempfile.TemporaryDirectory() as folder:
            made = Path(folder, "__pycache__")
            made.mkdir()
            for name, age in (
                ("flow.py", 100),
                ("__pycache__/flow.flood.nbi", 50),
                ("__pycache__/erosion.steps.1.nbc", 200),
            ):
                Path(folder, name).write_text("")
                os.utime(Path(folder, name), (1e9 - age, 1e9 - age))
            with mock.patch.object(prepare, "kernels", SimpleNamespace(__file__=str(Path(folder, "__init__.py")))):
                prepare.forget_stale()
            self.assertEqual([p.name for p in made.iterdir()], ["flow.flood.nbi"])

    def test_the_lattice_leads_there_and_back_and_keeps_areas_and_edges(self):
        for shape in ((129, 129), (65, 257)):
            bent = lattice.Lattice(shape, 11)
            r, c = np.mgrid[0 : shape[0], 0 : shape[1]].astype(np.float32)
            there = bent.back(list(bent.onto([r, c])))
            self.assertLess(float(np.hypot(there[0] - r, there[1] - c).max()), 0.2)
            self.assertGreater(float(np.hypot(bent.y - r, bent.x - c).mean()), 0.4, "it is bent")
            inner = bent.plot[1:-1, 1:-1]
            self.assertTrue(inner.min() > 0.8 and inner.max() < 1.25, (inner.min(), inner.max()))
            self.assertAlmostEqual(float(bent.plot.sum()), (shape[0] - 1) * (shape[1] - 1), delta=0.5)
            np.testing.assert_allclose(bent.y[[0, -1]], r[[0, -1]], atol=1e-2)
            np.testing.assert_allclose(bent.x[:, [0, -1]], c[:, [0, -1]], atol=1e-2)
            lean = np.degrees(np.arctan2(np.diff(bent.y, axis=1), np.diff(bent.x, axis=1)))[10:-10, 10:-10]
            self.assertGreater(float(lean.std()), 12.0, "its rows run all ways")


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
        ring = np.stack([np.roll(np.roll(h, j, 0), i, 1) for j in (-1, 0, 1) for i in (-1, 0, 1) if j or i])[
            :, 2:-2, 2:-2
        ]
        inner = h[2:-2, 2:-2]
        limit = 0.5 * self.recipe.site.spacing(4)
        self.assertLess(float((inner > ring.max(0) + limit).mean()), 1e-4)
        self.assertLess(float((inner < ring.min(0) - limit).mean()), 1e-4)

    def test_flow_lies_in_the_valleys_and_shows_the_same_lines_at_every_detail(self):
        coarse = result(self.recipe, self.rain, 3, self.evaluator)
        np.testing.assert_allclose(self.fine["flow"][::2, ::2], coarse["flow"], atol=1e-6)
        hollow = ndi.gaussian_filter(coarse["height"], 6) - coarse["height"]  # metres below what lies around
        self.assertGreater(float(hollow[coarse["flow"] > 0.4].mean()), 1.5)
        self.assertTrue(0.01 < (coarse["flow"] > 0.1).mean() < 0.25)

    def test_slopes_do_not_line_up_with_the_grid(self):
        for level in (2, 3, 4):
            south, east = np.gradient(result(self.recipe, self.rain, level, self.evaluator)["height"].astype(float))
            steep = np.hypot(south, east)
            four = float(
                (steep * np.cos(4 * np.arctan2(south, east))).sum() / steep.sum()
            )  # 1: all along rows and columns, -1: all diagonal
            self.assertLess(abs(four), 0.07, f"level {level}")

    def test_coarser_grids_do_not_show(self):
        h, at = self.fine["height"], np.arange(1, self.fine["height"].shape[1] - 1)
        bend = np.abs(np.diff(h.astype(float), 2, axis=1)).mean(0)
        for every in (2, 4, 8):
            self.assertLess(bend[at % every == 0].mean() / bend[at % every > 0].mean(), 1.15, f"every {every}th sample")

    @slow
    def test_sites_of_all_sizes(self):
        for side in (100.0, 100_000.0):
            recipe, (_, rain) = chain("fractal_noise", "rain_erosion", site=Site("Any", side, side))
            out = result(recipe, rain, 3)
            self.assertTrue(np.isfinite(out["height"]).all())
            self.assertTrue(0.05 < out["cut"].mean() < 0.98, (side, out["cut"].mean()))

    def test_a_masked_pass_keeps_the_tops(self):
        recipe = self.recipe
        for key, value in (("where", "height"), ("where_low", -100.0), ("where_high", 300.0), ("where_falloff", 40.0)):
            recipe = graph.set_param(recipe, self.rain, key, value)
        before, after = result(recipe, self.noise, 3)["height"], result(recipe, self.rain, 3)["height"]
        np.testing.assert_array_equal(after[before > 345], before[before > 345])


if __name__ == "__main__":
    unittest.main()
