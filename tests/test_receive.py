"""What receives a delivery: everything fits, and what does not is told; the import sheet says what to type in."""

import json
import re
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
from support import chain, linked, result
from test_window import WindowCase

from gelande.arrived import within
from gelande.cli.main import main
from gelande.core.errors import GelandeError
from gelande.core.evaluate.executor import Evaluator
from gelande.core.recipe.deliverables import Deliverable, Delivery
from gelande.core.recipe.recipefile import save
from gelande.core.recipe.site import Site
from gelande.deliver import build as B
from gelande.deliver.formats import FORMATS
from gelande.receive import against, receive


def land(**more):
    """A recipe with a file of every format."""
    recipe, (_, rain) = chain("massif", "rain_erosion", site=Site.fitted("High Test", 2000, 1500))
    recipe, ramp = linked(recipe, "colour_ramp", rain, "height")
    source = {"height": (rain, "height"), "mask": (rain, "flow"), "colour": (ramp, "colour")}
    slots = {"colour": (ramp, "colour"), "height": (rain, "height"), "blue": (rain, "cut")}
    small = (("height", 240), ("width", 320))
    orders = [
        Deliverable(
            f.id,
            *source[f.kind],
            f.id,
            small if f.id == "relief_png" else (),
            tuple((s.id, *slots[s.id]) for s in f.slots if s.id in slots),
        )
        for f in FORMATS.values()
    ]
    return replace(recipe, deliverables=tuple(orders), delivery=Delivery(**more)), rain


class ReceiveTest(unittest.TestCase):
    def setUp(self):
        self.enterContext(mock.patch("gelande.deliver.sitepage.ACROSS", 400))  # no printer will see these pages

    def delivered(self, recipe, level=2):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        items = B.build(recipe, level, Path(folder.name), Evaluator())
        self.assertEqual({i.state for i in items}, {B.DONE}, [i.note for i in items])
        return Path(folder.name)

    def test_every_format_arrives_and_fits_whole_and_in_tiles(self):
        for more in ({}, {"tile": 129, "epsg": 25832, "east": 500_000.0, "north": 5_300_000.0}):
            recipe, rain = land(**more)
            got = receive(self.delivered(recipe))
            self.assertEqual(got.faults, [])
            wanted = result(recipe, rain, 2)
            self.assertEqual(against(got, wanted["height"]), (0, 0))
            for name in ("mask_png8", "mask_png16", "mask_tiff8", "mask_exr16", "masks_png8, red"):
                np.testing.assert_allclose(got.masks[name], wanted["flow"], atol=0.51 / 255)
            np.testing.assert_allclose(got.masks["masks_png8, blue"], wanted["cut"], atol=0.51 / 255)
            self.assertEqual(set(got.meshes), {"mesh_glb", "mesh_obj", "mesh_ply", "mesh_stl"})
            self.assertEqual(len({len(p) for p in got.points.values()}), 1)
            self.assertEqual(got.colour.shape[2], 3)

    def test_every_format_of_heights_comes_back_in_metres(self):
        recipe, rain = land()
        wanted = result(recipe, rain, 2)["height"]
        for d in recipe.deliverables:
            if d.format.startswith("height_"):
                got = receive(self.delivered(replace(recipe, deliverables=(d,))))
                limit = 0.5 if d.format == "height_exr16" else 0.02
                self.assertLess(against(got, wanted)[0], limit, d.format)

    def test_what_does_not_fit_is_told(self):
        recipe, rain = land()
        wanted = {"height_tiff32", "mask_png8", "mask_png16", "mesh_ply", "points_csv"}
        folder = self.delivered(
            replace(recipe, deliverables=tuple(d for d in recipe.deliverables if d.format in wanted))
        )
        manifest = folder / "high_test_manifest.json"
        block = json.loads(manifest.read_text())
        facts = {f["name"]: f for f in block["files"]}
        (folder / facts["mask_png8"]["file"]).write_bytes(b"spoilt")
        (folder / facts["mask_png16"]["file"]).unlink()
        block["complete"] = False
        for name in ("mesh_ply", "points_csv"):
            facts[name]["meaning"]["up"] = "Y"  # a lie about the axes
        manifest.write_text(json.dumps(block))
        told = " ".join(receive(folder).faults)
        for words in ("not complete", "contents have changed", "mask_png16.png is missing", "mesh_ply does not lie on"):
            self.assertIn(words, told)

    def test_tiles_that_do_not_meet_are_told(self):
        recipe, _ = land(tile=129)
        folder = self.delivered(replace(recipe, deliverables=recipe.deliverables[:1]))
        block = json.loads((folder / "high_test_manifest.json").read_text())
        a, b = block["files"][0], block["files"][1]
        a["file"], b["file"], a["sha256"], b["sha256"] = b["file"], a["file"], b["sha256"], a["sha256"]
        (folder / "high_test_manifest.json").write_text(json.dumps(block))
        self.assertTrue(any("common edge" in words for words in receive(folder).faults))

    def test_a_folder_that_is_no_delivery(self):
        with tempfile.TemporaryDirectory() as folder:
            with self.assertRaisesRegex(GelandeError, "holds no manifest"):
                receive(Path(folder))
            (Path(folder) / "x_manifest.json").write_text("{}")
            with self.assertRaisesRegex(GelandeError, "damaged at site"):
                receive(Path(folder))
            (Path(folder) / "x_manifest.json").write_text("[" * 200_000)
            with self.assertRaisesRegex(GelandeError, "nested too deeply"):
                receive(Path(folder))

    def test_what_a_stranger_sends_ends_as_a_land_or_one_sentence(self):
        from longrun.deliveries import receive_all

        found = receive_all(40, 5)
        self.assertEqual(found["faults"], [])
        self.assertTrue(all(found["ended as"].values()), found)

    def test_a_link_or_a_name_that_leads_out_of_the_folder_is_not_followed(self):
        recipe, _ = land()
        folder = self.delivered(replace(recipe, deliverables=recipe.deliverables[:1]))
        path = folder / "high_test_height_tiff32.tif"
        outside = self.delivered(replace(recipe, deliverables=recipe.deliverables[:1])) / path.name
        path.unlink()
        path.symlink_to(outside)
        self.assertIn("leads out of the folder", " ".join(receive(folder).faults))
        self.assertRaisesRegex(GelandeError, "no plain file name", within, folder, "../x.tif")

    def test_on_the_command_line(self):
        recipe, _ = land()
        recipe = replace(recipe, deliverables=recipe.deliverables[:2])
        folder = self.delivered(recipe)
        save(recipe, folder / "r.gelande")
        self.assertEqual(main(["receive", str(folder), "--recipe", str(folder / "r.gelande"), "--no-window"]), 0)
        self.assertEqual(
            main(["receive", str(folder), "--recipe", str(folder / "r.gelande"), "--seed", "9", "--no-window"]), 1
        )
        (folder / "high_test_height_tiff32.tif").unlink()
        self.assertEqual(main(["receive", str(folder), "--no-window"]), 1)
        self.assertEqual(main(["receive", str(folder / "nowhere"), "--no-window"]), 2)
        self.assertEqual(main(["walk", str(folder / "r.gelande"), "--steps", "3", "--detail", "1025"]), 0)

    def test_the_import_sheet_says_what_the_manifest_says(self):
        recipe, _ = land(tile=129, epsg=25832, east=5e5, north=5.3e6)
        folder = self.delivered(recipe)
        text = re.sub(r"<[^>]+>", " ", (folder / "high_test_import.html").read_text())
        block = json.loads((folder / "high_test_manifest.json").read_text())
        facts = {f["name"]: f for f in block["files"]}
        m = facts["height_png16"]["meaning"]
        for words in (
            "257 × 193",
            "EPSG:25832, south-west corner at 500000, 5300000",
            "2 × 2 of 129 samples",
            f"{m['full'] - m['zero']:.3f} m",
            "Channel blue",
            "Columns",
            "Y",
            "no sRGB",
        ):
            self.assertIn(words, text)
        self.assertEqual((folder / "high_test_import.html").read_text().count("<img"), 13)
        self.assertNotIn("http", (folder / "high_test_import.html").read_text())


class WindowTest(WindowCase):
    def test_the_window_shows_what_arrived_and_what_does_not_fit(self):
        from gelande.app.received import ReceivedWindow

        recipe, _ = land()
        with tempfile.TemporaryDirectory() as folder:
            B.build(replace(recipe, deliverables=recipe.deliverables[:12]), 1, Path(folder), Evaluator())
            next(Path(folder).glob("*mask_png8.png")).unlink()
            window = ReceivedWindow(receive(Path(folder)))
        self.addCleanup(window.close)
        window.show()
        self.wait.until(window.view.renderer.pictured)
        self.assertEqual(window.state.text(), "1 things do not fit.")
        self.assertIn("is missing", window.list.item(0).text())
        window.shown.setCurrentText("mask_png16")
        window.shown.activated.emit(window.shown.currentIndex())
        self.wait.until(window.view.renderer.pictured)
        self.assertEqual(window.view.caption.text(), "mask_png16")


if __name__ == "__main__":
    unittest.main()
