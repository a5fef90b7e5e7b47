"""Deliveries: every format through a reader that is not ours, meaning, rounding, stops, full disks, manifest."""

import errno
import hashlib
import json
import os
import tempfile
import unittest
from dataclasses import fields, replace
from pathlib import Path
from unittest import mock

import jsonschema
import numpy as np
import rasterio
import tifffile
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from support import chain, linked, result

from gelande.core.errors import DeliveryError
from gelande.core.evaluate.executor import Evaluator, Stop
from gelande.core.recipe import graph, model
from gelande.core.recipe.deliverables import Deliverable
from gelande.core.recipe.recipefile import dumps, loads
from gelande.core.recipe.site import Site
from gelande.deliver import build as B
from gelande.deliver.formats import FORMATS
from gelande.deliver.formats.png import PngFile
from gelande.deliver.parts import strips_of
from gelande.deliver.samples import InMemory, OnDisk
from gelande.deliver.wanted import plans
from gelande.kernels.grid_window import GridWindow


def delivery():
    recipe, (noise, rain) = chain("fractal_noise", "rain_erosion", site=Site.fitted("High Test", 2000, 1500))
    recipe, ramp = graph.add(recipe, "colour_ramp")
    recipe = graph.link(recipe, rain, "height", ramp, "driver")
    deliverables = (
        Deliverable("Height", rain, "height", "height_tiff32"),
        Deliverable("Height 16", rain, "height", "height_png16"),
        Deliverable("Flow", rain, "flow", "mask_png16"),
        Deliverable("Cut", rain, "cut", "mask_png8"),
        Deliverable("Ground", ramp, "colour", "colour_png8"),
    )
    return replace(recipe, deliverables=deliverables), rain, ramp


class DeliveryTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.recipe, cls.rain, cls.ramp = delivery()
        cls.evaluator = Evaluator()
        cls.temp = tempfile.TemporaryDirectory()
        cls.folder = Path(cls.temp.name)
        cls.items = B.build(cls.recipe, 2, cls.folder, cls.evaluator)
        cls.outs = result(cls.recipe, cls.rain, 2, cls.evaluator)

    @classmethod
    def tearDownClass(cls):
        cls.temp.cleanup()

    def facts(self, name):
        return next(i.facts for i in self.items if i.deliverable.name == name)

    def test_all_is_written_and_nothing_else_is_left(self):
        self.assertEqual([i.state for i in self.items], [B.DONE] * 5)
        self.assertEqual(
            sorted(os.listdir(self.folder)),
            [
                "high_test_cut.png",
                "high_test_flow.png",
                "high_test_ground.png",
                "high_test_height.tif",
                "high_test_height_16.png",
                "high_test_import.html",
                "high_test_manifest.json",
            ],
        )

    def test_geotiff_through_tifffile(self):
        data = tifffile.imread(self.folder / "high_test_height.tif")
        self.assertEqual(data.dtype, np.float32)
        np.testing.assert_array_equal(data, self.outs["height"])
        with rasterio.open(self.folder / "high_test_height.tif") as file:
            east, north = file.transform * (0.5, 0.5)
            self.assertEqual((round(east, 6), round(north, 6)), (0.0, round(self.recipe.site.depth, 6)))
            self.assertAlmostEqual(file.transform.a, self.recipe.site.spacing(2))

    def test_sixteen_bit_png_through_gdal_comes_back_within_the_stated_error(self):
        with rasterio.open(self.folder / "high_test_height_16.png") as file:
            counts = file.read(1)
        self.assertEqual((counts.dtype, counts.min(), counts.max()), (np.uint16, 0, 65535))
        m = self.facts("Height 16")["meaning"]
        metres = m["zero"] + counts / 65535 * (m["full"] - m["zero"])
        error = np.abs(metres - self.outs["height"]).max()
        self.assertLessEqual(error, m["step"] / 2 + 1e-4)
        self.assertAlmostEqual(error, self.facts("Height 16")["largest_rounding_error"], places=9)

    def test_masks_and_colour_through_gdal(self):
        with rasterio.open(self.folder / "high_test_flow.png") as file:
            np.testing.assert_allclose(file.read(1) / 65535, self.outs["flow"], atol=0.51 / 65535)
        with rasterio.open(self.folder / "high_test_cut.png") as file:
            np.testing.assert_allclose(file.read(1) / 255, self.outs["cut"], atol=0.51 / 255)
        with rasterio.open(self.folder / "high_test_ground.png") as file:
            self.assertEqual(file.count, 3)
            v = file.read(1) / 255
        linear = np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4)
        np.testing.assert_allclose(linear, result(self.recipe, self.ramp, 2)["colour"][..., 0], atol=0.006)

    def test_the_manifest_says_what_was_built_from_what(self):
        block = json.loads((self.folder / "high_test_manifest.json").read_text())
        self.assertTrue(block["complete"])
        self.assertEqual((block["detail"], block["site"]["width_m"]), (257, 2000.0))
        self.assertEqual(block["seeds"], {"colour_ramp_1": 1, "fractal_noise_1": 1, "rain_erosion_1": 1})
        for f in block["files"]:
            data = (self.folder / f["file"]).read_bytes()
            self.assertEqual((len(data), hashlib.sha256(data).hexdigest()), (f["bytes"], f["sha256"]))
        jsonschema.validate(
            block,
            {"type": "object", "required": ["recipe_sha256", "controls", "node_versions", "program", "orientation"]},
        )

    def test_two_builds_are_the_same_bytes(self):
        with tempfile.TemporaryDirectory() as other:
            B.build(self.recipe, 2, Path(other), Evaluator())
            for name in os.listdir(self.folder):
                self.assertEqual((Path(other) / name).read_bytes(), (self.folder / name).read_bytes(), name)


class TroubleTest(unittest.TestCase):
    def setUp(self):
        self.recipe, self.rain, self.ramp = delivery()
        self.temp = tempfile.TemporaryDirectory()
        self.addCleanup(self.temp.cleanup)
        self.folder = Path(self.temp.name) / "out"

    def test_a_full_disk_is_told_and_leaves_what_was_there(self):
        self.folder.mkdir()
        (self.folder / "high_test_height_16.png").write_text("older delivery")
        full = replaced("height_png16", begin=mock.Mock(side_effect=OSError(errno.ENOSPC, "No space left")))
        with full:
            items = B.build(self.recipe, 1, self.folder, Evaluator())
        self.assertEqual([i.state for i in items].count(B.FAILED), 1)
        self.assertIn("the disk is full", items[1].note)
        self.assertEqual(
            (self.folder / "earlier" / "high_test_height_16.png").read_text(),
            "older delivery",
            "kept, and apart from the new files",
        )
        self.assertFalse([n for n in os.listdir(self.folder) if ".part" in n])
        self.assertFalse(json.loads((self.folder / "high_test_manifest.json").read_text())["complete"])

    def test_a_file_that_reads_back_wrong_is_not_kept(self):
        def spoilt(writer, path, shape, place, m, options):
            file = PngFile(path, shape, 16)
            return mock.Mock(write=lambda rows: file.write(np.zeros_like(rows)), finish=file.finish, close=file.close)

        with replaced("height_png16", begin=spoilt):
            items = B.build(self.recipe, 1, self.folder, Evaluator())
        self.assertIn("does not read back", items[1].note)
        self.assertNotIn("high_test_height_16.png", os.listdir(self.folder))

    def test_a_stop_keeps_what_was_finished(self):
        stop = Stop()

        def tell(index, item):
            if index == 2:
                stop.set()

        items = B.build(self.recipe, 1, self.folder, Evaluator(), stop, tell)
        self.assertEqual([i.state for i in items], [B.DONE, B.DONE, B.STOPPED, B.STOPPED, B.STOPPED])
        self.assertEqual(
            sorted(os.listdir(self.folder)),
            ["high_test_height.tif", "high_test_height_16.png", "high_test_import.html", "high_test_manifest.json"],
        )

    def test_a_failing_node_fails_only_its_own_files(self):
        recipe, lonely = graph.add(self.recipe, "terrace")
        recipe = replace(
            recipe, deliverables=(*recipe.deliverables, Deliverable("Lonely", lonely, "height", "height_tiff32"))
        )
        items = B.build(recipe, 1, self.folder, Evaluator())
        self.assertEqual([i.state for i in items], [B.DONE] * 5 + [B.FAILED])
        self.assertIn("Terrace: its input Height is not linked", items[5].note)

    def test_nothing_to_deliver_and_equal_names_are_told(self):
        with self.assertRaisesRegex(DeliveryError, "nothing to deliver"):
            B.build(model.Recipe(), 1, self.folder, Evaluator())
        twice = replace(self.recipe, deliverables=self.recipe.deliverables[:1] * 2)
        with self.assertRaisesRegex(DeliveryError, "high_test_height.tif"):
            B.build(twice, 1, self.folder, Evaluator())

    def test_a_folder_that_is_a_file(self):
        blocked = Path(self.temp.name) / "file"
        blocked.write_text("x")
        items = B.build(self.recipe, 1, blocked / "out", Evaluator())
        self.assertEqual({i.state for i in items}, {B.FAILED})
        self.assertIn("part of the path is a file, not a folder", items[0].note)
        self.assertEqual(blocked.read_text(), "x")

    def test_level_ground_and_extreme_values_encode(self):
        for data in (np.full((5, 5), 7, np.float32), np.linspace(-12_000, 12_000, 25, dtype=np.float32).reshape(5, 5)):
            for f in (FORMATS["height_png16"], FORMATS["height_tiff32"]):
                m = f.plan(InMemory(data), {})
                back = f.decode(f.encode(data, m), m)
                self.assertLessEqual(float(np.abs(back - data).max()), m.error + 1e-9)
                self.assertLess(m.error, 0.2)

    def test_a_span_of_ones_own_is_kept_and_said_and_one_that_is_too_small_is_refused(self):
        def ordered(**options):
            d = replace(self.recipe.deliverables[1], options=tuple(options.items()))
            return loads(dumps(replace(self.recipe, deliverables=(d,))))

        (item,) = B.build(ordered(span="given_heights", low=-1000.0, high=3000.0), 1, self.folder, Evaluator())
        self.assertEqual((item.facts["meaning"]["zero"], item.facts["meaning"]["full"]), (-1000.0, 3000.0))
        with rasterio.open(self.folder / item.facts["file"]) as file:
            metres = -1000 + file.read(1) / 65535 * 4000
        np.testing.assert_allclose(metres, result(self.recipe, "rain_erosion_1", 1)["height"], atol=0.031)
        for options, why in (
            ({"span": "given_heights", "low": 0.0, "high": 10.0}, "does not fit between 0 and 10 m"),
            ({"span": "given_heights", "low": 10.0, "high": 0.0}, "more than its lowest"),
            ({"span": "Half"}, "must be one of"),
            ({"dither": True}, "no option called dither"),
        ):
            (item,) = B.build(ordered(**options), 1, self.folder, Evaluator())
            self.assertEqual(item.state, B.FAILED)
            self.assertIn(why, item.note)


class StripTest(unittest.TestCase):
    """A level that is too large to be held at once is computed in strips."""

    def setUp(self):
        recipe, (_, rain) = chain("massif", "rain_erosion", site=Site("High Test", 1000, 2000, base=32))
        recipe, ramp = linked(recipe, "colour_ramp", rain, "height")
        self.rain, self.ramp = rain, ramp
        orders = [("Height", rain, "height", "height_tiff32"), ("Height 16", rain, "height", "height_png16")]
        orders += [("Cut", rain, "cut", "mask_png8"), ("Ground", ramp, "colour", "colour_png8")]
        self.recipe = replace(recipe, deliverables=tuple(Deliverable(*o) for o in orders))
        temporary = tempfile.TemporaryDirectory()
        self.addCleanup(temporary.cleanup)
        self.folder = Path(temporary.name)

    def test_a_build_in_strips_is_the_same_files(self):
        made = [
            B.build(self.recipe, 6, self.folder / name, Evaluator(), whole=limit)
            for name, limit in (("whole", 10**9), ("strips", 1))
        ]
        self.assertGreater(len(strips_of([GridWindow.of(self.recipe.site.shape(6))])), 1)
        for a, b in zip(*made):
            self.assertEqual((a.state, b.state), (B.DONE, B.DONE), b.note)
            self.assertEqual(a.facts["sha256"], b.facts["sha256"], a.deliverable.name)
            self.assertEqual(a.facts["meaning"], b.facts["meaning"])
        self.assertEqual(sorted(os.listdir(self.folder / "strips")), sorted(os.listdir(self.folder / "whole")))

    def test_one_that_fails_leaves_the_others(self):
        recipe, lost = graph.add(self.recipe, "slope_band")
        orders = (*recipe.deliverables[2:], Deliverable("Lost", lost, "mask", "mask_png8"))
        items = B.build(replace(recipe, deliverables=orders), 4, self.folder, Evaluator(), whole=1)
        self.assertEqual([i.state for i in items], [B.DONE, B.DONE, B.FAILED])
        self.assertIn("not linked", items[2].note)

    def test_a_disk_that_fills_while_strips_are_computed(self):
        with mock.patch.object(OnDisk, "add", side_effect=OSError(errno.ENOSPC, "No space left")):
            items = B.build(self.recipe, 4, self.folder, Evaluator(), whole=1)
        self.assertEqual({i.state for i in items}, {B.FAILED})
        self.assertIn("the disk is full", items[0].note)
        self.assertEqual(os.listdir(self.folder), [])

    def test_a_stop_between_strips(self):
        stop = Stop()
        tell = lambda index, item: stop.set() if item.fraction > 0.3 else None  # noqa: E731
        items = B.build(self.recipe, 6, self.folder, Evaluator(), stop, tell, whole=1)
        self.assertEqual({i.state for i in items}, {B.STOPPED})
        self.assertEqual(os.listdir(self.folder), [])

    def test_the_plan_of_a_build_is_told_before_it_is_begun(self):
        engine = Evaluator()
        (plan,) = plans(self.recipe, 4, engine)
        text = "\n".join(plan.lines(self.recipe))
        self.assertIn("Rain erosion", text)
        self.assertEqual(engine.computed, 0)


class PngTest(unittest.TestCase):
    @settings(max_examples=30, deadline=None)
    @given(
        st.integers(1, 70), st.integers(1, 40), st.sampled_from((8, 16, "rgb")), st.integers(1, 20), st.integers(0, 9)
    )
    def test_images_in_bands_come_back_through_another_reader(self, rows, columns, kind, band, seed):
        rng = np.random.default_rng(seed)
        shape = (rows, columns, 3) if kind == "rgb" else (rows, columns)
        data = rng.integers(0, 65536 if kind == 16 else 256, shape).astype(np.uint16 if kind == 16 else np.uint8)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.png"
            file = PngFile(path, shape, 16 if kind == 16 else 8)
            for top in range(0, rows, band):
                file.write(data[top : top + band])
            file.finish()
            with Image.open(path) as image:
                np.testing.assert_array_equal(np.array(image), data)


def replaced(format_id: str, **methods):
    """One format with other methods for a while."""
    old = FORMATS[format_id]
    odd = type("Odd", (type(old),), methods)
    return mock.patch.dict(FORMATS, {format_id: odd(**{f.name: getattr(old, f.name) for f in fields(old)})})


if __name__ == "__main__":
    unittest.main()
