"""A floor under everything, in the real window: nothing is lost, nothing dies, and what is shown is what was
computed."""

import gc
import os
import subprocess
import sys
import unittest
from dataclasses import replace
from unittest import mock

import numpy as np
from PyQt6.QtCore import QObject, QPoint, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget
from support import ROOT, chain, slow
from test_floor import long_chain
from test_window import LEFT, WindowCase, at

from gelande.app.crash_handler import crash_handler
from gelande.app.looks import looks
from gelande.core.evaluate import bake
from gelande.core.evaluate.executor import Job
from gelande.core.recipe import control, graph, model
from gelande.core.recipe import recipefile as files
from gelande.core.recipe.deliverables import Deliverable
from gelande.core.recipe.journal import Journal, lost_work
from gelande.core.recipe.site import Site
from gelande.scene import sheet


class SafeTest(WindowCase):
    def dirty(self, path=None):
        """A saved recipe with an edit that is not."""
        self.load("fractal_noise")
        if path is not None:
            self.assertTrue(self.doc.save(path))
        self.doc.edit("x", lambda r: graph.add(r, "dome")[0])

    def no_place_in_the_state_folder(self):
        blocked = self.folder / "blocked"
        blocked.write_text("a file where a folder should be")
        patched = mock.patch.dict(os.environ, {"GELANDE_STATE": str(blocked)})
        patched.start()
        self.addCleanup(patched.stop)
        self.doc.journal = Journal(blocked / "journal")

    def test_a_window_does_not_close_over_work_that_is_safe_nowhere_and_takes_another_place(self):
        home = self.folder / "home"
        home.mkdir()
        self.dirty(home / "mine.gelande")
        (home / "mine.gelande").unlink()
        home.rmdir()
        self.no_place_in_the_state_folder()
        self.window.close()
        self.assertTrue(self.window.isVisible())
        self.assertTrue(self.window.trouble.isVisible())
        self.assertIn("could not be kept", self.window.trouble.text.text())
        self.assertIn("part of the path is a file", self.window.trouble.text.text())
        other = self.folder / "other.gelande"
        with mock.patch("gelande.app.filing.QFileDialog.getSaveFileName", return_value=(str(other), "")):
            QTest.mouseClick(self.window.trouble.buttons["Save to another place…"], LEFT)
        self.assertFalse(self.window.isVisible())
        self.assertIn("dome_1", files.load(other).nodes)

    def test_staying_and_giving_up_are_what_they_say(self):
        self.dirty()
        self.no_place_in_the_state_folder()
        self.window.close()
        QTest.mouseClick(self.window.trouble.buttons["Stay"], LEFT)
        self.assertTrue(self.window.isVisible() and not self.window.trouble.isVisible())
        self.assertIn("dome_1", self.doc.recipe.nodes)
        self.window.close()
        QTest.mouseClick(self.window.trouble.buttons["Lose the changes"], LEFT)
        self.assertFalse(self.window.isVisible())

    def test_another_recipe_is_not_opened_over_work_that_is_safe_nowhere(self):
        self.dirty()
        path = self.folder / "next.gelande"
        files.save(chain("ramp")[0], path)
        self.no_place_in_the_state_folder()
        self.assertFalse(self.window.filing.open_path(path))
        self.assertIn("dome_1", self.doc.recipe.nodes)
        self.assertTrue(self.window.trouble.isVisible())

    def test_closing_keeps_the_changes_beside_the_file_or_in_the_journal_and_tells_where(self):
        path = self.folder / "mine.gelande"
        self.dirty(path)
        with mock.patch("gelande.app.filing.save", side_effect=files.RecipeError("The disk is full.")):
            self.window.close()
        self.assertFalse(self.window.isVisible())
        lost = lost_work(self.folder / "journal")
        self.assertEqual([("dome_1" in one.recipe.nodes, one.path) for one in lost], [(True, str(path))])

    def test_a_kept_fault_of_closing_keeps_none_of_the_events(self):
        self.dirty(self.folder / "mine.gelande")
        fault = files.RecipeError("The disk is full.")
        with mock.patch("gelande.app.filing.save", side_effect=fault):
            self.window.close()
        self.assertIsNotNone(fault.__traceback__, "it holds the frames of closing")
        alive = [event for event in gc.get_objects() if isinstance(event, QCloseEvent)]
        self.assertEqual(alive, [], "an event filter would meet it again in the place of a key")

    def test_opening_recovered_work_keeps_the_present_one_and_can_be_undone(self):
        path = self.folder / "present.gelande"
        self.dirty(path)
        present = self.doc.recipe
        dead = Journal(self.folder / "journal")
        dead.write(chain("ridge_noise")[0], None)
        dead.leave()
        self.window.filing.offer_lost_work()
        QTest.mouseClick(self.window.recover.buttons["Open it"], LEFT)
        self.assertIn("ridge_noise_1", self.doc.recipe.nodes)
        self.assertIn("dome_1", files.load(self.folder / "present unsaved 1.gelande").nodes)
        self.assertFalse(dead.folder.exists())
        self.doc.flush()
        self.assertIn(
            "ridge_noise_1",
            files.load(self.doc.journal.folder / "recipe.gelande").nodes,
            "it is in this window's journal",
        )
        QTest.mouseClick(self.window.undo_button, LEFT)
        self.assertIs(self.doc.recipe, present)
        self.assertEqual(self.doc.path, path)
        QTest.mouseClick(self.window.undo_button, LEFT)
        self.assertNotIn("dome_1", self.doc.recipe.nodes)
        self.assertFalse(self.doc.dirty)

    def test_undoing_back_to_the_saved_state_empties_the_journal(self):
        self.dirty(self.folder / "mine.gelande")
        self.assertTrue(self.doc.write_now())
        self.assertTrue((self.doc.journal.folder / "recipe.gelande").exists())
        self.doc.undo()
        self.doc._write_journal()
        self.doc.flush()
        self.assertFalse(self.doc.journal.folder.exists())

    def test_a_file_that_somebody_else_changed_is_not_overwritten_without_a_word(self):
        path = self.folder / "mine.gelande"
        self.dirty(path)
        theirs = files.dumps(chain("ramp")[0])
        path.write_text(theirs)
        self.wait.until(self.doc.outside)  # the file is watched
        self.assertIn("changed by somebody else", self.window.outside.text.text())
        self.window.filing.save()
        self.assertEqual(path.read_text(), theirs)
        self.assertTrue(self.window.outside.isVisible())
        with mock.patch(
            "gelande.app.filing.QFileDialog.getSaveFileName", return_value=(str(self.folder / "copy.gelande"), "")
        ):
            QTest.mouseClick(self.window.outside.buttons["Save a copy…"], LEFT)
        self.assertEqual(path.read_text(), theirs)
        self.assertIn("dome_1", files.load(self.folder / "copy.gelande").nodes)
        self.assertFalse(self.window.outside.isVisible())

    def test_over_it_saves_over_it_and_opening_theirs_keeps_mine_beside(self):
        path = self.folder / "mine.gelande"
        self.dirty(path)
        path.write_text(files.dumps(chain("ramp")[0]))
        self.window.filing.save()
        QTest.mouseClick(self.window.outside.buttons["Save over it"], LEFT)
        self.assertIn("dome_1", files.load(path).nodes)
        self.doc.edit("x", lambda r: graph.add(r, "cone")[0])
        path.write_text(files.dumps(chain("ramp")[0]))
        self.window.filing.save()
        QTest.mouseClick(self.window.outside.buttons["Open what is there now"], LEFT)
        self.assertIn("ramp_1", self.doc.recipe.nodes)
        self.assertIn("cone_1", files.load(self.folder / "mine unsaved 1.gelande").nodes)

    def test_a_file_that_is_only_touched_is_not_changed(self):
        path = self.folder / "mine.gelande"
        self.dirty(path)
        os.utime(path, (1, 1))
        self.assertFalse(self.doc.overtaken)
        self.window.filing.save()
        self.assertIn("dome_1", files.load(path).nodes)

    def test_an_unsaved_recipe_with_a_steering_name_is_kept_in_the_state_folder(self):
        self.load("fractal_noise")
        self.doc.edit("x", lambda r: replace(r, site=replace(r.site, name="../../" + "up" * 200)))
        with mock.patch.dict(os.environ, {"GELANDE_STATE": str(self.folder / "state")}):
            self.window.filing.new()
        kept = list((self.folder / "state" / "unsaved").iterdir())
        self.assertEqual(len(kept), 1)
        self.assertIn("fractal_noise_1", files.load(kept[0]).nodes)

    def test_closing_a_saved_recipe_removes_bakes_that_nothing_refers_to(self):
        path = self.folder / "mine.gelande"
        (noise,) = self.load("fractal_noise")
        self.doc.save(path)
        self.window.compose.bake(noise)
        self.wait.until(self.window.engine.baked)
        files_ = list((self.folder / "mine.bakes").iterdir())
        self.assertTrue(files_)
        self.doc.edit("x", lambda r: bake.released(r, noise))
        self.doc.save()
        self.window.close()
        self.assertFalse((self.folder / "mine.bakes").exists())


class AliveTest(WindowCase):
    def wheel(self):
        pos = QPointF(self.view.rect().center())
        event = QWheelEvent(
            pos,
            self.view.mapToGlobal(pos),
            QPoint(),
            QPoint(0, 120),
            Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        QApplication.sendEvent(self.view, event)

    def rummage(self):
        """Everything that moves a camera or asks for a picture."""
        self.wheel()
        self.drag(self.view.rect().center(), self.view.rect().center() + QPoint(30, 10), self.view)
        for key in (Qt.Key.Key_W, Qt.Key.Key_H, Qt.Key.Key_G):
            QTest.keyClick(self.view, key)
        self.window.resize(1200, 760)
        self.view.bar.dial.next()
        self.view.set_sea()
        self.view.set_mode("Plan")
        self.wheel()
        self.view.set_mode("Relief")
        looks.set_theme("dark")
        looks.set_theme("light")

    @slow
    def test_a_change_of_site_leaves_a_camera(self):
        self.load("fractal_noise")
        self.doc.edit("x", lambda r: replace(r, site=Site.fitted("Other", 9000, 3000)))
        self.rummage()
        self.wait.still(self.window)
        self.assertEqual(self.view.extent, (9000.0, 2953.125))
        self.assertEqual(self.window.state_label.text(), "up to date")
        self.assertTrue(self.view.renderer._thread.is_alive())

    @slow
    def test_opening_a_recipe_of_another_size_that_fails_shows_no_older_picture_and_lives(self):
        self.load("fractal_noise")
        recipe, _ = graph.add(model.Recipe(Site("Elsewhere", 500, 500)), "elevation_file", params={"file": "gone.png"})
        path = self.folder / "fails.gelande"
        files.save(recipe, path)
        self.window.filing.open_path(path)
        self.rummage()
        self.wait.still(self.window)
        self.assertIn("gone.png", self.view.empty.text())
        self.assertTrue(self.view.empty.isVisible())
        self.assertIsNone(self.view.frame)
        self.assertEqual(self.window.state_label.text(), "1 failed")
        self.window._speech.stop()  # what was told of the file has been read
        self.window.compose.tell_state()
        self.assertEqual(self.window.status.text(), "1 node · 1 failed")

    @slow
    def test_a_picture_that_is_older_than_what_failed_says_so(self):
        noise, smooth = self.load("fractal_noise", "smooth")
        self.click(smooth)
        self.wait.still(self.window)

        def broken(recipe):
            recipe, file = graph.add(recipe, "elevation_file", params={"file": "gone.png"})
            return graph.link(recipe, file, "height", smooth, "height")

        self.doc.edit("x", broken)
        self.wait.still(self.window)
        self.assertIn("an older picture", self.view.caption.text())
        self.doc.undo()
        self.wait.still(self.window)
        self.assertIn("looking at Smooth", self.view.caption.text())

    def test_an_exception_in_a_slot_is_logged_told_and_survived(self):
        self.expected_faults = ["ZeroDivisionError('division by zero')"]
        self.load("fractal_noise")

        class Source(QObject):
            fired = pyqtSignal()

        source = Source()
        source.fired.connect(lambda: 1 / 0)
        source.fired.emit()
        self.assertIn("ZeroDivisionError", self.window.status.text())
        self.assertIn("Your work is safe", self.window.status.text())
        self.assertIn("ZeroDivisionError: division by zero", crash_handler.log_file.read_text())
        self.click("fractal_noise_1")
        self.wait.still(self.window)
        self.assertEqual(self.window.state_label.text(), "up to date")

    @slow
    def test_the_program_itself_outlives_an_exception_in_a_slot(self):
        script = """
import sys
from PyQt6.QtCore import QTimer
from gelande.app import filing, main
filing.Filing.offer_lost_work  # what is replaced must exist, or nothing would close the window
def later(self):
    QTimer.singleShot(50, lambda: 1 / 0)
    QTimer.singleShot(150, lambda: {}["missing"])
    QTimer.singleShot(400, self.window.close)
filing.Filing.offer_lost_work = later
from gelande.app import readying
readying.prepare_first = lambda w, needed, then: None
code = main.run()
print("ended", code)
"""
        done = subprocess.run(
            [sys.executable, "-c", script],
            capture_output=True,
            text=True,
            env={
                **os.environ,
                "PYTHONPATH": str(ROOT / "src"),
                "GELANDE_STATE": str(self.folder / "state"),
                "HOME": str(self.folder),
            },
            timeout=600,
        )
        self.assertIn("ended 0", done.stdout, done.stderr[-500:])
        log = (self.folder / "state" / "log" / "gelande.log").read_text()
        self.assertIn("ZeroDivisionError", log)
        self.assertIn("KeyError", log)

    def test_a_new_recipe_of_a_name_and_size_opens_with_them(self):
        import importlib

        main = importlib.import_module("gelande.cli.main")

        opened = []
        with mock.patch.object(main, "_window", lambda path, **more: opened.append((path, more)) or 0):
            self.assertEqual(main.main(["new", "--name", "Skarn", "--size", "3000x1500"]), 0)
        ((path, more),) = opened
        self.assertIsNone(path)
        self.window.filing.begin(more["fresh"])
        self.wait.still(self.window)
        self.assertIn("Skarn · 3 × 1.5 km", self.window.site_button.toolTip())
        self.assertFalse(self.doc.dirty)

    def test_a_worker_that_meets_anything_says_so_and_goes_on(self):
        self.expected_faults = ["MemoryError()"]
        (noise,) = self.load("fractal_noise")
        with mock.patch.object(self.window.engine.evaluator, "run", side_effect=MemoryError):
            self.doc.edit("x", lambda r: graph.set_param(r, noise, "relief", 300.0))
            self.wait.until(self.window.engine.trouble)
        self.assertEqual(self.window.state_label.text(), "not enough memory")
        self.assertIn("not enough memory", self.window.status.text())
        self.doc.edit("x", lambda r: graph.set_param(r, noise, "relief", 310.0))
        self.wait.still(self.window)
        self.assertEqual(self.window.state_label.text(), "up to date")

    @slow
    def test_the_renderer_outlives_a_picture_that_fails(self):
        self.expected_faults = ["ValueError('no picture')"]
        self.load("fractal_noise")
        with mock.patch("gelande.app.view.projections.one_pass", side_effect=ValueError("no picture")):
            self.wait.until(self.view.renderer.failed, ask=self.view.bar.dial.next)
        self.assertEqual(self.window.state_label.text(), "the picture could not be drawn")
        before = self.view.frame
        self.view.bar.dial.next()
        self.wait.still(self.window)
        self.assertIsNot(self.view.frame, before)

    def test_the_watchdog_revives_threads_and_asks_again_for_what_is_not_shown(self):
        (noise,) = self.load("fractal_noise")
        page = self.window.compose
        dead = page.engine._workers[0]
        dead.close()
        dead.join()
        page.watchdog.look()
        self.assertTrue(all(w.is_alive() for w in page.engine._workers))
        self.wait.still(self.window)
        page.shown_as = ("something", "else", 1, "")
        said = []
        page.said.connect(said.append)
        for _ in range(2):
            page.watchdog.look()
        self.wait.still(self.window)
        self.assertEqual(page.shown_as, page.wanted())
        page.watchdog.look()
        self.assertEqual((page.watchdog.count, said), (0, []))
        with mock.patch.object(type(self.view), "drawn", False):  # a slow picture that still gets finer is no fault
            for _ in range(6):
                page.watchdog._frame = None
                page.watchdog.look()
        self.assertEqual((page.watchdog.count, said), (0, []))
        with mock.patch.object(page, "request"):  # and when asking does not help, it is said
            page.shown_as = None
            for _ in range(5):
                page.watchdog.look()
        self.assertEqual(self.window.state_label.text(), "not up to date")
        self.assertIn("not of what the recipe says", said[-1])

    @slow
    def test_a_changed_elevation_file_is_noticed(self):
        import tifffile

        path = self.folder / "land.tif"
        tifffile.imwrite(path, np.linspace(0, 100, 81, dtype=np.float32).reshape(9, 9))
        self.load("elevation_file", elevation_file={"file": str(path), "numbers": "metres"})
        self.assertAlmostEqual(self.window.compose.relief, 100.0, delta=1)
        tifffile.imwrite(path, np.linspace(0, 900, 100, dtype=np.float32).reshape(10, 10))
        for _ in range(2):
            self.window.compose.watchdog.look()
        self.wait.still(self.window)
        self.assertAlmostEqual(self.window.compose.relief, 900.0, delta=9)

    @slow
    def test_a_long_chain_is_shown_and_up_to_date(self):
        recipe, last = long_chain("tilt", 400)
        self.window.set_detail(1)
        self.doc.start(recipe, None)
        self.canvas.choose(last)
        self.wait.still(self.window)
        self.assertEqual(self.window.compose.shown_as, self.window.compose.wanted())
        self.assertEqual(self.window.state_label.text(), "up to date")

    @slow
    def test_nothing_grows_with_searches_panels_messages_and_themes(self):
        self.load("fractal_noise", "terrace")

        def round_():
            for _ in range(3):
                self.key(Qt.Key.Key_A)
                QTest.keyClick(self.canvas.search.line, Qt.Key.Key_Escape)
                self.window.open_site()
                self.window.dropdowns.site.close()
                self.window.open_room()
                self.window.dropdowns.room.close()
                self.window.say("something")
            self.window.open_looks()
            self.window.dropdowns.looks.close()
            looks.set_theme("dark")
            looks.set_theme("light")
            QApplication.sendPostedEvents(None, 52)  # deferred deletions
            QApplication.processEvents()
            return len(self.window.findChildren(QObject)), len(QApplication.allWidgets())

        first = round_()
        self.assertEqual(round_(), first)

    def test_every_page_fits_into_900_by_600_also_with_a_long_message_and_a_long_name(self):
        self.load("fractal_noise", "terrace")
        self.doc.edit("x", lambda r: replace(r, site=replace(r.site, name="A long name of a place " * 3)))
        self.window.say("word " * 80)
        for word in ("Variants", "Deliver", "Compose"):
            self.window.go(word)
            self.window.resize(900, 600)
            QApplication.processEvents()
            self.assertEqual((self.window.width(), self.window.height()), (900, 600), word)
            for widget in self.window.pages.currentWidget().findChildren(QWidget):
                if widget.isVisible() and widget.parent() is self.window.pages.currentWidget():
                    self.assertLessEqual(widget.geometry().right(), 900)

    @slow
    def test_a_weather_node_of_which_nothing_is_mixed_in_needs_no_input_for_its_bench(self):
        noise, rain = self.load("fractal_noise", "rain_erosion")
        self.doc.edit("x", lambda r: graph.unlink(graph.set_param(r, rain, "amount", 0.0), rain, "height"))
        self.click(rain)
        self.wait.still(self.window)
        self.assertEqual(self.bench.figures.node, rain)
        self.assertEqual(self.window.state_label.text(), "up to date")

    def test_a_number_that_can_mean_two_things_is_not_taken(self):
        noise, terrace = self.load("fractal_noise", "terrace")
        self.click(terrace)
        row = self.bench.rows["riser_height"]
        row.type_value()
        row.edit.selectAll()
        QTest.keyClicks(row.edit, "1,200 m")
        QTest.keyClick(row.edit, Qt.Key.Key_Return)
        self.assertEqual(self.doc.recipe.nodes[terrace].params["riser_height"], 26.0)
        self.assertIn("can mean 1200 or 1.2", self.window.status.text())

    def test_sliders_and_the_bar_at_the_top_follow_the_site(self):
        for size, words, high in (
            (100.0, "100 × 100 m", 120 * 100 / 4096),
            (4096.0, "4.1 km", 120),
            (100_000.0, "100 km", 120 * 100_000 / 4096),
        ):
            recipe, ids = chain("fractal_noise", "terrace", site=Site("S", size, size))
            self.doc.start(recipe, None)
            self.canvas.choose(ids[1])
            self.assertAlmostEqual(self.bench.rows["riser_height"].high, min(high, 3000), places=6)
            self.assertIn(f"S · {words}", self.window.site_button.toolTip())

    def test_starting_points_follow_the_site(self):
        recipe, ids = chain("fractal_noise", "terrace", site=Site("Small", 100, 100))
        self.doc.start(recipe, None)
        self.canvas.choose(ids[1])
        self.bench.use_start({"riser_height": 34})
        self.assertAlmostEqual(self.doc.recipe.nodes[ids[1]].params["riser_height"], 34 * 100 / 4096, delta=0.01)

    def test_a_copied_text_with_nonsense_in_it_is_told(self):
        (noise,) = self.load("fractal_noise")
        self.canvas.selection = {noise}
        self.canvas.copy()
        text = QApplication.clipboard().text()
        for old, new in (
            ("[0.0, 0.0]", "[NaN, 0]"),
            ('"octaves": 8', '"octaves": ' + "9" * 4301),
            ('"octaves": 8', '"octaves": ' + "9" * 400),
        ):
            QApplication.clipboard().setText(text.replace(old, new))
            self.canvas.paste()
            self.assertEqual(len(self.doc.recipe.nodes), 1)
            self.assertNotEqual(self.window.status.text(), "")


class OrderTest(WindowCase):
    """Deliveries and variants."""

    @slow
    def test_nodes_deleted_while_they_are_delivered(self):
        noise, rain = self.load("fractal_noise", "rain_erosion")
        self.doc.edit(
            "x",
            lambda r: replace(
                r, deliverables=tuple(Deliverable(f"N{k}", rain, "height", "height_png16") for k in range(3))
            ),
        )
        self.window.go("Deliver")
        page = self.window.deliver
        page.folder = self.folder / "out"
        page.set_level(4)
        QTest.mouseClick(page.go_button, LEFT)
        self.wait.until(page.told, lambda i, item: item.fraction > 0)
        self.doc.edit("x", lambda r: graph.remove(r, [rain]))
        self.doc.edit("x", lambda r: graph.remove(r, [noise]))
        self.wait.until(page.ended)
        self.assertIn("3 of 3 written", page.summary.text())
        self.assertEqual(page.table.rowCount(), 0)
        self.assertFalse(page.go_button.isEnabled())

    def test_a_format_that_this_version_does_not_know_is_shown_and_fails_alone(self):
        (noise,) = self.load("fractal_noise")
        self.doc.edit(
            "x",
            lambda r: replace(
                r,
                deliverables=(
                    Deliverable("Odd", noise, "height", "height_hologram"),
                    Deliverable("Fine", noise, "height", "height_png16"),
                ),
            ),
        )
        self.window.go("Deliver")
        page = self.window.deliver
        page.folder = self.folder / "out"
        page.set_level(1)
        page.table.setCurrentCell(0, 0)
        self.assertEqual(page.table.item(0, 2).text(), "height_hologram")
        QTest.mouseClick(page.go_button, LEFT)
        self.wait.until(page.ended)
        self.assertEqual(page.summary.text(), "1 of 2 written and read back · 1 failed")
        self.assertIn("no format called height_hologram", self.window.status.text())

    def all_delivered(self):
        page = self.window.deliver
        self.wait.until(page.ended, lambda result: not page.running and not page.builds.queued)

    def swept(self):
        recipe, ids = chain("fractal_noise", "terrace")
        recipe = control.publish(recipe, ids[1], "riser_height", "Cliff height")
        recipe = replace(recipe, deliverables=(Deliverable("Height", ids[1], "height", "height_png16"),))
        self.window.set_detail(1)
        self.doc.start(recipe, None)
        self.window.go("Variants")
        page = self.window.variants
        page.tiles.set_spread("control")
        self.wait.still(self.window)
        for card in page.tiles.cards[1:3]:
            QTest.mouseClick(card, LEFT, pos=at(card.star_box().center()))
        return page

    @slow
    def test_starred_variants_of_a_sweep_do_not_overwrite_each_other(self):
        page = self.swept()
        self.window.deliver.folder = self.folder
        self.window.deliver.set_level(1)
        QTest.mouseClick(page.send_button, LEFT)
        self.all_delivered()
        folders = sorted((self.folder / "deliver").iterdir())
        self.assertEqual(len(folders), 2)
        self.assertNotEqual(*((f / "test_height.png").read_bytes() for f in folders))
        self.assertIn("2 variants delivered", self.window.status.text())

    @slow
    def test_one_variant_that_fails_does_not_keep_the_others_waiting(self):
        page = self.swept()
        self.window.deliver.folder = self.folder
        self.window.deliver.set_level(1)
        from gelande.core.errors import DeliveryError
        from gelande.deliver import build as B

        real, calls = B.build, []

        def once(*args, **more):
            calls.append(1)
            if len(calls) == 1:
                raise DeliveryError("The manifest cannot be written: the disk is full.")
            return real(*args, **more)

        with mock.patch.object(B, "build", once):
            QTest.mouseClick(page.send_button, LEFT)
            self.all_delivered()
        self.assertEqual(self.window.deliver.builds.queued, [])
        self.assertIn("1 of 2 variants delivered whole. The manifest cannot be written", self.window.status.text())

    @slow
    def test_stars_are_those_of_the_open_recipe(self):
        page = self.swept()
        self.assertEqual(page.send_button.text(), "Deliver starred (2)")
        path = self.folder / "other.gelande"
        files.save(chain("ramp")[0], path)
        self.window.filing.open_path(path)
        self.assertEqual((page.send_button.text(), page.send_button.isEnabled()), ("Deliver starred (0)", False))

    @slow
    def test_a_variant_that_cannot_be_computed_is_told_on_its_card_and_the_others_go_on(self):
        self.expected_faults = ["ValueError('odd')"]
        page = self.swept()
        real, bad = sheet.relief_picture, page.tiles.variants[2].recipe.nodes["terrace_1"].value("riser_height")

        def odd(kind, data, *args):
            if np.array_equal(data, wanted.get(data.shape)):
                raise ValueError("odd")
            return real(kind, data, *args)

        job = Job(graph.set_param(self.doc.recipe, "terrace_1", "riser_height", bad))
        lands = [page.tiles.evaluator.result(job, "terrace_1", level)["height"] for level in (1, 2)]
        wanted = {land.shape: land for land in lands}
        with mock.patch.object(sheet, "relief_picture", odd):
            page.tiles.set_look(sheet.RELIEF)
            self.wait.still(self.window)
        self.assertEqual([bool(c.outcome.fault) for c in page.tiles.cards], [k == 2 for k in range(9)])


if __name__ == "__main__":
    unittest.main()
