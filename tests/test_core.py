"""Site, parameters, graph, recipe files, control sheet, variants: the model without a window."""

import json
import unittest
from dataclasses import replace
from pathlib import Path

import jsonschema
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from support import DEMO, ROOT, chain, result

from gelande.core.errors import RecipeError
from gelande.core.evaluate.executor import Cache, Evaluator, Job
from gelande.core.recipe import clipboard, control, graph, kinds, model, param
from gelande.core.recipe import param as P
from gelande.core.recipe import recipefile as files
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.node import registry, spec_of
from gelande.core.recipe.recipefile import dumps, loads
from gelande.core.recipe.site import Site
from gelande.core.regenerate import preset, variant


class SiteTest(unittest.TestCase):
    def test_levels_have_the_counts_that_engines_want(self):
        self.assertEqual([Site().samples(k) for k in range(1, 8)], [129, 257, 513, 1025, 2049, 4097, 8193])
        self.assertEqual(Site().shape(3), (513, 513))
        self.assertAlmostEqual(Site().spacing(3), 8.0)

    def test_every_sample_of_a_level_is_a_sample_of_the_next(self):
        site = Site.fitted("Oblong", 5000, 2000)
        for level in range(1, 6):
            rows, columns = site.shape(level)
            self.assertEqual(site.shape(level + 1), (2 * rows - 1, 2 * columns - 1))
            self.assertAlmostEqual(site.spacing(level) * (columns - 1), site.width)
            self.assertAlmostEqual(site.spacing(level) * (rows - 1), site.depth)

    @given(st.floats(20, 500_000), st.floats(20, 500_000))
    @settings(max_examples=60, deadline=None)
    def test_fitted_always_gives_a_site_with_square_cells(self, width, depth):
        site = (
            Site.fitted("Any", width, depth)
            if min(width, depth) * 8 >= max(width, depth)
            else Site.fitted("Any", width, width)
        )
        rows, columns = site.shape(2)
        self.assertAlmostEqual(site.width / (columns - 1), site.depth / (rows - 1), delta=1e-6 * site.long_side)

    def test_unknown_detail_names_those_there_are(self):
        with self.assertRaisesRegex(RecipeError, "129, 257, 513"):
            Site().level_of(500)
        self.assertEqual(Site().level_of(2049), Site().level_of(2048))


class ParamTest(unittest.TestCase):
    riser = param.metres("riser", "Riser height", 26, "", (0.1, 3000))

    def test_typed_values_take_units_and_commas(self):
        for text, value in (("26", 26), ("26 m", 26), ("0.4 km", 400), ("12,5", 12.5), ("−0", 0)):
            if value >= 0.1:
                self.assertAlmostEqual(self.riser.parse(text), value)
        self.assertAlmostEqual(param.fraction("a", "Amount", 1, "").parse("35 %"), 0.35)
        self.assertAlmostEqual(param.degrees("a", "Dip", 1, "").parse("34°"), 34)

    def test_a_value_outside_names_parameter_value_and_range(self):
        with self.assertRaisesRegex(ValueError, "Riser height is 9000 m, outside 0.1 m to 3000 m"):
            self.riser.check(9000)

    def test_wrong_types_are_refused(self):
        for value in (True, "x", None, float("nan"), float("inf"), [1]):
            with self.assertRaises(ValueError):
                self.riser.check(value)

    @given(st.floats(0.1, 3000))
    @settings(max_examples=100, deadline=None)
    def test_shown_text_reads_back_to_what_is_shown(self, value):
        shown = self.riser.text(value)
        self.assertEqual(self.riser.text(self.riser.parse(shown) if self.riser.parse(shown) >= 0.1 else 0.1), shown)

    def test_defaults_lie_inside_their_ranges_and_carry_help(self):
        for spec in registry().values():
            for p in spec.all_params:
                self.assertEqual(p.check(p.default), p.default, f"{spec.kind}.{p.id}")
                self.assertTrue(p.help.endswith((".", ":")), f"{spec.kind}.{p.id} needs a sentence")
                if p.numeric:
                    self.assertTrue(p.hard[0] <= p.soft[0] < p.soft[1] <= p.hard[1], f"{spec.kind}.{p.id}")
            if spec.outputs and spec.category != "Order":
                self.assertGreaterEqual(len(spec.starting_points), 2, f"{spec.kind} needs starting points")
            for _name, values in spec.starting_points:
                for key, value in values.items():
                    spec.param(key).check(value)


class GraphTest(unittest.TestCase):
    def test_kinds_must_match(self):
        recipe, (noise, band) = chain("fractal_noise", "height_band")
        recipe, terrace = graph.add(recipe, "terrace")
        with self.assertRaisesRegex(RecipeError, "takes height, not mask"):
            graph.link(recipe, band, "mask", terrace, "height")

    def test_a_circle_is_refused(self):
        recipe, (_, a, b) = chain("fractal_noise", "smooth", "smooth")
        with self.assertRaisesRegex(RecipeError, "circle"):
            graph.link(recipe, b, "height", a, "height")

    def test_removing_joins_what_was_before_and_after(self):
        recipe, (a, b, c) = chain("fractal_noise", "smooth", "terrace")
        recipe = graph.remove(recipe, [b])
        self.assertEqual(recipe.nodes[c].inputs["height"], (a, "height"))

    def test_inserting_into_a_link(self):
        recipe, (a, c) = chain("fractal_noise", "terrace")
        recipe, b = graph.add(recipe, "smooth")
        recipe = graph.insert(recipe, b, c, "height")
        self.assertEqual(
            (recipe.nodes[b].inputs["height"], recipe.nodes[c].inputs["height"]), ((a, "height"), (b, "height"))
        )

    def test_linking_a_mask_turns_where_and_back(self):
        recipe, (a, b) = chain("fractal_noise", "terrace")
        recipe, m = graph.add(recipe, "height_band")
        recipe = graph.link(graph.link(recipe, a, "height", m, "height"), m, "mask", b, "mask")
        self.assertEqual(recipe.nodes[b].params["where"], "mask")
        self.assertEqual(graph.unlink(recipe, b, "mask").nodes[b].params["where"], "all")

    def test_replacing_keeps_links_and_like_named_parameters(self):
        recipe, (a, b, c) = chain("fractal_noise", "smooth", "terrace", fractal_noise={"feature_size": 777.0})
        recipe = graph.replace_kind(recipe, a, "ridge_noise")
        self.assertEqual(recipe.nodes[a].params["feature_size"], 777.0)
        self.assertEqual(recipe.nodes[b].inputs["height"], (a, "height"))

    def test_a_junction_carries_the_kind_that_enters_it(self):
        recipe, (a, j) = chain("fractal_noise", "junction")
        self.assertEqual(kinds.output_port(recipe, j, "through").kind, "height")
        recipe, edge = graph.add(recipe, "mask_edge")
        self.assertIn("takes mask, not height", graph.can_link(recipe, j, "through", edge, "first"))

    def test_shuffle_stays_in_the_soft_ranges_and_can_change_one_setting(self):
        import random

        for kind, spec in registry().items():
            recipe, node = graph.add(model.Recipe(), kind)
            shuffled = graph.shuffle(recipe, node, random.Random(4)).nodes[node].params
            for p in spec.params:
                if p.numeric:
                    self.assertTrue(p.soft[0] - 1e-6 <= shuffled[p.id] <= p.soft[1] + 1e-6, f"{kind}.{p.id}")
        recipe, (a, b) = chain("fractal_noise", "terrace")
        one = graph.shuffle(recipe, b, random.Random(1), "riser_height").nodes[b].params
        changed = [k for k, v in one.items() if v != recipe.nodes[b].params[k]]
        self.assertEqual(changed, ["riser_height"])
        self.assertEqual(graph.next_seed(recipe, b).nodes[b].params["seed"], 2)

    def test_edits_leave_the_recipe_before_alone(self):
        recipe, (a, b) = chain("fractal_noise", "terrace")
        before = files.dumps(recipe)
        graph.remove(graph.set_param(recipe, b, "riser_height", 99), [a])
        self.assertEqual(files.dumps(recipe), before)


class FileTest(unittest.TestCase):
    def test_the_demo_reads_and_writes_to_the_same_text(self):
        text = DEMO.read_text()
        self.assertEqual(files.dumps(files.loads(text)), text)

    def test_the_demo_satisfies_the_published_schema(self):
        schema = json.loads((ROOT / "docs" / "recipe.schema.json").read_text())
        self.assertEqual(schema, files.schema(), "docs/recipe.schema.json is out of date: run tools/make_docs.py")
        jsonschema.Draft202012Validator(schema).validate(json.loads(DEMO.read_text()))

    def test_an_unknown_node_is_kept_and_saved_back_unharmed(self):
        block = json.loads(files.dumps(chain("fractal_noise", "terrace")[0]))
        strange = {
            "kind": "glacier",
            "version": 3,
            "name": "Glacier",
            "at": [1, 2],
            "off": False,
            "params": {"ice_m": 40, "odd": {"deep": [1]}},
            "inputs": {"height": "terrace_1.height"},
        }
        block["nodes"]["glacier_1"] = strange
        recipe = files.from_block(block)
        self.assertIsNone(recipe.nodes["glacier_1"].spec)
        self.assertEqual(json.loads(files.dumps(recipe))["nodes"]["glacier_1"], {**strange, "at": [1.0, 2.0]})

    def test_a_node_of_a_newer_version_is_kept_too(self):
        block = json.loads(files.dumps(chain("fractal_noise")[0]))
        block["nodes"]["fractal_noise_1"]["version"] = 99
        block["nodes"]["fractal_noise_1"]["params"]["new_thing"] = 5
        self.assertEqual(
            json.loads(files.dumps(files.from_block(block)))["nodes"]["fractal_noise_1"]["params"]["new_thing"], 5
        )

    def test_moving_a_card_does_not_change_what_is_computed(self):
        recipe = files.load(DEMO)
        moved = graph.move(recipe, dict.fromkeys(recipe.nodes, (5.0, 5.0)))
        self.assertEqual(files.fingerprint(recipe), files.fingerprint(moved))
        self.assertNotEqual(files.fingerprint(recipe), files.fingerprint(replace(recipe, seed=5)))

    @given(
        st.recursive(
            st.none() | st.booleans() | st.floats(allow_nan=False) | st.text(max_size=8),
            lambda s: st.lists(s, max_size=4) | st.dictionaries(st.text(max_size=8), s, max_size=4),
            max_leaves=20,
        )
    )
    @settings(max_examples=80, deadline=None)
    def test_any_json_is_either_a_recipe_or_one_sentence(self, value):
        block = {"format": files.FORMAT, "version": 1, "site": {"width_m": 4096, "depth_m": 4096}, "nodes": value}
        try:
            files.from_block(block)
        except RecipeError as error:
            self.assertTrue(str(error).endswith("."))

    def test_copy_and_paste_between_recipes(self):
        recipe, ids = chain("fractal_noise", "terrace", "rain_erosion")
        other, new = clipboard.paste(chain("fractal_noise")[0], clipboard.copy(recipe, ids[1:]))
        terrace, rain = sorted(new, reverse=True)
        self.assertEqual(other.nodes[rain].inputs["height"], (terrace, "height"))
        self.assertEqual(other.nodes[terrace].inputs, {})
        with self.assertRaisesRegex(RecipeError, "no copied nodes"):
            clipboard.paste(recipe, "something else")


class FormatOneTest(unittest.TestCase):
    """A recipe of format 1, in which choices were kept by label: every kind of node that has any, set to the last."""

    def test_it_opens_as_it_was_and_is_saved_by_id(self):
        text = (Path(__file__).parent / "format-1.gelande").read_text()
        before, recipe = json.loads(text), files.loads(text)
        for node_id, block in before["nodes"].items():
            state = recipe.nodes[node_id]
            for p in state.spec.all_params:
                if isinstance(p, P.Choice):
                    newer = {"thing": 1}.get(p.id, 0)  # choices that came after format 1
                    self.assertEqual(p.words.index(state.params[p.id]), len(p.words) - 1 - newer, (node_id, p.id))
                    self.assertNotEqual(block["params"][p.key], state.params[p.id], "it was a label")
        masked = next(s for s in recipe.nodes.values() if s.kind == "outline_mask")
        drawn = next(p for p in masked.spec.params if isinstance(p, P.Outlines))
        place = next(k for k, p in enumerate(drawn.piece) if p.id == "feather_side")
        sides = [one[place] for one in masked.params[drawn.id]]
        self.assertEqual(sides, ["inward", "inward", "outward"])
        self.assertEqual(recipe.controls[1].shown_when, ("Way", ("difference",)))
        self.assertEqual(dict(recipe.presets[0].values), {"Way": "add", "Steps": "height"})
        self.assertEqual(recipe.delivery.span, "found")
        options = [dict(d.options) for d in recipe.deliverables]
        three = {"corners": "regular", "origin": "centre", "up": "y"}
        self.assertEqual(options, [{"span": "given_heights"}, {"green": "down"}, three])
        after = json.loads(files.dumps(recipe))
        self.assertEqual(after["version"], 2)
        self.assertEqual(files.dumps(files.loads(files.dumps(recipe))), files.dumps(recipe))

    def test_every_choice_is_taken_by_id_and_by_label_and_the_nearest_faults_are_told(self):
        for kind, spec in registry().items():
            for p in (q for q in spec.all_params if isinstance(q, P.Choice)):
                for word, label in zip(p.words, p.labels):
                    self.assertRegex(word, r"^[a-z0-9_]+$", (kind, p.id))
                    self.assertEqual({p.check(word), p.check(label), p.parse(label.upper())}, {word})
                    self.assertEqual(p.text(word), label)
        with self.assertRaisesRegex(ValueError, "Way is 'sideways'; it must be one of percentage, higher"):
            registry()["mix"].param("way").check("sideways")


class ControlTest(unittest.TestCase):
    def setUp(self):
        self.recipe, (self.noise, self.terrace, self.second) = chain("fractal_noise", "terrace", "terrace")
        self.recipe = control.publish(self.recipe, self.terrace, "riser_height", "Cliff height")

    def test_one_control_drives_several_parameters(self):
        both = control.Control(
            "Cliff height",
            "Rock",
            (control.Target(self.terrace, "riser_height"), control.Target(self.second, "riser_height", 0.25)),
            10,
            100,
        )
        recipe = control.replace_control(self.recipe, self.recipe.controls[0], both)
        recipe = control.set_control(recipe, both, 80)
        self.assertEqual(recipe.nodes[self.terrace].params["riser_height"], 80)
        self.assertEqual(recipe.nodes[self.second].params["riser_height"], 20)

    def test_a_value_outside_the_control_is_refused_though_the_node_would_take_it(self):
        narrow = control.replace_control(
            self.recipe, self.recipe.controls[0], replace(self.recipe.controls[0], low=20, high=40)
        )
        with self.assertRaisesRegex(RecipeError, "Cliff height is 60.0 m, outside 20.0 m to 40.0 m"):
            control.set_control(narrow, narrow.controls[0], 60)

    def test_a_range_wider_than_the_node_is_refused(self):
        with self.assertRaisesRegex(RecipeError, "not inside"):
            control.replace_control(self.recipe, self.recipe.controls[0], replace(self.recipe.controls[0], high=99_999))

    def test_order_and_names(self):
        recipe = control.publish(self.recipe, self.noise, "relief")
        self.assertEqual(
            [c.label for c in control.reorder(recipe, recipe.controls[1], 0).controls], ["Height", "Cliff height"]
        )
        with self.assertRaisesRegex(RecipeError, "already"):
            control.replace_control(recipe, recipe.controls[1], replace(recipe.controls[1], label="cliff HEIGHT"))
        self.assertEqual(control.find(recipe, "cliff height").label, "Cliff height")

    def test_deleting_a_node_takes_its_controls_away(self):
        self.assertEqual(graph.remove(self.recipe, [self.terrace]).controls, ())

    def test_seeds_differ_and_return(self):
        found = variant.seeds(self.recipe, 4, 9)
        self.assertEqual([v.recipe.seed for v in found], list(range(4, 13)))
        pictures = {result(v.recipe, self.second, 1)["height"].tobytes() for v in found}
        self.assertEqual(len(pictures), 9)
        again = result(variant.seeds(self.recipe, 4, 1)[0].recipe, self.second, 1)["height"]
        self.assertIn(again.tobytes(), pictures)

    def test_a_sweep_runs_from_end_to_end_and_around_stays_inside(self):
        c = self.recipe.controls[0]
        values = [control.value_of(v.recipe, c) for v in variant.sweep(self.recipe, c, 5)]
        self.assertEqual((values[0], values[-1], len(values)), (c.low, c.high, 5))
        for v in variant.around(self.recipe, 9):
            self.assertTrue(c.low <= control.value_of(v.recipe, c) <= c.high)

    def test_a_node_of_another_kind_leaves_no_value_that_its_controls_do_not_take(self):
        ways = [k for k, spec in sorted(registry().items()) if any(p.id == "way" for p in spec.params)]
        self.assertGreater(len(ways), 4)
        recipe, node = graph.add(Recipe(), ways[0])
        recipe = control.publish(recipe, node, "way", "Way")
        recipe = preset.with_preset(recipe, "Now")
        for kind in ways[1:]:
            other = control.without_misfits(graph.replace_kind(recipe, node, kind))
            self.assertEqual(dumps(loads(dumps(other))), dumps(other), kind)

    def test_what_is_used_of_a_variant_is_its_controls_and_nothing_that_was_edited_since(self):
        high = variant.sweep(replace(self.recipe, seed=5), self.recipe.controls[0], 5)[-1].recipe
        self.assertEqual(dumps(variant.use(self.recipe, high)), dumps(high))
        later, dome = graph.add(graph.set_param(self.recipe, self.noise, "relief", 120.0), "dome")
        used = variant.use(later, high)
        self.assertEqual((used.seed, used.nodes[self.noise].value("relief")), (5, 120.0))
        self.assertEqual(used.nodes[self.terrace], high.nodes[self.terrace])
        self.assertIn(dome, used.nodes)
        gone = variant.use(graph.remove(later, [self.terrace]), high)
        self.assertEqual(dumps(loads(dumps(gone))), dumps(gone), "no control is left whose node is gone")

    def test_a_node_that_does_not_follow_keeps_its_ground_under_a_new_seed(self):
        still = graph.set_param(self.recipe, self.noise, "follow_seed", False)
        a, b = (result(replace(still, seed=s), self.noise, 1)["height"] for s in (0, 7))
        np.testing.assert_array_equal(a, b)


class EvaluateTest(unittest.TestCase):
    def test_nothing_is_computed_twice(self):
        recipe, ids = chain("fractal_noise", "warp", "terrace")
        evaluator = Evaluator()
        result(recipe, ids[2], 2, evaluator)
        count = evaluator.computed
        result(graph.move(recipe, {ids[0]: (9, 9)}), ids[2], 2, evaluator)
        self.assertEqual(evaluator.computed, count)
        result(graph.set_param(recipe, ids[2], "riser_height", 40), ids[2], 2, evaluator)
        self.assertEqual(evaluator.computed, count + 1)

    def test_the_cache_keeps_to_its_bound(self):
        cache = Cache(3_000_000)
        evaluator, (recipe, ids) = Evaluator(cache), chain("fractal_noise", "warp", "smooth", "terrace")
        for seed in range(6):
            result(replace(recipe, seed=seed), ids[-1], 2, evaluator)
        self.assertLessEqual(cache.size, 3_000_000)

    def test_results_kept_on_disk_are_taken_next_time(self):
        import tempfile
        from pathlib import Path

        from gelande.core.evaluate.store import Store

        recipe, ids = chain("fractal_noise", "warp", "terrace")
        with tempfile.TemporaryDirectory() as folder:
            first = Evaluator(store=Store(Path(folder)))
            wanted = result(recipe, ids[2], 2, first)
            first.keep(recipe, 3)
            again = Evaluator(store=Store(Path(folder)))
            found = result(recipe, ids[2], 2, again)
            self.assertEqual(again.computed, 0)
            for port in wanted:
                np.testing.assert_array_equal(wanted[port], found[port])
            changed = Evaluator(store=Store(Path(folder)))
            result(graph.set_param(recipe, ids[2], "riser_height", 50), ids[2], 2, changed)
            self.assertEqual(changed.computed, 1, "only the changed node is computed")

    def test_a_damaged_or_full_store_only_costs_computing(self):
        import tempfile
        from pathlib import Path

        from gelande.core.evaluate.store import Store

        recipe, ids = chain("fractal_noise", "terrace")
        with tempfile.TemporaryDirectory() as folder:
            store = Store(Path(folder))
            first = Evaluator(store=store)
            wanted = result(recipe, ids[1], 1, first)
            first.keep(recipe, 3)
            for file in store.folder.iterdir():
                file.write_bytes(file.read_bytes()[:100])
            again = Evaluator(store=Store(Path(folder)))
            np.testing.assert_array_equal(result(recipe, ids[1], 1, again)["height"], wanted["height"])
            small = Store(Path(folder), limit=1)
            small.trim()
            self.assertEqual(list(small.folder.glob("*.npz")), [])
            blocked = Path(folder) / "file"
            blocked.write_text("x")
            Store(blocked).put(("k", 1, "final"), {"a": np.zeros(3)})

    def test_an_array_that_two_results_share_counts_once(self):
        cache, a, b = Cache(1000), np.zeros(50, np.float64), np.zeros(50, np.float64)
        cache.put("raw", {"height": a}, 0.0)
        cache.put("final", {"height": a}, 0.0)
        self.assertEqual(cache.size, 400)
        cache.put("next", {"height": b}, 0.0)
        self.assertEqual((cache.size, cache.peek("raw")), (800, True))
        cache.put("last", {"height": np.zeros(50)}, 0.0)
        self.assertLessEqual(cache.size, 1000)
        cache.clear()
        self.assertEqual(cache.size, 0)

    def test_a_stop_is_seen_and_leaves_nothing_half_done(self):
        from gelande.core.errors import Stopped

        recipe, ids = chain("fractal_noise", "rain_erosion")
        evaluator, job = Evaluator(), Job(recipe)
        job.progress = lambda fraction, label, left: job.stop.set()
        with self.assertRaises(Stopped):
            evaluator.run(job, ids[1], 3)
        np.testing.assert_array_equal(
            result(recipe, ids[1], 2, evaluator)["height"], result(recipe, ids[1], 2)["height"]
        )

    def test_a_stop_while_a_node_computes_is_a_stop_and_never_a_failure(self):
        import gelande.core.recipe.node as N
        from gelande.core.errors import Stopped

        recipe, ids = chain("fractal_noise", "smooth")
        spec = registry()["smooth"]
        self.addCleanup(N._REGISTRY.__setitem__, "smooth", spec)
        fields = {f: getattr(spec, f) for f in spec.__dataclass_fields__}

        def unwritten(ctx):
            ctx.stop[0] = 1
            return {"height": np.full(ctx.shape, np.nan)}

        def raising(ctx):
            ctx.stop[0] = 1
            raise ZeroDivisionError

        for compute in (unwritten, raising):
            N._REGISTRY["smooth"] = N.NodeSpec(**{**fields, "compute": compute})
            with self.assertRaises(Stopped):
                result(recipe, ids[1], 1)

    def test_progress_rises_to_the_end(self):
        recipe, ids = chain("fractal_noise", "warp", "rain_erosion")
        seen, job = [], Job(recipe)
        job.progress = lambda fraction, label, left: seen.append(fraction)
        Evaluator().run(job, ids[2], 2)
        job.report(1.0, "", True)
        self.assertEqual(seen, sorted(seen))
        self.assertAlmostEqual(seen[-1], 1.0)

    def test_progress_is_told_while_one_node_is_at_work(self):
        import threading
        import time

        recipe, (noise,) = chain("fractal_noise")
        spec, told, over = recipe.nodes[noise].spec, [], threading.Event()

        def slow(ctx):
            over.wait(20)
            return spec.compute(ctx)

        from unittest import mock

        recipe.nodes[noise].__dict__.pop("spec")  # so that it is looked up again
        engine, job = Evaluator(), Job(recipe)
        engine._rate["fractal_noise"] = 2.0 / 129**2  # it is thought to take two seconds
        job.progress = lambda fraction, label, left: (
            told.append((time.perf_counter(), fraction, label)),
            over.set() if len(told) > 4 else None,
        )
        with mock.patch.object(model.NodeState, "spec", graph.replace(spec, compute=slow)):
            engine.run(job, noise, 1)
        gaps = [b[0] - a[0] for a, b in zip(told, told[1:])]
        self.assertLess(max(gaps[:3]), 0.6)
        self.assertEqual([t[1] for t in told], sorted(t[1] for t in told))
        self.assertEqual(told[0][2], "Fractal noise")

    def test_two_threads_that_want_the_same_share_the_work(self):
        import threading

        recipe, ids = chain("fractal_noise", "warp", "terrace")
        evaluator, found = Evaluator(), []
        threads = [
            threading.Thread(target=lambda: found.append(result(recipe, ids[2], 3, evaluator)["height"]))
            for _ in range(4)
        ]
        for t in threads:
            t.start()
        for t in threads:
            t.join()
        self.assertEqual(evaluator.computed, 3)
        self.assertTrue(all(f is found[0] for f in found))

    def test_what_leaves_memory_goes_to_disk_and_comes_back(self):
        import tempfile

        from gelande.core.evaluate.store import Store

        recipe, ids = chain("fractal_noise", "rain_erosion")
        with tempfile.TemporaryDirectory() as folder:
            evaluator = Evaluator(Cache(300_000), Store(Path(folder)))
            first = result(recipe, ids[1], 2, evaluator)["height"]
            for seed in (5, 6, 7):  # other results take the room
                result(graph.set_param(recipe, ids[0], "seed", seed), ids[0], 2, evaluator)
            self.assertFalse(evaluator.is_fresh(recipe, ids[1], 2))
            evaluator.close()
            again = Evaluator(Cache(), Store(Path(folder)))
            key = (again.keys(recipe)[ids[1]], 2, "final")
            np.testing.assert_array_equal(again.store.get(key)["height"], first)
            self.assertEqual(again.computed, 0)

    def test_off_passes_the_base_through(self):
        recipe, ids = chain("fractal_noise", "terrace")
        off = graph.switch(recipe, [ids[1]], True)
        np.testing.assert_array_equal(result(off, ids[1], 1)["height"], result(off, ids[0], 1)["height"])
        self.assertEqual(float(result(off, ids[1], 1)["riser"].max()), 0.0)

    def test_where_and_amount_blend_back_to_the_input(self):
        recipe, (a, b) = chain("fractal_noise", "terrace")
        ground, full = result(recipe, a, 2)["height"], result(recipe, b, 2)["height"]
        half = result(graph.set_param(recipe, b, "amount", 0.5), b, 2)["height"]
        np.testing.assert_allclose(half, (ground + full) / 2, atol=1e-3)
        banded = recipe
        for key, value in (("where", "height"), ("where_low", 300.0), ("where_high", 9000.0), ("where_falloff", 0.0)):
            banded = graph.set_param(banded, b, key, value)
        out = result(banded, b, 2)["height"]
        np.testing.assert_array_equal(out[ground < 300], ground[ground < 300])
        np.testing.assert_array_equal(out[ground >= 300], full[ground >= 300])

    def test_finish_stretches_to_the_metres_given(self):
        recipe, (a,) = chain("fractal_noise")
        for key, value in (("stretch", True), ("stretch_low", -50.0), ("stretch_high", 750.0)):
            recipe = graph.set_param(recipe, a, key, value)
        data = result(recipe, a, 1)["height"]
        self.assertAlmostEqual(
            float(data.min()), -50.0, delta=8.0
        )  # a soft knee in the last fiftieth: within a hundredth of the range
        self.assertAlmostEqual(float(data.max()), 750.0, delta=8.0)
        inverted = result(graph.set_param(recipe, a, "invert", True), a, 1)["height"]
        np.testing.assert_allclose(inverted, 700.0 - data, atol=1e-2)

    def test_a_missing_link_names_the_node_and_the_input(self):
        from gelande.core.errors import NodeError

        recipe, node = graph.add(model.Recipe(), "terrace")
        with self.assertRaisesRegex(NodeError, "Terrace: its input Height is not linked"):
            result(recipe, node, 1)

    def test_every_kind_has_one_spec_in_one_file(self):
        for kind in registry():
            module = spec_of(kind).compute.__module__.split(".")
            self.assertEqual(module[-1], kind)


if __name__ == "__main__":
    unittest.main()
