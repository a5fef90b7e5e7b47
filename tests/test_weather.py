"""Scree, streams, lakes, sea, snow and the rest of Weather: what falls, flows, stands and lies must do so as on real
land."""

import math
import tempfile
import unittest
from pathlib import Path

import numpy as np
from scipy import ndimage
from support import DEMO, chain, result, slow

from gelande.core.evaluate.executor import Cache, Evaluator, Job
from gelande.core.recipe import graph, walk
from gelande.core.recipe.recipefile import load
from gelande.core.recipe.site import Site
from gelande.core.regenerate import drainage, mass
from gelande.kernels.channels import courses, drawn_course
from gelande.kernels.flow import drain, network
from gelande.kernels.loose import settle_loose
from gelande.kernels.measure import slope_degrees
from gelande.kernels.shapes import curve_through
from gelande.kernels.water import DRY, filled_depressions, open_water, surfaces, up_surface

WEATHER = ("rain_erosion", "scree", "stream_channels", "lakes", "silt", "sea", "snow", "wind", "boulders", "pitting")


def bowl(n: int = 65, deep: float = 20.0) -> np.ndarray:
    """A plain that falls to the south with one round hollow in it."""
    y, x = np.mgrid[0:n, 0:n].astype(np.float32)
    r = np.hypot(x - n // 2, y - n // 2)
    return (100 - 0.2 * y - deep * np.clip(1 - (r / 14) ** 2, 0, 1)).astype(np.float32)


class SlideTest(unittest.TestCase):
    def test_nothing_is_lost_and_nothing_stays_steeper_than_it_can(self):
        rock = np.zeros((65, 65), np.float32)
        loose = np.zeros_like(rock)
        loose[28:37, 28:37] = 60.0
        limit = math.tan(math.radians(34))
        after = settle_loose(rock, loose, limit, 4.0, 1500)
        self.assertAlmostEqual(float(after.sum(dtype=float)) / float(loose.sum(dtype=float)), 1.0, places=5)
        self.assertGreaterEqual(float(after.min()), 0.0)
        steepest = max(np.abs(np.diff(after, axis=k)).max() / 4.0 for k in (0, 1))
        self.assertLess(steepest, 1.12 * limit)
        np.testing.assert_allclose(after, after.T, atol=1e-3)

    def test_scree_keeps_its_mass_wears_no_deeper_than_the_amount_and_lies_below_the_scars(self):
        recipe, (noise, terrace, scree) = chain(
            "fractal_noise",
            "terrace",
            "scree",
            fractal_noise={"relief": 900.0},
            scree={"stone": 0.0, "amount_broken": 6.0},
        )
        engine = Evaluator(Cache(2_000_000_000))
        before, out = result(recipe, terrace, 4, engine)["height"], result(recipe, scree, 4, engine)
        raw = engine.raw(Job(recipe), scree, 4)
        found = mass.balance(raw, out["height"] - before, 1.0)
        self.assertLess(found.fault, 1e-3)
        self.assertLess(abs(found.left), 1e-3 * found.worn)
        self.assertLessEqual(float(raw["_worn"].max()), 6.0 + 1e-3)
        worn, laid = raw["_worn"] > 2, raw["_loose"] > 2
        self.assertGreater(float(before[worn].mean()), float(before[laid].mean()), "what broke fell")

    @slow
    def test_coarser_grids_do_not_show_and_flat_ground_behind_an_edge_stays(self):
        for kinds in (("plateau", "scree"), ("fractal_noise", "terrace", "scree"), ("massif", "rain_erosion", "scree")):
            recipe, ids = chain(*kinds, scree={"stone": 0.0})
            engine = Evaluator(Cache(2_000_000_000))
            before, after = (result(recipe, node, 4, engine)["height"] for node in ids[-2:])
            raw = engine.raw(Job(recipe), ids[-1], 4)
            moved = (raw["_worn"] > 0.05) | (raw["_loose"] > 0.05)
            self.bends_as_often_on_coarser_grids(after - before, moved)
            self.bends_as_often_on_coarser_grids(after, moved)
            self.assertEqual(self.broken_on_level_ground(before, raw["_worn"], 4.0, 36), 0)
            before, raw = result(recipe, ids[-2], 3, engine)["height"], engine.raw(Job(recipe), ids[-1], 3)
            self.assertEqual(self.broken_on_level_ground(before, raw["_worn"], 8.0, 36), 0)

    def bends_as_often_on_coarser_grids(self, ground, moved):
        bend, at = np.abs(np.diff(ground, 2, axis=1)), np.arange(1, ground.shape[1] - 1)
        for every in (2, 4, 8):
            on, off = (bend[:, rows][moved[:, 1:-1][:, rows]] for rows in (at % every == 0, at % every > 0))
            self.assertLess(float(on.mean()) / float(off.mean()), 1.15, f"a bend at every {every}th sample")

    @staticmethod
    def broken_on_level_ground(before, worn, dx, edge):
        """Share of what breaks that is under 15 degrees and not within two samples of 513 of an edge."""
        slope, broke = slope_degrees(before, dx, 16.0), worn > 0.05
        beside = ndimage.binary_dilation(slope > edge, np.ones((3, 3)), round(16 / dx))
        return (broke & (slope < 15) & ~beside).sum() / broke.sum()

    def test_hard_rock_breaks_less(self):
        recipe, (noise, scree, band) = chain("fractal_noise", "scree", "height_band", fractal_noise={"relief": 900.0})
        recipe = graph.link(graph.unlink(recipe, band, "height"), noise, "height", band, "height")
        recipe = graph.set_param(graph.set_param(recipe, band, "low", -9000.0), band, "high", 9000.0)
        hard = graph.link(recipe, band, "mask", scree, "rock")
        self.assertGreater(float(result(recipe, scree, 2)["cut"].sum()), 10.0)
        self.assertEqual(float(result(hard, scree, 2)["cut"].sum()), 0.0)


class WaterTest(unittest.TestCase):
    def test_a_hollow_fills_to_its_spill_and_no_higher(self):
        h = bowl()
        level, lake = filled_depressions(h)
        water = level > h + 1e-4
        self.assertEqual(len(np.unique(lake[water])), 1)
        self.assertLess(float(np.ptp(level[water])), 1e-3, "flat")
        self.assertTrue((lake[~water] == -1).all())
        rim = level[water].max()
        self.assertLess(rim, 100.0)
        self.assertEqual(surfaces(h, 4.0, 1.0, None, 100.0, 0.0).max(), -1e9, "a hollow that is too shallow stays dry")
        half = surfaces(h, 4.0, 0.5, None, 0.0, 0.0)
        self.assertAlmostEqual(float(half.max()), float(rim - 0.5 * (rim - h.min())), places=2)

    @slow
    def test_lakes_are_flat_stand_on_the_land_and_overlap_at_every_detail(self):
        recipe = load(DEMO)
        lakes = next(n for n, s in recipe.nodes.items() if s.kind == "lakes")
        engine = Evaluator(Cache(3_000_000_000))
        raws = {}
        for level in (3, 4):
            out, raws[level] = result(recipe, lakes, level, engine), engine.raw(Job(recipe), lakes, level)
            wet = out["water"] > 0.5
            self.assertGreater(wet.mean(), 0.002)
            surface = raws[level]["_surface"]
            self.assertTrue((surface[wet] >= out["height"][wet]).all())
            labels, count = __import__("scipy.ndimage", fromlist=["label"]).label(wet)
            for k in range(1, count + 1):
                self.assertLess(float(np.ptp(surface[labels == k])), 1e-3, "each lake is level")
            self.assertGreater(float(out["shore"].sum()), 0)
            self.assertEqual(float(out["shore"][out["water"] >= 1].max()), 0.0, "the shore is beside the water")
        a, b = (result(recipe, lakes, k, engine)["water"] for k in (3, 4))
        a, b = a > 0.5, b[::2, ::2] > 0.5
        self.assertGreater((a & b).sum() / (a | b).sum(), 0.9)

    def test_two_lakes_parted_by_a_sill_stay_two_at_finer_levels(self):
        surface = np.full((5, 6), DRY, np.float32)
        surface[1:4, 1:3], surface[1:4, 3:5] = 10.0, 12.0
        fine = up_surface(up_surface(surface))
        self.assertEqual(set(np.unique(fine)), {np.float32(DRY), 10.0, 12.0}, "no level between")
        for a, b in ((fine[1:], fine[:-1]), (fine[:, 1:], fine[:, :-1])):
            self.assertFalse((np.minimum(a, b) > DRY)[a != b].any(), "the two never touch")

    def test_water_is_shown_only_where_its_node_applies(self):
        recipe, (_, lakes) = chain("fractal_noise", "lakes")
        whole = result(recipe, lakes, 2)
        recipe = graph.set_param(recipe, lakes, "where", "height")
        middle = float(np.median(whole["_surface"][whole["_surface"] > DRY]))
        for key, value in (("where_low", middle), ("where_high", 9000.0), ("where_falloff", 1.0)):
            recipe = graph.set_param(recipe, lakes, key, value)
        part = result(recipe, lakes, 2)
        wet, was = part["_surface"] > DRY, whole["_surface"] > DRY
        self.assertTrue(0 < wet.sum() < was.sum())
        self.assertFalse(wet[whole["height"] < middle - 2].any())

    def test_every_course_falls_to_the_edge_or_to_standing_water(self):
        h = result(*(lambda r, ids: (r, ids[1]))(*chain("fractal_noise", "rain_erosion")), 3)["height"]
        pieces, surface = courses(h, 8.0, 200.0**2, 2000.0**2, 20.0, 4.0, 2.0)
        self.assertGreater(len(pieces), 300)
        self.assertTrue((pieces[:, 7] <= pieces[:, 6] + 1e-6).all(), "no bed rises")
        starts = {(round(x, 3), round(y, 3)) for x, y in pieces[:, :2]}
        for x, y in pieces[:, 2:4]:
            if (round(x, 3), round(y, 3)) in starts:
                continue
            r, c = round(y / 8), round(x / 8)
            near = (slice(max(0, r - 2), r + 3), slice(max(0, c - 2), c + 3))
            edge = min(r, c, 512 - r, 512 - c) <= 2
            self.assertTrue(edge or (surface[near] > h[near]).any(), f"a course ends on dry land at {x:.0f}, {y:.0f}")
        self.assertGreater(pieces[:, 4].max(), 2.5 * pieces[:, 4].min(), "width grows with flow")

    def test_a_drawn_beck_follows_its_line_and_its_bed_never_rises(self):
        recipe, (noise, streams) = chain(
            "fractal_noise",
            "stream_channels",
            stream_channels={"line": ((600.0, 3300.0), (2000.0, 2100.0), (3400.0, 500.0)), "width": 60.0, "deep": 8.0},
        )
        engine = Evaluator(Cache(2_000_000_000))
        for level in (3, 4):
            out, dx = result(recipe, streams, level, engine), recipe.site.spacing(level)
            line = curve_through(recipe.nodes[streams].params["line"], 40)
            r, c = ((4096 - line[:, 1]) / dx).round().astype(int), (line[:, 0] / dx).round().astype(int)
            self.assertGreater(float(out["channel"][r, c].mean()), 0.98)
            bed = out["height"][r, c]
            self.assertLess(float(np.diff(bed).max()), 1.2, "falls along the line but for the trough's own roundness")
            self.assertLess(float(bed[-1]), float(bed[0]))
        self.assertEqual(float(out["channel"][:40, :40].max()), 0.0)

    @slow
    def test_a_beck_drawn_half_way_runs_on_to_the_edge_or_to_standing_water(self):
        h = result(*(lambda r, ids: (r, ids[1]))(*chain("fractal_noise", "rain_erosion")), 3)["height"]
        for start in ((1500.0, 2600.0), (2600.0, 900.0), (800.0, 800.0)):
            line = np.array([start, (start[0] + 150, start[1] + 60), (start[0] + 260, start[1] - 40)])
            pieces, surface = drawn_course(line, h, 8.0, 4096.0, 30.0, 4.0)
            self.assertTrue((pieces[:, 7] <= pieces[:, 6] + 1e-6).all(), "no bed rises")
            np.testing.assert_allclose(pieces[1:, :2], pieces[:-1, 2:4], atol=1e-6, err_msg="one unbroken course")
            r, c = round(pieces[-1, 3] / 8), round(pieces[-1, 2] / 8)
            self.assertTrue(
                min(r, c, 512 - r, 512 - c) == 0 or surface[r, c] > h[r, c],
                f"ends on dry land at row {r}, column {c}",
            )
        flat = np.full((129, 129), 40, np.float32)
        self.assertEqual(
            float(
                drawn_course(np.array([(40.0, 300.0), (200.0, 300.0)]), flat, 4.0, 512.0, 10.0, 2.0)[0][-1, 2:4].min()
                % 512
            ),
            0.0,
        )

    @slow
    def test_scree_lies_at_its_angle(self):
        recipe, (noise, terrace, scree) = chain(
            "fractal_noise", "terrace", "scree", fractal_noise={"relief": 900.0}, scree={"stone": 0.0}
        )
        for repose in (28.0, 38.0):
            recipe = graph.set_param(recipe, scree, "repose", repose)
            engine = Evaluator(Cache(2_000_000_000))
            out, loose = result(recipe, scree, 4, engine), engine.raw(Job(recipe), scree, 4)["_loose"]
            south, east = np.gradient(out["height"], 4.0)
            slope = np.degrees(np.arctan(np.hypot(south, east)))[loose > 2.0]
            self.assertAlmostEqual(float(np.median(slope)), repose, delta=4.0)
            self.assertLess(float(np.percentile(slope, 90)), repose + 14)

    def test_the_sea_reaches_what_is_joined_to_the_edge_only(self):
        h = bowl(65, 60.0)
        h -= 60.0  # the hollow's floor lies below 0, the plain above
        self.assertEqual(int(open_water(h, 0.0).sum()), 0)
        h[:, :3] = -5.0
        wet = open_water(h, 0.0)
        self.assertEqual(int(wet.sum()), 65 * 3)
        recipe, (noise, sea) = chain("fractal_noise", "sea", sea={"level": 180.0, "beach": 5.0, "cliff": 25.0})
        before, out = result(recipe, noise, 3)["height"], result(recipe, sea, 3)
        self.assertLessEqual(float((out["height"] - before).max()), 10.01, "only the beach below the water is laid")
        high = before > 240
        np.testing.assert_array_equal(out["height"][high], before[high])
        wet = out["water"] > 0.5
        self.assertTrue((out["height"][wet] < 180.0).all())

    @slow
    def test_soft_streams_are_the_same_at_every_detail(self):
        for softness in (0.0, 16.0, 120.0):
            recipe, (_, flow) = chain("fractal_noise", "flow", flow={"first": 40.0, "softness": softness})
            engine = Evaluator(Cache(1_000_000_000))
            coarse, fine = (result(recipe, flow, k, engine)["mask"] for k in (3, 5))
            self.assertLess(float(np.abs(fine[::4, ::4] - coarse).mean()), 0.002, softness)
            self.assertGreater(float(coarse.max()), 0.3 if softness < 100 else 0.1)

    def test_flow_agrees_with_another_library(self):
        import fastscapelib as fs

        y, x = np.mgrid[0:257, 0:257]
        h = (
            900 - 2.2 * y + 25 * np.sin(x / 9.0) + 12 * np.sin(x / 23.0 + y / 31.0)
        )  # valleys without hollows, where there is one answer
        grid = fs.RasterGrid(list(h.shape), [16.0, 16.0], fs.NodeStatus.FIXED_VALUE)  # the graph does not keep it alive
        other = fs.FlowGraph(grid, [fs.PFloodSinkResolver(), fs.SingleFlowRouter()])
        other.update_routes(h)
        theirs = np.asarray(other.accumulate(1.0)).ravel()
        ours = network(h.astype(np.float32), 16.0)[0]
        together = np.corrcoef(np.log(theirs), np.log(ours))[0, 1]
        self.assertGreater(together, 0.95, "alike but where slopes tie within the flood's centimetre")
        self.assertTrue(
            (drain(h.astype(np.float32))[0] >= h.astype(np.float32)).all(), "a flooded land is nowhere lower"
        )


class SnowTest(unittest.TestCase):
    def snow(self, **params):
        recipe, (noise, snow) = chain(
            "fractal_noise", "snow", fractal_noise={"relief": 900.0}, snow={"snow_line": 300.0, **params}
        )
        engine = Evaluator(Cache(2_000_000_000))
        return result(recipe, noise, 3, engine)["height"], result(recipe, snow, 3, engine)

    def test_it_lies_on_top_above_the_line(self):
        land, out = self.snow(melt=0.0, drift=0.0)
        self.assertGreaterEqual(float((out["height"] - land).min()), 0.0)
        self.assertGreater(float(out["snow"][land > 500].mean()), 0.8)
        self.assertLess(float(out["depth"][land < 240].mean()), 0.1 * float(out["depth"][land > 500].mean()))

    def test_the_sun_takes_it_from_the_faces_it_shines_on(self):
        land, out = self.snow(melt=1.0, drift=0.0, sun=180.0, sun_height=35.0)
        south = np.gradient(land, 8.0, axis=0)  # rises to the south: faces north
        high = land > 420
        self.assertGreater(
            float(out["depth"][high & (south > 0.3)].mean()), 1.6 * float(out["depth"][high & (south < -0.3)].mean())
        )

    @slow
    def test_none_lies_on_ground_steeper_than_it_holds_at_any_detail(self):
        hard = {"massif": {"relief": 1100.0}, "rain_erosion": {"rock_strength": 0.4}, "snow": {"snow_line": 200.0}}
        recipe, ids = chain("massif", "rain_erosion", "snow", **hard)
        engine = Evaluator(Cache(2_000_000_000))
        for level in (3, 4):
            ground, out = (result(recipe, node, level, engine) for node in ids[-2:])
            dx = recipe.site.spacing(level)
            steep = (slope_degrees(ground["height"], dx, 2 * dx) > 47) & (ground["height"] > 300)
            self.assertGreater(steep.mean(), 0.01)
            self.assertLess(float((out["snow"][steep] > 0.5).mean()), 0.03)
            self.assertGreater(float(out["snow"].mean()), 0.05)

    def test_it_slides_off_steep_faces(self):
        land, out = self.snow(melt=0.0, drift=0.0, slide_angle=30.0)
        gy, gx = np.gradient(land, 8.0)
        slope = np.degrees(np.arctan(np.hypot(gx, gy)))
        high = land > 450
        self.assertLess(
            float(out["depth"][high & (slope > 46)].mean()), 0.6 * float(out["depth"][high & (slope < 20)].mean())
        )

    def test_wind_fills_the_lee(self):
        calm, windy = self.snow(melt=0.0, drift=0.0)[1], self.snow(melt=0.0, drift=1.0, wind=90.0)[1]
        land = self.snow()[0]
        rises_east = np.gradient(land, 8.0, axis=1)
        high = land > 450
        more = windy["depth"] - calm["depth"]
        self.assertGreater(
            float(more[high & (rises_east < -0.3)].mean()), float(more[high & (rises_east > 0.3)].mean())
        )


class ScatterTest(unittest.TestCase):
    def test_boulders_lie_at_their_count_and_within_their_sizes(self):
        site = Site("Field", 800, 800)
        recipe, (noise, stones) = chain(
            "level", "boulders", site=site, boulders={"large": 14.0, "small": 9.0, "per_hectare": 12.0, "tall": 0.6}
        )
        out = result(recipe, stones, 4)
        from scipy.ndimage import label

        bumps = out["height"] - result(recipe, noise, 4)["height"]
        _, count = label(bumps > 0.3)
        self.assertAlmostEqual(count / 64, 12.0, delta=4.0)
        self.assertLess(float(bumps.max()), 0.6 * 14.0 / 2 * 1.05)

    def test_no_boulders_where_the_mask_is_black_and_no_pits_on_gentle_ground(self):
        recipe, (noise, stones, band) = chain(
            "fractal_noise", "boulders", "height_band", height_band={"low": 260.0, "high": 9000.0, "falloff": 0.0}
        )
        recipe = graph.link(graph.unlink(recipe, band, "height"), noise, "height", band, "height")
        recipe = graph.link(recipe, band, "mask", stones, "where_from")
        land, out = result(recipe, noise, 3)["height"], result(recipe, stones, 3)
        self.assertEqual(float(out["boulders"][land < 200].max()), 0.0)
        self.assertGreater(float(out["boulders"][land > 300].mean()), 0.01)
        recipe, (noise, pits) = chain("fractal_noise", "pitting", pitting={"from_slope": 60.0})
        self.assertLess(float(result(recipe, pits, 3)["pits"].mean()), 0.01)

    def test_wind_ripples_stand_across_the_wind_and_leave_steep_ground(self):
        recipe, (flat, wind) = chain("level", "wind", wind={"irregularity": 0.0, "wind": 90.0, "ripple_relief": 0.0})
        out = result(recipe, wind, 3)["height"]
        self.assertGreater(float(np.abs(np.diff(out, axis=1)).mean()), 8 * float(np.abs(np.diff(out, axis=0)).mean()))


class BalanceTest(unittest.TestCase):
    @slow
    def test_rain_accounts_for_what_it_wore_at_every_level_and_strength(self):
        for land, strength in (("fractal_noise", 0.2), ("fractal_noise", 0.5), ("massif", 0.5), ("fractal_noise", 0.9)):
            recipe, (noise, rain) = chain(land, "rain_erosion", rain_erosion={"strength": strength})
            engine = Evaluator(Cache(2_000_000_000))
            for level in (1, 3, 4):
                result(recipe, rain, level, engine)
                found = mass.balance(engine.raw(Job(recipe), rain, level), None, recipe.site.spacing(level) ** 2)
                self.assertLess(found.fault, 1e-3, f"{land}, strength {strength}, level {level}")
                self.assertGreater(found.left, 0.3 * found.worn, "open land loses most of it")
                self.assertIn("laid down", found.text())

    def test_drainage_figures_of_known_land(self):
        y, x = np.mgrid[0:257, 0:257].astype(np.float32)
        plane = 500 - y + 0.02 * np.random.default_rng(1).random((257, 257)).astype(np.float32)
        self.assertEqual(drainage.drainage_of(plane, 8.0).pits, 0.0)
        rough = np.random.default_rng(2).random((257, 257)).astype(np.float32)
        self.assertGreater(drainage.drainage_of(rough, 8.0).pits, 0.09, "one in nine samples of noise is a pit")

    def test_a_land_worn_to_its_steady_state_has_the_concavity_of_its_law(self):
        """With incision by area^0.45 and slope^1, slope falls with area^0.45 (Whipple and Tucker 1999); eroded by
        another program."""
        import fastscapelib as fs

        grid = fs.RasterGrid([129, 129], [16.0, 16.0], fs.NodeStatus.FIXED_VALUE)
        routes = fs.FlowGraph(grid, [fs.SingleFlowRouter(), fs.MSTSinkResolver()])
        eroder = fs.SPLEroder(routes, k_coef=2e-4, area_exp=0.45, slope_exp=1.0, tolerance=1e-5)
        h, uplift = np.random.default_rng(1).random((129, 129)), np.zeros((129, 129))
        uplift[1:-1, 1:-1] = 20.0
        for _ in range(150):
            h = h + uplift
            routes.update_routes(h)
            h = h - eroder.erode(h, routes.accumulate(1.0), 2e4)
        found = drainage.drainage_of(h, 16.0)
        self.assertAlmostEqual(found.concavity, 0.45, delta=0.02)
        self.assertTrue(0.5 <= found.hack <= 0.65, found)

    @slow
    def test_eroded_noise_has_the_figures_of_land(self):
        for seed in (1, 2, 3):
            recipe, (_, rain) = chain("fractal_noise", "rain_erosion", fractal_noise={"seed": seed})
            found = drainage.drainage_of(result(recipe, rain, 3)["height"], 8.0)
            for name, text, land, inside in found.rows():
                # Land that keeps its form has steeper heads and longer floors than most, and basins of its own.
                inside |= name.startswith("Slope-area") and 0.35 <= found.concavity <= 0.82
                inside |= name.startswith("Area") and 0.38 <= found.exceedance <= 0.5
                self.assertTrue(inside, f"seed {seed}: {name} is {text}, land has {land}")

    @slow
    def test_the_channels_of_a_preview_keep_their_figures_at_finer_levels(self):
        recipe, (_, rain) = chain("fractal_noise", "rain_erosion", fractal_noise={"seed": 1})
        engine, dx = Evaluator(Cache(2_000_000_000)), recipe.site.spacing(3)
        coarse, fine = (
            drainage.drainage_of(result(recipe, rain, k, engine)["height"], recipe.site.spacing(k), dx) for k in (3, 4)
        )
        self.assertAlmostEqual(fine.hack, coarse.hack, delta=0.02)
        self.assertAlmostEqual(fine.exceedance, coarse.exceedance, delta=0.02)

    @slow
    def test_wider_gully_spacing_leaves_smoother_slopes(self):
        rough = []
        for spacing in (30.0, 240.0):
            recipe, (_, rain) = chain(
                "ramp", "rain_erosion", ramp={"high": 800.0}, rain_erosion={"gully_spacing": spacing, "strength": 0.3}
            )
            h = result(recipe, rain, 4)["height"]
            rough.append(
                float(np.median(np.abs(h[1:-1, 2:] + h[1:-1, :-2] + h[2:, 1:-1] + h[:-2, 1:-1] - 4 * h[1:-1, 1:-1])))
            )
        self.assertLess(rough[1], 0.85 * rough[0])

    def test_the_command_tells_them(self):
        import contextlib
        import io

        from PIL import Image

        from gelande.cli.main import main

        with tempfile.TemporaryDirectory() as folder, contextlib.redirect_stdout(io.StringIO()) as said:
            path = Path(folder) / "land.tif"
            recipe, (noise, rain) = chain("fractal_noise", "rain_erosion")
            Image.fromarray(result(recipe, rain, 2)["height"]).save(path)
            self.assertEqual(main(["info", "--drainage", str(path), "--width", "4096"]), 0)
        self.assertIn("Hack's exponent", said.getvalue())
        self.assertIn("land has 0.5 to 0.65", said.getvalue())


class DetailTest(unittest.TestCase):
    @slow
    def test_what_the_demo_delivers_at_2049_is_what_its_preview_showed(self):
        """And its streams lie in their beds, whose grid was made finer; all of it from one evaluation."""
        recipe, engine = load(DEMO), Evaluator(Cache(4_000_000_000))
        for d in recipe.deliverables:
            a, b = (engine.result(Job(recipe), d.node, k)[d.port] for k in (3, 5))
            apart = np.abs(a.astype(float) - b[::4, ::4])
            with self.subTest(d.name):
                if "height" in d.format:
                    self.assertLess(float(np.sqrt((apart**2).mean()) / np.ptp(a)), 0.01)
                    self.assertLess(float(np.percentile(apart, 99) / np.ptp(a)), 0.04)
                else:
                    self.assertLess(float(apart.mean()), 0.02)
        (streams,) = (n for n, state in recipe.nodes.items() if state.kind == "stream_channels")
        for level in (3, 5):
            raw, dx = engine.raw(Job(recipe), streams, level), recipe.site.spacing(level)
            wet = np.where(raw["_surface"] > DRY, raw["_surface"], np.nan)
            for axis in (0, 1):
                block = (abs(np.diff(wet, axis=axis)) > 0.5 * dx) & (abs(np.diff(raw["height"], axis=axis)) < 0.25 * dx)
                self.assertEqual(int(block.sum()), 0, "water stands as blocks over level ground")


class OrderTest(unittest.TestCase):
    @slow
    def test_any_order_works_on_any_site_and_ground(self):
        orders = (
            ("scree", "stream_channels", "lakes", "snow"),
            ("snow", "lakes", "stream_channels", "scree"),
            ("sea", "wind", "rain_erosion", "boulders"),
            ("pitting", "silt", "sea", "snow"),
        )
        for site in (Site("Small", 100, 100), Site("Large", 100_000, 50_000)):
            for ground in ("level", "cone", "ridge_noise"):
                for kinds in orders:
                    recipe, ids = chain(ground, *kinds, site=site)
                    for n, kind in zip(ids[1:], kinds):
                        with self.subTest(f"{site.name} {ground} {kinds} {kind}"):
                            for a in result(recipe, n, 2).values():
                                self.assertTrue(np.isfinite(a).all())

    @slow
    def test_water_is_drawn_flat_and_blue_in_the_view(self):
        from gelande.core.evaluate.query import water_over

        recipe = load(DEMO)
        lakes = next(n for n, s in recipe.nodes.items() if s.kind == "lakes")
        engine, job = Evaluator(Cache(2_000_000_000)), Job(recipe)
        ground = engine.result(job, lakes, 3)["height"]
        depth = water_over(engine, job, walk.upstream(recipe, lakes), 3, ground)
        from gelande.scene.relief import Look, Scene

        dry, wet = Scene(ground, 8.0, None, Look()), Scene(ground, 8.0, None, Look(), depth)
        lake = engine.raw(job, lakes, 3)["_surface"] - ground > 2.0
        self.assertLess(float(np.abs(np.diff(wet.height, axis=1))[lake[:, 1:] & lake[:, :-1]].max()), 1e-3)
        a, b = dry.plan[lake].astype(int).mean(axis=0), wet.plan[lake].astype(int).mean(axis=0)
        self.assertGreater(b[2] - b[0], a[2] - a[0] + 30, "bluer than the land")
        self.assertIsNone(water_over(engine, job, {"fractal_noise_1"}, 3, ground))


if __name__ == "__main__":
    unittest.main()
