"""Pictures and pages of the land: what they show, and that they are one file whatever the tiles."""

import contextlib
import io
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
import pypdf
from PIL import Image
from support import chain, linked
from test_window import LEFT, WindowCase

from gelande import receive as R
from gelande.cli.main import main
from gelande.core.evaluate.executor import Evaluator
from gelande.core.recipe.cameras import keep
from gelande.core.recipe.control import publish
from gelande.core.recipe.deliverables import Deliverable, Delivery
from gelande.core.recipe.model import NamedCamera
from gelande.core.recipe.recipefile import dumps
from gelande.core.recipe.site import Site
from gelande.deliver import build as B
from gelande.deliver.sitepage import facts_of

LEVEL = 2


def land(kind="relief_png", delivery=None, tops=False, **options):
    recipe, (_, rain) = chain("massif", "rain_erosion", site=Site("Tall Fell", 1000, 2000, base=32))
    recipe, ramp = linked(recipe, "colour_ramp", rain, "height")
    more = (("colour", ramp, "colour"),)
    one = Deliverable("Seen", rain, "height", kind, tuple(sorted(options.items())), more)
    rest = (Deliverable("Height", rain, "height", "height_tiff32"),) if tops else ()
    return replace(recipe, deliverables=(one, *rest), delivery=delivery or Delivery())


SMALL = {"width": 160, "height": 100}


class ViewCase(unittest.TestCase):
    def setUp(self):
        temporary = tempfile.TemporaryDirectory()
        self.addCleanup(temporary.cleanup)
        self.folder = Path(temporary.name)

    def build(self, recipe, name="out", state=B.DONE, level=LEVEL, **more):
        items = B.build(recipe, level, self.folder / name, Evaluator(), **more)
        self.assertEqual({i.state for i in items}, {state}, [i.note for i in items])
        return items

    def picture(self, recipe, name="out"):
        (item,) = self.build(recipe, name)
        with Image.open(self.folder / name / item.facts["file"]) as image:
            return np.asarray(image).astype(int)


class PictureTest(ViewCase):
    def test_it_shows_the_land_in_the_size_that_was_asked_for(self):
        image = self.picture(land(**SMALL))
        self.assertEqual(image.shape, (100, 160, 3))
        sky, edge = image[0].mean(0), image[-1].mean(0)
        land_part = image[35:65, 60:100].reshape(-1, 3)
        self.assertGreater(np.abs(sky - land_part.mean(0)).max(), 25, "there is land in the middle and sky above it")
        self.assertGreater(land_part.std(0).max(), 8, "the land is lit, not flat")
        self.assertLess(np.abs(edge - edge.mean()).max(), 40)

    def test_sun_colours_and_direction_change_it(self):
        first = self.picture(land(**SMALL))
        for name, changed in (
            ("sun", land(**SMALL, sun=138.0)),
            ("turned", land(**SMALL, heading=200.0)),
            ("high", land(**SMALL, times=3.0)),
            ("lines", land(**SMALL, contour=50.0)),
        ):
            self.assertGreater(np.abs(self.picture(changed, name) - first).mean(), 0.5, name)
        plain = land(**SMALL)
        plain = replace(plain, deliverables=(replace(plain.deliverables[0], more=()),))
        self.assertGreater(np.abs(self.picture(plain, "plain") - first).mean(), 2)

    def test_a_kept_view_is_what_is_seen(self):
        straight_down = NamedCamera("Roof", 500, 1000, 6000, 0, -89.0)
        recipe = keep(land(**SMALL, view="roof"), straight_down)
        image = self.picture(recipe)
        ground = np.abs(image - image[:, :1]).sum(-1) > 12
        rows, columns = np.flatnonzero(ground.any(1)), np.flatnonzero(ground.any(0))
        # the tall site from above, north up, is half as wide as it is tall
        self.assertAlmostEqual(len(columns) / len(rows), 0.5, delta=0.12)
        (item,) = self.build(land(**SMALL, view="cellar"), "none", B.FAILED)
        self.assertIn("no view called cellar is kept", item.note)

    def test_moving_a_kept_view_makes_the_picture_anew_and_nothing_else_does(self):
        recipe = keep(land(**SMALL, view="Roof"), NamedCamera("Roof", 500, 1000, 6000, 0, -80.0))
        self.build(recipe)
        self.assertEqual(self.build(recipe)[0].note, "unchanged")
        moved = replace(recipe, cameras=(replace(recipe.cameras[0], north=900.0),))
        self.assertEqual(self.build(moved)[0].note, "")

    def test_other_tones_of_bare_land_make_the_picture_anew(self):
        recipe = land(**SMALL)
        recipe = replace(recipe, deliverables=(replace(recipe.deliverables[0], more=()),))
        before = self.picture(recipe)
        after = self.picture(replace(recipe, site=replace(recipe.site, bare="sand")))
        ground = (before != after).any(2)
        redder = [(p[ground][:, 0] - p[ground][:, 2]).mean() for p in (before, after)]
        self.assertGreater(redder[1], redder[0] + 20)

    def test_it_is_one_file_beside_tiles_and_in_strips(self):
        recipe = land(delivery=Delivery(tile=65), tops=True, **SMALL)
        at_once, strips = self.build(recipe), self.build(recipe, "strips", whole=1)
        for items in (at_once, strips):
            self.assertEqual([len(i.files) for i in items], [1, 2])
        names = [(self.folder / n / at_once[0].facts["file"]).read_bytes() for n in ("out", "strips")]
        self.assertEqual(*names)
        self.assertEqual(at_once[0].facts["file"], "tall_fell_seen.png")
        self.assertEqual(R.receive(self.folder / "out").faults, [])
        found = self.build(recipe, "part", columns=[0], rows=[1], apart=False)
        self.assertEqual([len(i.files) for i in found], [0, 1])


class CommandTest(ViewCase):
    def test_a_picture_is_ordered_on_the_command_line(self):
        recipe = land()
        rain = recipe.deliverables[0].node
        path = self.folder / "fell.gelande"
        path.write_text(dumps(recipe))
        told, out = io.StringIO(), self.folder / "out"
        words = ["build", str(path), "--detail", "129", "--quiet", "--out", str(out), "--only", "Page"]
        words += [
            "--file",
            f"Small={rain}.height:relief_png,width=80,height=64",
            "--file",
            f"Page={rain}.height:site_pdf",
        ]
        with contextlib.redirect_stdout(told):
            self.assertEqual(main(words), 0)
        self.assertEqual({p.suffix for p in out.iterdir()}, {".png", ".pdf", ".html", ".json"})
        with Image.open(next(out.glob("*.png"))) as image:
            self.assertEqual(image.size, (80, 64))
        self.assertIn("Picture of Relief, PNG, 80 × 64, read back identical\n", told.getvalue())


class PageTest(ViewCase):
    def read(self, name="out"):
        (path,) = (self.folder / name).glob("*.pdf")
        return path, pypdf.PdfReader(path)

    def test_the_page_tells_site_figures_and_controls(self):
        recipe = land("site_pdf")
        rain = next(n for n, s in recipe.nodes.items() if s.kind == "rain_erosion")
        recipe = publish(recipe, rain, "strength")
        self.build(recipe)
        _, document = self.read()
        self.assertEqual(len(document.pages), 1)
        text = document.pages[0].extract_text()
        for words in ("Tall Fell", "South to north", "2000 m", "Relief", "Walkable share", *facts_of(recipe)[-1]):
            self.assertIn(words, text)
        self.assertEqual(len(document.pages[0].images), 2)
        wide, tall = document.pages[0].images[1].image.size
        self.assertAlmostEqual(tall / wide, 2, delta=0.05)

    def test_the_same_land_is_the_same_file_and_another_control_another(self):
        for name in ("out", "again"):
            self.build(land("site_pdf"), name)
        self.assertEqual(self.read()[0].read_bytes(), self.read("again")[0].read_bytes())
        self.assertEqual(self.build(land("site_pdf"))[0].note, "unchanged")
        recipe = land("site_pdf")
        for level, note in ((5.0, "unchanged"), (-1.0, "unchanged")):  # a level alone is no sea
            self.assertEqual(self.build(replace(recipe, site=replace(recipe.site, sea_level=level)))[0].note, note)
        drowned = replace(recipe.site, sea_level=5.0, has_sea=True)
        self.assertEqual(self.build(replace(recipe, site=drowned))[0].note, "")

    def test_long_names_and_many_controls_stay_on_the_page(self):
        recipe = land("site_pdf")
        recipe = replace(recipe, site=replace(recipe.site, name="Øst–" * 45))
        many = [(f"Control number {k}", "1 m") for k in range(200)]
        with mock.patch("gelande.deliver.sitepage._controls", return_value=many):
            self.build(recipe)
        _, document = self.read()
        self.assertEqual(len(document.pages), 1)
        self.assertRegex(document.pages[0].extract_text(), r"and \d+ more")

    def test_a_page_that_does_not_read_back_is_not_kept(self):
        with mock.patch("gelande.deliver.sitepage.text_of", return_value="Tall Fell"):
            (item,) = self.build(land("site_pdf"), state=B.FAILED)
        self.assertIn("does not read back", item.note)
        self.assertEqual(list((self.folder / "out").glob("*.pdf")), [])


class WindowTest(WindowCase):
    def test_a_picture_is_ordered_and_delivered_from_the_page(self):
        nodes = self.load("massif")
        self.window.go("Deliver")
        page = self.window.deliver
        page.folder = Path(tempfile.mkdtemp(dir=self.folder)) / "out"
        page.set_level(1)
        page.add(nodes[0], "height", "relief_png")
        row = page.table.rowCount() - 1
        page.table.setCurrentCell(row, 0)
        self.assertEqual(page.table.item(row, 3).text(), "one file")
        page.options.rows["width"].edited.emit("width", 96)
        page.options.rows["height"].edited.emit("height", 64)
        from PyQt6.QtTest import QTest

        QTest.mouseClick(page.go_button, LEFT)
        self.wait.until(page.ended)
        (path,) = page.folder.glob("*massif.png")
        with Image.open(path) as image:
            self.assertEqual(image.size, (96, 64))
        lines = [page.facts.lines.itemAt(k).widget().text() for k in range(page.facts.lines.count())]
        self.assertIn("96 × 64 pixels", lines)


if __name__ == "__main__":
    unittest.main()
