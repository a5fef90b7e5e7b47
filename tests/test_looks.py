"""How the window looks: contrast, themes, sizes, and the focus seen on every control."""

import os
import subprocess
import sys
import unittest
import zipfile
from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLineEdit
from test_window import WindowCase

from gelande.app import theme
from gelande.app.crash_handler import log
from gelande.app.looks import SCALE, looks, settings
from gelande.core.recipe.recipefile import loads

TAB = Qt.FocusPolicy.TabFocus


def luminance(name: str) -> float:
    """Relative luminance of a colour, 0 to 1 (WCAG 2.2)."""
    parts = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in QColor(name).getRgbF()[:3]]
    return sum(c * share for c, share in zip(parts, (0.2126, 0.7152, 0.0722)))


def contrast(one: str, other: str) -> float:
    """Ratio of contrast of two colours, 1 to 21 (WCAG 2.2)."""
    low, high = sorted((luminance(one), luminance(other)))
    return (high + 0.05) / (low + 0.05)


class ContrastTest(unittest.TestCase):
    def test_text_and_edges_of_controls_are_told_from_their_ground_in_all_themes(self):
        for name, t in theme.THEMES.items():
            for ground in (t.paper, t.sheet):
                for word in ("ink", "muted", "accent", "water", "moss", "fault"):
                    with self.subTest(name, text=word, ground=ground):
                        self.assertGreaterEqual(contrast(getattr(t, word), ground), 4.5)
                for word in ("edge", "height_link", "mask_link", "colour_link"):
                    with self.subTest(name, edge=word, ground=ground):
                        self.assertGreaterEqual(contrast(getattr(t, word), ground), 3)
            with self.subTest(name, text="on what is chosen"):
                self.assertGreaterEqual(contrast(t.on_accent, t.accent), 4.5)
                self.assertGreaterEqual(min(contrast(t.ink, t.track), contrast(t.muted, t.track)), 4.5)
                self.assertGreaterEqual(contrast(t.accent, t.track), 3, "a slider")
        lightest = min(contrast(theme.CONTRAST.muted, g) for g in (theme.CONTRAST.paper, theme.CONTRAST.sheet))
        self.assertGreaterEqual(lightest, 7, "enhanced contrast")


class LooksTest(WindowCase):
    def setUp(self):
        super().setUp()
        self.addCleanup(lambda: (looks.set_theme("light"), settings().clear()))

    def ground(self) -> str:
        """Colour of the graph's ground, as it is on the screen."""
        blue, green, red = np.median(self.pixels(self.canvas)[-40:, :200].reshape(-1, 3), axis=0).astype(int)
        return QColor(red, green, blue).name().upper()

    def test_a_theme_is_chosen_in_the_panel_seen_at_once_and_kept(self):
        self.load("fractal_noise")
        self.window.open_looks()
        box = self.window.dropdowns.looks.theme_box
        for name, t in theme.THEMES.items():
            box.setCurrentIndex(box.findData(name))
            box.activated.emit(box.currentIndex())
            self.assertEqual(self.ground(), t.paper)
            self.assertEqual(settings().value("theme"), name)
        self.window.dropdowns.looks.close()

    def test_it_changes_with_the_system_unless_a_theme_was_chosen(self):
        looks.begin()
        for chosen, after in ((theme.SYSTEM, theme.DARK), ("light", theme.LIGHT)):
            with mock.patch.object(theme, "system_theme", lambda: "dark" if system == "dark" else "light"):
                system = "light"
                looks.set_theme(chosen)
                self.assertEqual(theme.theme(), theme.LIGHT)
                system = "dark"
                QApplication.styleHints().colorSchemeChanged.emit(Qt.ColorScheme.Dark)
                self.assertEqual(theme.theme(), after)

    def test_cards_at_work_stand_still_when_that_is_wanted(self):
        self.load("fractal_noise")
        for still in (True, False):
            looks.set_still(still)
            self.canvas.set_working("Fractal noise")
            self.assertEqual(self.canvas._sweep.isActive(), not still)
            self.canvas.set_working("")

    def test_the_focus_is_seen_on_every_control_in_every_theme(self):
        self.load("fractal_noise", "terrace")
        for name in theme.THEMES:
            looks.set_theme(name)
            for word in ("Variants", "Deliver", "Compose"):
                self.window.go(word)
                self.wait.still(self.window)
                self.window.activateWindow()  # without a window manager it rests when nothing happens
                self.assertTrue(QTest.qWaitForWindowActive(self.window))
                found = [w for kind in (QAbstractButton, QComboBox, QLineEdit) for w in self.window.findChildren(kind)]
                controls = [w for w in found if w.isVisible() and w.isEnabled() and w.focusPolicy() & TAB]
                self.assertGreater(len(controls), 12)
                for control in controls:
                    with self.subTest(name, page=word, control=control.accessibleName() or type(control).__name__):
                        self.assertTrue(self.seen(control), control.text() if hasattr(control, "text") else control)

    def seen(self, control) -> bool:
        """True when a control looks different with the focus than without."""
        self.window.setFocus()
        before = self.pixels(control)
        control.setFocus(Qt.FocusReason.TabFocusReason)
        after = self.pixels(control)
        if isinstance(control, QLineEdit):
            control.deselect()
        return before.shape != after.shape or bool((before != after).any(axis=2).sum() > 20)

    def test_a_report_holds_versions_log_and_the_recipe_only_when_that_is_wanted(self):
        self.load("fractal_noise")
        log.warning("something in %s", Path.home() / "secret-name")
        for wanted in (False, True):
            self.window.dropdowns.open_report(self.window.menu_button)
            panel = self.window.dropdowns.report
            panel.with_recipe.setChecked(wanted)
            place = self.folder / f"told-{wanted}.zip"
            with mock.patch("gelande.app.report.QFileDialog.getSaveFileName", lambda *_: (str(place), "")):
                QTest.mouseClick(panel.button, Qt.MouseButton.LeftButton)
            self.assertIn(str(place), self.window.status.text())
            with zipfile.ZipFile(place) as archive:
                told = {name: archive.read(name).decode() for name in archive.namelist()}
            self.assertEqual("recipe.gelande" in told, wanted)
            self.assertIn("numpy", told["versions.txt"])
            self.assertIn("something in ~", told["gelande.log"])
            self.assertNotIn(str(Path.home()), told["gelande.log"])
        self.assertEqual(loads(told["recipe.gelande"]).nodes.keys(), self.doc.recipe.nodes.keys())
        with mock.patch("gelande.app.report.QFileDialog.getSaveFileName", lambda *_: ("/dev/null/x.zip", "")):
            self.window.dropdowns.report.ask()
        self.assertIn("was not written", self.window.status.text())

    def test_the_size_is_taken_by_the_next_start(self):
        self.window.open_looks()
        panel = self.window.dropdowns.looks
        panel.size_box.setCurrentIndex(panel.size_box.findData(150))
        panel.size_box.activated.emit(panel.size_box.currentIndex())
        self.assertIn("150 %", panel.note.text())
        self.assertEqual(self.window.status.text(), panel.note.text())
        panel.close()
        settings().sync()
        told = (
            "from PyQt6.QtCore import QSettings; import sys; QSettings.setPath(QSettings.Format.NativeFormat,"
            "QSettings.Scope.UserScope, sys.argv[1]); from gelande.app.looks import set_scale; set_scale();"
            "from PyQt6.QtWidgets import QApplication; app = QApplication([]); print(app.devicePixelRatio())"
        )
        folder = os.path.dirname(os.path.dirname(settings().fileName()))
        env = {k: v for k, v in os.environ.items() if k != SCALE} | {"PYTHONPATH": os.pathsep.join(sys.path)}
        run = subprocess.run([sys.executable, "-c", told, folder], env=env, capture_output=True, text=True, check=True)
        self.assertEqual(float(run.stdout), 1.5)
        settings().setValue("size", "huge")
        from gelande.app.looks import kept_size

        self.assertEqual(kept_size(), 100)
