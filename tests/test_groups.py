"""Groups, cairns, frames and bakes: the land stays the same, links find their ends, files come back."""

import json
import random
import tempfile
import unittest
from pathlib import Path

import numpy as np
from support import DEMO, chain, linked, result

from gelande.app.compose.sheet import SheetModel
from gelande.core.errors import GelandeError, NodeError, RecipeError
from gelande.core.evaluate import bake
from gelande.core.evaluate.executor import Cache, Evaluator, Job
from gelande.core.recipe import clipboard, graph, group, model, walk
from gelande.core.recipe import recipefile as files


def meaning(recipe):
    """What a recipe computes, node by node."""
    return {n: (s.kind, s.params, s.inputs) for n, s in recipe.nodes.items()}


class GroupTest(unittest.TestCase):
    def setUp(self):
        self.recipe = files.load(DEMO)
        self.chosen = [n for n, s in self.recipe.nodes.items() if s.kind in ("rain_erosion", "terrace")]
        self.packed, self.group = group.pack(self.recipe, self.chosen, "Carved")

    def test_packing_changes_no_sample_and_unpacking_gives_the_recipe_back(self):
        engine = Evaluator(Cache(2_000_000_000))
        for node, state in self.recipe.nodes.items():
            if state.spec.outputs:
                a, b = result(self.recipe, node, 1, engine), result(self.packed, node, 1, engine)
                for port in a:
                    np.testing.assert_array_equal(a[port], b[port])
        out = result(self.packed, self.group, 1, engine)
        np.testing.assert_array_equal(out["out_1"], result(self.recipe, "terrace_2", 1, engine)["height"])
        self.assertEqual(meaning(group.unpack(self.packed, self.group)), meaning(self.recipe))
        self.assertEqual(files.dumps(files.loads(files.dumps(self.packed))), files.dumps(self.packed))

    def test_what_stands_between_the_chosen_nodes_must_come_along(self):
        recipe, (a, b, c) = chain("fractal_noise", "warp", "terrace")
        with self.assertRaisesRegex(RecipeError, "Warp stands between"):
            group.pack(recipe, [a, c])

    def test_the_scene_shows_the_card_with_its_ports_and_inside_its_members(self):
        outside, inside = group.scene(self.packed), group.scene(self.packed, self.group)
        card = outside.recipe.nodes[self.group]
        self.assertEqual([(p.label, p.kind) for p in card.spec.inputs], [("Height", "height")])
        self.assertEqual([(p.label, p.kind) for p in card.spec.outputs], [("Lesser cliffs", "height")])
        entry = card.spec.inputs[0].id
        self.assertEqual(card.inputs, {entry: ("keep_area_1", "through")})
        self.assertEqual(outside.input_end(self.group, entry), (entry, "through"))
        self.assertFalse(set(self.chosen) & set(outside.recipe.nodes))
        self.assertEqual(set(inside.recipe.nodes), {*self.chosen, entry, self.group})
        self.assertEqual(inside.recipe.nodes[self.group].inputs, {"out_1": ("terrace_2", "height")})

    def test_a_link_that_closes_a_circle_of_cards_but_none_of_nodes_is_told_by_name(self):
        recipe, (_, terrace) = chain("fractal_noise", "terrace")
        recipe, ridge = graph.add(recipe, "ridge_noise")
        recipe, smooth = linked(recipe, "smooth", ridge, "height")
        recipe, inside = group.pack(recipe, [terrace, ridge])
        (entry,) = group.entries(recipe, inside)
        recipe = graph.link(recipe, smooth, "height", entry, "through")
        sheet = SheetModel(recipe)
        self.assertEqual(len(sheet.rects.cards), 3)
        self.assertEqual(sum(len(s.inputs) for s in sheet.recipe.nodes.values()) + len(sheet.scene.flags), 2)
        self.assertEqual(len(sheet.scene.flags), 1)

    def test_copies_are_whole_and_apart(self):
        pasted, new = clipboard.paste(self.packed, clipboard.copy(self.packed, [self.group]))
        self.assertEqual([pasted.nodes[n].kind for n in new], ["group"])
        self.assertEqual(len(pasted.nodes), len(self.packed.nodes) + 5)
        entry = group.entries(pasted, new[0])[0]
        linked = graph.link(pasted, "surface_noise_1", "height", entry, "through")
        a, b = result(linked, self.group, 1), result(linked, new[0], 1)
        np.testing.assert_array_equal(a["out_1"], b["out_1"])
        gone = graph.remove(linked, [new[0]])
        self.assertEqual(meaning(gone), meaning(self.packed))

    def test_deleting_joins_what_came_in_to_what_went_out(self):
        gone = graph.remove(self.packed, [self.group])
        self.assertEqual(gone.nodes["scree_1"].inputs["height"], ("keep_area_1", "through"))
        self.assertEqual(graph.broken_links(gone), [])

    def test_off_passes_only_what_the_group_depends_on(self):
        """Else its key would not know of it, and what follows could be linked back to the entry: a circle."""
        recipe = self.packed
        entry = group.entries(recipe, self.group)[0]
        inside = recipe.nodes[self.group].inputs["out_1"][0]
        cut = next((n, p) for n, s in recipe.nodes.items() for p, (source, _) in s.inputs.items() if source == entry)
        loose = graph.switch(graph.unlink(recipe, *cut), [self.group], True)
        self.assertNotIn(entry, walk.upstream(loose, inside))
        before = result(loose, self.group, 1)["out_1"]
        self.assertEqual(float(np.abs(before).max()), 0.0)
        loose, after = graph.add(loose, "tilt")
        loose = graph.link(loose, self.group, "out_1", after, "height")
        if not graph.can_link(loose, after, "height", entry, "through"):
            loose = graph.link(loose, after, "height", entry, "through")
        np.testing.assert_array_equal(result(loose, self.group, 1)["out_1"], before)

    def test_off_passes_the_first_entry_through(self):
        off = graph.switch(self.packed, [self.group], True)
        np.testing.assert_array_equal(result(off, self.group, 1)["out_1"], result(off, "surface_noise_1", 1)["height"])

    def test_a_group_file_goes_to_another_recipe(self):
        shown = group.show_setting(self.packed, self.group, "terrace_1", "riser_height")
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "Carved.gelande-group"
            clipboard.write_group(shown, self.group, path)
            other, (noise,) = chain("ridge_noise")
            other, (new,) = clipboard.add_file(other, path, (300.0, 10.0))
            self.assertEqual(other.nodes[new].at, (300.0, 10.0))
            setting = other.nodes[new].face.controls[0]
            self.assertEqual(
                other.nodes[setting.node].params["riser_height"], shown.nodes["terrace_1"].params["riser_height"]
            )
            with self.assertRaisesRegex(NodeError, "not linked"):
                result(other, new, 1)
            other = graph.link(other, noise, "height", group.entries(other, new)[0], "through")
            self.assertGreater(float(result(other, new, 1)["out_1"].std()), 1.0)
            path.write_text(path.read_text()[:-400])
            with self.assertRaisesRegex(RecipeError, "no copied nodes"):
                clipboard.add_file(other, path)
            with self.assertRaisesRegex(RecipeError, "cannot be opened"):
                clipboard.add_file(other, path.with_name("none.gelande-group"))

    def test_a_port_must_carry_what_is_asked_for_on_the_far_side(self):
        entry = group.entries(self.packed, self.group)[0]
        self.assertEqual(
            graph.can_link(self.packed, "flow_1", "mask", entry, "through"),
            "the link would make a circle: a node cannot depend on itself",
        )
        recipe, mask = graph.add(self.packed, "ramp")
        recipe, band = graph.add(recipe, "height_band")
        recipe = graph.link(recipe, mask, "height", band, "height")
        self.assertIn("takes height, not mask", graph.can_link(recipe, band, "mask", entry, "through"))

    def test_damaged_groups_are_told_in_one_sentence(self):
        block = json.loads(files.dumps(self.packed))
        for change in ({"group": "nowhere"}, {"group": "terrace_1"}, {"frame": self.group}):
            broken = json.loads(json.dumps(block))
            broken["nodes"]["terrace_1"].update(change)
            with self.assertRaisesRegex(RecipeError, "stands in"):
                files.from_block(broken)
        block["nodes"][self.group]["group"] = self.group
        with self.assertRaisesRegex(RecipeError, "stands in itself"):
            files.from_block(block)


class CairnTest(unittest.TestCase):
    def test_a_cairn_links_by_name_and_keeps_its_links_when_renamed(self):
        recipe, (noise, band) = chain("fractal_noise", "height_band")
        recipe, cairn = group.set_cairn(recipe, noise, "height")
        recipe, twin = group.set_cairn(recipe, noise, "height")
        self.assertEqual([recipe.nodes[c].name for c in (cairn, twin)], ["Fractal noise", "Fractal noise 2"])
        self.assertEqual(group.cairns_for(recipe, band, "height"), [cairn, twin])
        self.assertEqual(group.cairns_for(recipe, band, "mask"), [])
        recipe = graph.link(recipe, cairn, "through", band, "height")
        scene = group.scene(graph.rename(recipe, cairn, "High ground"))
        self.assertEqual(scene.flags, {(band, "height"): (cairn, "through")})
        self.assertEqual(scene.recipe.nodes[band].inputs, {})

    def test_frames_hold_cards_and_go_with_the_last(self):
        recipe, ids = chain("fractal_noise", "warp", "terrace")
        recipe, frame = group.frame(recipe, ids[:2], "Form")
        self.assertEqual([n for n, s in recipe.nodes.items() if s.frame == frame], ids[:2])
        self.assertNotIn(frame, graph.remove(recipe, ids[:2]).nodes)
        freed = graph.remove(recipe, [frame])
        self.assertEqual([s.frame for s in freed.nodes.values()], ["", "", ""])


class BakeTest(unittest.TestCase):
    def setUp(self):
        self.temp = tempfile.TemporaryDirectory()
        self.addCleanup(self.temp.cleanup)
        self.folder = Path(self.temp.name)
        self.recipe, (self.noise, self.rain, self.last) = chain("fractal_noise", "rain_erosion", "terrace")
        self.plain = result(self.recipe, self.last, 2)
        made = bake.make(Evaluator(), Job(self.recipe, self.folder), self.rain, 2, self.folder / "land.gelande")
        self.baked = bake.set_bake(self.recipe, self.rain, made)

    def test_a_bake_gives_the_same_samples_and_nothing_before_it_is_evaluated(self):
        engine = Evaluator()
        out = result(self.baked, self.last, 2, engine, self.folder)
        np.testing.assert_array_equal(out["height"], self.plain["height"])
        self.assertEqual(engine.computed, 1, "only the terrace")
        self.assertEqual(bake.overridden_by_bake(self.baked), {self.noise})
        self.assertTrue(engine.bake_matches(self.baked, self.rain, self.folder))

    def test_it_says_when_it_no_longer_matches_and_still_gives_what_was_stored(self):
        changed = graph.shuffle(self.baked, self.noise, random.Random(3))
        engine = Evaluator()
        self.assertFalse(engine.bake_matches(changed, self.rain, self.folder))
        np.testing.assert_array_equal(
            result(changed, self.last, 2, engine, self.folder)["height"], self.plain["height"]
        )
        released = bake.released(changed, self.rain)
        self.assertFalse(np.array_equal(result(released, self.last, 2)["height"], self.plain["height"]))

    def test_it_is_kept_in_the_file(self):
        again = files.loads(files.dumps(self.baked))
        self.assertEqual(again.nodes[self.rain].bake, self.baked.nodes[self.rain].bake)

    def test_finer_detail_missing_damaged_and_outside_files_are_told(self):
        with self.assertRaisesRegex(NodeError, "baked up to 257 samples only; bake it again at 513"):
            result(self.baked, self.last, 3, folder=self.folder)
        file = bake.file_of(self.baked.nodes[self.rain].bake, self.folder, 2)
        file.write_bytes(file.read_bytes()[:500])
        with self.assertRaisesRegex(NodeError, "damaged"):
            result(self.baked, self.last, 2, folder=self.folder)
        file.unlink()
        with self.assertRaisesRegex(NodeError, "does not exist; bake it again or release"):
            result(self.baked, self.last, 2, folder=self.folder)
        outside = bake.set_bake(self.recipe, self.rain, model.Bake("k", 2, "../secret"))
        with self.assertRaisesRegex(GelandeError, "outside the recipe's folder"):
            result(outside, self.last, 2, folder=self.folder)

    def test_a_bake_that_fails_leaves_no_file(self):
        broken = graph.unlink(self.recipe, self.rain, "height")
        with self.assertRaises(NodeError):
            bake.make(Evaluator(), Job(broken, self.folder), self.rain, 2, self.folder / "other.gelande")
        self.assertFalse((self.folder / "other.bakes").exists() and any((self.folder / "other.bakes").iterdir()))


if __name__ == "__main__":
    unittest.main()
