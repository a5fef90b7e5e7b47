"""Variants in the real window: sheets in all their ways, the control sheet, settings, locks, kept ground, comparing,
limits, and a locked recipe played by an artist."""

import hashlib
import json
import shutil
import unittest
from dataclasses import replace
from unittest import mock

import numpy as np
from PIL import Image
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel
from support import DEMO, chain, slow
from test_window import LEFT, WindowCase, at

from gelande.core.errors import RecipeError
from gelande.core.evaluate.executor import Job
from gelande.core.recipe import control, graph, model
from gelande.core.recipe import recipefile as files
from gelande.core.recipe.choices import FigureChoice
from gelande.core.recipe.node import Target
from gelande.core.recipe.seeds import effective_seed
from gelande.core.recipe.site import Site
from gelande.core.regenerate import kept_ground, preset, setfile

AROUND = ((1200, 1500), (2000, 1200), (2700, 1700), (2500, 2600), (1600, 2700))


class SheetCase(WindowCase):
    """A small recipe with a control and a seed, in Variants."""

    def setUp(self):
        super().setUp()
        recipe, ids = chain("fractal_noise", "terrace", "scree")
        recipe = control.publish(recipe, ids[1], "riser_height", "Cliff height", "Rock")
        recipe = control.publish(recipe, ids[0], "relief", "Hill height", "Land")
        self.doc.start(control.publish(recipe, control.RECIPE, "seed"), None)
        self.window.go("Variants")
        self.page, self.tiles = self.window.variants, self.window.variants.tiles
        self.wait.still(self.window)

    def shown(self) -> list[str]:
        """Names of the tiles on the sheet, in their order."""
        grid = self.tiles.grid
        return [grid.itemAt(k).widget().variant.name for k in range(grid.count())]

    def choose(self, box, text):
        box.setCurrentIndex(box.findText(text))
        box.activated.emit(box.currentIndex())
        self.wait.still(self.window)

    def draw_area(self, corners=AROUND):
        """Draws around an area in Plan, by clicks, and ends it with Enter."""
        view = self.page.view
        view.set_mode("Plan")
        self.wait.still(self.window)
        QTest.mouseClick(self.page.keeping.draw_button, LEFT)
        for point in corners:
            QTest.mouseClick(view, LEFT, pos=at(view.mode.to_widget(point)[0]))
        QTest.keyClick(view, Qt.Key.Key_Return)
        self.wait.still(self.window)


class VariantsTest(SheetCase):
    def test_nine_seeds_each_with_figures_and_a_choice(self):
        self.assertEqual(self.shown(), [f"seed {k}" for k in range(9)])
        self.assertEqual(self.tiles.count_label.text(), "9 of 9")
        self.assertEqual(len({c.outcome.image.constBits().asstring(3000) for c in self.tiles.cards}), 9)
        QTest.mouseClick(self.tiles.cards[4], LEFT, pos=QPoint(40, 40))
        self.wait.still(self.window)
        self.assertEqual(self.page.heading.text(), "Seed 4 against seed 0")
        labels = [w.text() for w in self.page.findChildren(QLabel)]
        self.assertIn("Walkable share (under 30°)", labels)
        QTest.mouseClick(self.page.use_button, LEFT)
        self.assertEqual(self.doc.recipe.seed, 4)
        self.doc.undo()
        self.assertEqual(self.doc.recipe.seed, 0)

    @slow
    def test_stars_survive_the_next_page_and_go_to_delivery(self):
        star = self.tiles.cards[2].star_box().center()
        QTest.mouseClick(self.tiles.cards[2], LEFT, pos=at(star))
        QTest.mouseClick(self.tiles.next_button, LEFT)
        self.wait.still(self.window)
        self.assertEqual(self.tiles.cards[0].variant.name, "seed 9")
        self.assertEqual(self.page.send_button.text(), "Deliver starred (1)")
        self.window.deliver.folder = self.folder
        self.window.deliver.set_level(1)
        QTest.mouseClick(self.page.send_button, LEFT)
        self.wait.until(self.window.deliver.ended)
        self.assertTrue((self.folder / "deliver" / "test_2" / "test_height.tif").exists())

    def test_an_empty_sheet_says_what_to_do_and_a_long_land_is_seen_whole(self):
        self.doc.start(model.Recipe(), None)
        self.wait.still(self.window)
        self.assertEqual(self.tiles.empty.text(), "Make a landscape in Compose first.")
        self.assertEqual(self.page.view.empty.text(), "Make a landscape in Compose first.")
        recipe, _ = chain("fractal_noise", site=Site.fitted("Long", 4096, 1024))
        self.doc.start(recipe, None)
        self.wait.still(self.window)
        card = self.tiles.cards[0]
        middle = self.pixels(card)[card.height() // 2 - 20]
        self.assertGreater(np.abs(np.diff(middle[4:-4].astype(int), axis=0)).sum(), 200, "the land, from side to side")
        top = self.pixels(card)[3]
        self.assertEqual(len(np.unique(top[4:-4], axis=0)), 1, "paper above it")

    @slow
    def test_one_control_and_two_controls(self):
        self.choose(self.tiles.way, "One control")
        self.choose(self.tiles.which, "Cliff height")
        c = control.find(self.doc.recipe, "Cliff height")
        values = [control.value_of(card.variant.recipe, c) for card in self.tiles.cards]
        self.assertEqual((values[0], values[-1], values), (c.low, c.high, sorted(values)))
        self.assertEqual(self.tiles.which.findText("Seed"), -1, "seeds are not swept")
        self.choose(self.tiles.way, "Two controls")
        h = control.find(self.doc.recipe, "Hill height")
        found = {(control.value_of(v.recipe, c), control.value_of(v.recipe, h)) for v in self.tiles.variants}
        self.assertEqual(len(found), 9)

    @slow
    def test_between_two_settings(self):
        self.choose(self.tiles.way, "Between two presets")
        self.assertIn("Keep two presets", self.tiles.empty.text())
        self.doc.edit("x", lambda r: preset.with_preset(r, "Low"))
        c = control.find(self.doc.recipe, "Hill height")
        self.doc.edit("x", lambda r: preset.with_preset(control.set_control(r, c, c.high), "High"))
        self.wait.still(self.window)
        self.assertEqual((self.shown()[0], self.shown()[-1]), ("Low", "High"))
        self.assertFalse(self.tiles.empty.isVisible())

    def test_order_and_limits(self):
        self.choose(self.tiles.sort, "By relief")
        found = [self.tiles.cards[int(n.split()[1])].outcome.figures.values["relief"] for n in self.shown()]
        self.assertEqual(found, sorted(found, reverse=True))
        middle = sorted(found)[4]
        self.doc.edit("x", lambda r: replace(r, figures=(FigureChoice("relief", low=middle),)))
        self.wait.still(self.window)
        self.tiles.within.setChecked(True)
        self.wait.still(self.window)
        self.assertEqual(len(self.shown()), 5)
        self.tiles.within.setChecked(False)
        self.assertEqual(sum(c.outside for c in self.tiles.cards), 4)
        self.tiles.least.setText(f"{sum(sorted(found)[6:8]) / 2:.3f} m")  # one that is rounded up leaves itself out
        self.tiles.least.editingFinished.emit()
        self.assertEqual(len(self.shown()), 2)
        self.tiles.least.setText("tall")
        self.tiles.least.editingFinished.emit()
        self.assertIn("is no number", self.window.status.text())
        self.assertEqual(len(self.shown()), 9)

    @slow
    def test_many_tiles_come_coarse_then_fine_and_in_relief(self):
        self.choose(self.tiles.count, "25 tiles")
        self.assertEqual(len(self.shown()), 25)
        self.assertEqual({c.outcome.level for c in self.tiles.cards[:25]}, {2})
        plan = self.tiles.cards[3].outcome.picture
        QTest.mouseClick(self.tiles.look_buttons["Relief"], LEFT)
        self.wait.still(self.window)
        self.assertNotEqual(self.tiles.cards[3].outcome.picture.shape, plan.shape)

    @slow
    def test_the_sheet_as_a_picture(self):
        path = self.folder / "sheet.png"
        self.tiles.save(path)
        with Image.open(path) as picture:
            self.assertGreater(picture.width, 900)
            self.assertGreater(len(set(picture.resize((60, 60)).getdata())), 100)
        self.tiles.save(self.folder / "none" / "x" / "sheet.png")
        self.assertIn("Wrote", self.window.status.text())
        locked = self.folder / "file"
        locked.write_text("x")
        self.tiles.save(locked / "sheet.png")
        self.assertIn("cannot be written", self.window.status.text())

    @slow
    def test_sliding_a_control_makes_the_sheet_anew(self):
        row = self.page.sheet.rows["Cliff height"]
        before = self.tiles.cards[0].outcome.key
        QTest.mouseClick(row, LEFT, pos=QPoint(row.width() - 4, 22))
        self.wait.until(self.tiles.small_done, lambda k, o: k == 8)
        self.assertNotEqual(self.tiles.cards[0].outcome.key, before)
        self.assertAlmostEqual(
            self.doc.recipe.nodes["terrace_1"].params["riser_height"],
            control.find(self.doc.recipe, "Cliff height").high,
            delta=4,
        )


class ControlSheetTest(SheetCase):
    def test_editing_a_control_in_its_panel(self):
        self.page.sheet.edit("Cliff height", QPoint(50, 50))
        panel = self.page.sheet.panel
        panel.fields["label"].setText("Step height")
        panel.fields["low"].setText("10 m")
        panel.fields["high"].setText("9999 km")
        panel.take()
        self.assertIn("outside", panel.fault.text())
        panel.fields["high"].setText("40 m")
        panel.fields["step"].setText("5 m")
        panel.take()
        c = control.find(self.doc.recipe, "Step height")
        self.assertEqual((c.low, c.high, c.step), (10.0, 40.0, 5.0))
        self.page.sheet.set_value("Step height", 21.3)
        self.assertEqual(control.value_of(self.doc.recipe, c), 20.0)

    def test_one_control_drives_several_settings_by_their_own_ways(self):
        self.page.sheet.edit("Hill height", QPoint(50, 50))
        panel = self.page.sheet.panel
        index = next(k for k in range(panel.more.count()) if "Scree: Angle" in panel.more.itemText(k))
        panel.more.setCurrentIndex(index)
        panel.more.activated.emit(index)
        for (way, low, high), (a, b) in zip(panel.ways, (("200 m", "600 m"), ("40", "25"))):
            way.setCurrentText("Slow start")
            low.setText(a)
            high.setText(b)
        panel.take()
        self.assertEqual(panel.fault.text(), "")
        c = control.find(self.doc.recipe, "Hill height")
        self.assertEqual([t.span for t in c.targets], [(200.0, 600.0), (40.0, 25.0)])
        self.page.sheet.set_value("Hill height", 1.0)
        nodes = self.doc.recipe.nodes
        self.assertEqual((nodes["fractal_noise_1"].value("relief"), nodes["scree_1"].value("repose")), (600.0, 25.0))
        self.assertEqual(self.page.sheet.rows["Hill height"].param.text(1.0), "100 %")

    def test_changes_are_marked_and_go_back(self):
        sheet = self.page.sheet
        self.assertFalse(sheet.reset_button.isEnabled())
        before = control.value_of(self.doc.recipe, control.find(self.doc.recipe, "Cliff height"))
        sheet.set_value("Cliff height", 44.0)
        sheet.set_value("Hill height", 444.0)
        row = sheet.rows["Cliff height"]
        self.assertTrue(row.published, "its dot is filled")
        self.assertEqual(sheet.reset_button.text(), "Reset all (2)")
        QTest.mouseClick(row, LEFT, pos=QPoint(6, 10))
        self.assertEqual(row.value, before)
        self.assertFalse(row.published)
        QTest.mouseClick(sheet.reset_button, LEFT)
        self.assertEqual(sheet.reset_button.text(), "Reset all")
        self.doc.undo()
        self.assertEqual(sheet.reset_button.text(), "Reset all (1)")

    def test_a_control_of_a_node_that_is_gone_does_no_harm_to_the_others(self):
        recipe, sheet = self.doc.recipe, self.page.sheet
        lost = replace(control.find(recipe, "Cliff height"), targets=(Target("gone_1", "riser_height"),))
        self.doc.start(replace(recipe, controls=(*recipe.controls, lost)), None)
        sheet.set_value("Hill height", 444.0)
        self.assertEqual(sheet.rows["Hill height"].value, 444.0)
        self.assertEqual(sheet.reset_button.text(), "Reset all (1)")

    def test_rows_are_dragged_to_another_place_and_group(self):
        sheet = self.page.sheet
        self.assertEqual([c.label for c in self.doc.recipe.controls], ["Cliff height", "Hill height", "Seed"])
        hill, cliff = sheet.rows["Hill height"], sheet.rows["Cliff height"]
        start = QPointF(6, 10)
        end = hill.mapFrom(sheet.inner, cliff.mapTo(sheet.inner, QPoint(6, 2)))
        self.drag(start, QPointF(end), hill)
        controls = self.doc.recipe.controls
        self.assertEqual([c.label for c in controls], ["Hill height", "Cliff height", "Seed"])
        self.assertEqual(controls[0].group, "Rock")

    def test_groups_fold_and_controls_wait_for_others(self):
        sheet = self.page.sheet
        QTest.mouseClick(sheet.heads["Rock"], LEFT)
        self.assertNotIn("Cliff height", sheet.rows)
        QTest.mouseClick(sheet.heads["Rock"], LEFT)
        self.assertIn("Cliff height", sheet.rows)
        self.doc.edit("x", lambda r: control.publish(r, "fractal_noise_1", "follow_seed", "Moves"))
        c = control.find(self.doc.recipe, "Cliff height")
        self.doc.edit("x", lambda r: control.replace_control(r, c, replace(c, shown_when=("Moves", (False,)))))
        self.assertNotIn("Cliff height", sheet.rows)
        sheet.set_value("Moves", False)
        self.assertIn("Cliff height", sheet.rows)

    def test_a_seed_group_is_locked(self):
        before = effective_seed(self.doc.recipe, "fractal_noise_1")
        QTest.mouseClick(self.page.sheet.locks.buttons["Landforms"], LEFT)
        QTest.mouseClick(self.page.next_seed_button, LEFT)
        self.assertEqual(self.doc.recipe.seed, 1)
        self.assertEqual(effective_seed(self.doc.recipe, "fractal_noise_1"), before)
        self.assertTrue(self.page.sheet.locks.buttons["Landforms"].isChecked())

    def test_settings_by_name(self):
        bar = self.page.sheet.presets
        bar.ask_name()
        QTest.keyClicks(bar.name, "As found")
        QTest.keyClick(bar.name, Qt.Key.Key_Return)
        self.assertEqual(bar.which.currentText(), "As found")
        self.page.sheet.set_value("Cliff height", 44.0)
        self.assertEqual(bar.which.currentText(), "Own values")
        bar.ask_name()
        QTest.keyClicks(bar.name, "High cliffs")
        QTest.keyClick(bar.name, Qt.Key.Key_Return)
        self.choose(bar.which, "As found")
        self.assertNotEqual(self.page.sheet.rows["Cliff height"].value, 44.0)
        bar.open_panel()
        panel = bar.panel
        low = self.page.sheet.rows["Cliff height"].value
        panel.slider.setValue(50)
        self.assertAlmostEqual(self.page.sheet.rows["Cliff height"].value, (low + 44.0) / 2, places=4)
        self.assertIn("Cliff height", [w.text() for w in panel.findChildren(QLabel)])
        path = self.folder / "mine.gelande-set"
        bar.save(path)
        self.page.sheet.set_value("Cliff height", 30.0)
        bar.open(path)
        self.assertAlmostEqual(self.page.sheet.rows["Cliff height"].value, (low + 44.0) / 2, places=4)
        path.write_text("[]")
        bar.open(path)
        self.assertIn("no set file", self.window.status.text())
        bar.delete("High cliffs")
        self.assertEqual([s.name for s in self.doc.recipe.presets], ["As found"])
        self.doc.undo()
        self.assertEqual(len(self.doc.recipe.presets), 2)

    def test_figures_and_limits_of_the_author(self):
        self.page.figures.open_panel()
        panel = self.page.figures.panel
        for name, (box, low, _) in panel.rows.items():
            box.setChecked(name in ("walkable", "flat"))
            low.setText("99" if name == "walkable" else "")
        panel.rows["flat"][1].setText("much")
        panel.take()
        self.assertIn("must be a number", panel.fault.text())
        panel.rows["flat"][1].setText("")
        panel.take()
        self.assertEqual([(f.figure, f.low) for f in self.doc.recipe.figures], [("walkable", 0.99), ("flat", None)])
        self.wait.still(self.window)
        cells = [w.text() for w in self.page.figures.findChildren(QLabel)]
        self.assertTrue(any(c.endswith(" !") for c in cells), cells)


class KeepTest(SheetCase):
    def land(self, recipe, level=1):
        return self.window.engine.evaluator.result(Job(recipe), kept_ground.steps(recipe)[0], level)["through"]

    def test_drawing_around_an_area_keeps_it_in_every_seed(self):
        QTest.mouseClick(self.tiles.cards[3], LEFT, pos=QPoint(40, 40))
        self.wait.still(self.window)
        self.draw_area()
        recipe = self.doc.recipe
        self.assertEqual((len(recipe.keeps), recipe.keeps[0].of.seed, recipe.seed), (1, 3, 0))
        self.assertEqual(self.page.keeping.rows[0][1].text(), "400 m")
        self.assertEqual(len(self.page.view.areas.shown), 1, "it is hatched over the land")
        lands = [self.land(v.recipe) for v in self.tiles.variants]
        rows, columns = slice(64, 80), slice(56, 64)  # well inside: 1,800 to 2,000 m east, 1,550 to 2,050 m north
        for land in lands[1:]:
            np.testing.assert_array_equal(land[rows, columns], lands[0][rows, columns])
            self.assertGreater(np.abs(land - lands[0]).max(), 20)
        self.doc.undo()
        self.assertEqual(self.doc.recipe.keeps, ())

    def test_an_area_is_switched_widened_moved_and_forgotten(self):
        self.draw_area()
        on, width, outline = self.page.keeping.rows[0]
        width.setText("0.2 km")
        QTest.keyClick(width, Qt.Key.Key_Return)
        self.assertEqual(self.doc.recipe.keeps[0].width, 200.0)
        self.page.keeping.rows[0][1].setText("wide")
        self.page.keeping.rows[0][1].editingFinished.emit()
        self.assertIn("must be a number", self.window.status.text())
        QTest.mouseClick(self.page.keeping.rows[0][0], LEFT, pos=QPoint(8, self.page.keeping.rows[0][0].height() // 2))
        self.assertFalse(self.doc.recipe.keeps[0].on)
        QTest.mouseClick(self.page.keeping.rows[0][2], LEFT)
        view = self.page.view
        before = self.doc.recipe.keeps[0].outlines[0][-1]
        start = view.mode.to_widget(before[0])[0]
        self.drag(start, start - QPointF(20, 10), view)
        after = self.doc.recipe.keeps[0].outlines[0][-1]
        self.assertEqual(after[1:], before[1:])
        self.assertNotEqual(after[0], before[0])
        self.assertFalse(self.page.keeping.words.isVisible())
        self.doc.edit("x", lambda r: graph.switch(r, kept_ground.steps(r), True))
        self.assertIn("Nothing is kept now", self.page.keeping.words.text())
        self.assertTrue(self.page.keeping.words.isVisible())
        self.doc.undo()
        self.page.keeping.forget(0)
        self.assertEqual(self.doc.recipe.keeps, ())

    def test_escape_gives_the_area_up(self):
        view = self.page.view
        QTest.mouseClick(self.page.keeping.draw_button, LEFT)
        QTest.mouseClick(view, LEFT, pos=view.rect().center())
        QTest.keyClick(view, Qt.Key.Key_Escape)
        self.assertEqual(self.doc.recipe.keeps, ())
        self.assertFalse(self.page.keeping.draw_button.isChecked())

    @slow
    def test_an_area_from_a_mask(self):
        self.page.keep_mask("scree_1", "scree")
        self.wait.until(self.page.large.masked)
        self.assertGreater(len(self.doc.recipe.keeps[0].outlines), 1)

    def test_pins_make_a_line_of_sight(self):
        view = self.page.view
        view.set_mode("Plan")
        self.wait.still(self.window)
        self.doc.edit("x", lambda r: replace(r, figures=(FigureChoice("sight"),)))
        self.wait.still(self.window)
        QTest.mouseClick(self.page.figures.pins_button, LEFT)
        for point in ((500, 500), (3000, 3000)):
            QTest.mouseClick(view, LEFT, pos=at(view.mode.to_widget(point)[0]))
        QTest.keyClick(view, Qt.Key.Key_Return)
        self.wait.still(self.window)
        self.assertEqual(len(self.doc.recipe.measures.pins), 2)
        cells = [w.text() for w in self.page.figures.findChildren(QLabel)]
        self.assertTrue(any("clear" in c or "hidden by" in c for c in cells), cells)

    def test_an_artist_paints_a_published_drawing(self):
        recipe, ids = chain("fractal_noise", "brushed_height")
        recipe = control.publish(recipe, ids[1], "strokes", "Raised ground")
        self.doc.start(recipe, None)
        self.wait.still(self.window)
        self.page.sheet.draw_asked.emit("Raised ground", True)
        view = self.page.view
        self.drag(QPointF(view.rect().center()), QPointF(view.rect().center()) + QPointF(60, 10), view)
        self.wait.still(self.window)
        strokes = self.doc.recipe.nodes[ids[1]].value("strokes")
        self.assertEqual(len(strokes), 1)
        self.assertIn("radius", view.active_tool.words.text())
        QTest.keyClick(view, Qt.Key.Key_BracketRight)
        self.drag(QPointF(view.rect().center()) + QPointF(0, 40), QPointF(view.rect().center()) + QPointF(60, 50), view)
        self.assertGreater(self.doc.recipe.nodes[ids[1]].value("strokes")[1][0], strokes[0][0])
        self.doc.undo()
        self.assertEqual(self.page.view.marks.value, strokes, "undo is seen in the view")
        QTest.keyClick(view, Qt.Key.Key_Escape)
        row = self.page.sheet.rows["Raised ground"]
        self.assertFalse(row.box.isChecked())
        self.wait.still(self.window)
        place = view.mode.to_widget(strokes[0][-1][0][:2])[0]
        QTest.mouseClick(view, LEFT, pos=at(place))
        QTest.keyClick(view, Qt.Key.Key_Delete)
        self.assertEqual(self.doc.recipe.nodes[ids[1]].value("strokes"), ())


class CompareTest(SheetCase):
    @slow
    def test_side_by_side_the_cameras_are_linked(self):
        QTest.mouseClick(self.tiles.cards[4], LEFT, pos=QPoint(40, 40))
        self.wait.still(self.window)
        large = self.page.large
        large.toggle_side()
        self.wait.still(self.window)
        self.assertTrue(large.second.isVisible())
        self.assertFalse(self.tiles.isVisible())
        self.assertEqual((large.view.caption.text(), large.second.caption.text()), ("seed 4", "seed 0"))
        view = large.view
        self.drag(QPointF(200, 200), QPointF(260, 210), view)
        self.wait.still(self.window)
        self.assertEqual(large.second.camera, view.camera)
        self.drag(QPointF(200, 200), QPointF(150, 210), large.second)
        self.wait.still(self.window)
        self.assertEqual(large.second.camera, view.camera)
        large.toggle_side()
        self.assertTrue(self.tiles.isVisible())

    @slow
    def test_a_difference_in_metres(self):
        QTest.mouseClick(self.tiles.cards[4], LEFT, pos=QPoint(40, 40))
        self.wait.still(self.window)
        self.page.view.comparison.set_way("difference")
        self.wait.still(self.window)
        change = self.page.view.comparison.change
        self.assertEqual(change.unit, " m")
        self.assertGreater(change.span, 50)


class ArtistTest(WindowCase):
    """An environment artist opens a locked recipe, never sees the graph, and hands over two lands."""

    regenerate = True

    def setUp(self):
        super().setUp()
        self.path = self.folder / "varrowdale.gelande"
        shutil.copy(DEMO, self.path)
        self.hash = hashlib.sha256(self.path.read_bytes()).hexdigest()

    def tearDown(self):
        super().tearDown()
        self.assertEqual(hashlib.sha256(self.path.read_bytes()).hexdigest(), self.hash, "the author's file")

    def test_only_variants_and_deliver_with_the_graph_locked(self):
        self.assertTrue(self.window.filing.open_path(self.path))
        self.assertEqual(list(self.window.tabs), ["Variants", "Deliver"])
        self.assertEqual(self.window.pages.currentWidget(), self.window.variants)
        nodes = self.doc.recipe.nodes
        self.window.variants.sheet.set_value("Cliff height", 80.0)
        self.assertEqual(self.doc.recipe.nodes["terrace_1"].params["riser_height"], 80.0)
        self.canvas.select_all()
        self.key(Qt.Key.Key_Delete)
        self.assertEqual(set(self.doc.recipe.nodes), set(nodes))
        self.assertTrue(self.window.choices.flush())
        self.wait.still(self.window)
        self.assertEqual(self.window.saved_label.text(), "choices in varrowdale.gelande-set")
        block = json.loads((self.folder / "varrowdale.gelande-set").read_text())
        self.assertEqual(block["now"]["values"]["Cliff height"], 80.0)

    def test_choices_come_back_and_broken_ones_are_told(self):
        self.window.filing.open_path(self.path)
        self.window.variants.sheet.set_value("Cliff height", 80.0)
        self.assertTrue(self.window.choices.flush())
        self.window.filing.open_path(self.path)
        self.assertEqual(self.window.variants.sheet.rows["Cliff height"].value, 80.0)
        self.assertEqual(self.window.variants.sheet.reset_button.text(), "Reset all (1)")
        kept = self.folder / "varrowdale.gelande-set"
        kept.write_text("{")
        self.window.filing.open_path(self.path)
        self.assertIn("varrowdale.gelande-set", self.window.status.text())
        self.window.variants.sheet.set_value("Cliff height", 60.0)
        self.assertTrue(self.window.choices.flush())
        self.assertEqual(kept.read_text(), "{", "what could not be read is not written over")
        self.assertTrue((self.folder / "varrowdale 2.gelande-set").exists())

    def test_another_artists_choices_are_not_written_over(self):
        self.window.filing.open_path(self.path)
        kept = self.folder / "varrowdale.gelande-set"
        kept.write_text('{"format": "gelande set", "version": 1}')
        self.window.variants.sheet.set_value("Cliff height", 60.0)
        self.assertTrue(self.window.choices.flush())
        self.assertEqual(kept.read_text(), '{"format": "gelande set", "version": 1}')
        self.assertIn("Cliff height", (self.folder / "varrowdale 2.gelande-set").read_text())

    def test_where_nothing_can_be_written_the_choices_go_elsewhere_and_that_is_told(self):
        self.window.filing.open_path(self.path)
        self.window.choices.aside = self.folder / "aside"
        real, full = setfile.save, [self.folder]

        def save(recipe, base, path, name):
            if path.parent in full:
                raise RecipeError(f"{path} cannot be saved: the disk is full. Nothing was changed.")
            real(recipe, base, path, name)

        with mock.patch.object(setfile, "save", save):
            self.window.variants.sheet.set_value("Cliff height", 60.0)
            self.assertTrue(self.window.choices.flush())
            QApplication.processEvents()
            self.assertIn("is kept in", self.window.status.text())
            (kept,) = (self.folder / "aside").iterdir()
            self.assertIn("Cliff height", kept.read_text())
            full.append(self.folder / "aside")
            self.window.variants.sheet.set_value("Cliff height", 61.0)
            self.assertFalse(self.window.choices.flush())
            QApplication.processEvents()
            self.assertIn("disk is full", self.window.status.text())
            self.assertEqual(self.window.saved_label.text(), "choices not saved")
        self.assertTrue(self.window.choices.flush())

    def test_closed_controls_are_seen_and_stay(self):
        recipe = files.load(self.path)
        c = control.find(recipe, "Cliff height")
        files.save(control.replace_control(recipe, c, replace(c, closed=True)), self.path)
        self.hash = hashlib.sha256(self.path.read_bytes()).hexdigest()
        self.window.filing.open_path(self.path)
        self.assertFalse(self.window.variants.sheet.rows["Cliff height"].isEnabled())
        self.assertTrue(self.window.variants.sheet.rows["Hill height"].isEnabled())

    @slow
    def test_a_valley_is_found_kept_named_and_delivered(self):
        self.assertTrue(self.window.filing.open_path(self.path))
        page, tiles = self.window.variants, self.window.variants.tiles
        tiles.count.setCurrentIndex(tiles.count.findText("9 tiles"))
        tiles.count.activated.emit(0)
        tiles.sort.setCurrentIndex(tiles.sort.findText("By largest walkable area"))
        tiles.sort.activated.emit(0)
        self.wait.still(self.window)
        best = tiles.grid.itemAt(0).widget()
        areas = [c.outcome.figures.values["area"] for c in tiles.cards[:9]]
        self.assertEqual(best.outcome.figures.values["area"], max(areas))
        QTest.mouseClick(best, LEFT, pos=QPoint(30, 40))
        page.view.set_mode("Plan")
        self.wait.still(self.window)
        QTest.mouseClick(page.keeping.draw_button, LEFT)
        for point in ((200, 200), (2000, 200), (2100, 3900), (200, 3900)):
            QTest.mouseClick(page.view, LEFT, pos=at(page.view.mode.to_widget(point)[0]))
        QTest.keyClick(page.view, Qt.Key.Key_Return)
        self.wait.still(self.window)
        self.assertEqual(self.doc.recipe.keeps[0].of.seed, int(best.variant.name.split()[1]))
        other = next(k for k, v in enumerate(tiles.variants) if v.name not in (best.variant.name, "seed 0"))
        QTest.mouseClick(tiles.cards[other], LEFT, pos=QPoint(30, 40))
        page.view.comparison.set_way("difference")
        self.wait.still(self.window)
        self.assertGreater(page.view.comparison.change.span, 20)
        page.view.comparison.set_way("")
        QTest.mouseClick(page.use_button, LEFT)
        bar = page.sheet.presets
        bar.ask_name()
        QTest.keyClicks(bar.name, "West kept")
        QTest.keyClick(bar.name, Qt.Key.Key_Return)
        self.wait.still(self.window)
        for index in (other, tiles.cards.index(best)):
            QTest.mouseClick(tiles.cards[index], LEFT, pos=at(tiles.cards[index].star_box().center()))
        self.window.deliver.set_level(1)
        self.window.deliver.folder = self.folder / "out"
        QTest.mouseClick(page.send_button, LEFT)
        ended: list = []  # files are looked for afterwards: folders are moved while a delivery runs
        self.window.deliver.ended.connect(ended.append)
        self.wait.until(self.window.deliver.ended, lambda *_: len(ended) == 2)
        manifests = sorted((self.folder / "out").rglob("*manifest*.json"))
        self.assertEqual(len(manifests), 2)
        for path in manifests:
            self.assertEqual(json.loads(path.read_text())["kept_areas"][0]["name"], "Area 1")
        self.assertTrue(self.window.choices.flush())
        block = json.loads((self.folder / "varrowdale.gelande-set").read_text())
        self.assertEqual((block["presets"][-1]["name"], block["keeps"][0]["name"]), ("West kept", "Area 1"))

    @slow
    def test_an_hour_of_choices_leaves_the_authors_file_alone(self):
        import random

        draw = random.Random(5)
        self.assertTrue(self.window.filing.open_path(self.path))
        page = self.window.variants
        for step in range(120):
            labels = [c.label for c in self.doc.recipe.controls if c.low is not None and c.targets[0].node]
            kind = draw.randrange(7)
            if kind < 3:
                label = draw.choice(labels)
                c = control.find(self.doc.recipe, label)
                value = c.low + draw.random() * (c.high - c.low)
                page.sheet.set_value(label, round(value) if isinstance(c.low, int) and c.high - c.low > 3 else value)
            elif kind == 3:
                page.next_seed()
            elif kind == 4 and len(self.doc.recipe.keeps) < 2:
                self.doc.edit("Keep", lambda r: kept_ground.add(r, ((True, False, AROUND),)))
            elif kind == 5:
                self.doc.edit("Name", lambda r, n=step: preset.with_preset(r, f"Preset {n % 5}"))
            else:
                draw.choice((self.doc.undo, self.doc.redo, page.sheet.reset_all))()
            if step % 20 == 0:
                self.assertTrue(self.window.choices.flush())
                self.assertEqual(hashlib.sha256(self.path.read_bytes()).hexdigest(), self.hash, step)
        self.assertFalse(self.window.filing.save())
        self.assertFalse(self.window.filing.save_as(self.path))
        self.assertTrue(self.window.choices.flush())
        names = {p.name for p in self.folder.iterdir() if p.is_file()}
        self.assertEqual(names, {"varrowdale.gelande", "varrowdale.gelande-set"})


class StepTest(WindowCase):
    def test_the_step_shows_its_areas_and_its_heights_in_compose(self):
        recipe, _ = chain("fractal_noise", "scree")
        recipe = kept_ground.add(recipe, ((True, False, AROUND),))
        self.window.set_detail(1)
        self.doc.start(recipe, None)
        self.wait.still(self.window)
        (step,) = kept_ground.steps(recipe)
        self.canvas.choose(step)
        self.wait.still(self.window)
        self.assertEqual([name for name, *_ in self.view.areas.shown], ["Area 1"])
        self.assertRegex(self.bench.where.hint.text(), r"Result from -?\d+ m to \d+ m\.")
        self.canvas.choose("scree_1")
        self.wait.still(self.window)
        self.assertEqual(self.view.areas.shown, ())


class MappedRecipeTest(unittest.TestCase):
    def test_a_mapped_control_survives_its_file(self):
        recipe, ids = chain("fractal_noise", "terrace")
        targets = (Target(ids[1], "riser_height", span=(10.0, 60.0), curve="Slow start"),)
        c = model.Control("Age", "Land", targets, 0.0, 1.0, "How old.", 0.05, True)
        recipe = replace(recipe, controls=(control.checked_control(recipe, c),))
        self.assertEqual(files.loads(files.dumps(recipe)).controls, recipe.controls)
        self.assertEqual(graph.set_param(recipe, ids[1], "riser_height", 22.5).controls, recipe.controls)


if __name__ == "__main__":
    unittest.main()
