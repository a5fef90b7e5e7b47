"""Nodes of other packages: found, computed, told and checked; one that fails disturbs nothing."""

import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from support import ROOT

import gelande
from gelande.core.errors import GelandeError
from gelande.core.evaluate.executor import Evaluator, Job
from gelande.core.recipe import recipefile

HERE = Path(__file__).parent

#: A program that uses the package in every way; its answers are printed as JSON.
PROGRAM = """
import json, sys
import numpy as np
import gelande
from gelande.core.recipe.node import categories
from gelande.core.recipe.packages import packages
land = gelande.new("Upper field", width="2 km")
hills = land.add("fractal_noise", height=200)
crept = land.add("screes.creep", hills, strength=0.6)
way = land.add("screes.hollow_way", crept, line=[(200, 300), (1500, 1700)], width=12)
land.publish(crept, "strength", label="Soil", low=0.0, high=1.0)
land.save(sys.argv[1])
again = gelande.open(sys.argv[1])
again.order("Way", again.node(way.id))
again.deliver(sys.argv[2], 129)
told = json.loads(next(p for p in __import__("pathlib").Path(sys.argv[2]).glob("*manifest.json")).read_text())
with np.errstate(all="raise"):
    before, after = (again.raster(again.node(one.id), 257).values for one in (crept, way))
    deep = float((before - after).max())
print(json.dumps({
    "kinds": sorted(k for one in packages() for k in one.kinds),
    "errors": {one.name: one.error for one in packages()},
    "categories": categories()[-1],
    "kept": json.loads(open(sys.argv[1]).read())["nodes"][crept.id],
    "deep": deep,
    "manifest": told["packages"],
}))
"""

#: A package whose import fails after it has declared a node.
BROKEN = """
from gelande.core.recipe.node import height_out, node

@node("rubble.heap", "Heap", "Soil", "Never seen.", outputs=(height_out(),))
def heap(ctx):
    "Nothing."

raise RuntimeError("the quarry is closed")
"""


class PackageTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.temp = tempfile.TemporaryDirectory()
        cls.place = Path(cls.temp.name)
        # a copy: what is built leaves nothing in the sources
        subprocess.run(["cp", "-r", str(HERE / "plugin"), str(cls.place / "plugin")], check=True)
        words = ("-q", "--no-deps", "--no-build-isolation", "--disable-pip-version-check", "--target")
        command = [sys.executable, "-m", "pip", "install", *words, str(cls.place / "site"), str(cls.place / "plugin")]
        subprocess.run(command, check=True, capture_output=True)
        (cls.place / "site" / "rubble.py").write_text(BROKEN)
        told = cls.place / "site" / "rubble-0.3.dist-info"
        told.mkdir()
        (told / "METADATA").write_text("Metadata-Version: 2.1\nName: rubble\nVersion: 0.3\n")
        (told / "entry_points.txt").write_text("[gelande.nodes]\nheap = rubble\n")

    @classmethod
    def tearDownClass(cls):
        cls.temp.cleanup()

    def run_with(self, *words: str, code: int = 0) -> subprocess.CompletedProcess:
        paths = os.pathsep.join((str(ROOT / "src"), str(self.place / "site")))
        env = {**os.environ, "PYTHONPATH": paths, "QT_QPA_PLATFORM": "offscreen"}
        done = subprocess.run(
            [sys.executable, "-W", "ignore", *words], env=env, capture_output=True, text=True, cwd=ROOT
        )
        self.assertEqual(done.returncode, code, done.stderr)
        return done

    def gelande(self, *words: str, code: int = 0) -> subprocess.CompletedProcess:
        return self.run_with("-m", "gelande.cli.main", *words, code=code)

    def test_a_recipe_with_its_nodes_is_built_saved_delivered_and_opened_without_it(self):
        recipe = self.place / "upper.gelande"
        told = json.loads(self.run_with("-c", PROGRAM, str(recipe), str(self.place / "out")).stdout.splitlines()[-1])
        self.assertEqual(told["kinds"], ["screes.creep", "screes.hollow_way"])
        self.assertEqual(told["errors"], {"rubble": "RuntimeError: the quarry is closed", "screes": ""})
        self.assertEqual(told["categories"], "Soil")
        self.assertEqual((told["kept"]["kind"], told["kept"]["package"]), ("screes.creep", "screes 1.2"))
        self.assertAlmostEqual(told["deep"], 3.0 * 2000 / 4096, 1)
        self.assertEqual(told["manifest"], {"screes": "1.2"})
        # here the package is not installed
        without = recipefile.load(recipe)
        node = next(n for n, s in without.nodes.items() if s.kind == "screes.creep")
        with self.assertRaisesRegex(
            GelandeError, r"does not know the node kind screes.creep; install the package screes 1\.2"
        ):
            Evaluator().result(Job(without), node, 1)
        land = gelande.open(recipe)
        for ask in (land.height, land.figures, lambda: land.raster("height")):
            with self.assertRaisesRegex(GelandeError, "Creep, which comes after Fractal noise, is of a kind"):
                ask()
        self.assertEqual(land.height(129, node="fractal_noise_1").shape, (129, 129))
        self.assertEqual(json.loads(recipefile.dumps(without))["nodes"], json.loads(recipe.read_text())["nodes"])

    def test_the_command_line_lists_describes_and_checks_them_and_names_what_could_not_be_loaded(self):
        done = self.gelande("nodes")
        self.assertIn("Soil\n  screes.creep     Creep", done.stdout)
        self.assertIn("Terrace", done.stdout)
        self.assertIn("The package rubble 0.3 could not be loaded: RuntimeError: the quarry is closed", done.stderr)
        self.assertNotIn("rubble.heap", done.stdout)
        self.assertIn("Hillslope diffusion (Culling 1960)", self.gelande("nodes", "screes.creep").stdout)
        checked = json.loads(self.gelande("check-nodes", "screes", "--json").stdout)
        self.assertEqual({one["kind"] for one in checked}, {"screes.creep", "screes.hollow_way"})
        self.assertEqual([one for one in checked if one["fault"]], [])
        self.assertEqual(len({one["rule"] for one in checked}), 7)
        self.gelande("check-nodes", "rubble", code=1)
        self.assertIn("no package called pebbles", self.gelande("check-nodes", "pebbles", code=2).stderr)

    def test_the_guide_shows_the_package_as_it_is(self):
        guide = (ROOT / "docs" / "guide-packages.md").read_text()
        for path in (p for p in (HERE / "plugin").rglob("*") if p.suffix in (".py", ".toml")):
            if path.name != "__init__.py":
                self.assertIn(f"`{path.relative_to(HERE / 'plugin')}`", guide)
                self.assertIn(path.read_text(), guide)

    def test_a_rule_that_is_broken_is_told_with_the_place_in_the_code(self):
        source = self.place / "site" / "screes" / "creep.py"
        text = source.read_text()
        self.addCleanup(source.write_text, text)
        # a random number for each call, and a look beyond what it says
        worse = text.replace("    moved = ", "    h = h + np.float32(np.random.default_rng().normal())\n    moved = ")
        source.write_text(worse)
        done = self.gelande("check-nodes", "screes.creep", code=1)
        self.assertIn("broken  screes.creep is the same every time", done.stdout)
        self.assertNotIn("hollow_way", done.stdout)
        source.write_text(text.replace("    moved = ", "    assert h.shape[0] < 129, 'too many rows'\n    moved = "))
        done = self.gelande("check-nodes", "screes.creep", code=1)
        self.assertIn("Creep: failed inside: too many rows", done.stdout)
        self.assertRegex(done.stdout, r"screes/creep\.py\", line \d+, in creep")


if __name__ == "__main__":
    unittest.main()
