"""Gelande for programs: what the guide shows works, regions are parts of the whole, and mistakes are told."""

import os
import re
import tempfile
import unittest
from pathlib import Path

import numpy as np
from support import DEMO, ROOT

import gelande
from gelande import api
from gelande.core.evaluate.job import Job


class ApiTest(unittest.TestCase):
    def setUp(self):
        self.land = gelande.open(DEMO)

    def test_heights_masks_and_colours_come_as_arrays(self):
        height = self.land.height(129)
        self.assertEqual((height.shape[1], height.dtype), (129, np.float32))
        self.assertGreater(float(height.std()), 10)
        mask = next(n for n, (_, category, _) in self.land.nodes.items() if category == "Masks")
        values = self.land.mask(mask, detail=129)
        self.assertTrue(values.min() >= 0 and values.max() <= 1)
        self.assertEqual(self.land.colour(129).shape, (*height.shape, 3))
        self.assertEqual(self.land.height(129, node="rain_erosion_1").shape, height.shape)
        water = self.land.water(129)
        self.assertGreater(float(water.max()), 0.0)

    def test_a_region_is_a_part_of_the_whole(self):
        site, region = self.land.site, gelande.Region(1000, 800, 1500, 1200)
        whole, part = self.land.height(513), self.land.height(513, region)
        dx = site.spacing(3)
        row, column = round((site.depth - 1200) / dx), round(1000 / dx)
        self.assertEqual(part.shape, (round(400 / dx) + 1, round(500 / dx) + 1))
        np.testing.assert_array_equal(part, whole[row : row + part.shape[0], column : column + part.shape[1]])

    def test_a_small_region_of_the_finest_detail_comes_without_the_whole(self):
        recipe = gelande.new("Patch", 4096).recipe
        from gelande.core.recipe import graph

        recipe, noise = graph.add(recipe, "fractal_noise")
        recipe, band = graph.add(recipe, "slope_band")
        land = api.Land(graph.link(recipe, noise, "height", band, "height"))
        part = land.mask(band, detail=16385, region=gelande.Region.around(2000, 2000, 32))
        self.assertEqual(part.shape, (129, 129))
        self.assertLess(land._evaluator.cache.size, 50_000_000)

    def test_controls_are_set_by_label_as_text_or_number(self):
        number = next(c for c in self.land.controls if c.low is not None and "m" in c.text)
        before = self.land.height(129)
        self.land.set(number.label.upper(), number.high)
        self.assertEqual(next(c for c in self.land.controls if c.label == number.label).value, number.high)
        self.assertGreater(float(np.abs(self.land.height(129) - before).max()), 0.0)
        self.land.set(number.label, number.text)
        np.testing.assert_array_equal(self.land.height(129), before)
        self.land.set("seed", "5")
        self.assertEqual(self.land.seed, 5)
        self.assertGreater(float(np.abs(self.land.height(129) - before).max()), 1.0)

    def test_mistakes_are_told_in_one_sentence(self):
        for act, why in (
            (lambda: self.land.set("Hight", 3), "no control called 'Hight'"),
            (lambda: self.land.set(self.land.controls[0].label, "much"), self.land.controls[0].label),
            (lambda: self.land.height(500), "Detail 500 does not exist"),
            (lambda: self.land.height(129, gelande.Region(-900, 0, -100, 50)), "holds no sample"),
            (lambda: self.land.mask("fractal_noise_1"), "gives no mask"),
            (lambda: self.land.mask("rain_erosion_1", "wind"), "no mask called 'wind'"),
            (lambda: self.land.height(129, node="gone_1"), "no node called gone_1"),
            (lambda: gelande.open("nowhere.gelande"), "nowhere.gelande"),
            (lambda: gelande.new("Bare").height(129), "no height yet"),
            (lambda: setattr(self.land, "seed", -1), "Seed is -1"),
        ):
            with self.assertRaises(gelande.GelandeError) as caught:
                act()
            self.assertIn(why, str(caught.exception))
            self.assertLessEqual(len(str(caught.exception)), 300)

    def test_settings_locks_kept_ground_and_variants(self):
        land = self.land
        self.assertEqual(land.presets, ["Green summer", "White winter", "Broad valley"])
        self.assertEqual(land.use("white winter"), [])
        self.assertEqual({c.label: c.value for c in land.controls}["Winter"], 1.0)
        square = [(1000.0, 1000.0), (3000.0, 1000.0), (3000.0, 3000.0), (1000.0, 3000.0)]
        land.keep_area(square, seed=7)
        step = next(n for n, (name, *_) in land.nodes.items() if name == "Kept ground")
        kept, other = [], gelande.open(DEMO)
        other.use("White winter")
        other.seed = 7
        for seed in (0, 3):
            land.seed = seed
            kept.append(land._evaluator.result(Job(land.recipe), step, 1)["through"])
        wanted = other._evaluator.result(Job(other.recipe), step, 1)["through"]
        inside = (slice(40, 90), slice(40, 90))
        for one in kept:
            np.testing.assert_array_equal(one[inside], wanted[inside])
        found = land.lock("Landforms").variants("seed", (1, 2))
        self.assertEqual([name for name, _ in found], ["seed 1", "seed 2"])
        figures = found[0][1].figures()
        self.assertTrue(0 < figures.values["walkable"] < 1)
        self.assertEqual(set(gelande.api.figure_names()), set(figures.values))

    def test_a_delivery_tells_its_files(self):
        told = []
        with tempfile.TemporaryDirectory() as folder:
            files = self.land.deliver(folder, 129, lambda *words: told.append(words))
            self.assertTrue(all(file.done for file in files))
            for file in files:
                self.assertTrue((Path(folder) / file.facts["file"]).is_file())
        self.assertEqual({index for index, *_ in told}, set(range(len(files))))
        self.assertTrue(any("rain_erosion_1" in line for line in self.land.plan_lines(257)))

    def test_the_guide_runs_as_it_stands(self):
        text = (ROOT / "docs" / "guide-programs.md").read_text()
        code = "\n".join(re.findall(r"```python\n(.*?)```", text, re.S))
        for detail in ("513", "1025", "2049", "8193"):
            code = code.replace(detail, "129")
        code = code.replace("range(100)", "range(2)").replace("ground[128, 128]", "ground[3, 3]")
        here = os.getcwd()
        with tempfile.TemporaryDirectory() as folder:
            self.addCleanup(os.chdir, here)
            os.chdir(folder)
            exec(compile(code.replace('"examples/', f'"{ROOT}/examples/'), "guide-programs.md", "exec"), {})
            self.assertEqual(len(list(Path(folder, "some").glob("*height_x00*.tif"))), 0)
            self.assertEqual(len(list(Path(folder, "some").glob("height_00_*.tif"))), 2)
            os.chdir(here)

    def test_the_notebook_is_the_guide(self):
        import nbformat

        text = (ROOT / "docs" / "guide-programs.md").read_text()
        book = nbformat.read(ROOT / "docs" / "regenerate.ipynb", 4)
        nbformat.validate(book)
        cells = [c.source for c in book.cells if c.cell_type == "code"]
        self.assertEqual(cells, [b.strip() for b in re.findall(r"```python\n(.*?)```", text, re.S)])


if __name__ == "__main__":
    unittest.main()
