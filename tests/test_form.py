"""Weather keeps the form that the author made: summits, slopes at large and plains stay; valleys are cut between."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from support import chain, result, slow

from gelande.core.evaluate.executor import Cache, Evaluator, Job
from gelande.core.recipe import graph
from gelande.core.recipe.node import registry
from gelande.core.recipe.site import GLOBAL_LEVEL, Site
from gelande.core.regenerate.formchange import form_change
from gelande.kernels import form
from gelande.kernels.measure import slope_degrees

#: Strengths, and what rain may do to a land at each, as shares of its relief: seeds here were not used for tuning.
STRENGTHS = (0.05, 0.2, 0.5, 0.8)
BOUNDS = {
    "summit": (0.01, 0.03, 0.08, 0.12),
    "envelope": (0.02, 0.04, 0.09, 0.14),
    "sunk": (0.03,) * 4,
    "lowered": (0.02, 0.06, 0.13, 0.18),
    "unlike": (0.005, 0.01, 0.03, 0.05),
}


def rained(kind, level=GLOBAL_LEVEL, site=None, land=None, **rain):
    """What rain did to a land. Hollows stay, which sediment fills as the author wishes."""
    ways = {kind: land or {}, "rain_erosion": {"hollows": 0.0, **rain}}
    recipe, ids = chain(kind, "rain_erosion", site=site, **ways)
    engine = Evaluator(Cache(2_000_000_000))
    before, after = (result(recipe, k, level, engine)["height"] for k in ids)
    return before, after, form_change(before, after, recipe.site.spacing(level))


class MeasureTest(unittest.TestCase):
    def test_nothing_and_a_known_change(self):
        y, x = np.mgrid[0:129, 0:129].astype(np.float64)
        cone = np.maximum(0, 60 - np.hypot(y - 64, x - 64)) * 5
        same = form_change(cone, cone, 8.0)
        self.assertEqual((same.summit, same.envelope, same.sunk, same.lowered, same.walls), (0, 0, 0, 0, 0))
        self.assertAlmostEqual(same.unlike, 0.0)
        sunk = form_change(cone, cone - 30, 8.0)  # 300 m high
        self.assertAlmostEqual(sunk.summit, 0.1)
        self.assertAlmostEqual(sunk.sunk, 0.1)
        self.assertAlmostEqual(sunk.lowered, 0.1)
        self.assertGreater(form_change(cone, cone.T[::-1] * 0 + x, 8.0).unlike, 0.5)
        self.assertEqual(form_change(cone, 0 * cone, 8.0).unlike, 1.0)
        wall = np.where(x > 64, 100.0, 0.0)
        self.assertAlmostEqual(form_change(0 * x, wall, 8.0).walls, 2 / 129, places=4)


class RainTest(unittest.TestCase):
    def holds(self, found, strength, kind):
        k = STRENGTHS.index(strength)
        for name, bounds in BOUNDS.items():
            self.assertLessEqual(getattr(found, name), bounds[k], f"{kind} {strength}: {found}")

    @slow
    def test_landforms_keep_their_form_at_every_strength(self):
        for kind, strengths in (("massif", STRENGTHS), ("ridge_noise", (0.2, 0.8)), ("ring_wall", (0.05, 0.5))):
            for strength in strengths:
                land = {"seed": 211}
                found = rained(kind, land=land, strength=strength)[2]
                with self.subTest(kind=kind, strength=strength):
                    self.holds(found, strength, kind)
                    self.assertLessEqual(found.walls, 0.02)

    def test_sites_of_all_sizes_and_shapes(self):
        for site in (Site("Yard", 100.0, 100.0), Site("Region", 100_000.0, 100_000.0), Site("Strip", 8192.0, 2048.0)):
            with self.subTest(site.name):
                self.holds(rained("massif", 2, site, {"seed": 212}, strength=0.5)[2], 0.5, site.name)

    def test_blurred_land_keeps_its_form_too(self):
        recipe, ids = chain("ridge_noise", "smooth", "rain_erosion", ridge_noise={"seed": 213}, smooth={"radius": 150})
        engine = Evaluator(Cache(10**9))
        before, after = (result(recipe, k, 2, engine)["height"] for k in ids[1:])
        self.holds(form_change(before, after, recipe.site.spacing(2)), 0.5, "blurred")

    def test_a_plateau_stays_level_on_top_and_its_plain_stays_a_plain(self):
        before, after, found = rained("plateau", land={"seed": 214}, strength=0.5)
        self.assertLess(found.lowered, 0.1)
        top, plain = (q(before) for q in (lambda a: a > 0.9 * a.max(), lambda a: a < 0.05 * a.max()))
        slope = slope_degrees(after, 8.0, 24.0)
        self.assertLess(float(np.median(slope[top])), 12.0)
        self.assertLess(float(np.median(slope[plain])), 3.0)
        self.assertGreater(float((after[top] > before[top] - 0.1 * before.max()).mean()), 0.55)

    def test_the_less_form_is_kept_the_lower_land_becomes(self):
        lowered = [rained("massif", 2, land={"seed": 215}, form=f)[2].lowered for f in (1.0, 0.5, 0.0)]
        self.assertGreater(lowered[1], lowered[0] + 0.01)
        self.assertGreater(lowered[2], lowered[1] + 0.01)

    def test_it_cuts_more_the_stronger_it_is(self):
        before, *_ = rained("massif", 2, land={"seed": 216}, strength=0.05)
        cut = [
            float(np.maximum(before - rained("massif", 2, land={"seed": 216}, strength=s)[1], 0).mean())
            for s in STRENGTHS
        ]
        self.assertEqual(cut, sorted(cut))
        self.assertGreater(cut[2], 2 * cut[0])

    def test_what_rose_is_told_and_everything_is_accounted_for(self):
        from gelande.core.regenerate.mass import balance

        recipe, (_, rain) = chain("massif", "rain_erosion")
        for kept in (1.0, 0.0):
            wished = graph.set_param(recipe, rain, "form", kept)
            found = balance(Evaluator().raw(Job(wished), rain, 2), None, recipe.site.spacing(2) ** 2)
            self.assertLess(found.fault, 5e-4)
            self.assertEqual(found.risen > 0, kept > 0)
            self.assertEqual("to keep the form" in found.text(), kept > 0)


class KernelTest(unittest.TestCase):
    def test_steep_and_level_land_is_spared_and_bears_more_in_weak_rain(self):
        steep = np.array([[0.0, 0.2, 0.6, 1.2]], np.float32)
        left = form.spared(1.0, steep)[0]
        self.assertEqual(left[1], 1.0)
        self.assertTrue(left[0] < 0.5 and left[3] < left[2] < 1)
        np.testing.assert_array_equal(form.spared(0.0, steep), 1)
        weak, strong = (form.bears(1.0, s, steep, 0.36)[0] for s in (0.02, 0.8))
        self.assertTrue((weak > strong).all())
        self.assertTrue((np.diff(strong) >= 0).all())
        deep = form.shallow(1.0, steep)[0]
        self.assertTrue(deep[0] < 0.2 and deep[1] == 1)

    @given(st.integers(0, 2**31), st.floats(0.05, 1.0), st.floats(0.1, 1.0))
    @settings(max_examples=12, deadline=None)
    def test_ground_rises_no_higher_than_its_aim_and_a_little(self, seed, strength, kept):
        draw = np.random.default_rng(seed)
        aim = draw.normal(0, 50, (65, 65)).astype(np.float32)
        h = (aim - np.abs(draw.normal(0, 30, aim.shape))).astype(np.float32)
        rise = form.Uplift(kept, strength, form.Form(aim, np.full_like(aim, 0.5)), 40, -1, 8.0)
        before, order = h.copy(), np.arange(h.size, dtype=np.int32)
        rise(0, h, draw.exponential(500, aim.shape).astype(np.float32), order, np.full(h.size, -1, np.int32))
        self.assertGreaterEqual(float((h - before).min()), 0.0)
        low, high = np.percentile(aim, (0, 100))
        self.assertLessEqual(float((h - np.maximum(aim, before)).max()), form.ABOVE * strength * float(high - low))
        np.testing.assert_allclose(rise.risen, h - before, atol=1e-4)


class EveryNodeTest(unittest.TestCase):
    def test_what_changes_the_form_by_design_says_so(self):
        kinds = [
            s
            for s in registry().values()
            if s.category in ("Shape", "Weather") and s.outputs and s.result.kind in ("height", "any")
        ]
        self.assertGreater(len([s for s in kinds if s.reshapes]), 10)
        for spec in kinds:
            needed = [p for p in spec.inputs if not p.optional]
            if spec.reshapes or len(needed) != 1 or needed[0].kind not in ("height", "any"):
                continue
            recipe, ids = chain("massif", spec.kind, massif={"seed": 217})
            before, after = (result(recipe, k, 2)["height"] for k in ids)
            found = form_change(before, after, recipe.site.spacing(2))
            for name in ("summit", "envelope", "sunk", "lowered", "unlike"):
                self.assertLessEqual(abs(getattr(found, name)), BOUNDS[name][2], f"{spec.kind}: {found}")


if __name__ == "__main__":
    unittest.main()
