"""Bad input: each broken recipe or image gives one clear sentence that names what is wrong, and the file is not
touched."""

import copy
import json
import tempfile
import unittest
import zlib
from pathlib import Path

import numpy as np
import rasterio
from PIL import Image
from support import chain, result

from gelande.core.errors import NodeError, RecipeError
from gelande.core.recipe import graph, model
from gelande.core.recipe.recipefile import dumps, load


def good() -> dict:
    recipe, ids = chain("fractal_noise", "terrace", "rain_erosion")
    from gelande.core.recipe.control import publish

    return json.loads(dumps(publish(recipe, ids[1], "riser_height")))


def at(block, *path):
    for key in path[:-1]:
        block = block[key]
    return block, path[-1]


def put(*path_value):
    """Sets a value deep in the recipe."""
    *path, value = path_value

    def change(block):
        inner, key = at(block, *path)
        inner[key] = value
        return json.dumps(block)

    return change


def drop(*path):
    def change(block):
        inner, key = at(block, *path)
        del inner[key]
        return json.dumps(block)

    return change


NODES = ("nodes", "terrace_1")
RECIPES = {
    "empty": (lambda b: "", "not valid JSON"),
    "cut off": (lambda b: json.dumps(b)[:400], "not valid JSON at line"),
    "binary": (lambda b: b"\x00\xff\xfe\x01", "not a text file"),
    "a list": (lambda b: "[]", "not a Gelande recipe"),
    "another format": (put("format", "something else"), "not a Gelande recipe"),
    "newer format": (put("version", 99), "format version 99"),
    "version is a word": (put("version", "one"), "damaged at version"),
    "no site": (drop("site"), "damaged at site"),
    "site too wide": (put("site", "width_m", 9e9), "outside 10 m to 500 km"),
    "site of zero": (put("site", "width_m", 0), "width is 0 m"),
    "site negative": (put("site", "depth_m", -5), "depth is -5 m"),
    "site too narrow": (put("site", "depth_m", 30.0), "more than 64 times"),
    "site not whole": (put("site", "depth_m", 4000.3), "whole number of"),
    "seed too large": (put("seed", 10**9), "damaged at seed"),
    "unknown key": (put("colour_of_the_sky", "blue"), "colour_of_the_sky"),
    "nodes are a list": (put("nodes", []), "damaged at nodes"),
    "node without kind": (drop(*NODES, "kind"), "terrace_1"),
    "parameter unknown": (put(*NODES, "params", "wibble", 3), "no parameter called wibble"),
    "parameter out of range": (
        put(*NODES, "params", "riser_height_m", 1e6),
        "Terrace: Riser height is 1000000 m, outside 0.1 m to 3000 m",
    ),
    "parameter is text": (put(*NODES, "params", "riser_height_m", "tall"), "Riser height is 'tall'"),
    "parameter is a list": (put(*NODES, "params", "riser_height_m", [1]), "must be a number"),
    "share above one": (put(*NODES, "params", "amount_share", 1.5), "Amount is 150 %, outside 0 % to 100 %"),
    "choice unknown": (put(*NODES, "params", "where", "Nowhere"), "must be one of all, height"),
    "count with a fraction": (put("nodes", "fractal_noise_1", "params", "octaves", 2.5), "whole number"),
    "link to nothing": (put(*NODES, "inputs", "height", "ghost_1.height"), "linked to ghost_1, which does not exist"),
    "link to no output": (put(*NODES, "inputs", "height", "fractal_noise_1.smell"), "no output called smell"),
    "link into no input": (put(*NODES, "inputs", "mouth", "fractal_noise_1.height"), "no input called mouth"),
    "link without a dot": (put(*NODES, "inputs", "height", "fractal_noise_1"), "must name a node and an output"),
    "wrong kind of link": (put(*NODES, "inputs", "mask", "fractal_noise_1.height"), "takes mask, not height"),
    "a circle": (put(*NODES, "inputs", "height", "rain_erosion_1.height"), "circle"),
    "a node feeds itself": (put(*NODES, "inputs", "height", "terrace_1.height"), "circle"),
    "control drives nothing there": (
        put("controls", 0, "targets", [{"node": "ghost_1", "param": "x"}]),
        "ghost_1 does not exist",
    ),
    "control of no parameter": (put("controls", 0, "targets", [{"node": "terrace_1", "param": "x"}]), "no parameter x"),
    "control range too wide": (put("controls", 0, "high", 1e9), "not inside"),
    "control range turned round": (put("controls", 0, "low", 500), "Control Riser height"),
    "deliverable of no node": (
        put("deliverables", [{"name": "H", "node": "ghost_1", "port": "height", "format": "height_png16"}]),
        "ghost_1 does not exist",
    ),
    "deep nesting": (lambda b: "[" * 100_000, "nested too deeply"),
}


class BrokenRecipes(unittest.TestCase):
    def test_each_gives_one_sentence_and_is_not_touched(self):
        self.assertGreaterEqual(len(RECIPES), 30)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "broken.gelande"
            for name, (change, words) in RECIPES.items():
                with self.subTest(name):
                    text = change(copy.deepcopy(good()))
                    data = text if isinstance(text, bytes) else text.encode()
                    path.write_bytes(data)
                    with self.assertRaises(RecipeError) as caught:
                        load(path)
                    told = str(caught.exception)
                    self.assertIn(words, told)
                    self.assertIn("broken.gelande", told)
                    self.assertTrue(told.endswith(".") and "\n" not in told and "Traceback" not in told, told)
                    self.assertEqual(path.read_bytes(), data)

    def test_missing_file_and_folder(self):
        with tempfile.TemporaryDirectory() as folder:
            with self.assertRaisesRegex(RecipeError, "does not exist"):
                load(Path(folder) / "none.gelande")
            with self.assertRaisesRegex(RecipeError, "it is a folder"):
                load(Path(folder))

    def test_an_unknown_node_fails_alone(self):
        block = good()
        block["nodes"]["terrace_1"]["kind"] = "glacier"
        block["controls"] = []
        from gelande.core.recipe.recipefile import from_block

        recipe = from_block(block)
        with self.assertRaisesRegex(NodeError, "does not know the node kind glacier"):
            result(recipe, "rain_erosion_1", 1)
        self.assertGreater(result(recipe, "fractal_noise_1", 1)["height"].std(), 0)


def huge_png(path: Path, width: int, height: int):
    """A PNG header that claims a size, with almost no data behind it."""

    def chunk(kind, data):
        return len(data).to_bytes(4, "big") + kind + data + zlib.crc32(kind + data).to_bytes(4, "big")

    head = width.to_bytes(4, "big") + height.to_bytes(4, "big") + bytes([16, 0, 0, 0, 0])
    path.write_bytes(
        b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(b"\0" * 64)) + chunk(b"IEND", b"")
    )


def tiff(path: Path, data: np.ndarray, **more):
    with rasterio.open(
        path, "w", driver="GTiff", height=data.shape[0], width=data.shape[1], count=1, dtype=data.dtype, **more
    ) as file:
        file.write(data, 1)


class BrokenImages(unittest.TestCase):
    def setUp(self):
        self.temp = tempfile.TemporaryDirectory()
        self.addCleanup(self.temp.cleanup)
        self.folder = Path(self.temp.name)

    def told(self, name: str, **params) -> str:
        recipe, node = graph.add(model.Recipe(), "elevation_file", params={"file": name, **params})
        with self.assertRaises(NodeError) as caught:
            result(recipe, node, 1, folder=self.folder)
        return str(caught.exception)

    def test_each_gives_one_sentence(self):
        f = self.folder
        (f / "text.png").write_text("this is no image")
        (f / "empty.png").write_bytes(b"")
        (f / "folder.png").mkdir()
        Image.new("L", (1, 1)).save(f / "dot.png")
        Image.new("L", (1, 40)).save(f / "line.png")
        huge_png(f / "huge.png", 40_000, 40_000)
        huge_png(f / "wide.png", 40_000, 4)
        huge_png(f / "short.png", 500, 500)
        (f / "cut.tif").write_bytes(b"II*\0\x08\0\0\0")
        (f / "junk.tif").write_bytes(bytes(range(256)) * 9)
        bad = np.ones((8, 8), np.float32)
        bad[3, 4] = np.nan
        tiff(f / "nan.tif", bad)
        tiff(f / "infinite.tif", np.full((8, 8), np.inf, np.float32))
        hole = np.ones((8, 8), np.float32)
        hole[0, 0] = -9999
        tiff(f / "nodata.tif", hole, nodata=-9999)
        cases = {
            "missing.png": "is not there",
            "": "no file is chosen",
            "text.png": "cannot be read as an image",
            "empty.png": "is empty",
            "folder.png": "is a folder",
            "dot.png": "1 × 1 samples",
            "line.png": "at least 2 a side",
            "huge.png": "at most 16385",
            "wide.png": "40000 × 4",
            "short.png": "cannot be read",
            "cut.tif": "cannot be read",
            "junk.tif": "cannot be read",
            "nan.tif": "1 samples that are not numbers",
            "infinite.tif": "64 samples that are not numbers",
            "nodata.tif": "fill the gaps",
        }
        for name, words in cases.items():
            with self.subTest(name):
                told = self.told(name)
                self.assertIn(words, told)
                self.assertTrue(told.startswith("Elevation file: ") and "\n" not in told)

    def test_good_files_mean_what_is_said(self):
        ramp = np.tile(np.linspace(0, 65535, 33), (33, 1))
        Image.fromarray(ramp.astype(np.uint16)).save(self.folder / "sixteen.png")
        Image.fromarray((ramp / 257).astype(np.uint8)).save(self.folder / "eight.png")
        tiff(self.folder / "metres.tif", np.tile(np.linspace(100, 900, 33, dtype=np.float32), (33, 1)))
        (self.folder / "grid.asc").write_text(
            "ncols 3\nnrows 2\nxllcorner 0\nyllcorner 0\ncellsize 10\n" + "5 6 7\n5 6 7\n"
        )
        for name, params, low, high in (
            ("sixteen.png", {"black": -10.0, "white": 90.0}, -10, 90),
            ("eight.png", {"black": -10.0, "white": 90.0}, -10, 90),
            ("metres.tif", {"numbers": "metres"}, 100, 900),
            ("grid.asc", {"numbers": "metres"}, 5, 7),
        ):
            with self.subTest(name):
                recipe, node = graph.add(model.Recipe(), "elevation_file", params={"file": name, **params})
                h = result(recipe, node, 2, folder=self.folder)["height"]
                self.assertAlmostEqual(float(h[:, 0].mean()), low, delta=0.01)
                self.assertAlmostEqual(float(h[:, -1].mean()), high, delta=0.01)

    def test_a_changed_file_is_read_again(self):
        from gelande.core.evaluate.executor import Evaluator

        evaluator = Evaluator()
        recipe, node = graph.add(model.Recipe(), "elevation_file", params={"file": "a.tif", "numbers": "metres"})
        for value in (10.0, 20.0):
            tiff(self.folder / "a.tif", np.full((5, 5 + int(value)), value, np.float32))
            self.assertAlmostEqual(
                float(result(recipe, node, 1, evaluator, self.folder)["height"].mean()), value, places=3
            )


if __name__ == "__main__":
    unittest.main()
