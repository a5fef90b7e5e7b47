"""Rules that hold for every node, tested over the registry: same at every detail, same every time, finite,
stoppable."""

import math
import random
import unittest
import zlib

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from scipy.ndimage import grey_closing
from support import chain, kinds, of_kinds, result, rms_fraction, slow

from gelande.core.errors import NodeError, Stopped
from gelande.core.evaluate.executor import Cache, Evaluator, Job
from gelande.core.recipe import graph, model
from gelande.core.recipe.node import INDEX, registry
from gelande.core.recipe.site import GLIMPSE, Site
from gelande.kernels import bands, noise
from gelande.kernels.grid_window import GridWindow
from gelande.samples import sample_recipe

KINDS = kinds()


def draw_value(draw, param):
    """A value inside the hard range, mostly inside the soft one."""
    if param.kind == "choice":
        return draw(st.sampled_from(param.choices))
    if param.kind == "toggle":
        return draw(st.booleans())
    if param.kind in ("count", "seed"):
        return draw(st.integers(int(param.soft[0]), int(param.soft[1])) | st.sampled_from([int(v) for v in param.hard]))
    if param.kind == "number":
        wide = st.sampled_from([v for v in param.hard if math.isfinite(v)])
        return float(draw(st.floats(*param.soft) | wide))
    if param.kind in ("curve", "ramp"):
        size = 4 if param.kind == "ramp" else 2
        return draw(st.lists(st.tuples(*[st.floats(0, 1)] * size), min_size=2, max_size=8))
    return param.default


class EveryNode(unittest.TestCase):
    @of_kinds
    def test_a_glimpse_asks_for_nothing_finer_and_looks_like_what_follows(self):
        for kind in KINDS:
            recipe, node = sample_recipe(kind)
            evaluator = Evaluator(Cache(1_000_000_000))
            asked = {unit.level for unit in evaluator.plan(Job(recipe), [(node, GLIMPSE)]).units}
            glimpse = evaluator.run(Job(recipe), node, GLIMPSE)
            self.assertEqual(asked, {GLIMPSE}, kind)
            self.assertEqual({key[1] for key, _ in evaluator.cache.entries()}, {GLIMPSE}, kind)
            fine = result(recipe, node, 1, evaluator)
            for port in registry()[kind].outputs:
                a, b = glimpse[port.id], fine[port.id][::2, ::2]
                self.assertEqual(a.shape, b.shape)
                self.assertTrue(np.isfinite(a).all(), f"{kind}.{port.id}")
                if port.kind in ("height", "any"):
                    self.assertLess(rms_fraction(a, b), 0.12, f"{kind}.{port.id}")

    @of_kinds
    @slow
    def test_same_at_every_detail(self):
        """513 samples beside a quarter of 2049, another one for each kind."""
        evaluator = Evaluator(Cache(3_000_000_000))  # most stand on the same land
        for kind in KINDS:
            turn = zlib.crc32(kind.encode())  # of its own name: a new kind moves no other's corner
            recipe, node = sample_recipe(kind)
            if kind == "scree":  # the sample ground is too gentle for it to slide
                recipe = graph.set_param(recipe, node, "repose", 16.0)
            if kind == "glacier":  # and too low for much ice to be left
                recipe = graph.set_param(recipe, node, "left", 1.0)
            grid, coarse = recipe.site.shape(5), result(recipe, node, 3, evaluator)
            masks = [coarse[p.id] for p in registry()[kind].outputs if p.kind in ("mask", "colour") and p.role != INDEX]
            corners = [(256 * (k % 2), 256 * (k // 2 % 2)) for k in range(turn, turn + 4)]
            whitest = [min((m[t : t + 257, q : q + 257].max() for m in masks), default=1.0) for t, q in corners]
            # another corner for each kind, of those in which there is something to compare
            top, left = next((c for c, white in zip(corners, whitest) if white > 0.3), corners[0])
            # Stones lie in one corner: there alone a difference would count as much as four of all the site.
            quarter = GridWindow.of(grid) if kind == "scree" else GridWindow(4 * top, 4 * left, 1025, 1025, *grid)
            fine = evaluator.result(Job(recipe, whole=1025 * 1025), node, 5, quarter)
            for port in registry()[kind].outputs:
                with self.subTest(f"{kind}.{port.id}"):
                    b = fine[port.id][::4, ::4]
                    a = quarter.coarser(2, 0).cut(coarse[port.id], GridWindow.of(recipe.site.shape(3)))
                    if port.kind in ("height", "any"):
                        self.assertLess(rms_fraction(a, b), 0.01)
                        self.assertLess(
                            float(np.percentile(np.abs(a - b), 99)) / max(float(a.max() - a.min()), 1e-6), 0.04
                        )
                    elif port.role == INDEX:
                        self.assertGreater(len(np.unique(a)), 1, "there is something to compare")
                        self.assertLess(float((a != b).mean()), 0.05, "another one is the strongest")
                    else:
                        self.assertGreater(float(a.max()), 0.3, "there is something to compare")
                        self.assertLess(float(np.abs(a - b).mean()), 0.02)
                        # Most of a thin mask is black: what is white has to agree as well.
                        self.assertLess(float(np.abs(a - b).sum() / np.maximum(a, b).sum()), 0.36)

    @of_kinds
    @slow
    def test_same_at_every_detail_in_random_settings_that_the_coarse_grid_can_show(self):
        """Sizes are kept to twelve samples or more and octaves to four: what lies below two samples is left out by
        rule."""
        sizes = {
            "feature_size",
            "size",
            "spacing",
            "width",
            "ridge_spacing",
            "gully_spacing",
            "stone",
            "horizon",
            "large",
            "small",
            "ripple_spacing",
        }
        evaluator = Evaluator(Cache(3_000_000_000))
        for number, kind in enumerate(KINDS):
            turn = number % 2
            recipe, node = sample_recipe(kind)
            recipe = graph.shuffle(recipe, node, random.Random(f"{kind} {turn}"))
            params = recipe.nodes[node].params
            for p in registry()[kind].params:
                if p.id in sizes:
                    recipe = graph.set_param(recipe, node, p.id, max(params[p.id], 12 * recipe.site.spacing(3)))
                if p.id == "octaves":
                    finest = recipe.nodes[node].params.get("feature_size", 96.0) / (4 * recipe.site.spacing(3))
                    most = 1 + int(
                        math.log(max(finest, 1.0)) / math.log(recipe.nodes[node].params.get("lacunarity", 2.0))
                    )
                    recipe = graph.set_param(recipe, node, p.id, min(params[p.id], most))
                if kind == "terrace" and p.id == "count":
                    recipe = graph.set_param(recipe, node, p.id, min(params[p.id], 12))
            coarse, grid = result(recipe, node, 3, evaluator), recipe.site.shape(4)
            half = GridWindow.of(grid) if kind == "scree" else GridWindow(0, 512 * turn, 1025, 513, *grid)
            fine = evaluator.result(Job(recipe, whole=513 * 513), node, 4, half)
            for port in registry()[kind].outputs:
                with self.subTest(f"{kind}.{port.id} {params}"):
                    b = fine[port.id][::2, ::2]
                    a = half.coarser(1, 0).cut(coarse[port.id], GridWindow.of(recipe.site.shape(3)))
                    if port.kind in ("height", "any") and a.max() - a.min() > 1e-3:
                        self.assertLess(rms_fraction(a, b), 0.01)
                    elif port.kind not in ("height", "any"):
                        self.assertLess(float(np.abs(a - b).mean()), 0.02)

    @of_kinds
    @slow
    def test_same_bytes_every_time_and_with_any_number_of_threads(self):
        self.addCleanup(bands.set_threads, bands.threads())
        for kind in KINDS:
            with self.subTest(kind):
                recipe, node = sample_recipe(kind, Site("Sample", base=32))
                found = []
                for threads in (1, 2, 2):
                    bands.set_threads(threads)
                    noise.forget()
                    outs = result(
                        recipe,
                        node,
                        4 if recipe.nodes[node].reads(recipe.site).own else 2,
                        Evaluator(Cache(3_000_000_000)),
                    )
                    found.append([outs[p.id].tobytes() for p in registry()[kind].outputs])
                self.assertEqual(found[0], found[1])
                self.assertEqual(found[1], found[2])

    @of_kinds
    @slow
    def test_does_something_by_default(self):
        for kind in KINDS:
            if kind == "level" or registry()[kind].category == "Order":
                continue
            with self.subTest(kind):
                recipe, node = sample_recipe(kind)
                if kind == "largest_patches":  # high ground alone lies in areas of many sizes
                    recipe = graph.set_param(recipe, "height_band_1", "low", 300.0)
                    recipe = graph.set_param(graph.set_param(recipe, node, "way", "by_number"), node, "count", 1)
                if kind == "things":  # without a mask they stand everywhere
                    recipe, patches = graph.add(recipe, "patches")
                    recipe = graph.link(recipe, patches, "mask", node, "where")
                if kind == "scree":  # the sample ground is too gentle for it to slide
                    recipe = graph.set_param(recipe, node, "repose", 30.0)
                state = recipe.nodes[node]
                out = result(recipe, node, 2)[state.spec.main.id]
                self.assertGreater(float(out.std()), 1e-3)
                if kind == "lakes":  # the land stays; the water stands on it
                    self.assertGreater(float(result(recipe, node, 2)["water"].max()), 0.5)
                elif state.spec.base in state.inputs:
                    source = state.inputs[state.spec.base]
                    self.assertFalse(np.array_equal(out, result(recipe, source[0], 2)[source[1]]))

    @of_kinds
    def test_a_stop_before_it_begins_raises_and_caches_nothing(self):
        for kind in KINDS:
            with self.subTest(kind):
                recipe, node = sample_recipe(kind)
                evaluator, job = Evaluator(), Job(recipe)
                job.stop.set()
                with self.assertRaises(Stopped):
                    evaluator.result(job, node, 2)
                self.assertEqual(evaluator.cache.size, 0)

    @of_kinds
    @given(st.data())
    @settings(max_examples=150, deadline=None, suppress_health_check=list(HealthCheck))
    def test_finite_whatever_the_parameters(self, data):
        kind = data.draw(st.sampled_from(KINDS))
        size = data.draw(st.sampled_from([100.0, 4096.0, 100_000.0]))
        recipe, node = sample_recipe(kind, Site("Any", size, size))
        params = {p.id: p.check(draw_value(data.draw, p)) for p in registry()[kind].all_params}
        recipe = recipe.with_node(node, graph.replace(recipe.nodes[node], params=params))
        heights = [p.id for p in registry()[kind].all_inputs if p.kind in ("height", "any")]
        if params.get("where") in ("height", "slope", "facing") and not set(heights) & set(recipe.nodes[node].inputs):
            recipe, ground = graph.add(recipe, "ramp")
            recipe = graph.link(recipe, ground, "height", node, heights[-1])
        # The node's own computation, before the engine looks at it: the engine would refuse what is not finite, and
        # clamp masks.
        evaluator = Evaluator()
        made = registry()[kind].compute(evaluator.context(Job(recipe), node, 1))
        for port in registry()[kind].outputs:
            self.assertTrue(np.isfinite(made[port.id]).all(), f"{kind}.{port.id} with {params}")
            if port.kind == "mask":
                self.assertTrue(
                    made[port.id].min() >= -1e-4 and made[port.id].max() <= 1.0001, f"{kind}.{port.id} with {params}"
                )
        try:
            evaluator.result(Job(recipe), node, 1)
        except NodeError as error:
            self.fail(f"{error} with {params}")

    @of_kinds
    @slow
    def test_oblong_sites(self):
        for width, depth in ((6000, 1500), (9600, 150), (150, 9600)):
            for kind in KINDS:
                with self.subTest(f"{kind} {width}"):
                    recipe, node = sample_recipe(kind, Site.fitted("Oblong", width, depth))
                    for level in (1, 2, 4) if min(width, depth) < 1000 else (2,):
                        out = result(recipe, node, level)[registry()[kind].main.id]
                        self.assertEqual(out.shape[:2], recipe.site.shape(level))
                    if width == 6000 and registry()[kind].main.kind == "height" and kind != "level":
                        self.assertGreater(float(out.std()), 1e-3)

    @of_kinds
    @slow
    def test_defaults_change_the_land_by_the_same_share_on_small_and_large_sites(self):
        for kind in KINDS:
            spec = registry()[kind]
            if spec.main.kind != "height" or not spec.base or spec.category == "Order":
                continue
            fractions = []
            for size in (100.0, 4096.0, 100_000.0):
                recipe, node = sample_recipe(kind, Site("Any", size, size))
                before, evaluator = recipe.nodes[node].inputs.get(spec.base), Evaluator()
                if before is None:  # an optional base is not linked: the node stands alone
                    break
                h, out = (
                    evaluator.result(Job(recipe), *end)[port]
                    for *end, port in ((before[0], 2, before[1]), (node, 2, spec.main.id))
                )
                fractions.append(float(np.abs(out - h).mean()) / float(h.max() - h.min()))
            with self.subTest(f"{kind} {fractions}"):
                for fraction in fractions[:1] + fractions[2:]:
                    self.assertLess(abs(fraction - fractions[1]), max(fractions[1] / 3, 2e-5))

    @of_kinds
    @slow
    def test_default_masks_are_as_white_on_small_and_large_sites(self):
        for kind in KINDS:
            masks = [p.id for p in registry()[kind].outputs if p.kind == "mask"]
            if not masks:
                continue
            found = []
            for size in (100.0, 4096.0, 100_000.0):
                recipe, node = sample_recipe(kind, Site("Any", size, size))
                outs = result(recipe, node, 2)
                found.append([float(outs[m].mean()) for m in masks])
            for m, small, usual, large in zip(masks, *found):
                with self.subTest(f"{kind}.{m} {small:.4f} {usual:.4f} {large:.4f}"):
                    self.assertLess(max(abs(small - usual), abs(large - usual)), max(usual / 3, 0.004))

    @of_kinds
    def test_starting_points_and_defaults_lie_inside_the_hard_range_on_any_site(self):
        for kind in KINDS:
            spec = registry()[kind]
            for size in (10.0, 100.0, 4096.0, 500_000.0):
                for p in spec.all_params:
                    p.check(p.initial(size))
                    low, high = p.scaled_soft(size) if p.numeric else (0, 1)
                    self.assertLess(low, high, f"{kind}.{p.id} on {size} m")
                for _name, values in spec.starting_points:
                    for param_id, value in values.items():
                        spec.param(param_id).check(spec.param(param_id).fitted(value, size))

    def test_where_without_a_ground_waits_and_says_what_to_link(self):
        recipe, node = sample_recipe("mask_mix")
        for where in ("height", "slope", "facing"):
            restricted = graph.set_param(recipe, node, "where", where)
            with self.assertRaisesRegex(NodeError, "no ground to read it from; link a height to its Ground for Where"):
                result(restricted, node, 1)
            restricted, ramp = graph.add(restricted, "ramp")
            linked = result(graph.link(restricted, ramp, "height", node, "ground"), node, 1)["mask"]
            self.assertFalse(np.array_equal(linked, result(recipe, node, 1)["mask"]), "and then it restricts")

    @slow
    def test_a_range_is_kept_at_every_detail(self):
        for finish, low, high in (
            ({"stretch": True, "stretch_low": 0.0, "stretch_high": 1000.0}, 0.0, 1000.0),
            ({"rest_on_zero": True}, 0.0, None),
        ):
            recipe, node = sample_recipe("fractal_noise")
            recipe = graph.set_param(recipe, node, "gain", 0.7)
            plain, evaluator = recipe, Evaluator(Cache(2_000_000_000))
            for key, value in finish.items():
                recipe = graph.set_param(recipe, node, key, value)
            for level in (1, 3, 5):
                h = result(recipe, node, level, evaluator)["height"]
                self.assertGreaterEqual(float(h.min()), low)
                self.assertLess(float(h.min()), 20.0, "and it comes near its end")
                if high is not None:
                    self.assertLessEqual(float(h.max()), high)
                    self.assertGreater(float(h.max()), 980.0)
            free = result(plain, node, 5, evaluator)["height"]
            self.assertTrue((np.diff(h.ravel()[np.argsort(free, axis=None)]) >= 0).all(), "higher ground stays higher")

    @of_kinds
    @slow
    def test_flat_ground_gives_no_error(self):
        for kind in KINDS:
            spec = registry()[kind]
            if not any(p.kind == "height" for p in spec.inputs):
                continue
            with self.subTest(kind):
                recipe, node = sample_recipe(kind)
                for other, state in list(recipe.nodes.items()):
                    if state.kind in ("fractal_noise", "ridge_noise") and other != node:
                        recipe = graph.set_param(recipe, other, "relief", 0.0)
                made = registry()[kind].compute(Evaluator().context(Job(recipe), node, 2))
                for port in spec.outputs:
                    self.assertTrue(np.isfinite(made[port.id]).all(), port.id)

    def test_a_node_that_raises_is_told_not_fatal(self):
        import gelande.core.recipe.node as N

        recipe, node = sample_recipe("smooth")
        spec = registry()["smooth"]
        broken = N.NodeSpec(
            **{**{f: getattr(spec, f) for f in spec.__dataclass_fields__}, "compute": lambda ctx: 1 / 0}
        )
        N._REGISTRY["smooth"] = broken
        self.addCleanup(N._REGISTRY.__setitem__, "smooth", spec)
        recipe, node = sample_recipe("smooth")
        with self.assertRaisesRegex(NodeError, "Smooth: failed inside"):
            result(recipe, node, 1)
        for wrong, words in (
            (lambda ctx: {"height": np.full(ctx.shape, np.nan)}, "not numbers"),
            (lambda ctx: {"height": np.zeros((3, 3))}, "samples where"),
        ):
            N._REGISTRY["smooth"] = N.NodeSpec(
                **{**{f: getattr(spec, f) for f in spec.__dataclass_fields__}, "compute": wrong}
            )
            recipe, node = sample_recipe("smooth")
            with self.assertRaisesRegex(NodeError, words):
                result(recipe, node, 1)


class Particular(unittest.TestCase):
    """What single nodes promise."""

    def test_terrace_makes_level_treads_at_the_riser_height(self):
        recipe, ramp = graph.add(model.Recipe(), "ramp", params={"low": 0.0, "high": 400.0})
        recipe, node = graph.add(
            recipe, "terrace", params={"riser_height": 40.0, "sharpness": 1.0, "irregularity": 0.0, "follow": 0.0}
        )
        h = result(graph.link(recipe, ramp, "height", node, "height"), node, 3)["height"][:, 100]
        near = np.abs(h[:, None] - np.arange(0, 401, 40)[None]).min(1)
        self.assertGreater((near < 2.0).mean(), 0.6)
        self.assertLess(float(np.diff(h[::-1]).min()), 0.3, "treads never fall back")

    @slow
    def test_terrace_makes_no_slits_of_rills(self):
        recipe, (_, rain, terrace) = chain("massif", "rain_erosion", "terrace")
        engine = Evaluator(Cache(2_000_000_000))
        before, after = (
            np.percentile(grey_closing(h, 3) - h, 99.9)
            for h in (result(recipe, node, 4, engine)["height"] for node in (rain, terrace))
        )
        self.assertLess(float(after), 1.6 * float(before), "metres that narrow hollows are deep")

    def test_clip_holds_its_limits(self):
        recipe, _ids = sample_recipe("clip"), None
        recipe, node = recipe
        for key, value in (("floor", 200.0), ("ceiling", 300.0), ("edge", "hard")):
            recipe = graph.set_param(recipe, node, key, value)
        h = result(recipe, node, 2)["height"]
        self.assertEqual((float(h.min()), float(h.max())), (200.0, 300.0))

    def test_mix_higher_is_never_below_either_and_seams_are_smooth(self):
        recipe, node = sample_recipe("mix")
        recipe = graph.set_param(recipe, node, "way", "higher")
        first, second = (result(recipe, s, 2)[o] for s, o in recipe.nodes[node].inputs.values())
        out = result(recipe, node, 2)["height"]
        self.assertGreaterEqual(float((out - np.maximum(first, second)).min()), -1e-3)
        self.assertLessEqual(float((out - np.maximum(first, second)).max()), 30 / 4 + 1e-3)

    def test_dome_stands_where_it_is_put(self):
        recipe, node = graph.add(model.Recipe(), "dome", params={"east": 0.25, "north": 0.75, "relief": 100.0})
        h = result(recipe, node, 2)["height"]
        self.assertEqual(np.unravel_index(h.argmax(), h.shape), (64, 64))

    def test_ramp_rises_towards_its_direction(self):
        recipe, node = graph.add(model.Recipe(), "ramp", params={"direction": 90.0})
        h = result(recipe, node, 1)["height"]
        self.assertTrue((np.diff(h, axis=1) > 0).all())
        self.assertAlmostEqual(float(np.abs(np.diff(h, axis=0)).max()), 0.0, places=4)


if __name__ == "__main__":
    unittest.main()
