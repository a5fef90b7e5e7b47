"""Seven jobs that say where something happens, each done in the real window by hand, and kept as an example recipe."""

import unittest
from unittest import mock

import numpy as np
import scipy.ndimage as ndi
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from support import DEMO, result, slow
from test_window import LEFT, WindowCase, at

from gelande.app.compose import adding
from gelande.core.evaluate.query import last_node, masks_of
from gelande.core.recipe import recipefile as files

PLAIN = Qt.KeyboardModifier.NoModifier
EXAMPLES = DEMO.parent


class Job(WindowCase):
    """Hands that add by search, link by dragging, set by rows and draw on the land in Plan."""

    def setUp(self):
        super().setUp()
        self.window.set_detail(1)
        self.canvas.setFocus()

    def add(self, word, after=None):
        """Adds a node by its name below another one, or to nothing; it is linked to what it is added to."""
        self.canvas.choose(after or "")
        self.window.compose._chosen(self.canvas.chosen)
        self.key(Qt.Key.Key_A)
        QTest.keyClicks(self.canvas.search.line, word)
        QTest.keyClick(self.canvas.search.line, Qt.Key.Key_Return)
        self.assertNotEqual(self.canvas.chosen, after or "", f"{word} was added")
        return self.canvas.chosen

    def link(self, source, out, target, port):
        """Drags a link from an output to an input."""
        start = self.canvas.port_at_widget(source, out, True)
        self.drag(start, self.canvas.port_at_widget(target, port, False))
        linked = self.recipe.nodes[target].inputs.get(port)
        self.assertEqual(linked, (source, out), f"{source} was linked to {port} of {target}")

    def link_by_menu(self, source, out, target, port):
        """Links by the menu of I, as one does from the keyboard or when both ends are not in view."""
        self.choose(target)
        ports = [p.id for p in adding.inputs_by_rank(self.recipe.nodes[target].spec)]
        outputs = [(s, o) for s, o, _ in adding.sources(self.canvas.sheet, target, port)]

        def pick(menu, *place):
            menu.actions()[ports.index(port)].menu().actions()[outputs.index((source, out))].trigger()

        with mock.patch("gelande.app.compose.actions.QMenu.exec", pick):
            self.key(Qt.Key.Key_I)
        self.assertEqual(self.recipe.nodes[target].inputs.get(port), (source, out))

    @property
    def recipe(self):
        return self.doc.recipe

    def choose(self, node):
        self.canvas.choose(node)
        self.window.compose._chosen(node)
        self.wait.still(self.window)

    def set(self, name, value):
        """Sets what the bench shows."""
        row = self.bench.rows.get(name)
        row.edited.emit(name, value) if row is not None else self.bench.where.edited.emit(name, value)

    def value(self, node, name):
        return self.recipe.nodes[node].params[name]

    def plan(self):
        self.view.set_mode("Plan")
        self.wait.still(self.window)

    def place(self, point):
        return at(self.view.marks.to_widget(point)[0])

    def stroke(self, *points):
        places = [self.place(p) for p in points]
        QTest.mousePress(self.view, LEFT, PLAIN, places[0])
        for place in places[1:]:
            QTest.mouseMove(self.view, place)
        QTest.mouseRelease(self.view, LEFT, PLAIN, places[-1])

    def outline(self, *points):
        self.bench.rows["outlines"].box.click()
        for point in points:
            QTest.mouseClick(self.view, LEFT, PLAIN, self.place(point))
        QTest.keyClick(self.view, Qt.Key.Key_Return)

    def height(self, node, level=1):
        return result(self.recipe, node, level)["height"]

    def mask(self, node, port="mask", level=2):
        return result(self.recipe, node, level)[port]


class JobsTest(Job):
    @slow
    def test_1_erosion_is_painted_away_from_rough_low_ground_while_looking_at_the_eroded_result(self):
        moor = self.add("fractal")
        low = self.add("height band", moor)
        self.set("low", -500.0)
        self.set("high", 200.0)
        rough = self.add("surface noise", moor)
        self.link(low, "mask", rough, "mask")
        rain = self.add("rain", rough)
        paint = self.add("brush mask")
        inverted = self.add("mask levels", paint)
        self.set("invert", True)
        self.link(inverted, "mask", rain, "mask")
        self.choose(paint)
        self.plan()
        QTest.mouseClick(self.bench.rows["strokes"].keep, LEFT)
        self.choose(rain)
        eroded = self.view.shown_height.copy()
        self.stroke((1200.0, 2048.0), (2000.0, 2048.0), (2900.0, 2048.0))
        self.wait.still(self.window)
        self.assertEqual(self.canvas.chosen, rain, "the eroded result stays in view")
        spared, before = self.view.shown_height, self.height(rough)
        middle = np.s_[64, 40:90]
        self.assertLess(
            float(np.abs(spared - before)[middle].mean()), 0.6 * float(np.abs(eroded - before)[middle].mean())
        )
        QTest.mouseClick(self.view.active_tool.button, LEFT)
        silt = self.add("silt", rain)
        self.link(low, "mask", silt, "mask")
        changed = np.abs(self.height(silt) - self.height(rain))
        self.assertEqual(float(changed[self.mask(low, level=1) == 0].max()), 0.0, "the same ground's mask, used again")

    @slow
    def test_2_three_outlines_with_lands_of_their_own_and_one_is_reshaped(self):
        ground = self.add("fractal")
        made, masks = ground, []
        for k, (word, east) in enumerate((("dome", 900.0), ("dunes", 2000.0), ("ridge noise", 3200.0))):
            land = self.add(word)
            if word == "dome":
                land = self.add("terrace", land)
            mask = self.add("outline mask")
            self.plan()
            self.outline(
                (east - 380, 1700.0), (east + 380, 1600.0), (east + 400, 2500.0 + 60 * k), (east - 420, 2400.0)
            )
            for name, value in (("feather", 200.0), ("profile", "s"), ("rough", 60.0)):
                self.set(name, value)
            self.doc.end_step()
            joined = self.add("mix", made)
            self.set("share", 1.0)
            self.link_by_menu(land, "height", joined, "second")
            self.link_by_menu(mask, "mask", joined, "mask")
            masks.append(mask)
            made = joined
        for mask in masks:
            (outline,) = self.value(mask, "outlines")
            self.assertEqual((outline[1], outline[3], outline[4]), (200.0, "s", 60.0))
        self.choose(made)
        before = self.view.shown_height.copy()
        white = np.max([self.mask(m, level=1) for m in masks], axis=0)
        base = self.height(ground)
        self.assertEqual(float(np.abs(before - base)[white == 0].max()), 0.0, "around them it is the ground")
        self.assertGreater(float(np.abs(before - base)[white > 0.9].mean()), 10.0)
        self.choose(masks[1])
        self.plan()
        edge = self.view.marks.tool.shown(self.value(masks[1], "outlines")[0])[15]
        QTest.mouseClick(self.view, LEFT, PLAIN, self.place(edge))
        self.assertEqual(self.view.marks.chosen, 0)
        corner = self.value(masks[1], "outlines")[0][-1][2]
        self.drag(QPointF(self.place(corner)), QPointF(self.place((2300.0, 3500.0))), self.view)
        self.choose(made)
        after = self.view.shown_height
        column, row = round(2200 / 32), round((4096 - 3000) / 32)
        self.assertNotEqual(after[row, column], before[row, column], "everything follows")

    @slow
    def test_3_two_hills_stand_where_their_shapes_lie_and_one_is_moved(self):
        plain = self.add("level")
        where = self.add("shape mask")
        self.plan()
        for middle in ((1200.0, 2800.0), (2800.0, 1400.0)):
            self.bench.rows["shapes"].box.click()
            self.stroke(middle, (middle[0] + 300, middle[1] + 300), (middle[0] + 600, middle[1] + 600))
        self.assertEqual(len(self.value(where, "shapes")), 2)
        hills = self.add("mask as height", where)
        both = self.add("mix", plain)
        self.set("way", "add")
        self.link(hills, "height", both, "second")
        self.choose(both)
        land = self.view.shown_height
        tops = [land[round((4096 - n) / 32), round(e / 32)] for e, n in ((1200.0, 2800.0), (2800.0, 1400.0))]
        self.assertGreater(min(tops), float(land.min()) + 50)
        self.choose(where)
        self.plan()
        self.drag(QPointF(self.place((2800.0, 1400.0))), QPointF(self.place((3300.0, 3200.0))), self.view)
        self.choose(both)
        moved = self.view.shown_height
        self.assertGreater(moved[round((4096 - 3200) / 32), round(3300 / 32)], float(land.min()) + 50)
        self.assertLess(moved[round((4096 - 1400) / 32), round(2800 / 32)], tops[1] - 50)

    @slow
    def test_4_snow_out_of_what_erosion_wore_and_laid_down_and_every_mask_delivered(self):
        rain = self.add("rain", self.add("ridge noise"))
        broken = {}
        for k, port in enumerate(("cut", "fill", "flow")):
            broken[port] = self.add("patches")
            self.link_by_menu(rain, port, broken[port], "first")
            self.set("cover", 0.6)
            self.set("seed", 10 + k)
        mixed = []
        for way in ("divide", "add", "subtract"):
            mixed.append(self.add("mask mix"))
            self.set("way", way)
        ragged = self.add("warp", self.add("slope band", rain))
        for source, target, port in (
            (broken["fill"], mixed[0], "first"),
            (broken["cut"], mixed[0], "second"),
            (mixed[0], mixed[1], "first"),
            (broken["flow"], mixed[1], "second"),
            (mixed[1], mixed[2], "first"),
        ):
            self.link_by_menu(source, "mask", target, port)
        self.link_by_menu(ragged, "height", mixed[2], "second")
        snow = self.add("mask levels", mixed[2])
        self.set("way", "curve")
        self.wait.still(self.window)
        before = self.mask(snow)
        row = self.bench.rows["curve"]
        row.setFocus()
        QTest.keyClick(row, Qt.Key.Key_PageDown)
        for _ in range(6):
            QTest.keyClick(row, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
        self.assertGreater(float(self.mask(snow).mean()), float(before.mean()), "contrast by a curve")
        steep = result(self.recipe, ragged, 2)["height"]
        self.assertGreater(float((steep > 0.95).mean()), 0.005)
        self.assertLess(float(before[steep > 0.95].max()), 0.1, "no snow on steep faces")
        self.window.go("Variants")
        QTest.mouseClick(self.window.variants.sheet.seed_button, LEFT)
        QTest.mouseClick(self.window.variants.next_seed_button, LEFT)
        self.assertGreater(float(np.abs(self.mask(snow) - before).mean()), 0.03, "all seeds are new")
        self.window.go("Compose")
        masks = [*broken.values(), *mixed, snow]
        for node in masks:
            self.canvas.choose(node)
            self.canvas.deliver_asked.emit(node)
        page = self.window.deliver
        page.folder = self.folder / "out"
        page.set_level(1)
        QTest.mouseClick(page.go_button, LEFT)
        self.wait.until(page.ended)
        from PIL import Image

        written = [p for p in (self.folder / "out").glob("*.png") if "height" not in p.name]  # offered by itself
        self.assertEqual(len(written), len(masks), [p.name for p in written])
        self.assertEqual({Image.open(p).size for p in written}, {(129, 129)})

    @slow
    def test_5_two_kinds_of_plants_by_soil_and_by_streams(self):
        land = self.add("fractal")
        rain = self.add("rain", land)
        soil = self.add("soil depth", rain)
        wood = self.add("plant cover", rain)
        self.set("high", 2000.0)
        self.link(soil, "mask", wood, "soil")
        flow = self.add("flow", rain)
        scrub = self.add("plant cover", rain)
        self.set("high", 2000.0)
        self.set("wet_low", 0.4)
        self.link_by_menu(flow, "mask", scrub, "wet")
        alone = self.mask(wood)
        self.link_by_menu(scrub, "mask", wood, "crowd")
        scrubby, deep = self.mask(scrub), self.mask(soil)
        self.assertGreater(float(scrubby[self.mask(flow) > 0.5].mean()), 5 * float(scrubby.mean()))
        self.assertGreater(float(alone[deep > 0.8].mean()), 4 * float(alone[deep < 0.15].mean()))
        crowded = (scrubby > 0.5) & (alone > 0.2)
        self.assertLess(float((self.mask(wood) / np.maximum(alone, 1e-6))[crowded].mean()), 0.7)

    @slow
    def test_6_openness_on_the_lower_ground_by_named_masks_shown_in_colours(self):
        rain = self.add("rain", self.add("ridge noise"))
        hidden = self.add("openness", rain)
        low = self.add("height band", rain)
        self.set("limits_in", "shares_of_its_range")
        self.wait.still(self.window)
        self.set("low_share", 0.0)
        self.set("high_share", 0.4)
        self.add("slope band", rain)
        names = []
        for node in (hidden, low):
            self.choose(node)
            self.key(Qt.Key.Key_K)
            names.append(next(n for n, st in self.recipe.nodes.items() if st.kind == "cairn" and n not in names))
        both = self.add("mask mix")
        for cairn, port in zip(names, ("first", "second")):
            self.link_by_menu(cairn, "through", both, port)
        np.testing.assert_allclose(self.mask(both), self.mask(hidden) * self.mask(low), atol=1e-6)
        self.choose(rain)
        QTest.mouseClick(self.view.bar.masks, LEFT)
        panel = self.view.masks.panel
        for name in ("Height band", "Mask mix", "Slope band"):
            item = next(panel.list.item(k) for k in range(panel.list.count()) if panel.list.item(k).text() == name)
            item.setCheckState(Qt.CheckState.Checked)
        panel.hide()
        self.wait.still(self.window)
        self.assertEqual(self.view.masks.legend.lines, ["Slope band", "Mask mix", "Height band"])
        self.assertTrue(self.view.masks.legend.isVisible())

    @slow
    def test_7_stones_only_where_scree_lies_and_only_in_patches(self):
        edge = self.add("plateau")
        rough = self.add("surface noise", edge)
        scree = self.add("scree", rough)
        patches = self.add("patches")
        self.set("cover", 0.4)
        self.link(scree, "scree", patches, "first")
        stones = self.add("boulders", scree)
        self.link(patches, "mask", stones, "where_from")
        lies, broken = self.mask(scree, "scree"), self.mask(patches)
        changed = np.abs(self.height(stones, 2) - self.height(scree, 2)) > 1e-3
        self.assertGreater(int(changed.sum()), 20)
        near = ndi.binary_dilation(broken > 0.01, iterations=3)  # a stone is wider than the place of its middle
        self.assertTrue(np.all(near[changed]))
        self.assertTrue(np.all(lies[broken > 0.01] > 0), "patches only where scree lies")


class ExamplesTest(unittest.TestCase):
    def test_each_job_is_kept_as_an_example_that_computes(self):
        for name in ("hallan-moor", "threefold", "twyfell", "ravnskar", "sallowhope", "under-hask", "clatter-edge"):
            recipe = files.load(EXAMPLES / f"{name}.gelande")
            result(recipe, last_node(recipe), 1)
            for node, port, words in masks_of(recipe):
                mask = result(recipe, node, 1)[port]
                self.assertGreater(float(mask.max()), 0.05, f"{words} of {name} says something")


if __name__ == "__main__":
    unittest.main()
