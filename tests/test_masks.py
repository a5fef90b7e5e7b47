"""Masks that say where: known answers of what is measured, and links between kinds."""

import unittest

import numpy as np
import scipy.ndimage as ndi
from support import chain, result

from gelande.core.evaluate import restrict
from gelande.core.evaluate.executor import Evaluator, Job
from gelande.core.recipe import graph, kinds
from gelande.core.recipe.convert import between, linked_through
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.raster import COLOUR, HEIGHT, MASK
from gelande.core.recipe.site import Site
from gelande.kernels import flow, relief
from gelande.kernels.distances import to_edge
from gelande.kernels.light import sky_view
from gelande.kernels.measure import gradient, slope_degrees
from gelande.kernels.sun import day_path, sunshine

DX = 5.0
N = 201


def grid():
    """(metres east, metres south) from the middle of a square grid."""
    return np.meshgrid((np.arange(N) - N // 2) * DX, (np.arange(N) - N // 2) * DX)


class FormTest(unittest.TestCase):
    def test_a_cone_faces_everywhere_equally_and_away_from_its_top(self):
        x, y = grid()
        h = (400 - 0.5 * np.hypot(x, y)).astype(np.float32)
        rise = gradient(h, DX)
        ring = (np.hypot(x, y) > 50) & (np.hypot(x, y) < 400)
        outward = np.degrees(np.arctan2(x, -y)) % 360
        counts = []
        for direction in range(0, 360, 45):
            faces = relief.facing_fraction(*rise, direction, 40.0, 0.0, 4.0)
            away = np.abs((outward - direction + 540) % 360 - 180)
            self.assertTrue(np.all(faces[ring & (away < 19)] == 1) and np.all(faces[ring & (away > 21)] == 0))
            counts.append(float(faces[ring].sum()))
        self.assertLess(max(counts) / min(counts), 1.05)
        soft = relief.facing_fraction(*rise, 90.0, 0.0, 60.0, 4.0)
        half = ring & (np.abs(outward - 120) < 0.5)
        np.testing.assert_allclose(soft[half], 0.5, atol=0.03)
        gentle = relief.facing_fraction(rise[0] * 0.1, rise[1] * 0.1, 90.0, 360.0, 0.0, 4.0)
        wanted = (np.degrees(np.arctan(0.05)) - 2) / 2
        np.testing.assert_allclose(gentle[ring], wanted, atol=0.02)

    def test_a_sphere_bends_alike_in_all_ways_and_a_cylinder_in_one(self):
        x, y = grid()
        radius = 4000.0
        ball = (np.sqrt(radius**2 - x**2 - y**2)).astype(np.float64)
        inner = (slice(40, -40), slice(40, -40))
        away = np.hypot(x, y)[inner] > 100
        for way in (relief.MEAN, relief.PLAN, relief.PROFILE):
            bend = relief.curvature(ball, DX, way)[inner][away]
            np.testing.assert_allclose(bend, 1 / radius, rtol=0.05, err_msg=way)
        log = np.sqrt(radius**2 - x**2) - 0.2 * y  # lies north to south, falls to the south
        np.testing.assert_allclose(relief.curvature(log, DX, relief.MEAN)[inner], 0.5 / radius, rtol=0.05)
        crest = np.abs(x)[inner] < 3 * DX
        np.testing.assert_allclose(relief.curvature(log, DX, relief.PLAN)[inner][crest], 1 / radius, rtol=0.05)
        self.assertLess(np.abs(relief.curvature(log, DX, relief.PROFILE)[inner][crest]).max(), 0.02 / radius)
        np.testing.assert_allclose(relief.curvature(-ball, DX, relief.MEAN), -relief.curvature(ball, DX, relief.MEAN))

    def test_ridges_stand_out_valleys_lie_in_and_slopes_are_in_the_middle(self):
        x, _ = grid()
        h = (60 * np.cos(x / 80)).astype(np.float32)
        stand = relief.deviation(h, 20.0, 0.1)
        middle = N // 2
        self.assertGreater(stand[middle, middle], 1.0, "the crest")
        valley = middle + round(80 * np.pi / DX)
        self.assertLess(stand[middle, valley], -1.0)
        slope = middle + round(80 * np.pi / 2 / DX)
        self.assertLess(abs(stand[middle, slope]), 0.1)
        self.assertEqual(float(np.abs(relief.deviation(np.zeros((50, 50), np.float32), 5.0, 0.1)).max()), 0.0)

    def test_an_even_slope_is_smooth_and_a_checkered_one_is_as_rough_as_it_is_high(self):
        x, y = grid()
        even = (0.7 * x).astype(np.float32)
        self.assertLess(float(relief.roughness(even, 6.0)[30:-30, 30:-30].max()), 0.02)
        checks = 2.0 * ((x / DX + y / DX) % 2) - 1.0
        rough = relief.roughness((0.7 * x + checks).astype(np.float32), 6.0)[30:-30, 30:-30]
        np.testing.assert_allclose(rough, 1.0, rtol=0.02)

    def test_distance_to_a_line_between_samples_is_exact(self):
        x, _ = grid()
        for edge in (0.0, 1.3, -2.2):
            mask = np.clip(0.5 + (edge - x) / (2 * DX), 0, 1).astype(np.float32)  # grey over two samples
            signed = to_edge(mask, 0.5, DX, 300.0)
            np.testing.assert_allclose(signed, np.clip(x - edge, -300, 300), atol=0.5 * DX)
            self.assertLess(np.abs(signed - (x - edge))[np.abs(x) < DX].max(), 0.15 * DX)
        self.assertEqual(float(to_edge(np.zeros((9, 9), np.float32), 0.5, DX, 40.0).min()), 40.0)
        self.assertEqual(float(to_edge(np.ones((9, 9), np.float32), 0.5, DX, 40.0).max()), -40.0)


class NodeTest(unittest.TestCase):
    def test_patches_cover_the_share_that_is_asked_for_at_every_detail_and_size(self):
        for size, look, cover in ((40, "patches", 0.2), (200, "chips", 0.5), (120, "patches", 0.7)):
            recipe, node = graph.add(
                Recipe(Site("Cover", 2000, 1000)),
                "patches",
                params={"size": size, "look": look, "cover": cover, "softness": 0.1},
            )
            for level in (3, 4):
                self.assertAlmostEqual(float(result(recipe, node, level)["mask"].mean()), cover, delta=0.01)

    def test_only_the_large_areas_stay(self):
        recipe, (noise, grey, large) = chain("fractal_noise", "height_as_mask", "largest_patches")
        recipe = graph.set_param(recipe, large, "threshold", 0.7)
        before = result(recipe, grey, 3)["mask"] >= 0.7
        labels, count = ndi.label(before, np.ones((3, 3)))
        sizes = np.sort(np.bincount(labels.ravel())[1:])[::-1]
        self.assertGreater(count, 3)
        for n in (1, 2):
            changed = graph.set_param(graph.set_param(recipe, large, "way", "by_number"), large, "count", n)
            kept = result(changed, large, 3)["mask"] >= 0.7
            self.assertEqual(kept.sum(), sizes[:n].sum())
            self.assertFalse((kept & ~before).any())

    def test_water_gathers_in_a_valley_and_a_round_pit_sees_the_sky_that_it_sees(self):
        x, y = grid()
        valley = (np.abs(x) * 0.3 + 0.05 * (y.max() - y)).astype(np.float32)
        _, way, fraction, order = flow.drain(valley, 71, 0.5)
        area = np.full(valley.size, DX * DX, np.float32)
        flow.accumulate(order, way, flow.neighbours(N), fraction, area, np.inf)
        area = area.reshape(valley.shape)
        bed, side = area[20:-20, N // 2 - 1 : N // 2 + 2].max(axis=1), area[20:-20, N // 4]
        self.assertGreater(float(np.median(bed)), 20 * float(np.median(side)))
        # at the middle of a round pit whose rim stands 45 degrees high, 1 - sin 45 of the sky is seen
        wide = 200.0
        pit = np.where(np.hypot(x, y) < wide, 0.0, wide).astype(np.float32)
        seen = sky_view(pit, DX, 3 * wide)[N // 2, N // 2]
        self.assertAlmostEqual(float(seen), 1 - np.sin(np.radians(45)), delta=0.09)
        self.assertAlmostEqual(float(sky_view(pit * 0, DX, wide)[N // 2, N // 2]), 1.0, places=5)

    def test_height_to_mask_and_back_is_the_same_land(self):
        recipe, (noise, there, back) = chain("fractal_noise", "height_as_mask", "mask_as_height")
        engine = Evaluator()
        before = engine.result(Job(recipe), noise, 1)["height"]
        recipe = graph.set_param(recipe, back, "low", float(before.min()))
        recipe = graph.set_param(recipe, back, "high", float(before.max()))
        np.testing.assert_allclose(engine.result(Job(recipe), back, 1)["height"], before, atol=0.01)

    def test_levels_threshold_and_curve_of_a_mask(self):
        recipe, (noise, grey, levels) = chain("fractal_noise", "height_as_mask", "mask_levels")
        engine = Evaluator()
        before = engine.result(Job(recipe), grey, 1)["mask"]

        def made(**params):
            changed = recipe
            for key, value in params.items():
                changed = graph.set_param(changed, levels, key, value)
            return engine.result(Job(changed), levels, 1)["mask"]

        np.testing.assert_allclose(made(low=0.25, high=0.75), np.clip((before - 0.25) * 2, 0, 1), atol=1e-5)
        hard = made(way="threshold", threshold=0.6, softness=0.0)
        np.testing.assert_array_equal(
            hard[np.abs(before - 0.6) > 0.01] > 0.5, (before > 0.6)[np.abs(before - 0.6) > 0.01]
        )
        turned = made(way="curve", curve=((0, 1), (1, 0)))
        np.testing.assert_allclose(turned, 1 - before, atol=2e-3)
        self.assertAlmostEqual(float(made(low=0.0, high=1.0, black=0.2, white=0.6).max()), 0.6, places=4)


class FacingTest(unittest.TestCase):
    def test_where_by_facing_works_in_full_on_its_side_and_not_on_the_other_nor_on_level_ground(self):
        site = Site("Sides", 1000, 1000)
        rows, columns = np.mgrid[0:129, 0:129] * (1000 / 128)
        values = {
            "where": "facing",
            "amount": 1.0,
            "where_facing": 90.0,
            "where_facing_width": 90.0,
            "where_facing_falloff": 40.0,
        }
        for degrees, wanted in ((90, 1.0), (130, 1.0), (155, 0.5), (180, 0.0), (270, 0.0)):
            towards = np.radians(degrees)
            plane = (-0.3 * (columns * np.sin(towards) - rows * np.cos(towards))).astype(np.float32)
            fraction = restrict.weight(values, plane, None, site, 1)
            self.assertAlmostEqual(float(fraction[64, 64]), wanted, delta=0.2 if wanted == 0.5 else 0.01, msg=degrees)
        level = restrict.weight(values, np.zeros((129, 129), np.float32), None, site, 1)
        self.assertEqual(float(level.max()), 0.0)
        turned = restrict.weight({**values, "where_invert": True}, np.zeros((129, 129), np.float32), None, site, 1)
        self.assertEqual(float(turned.min()), 1.0)


class ConvertTest(unittest.TestCase):
    def test_each_kind_that_can_become_another_has_its_node(self):
        self.assertEqual(between(HEIGHT, MASK), "height_as_mask")
        self.assertEqual(between(MASK, HEIGHT), "mask_as_height")
        self.assertEqual((between(COLOUR, HEIGHT), between(HEIGHT, HEIGHT)), ("", ""))

    def test_a_link_between_kinds_puts_the_right_node_between(self):
        recipe, (noise,) = chain("fractal_noise")
        recipe, edge = graph.add(recipe, "mask_edge")
        with self.assertRaisesRegex(graph.RecipeError, "takes mask, not height"):
            graph.link(recipe, noise, "height", edge, "first")
        recipe, name = linked_through(recipe, noise, "height", edge, "first")
        self.assertEqual(name, "Height as mask")
        middle = recipe.nodes[edge].inputs["first"][0]
        self.assertEqual(recipe.nodes[middle].kind, "height_as_mask")
        self.assertEqual(recipe.nodes[middle].inputs["height"], (noise, "height"))
        fits, name = linked_through(recipe, middle, "mask", edge, "first")
        self.assertEqual((name, len(fits.nodes)), ("", 3), "what fits is linked as it is")


class SunTest(unittest.TestCase):
    def test_the_sun_stands_where_it_should(self):
        noon = max(day_path(46.0, 172, 11), key=lambda place: place[1])
        self.assertAlmostEqual(noon[1], 90 - 46 + 23.45, delta=0.3)
        self.assertAlmostEqual(noon[0], 180.0, delta=1e-6)
        first, last = day_path(46.0, 80, 101)[0], day_path(46.0, 80, 101)[-1]
        self.assertAlmostEqual(first[0], 90.0, delta=2.0, msg="it rises in the east at the equinox")
        self.assertAlmostEqual(last[0], 270.0, delta=2.0)
        self.assertEqual(day_path(80.0, 355), [], "polar night")
        self.assertGreater(min(e for _, e, _ in day_path(80.0, 172)), 5.0, "midnight sun")
        south = max(day_path(-46.0, 355, 11), key=lambda place: place[1])
        self.assertTrue(south[0] < 1e-6 or south[0] > 360 - 1e-6, "in the south it stands in the north at noon")

    def test_sun_on_a_tilted_plane(self):
        x, y = grid()
        for tilt, faces in ((0.0, 0.0), (20.0, 180.0), (35.0, 75.0)):
            t, a = np.radians(tilt), np.radians(faces)
            h = (-np.tan(t) * (x * np.sin(a) - y * np.cos(a))).astype(np.float32)
            south, east = gradient(h, DX)
            for place in ((180.0, 40.0, 1.0), (120.0, 20.0, 1.0)):
                e, z = np.radians(place[1]), np.radians(place[0])
                wanted = np.cos(t) * np.sin(e) + np.sin(t) * np.cos(e) * np.cos(z - a)
                found = sunshine(h, south, east, DX, [place])[20:-20, 20:-20]
                np.testing.assert_allclose(found, max(wanted, 0), atol=2e-4)

    def test_a_wall_casts_its_shadow_as_far_as_the_sun_is_low(self):
        x, _ = grid()
        h = np.where(np.abs(x) < 8, 100.0, 0.0).astype(np.float32)
        lit = sunshine(h, *gradient(h, DX), DX, [(90.0, 45.0, 1.0)])[N // 2]
        dark = lit[: N // 2 - 3] < 0.2
        self.assertAlmostEqual(float(dark.sum()) * DX, 100.0, delta=4 * DX)
        self.assertGreater(float(lit[10]), 0.6)


class WorkedOnTest(unittest.TestCase):
    """What takes whatever comes in gives the same kind."""

    def through(self, kind, source, level=2, **params):
        recipe, (ground,) = chain("fractal_noise")
        if source == MASK:
            recipe, at = graph.add(recipe, "height_band")
            recipe = graph.link(recipe, ground, "height", at, "height")
            out = (at, "mask")
        elif source == COLOUR:
            recipe, at = graph.add(recipe, "colour_ramp")
            recipe = graph.link(recipe, ground, "height", at, "driver")
            out = (at, "colour")
        else:
            out = (ground, "height")
        recipe, node = graph.add(recipe, kind, params=params)
        recipe = graph.link(recipe, *out, node, "height")
        if kind == "directed_shift":
            recipe = graph.link(recipe, ground, "height", node, "by")
        return result(recipe, out[0], level)[out[1]], result(recipe, node, level)["height"], recipe, node

    def test_masks_and_colours_go_through_and_stay_what_they_are(self):
        for kind in ("warp", "place", "repeat", "smooth", "directed_shift"):
            for source in (MASK, COLOUR, HEIGHT):
                before, after, recipe, node = self.through(kind, source)
                self.assertEqual(after.shape, before.shape)
                self.assertFalse(np.array_equal(after, before))
                self.assertEqual(kinds.kind_at(recipe, node, "height"), source)
                if source == MASK:
                    self.assertTrue(after.min() >= 0 and after.max() <= 1)

    def test_a_quarter_turn_of_a_mask_and_of_a_colour_is_one_of_their_samples(self):
        for source in (MASK, COLOUR):
            before, after, *_ = self.through("place", source, turn=90.0)
            np.testing.assert_allclose(after, np.rot90(before, -1), atol=2e-3)

    def test_amount_and_invert_of_a_warped_mask(self):
        before, half, recipe, node = self.through("warp", MASK, amount=0.5)
        whole = result(graph.set_param(recipe, node, "amount", 1.0), node, 2)["height"]
        np.testing.assert_allclose(half, (before + whole) / 2, atol=1e-6)
        turned = result(graph.set_param(graph.set_param(recipe, node, "amount", 1.0), node, "invert", True), node, 2)
        np.testing.assert_allclose(turned["height"], 1 - whole, atol=1e-6)

    def test_many_masks_are_mixed_and_ports_follow_their_number(self):
        recipe, mix = graph.add(Recipe(), "mask_mix", params={"masks": 4, "way": "screen"})
        for k, port in enumerate(("first", "second", "fourth")):
            recipe, at = graph.add(recipe, "patches", params={"seed": k + 1})
            recipe = graph.link(recipe, at, "mask", mix, port)
        masks = [result(recipe, f"patches_{k}", 1)["mask"] for k in (1, 2, 3)]
        wanted = 1 - (1 - masks[0]) * (1 - masks[1]) * (1 - masks[2])
        np.testing.assert_allclose(result(recipe, mix, 1)["mask"], wanted, atol=1e-6)
        fewer = graph.set_param(recipe, mix, "masks", 2)
        self.assertEqual(set(fewer.nodes[mix].inputs), {"first", "second"})


class BandTest(unittest.TestCase):
    def test_bands_by_shares(self):
        recipe, (ground,) = chain("fractal_noise")
        h = result(recipe, ground, 3)["height"]
        recipe, high = graph.add(recipe, "height_band", params={"limits_in": "shares_of_its_range", "low_share": 0.75})
        recipe = graph.set_param(graph.link(recipe, ground, "height", high, "height"), high, "falloff_share", 0.0)
        upper = h >= h.min() + 0.75 * (h.max() - h.min())
        self.assertLess(float(np.abs(result(recipe, high, 3)["mask"] - upper).mean()), 0.01)
        recipe, steep = graph.add(recipe, "slope_band", params={"limits_in": "shares_of_the_ground", "low_share": 0.8})
        recipe = graph.set_param(graph.link(recipe, ground, "height", steep, "height"), steep, "falloff_share", 0.0)
        for level in (2, 3, 4):
            self.assertAlmostEqual(float(result(recipe, steep, level)["mask"].mean()), 0.2, delta=0.03)

    def test_cliffs_are_as_sharp_as_slope_is_measured_over_a_short_distance(self):
        recipe, (ground, terrace) = chain("fractal_noise", "terrace")
        fractions = []
        for over in (8.0, 128.0):
            r, steep = graph.add(recipe, "slope_band", params={"low": 35.0, "baseline": over})
            fractions.append(float(result(graph.link(r, terrace, "height", steep, "height"), steep, 4)["mask"].mean()))
        self.assertGreater(fractions[0], 1.5 * fractions[1])


class GrowthTest(unittest.TestCase):
    def test_soil_lies_in_hollows_and_not_on_steep_or_sharp_ground(self):
        recipe, (ground,) = chain("ridge_noise")
        recipe, soil = graph.add(recipe, "soil_depth")
        recipe = graph.link(recipe, ground, "height", soil, "height")
        depth, h = result(recipe, soil, 3)["mask"], result(recipe, ground, 3)["height"]
        bulge = -ndi.gaussian_laplace(h, 4)
        steep = slope_degrees(ndi.gaussian_filter(h, 3).astype(np.float32), 8.0, 16.0)
        self.assertLess(float(depth[steep > 45].mean()), 0.1)
        gentle = steep < 20
        hollow, crest = gentle & (bulge < np.percentile(bulge, 25)), gentle & (bulge > np.percentile(bulge, 90))
        self.assertGreater(float(depth[hollow].mean()), float(depth[crest].mean()) + 0.3)
        recipe, laid = graph.add(recipe, "patches")
        both = result(graph.link(recipe, laid, "mask", soil, "fill"), soil, 3)["mask"]
        self.assertGreaterEqual(float((both - 0.9 * result(recipe, laid, 3)["mask"]).min()), -1e-5)

    def test_two_kinds_of_plants_crowd_each_other_out(self):
        recipe, (ground,) = chain("fractal_noise")
        recipe, first = graph.add(
            recipe, "plant_cover", params={"plants": 1000.0, "crown": 8.0, "low": -500.0, "high": 900.0}
        )
        recipe, second = graph.add(recipe, "plant_cover", params={"low": -500.0, "high": 900.0, "seed": 9})
        for node in (first, second):
            recipe = graph.link(recipe, ground, "height", node, "height")
        alone = result(recipe, second, 2)["mask"]
        recipe = graph.link(recipe, first, "mask", second, "crowd")
        other, left = result(recipe, first, 2)["mask"], result(recipe, second, 2)["mask"]
        self.assertGreater(float(alone.mean()), 2 * float(left.mean()))
        self.assertLess(float(left[other > 0.9].max()), 1 - np.exp(-0.1 * 0.035 * np.pi * 16) + 1e-4)
        stood = alone > 0.3
        kept = left[stood] / alone[stood]
        self.assertGreater(float(kept[other[stood] < 0.3].mean()), 2 * float(kept[other[stood] > 0.8].mean()))

    def test_cover_follows_from_plants_and_their_crowns(self):
        recipe, (ground,) = chain("level")
        recipe, node = graph.add(
            recipe,
            "plant_cover",
            params={"plants": 100.0, "crown": 10.0, "clumping": 0.0, "low": -9000.0, "high": 9000.0},
        )
        made = result(graph.link(recipe, ground, "height", node, "height"), node, 1)
        np.testing.assert_allclose(made["density"], 1.0)
        np.testing.assert_allclose(made["mask"], 1 - np.exp(-100 / 10_000 * np.pi * 25), rtol=1e-5)


if __name__ == "__main__":
    unittest.main()
