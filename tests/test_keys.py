"""Nothing is computed twice: keys of each stage, who is at work, what waits to be written, jobs in turn."""

import json
import random
import threading
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
from support import chain, result

from gelande.app.worker import InTurn, Worker
from gelande.core.errors import Stopped
from gelande.core.evaluate import bake, spill
from gelande.core.evaluate.executor import Cache, Evaluator, Telling
from gelande.core.evaluate.job import Job, Stop
from gelande.core.evaluate.keyed_locks import KeyedLocks
from gelande.core.evaluate.keys import Keys
from gelande.core.evaluate.retrace import computed_again, edits_of
from gelande.core.recipe import graph
from gelande.core.recipe import recipefile as files
from gelande.core.recipe.deliverables import Deliverable
from gelande.core.recipe.node import registry
from gelande.core.recipe.site import Site
from gelande.core.recipe.walk import downstream
from gelande.deliver.manifest import made_from
from gelande.deliver.parts import Part
from gelande.kernels.grid_window import GridWindow
from gelande.samples import sample_recipe

DEMO = Path(__file__).parents[1] / "examples" / "varrowdale.gelande"


class EditTest(unittest.TestCase):
    """What each kind of edit computes again, in the demo."""

    #: Whether the edited node's own land is computed again, and whether what follows it is.
    AGAIN = {
        "setting": (True, True),
        "Amount": (False, True),
        "Where": (False, True),
        "Where, not in use": (False, False),
        "Finish": (False, True),
        "off": (False, True),
        "name": (False, False),
        "position": (False, False),
        "seed": (True, True),
        "starting point": (True, True),
        "link": (True, True),
        "sea level": (False, False),
        "site's name": (False, False),
    }

    def test_only_what_an_edit_reaches_is_computed_again(self):
        recipe, engine = files.load(DEMO), Evaluator(Cache(10**9))
        for kind in ("rain_erosion", "scree", "stream_channels"):
            node = next(n for n, s in recipe.nodes.items() if s.kind == kind)
            own, after = recipe.nodes[node].name, downstream(recipe, node)
            names = {recipe.nodes[n].name for n in after} | {own}
            seen = set()
            for one in computed_again(engine, Job(recipe, DEMO.parent), edits_of(recipe, node), 1):
                if one.edit.kind not in self.AGAIN:  # seeds and settings of the whole recipe
                    continue
                seen.add(one.edit.kind)
                with self.subTest(kind=kind, edit=one.edit.kind):
                    here, follows = self.AGAIN[one.edit.kind]
                    renamed = own if one.edit.kind != "name" else f"{own} renamed"
                    self.assertEqual(renamed in one.names, here)
                    self.assertEqual(bool(set(one.names) - {own}), follows)
                    self.assertLessEqual(set(one.names), names)
                    self.assertLess(one.units, one.of)
            self.assertLessEqual(set(self.AGAIN) - {"link", "seed"}, seen)

    def test_sea_level_reaches_what_reads_it(self):
        recipe, ids = chain("massif", "sea", "snow")
        engine = Evaluator(Cache(10**9))
        edits = {e.edit.kind: e for e in computed_again(engine, Job(recipe), edits_of(recipe, ids[1]), 1)}
        self.assertEqual(edits["sea level"].names, ("Sea", "Snow"))

    def test_what_says_that_it_does_not_read_the_sea_does_not(self):
        for kind, spec in sorted(registry().items()):
            if not spec.outputs or spec.reads_files:
                continue
            recipe, node = sample_recipe(kind, Site("Sample", base=32))
            if "sea_level" in recipe.nodes[node].reads(recipe.site).site:
                continue
            made = [
                result(replace(recipe, site=replace(recipe.site, sea_level=level)), node, 1, Evaluator())
                for level in (0.0, 180.0)
            ]
            for port in spec.outputs:
                self.assertEqual(
                    made[0][port.id].tobytes(), made[1][port.id].tobytes(), f"{kind} reads the sea's level"
                )


class KeyTest(unittest.TestCase):
    def setUp(self):
        self.recipe, (self.land, self.node) = chain("ridge_noise", "terrace")

    def stages(self, recipe, node=None):
        return Keys().stages(recipe)[node or self.node]

    def test_what_changes_which_key(self):
        plain = self.stages(self.recipe)
        mask = graph.add(self.recipe, "shape_mask")[0]
        masked = graph.link(mask, "shape_mask_1", "mask", self.node, "mask")
        to = lambda param, value, recipe=self.recipe: graph.set_param(recipe, self.node, param, value)  # noqa: E731
        final_only = {
            "off": graph.switch(self.recipe, [self.node], True),
            "amount": to("amount", 0.3),
            "where": to("where", "slope"),
            "mask": masked,
            "mask turned round": to("where_invert", True, masked),
            "stretch": to("stretch", True),
            "rest on zero": to("rest_on_zero", True),
        }
        for name, recipe in final_only.items():
            keys = self.stages(recipe)
            self.assertEqual(keys.raw, plain.raw, name)
            self.assertNotEqual(keys.final, plain.final, name)
        both = {
            "setting": to("riser_height", 31.0),
            "seed": to("seed", 9),
            "recipe's seed": replace(self.recipe, seed=4),
            "size": replace(self.recipe, site=Site("Other", 2048.0, 2048.0)),
            "above": graph.set_param(self.recipe, self.land, "relief", 300.0),
            "above off": graph.switch(self.recipe, [self.land], True),
        }
        for name, recipe in both.items():
            keys = self.stages(recipe)
            self.assertNotEqual(keys.raw, plain.raw, name)
            self.assertNotEqual(keys.final, plain.final, name)
        for name, recipe in {
            "idle slope": to("where_slope_low", 33.0),
            "idle range": to("stretch_high", 900.0),
            "mask that is not asked": graph.set_param(masked, self.node, "where", "all"),
        }.items():
            self.assertEqual(self.stages(recipe), plain, name)

    def test_a_new_version_of_a_node_is_another_result(self):
        before = self.stages(self.recipe)
        spec = registry()["terrace"]
        self.addCleanup(registry().__setitem__, "terrace", spec)
        registry()["terrace"] = replace(spec, version=spec.version + 1)
        recipe, (_, node) = chain("ridge_noise", "terrace")
        self.assertNotEqual(self.stages(recipe, node).raw, before.raw)

    def test_a_baked_node_is_its_files_until_it_is_off(self):
        baked = bake.set_bake(self.recipe, self.node, bake.Bake("abc", 2, "x.bakes/terrace"))
        live = self.stages(self.recipe)
        self.assertEqual(self.stages(baked).live, live.final)
        self.assertNotEqual(self.stages(baked).final, live.final)
        moved = graph.set_param(baked, self.land, "relief", 300.0)
        self.assertEqual(self.stages(moved).final, self.stages(baked).final)
        off = [graph.switch(r, [self.node], True) for r in (baked, moved)]
        self.assertNotEqual(*(self.stages(r).final for r in off), "what is off passes its input on")

    def test_keys_kept_from_edits_before_are_those_worked_out_anew(self):
        draw, known, recipe = random.Random(5), Keys(), self.recipe
        for turn in range(40):
            node = draw.choice(list(recipe.nodes))
            edits = list(edits_of(recipe, node))
            recipe = draw.choice(edits).recipe
            if turn % 7 == 3:
                recipe, more = graph.add(recipe, "smooth")
                recipe = graph.link(recipe, node, recipe.nodes[node].spec.main.id, more, "height")
            self.assertEqual(known.stages(recipe), Keys().stages(recipe))
            self.assertEqual(known.stages(recipe), known.stages(recipe))

    def test_keys_do_not_depend_on_how_a_recipe_is_written(self):
        again = files.loads(files.dumps(self.recipe))
        self.assertEqual(Keys().stages(again), Keys().stages(self.recipe))
        block = json.loads(files.dumps(self.recipe))
        block["nodes"] = dict(reversed(block["nodes"].items()))
        self.assertEqual(Keys().stages(files.loads(json.dumps(block))), Keys().stages(self.recipe))


class FileTest(unittest.TestCase):
    """What a file is made from, by which a build knows that it is there already."""

    def test_everything_that_changes_a_file_changes_what_it_is_made_from(self):
        recipe, (land, _) = chain("fractal_noise", "terrace")
        order = Deliverable("land", land, "height", "height_png16", (("low", 0.0),))
        part = Part(0, 0, GridWindow.of(recipe.site.shape(3)))

        def of(recipe=recipe, order=order, level=3, part=part, span=None):
            return made_from(recipe, Keys().of(recipe), order, level, part, span)

        changes = {
            "options": of(order=replace(order, options=(("low", 5.0),))),
            "format": of(order=replace(order, format="height_tiff32")),
            "output": of(order=replace(order, port="other")),
            "node": of(order=replace(order, node="terrace_1")),
            "level": of(level=4),
            "span": of(span=(0.0, 100.0)),
            "land": of(graph.set_param(recipe, land, "relief", 300.0)),
            "off": of(graph.switch(recipe, [land], True)),
            "Finish": of(graph.set_param(recipe, land, "stretch", True)),
        }
        for name, made in changes.items():
            self.assertNotEqual(made, of(), name)
        self.assertEqual(len(set(changes.values())), len(changes))
        self.assertEqual(of(graph.rename(recipe, land, "Another name")), of())
        self.assertEqual(of(order=replace(order, name="other")), of(), "a name is no content")


class SharedTest(unittest.TestCase):
    def test_one_who_comes_new_waits_for_one_who_waited(self):
        turns, at_once, most, order = KeyedLocks(), 0, 0, []
        gate = [threading.Event() for _ in range(3)]
        inside = [threading.Event() for _ in range(3)]

        def work(k):
            nonlocal at_once, most
            with turns.held("a", lambda: None):
                at_once += 1
                most = max(most, at_once)
                order.append(k)
                inside[k].set()
                gate[k].wait(10)
                at_once -= 1

        threads = [threading.Thread(target=work, args=(k,)) for k in range(3)]
        threads[0].start()
        inside[0].wait(10)
        threads[1].start()
        while turns._locks["a"][1] < 2:  # the second one waits
            pass
        gate[0].set()
        inside[1].wait(10)
        threads[2].start()
        while turns._locks["a"][1] < 2:
            pass
        self.assertFalse(inside[2].is_set())
        self.assertEqual(most, 1)
        gate[1].set(), gate[2].set()
        for thread in threads:
            thread.join(10)
        self.assertEqual(order, [0, 1, 2])
        self.assertNotIn("a", turns)

    def test_giving_up_while_waiting_leaves_nothing(self):
        turns, stop = KeyedLocks(), Stop()
        stop.set()
        with turns.held("a", lambda: None):
            with self.assertRaises(Stopped), turns.held("a", stop.check):
                pass
            self.assertIn("a", turns)
        self.assertNotIn("a", turns)

    def test_what_waits_for_a_slow_disk_is_bounded(self):
        class Slow:
            def __init__(self):
                self.go, self.kept = threading.Event(), 0

            def put(self, key, arrays):
                self.go.wait(10)
                self.kept += 1

            def trim(self):
                pass

        disk = Slow()
        queue = spill.Spill(disk)
        taken = sum(queue.put((k, 1, "final"), {}, spill.WAITING // 8) for k in range(40))
        self.assertTrue(1 <= taken <= 8)
        self.assertLessEqual(queue.waiting, spill.WAITING)
        disk.go.set()
        queue.close()
        self.assertEqual(disk.kept, taken)
        self.assertEqual(queue.waiting, 0)
        self.assertFalse(queue.put((99, 1, "final"), {}, 1), "closed")

    def test_nothing_is_told_of_work_that_is_over(self):
        told, inside, go = [], threading.Event(), threading.Event()

        def progress(fraction, name, left):
            told.append(name)
            inside.set()
            go.wait(10)

        job = Job(chain("dome")[0], progress=progress)
        job.current = ("Dome", 0.0, 5.0)
        ended = threading.Event()

        def work():
            with Telling(job, 10.0):
                inside.wait(10)  # the thread that tells is in the middle of it
            told.append("over")
            ended.set()

        worker = threading.Thread(target=work)
        worker.start()
        inside.wait(10)
        self.assertFalse(ended.wait(0.05))
        go.set()
        worker.join(10)
        self.assertEqual(told[-1], "over")

    def test_a_cut_holds_nothing_but_itself(self):
        whole = np.arange(200.0).reshape(20, 10)
        for window in (
            GridWindow(3, 0, 4, 10, 20, 10),
            GridWindow(3, 2, 4, 5, 20, 10),
            GridWindow(0, 0, 1, 10, 20, 10),
        ):
            part = window.cut(whole, GridWindow.of(whole.shape))
            self.assertIsNone(part.base)
            self.assertTrue(part.flags.c_contiguous)
            np.testing.assert_array_equal(
                part, whole[window.top : window.top + window.height, window.left :][:, : window.width]
            )

    def test_nothing_that_others_read_can_be_written(self):
        engine = Evaluator(Cache(10**9))
        for kind in ("rain_erosion", "scree", "snow", "sea", "flow", "stream_channels"):
            recipe, node = sample_recipe(kind)
            for name, a in engine.raw(Job(recipe), node, 2).items():
                self.assertFalse(a.flags.writeable, f"{kind} {name}")


class JobTest(unittest.TestCase):
    def done_by(self, worker):
        ran, begun, go, over = [], threading.Event(), threading.Event(), threading.Event()

        def first():
            begun.set()
            go.wait(10)
            ran.append("first")

        worker.start()
        self.addCleanup(worker.close)
        stops = [Stop() for _ in range(3)]
        worker.ask(first, stops[0])
        begun.wait(10)
        worker.ask(lambda: ran.append("second"), stops[1])
        worker.ask(lambda: (ran.append("third"), over.set()), stops[2])
        go.set()
        over.wait(10)
        return ran, bool(stops[0])

    def test_jobs_that_must_not_be_lost_run_one_after_the_other(self):
        self.assertEqual(self.done_by(InTurn("jobs")), (["first", "second", "third"], False))

    def test_of_pictures_only_the_newest_is_made(self):
        self.assertEqual(self.done_by(Worker("view")), (["first", "third"], True))


if __name__ == "__main__":
    unittest.main()
