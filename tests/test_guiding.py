"""The first ten minutes: the empty window, the tour, the sheet of keys, everything by keyboard, and how few steps a
new land takes."""

import unittest
from unittest import mock

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QLabel
from support import DEMO, slow
from test_window import CTRL, LEFT, SHIFT, WindowCase

from gelande.app.editors import Row
from gelande.app.keysheet import SHEET
from gelande.app.tour import STEPS
from gelande.core.recipe import graph

PLAIN = Qt.KeyboardModifier.NoModifier
KEYS = {c: getattr(Qt.Key, f"Key_{c.upper()}") for c in "abcdefghijklmnopqrstuvwxyz"}


class GuidingCase(WindowCase):
    """Counts what a hand does: presses of keys and clicks go to what has the focus, as on a desktop."""

    def setUp(self):
        super().setUp()
        self.window.activateWindow()
        QTest.qWaitForWindowActive(self.window)
        self.doc.opened.emit()
        self.steps = 0

    def target(self):
        popup = QApplication.activePopupWidget()
        if popup is not None:
            return popup.focusWidget() or popup
        if not self.window.isActiveWindow():  # this platform gives the focus back to no window when a popup closes
            QApplication.setActiveWindow(self.window)
        return QApplication.focusWidget() or self.window

    def press(self, *keys, modifiers=PLAIN):
        for key in keys:
            self.steps += 1
            QTest.keyClick(self.target(), key, modifiers)

    def write(self, text):
        self.press(*(KEYS[c] for c in text))

    def press_until(self, widget, key=Qt.Key.Key_Tab, most=80):
        """Tabs to a widget as somebody would who looks where the focus is."""
        part = widget.focus_part() if isinstance(widget, Row) else widget
        for _ in range(most):
            if self.target() is part:
                return
            self.press(key)
        self.fail(f"{widget.accessibleName() or widget} is not reached by Tab; focus is on {self.target()}")

    def click_on(self, widget):
        self.steps += 1
        QTest.mouseClick(widget, LEFT)


class WelcomeTest(GuidingCase):
    def test_an_empty_window_offers_landscapes_landforms_studies_and_files(self):
        welcome = self.window.guiding.welcome
        self.assertTrue(welcome.isVisible())
        titles = [w.text() for w in welcome.findChildren(QLabel) if w.objectName() == "title"]
        self.assertEqual(titles, ["Open a landscape", "Start from a landform", "Open a study", "Open a file"])
        pictures = [w for w in welcome.findChildren(QLabel) if not w.pixmap().isNull()]
        self.assertGreaterEqual(len(pictures), 6 + len(list(DEMO.parent.glob("*.gelande"))))
        self.click_on(welcome.buttons["cone"])
        self.assertFalse(welcome.isVisible())
        self.assertEqual([s.kind for s in self.doc.recipe.nodes.values()], ["cone"])
        self.doc.undo()
        self.assertFalse(welcome.isVisible(), "what was undone can be done again from the sheet")
        self.window.filing.new()
        self.assertTrue(welcome.isVisible())

    def test_an_example_opens_from_its_picture_and_the_empty_sheet_can_be_had(self):
        self.click_on(self.window.guiding.welcome.buttons["tableland.gelande"])
        self.assertGreater(len(self.doc.recipe.nodes), 2)
        self.window.filing.new()
        self.click_on(self.window.guiding.welcome.buttons["sheet"])
        self.assertFalse(self.window.guiding.welcome.isVisible())
        self.assertTrue(self.canvas.hasFocus())

    def test_it_fits_a_small_window(self):
        self.window.resize(900, 600)
        QApplication.processEvents()
        welcome = self.window.guiding.welcome
        self.assertEqual(welcome.size(), self.window.compose.size())
        self.assertFalse(welcome.horizontalScrollBar().isVisible())
        for button in welcome.buttons.values():
            right = button.mapTo(welcome, QPoint(button.width(), 0)).x()
            self.assertLessEqual(right, welcome.width())


class TourTest(GuidingCase):
    def test_six_steps_each_in_the_window_and_beside_what_they_are_about(self):
        self.window.resize(900, 600)
        self.window.filing.open_path(DEMO, True)
        self.window.guiding.start_tour()
        tour = self.window.guiding.tour
        for k, (title, _, part) in enumerate(STEPS):
            self.assertEqual((tour.count.text(), tour.title.text()), (f"{k + 1} of 6", title))
            self.assertTrue(self.window.rect().contains(tour.geometry()), title)
            about = part(self.window)
            top = about.mapTo(self.window, QPoint(0, 0))
            self.assertTrue(tour.outline.geometry().contains(top + QPoint(8, 8)), title)
            self.press(Qt.Key.Key_Return)
        self.assertFalse(tour.isVisible() or tour.outline.isVisible())
        self.assertTrue(self.window.settings.value("toured", False, bool))

    def test_escape_skips_it_and_the_menu_has_it(self):
        self.window.guiding.start_tour()
        self.press(Qt.Key.Key_Escape)
        self.assertFalse(self.window.guiding.tour.isVisible())
        names = [a.text() for a in self.window.menu_button.menu().actions()]
        self.assertIn("Tour", names)
        self.assertIn("Keys", names)


class KeysTest(GuidingCase):
    def test_the_sheet_of_keys_opens_and_closes_by_its_own_key(self):
        self.canvas.setFocus()
        self.window.guiding.show_keys()
        texts = [w.text() for w in self.window.guiding.key_sheet.findChildren(QLabel)]
        for _, keys in SHEET:
            for key, words in keys:
                self.assertIn(key, texts)
                self.assertIn(words, texts)
        QTest.keyClick(self.window.guiding.key_sheet, Qt.Key.Key_Escape)
        self.assertFalse(self.window.guiding.key_sheet.isVisible())

    def test_f6_goes_round_the_panes_and_the_focus_shows(self):
        self.load("fractal_noise", "terrace")
        self.click("terrace_1")
        self.wait.still(self.window)
        self.canvas.setFocus()
        self.window.guiding.next_pane()
        self.assertTrue(self.view.hasFocus())
        self.window.guiding.next_pane()
        self.assertIn(self.target(), [row.focus_part() for row in self.bench.rows.values()])
        self.window.guiding.next_pane()
        self.assertTrue(self.canvas.hasFocus())

    def test_what_has_the_focus_looks_otherwise(self):
        self.load("fractal_noise", "curve")
        self.click("curve_1")
        self.wait.still(self.window)
        others = [self.view, self.view.bar.modes["Plan"], self.canvas, self.window.more, *self.bench.rows.values()]
        for widget in [w for w in others if w.isVisible() and w.focusPolicy() & Qt.FocusPolicy.TabFocus]:
            self.window.less.setFocus()
            before = self.pixels(widget)
            widget.setFocus(Qt.FocusReason.TabFocusReason)
            QApplication.processEvents()
            self.assertGreater(
                np.abs(self.pixels(widget).astype(int) - before).max(), 20, widget.accessibleName() or str(widget)
            )

    def test_points_of_a_curve_are_moved_added_and_removed_by_keys(self):
        self.load("fractal_noise", "curve")
        self.click("curve_1")
        self.wait.still(self.window)
        row = self.bench.rows["curve"]
        row.setFocus()
        count = len(row.value)
        self.press(Qt.Key.Key_Insert)
        self.assertEqual(len(row.value), count + 1)
        before = row.value[row._chosen]
        self.press(Qt.Key.Key_Up, modifiers=SHIFT)
        self.assertAlmostEqual(row.value[row._chosen][1], min(1.0, before[1] + 0.05))
        self.press(Qt.Key.Key_Delete)
        self.assertEqual(len(row.value), count)
        self.assertEqual(self.doc.recipe.nodes["curve_1"].params["curve"], row.value)

    def test_an_input_is_linked_by_menu(self):
        self.load("fractal_noise", "terrace")
        self.doc.edit("x", lambda r: graph.unlink(r, "terrace_1", "height"))
        self.canvas.choose("terrace_1")
        offered = []

        def first(menu, *args):
            inner = menu.actions()[0].menu()
            offered.extend(a.text() for a in inner.actions())
            inner.actions()[0].trigger()

        with mock.patch("gelande.app.compose.actions.QMenu.exec", first):
            self.key(Qt.Key.Key_I)
        self.assertEqual(offered, ["Fractal noise"])
        self.assertEqual(self.doc.recipe.nodes["terrace_1"].inputs["height"], ("fractal_noise_1", "height"))


class WalkThroughTest(GuidingCase):
    def add(self, word):
        self.press(Qt.Key.Key_A)
        self.write(word)
        self.press(Qt.Key.Key_Return)

    @slow
    def test_a_new_land_of_four_nodes_from_the_empty_window_to_files_takes_25_steps(self):
        self.click_on(self.window.guiding.welcome.buttons["fractal_noise"])
        for word in ("ter", "rain", "snow"):
            self.add(word)
        kinds = [s.kind for s in self.doc.recipe.nodes.values()]
        self.assertEqual(kinds, ["fractal_noise", "terrace", "rain_erosion", "snow"])
        self.assertEqual(len(list(self.doc.recipe.links())), 3)
        self.press(Qt.Key.Key_3, modifiers=CTRL)
        page = self.window.deliver
        page.folder = self.folder / "out"
        page.set_level(3)
        self.click_on(page.go_button)
        self.wait.until(page.ended)
        self.assertTrue(list((self.folder / "out").glob("*_height.tif")))
        self.assertLessEqual(self.steps, 25)

    @slow
    def test_the_walk_through_without_a_mouse(self):
        self.press(Qt.Key.Key_A)
        self.write("fractal")
        self.press(Qt.Key.Key_Return)
        for word in ("terrace", "rain"):
            self.add(word)
        self.wait.still(self.window)
        noise, terrace, rain = self.doc.recipe.nodes
        self.assertEqual(self.doc.recipe.nodes[rain].inputs["height"], (terrace, "height"))
        self.press(Qt.Key.Key_F6, Qt.Key.Key_F6)
        self.press_until(self.bench.rows["strength"])
        self.press(Qt.Key.Key_End)
        self.assertGreater(self.doc.recipe.nodes[rain].params["strength"], 0.99)
        self.press(Qt.Key.Key_F6)
        self.press(Qt.Key.Key_Up)
        self.assertEqual(self.canvas.chosen, terrace)
        self.wait.still(self.window)
        self.press(Qt.Key.Key_F6, Qt.Key.Key_F6)
        self.press_until(self.bench.rows["riser_height"])
        self.press(Qt.Key.Key_P)
        self.assertEqual([c.label for c in self.doc.recipe.controls], ["Riser height"])
        self.press(Qt.Key.Key_2, modifiers=CTRL)
        variants = self.window.variants
        self.press_until(variants.sheet.seed_button)
        self.press(Qt.Key.Key_Space)
        self.wait.still(self.window)
        before = self.doc.recipe.seed
        self.press_until(variants.next_seed_button)
        self.press(Qt.Key.Key_Space)
        self.assertEqual(self.doc.recipe.seed, before + 1)
        file = self.folder / "mine.gelande"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(file), "")):
            self.press(Qt.Key.Key_S, modifiers=CTRL)
        self.assertTrue(file.exists())
        self.press(Qt.Key.Key_3, modifiers=CTRL)
        page = self.window.deliver
        page.folder = self.folder / "out"
        page.set_level(3)
        self.press_until(page.go_button)
        self.press(Qt.Key.Key_Space)
        self.wait.until(page.ended)
        self.assertIn("2 of 2 written and read back", page.summary.text())

    def test_dragging_and_adding_keep_the_selected_card_in_view(self):
        self.click_on(self.window.guiding.welcome.buttons["fractal_noise"])
        for _ in range(14):
            self.add("smooth")
            card = self.canvas.card_rect(self.canvas.chosen)
            self.assertTrue(self.canvas.rect().contains(card.toAlignedRect().adjusted(2, 2, -2, -2)), card)
        self.assertTrue(self.canvas.overview.isVisible())
        QTest.mouseClick(self.canvas.overview, LEFT, pos=QPoint(8, 4))
        top = self.canvas.card_rect(next(iter(self.doc.recipe.nodes)))
        self.assertGreater(top.top(), 0)
        self.assertEqual(QPointF(top.topLeft()).x() > 0, True)


if __name__ == "__main__":
    unittest.main()
