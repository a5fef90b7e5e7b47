"""What single landform and shape nodes promise, against closed forms."""

import unittest

import numpy as np
from scipy import ndimage
from support import chain, result

from gelande.core.recipe import graph
from gelande.core.recipe.model import Recipe
from gelande.kernels import scatter, shapes
from gelande.samples import sample_recipe


def made(node_kind: str, level: int = 2, **params):
    """All outputs of a source node with some settings."""
    recipe, node = graph.add(Recipe(), node_kind, params=params)
    return result(recipe, node, level)


def changed(kind: str, level: int = 2, **params):
    """(input, outputs) of a shape node on sample ground."""
    recipe, node = sample_recipe(kind)
    for key, value in params.items():
        recipe = graph.set_param(recipe, node, key, value)
    source, port = recipe.nodes[node].inputs["height"]
    return result(recipe, source, level)[port], result(recipe, node, level)


class LandformTest(unittest.TestCase):
    def test_level_is_level(self):
        self.assertEqual(set(np.unique(made("level", at=42.0)["height"])), {np.float32(42.0)})

    def test_cone_has_its_height_and_its_crater(self):
        plain = made("cone", crater=0.0, ribs=0.0, relief=500.0)["height"]
        self.assertAlmostEqual(float(plain.max()), 500.0, delta=1.0)
        self.assertEqual(np.unravel_index(plain.argmax(), plain.shape), (128, 128))
        hollow = made("cone", crater=600.0, depth=0.5, ribs=0.0)["height"]
        self.assertLess(hollow[128, 128], hollow[128, 128 + 19] - 50, "the middle lies below the rim")

    def test_straight_cone_falls_evenly(self):
        h = made("cone", crater=0.0, ribs=0.0, hollow=1.0, relief=600.0, radius=1500.0)["height"][128, 128:]
        self.assertLess(float(np.abs(np.diff(h[:90]) - np.diff(h[:90]).mean()).max()), 0.5)

    def test_ring_wall_has_rim_floor_and_plain(self):
        h = made("ring_wall", irregularity=0.0, depth=240.0, rim=130.0, radius=1100.0)["height"]
        line = h[128, 128:]
        self.assertAlmostEqual(float(line[0]), -240.0, delta=1.0)
        crest = int(line.argmax())
        self.assertAlmostEqual(crest * 16.0, 1100.0, delta=20.0)
        self.assertAlmostEqual(float(line[crest]), 130.0, delta=4.0)
        self.assertLess(float(line[-1]), 30.0)

    def test_a_central_peak_stands_on_the_floor(self):
        h = made("ring_wall", irregularity=0.0, peak=150.0)["height"]
        self.assertAlmostEqual(float(h[128, 128] + 240.0), 150.0, delta=2.0)

    def test_plateau_is_flat_on_top_and_steep_at_the_side(self):
        h = made("plateau", irregularity=0.0, rough=0.0, talus=0.0, relief=280.0, stretch_along=1.0)["height"]
        self.assertLess(float(h[118:138, 118:138].std()), 0.01)
        self.assertAlmostEqual(float(h[128, 128]), 280.0, delta=0.01)
        self.assertAlmostEqual(float(h[0, 0]), 0.0, delta=0.01)
        self.assertGreater(float(np.abs(np.diff(h[128])).max()), 30.0)

    def test_an_irregular_outline_cuts_bays(self):
        inside = lambda h: h > 140
        smooth, rough = (inside(made("plateau", irregularity=v)["height"]) for v in (0.0, 1.0))
        border = lambda m: (m[1:] != m[:-1]).sum() + (m[:, 1:] != m[:, :-1]).sum()
        self.assertGreater(border(rough) / np.sqrt(rough.sum()), 1.3 * border(smooth) / np.sqrt(smooth.sum()))

    def test_massif_falls_to_an_uneven_plain_in_every_character(self):
        for character in ("alpine", "worn", "jagged", "domed"):
            h = made("massif", character=character, radius=1200.0, stretch_along=1.0)["height"]
            self.assertLess(float(h[0].max()), 0.04 * 900)
            self.assertGreater(float(np.diff(h[0]).std()), 0.05, "no plain is flat")
            self.assertTrue(450 < h.max() < 1100, (character, h.max()))

    def test_dale_has_its_depth_and_lies_along_its_direction(self):
        h = made("valley", winding=0.0, irregularity=0.0, fall=0.0, direction=0.0, depth=320.0)["height"]
        self.assertAlmostEqual(float(h.max() - h.min()), 320.0, delta=1.0)
        self.assertLess(float(np.abs(h - h[128]).max()), 4.0, "a straight valley to the north is the same in every row")
        self.assertAlmostEqual(float(h[128, 128]), 0.0, delta=1.0)

    def test_dale_cuts_into_linked_ground_only_where_it_runs(self):
        recipe, (ground, valley) = chain("fractal_noise", "valley", valley={"depth": 300.0})
        before, after = result(recipe, ground, 2)["height"], result(recipe, valley, 2)["height"]
        self.assertGreater(float((before == after).mean()), 0.3)
        self.assertGreater(float((before - after).max()), 250.0)

    def test_a_fall_sends_the_floor_down_in_its_direction(self):
        h = made("valley", winding=0.0, irregularity=0.0, fall=50.0, direction=90.0)["height"]
        self.assertAlmostEqual(float(h[128, 0] - h[128, 256]), 50.0 * 4.096, delta=3.0)

    def test_ridge_line_is_highest_along_its_line(self):
        h = made("ridge_line", winding=0.0, direction=90.0, spurs=0.0, saddles=0.0)["height"]
        rows = h.argmax(0)
        self.assertLess(float(np.abs(rows - 128).mean()), 6.0)

    def test_slabs_have_gentle_dip_slopes_and_steep_scarps(self):
        h = made("tilted_slabs", direction=90.0, irregularity=0.0, breaks=0.0, scarp=0.15)["height"]
        steps = np.diff(h[128])
        up, down = steps[steps > 0].mean(), -steps[steps < 0].mean()
        self.assertGreater(max(up, down), 2.5 * min(up, down))

    def test_crescents_stand_apart_and_point_their_horns_down_the_wind(self):
        settings = {
            "kind": "crescents",
            "wind": 90.0,
            "irregularity": 0.8,
            "swell": 0.0,
            "spacing": 500.0,
            "relief": 60.0,
        }
        h = made("dunes", 3, **settings)["height"]
        self.assertGreater(float((h == 0).mean()), 0.5, "bare ground between")
        self.assertTrue(30 < h.max() <= 60, h.max())
        labels, _ = ndimage.label(h > 0.5)
        boxes = [
            (k, box) for k, box in enumerate(ndimage.find_objects(labels), 1) if 20 < box[0].stop - box[0].start < 60
        ]
        inner = [k for k, box in boxes if all(s.start > 0 and s.stop < 513 for s in box)]
        self.assertGreater(len(inner), 4)
        for k in inner[:4]:
            rows, columns = np.nonzero(labels == k)
            middle = np.abs(rows - rows.mean()) < 3
            self.assertGreater(columns[~middle].max(), columns[middle].max() + 3, "horns run ahead of the middle")

    def test_ridges_of_sand_fork(self):
        even = made("dunes", 2, wind=90.0, irregularity=0.0, swell=0.0)["height"]
        uneven = made("dunes", 2, wind=90.0, irregularity=0.8, swell=0.0, relief=40.0)["height"]

        def crests(h):
            return {int(((row[1:-1] > row[:-2]) & (row[1:-1] >= row[2:]) & (row[1:-1] > 10)).sum()) for row in h}

        self.assertLessEqual(len(crests(even)), 2)
        self.assertGreater(len(crests(uneven)), 2, "not as many ridges everywhere")

    def test_a_ring_wall_has_benches_and_an_uneven_crest(self):
        smooth, worn = (made("ring_wall", irregularity=v)["height"] for v in (0.0, 0.7))
        crest = [max(h[128, 128:]) for h in (smooth, worn)], [max(h[128:, 128]) for h in (smooth, worn)]
        self.assertAlmostEqual(float(crest[0][0]), float(crest[1][0]), delta=4.0)
        self.assertGreater(abs(float(crest[0][1] - crest[1][1])), 4.0)
        bends = [float(np.abs(np.diff(h[128, 128:200], 2)).mean()) for h in (smooth, worn)]
        self.assertGreater(bends[1], 1.5 * bends[0])

    def test_dunes_lee_is_steeper_than_windward(self):
        h = made("dunes", 3, wind=90.0, irregularity=0.0, swell=0.0)["height"]
        steps = np.diff(h[256])
        self.assertGreater(float(-steps.min()), 1.6 * float(steps.max()))

    def test_drumlins_point_down_ice_and_density_counts(self):
        field = lambda density: scatter.drumlin_field((257, 257), 4096, 16.0, 190, 3.2, 34, density, 0.5, 90.0, 3)
        self.assertEqual(float(field(0.0).max()), 0.0)
        self.assertGreater((field(1.0) > 1).mean(), 1.5 * (field(0.4) > 1).mean())
        gy, gx = np.gradient(field(0.8))
        self.assertGreater(
            float(np.abs(gy).mean()), 1.5 * float(np.abs(gx).mean()), "hills are drawn out along the ice"
        )

    def test_blocks_cover_the_ground_but_for_the_gaps(self):
        tight, wide = (made("blocks", 3, gap=g, size=160.0)["block"].mean() for g in (0.02, 0.4))
        self.assertGreater(tight, 0.85)
        self.assertLess(wide, tight - 0.3)

    def test_blocks_follow_the_ground_and_a_mask_widens_the_gaps(self):
        recipe, node = graph.add(Recipe(), "blocks", params={"size": 160.0, "gap": 0.2})
        recipe, ground = graph.add(recipe, "ramp")
        recipe, mask = graph.add(recipe, "height_band", params={"low": 150.0, "high": 900.0, "falloff": 0.0})
        recipe = graph.link(graph.link(recipe, ground, "height", mask, "height"), mask, "mask", node, "gaps")
        plain = result(recipe, node, 3)
        north, south = plain["block"][:200].mean(), plain["block"][-200:].mean()
        self.assertLess(north, south - 0.1)
        on = result(graph.link(recipe, ground, "height", node, "height"), node, 3)
        np.testing.assert_allclose(on["height"] - plain["height"], result(recipe, ground, 3)["height"], atol=1e-3)

    def test_one_layer_never_shows_what_lies_below(self):
        h = made("blocks", layers=1, tilt=0.0, jitter_up=0.0, tall=24.0)["height"]
        self.assertTrue(float(h.min()) >= 0 and float(h.max()) <= 24.01)


class ShapeTest(unittest.TestCase):
    def test_levels_move_a_range(self):
        before, out = changed("levels", in_low=100.0, in_high=400.0, out_low=0.0, out_high=600.0, bend=1.0)
        np.testing.assert_allclose(out["height"], (before - 100) * 2, atol=0.02)
        held = changed("levels", in_low=200.0, in_high=300.0, out_low=0.0, out_high=10.0, hold=True)[1]["height"]
        self.assertEqual((float(held.min()), float(held.max())), (0.0, 10.0))

    def test_sharpen_adds_what_smooth_takes_away(self):
        before, smooth = changed("smooth", radius=120.0)
        _, sharp = changed("sharpen", radius=120.0, strength=1.0)
        np.testing.assert_allclose(sharp["height"] - before, before - smooth["height"], atol=0.05)

    def test_edge_keeping_smooth_keeps_a_cliff_that_smooth_does_not(self):
        recipe, base = graph.add(
            Recipe(), "plateau", params={"irregularity": 0.0, "rough": 20.0, "edge": 20.0, "talus": 0.0}
        )
        steep = []
        for kind, params in (("edge_smooth", {"radius": 120.0, "edge": 8.0}), ("smooth", {"radius": 120.0})):
            r, node = graph.add(recipe, kind, params=params)
            h = result(graph.link(r, base, "height", node, "height"), node, 3)["height"]
            steep.append(float(np.abs(np.diff(h[256])).max()))
            top = h[236:276, 236:276]
            self.assertLess(float(top.std()), float(result(recipe, base, 3)["height"][236:276, 236:276].std()))
        self.assertGreater(steep[0], 1.5 * steep[1])

    def test_widening_tops_never_lowers_and_floors_never_raises(self):
        before, high = changed("widen", part="high_parts", distance=80.0)
        _, low = changed("widen", part="low_parts", distance=80.0)
        self.assertGreater(float((high["height"] - before).min()), -0.5)
        self.assertLess(float((low["height"] - before).max()), 0.5)
        self.assertGreater(float((high["height"] - before).mean()), 1.0)

    def test_crests_go_up_and_hollows_go_down(self):
        before, out = changed("crests", crests=1.5, hollows=0.0)
        self.assertGreater(float((out["height"] - before).max()), 5.0)
        self.assertGreater(float((out["height"] - before).min()), -3.0)

    def test_bed_folds_are_as_high_as_asked(self):
        before, out = changed("bed_folds", irregularity=0.0, relief=110.0, sharpness=1.0)
        self.assertAlmostEqual(float((out["height"] - before).max() - (out["height"] - before).min()), 110.0, delta=1.0)

    def test_cracks_only_lower_and_their_mask_says_where(self):
        before, out = changed("cracks", 3, width=40.0, depth=20.0, bend=0.0)
        down = before - out["height"]
        self.assertTrue(float(down.min()) >= -0.01 and float(down.max()) <= 20.01)
        np.testing.assert_allclose(down, 20.0 * out["crack"], atol=0.05)

    def test_tilt_by_an_angle(self):
        before, out = changed("tilt", angle=10.0, direction=90.0)
        slope = np.diff(out["height"] - before, axis=1) / 16.0
        np.testing.assert_allclose(slope, -np.tan(np.radians(10.0)), atol=1e-3)

    def test_place_moves_and_turns(self):
        before, out = changed("place", turn=0.0, east=160.0, north=0.0)
        np.testing.assert_allclose(out["height"][:, 10:], before[:, :-10], atol=0.02)
        before, out = changed("place", turn=90.0)
        np.testing.assert_allclose(out["height"], np.rot90(before, -1), atol=0.05)
        before, out = changed("place", turn=0.0, mirror="east_to_west")
        np.testing.assert_allclose(out["height"], before[:, ::-1], atol=0.02)

    def test_repeated_tiles_meet_without_a_step(self):
        _, out = changed("repeat", 3, east=1, north=1, seam=0.3)
        h = out["height"]
        usual = float(np.abs(np.diff(h, axis=1)).mean())
        self.assertLess(float(np.abs(h[:, 0] - h[:, -1]).mean()), 3 * usual)
        self.assertLess(float(np.abs(h[0] - h[-1]).mean()), 3 * usual)

    def test_drape_straight_up_adds_the_detail(self):
        recipe, node = sample_recipe("drape")
        for key, value in (("along", 0.0), ("radius", 0.0)):
            recipe = graph.set_param(recipe, node, key, value)
        (a, pa), (b, pb) = recipe.nodes[node].inputs["height"], recipe.nodes[node].inputs["detail"]
        ground, detail, out = result(recipe, a, 2)[pa], result(recipe, b, 2)[pb], result(recipe, node, 2)["height"]
        rest = out - ground - detail
        self.assertLess(float(rest.max() - rest.min()), 0.01)

    def test_directed_shift_by_nothing_changes_nothing(self):
        before, out = changed("directed_shift", distance=0.0)
        np.testing.assert_allclose(out["height"], before, atol=1e-3)

    def test_distance_to_a_line(self):
        d, along = shapes.to_line(np.array([[0.0, 500.0], [1000.0, 500.0]]), (101, 101), 1000.0, 10.0)
        self.assertAlmostEqual(float(d[0, 50]), 500.0, places=3)
        self.assertAlmostEqual(float(d[50, 50]), 0.0, places=3)
        self.assertAlmostEqual(float(along[50, 25]), 0.25, places=5)


if __name__ == "__main__":
    unittest.main()
