"""Water is drawn where the recipe has water: land below 0 m is land, and a site has a sea when its author says so."""

import json
import unittest

import numpy as np
from PyQt6.QtTest import QTest
from support import chain, result
from test_window import LEFT, WindowCase

from gelande.core.recipe import recipefile as files
from gelande.core.recipe.site import Site
from gelande.core.regenerate.figures import figures_of


class SiteTest(unittest.TestCase):
    def test_land_below_zero_is_dry_without_a_sea(self):
        recipe, (ramp,) = chain("ramp", ramp={"high": 100.0, "low": -100.0})
        h = result(recipe, ramp, 1)["height"]
        fractions = [figures_of(h, Site("Test", has_sea=sea), 1).values["water"] for sea in (False, True)]
        self.assertEqual(fractions[0], 0.0)
        self.assertAlmostEqual(fractions[1], 0.5 * 409.6**2 / 100, delta=12)

    def test_files_say_whether_there_is_a_sea_and_older_ones_have_one_where_they_set_its_level(self):
        recipe, _ = chain("ramp", site=Site("Test", sea_level=12.0, has_sea=True))
        text = files.dumps(recipe)
        self.assertEqual(files.loads(text).site.sea, 12.0)
        block = json.loads(text)
        for level, expected in ((12.0, 12.0), (0.0, None)):
            block["site"] = {k: v for k, v in block["site"].items() if k != "sea"} | {"sea_level_m": level}
            self.assertEqual(files.loads(json.dumps(block)).site.sea, expected)


class WindowTest(WindowCase):
    def test_the_author_gives_the_site_a_sea_and_takes_it_away(self):
        self.load("ramp", ramp={"high": 100.0, "low": -100.0})
        view = self.view
        self.assertIsNone(view.look.water)
        self.assertFalse(view.bar.sea.isVisible())
        dry = self.pixels(view)
        for typed, level in (("-20", -20.0), ("none", None), ("0 m", 0.0)):
            QTest.mouseClick(self.window.site_button, LEFT)
            panel = self.window.dropdowns.site
            line = panel.lines["sea_level"]
            line.selectAll()
            QTest.keyClicks(line, typed)
            QTest.mouseClick(panel.button, LEFT)
            self.assertFalse(panel.isVisible(), panel.fault.text())
            self.wait.still(self.window)
            self.assertEqual(self.doc.recipe.site.sea, level)
            self.assertEqual(view.look.water, level)
        wet = self.pixels(view).astype(int)
        blue = (wet[..., 0] - wet[..., 2] > 20) & (np.abs(wet - dry).sum(-1) > 30)
        self.assertGreater(int(blue.sum()), 2000, "the lower half is water")


if __name__ == "__main__":
    unittest.main()
