"""Random edits with undo and redo, laying out, rows and panels: what the window shows is what the recipe holds."""

import gc
import random
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from support import DEMO, application, chain, slow

from gelande.core.errors import GelandeError
from gelande.core.recipe import control, graph, group, model
from gelande.core.recipe import param as P
from gelande.core.recipe import recipefile as files
from gelande.core.recipe.node import registry
from gelande.core.recipe.site import Site

LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton
KINDS = [k for k, s in registry().items() if not s.reads_files and k not in ("group", "frame", "entry")]


def random_edit(draw: random.Random, recipe):
    """One random edit of any kind; may raise GelandeError when it is not allowed."""
    nodes = list(recipe.nodes)
    what = draw.choice(
        (
            "add",
            "link",
            "link",
            "link",
            "param",
            "param",
            "move",
            "remove",
            "unlink",
            "off",
            "rename",
            "replace",
            "publish",
            "shuffle",
            "pack",
            "unpack",
            "frame",
            "cairn",
        )
    )
    if what == "add" or not nodes:
        return graph.add(recipe, draw.choice(KINDS), (draw.uniform(0, 900), draw.uniform(0, 300)))[0]
    node = draw.choice(nodes)
    spec = recipe.nodes[node].spec
    if what == "link" and len(nodes) > 1 and spec.all_inputs:
        source = draw.choice(nodes)
        if recipe.nodes[source].spec.outputs:
            return graph.link(
                recipe, source, draw.choice(recipe.nodes[source].spec.outputs).id, node, draw.choice(spec.all_inputs).id
            )
    if what == "unlink" and recipe.nodes[node].inputs:
        return graph.unlink(recipe, node, draw.choice(list(recipe.nodes[node].inputs)))
    if what in ("param", "shuffle"):
        return graph.shuffle(recipe, node, draw)
    if what == "move":
        return graph.move(recipe, {node: (draw.uniform(0, 900), draw.uniform(0, 300))})
    if what == "remove" and len(nodes) > 50:
        return graph.remove(recipe, draw.sample(nodes, 2))
    if what == "pack":
        return group.pack(recipe, draw.sample(nodes, min(3, len(nodes))))[0]
    if what == "unpack" and recipe.nodes[node].kind == "group":
        return group.unpack(recipe, node)
    if what == "frame":
        return group.frame(
            recipe,
            [n for n in draw.sample(nodes, min(4, len(nodes))) if recipe.nodes[n].group == recipe.nodes[node].group]
            or [node],
        )[0]
    if what == "cairn" and spec.outputs:
        return group.set_cairn(recipe, node, spec.main.id)[0]
    if what == "off":
        return graph.switch(recipe, [node], not recipe.nodes[node].off)
    if what == "rename":
        return graph.rename(recipe, node, f"Node {draw.randint(0, 99)}")
    if what == "replace":
        return control.without_misfits(graph.replace_kind(recipe, node, draw.choice(KINDS)))
    if what == "publish" and spec.params:
        return control.publish(recipe, node, draw.choice(spec.params).id)
    return recipe


class ModelTest(unittest.TestCase):
    def test_any_edit_leaves_a_sound_recipe_that_saves_and_opens(self):
        draw, recipe = random.Random(11), model.Recipe()
        for step in range(400):
            try:
                recipe = random_edit(draw, recipe)
            except GelandeError as error:
                self.assertTrue(str(error).endswith("."), str(error))
            self.assertEqual(graph.broken_links(recipe), [], f"after step {step}")
            if step % 40 == 39:
                text = files.dumps(recipe)
                self.assertEqual(files.dumps(files.loads(text)), text)


class CanvasTest(unittest.TestCase):
    def setUp(self):
        application()
        from gelande.app.compose.canvas import Canvas
        from gelande.app.document import Document

        self.temp = tempfile.TemporaryDirectory()
        self.addCleanup(self.temp.cleanup)
        self.doc = Document(Path(self.temp.name))
        self.canvas = Canvas(self.doc)
        self.canvas.resize(600, 500)
        self.addCleanup(self.doc.close)

    def test_a_setting_paints_its_own_card_and_a_name_all_that_may_tell_it(self):
        recipe, noise = graph.add(self.doc.recipe, "fractal_noise")
        self.doc.start(recipe, None)
        for edit, all_of_it in (
            (lambda r: graph.set_param(r, noise, "relief", 321.0), False),
            (lambda r: graph.rename(r, noise, "Another name"), True),
        ):
            with mock.patch.object(self.canvas, "update") as update:
                self.doc.edit("x", edit)
            self.assertEqual(mock.call() in update.call_args_list, all_of_it)
            self.assertTrue(update.called)

    def agrees(self):
        """The canvas shows the cards and links that stand where it stands, where the recipe says; cairns' links as
        names."""
        recipe, inside = self.doc.recipe, self.canvas.inside
        here = {n for n, s in recipe.nodes.items() if s.group == inside}
        self.assertEqual(set(self.canvas.sheet.rects.cards) - {inside}, here)
        drawn = {self.canvas.scene.input_end(t, p) for t, p in self.canvas.sheet.routes if t != inside}
        told = {self.canvas.scene.input_end(t, p) for t, p in self.canvas.scene.flags if t != inside}
        ends = set()
        for _, _, t, p in recipe.links():
            home = (
                recipe.nodes[t].group if recipe.nodes[t].kind != "entry" else recipe.nodes[recipe.nodes[t].group].group
            )
            if home == inside and recipe.nodes[t].kind != "group":
                ends.add((t, p))
        self.assertEqual(drawn | told, ends)
        far = {
            (t, p) for t, p in ends if recipe.nodes[s := recipe.nodes[t].inputs[p][0]].kind == "cairn" or s not in here
        }
        self.assertEqual(told, far)
        cells = self.canvas.sheet.rects.cells
        self.assertEqual(len(set(cells.values())), len(cells), "two cards stand in one place")
        self.assertLessEqual(self.canvas.selection, set(self.canvas.recipe.nodes))

    @slow
    def test_500_random_edits_with_undo_and_redo_on_60_nodes_agree_at_each_step_and_memory_stays(self):
        draw = random.Random(5)
        last, held = "", []
        while len(self.doc.recipe.nodes) < 60:
            self.doc.edit(
                "Random",
                lambda r: random_edit(
                    draw, graph.add(r, draw.choice(KINDS), (draw.uniform(0, 900), draw.uniform(0, 300)))[0]
                ),
            )
        for step in range(500):
            if step in (150, 499):
                gc.collect()
                held.append(int(Path("/proc/self/statm").read_text().split()[1]))
            turn = draw.random()
            if turn < 0.15:
                self.doc.undo()
            elif turn < 0.25:
                self.doc.redo()
            else:
                self.doc.edit("Random", lambda r: random_edit(draw, r))
            if draw.random() < 0.1:  # walk into a group, or out again
                groups = [n for n, s in self.doc.recipe.nodes.items() if s.kind == "group"]
                self.canvas.enter(draw.choice(["", *groups]))
            self.agrees()
            if step % 20 == 0:
                self.canvas.grab()
            last = files.dumps(self.doc.recipe)
        self.assertLess(held[1], 1.05 * held[0], "pages of memory")
        while self.doc.redo_text:  # the last steps may have been taken back
            self.doc.redo()
            last = files.dumps(self.doc.recipe)
        while self.doc.undo_text:
            self.doc.undo()
            self.agrees()
        while self.doc.redo_text:
            self.doc.redo()
        self.assertEqual(files.dumps(self.doc.recipe), last)

    def test_quick_slider_moves_are_one_step_back(self):
        recipe, (noise,) = chain("fractal_noise")
        self.doc.start(recipe, None)
        for value in (100.0, 200.0, 300.0):
            self.doc.edit("Set height", lambda r: graph.set_param(r, noise, "relief", value), "same")
        self.doc.undo()
        self.assertEqual(self.doc.recipe.nodes[noise].params["relief"], recipe.nodes[noise].params["relief"])

    def test_an_edit_that_is_refused_changes_nothing_and_is_told(self):
        recipe, (noise,) = chain("fractal_noise")
        self.doc.start(recipe, None)
        told = []
        self.doc.said.connect(told.append)
        self.assertFalse(self.doc.edit("Set", lambda r: graph.set_param(r, noise, "octaves", 99)))
        self.assertIs(self.doc.recipe, recipe)
        self.assertIn("Octaves is 99, outside 1 to 14", told[0])

    def test_zooming_keeps_the_place_under_the_pointer(self):
        from PyQt6.QtGui import QWheelEvent
        from PyQt6.QtWidgets import QApplication

        self.doc.start(chain(*["fractal_noise", *["terrace"] * 30])[0], None)
        self.canvas.sheet.lens.slide(0.0, -700.0)
        place = QPointF(120, 290)
        before = self.canvas.to_sheet(place)
        event = QWheelEvent(
            place,
            place,
            QPoint(),
            QPoint(0, 240),
            Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.ControlModifier,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        QApplication.sendEvent(self.canvas, event)
        after = self.canvas.to_sheet(place)
        self.assertGreater(self.canvas.zoom, 1.2)
        self.assertAlmostEqual(before.y(), after.y(), places=6)


class RowTest(unittest.TestCase):
    def setUp(self):
        application()

    def row(self, param, value, **more):
        from gelande.app.editors import make_row

        row = make_row(param, value, **more)
        row.resize(220, row.height())
        self.got, self.told = [], []
        row.edited.connect(lambda _, v: self.got.append(v))
        row.refused.connect(self.told.append)
        return row

    def test_a_slider_gives_its_ends_and_log_sliders_their_middle(self):
        p = P.metres("size", "Size", 100, "", (1, 10_000), (10, 1000), 0, log=True)
        row = self.row(p, 100.0)
        QTest.mouseClick(row, LEFT, pos=QPoint(20, 22))
        QTest.mouseClick(row, LEFT, pos=QPoint(219, 22))
        QTest.mouseClick(row, LEFT, pos=QPoint(120, 22))
        self.assertEqual(self.got[0], 10.0)
        self.assertAlmostEqual(self.got[1], 1000.0, delta=30)
        self.assertAlmostEqual(self.got[2], 100.0, delta=4)

    def test_screen_readers_are_told_name_value_and_range(self):
        row = self.row(P.metres("size", "Size", 600, "How large.", (1, 9000), (10, 2000), 0), 600.0)
        self.assertEqual(row.accessibleName(), "Size")
        self.assertEqual(row.accessibleDescription(), "600 m; may be 1 m to 9000 m; How large.")
        row.set_value(750.0)
        self.assertIn("750 m", row.accessibleDescription())
        choice = self.row(P.choice("way", "Way", "in_beds", ("even", "in_beds"), "How it lies."), "in_beds")
        self.assertEqual(choice.box.currentText(), "In beds")
        choice.box.activated.emit(0)
        self.assertEqual(self.got, ["even"])

    def test_arrow_keys_step_and_p_publishes(self):
        row = self.row(P.count("octaves", "Octaves", 4, "", (1, 14), (1, 10)), 4)
        asked = []
        row.publish_asked.connect(asked.append)
        QTest.keyClick(row, Qt.Key.Key_Right)
        QTest.keyClick(row, Qt.Key.Key_Down)
        QTest.keyClick(row, Qt.Key.Key_P)
        self.assertEqual((self.got, asked), ([5, 4], ["octaves"]))

    def test_the_seed_steps_by_its_mark(self):
        row = self.row(P.seed(), 7)
        QTest.mouseClick(row, LEFT, pos=QPoint(row.width() - 6, 8))
        self.assertEqual(self.got, [8])

    def test_typed_nonsense_is_refused_with_the_range(self):
        row = self.row(P.degrees("dip", "Bed dip", 4, "", (0, 60)), 4.0)
        for text, words in (("steep", "must be a number in °"), ("95", "outside 0° to 60°")):
            row.type_value()
            row.edit.setText(text)
            QTest.keyClick(row.edit, Qt.Key.Key_Return)
            self.assertIn(words, self.told[-1])
        self.assertEqual(self.got, [])

    def test_a_published_control_keeps_to_its_narrower_range(self):
        row = self.row(
            P.metres("riser", "Riser", 26, "", (0.1, 3000)),
            26.0,
            low=20.0,
            high=40.0,
            publishable=False,
            published=True,
        )
        row.type_value()
        row.edit.setText("60")
        QTest.keyClick(row.edit, Qt.Key.Key_Return)
        self.assertIn("outside 20.0 m to 40.0 m", self.told[0])

    def test_a_curve_point_is_added_dragged_and_taken_away(self):
        row = self.row(P.curve("curve", "Curve", ((0, 0), (1, 1)), ""), ((0.0, 0.0), (1.0, 1.0)))
        area = row._area()
        middle = QPoint(int(area.center().x()), int(area.top() + 12))
        QTest.mouseDClick(row, LEFT, pos=middle)
        self.assertEqual(len(row.value), 3)
        self.assertAlmostEqual(row.value[1][0], 0.5, delta=0.02)
        spot = row._spot(row.value[1]).toPoint()
        QTest.mouseClick(row, RIGHT, pos=spot)
        self.assertEqual(len(row.value), 2)
        self.assertEqual(len(self.got), 2)

    def test_a_new_ramp_stop_has_the_colour_that_was_there(self):
        row = self.row(
            P.ramp("ramp", "Ramp", ((0, 0, 0, 0), (1, 1, 1, 1)), ""), ((0.0, 0.0, 0.0, 0.0), (1.0, 1.0, 1.0, 1.0))
        )
        area = row._area()
        QTest.mouseDClick(row, LEFT, pos=QPoint(int(area.left() + area.width() / 4), int(area.center().y())))
        x, r, g, b = row.value[1]
        self.assertAlmostEqual(r, x, delta=0.01)


class HelpTest(unittest.TestCase):
    def test_every_node_has_a_page_with_its_settings(self):
        from gelande.app.help import page

        for kind, spec in registry().items():
            text = page(kind)
            self.assertIn(spec.name, text)
            for p in spec.params:
                self.assertIn(p.label, text)
            if spec.outputs and not spec.reads_files and spec.category != "Order":
                self.assertIn("<img", text, f"{kind}: run tools/make_gallery.py")
        self.assertIn("Rain erosion", page(""))


class EngineTest(unittest.TestCase):
    def test_a_newer_request_replaces_an_older_one(self):
        import threading

        from gelande.app.engine import Worker
        from gelande.core.evaluate.executor import Stop

        worker, log, started, release = Worker("test"), [], threading.Event(), threading.Event()
        worker.start()
        stops = [Stop() for _ in range(3)]

        def first():
            started.set()
            release.wait(10)
            log.append(("first", bool(stops[0])))

        worker.ask(first, stops[0])
        self.assertTrue(started.wait(10))
        worker.ask(lambda: log.append("second"), stops[1])
        worker.ask(lambda: (log.append("third"), done.set()), stops[2])
        done = threading.Event()
        release.set()
        self.assertTrue(done.wait(10))
        worker.close()
        worker.join(10)
        self.assertEqual(log, [("first", True), "third"])

    def test_a_mask_is_shown_on_the_most_worked_on_height_above_it(self):
        from gelande.core.evaluate.query import ground_of

        recipe = files.load(DEMO)
        name = lambda found: recipe.nodes[found[0]].name
        self.assertEqual(name(ground_of(recipe, "flow_1")), "Lakes")
        self.assertEqual(name(ground_of(recipe, "fractal_noise_1")), "Hill mass")
        self.assertEqual(name(ground_of(recipe, "water_colour_1")), "Winter snow")

    def test_thumbnails_of_every_kind(self):
        from gelande.app.pictures import thumbnail

        h = np.random.default_rng(1).random((65, 97), np.float32) * 50
        for kind, data in (("height", h), ("mask", h / 50), ("colour", np.stack([h / 50] * 3, 2))):
            image = thumbnail(kind, data, 10.0, Site())
            self.assertEqual(image.width(), image.height())
            self.assertFalse(image.isNull())
        self.assertFalse(
            thumbnail("height", np.zeros((33, 33), np.float32), 1.0, Site()).isNull(), "flat ground has a picture too"
        )


if __name__ == "__main__":
    unittest.main()
