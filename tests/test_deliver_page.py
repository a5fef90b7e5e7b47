"""The Deliver page: outputs are marked, formats and names are chosen, meshes are looked at, workers deliver."""

import json
import os
import re
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel
from test_window import LEFT, WindowCase

from gelande.app.deliver.common import WORKERS
from gelande.core.recipe.deliverables import FOUND, GIVEN, Delivery


class DeliverPageTest(WindowCase):
    def setUp(self):
        super().setUp()
        self.nodes = self.load("fractal_noise", "rain_erosion")
        self.window.go("Deliver")
        self.page = self.window.deliver
        self.out = Path(tempfile.mkdtemp(dir=self.folder)) / "out"
        self.page.folder = self.out
        self.page.set_level(1)

    def delivered(self):
        QTest.mouseClick(self.page.go_button, LEFT)
        self.wait.until(self.page.ended)

    def names(self):
        return [self.page.table.item(r, 0).text() for r in range(self.page.table.rowCount())]

    def formats(self):
        return [d.format for d in self.doc.recipe.deliverables]

    def edit(self, name, value):
        """As if somebody had set a row of the panel at the right."""
        self.page.common.rows[name].edited.emit(name, value)

    def marked(self, *labels):
        """Opens the panel and marks outputs by their words."""
        QTest.mouseClick(self.page.add_button, LEFT)
        panel = self.page.panel
        for item in panel.items():
            if item.text(0) in labels:
                item.setCheckState(0, Qt.CheckState.Checked)
        return panel

    def test_outputs_are_marked_and_added_in_one_step(self):
        panel = self.marked("Flow", "Cut")
        self.assertEqual(panel.count.text(), "2 marked")
        panel.formats["mask"].setCurrentIndex(panel.formats["mask"].findData("mask_tiff16"))
        QTest.mouseClick(panel.button, LEFT)
        self.assertEqual(self.names()[2:], ["Rain erosion cut", "Rain erosion flow"])
        self.assertEqual(self.formats()[2:], ["mask_tiff16"] * 2)
        self.doc.undo()
        self.assertEqual(len(self.names()), 2, "one step back takes both away")

    def test_all_outputs_of_a_node_by_its_own_mark(self):
        QTest.mouseClick(self.page.add_button, LEFT)
        panel = self.page.panel
        panel.search.setText("erosion")
        shown = [
            t for t in (panel.tree.topLevelItem(k) for k in range(panel.tree.topLevelItemCount())) if not t.isHidden()
        ]
        self.assertEqual([t.text(0) for t in shown], ["Rain erosion"])
        shown[0].setCheckState(0, Qt.CheckState.Checked)
        count = shown[0].childCount()
        self.assertEqual(panel.count.text(), f"{count} marked")
        QTest.mouseClick(panel.button, LEFT)
        self.assertEqual(len(self.names()), 2 + count)

    def test_a_format_and_its_options_are_chosen_for_a_file(self):
        self.page.table.setCurrentCell(0, 0)
        box = self.page.options.format
        box.setCurrentIndex(box.findData("contours_svg"))
        box.activated.emit(box.currentIndex())
        self.assertEqual(self.formats()[0], "contours_svg")
        self.assertEqual(list(self.page.options.rows), ["step", "strong"])
        self.page.options.rows["step"].edited.emit("step", 25.0)
        self.assertEqual(self.doc.recipe.deliverables[0].options, (("step", 25.0),))
        self.delivered()
        self.assertEqual(sorted(p.suffix for p in self.out.iterdir()), [".html", ".json", ".pdf", ".png", ".svg"])
        self.page.table.setCurrentCell(0, 0)
        words = [w.text() for w in self.page.facts.findChildren(QLabel)]
        self.assertTrue(any("every 25 m" in w for w in words), words)

    def test_masks_are_packed_into_one_image(self):
        self.page.add(self.nodes[1], "flow", "masks_png8")
        self.page.table.setCurrentCell(2, 0)
        box = self.page.options.slots["blue"]
        there = [k for k in range(box.count()) if box.itemData(k) == (self.nodes[1], "cut")]
        box.setCurrentIndex(there[0])
        box.activated.emit(there[0])
        self.assertEqual(self.doc.recipe.deliverables[2].more, (("blue", self.nodes[1], "cut"),))
        self.assertEqual(self.page.options.slots["blue"].currentIndex(), there[0], "it is shown as chosen")

    def test_names_tiles_and_heights_are_those_of_all_files(self):
        self.edit("tile", "129")
        self.page.set_level(2)
        self.assertIn("tiles of 129", self.page.table.item(0, 3).text())
        self.edit("pattern", "{what}-{x}-{y}")
        self.assertEqual(self.page.common.example.text(), "height-01-01.tif")
        self.edit("span", GIVEN)
        self.edit("low", -2000.0)
        self.edit("high", 4000.0)
        self.assertEqual(self.page.hint.text(), "8 files")
        self.delivered()
        block = json.loads(next(self.out.glob("*manifest.json")).read_text())
        self.assertEqual({f["meaning"]["full"] for f in block["files"] if f["format_id"] == "height_png16"}, {4000})
        self.assertEqual(len(list(self.out.glob("height-0?-0?.tif"))), 4)
        self.assertIn("8 of them there already", self.page.hint.text())
        self.delivered()
        self.assertIn("2 had not changed and were left", self.window.status.text())

    def test_what_cannot_be_used_is_told_and_nothing_changes(self):
        for name, value, why in (("pattern", "a/b", "Names of files cannot"), ("epsg", "somewhere", "no EPSG code")):
            self.edit(name, value)
            self.assertIn(why, self.window.status.text())
            self.assertEqual(self.doc.recipe.delivery, Delivery())
            self.assertEqual(self.page.common.rows[name].line.text(), getattr(Delivery(), name) or "")
        self.edit("epsg", "EPSG:25832")
        self.assertEqual(self.doc.recipe.delivery.epsg, 25832)
        self.assertTrue(self.page.common.rows["east"].isVisible())

    def test_a_mesh_is_looked_at_before_it_is_written(self):
        self.page.add(self.nodes[1], "height", "mesh_glb")
        self.page.table.setCurrentCell(2, 0)
        self.page.options.rows["levels"].edited.emit("levels", 2)
        QTest.mouseClick(self.page.options.preview, LEFT)
        mesh = self.page.mesh
        self.wait.until(mesh.made)
        first = int("".join(mesh.words.text().split(" triangles")[0].split()))
        within = re.search(r"Heights within (0\.[0-9]+) m of all", mesh.words.text())
        self.assertTrue(0.4 < float(within[1]) <= 0.5, mesh.words.text())
        self.wait.until(mesh.view.renderer.pictured)
        mesh.levels.setCurrentIndex(1)
        mesh.levels.activated.emit(1)
        self.wait.until(mesh.made)
        self.assertLess(int("".join(mesh.words.text().split(" triangles")[0].split())), first)
        mesh.close()
        self.delivered()
        facts = self.page.builds.items[self.doc.recipe.deliverables[2]].facts
        self.assertEqual(facts["levels"][0]["triangles"], first, "what was shown is what was written")

    def test_the_import_sheet_opens(self):
        self.assertFalse(self.page.sheet_button.isVisible())
        self.delivered()
        self.assertTrue(self.page.sheet_button.isVisible())
        with mock.patch.object(QDesktopServices, "openUrl") as opened:
            QTest.mouseClick(self.page.sheet_button, LEFT)
        self.assertTrue(os.path.exists(opened.call_args[0][0].toLocalFile()))
        data = next(self.out.glob("*.pdf")).read_bytes()
        self.assertEqual((data[:5], data.count(b"/Type /Page\n")), (b"%PDF-", 1), "what is short is one page")
        self.assertIn(b"595", data)  # of A4

    def test_variants_share_one_span_when_it_is_found_for_all(self):
        from gelande.core.regenerate.variant import Variant

        recipes = [replace(self.doc.recipe, seed=s) for s in (1, 2)]
        self.edit("span", FOUND)  # after they were made
        self.page.queue([Variant(f"seed {r.seed}", r) for r in recipes])
        self.wait.until(self.page.ended, lambda *_: not self.page.running and not self.page.builds.queued)
        blocks = [json.loads(p.read_text()) for p in self.out.rglob("*manifest.json")]
        spans = {
            (f["meaning"]["zero"], f["meaning"]["full"]) for b in blocks for f in b["files"] if "16" in f["format"]
        }
        self.assertEqual((len(blocks), len(spans)), (2, 1))

    def test_workers_deliver_and_the_page_tells_what_each_does(self):
        self.edit("who", WORKERS)
        self.assertTrue(self.page.common.rows["workers"].isVisible())
        self.edit("tile", "129")
        self.page.set_level(2)
        seen = []
        self.page.farmed.connect(lambda p: seen.append((self.page.common.at.text(), self.page.summary.text())))
        self.delivered()
        self.assertIn("2 of 2 written and read back", self.page.summary.text())
        self.assertTrue(any(": out" in at for at, _ in seen), seen)
        self.assertTrue(any("pieces done by 2 workers" in words for _, words in seen))
        self.assertEqual(self.page.common.at.text(), "")
        self.assertEqual(len(list(self.out.glob("*.png"))), 4)


if __name__ == "__main__":
    unittest.main()
