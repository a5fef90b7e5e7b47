"""Every format of samples, read back by a reader that did not write it."""

import io
import json
import tempfile
import unittest
import warnings
from dataclasses import replace
from pathlib import Path

import numpy as np
import OpenEXR
import rasterio
import tifffile
from PIL import Image, ImageCms
from support import chain, linked, result

from gelande.core.evaluate.executor import Evaluator
from gelande.core.recipe import graph
from gelande.core.recipe.deliverables import Deliverable, Delivery
from gelande.core.recipe.site import Site
from gelande.deliver import build as B
from gelande.deliver.formats import FORMATS
from gelande.deliver.formats.slopes import normals
from gelande.deliver.formats.writer import Writer

#: What an 8- or 16-bit share may differ by at most.
HALF8, HALF16 = 0.501 / 255, 0.501 / 65535


def to_linear(v):
    return np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4)


class EveryFormatTest(unittest.TestCase):
    """One delivery with every format of samples; each file is opened by a library that had no part in writing it."""

    @classmethod
    def setUpClass(cls):
        warnings.simplefilter("ignore", rasterio.errors.NotGeoreferencedWarning)
        recipe, (noise, rain) = chain("massif", "rain_erosion", site=Site.fitted("High Test", 2000, 1500))
        recipe, ramp = linked(recipe, "colour_ramp", rain, "height")
        cls.recipe, cls.rain, cls.ramp = recipe, rain, ramp
        source = {"height": (rain, "height"), "mask": (rain, "flow"), "colour": (ramp, "colour")}
        more = {"masks_png8": (("alpha", rain, "cut"), ("blue", rain, "fill"))}
        flat = [f for f in FORMATS.values() if f.make.__func__ is Writer.make]
        orders = [Deliverable(f.id, *source[f.kind], f.id, more=more.get(f.id, ())) for f in flat]
        cls.recipe = replace(
            recipe, deliverables=tuple(orders), delivery=Delivery(epsg=25832, east=500_000, north=5_300_000)
        )
        cls.temp = tempfile.TemporaryDirectory()
        cls.folder = Path(cls.temp.name)
        cls.items = {i.deliverable.name: i for i in B.build(cls.recipe, 2, cls.folder, Evaluator())}
        outs = result(recipe, rain, 2)
        cls.height, cls.flow, cls.outs = outs["height"], outs["flow"], outs
        cls.colour = result(recipe, ramp, 2)["colour"]

    @classmethod
    def tearDownClass(cls):
        cls.temp.cleanup()

    def path(self, name):
        return self.folder / self.items[name].facts["file"]

    def metres(self, name, counts):
        m = self.items[name].facts["meaning"]
        return m["zero"] + counts.astype(float) / 65535 * (m["full"] - m["zero"])

    def test_all_are_written_and_in_the_manifest(self):
        self.assertEqual({i.state for i in self.items.values()}, {B.DONE}, {i.note for i in self.items.values()})
        block = json.loads((self.folder / "high_test_manifest.json").read_text())
        self.assertEqual({f["format_id"] for f in block["files"]}, set(self.items))
        self.assertEqual(block["delivery"], {"epsg": 25832, "east_m": 500_000, "north_m": 5_300_000})

    def test_raw_numbers_through_numpy(self):
        shape = self.height.shape
        for name, kind in (("height_raw16", "<u2"), ("height_raw16_big", ">u2"), ("height_raw32", "<f4")):
            data = np.fromfile(self.path(name), kind).reshape(shape)
            if kind == "<f4":
                np.testing.assert_array_equal(data, self.height)
            else:
                half = self.items[name].facts["meaning"]["step"] / 2
                np.testing.assert_allclose(self.metres(name, data), self.height, atol=half + 1e-4)
            text = self.path(name).with_name(self.path(name).name + ".txt").read_text()
            self.assertIn(f"{shape[1]} columns, {shape[0]} rows", text)
            self.assertIn("most significant byte first" if kind[0] == ">" else "least significant", text)

    def test_a_numpy_array(self):
        np.testing.assert_array_equal(np.load(self.path("height_npy")), self.height)

    def test_exr_through_the_older_interface(self):
        for name, wanted in (
            ("height_exr32", self.height),
            ("height_exr16", self.height.astype(np.float16)),
            ("mask_exr16", self.flow.astype(np.float16)),
            ("mask_exr32", self.flow),
        ):
            file = OpenEXR.InputFile(str(self.path(name)))  # the older interface, apart from the one that wrote
            head = file.header()
            self.assertEqual(list(head["channels"]), ["Y"])
            window = head["dataWindow"]
            self.assertEqual((window.max.x + 1, window.max.y + 1), wanted.shape[::-1])
            data = np.frombuffer(file.channel("Y"), wanted.dtype).reshape(wanted.shape)
            np.testing.assert_array_equal(data, wanted)
        file = OpenEXR.InputFile(str(self.path("colour_exr32")))
        red = np.frombuffer(file.channel("R"), np.float32).reshape(self.colour.shape[:2])
        np.testing.assert_array_equal(red, self.colour[..., 0])
        self.assertEqual(self.items["colour_exr32"].facts["meaning"]["unit"], "linear RGB")

    def test_ascii_grid_through_gdal(self):
        with rasterio.open(self.path("height_asc")) as file:
            data = file.read(1)
            east, north = file.transform * (0.5, 0.5)
        np.testing.assert_allclose(data, self.height, rtol=1e-6)
        self.assertAlmostEqual(east, 500_000, 2)
        self.assertAlmostEqual(north, 5_300_000 + self.recipe.site.depth, 2)

    def test_every_raster_of_a_delivery_with_a_reference_system_lies_in_its_place(self):
        """Inside the file or, where its format has no room for it, in files beside it: as GDAL finds it."""
        site, dx = self.recipe.site, self.recipe.site.spacing(2)
        for name, item in self.items.items():
            path = self.path(name)
            if path.suffix not in (".png", ".jpg", ".tif", ".asc"):
                continue
            with rasterio.open(path) as file, self.subTest(name):
                self.assertEqual(file.crs.to_epsg(), 25832)
                west, north = file.xy(0, 0)
                self.assertAlmostEqual(west, 500_000, 3)
                self.assertAlmostEqual(north, 5_300_000 + site.depth, 3)
                self.assertAlmostEqual(file.transform.a, dx, 9)
            beside = {one["file"]: one["sha256"] for one in item.facts.get("beside", ())}
            self.assertEqual(len(beside), {".png": 2, ".jpg": 2, ".tif": 0, ".asc": 1}[path.suffix], beside)
            for other in beside:
                self.assertTrue((self.folder / other).is_file())

    def test_colours_say_what_they_are_and_plain_numbers_say_nothing_of_colours(self):
        for name, item in self.items.items():
            path, colour = self.path(name), item.facts["kind"] == "colour"
            if path.suffix == ".png":
                with Image.open(path) as image:
                    self.assertEqual(image.info.get("srgb"), 0 if colour else None, name)
                    self.assertEqual(round(image.info.get("gamma", 0), 5), 0.45455 if colour else 0, name)
            elif path.suffix in (".jpg", ".tif"):
                with Image.open(path) as image:
                    profile = image.info.get("icc_profile")
                self.assertEqual(profile is not None, colour, name)
                if profile:
                    told = ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(io.BytesIO(profile)))
                    self.assertIn("sRGB", told)
            elif path.suffix == ".exr":
                head = OpenEXR.InputFile(str(path)).header()
                self.assertEqual("chromaticities" in head, colour, name)
        with Image.open(self.path("normal_png8")) as image:
            self.assertIn("green points up (OpenGL)", image.info["Description"])

    def test_geotiff_through_tifffile_and_gdal(self):
        wanted = {
            "height_tiff32": self.height,
            "mask_tiff32": self.flow,
            "mask_tiff8": np.rint(self.flow.astype(float) * 255),
            "mask_tiff16": np.rint(self.flow.astype(float) * 65535),
        }
        for name, data in wanted.items():
            np.testing.assert_array_equal(tifffile.imread(self.path(name)), data, name)
            with rasterio.open(self.path(name)) as file:
                self.assertEqual(file.crs.to_epsg(), 25832)
                self.assertEqual(file.transform * (0.5, 0.5), (500_000, 5_300_000 + self.recipe.site.depth))
                self.assertEqual(file.transform.e, -file.transform.a, "north up")
        colours = tifffile.imread(self.path("colour_tiff8"))
        np.testing.assert_allclose(to_linear(colours / 255), self.colour, atol=0.006)

    def test_overviews_are_inside_where_they_are_wanted(self):
        order = Deliverable("Big", self.rain, "height", "height_tiff32", (("overviews", True),))
        with tempfile.TemporaryDirectory() as folder:
            (item,) = B.build(replace(self.recipe, deliverables=(order,)), 4, Path(folder), Evaluator())
            self.assertEqual(item.state, B.DONE, item.note)
            with tifffile.TiffFile(Path(folder) / item.facts["file"]) as file:
                self.assertEqual([page.shape for page in file.pages][1:], [(385, 513)])

    def test_images_through_pillow_and_gdal(self):
        with Image.open(self.path("height_png16")) as image:
            np.testing.assert_allclose(
                self.metres("height_png16", np.array(image)),
                self.height,
                atol=self.items["height_png16"].facts["meaning"]["step"] / 2 + 1e-4,
            )
        with rasterio.open(self.path("colour_png16")) as file:
            data = file.read() / 65535
        np.testing.assert_allclose(to_linear(data.transpose(1, 2, 0)), self.colour, atol=3e-5)
        with rasterio.open(self.path("colour_jpeg"), driver="JPEG") as file:
            data = to_linear(file.read().transpose(1, 2, 0) / 255)
        self.assertLess(np.abs(data - self.colour).mean(), 0.02)
        self.assertIn("within", self.items["colour_jpeg"].facts["read_back"])

    def test_four_masks_in_one_image(self):
        with Image.open(self.path("masks_png8")) as image:
            self.assertEqual(image.mode, "RGBA")
            data = np.array(image) / 255
        np.testing.assert_allclose(data[..., 0], self.flow, atol=HALF8)
        self.assertFalse(data[..., 1].any())
        np.testing.assert_allclose(data[..., 2], self.outs["fill"], atol=HALF8)
        np.testing.assert_allclose(data[..., 3], self.outs["cut"], atol=HALF8)
        channels = self.items["masks_png8"].facts["channels"]
        self.assertEqual(channels, {"alpha": f"{self.rain}.cut", "blue": f"{self.rain}.fill"})

    def test_normal_maps(self):
        for name, top in (("normal_png8", 255), ("normal_png16", 65535)):
            with rasterio.open(self.path(name)) as file:
                n = file.read().transpose(1, 2, 0) / top * 2 - 1
            np.testing.assert_allclose(np.linalg.norm(n, axis=-1), 1, atol=2.5 / top)
            east = (self.height[5, 8] - self.height[5, 6]) / (2 * self.recipe.site.spacing(2))
            self.assertAlmostEqual(-n[5, 7, 0] / n[5, 7, 2], east, delta=(1 + east * east) * 6 / top)

    def test_a_slope_that_looks_north_is_bright_or_dark_in_green(self):
        slope = np.repeat(np.arange(9, dtype=np.float32)[:, None], 5, 1)  # it falls to the north, the first row
        self.assertGreater(normals(slope, 1, True)[4, 2, 1], 0.8)
        self.assertLess(normals(slope, 1, False)[4, 2, 1], 0.2)

    def test_an_openness_map_is_what_the_node_of_that_name_finds(self):
        recipe, node = linked(self.recipe, "openness", self.rain, "height")
        for name, value in (("side", "open"), ("full", 1.0), ("horizon", 300.0)):
            recipe = graph.set_param(recipe, node, name, value)
        wanted = result(recipe, node, 2)["mask"]
        for name, half in (("openness_png8", HALF8), ("openness_png16", HALF16)):
            with rasterio.open(self.path(name)) as file:
                np.testing.assert_allclose(file.read(1) * half / 0.501, wanted, atol=half + 1e-6)
            self.assertEqual(self.items[name].facts["node"], self.rain, "it is told by the height it is made from")

    def test_a_hillshade_is_lit_from_where_it_says(self):
        with Image.open(self.path("hillshade_png8")) as image:
            self.assertEqual(image.size, self.height.shape[::-1])
            self.assertGreater(np.array(image).std(), 5)


if __name__ == "__main__":
    unittest.main()
