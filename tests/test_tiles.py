"""Tiles of a delivery: equal to the whole, equal where they meet, and made once however often a build is broken off."""

import json
import os
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
import tifffile
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from support import chain, linked

from gelande.core.errors import DeliveryError, RecipeError
from gelande.core.evaluate.executor import Evaluator, Stop
from gelande.core.recipe import graph
from gelande.core.recipe.deliverables import FOUND, GIVEN, Deliverable, Delivery
from gelande.core.recipe.recipefile import dumps, loads
from gelande.core.recipe.site import Site
from gelande.deliver import build as B
from gelande.deliver.parts import parts_of, strips_of
from gelande.kernels.grid_window import GridWindow

LEVEL = 4


def land(**more):
    """A tall site with a height in two formats, a mask, a colour and a normal map."""
    recipe, (_, rain) = chain("massif", "rain_erosion", site=Site("Tall", 1000, 2000, base=32))
    recipe, ramp = linked(recipe, "colour_ramp", rain, "height")
    orders = [("Height", rain, "height", "height_tiff32"), ("Height 16", rain, "height", "height_png16")]
    orders += [("Cut", rain, "cut", "mask_png8"), ("Ground", ramp, "colour", "colour_png8")]
    orders += [("Normals", rain, "height", "normal_png8")]
    return replace(recipe, deliverables=tuple(Deliverable(*o) for o in orders), delivery=Delivery(**more))


def read(path: Path) -> np.ndarray:
    return tifffile.imread(path) if path.suffix == ".tif" else np.array(Image.open(path))


class TileTest(unittest.TestCase):
    def setUp(self):
        temporary = tempfile.TemporaryDirectory()
        self.addCleanup(temporary.cleanup)
        self.folder = Path(temporary.name)
        low = mock.patch("gelande.deliver.parts.STRIP", 100)
        low.start()
        self.addCleanup(low.stop)

    def build(self, recipe, name="out", **more):
        items = B.build(recipe, LEVEL, self.folder / name, Evaluator(), **more)
        self.assertEqual({i.state for i in items}, {B.DONE}, [i.note for i in items])
        return {i.deliverable.name: i for i in items}

    def together(self, item, shape, name="out"):
        """The whole put together from an item's tiles; where they overlap they have to be equal."""
        made, seen = None, np.zeros(shape, bool)
        for f in item.files:
            data = read(self.folder / name / f["file"])
            left, top = f["first_sample"]
            if made is None:
                made = np.zeros((*shape, *data.shape[2:]), data.dtype)
            place = slice(top, top + data.shape[0]), slice(left, left + data.shape[1])
            np.testing.assert_array_equal(made[place][seen[place]], data[seen[place]], f["file"])
            made[place], seen[place] = data, True
        self.assertTrue(seen.all())
        return made

    def test_tiles_make_the_whole_at_once_and_in_strips(self):
        whole = self.build(replace(land(), delivery=Delivery(span=FOUND)), "whole")
        shape = land().site.shape(LEVEL)
        for name, more in (("at_once", {}), ("strips", {"whole": 1})):
            items = self.build(land(span=FOUND, tile=129), name, **more)
            for what, item in items.items():
                self.assertEqual(len(item.files), 4 * 2)
                data = read(self.folder / "whole" / whole[what].facts["file"])
                np.testing.assert_array_equal(self.together(item, shape, name), data, f"{what} {name}")

    def test_counts_of_tiles_mean_the_same_without_being_asked(self):
        item = self.build(land(tile=129))["Height 16"]
        self.assertEqual(len({json.dumps(f["meaning"]) for f in item.files}), 1)

    def test_edges_that_are_not_shared(self):
        items = self.build(land(tile=128, shared=False))
        sizes = {tuple(f["samples"]) for f in items["Cut"].files}
        self.assertEqual(sizes, {(128, 128)})
        self.assertEqual(len(items["Cut"].files), 4 * 2)

    def test_only_some_tiles(self):
        items = self.build(land(tile=129), columns=[1], rows=[0, 3], whole=1)
        self.assertEqual([f["tile"] for f in items["Height"].files], [[1, 0], [1, 3]])
        full = {tuple(f["tile"]): f["sha256"] for f in self.build(land(tile=129), "full")["Height"].files}
        self.assertEqual(
            [full[tuple(f["tile"])] for f in items["Height"].files], [f["sha256"] for f in items["Height"].files]
        )
        with self.assertRaisesRegex(DeliveryError, "no tile in column 2; columns run from 0 to 1"):
            self.build(land(tile=129), columns=[2])

    def test_a_build_that_was_stopped_goes_on(self):
        stop, computed = Stop(), []

        def tell(index, item):
            computed.append(item.state)
            if len(item.files) == 3 and index == 4:
                stop.set()

        recipe = land(tile=129)
        items = B.build(recipe, LEVEL, self.folder / "out", Evaluator(), stop, tell, whole=1)
        self.assertIn(B.STOPPED, {i.state for i in items})
        block = json.loads((self.folder / "out" / "tall_manifest.json").read_text())
        self.assertFalse(block["complete"])
        there = {f["file"]: os.stat(self.folder / "out" / f["file"]).st_mtime_ns for f in block["files"]}
        self.assertGreater(len(there), 8)
        again = self.build(recipe, whole=1)
        self.assertEqual(sum(i.kept for i in again.values()), len(there))
        for name, time in there.items():
            self.assertEqual(os.stat(self.folder / "out" / name).st_mtime_ns, time, "left as it was")
        fresh = self.build(recipe, "fresh", whole=1)
        for what, item in again.items():
            found = {f["file"]: f["sha256"] for f in item.files}
            self.assertEqual(found, {f["file"]: f["sha256"] for f in fresh[what].files})
        with mock.patch.object(Evaluator, "_timed", side_effect=AssertionError("nothing is to be computed")):
            few = replace(recipe, deliverables=tuple(d for d in recipe.deliverables if d.name != "Height 16"))
            items = B.build(few, LEVEL, self.folder / "out", Evaluator(), whole=1)
        self.assertEqual({i.note for i in items}, {"unchanged"})

    def test_files_of_a_killed_build_are_known_as_its_own(self):
        recipe = land(tile=129)
        with (
            mock.patch.object(B.Build, "note", side_effect=[None, None, KeyboardInterrupt]),
            self.assertRaises(KeyboardInterrupt),
        ):
            B.build(recipe, LEVEL, self.folder / "out", Evaluator(), whole=1)
        left = set(os.listdir(self.folder / "out"))
        self.assertIn("tall_begun.txt", left)
        self.assertGreater(len(left), 8)
        self.build(recipe, whole=1)
        there = set(os.listdir(self.folder / "out"))
        self.assertNotIn("earlier", there, "no file was taken for somebody else's")
        self.assertNotIn("tall_begun.txt", there)

    def test_a_tile_that_was_spoilt_is_made_again(self):
        recipe = land(tile=129)
        first = self.build(recipe)["Cut"].files[2]["file"]
        (self.folder / "out" / first).write_bytes(b"spoilt")
        again = self.build(recipe)
        self.assertEqual(again["Cut"].kept, 7)
        self.assertEqual(read(self.folder / "out" / first).shape, (129, 129))

    def test_what_does_not_belong_any_more_is_put_aside(self):
        recipe = land(tile=129)
        old = {f["file"] for i in self.build(recipe).values() for f in i.files}
        new = {f["file"] for i in self.build(replace(recipe, delivery=Delivery(tile=257))).values() for f in i.files}
        there = set(os.listdir(self.folder / "out"))
        self.assertEqual(there, new | {"tall_manifest.json", "tall_import.html", "earlier"})
        self.assertEqual(set(os.listdir(self.folder / "out" / "earlier")), old - new)

    def test_a_strange_file_of_the_same_name_is_kept_apart(self):
        (self.folder / "out").mkdir()
        (self.folder / "out" / "tall_cut.png").write_text("somebody's own")
        self.build(land())
        self.assertEqual((self.folder / "out" / "earlier" / "tall_cut.png").read_text(), "somebody's own")

    def test_names_by_pattern(self):
        items = self.build(land(tile=129, pattern="{what}-{seed}-{x}-{y}@{detail}"))
        names = [f["file"] for f in items["Cut"].files]
        self.assertEqual(
            names[:3], ["cut-000000-00-00@513.png", "cut-000000-01-00@513.png", "cut-000000-00-01@513.png"]
        )
        for odd in ("a/b", "{where}", "", "x" * 201):
            with self.assertRaises(RecipeError):
                Delivery(pattern=odd).checked()

    def test_land_that_does_not_fit_the_given_heights_is_told(self):
        items = B.build(land(span=GIVEN, low=0, high=1), LEVEL, self.folder, Evaluator())
        self.assertEqual([i.state for i in items].count(B.FAILED), 1)
        self.assertIn("does not fit between 0 and 1 m", items[1].note)

    def test_reference_systems_that_do_not_fit_are_told(self):
        for epsg, why in ((4326, "not in metres"), (999_998, "no reference system")):
            items = B.build(land(epsg=epsg), 1, self.folder, Evaluator())
            self.assertIn(why, items[0].note)

    def test_settings_of_a_delivery_come_back_from_the_file(self):
        more = {"tile": 129, "shared": False, "span": GIVEN, "low": -5.0, "high": 900.0, "margin": 0.1, "size": 253}
        recipe = land(**more, epsg=25832, east=4e5, north=5e6, pattern="{what}_{seed}")
        usual = vars(Delivery())
        self.assertEqual([k for k, v in vars(recipe.delivery).items() if v == usual[k]], [], "all of them are changed")
        order = Deliverable(
            "Four", *recipe.deliverables[2].source, "masks_png8", more=(("blue", "massif_1", "height"),)
        )
        recipe = replace(recipe, deliverables=(*recipe.deliverables, order))
        again = loads(dumps(recipe))
        self.assertEqual((again.delivery, again.deliverables), (recipe.delivery, recipe.deliverables))
        with self.assertRaisesRegex(RecipeError, "Tiles of 3 samples"):
            loads(dumps(replace(recipe, delivery=Delivery(tile=3))))
        gone = graph.remove(recipe, ["massif_1"])
        self.assertEqual(gone.deliverables[-1].more, (), "an output that is gone leaves its place in the file empty")


class PartsTest(unittest.TestCase):
    @settings(max_examples=200, deadline=None)
    @given(st.integers(17, 700), st.booleans(), st.integers(0, 5), st.sampled_from(((100, 100), (100, 40), (30, 200))))
    def test_tiles_cover_the_level_and_overlap_as_they_say(self, tile, shared, level, size):
        site = Site("S", *size, base=32) if size[0] == size[1] else Site.fitted("S", *size)
        level = site.levels[level]
        parts = parts_of(site, level, Delivery(tile=tile, shared=shared))
        rows, columns = site.shape(level)
        seen = np.zeros((rows, columns), int)
        for p in parts:
            f = p.window
            self.assertGreater(min(f.shape), 1)
            seen[f.top : f.top + f.height, f.left : f.left + f.width] += 1
        self.assertTrue((seen[: rows - 1, : columns - 1] > 0).all())
        if shared:
            self.assertTrue((seen > 0).all())
        elif len(parts) > 1:
            self.assertEqual(seen.max(), 1)

    @settings(max_examples=200, deadline=None)
    @given(st.lists(st.tuples(st.integers(0, 5000), st.integers(1, 3000)), min_size=1, max_size=5), st.integers(0, 4))
    def test_strips_cover_what_is_wanted_and_never_overlap(self, spans, margin):
        windows = [GridWindow.between(top, top + height, 5, 50, (6000, 60)) for top, height in spans]
        seen = np.zeros(6000, int)
        for strip in strips_of(windows, margin):
            seen[strip.top : strip.top + strip.height] += 1
        self.assertLessEqual(seen.max(), 1)
        for window in windows:
            grown = window.grown(margin) if margin else window
            self.assertTrue(seen[grown.top : grown.top + grown.height].all())


if __name__ == "__main__":
    unittest.main()
