"""The program through the accessibility interface alone: every control named, every value set, an artist's job done."""

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

from screenreader import CHECKED, ENABLED, ScreenReader
from support import chain

from gelande.core.recipe import control
from gelande.core.recipe.deliverables import Deliverable
from gelande.core.recipe.recipefile import save

#: Roles of what is pressed, chosen or typed in.
CONTROLS = {"push button", "check box", "spin box", "combo box", "text", "slider", "button menu", "tree table", "list"}
NAMES = ("Fractal noise", "Terrace", "Curve")


def recipe_file(folder: Path) -> Path:
    """A small recipe with controls and a deliverable, saved."""
    recipe, ids = chain("fractal_noise", "terrace", "curve")
    recipe = control.publish(recipe, ids[1], "riser_height", "Cliff height", "Rock")
    recipe = control.publish(recipe, control.RECIPE, "seed")
    recipe = replace(recipe, deliverables=(Deliverable("height", ids[2], "height", "height_png16"),))
    save(recipe, folder / "dale.gelande")
    return folder / "dale.gelande"


class ReaderCase(unittest.TestCase):
    """A program on a small recipe, and somebody who reads it."""

    words: tuple[str, ...] = ("open",)

    @classmethod
    def setUpClass(cls):
        temp = tempfile.TemporaryDirectory()
        cls.addClassCleanup(temp.cleanup)
        cls.folder = Path(temp.name)
        settings = {"started": "true", "toured": "true", "node_list": "true"}
        cls.reader = ScreenReader(recipe_file(cls.folder), cls.folder, settings, *cls.words)
        cls.addClassCleanup(cls.reader.close)
        cls.find = cls.reader.find

    def go(self, page: str) -> None:
        self.find(page, "check box").press()
        self.find(page, "check box", lambda thing: thing.has(CHECKED))


class AuthorTest(ReaderCase):
    def test_every_control_of_every_page_has_a_name_and_numbers_have_a_range(self):
        self.find("up to date")
        for page, there in (("Compose", "List of nodes"), ("Variants", "seed 8"), ("Deliver", "Deliver all")):
            self.go(page)
            self.find(there)
            controls = [thing for thing in self.reader.all() if thing.role in CONTROLS]
            self.assertGreater(len(controls), 12)
            for thing in controls:
                with self.subTest(page, role=thing.role, told=thing.told):
                    self.assertTrue(thing.name.strip())
                    if thing.role == "combo box":
                        self.assertTrue(thing.told.strip(), "its name is what is chosen")
                if thing.role == "spin box":
                    with self.subTest(page, value=thing.name):
                        low, high = thing.span
                        self.assertTrue(low <= thing.value <= high and low < high)
                        self.assertTrue(thing.text.strip())

    def select(self, name: str) -> None:
        tree = self.find("List of nodes")
        tree.select([thing.name for thing in tree.children()].index(name))

    def test_the_graph_is_read_and_a_node_is_set(self):
        self.go("Compose")
        self.find("up to date")
        items = [t.name for t in self.find("List of nodes").under() if t.role == "tree item"]
        self.assertEqual(items[::3], list(NAMES), "name, kind and state of each")
        self.select("Terrace")
        height = self.find("Riser height", "spin box")
        self.assertEqual(height.text, "26.0 m")
        height.set_value(40.0)
        self.find("Undo", ready=lambda thing: thing.told == "Undo: set riser height")
        self.assertEqual(self.find("Riser height", "spin box").text, "40.0 m")
        height.set_value(1e9)
        self.assertEqual(self.find("Riser height", "spin box").value, 3000.0, "the end of its range")
        self.find("Riser height: on the control sheet").press()
        self.find("Control sheet: 1 control")
        self.select("Curve")
        self.find("Curve: points in per cent").set_text("0 20; 100 60")
        self.find("Undo", ready=lambda thing: thing.told == "Undo: set curve")
        self.assertEqual(self.find("Curve: points in per cent").text, "0 20; 100 60")
        self.find("Invert", "check box", lambda thing: thing.name == "Invert").press()
        self.find("Undo", ready=lambda thing: thing.told == "Undo: set invert")
        self.find("Height", "check box").press()
        self.find("Range: from; to; falloff").set_text("40 m; 90 m; 5 m")
        self.find("Undo", ready=lambda thing: thing.told not in ("", "Undo: set invert", "Undo: set where"))
        self.assertEqual(self.find("Range: from; to; falloff").text, "40 m; 90 m; 5 m")


class ArtistTest(ReaderCase):
    words = ("regenerate",)

    def test_an_artist_finds_a_land_keeps_it_and_delivers_it(self):
        self.find("Cliff height", "spin box").set_value(60.0)
        self.find("Cliff height", "filler", lambda thing: "60.0 m; changed" in thing.told)
        tile = self.find("seed 4", "check box", lambda thing: " m" in thing.told)
        tile.press()
        self.find("Seed 4 against", "label")
        self.find("Starred: seed 4").press()
        self.find("Deliver starred (1)")
        self.find("Use this variant").press()
        self.find("Seed", "spin box", lambda thing: thing.value == 4.0)
        self.go("Deliver")
        self.find("Deliver all", "push button", lambda thing: thing.has(ENABLED)).press()
        self.find("1 of 1 written and read back")
        self.assertEqual(len(list(self.folder.rglob("*_height.png"))), 1)


if __name__ == "__main__":
    unittest.main()
