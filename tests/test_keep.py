"""Ground that stays, settings, seed locks, mapped controls, set files and sheets of variants: the part without a
window."""

import hashlib
import json
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
from hypothesis import given as drawn
from hypothesis import settings as limits
from hypothesis import strategies as st
from support import DEMO, chain, result, rms_fraction

from gelande.core.errors import RecipeError
from gelande.core.evaluate.executor import Cache, Evaluator, Job
from gelande.core.recipe import control, geojson, graph, model
from gelande.core.recipe import recipefile as files
from gelande.core.recipe.deliverables import Deliverable
from gelande.core.recipe.node import Target
from gelande.core.recipe.seeds import effective_seed, locked
from gelande.core.recipe.site import Site
from gelande.core.regenerate import kept_ground, preset, setfile, variant
from gelande.core.regenerate.figures import Figures
from gelande.kernels.grid_window import GridWindow
from gelande.kernels.measure import gaussian, slope_degrees
from gelande.kernels.membrane import membrane
from gelande.kernels.outlines import signed_distance
from gelande.nodes.shape.inset import _outside

RING = ((True, False, ((1200, 1500), (2000, 1200), (2700, 1700), (2500, 2600), (1600, 2700))),)
OTHER = ((False, False, ((2400, 1300), (3300, 1000), (3600, 2000), (2300, 2300))),)


def land_and_weather():
    """Noise, a warp, and scree on it; a height band of the noise that goes past the weather."""
    recipe, (noise, _, scree) = chain("fractal_noise", "warp", "scree")
    recipe, band = graph.add(recipe, "height_band")
    recipe = graph.link(recipe, noise, "height", band, "height")
    recipe, mix = graph.add(recipe, "mask_mix")
    recipe = graph.link(recipe, band, "mask", mix, "first")
    recipe = graph.link(recipe, scree, "scree", mix, "second")
    return recipe, noise, scree, mix


def inside(site: Site, level: int, pieces) -> np.ndarray:
    """Samples within straight outlines, a little away from the edge."""
    dx = site.spacing(level)
    return signed_distance(pieces[0][2], 4 * dx, site.shape(level), site.depth, dx) > dx


class KeepTest(unittest.TestCase):
    def setUp(self):
        self.plain, self.noise, self.scree, self.mix = land_and_weather()
        self.engine = Evaluator(Cache(2_000_000_000))

    def height(self, recipe, node, level):
        found = result(recipe, node, level, self.engine)
        return found.get("through", found.get("height"))

    def test_the_step_stands_after_the_last_landform_and_before_the_weather(self):
        kept = kept_ground.add(self.plain, OTHER)
        (step,) = kept_ground.steps(kept)
        self.assertEqual(kept.nodes[step].inputs["through"], ("warp_1", "height"))
        self.assertEqual(kept.nodes[self.scree].inputs["height"], (step, "through"))
        self.assertEqual(kept_ground.add(kept, RING).nodes.keys(), kept.nodes.keys(), "one step serves all areas")

    def test_without_weather_the_step_is_the_end_and_is_delivered(self):
        recipe, ids = chain("fractal_noise", "warp")
        recipe = replace(recipe, deliverables=(Deliverable("Height", ids[1], "height", "height_tiff32"),))
        kept = kept_ground.add(recipe, OTHER)
        (step,) = kept_ground.steps(kept)
        self.assertEqual((kept.deliverables[0].node, kept.deliverables[0].port), (step, "through"))

    def test_inside_not_one_sample_differs_and_far_away_the_new_land_stands(self):
        kept = kept_ground.add(replace(self.plain, seed=7), OTHER)
        (step,) = kept_ground.steps(kept)
        now = replace(kept, seed=0)
        for level in (1, 2, 3, 4):
            old, new = (self.height(replace(self.plain, seed=s), "warp_1", level) for s in (7, 0))
            found, within = self.height(now, step, level), inside(kept.site, level, OTHER)
            np.testing.assert_array_equal(found[within], old[within])
            self.assertGreater(np.abs(found - old)[~within].mean(), 20)
            corner = (slice(0, len(new) // 8), slice(0, len(new) // 8))
            self.assertLess(np.abs(found - new)[corner].mean(), 0.12 * np.abs(old - new)[corner].mean() + 4)

    def test_same_at_every_detail(self):
        now = replace(kept_ground.add(replace(self.plain, seed=7), RING), seed=0)
        (step,) = kept_ground.steps(now)
        coarse, fine = (self.height(now, step, level) for level in (3, 5))
        plain = [self.height(self.plain, "warp_1", level) for level in (3, 5)]
        self.assertLess(rms_fraction(coarse, fine[::4, ::4]), rms_fraction(plain[0], plain[1][::4, ::4]) + 0.0005)

    def test_a_second_area_leaves_the_first_as_it_is(self):
        one = replace(kept_ground.add(replace(self.plain, seed=7), RING), seed=23)
        two = replace(kept_ground.add(one, OTHER), seed=5)
        (step,) = kept_ground.steps(two)
        first, second, now = (self.height(r, step, 3) for r in (replace(one, seed=7), one, two))
        a, b = (inside(two.site, 3, pieces) for pieces in (((False, False, RING[0][2]),), OTHER))
        self.assertGreater((a & b).sum(), 50, "they lie over each other")
        np.testing.assert_array_equal(now[b], second[b])
        np.testing.assert_array_equal(now[a], first[a])

    def test_controls_are_kept_as_well_as_seeds(self):
        recipe = control.publish(self.plain, self.noise, "relief", "Hill height")
        c = recipe.controls[0]
        high = control.set_control(recipe, c, c.high)
        kept = kept_ground.add(high, OTHER)
        low = control.set_control(kept, kept.controls[0], c.low)
        (step,) = kept_ground.steps(low)
        within = inside(low.site, 2, OTHER)
        found, before = self.height(low, step, 2), self.height(high, "warp_1", 2)
        np.testing.assert_array_equal(found[within], before[within])
        self.assertGreater(np.abs(found - before)[0].mean(), 20)

    def test_masks_that_lead_past_the_step_are_blended_with_it(self):
        kept = kept_ground.add(replace(self.plain, seed=7), OTHER)
        found = kept_ground.with_kept_ground(replace(kept, seed=0))
        source, port = found.nodes[self.mix].inputs["first"]
        mask = self.engine.result(Job(found), source, 2)[port]
        old = result(replace(self.plain, seed=7), "height_band_1", 2, self.engine)["mask"]
        new = result(self.plain, "height_band_1", 2, self.engine)["mask"]
        within = inside(kept.site, 2, OTHER)
        np.testing.assert_array_equal(mask[within], old[within])
        np.testing.assert_array_equal(mask[:40, :40], new[:40, :40])

    def test_what_was_computed_for_the_variant_is_not_computed_again(self):
        old = replace(self.plain, seed=7)
        result(old, "warp_1", 3, self.engine)
        now = replace(kept_ground.add(old, OTHER), seed=0)
        (step,) = kept_ground.steps(now)
        names = {u.node for u in self.engine.plan(Job(now), [(step, 3)]).units}
        self.assertEqual({n for n in names if n.endswith("~1") and "height" not in n}, set())
        self.assertIn("warp_1", names)

    def test_a_region_is_a_part_of_the_whole(self):
        now = replace(kept_ground.add(replace(self.plain, seed=7), RING), seed=0)
        whole = result(now, self.scree, 4, Evaluator(Cache(1_000_000_000)))["height"]
        window = GridWindow(300, 410, 220, 190, *whole.shape)
        part = Evaluator().result(replace(Job(now), whole=1), self.scree, 4, window)["height"]
        np.testing.assert_array_equal(part, window.cut(whole, GridWindow.of(whole.shape)))

    def test_an_area_that_is_off_or_alike_changes_nothing(self):
        kept = kept_ground.add(self.plain, RING)
        self.assertEqual(kept_ground.with_kept_ground(kept).nodes, kept.nodes, "the present variant itself")
        off = kept_ground.changed(replace(kept, seed=3), 0, replace(kept.keeps[0], on=False))
        self.assertIs(kept_ground.with_kept_ground(off), off)
        gone = kept_ground.changed(off, 0, None)
        self.assertEqual(gone.keeps, ())

    def test_refusals_say_what_to_do(self):
        with self.assertRaisesRegex(RecipeError, "three points"):
            kept_ground.add(self.plain, ((False, False, ((0, 0), (1, 1))),))
        with self.assertRaisesRegex(RecipeError, "no land yet"):
            kept_ground.add(model.Recipe(), RING)
        full = self.plain
        for _ in range(12):
            full = kept_ground.add(full, RING)
        with self.assertRaisesRegex(RecipeError, "12 areas are kept already"):
            kept_ground.add(full, RING)


class SeamTest(unittest.TestCase):
    """The seam reads as land: its slopes and bends are those of the two lands that it lies between."""

    def test_slope_and_curvature_in_the_seam_are_within_a_tenth(self):
        recipe = files.load(DEMO)
        engine, level = Evaluator(Cache(2_000_000_000)), 3
        site, dx = recipe.site, recipe.site.spacing(3)
        step_of = kept_ground.steps(kept_ground.add(recipe, RING))[0]
        before = kept_ground.add(recipe, RING).nodes[step_of].inputs["through"][0]
        lands = {s: result(replace(recipe, seed=s), before, level, engine)["height"] for s in (0, 7, 23, 40)}
        fractions = {"slope": [], "bend": [], "plain": []}
        for old, new in ((7, 0), (23, 7), (40, 23), (0, 40)):
            for pieces in (RING, OTHER):
                kept = kept_ground.add(replace(recipe, seed=old), pieces)
                found = result(replace(kept, seed=new), step_of, level, engine)["through"]
                node = next(
                    s
                    for n, s in kept_ground.with_kept_ground(replace(kept, seed=new)).nodes.items()
                    if s.kind == "inset"
                )
                context = engine.context(Job(replace(kept, seed=new)), before, level)
                context.p = type(context.p)(node.params)
                away = _outside(context, 2 * kept.keeps[0].width)
                ring = (away > 0) & (away < kept.keeps[0].width)
                t = np.clip(1 - away / kept.keeps[0].width, 0, 1)
                plain = lands[new] + t * (lands[old] - lands[new])
                slope = lambda h, ring=ring: float(slope_degrees(h, dx, 3 * dx)[ring].mean())  # noqa: E731
                bend = lambda h, ring=ring: float(np.abs(np.gradient(np.gradient(h)[1])[1])[ring].mean())  # noqa: E731
                for name, measure, land in (("slope", slope, found), ("bend", bend, found), ("plain", slope, plain)):
                    around = (measure(lands[old]) + measure(lands[new])) / 2
                    fractions[name].append(measure(land) / around)
        for name in ("slope", "bend"):
            self.assertAlmostEqual(float(np.mean(fractions[name])), 1.0, delta=0.1, msg=name)
        self.assertGreater(
            np.mean(fractions["plain"]), np.mean(fractions["slope"]) + 0.05, "a plain blend leaves a wall"
        )
        self.assertEqual(site.shape(level), found.shape)

    def test_a_membrane_keeps_its_edge_and_fades(self):
        fixed = np.zeros((65, 65), bool)
        fixed[28:37, 28:37] = True
        values = np.where(fixed, np.float32(10), np.float32(99))
        found = membrane(values, fixed, 8.0)
        self.assertTrue((found[fixed] == 10).all())
        self.assertTrue(0 < found[32, 0] < 1.5)
        self.assertTrue((np.diff(found[32, 36:]) <= 0).all(), "it falls all the way")
        # a straight edge: u = exp(-x / fade) far from the sides
        wall = np.zeros((9, 200), bool)
        wall[:, 0] = True
        line = membrane(np.ones((9, 200), np.float32), wall, 20.0)[4]
        np.testing.assert_allclose(line[:100], np.exp(-np.arange(100) / 20.0), atol=0.01)


class SettingTest(unittest.TestCase):
    def setUp(self):
        self.recipe = files.load(DEMO)

    def test_a_setting_brings_every_control_back(self):
        recipe = preset.with_preset(self.recipe, "First")
        changed = recipe
        for c in recipe.controls:
            if c.low is not None and c.targets[0].node:
                changed = control.set_control(changed, c, c.low)
        changed = replace(changed, seed=9)
        self.assertGreater(len(preset.differences(changed, preset.capture_preset(changed), recipe.presets[-1])), 5)
        back, told = preset.apply_preset(changed, preset.find_preset(changed, "first"))
        self.assertEqual((told, preset.capture_preset(back, "First")), ([], recipe.presets[-1]))

    def test_what_has_no_place_any_more_is_told(self):
        own = replace(preset.capture_preset(self.recipe), values=(("Gone", 3.0), ("Hill height", 9000.0)))
        back, told = preset.apply_preset(self.recipe, own)
        self.assertEqual(len(told), 2)
        self.assertIn("Gone", told[0])
        self.assertIn("9000", told[1])
        self.assertEqual(preset.capture_preset(back).values, preset.capture_preset(self.recipe).values)

    def test_a_control_that_is_renamed_is_renamed_everywhere(self):
        recipe = kept_ground.add(preset.with_preset(self.recipe, "First"), RING)
        old = control.find(recipe, "Hill height")
        recipe = control.replace_control(recipe, old, replace(old, label="Tops"))
        for held in (recipe.presets[-1], recipe.keeps[0].of):
            self.assertIn("Tops", dict(held.values))
            self.assertEqual(preset.apply_preset(recipe, held)[1], [])

    def test_between_two_settings_numbers_move_evenly(self):
        one = preset.with_preset(self.recipe, "A")
        c = control.find(one, "Hill height")
        two = preset.with_preset(control.set_control(one, c, c.high), "B")
        found = variant.on_the_way(two, *two.presets[-2:], 5)
        values = [control.value_of(v.recipe, c) for v in found]
        np.testing.assert_allclose(np.diff(values), (c.high - values[0]) / 4)
        self.assertEqual([v.name for v in found][::4], ["A", "B"])

    def test_a_recipe_with_all_of_it_survives_its_file(self):
        recipe = kept_ground.add(preset.with_preset(locked(self.recipe, "Landforms", True), "First"), RING)
        recipe = replace(recipe, author="Somebody")
        again = files.loads(files.dumps(recipe))
        self.assertEqual(files.dumps(again), files.dumps(recipe))
        self.assertEqual((again.presets, again.keeps, again.locks), (recipe.presets, recipe.keeps, recipe.locks))


class LockTest(unittest.TestCase):
    def test_a_locked_group_keeps_its_seed_and_the_others_move(self):
        recipe, ids = chain("fractal_noise", "warp", "rain_erosion")
        held = replace(locked(replace(recipe, seed=4), "Landforms", True), seed=11)
        self.assertEqual([effective_seed(held, n) - effective_seed(recipe, n) for n in ids], [4, 4, 11])
        np.testing.assert_array_equal(
            result(held, ids[1], 1)["height"], result(replace(recipe, seed=4), ids[1], 1)["height"]
        )
        self.assertGreater(
            np.abs(result(held, ids[2], 1)["height"] - result(replace(recipe, seed=4), ids[2], 1)["height"]).max(), 0
        )
        self.assertEqual(locked(held, "Landforms", False).locks, ())
        with self.assertRaisesRegex(RecipeError, "no seed group"):
            locked(recipe, "Trees", True)

    def test_a_seed_changes_no_node_that_has_none(self):
        recipe, ids = chain("fractal_noise", "smooth")
        still = graph.set_param(recipe, ids[0], "follow_seed", False)
        keys = [Evaluator().keys(replace(still, seed=s))[ids[1]] for s in (0, 5)]
        self.assertEqual(keys[0], keys[1])


class MappedTest(unittest.TestCase):
    """One control that drives several settings, each by its own way."""

    def setUp(self):
        self.recipe, self.ids = chain("fractal_noise", "terrace")
        self.targets = (
            Target(self.ids[1], "riser_height", span=(10.0, 60.0), curve="Slow start"),
            Target(self.ids[0], "relief", span=(500.0, 200.0), curve="Slow at both ends"),
        )

    def test_ends_and_middle(self):
        c = control.checked_control(self.recipe, model.Control("Age", "", self.targets, 0.0, 1.0))
        recipe = replace(self.recipe, controls=(c,))
        for fraction, riser, height in ((0.0, 10, 500), (0.5, 22.5, 350), (1.0, 60, 200)):
            done = control.set_control(recipe, c, fraction)
            self.assertAlmostEqual(done.nodes[self.ids[1]].value("riser_height"), riser)
            self.assertAlmostEqual(done.nodes[self.ids[0]].value("relief"), height)
            self.assertEqual(control.param_of(done, c).text(control.value_of(done, c)), f"{fraction * 100:.0f} %")

    @drawn(st.floats(0, 1), st.sampled_from(sorted(control.CURVES)))
    @limits(max_examples=80, deadline=None)
    def test_a_control_reads_what_it_has_set(self, fraction, curve):
        c = model.Control("Age", "", (replace(self.targets[0], curve=curve),), 0.0, 1.0)
        done = control.set_control(replace(self.recipe, controls=(c,)), c, fraction)
        self.assertAlmostEqual(control.value_of(done, c), fraction, places=5)

    def test_a_way_that_cannot_be_is_refused(self):
        bad = (
            (replace(self.targets[0], span=(10.0, 10.0)), "between two values"),
            (replace(self.targets[0], span=(-5.0, 10.0)), "between two values"),
            (replace(self.targets[0], curve="Wild"), "no curve"),
            (Target(self.ids[0], "seed", span=(0.0, 9.0), curve="Straight"), "no number that can run"),
        )
        for target, words in bad:
            with self.assertRaisesRegex(RecipeError, words):
                control.checked_control(self.recipe, model.Control("Age", "", (target,), 0.0, 1.0))
        mixed = (self.targets[0], Target(self.ids[0], "relief"))
        with self.assertRaisesRegex(RecipeError, "either all"):
            control.checked_control(self.recipe, model.Control("Age", "", mixed, 0.0, 1.0))

    def test_steps_and_controls_that_depend_on_others(self):
        recipe = control.publish(self.recipe, self.ids[1], "riser_height", "Riser")
        recipe = control.publish(recipe, self.ids[0], "follow_seed", "Moves")
        riser, moves = recipe.controls
        recipe = control.replace_control(recipe, riser, replace(riser, step=5.0, shown_when=("Moves", (True,))))
        riser = recipe.controls[0]
        self.assertEqual(control.stepped(recipe, riser, 22.4), 20.0)
        self.assertTrue(control.shown(recipe, riser))
        self.assertFalse(control.shown(control.set_control(recipe, moves, False), riser))


class SetFileTest(unittest.TestCase):
    def setUp(self):
        self.folder = Path(tempfile.mkdtemp())
        self.base = files.load(DEMO)

    def test_what_an_artist_chose_comes_back_and_the_recipe_stays_untouched(self):
        before = hashlib.sha256(DEMO.read_bytes()).hexdigest()
        c = control.find(self.base, "Hill height")
        chosen = control.set_control(replace(self.base, seed=12), c, 640.0)
        chosen = kept_ground.add(preset.with_preset(chosen, "Mine"), RING, "The bend")
        chosen = replace(locked(chosen, "Landforms", True), seed=31)
        path = self.folder / "varrowdale.gelande-set"
        setfile.save(chosen, self.base, path, DEMO.name)
        again, told = setfile.load(path, self.base)
        self.assertEqual(told, [])
        for one in ("seed", "locks", "keeps", "presets"):
            self.assertEqual(getattr(again, one), getattr(chosen, one), one)
        self.assertEqual(preset.capture_preset(again), preset.capture_preset(chosen))
        self.assertEqual(kept_ground.steps(again), kept_ground.steps(chosen))
        self.assertEqual(hashlib.sha256(DEMO.read_bytes()).hexdigest(), before)

    def test_broken_files_are_one_sentence(self):
        path = self.folder / "bad.gelande-set"
        for text, words in (
            ("{", "not valid JSON"),
            ("{}", "no set file"),
            ('{"format": "gelande set", "version": 9}', "newer Gelande"),
            ('{"format": "gelande set", "version": 1, "now": {"seed": -4}}', "damaged at now › seed"),
            ('{"format": "gelande set", "version": 1, "now": {"locks": {"Trees": 4}}}', "no seed group"),
        ):
            path.write_text(text)
            with self.assertRaisesRegex(RecipeError, words) as caught:
                setfile.load(path, self.base)
            self.assertIn("bad.gelande-set", str(caught.exception))


class AreaTest(unittest.TestCase):
    def test_geojson_comes_back_and_strangers_are_refused(self):
        path = Path(tempfile.mkdtemp()) / "a.geojson"
        pieces = (
            (False, False, ((0.0, 0.0), (100.0, 0.0), (100.0, 90.0))),
            (False, True, ((10.0, 5.0), (20.0, 5.0), (20.0, 9.0))),
        )
        path.write_text(geojson.written(pieces, "A"))
        self.assertEqual(geojson.read(path), pieces)
        for block, words in (
            ({"type": "Point", "coordinates": [1, 2]}, "no polygon"),
            ({"type": "Polygon", "coordinates": [[["x", 2], [3, 4], [5, 6]]]}, "not two numbers"),
        ):
            path.write_text(json.dumps(block))
            with self.assertRaisesRegex(RecipeError, words):
                geojson.read(path)

    def test_outlines_of_a_mask_cover_it(self):
        site, level = Site(), 2
        rows, columns = site.shape(level)
        y, x = np.mgrid[:rows, :columns]
        far = np.hypot(y - 120, x - 40)
        mask = ((far < 70) & (far > 25)).astype(np.float32)
        pieces = geojson.of_mask(gaussian(mask, 1.0), site, level)
        self.assertEqual([cut for _, cut, _ in pieces], [False, True])
        found = np.zeros(mask.shape, bool)
        for _, cut, points in pieces:
            within = signed_distance(points, 50.0, mask.shape, site.depth, site.spacing(level)) > 0
            found = found & ~within if cut else found | within
        self.assertLess((found != (mask > 0.5)).mean(), 0.005)
        with self.assertRaisesRegex(RecipeError, "white nowhere"):
            geojson.of_mask(np.zeros((65, 65), np.float32), site, 0)


class SpreadTest(unittest.TestCase):
    def setUp(self):
        self.recipe = files.load(DEMO)

    def test_two_controls_make_a_grid(self):
        a, b = (control.find(self.recipe, n) for n in ("Hill height", "Valley width"))
        found = variant.grid(self.recipe, a, b, 16)
        values = [(control.value_of(v.recipe, a), control.value_of(v.recipe, b)) for v in found]
        self.assertEqual(len(set(values)), 16)
        self.assertEqual((values[0], values[-1]), ((a.low, b.low), (a.high, b.high)))

    def test_seeds_are_no_control_to_sweep(self):
        can = [c.label for c in self.recipe.controls if variant.can_sweep(self.recipe, c)]
        self.assertNotIn("Seed", can)
        self.assertIn("Hill height", can)

    def test_order_by_a_figure(self):
        found = [Figures({"flat": v}) for v in (3.0, 9.0, 1.0)] + [None]
        self.assertEqual(variant.order(found, "flat"), [1, 0, 2, 3])
        self.assertEqual(variant.order(found, "flat", rising=True), [2, 0, 1, 3])
        self.assertEqual(variant.order(found, ""), [0, 1, 2, 3])


if __name__ == "__main__":
    unittest.main()
