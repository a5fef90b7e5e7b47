"""Ground cover: weights that are one whatever they are rounded to, ports that follow the list, and its list on the
bench in the real window."""

import json
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
import rasterio
from hypothesis import given, settings
from hypothesis import strategies as st
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from support import result
from test_window import LEFT, WindowCase

from gelande.core.errors import RecipeError
from gelande.core.evaluate.executor import Evaluator
from gelande.core.recipe import control, graph
from gelande.core.recipe import recipefile as files
from gelande.core.recipe.deliverables import Deliverable
from gelande.core.recipe.node import SHARE
from gelande.deliver.build import DONE, FAILED, build
from gelande.kernels.cover import ONE, Layer, amount_of, apportioned, covered
from gelande.nodes.colour.ground_cover import AT_HEIGHT, AT_SLOPE, LAYERS, LINKED, PLAIN
from gelande.samples import sample_recipe

NO, ALT = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.AltModifier


def plain(*amounts, **more):
    """Layers of one grey each that cover so much of what those above leave."""
    return [Layer(amount=a, table=np.full((2, 3), k / 10, np.float32), **more) for k, a in enumerate(amounts)]


class KernelTest(unittest.TestCase):
    @settings(max_examples=120, deadline=None)
    @given(st.lists(st.floats(0, 1, width=32), min_size=1, max_size=16), st.integers(0, 999))
    def test_weights_are_exactly_one_in_any_order_and_after_rounding(self, amounts, seed):
        draw = np.random.default_rng(seed)
        layers = plain(*amounts)
        for one in layers[1:]:
            one.mask = draw.random((5, 7), dtype=np.float32)
        _, first, weights = covered(layers, (5, 7))
        stack = np.stack(weights)
        for order in (stack, stack[::-1], stack[draw.permutation(len(stack))]):
            total = np.zeros((5, 7), np.float32)
            for weight in order:
                total += weight
            self.assertTrue(np.all(total == 1), "exactly, in single precision, in any order")
        for top in (255, 65535):
            counts = apportioned(stack, top)
            self.assertTrue(np.all(counts.sum(0) == top))
            self.assertLess(float(np.abs(counts - stack.astype(float) * top).max()), 1.0, "less than a count away")
            naive = np.rint(stack.astype(float) * top)
            self.assertTrue(np.all((naive.sum(0) != top) | (np.abs(counts - naive).max(0) <= 1)))
        np.testing.assert_array_equal(np.take_along_axis(stack, first[None], 0)[0], stack.max(0))

    def test_each_layer_takes_its_amount_of_what_is_left(self):
        colour, first, weights = covered(plain(1.0, 0.5, 0.25), (2, 2))
        np.testing.assert_allclose([w[0, 0] for w in weights], [0.375, 0.375, 0.25], atol=1 / ONE)
        np.testing.assert_allclose(colour[0, 0], 0.375 * 0.1 + 0.25 * 0.2, atol=1e-6)
        self.assertEqual(first[0, 0], 0, "the lower one of two alike")

    def test_a_broken_edge_keeps_the_mean_of_a_fade_and_what_is_full_or_empty(self):
        draw = np.random.default_rng(3)
        rough = draw.random((300, 300), dtype=np.float32)
        for mask, wanted in ((0.0, 0.0), (1.0, 1.0), (0.5, 0.5), (0.25, 0.25)):
            layer = Layer(mask=np.full((300, 300), mask, np.float32), rough=rough, broken=1.0)
            found = amount_of(layer, (300, 300))
            self.assertAlmostEqual(float(found.mean()), wanted, delta=0.05)
            if 0 < mask < 1:
                self.assertGreater(float(np.mean((found == 0) | (found == 1))), 0.7, "patches, not a mist")

    def test_a_layer_lies_in_its_band_and_thins_out_on_steep_ground(self):
        height = np.linspace(0, 100, 101, dtype=np.float32)[None]
        found = amount_of(Layer(by=height, band=(40.0, 60.0, 10.0)), height.shape)[0]
        self.assertEqual((found[30], found[40], found[60], found[70]), (0.0, 1.0, 1.0, 0.0))
        self.assertAlmostEqual(float(found[35]), 0.5, places=5)
        slope = np.array([[20.0, 38.0, 44.0, 60.0]], np.float32)
        found = amount_of(Layer(slope=slope, steep=38.0, thins=0.8), slope.shape)[0]
        np.testing.assert_allclose(found, [1.0, 1.0, 0.6, 0.2], atol=1e-6)


class NodeTest(unittest.TestCase):
    def setUp(self):
        self.recipe, self.node = sample_recipe("ground_cover")
        self.ground = next(n for n, s in self.recipe.nodes.items() if s.kind == "fractal_noise")

    def set(self, layers):
        self.recipe = graph.set_param(self.recipe, self.node, "layers", layers)

    @property
    def layers(self):
        return self.recipe.nodes[self.node].params["layers"]

    def ports(self):
        spec = self.recipe.nodes[self.node].spec
        return [p.id for p in spec.inputs], [p.id for p in spec.outputs if p.role == SHARE]

    def test_ports_follow_the_list_and_links_stay_when_layers_move_or_are_renamed(self):
        self.recipe, band = graph.add(self.recipe, "height_band")
        self.recipe = graph.link(self.recipe, self.ground, "height", band, "height")
        self.recipe = graph.link(self.recipe, band, "mask", self.node, "mask_2")
        self.set(LAYERS.moved(self.layers, 2, 2))
        self.recipe = graph.set_param(self.recipe, self.node, LAYERS.path(2, "name"), "Ling")
        state = self.recipe.nodes[self.node]
        self.assertEqual(state.inputs["mask_2"], (band, "mask"))
        self.assertEqual(state.spec.input("mask_2").label, "Ling")
        self.assertEqual(self.ports()[1], ["weight_2", "weight_3", "weight_1"], "as they lie, from above")
        self.set(LAYERS.added(self.layers, 3, 8192.0, name="Snow"))
        self.assertIn("mask_4", self.ports()[0])
        new = self.layers[LAYERS.index(self.layers, 4)]
        self.assertEqual(LAYERS.of(new, "patch"), 140.0, "sized for the site")
        self.recipe = control.publish(self.recipe, self.node, LAYERS.path(2, "amount"))
        orders = (Deliverable("Ling", self.node, "weight_2", "mask_png8"),)
        self.recipe = files.replace(self.recipe, deliverables=orders)
        self.set(LAYERS.removed(self.layers, 2))
        state = self.recipe.nodes[self.node]
        self.assertNotIn("mask_2", state.inputs)
        self.assertEqual((self.recipe.controls, self.recipe.deliverables), ((), ()), "what hung on it is gone as well")

    def test_a_layers_setting_is_published_and_comes_back_from_a_file(self):
        self.recipe = control.publish(self.recipe, self.node, LAYERS.path(2, "low"))
        (made,) = self.recipe.controls
        self.assertEqual((made.label, made.group), ("Heath from height", "Ground cover"))
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.gelande"
            files.save(self.recipe, path)
            block = json.loads(path.read_text())
            self.assertEqual(block["controls"][0]["targets"][0]["param"], "layers:2:low_m")
            written = block["nodes"][self.node]["params"]["layers"][1]
            self.assertEqual((written["name"], written["number"], written["fade_m"]), ("Heath", 2, 160.0))
            back = files.load(path)
        self.assertEqual(files.to_block(back), files.to_block(self.recipe))
        moved = control.set_control(back, back.controls[0], 111.0)
        self.assertEqual(moved.nodes[self.node].value("layers:2:low"), 111.0)
        with self.assertRaisesRegex(RecipeError, "Ground cover: Heath broken edge is 140 %, outside"):
            graph.set_param(back, self.node, LAYERS.path(2, "broken"), 1.4)
        with self.assertRaisesRegex(RecipeError, "no parameter called layers:9:low"):
            graph.set_param(back, self.node, LAYERS.path(9, "low"), 1.0)

    def test_lists_that_are_no_layers_are_refused_in_a_sentence(self):
        for value, words in (
            ((), "at least one layer"),
            ((self.layers[0], self.layers[0]), "different numbers"),
            (((*self.layers[0][:-1], 0),), "whole number from 1 to 9999"),
            (LAYERS.made(*[{"name": "x"}] * 16) + ((*self.layers[0][:-1], 99),), "at most 16 layers"),
        ):
            with self.assertRaisesRegex(RecipeError, words):
                self.set(value)

    def test_layers_that_are_off_lie_nowhere_and_a_new_name_computes_nothing(self):
        before = result(self.recipe, self.node, 2)
        keys = Evaluator().keys(self.recipe, Path())
        named = graph.set_param(self.recipe, self.node, LAYERS.path(3, "name"), "Crag")
        self.assertEqual(Evaluator().keys(named, Path()), keys)
        off = graph.set_param(self.recipe, self.node, LAYERS.path(3, "on"), False)
        after = result(off, self.node, 2)
        self.assertEqual(float(after["weight_3"].max()), 0.0)
        self.assertGreater(float(before["weight_3"].max()), 0.9)
        np.testing.assert_array_equal(after["weight_1"] + after["weight_2"], 1)

    def test_where_and_amount_leave_the_rest_to_what_lies_under(self):
        half = graph.set_param(self.recipe, self.node, "amount", 0.5)
        out = result(half, self.node, 1)
        np.testing.assert_allclose(sum(out[p] for p in self.ports()[1]), 0.5, atol=1e-6)
        np.testing.assert_array_equal(out["first"], result(self.recipe, self.node, 1)["first"])

    def test_colours_plain_linked_and_solo(self):
        self.set(
            LAYERS.made(
                {"name": "Rock", "tone": PLAIN, "plain": (0.5, 0.5, 0.5), "grain": 0.0},
                {"name": "Sky", "tone": LINKED, "lies": AT_HEIGHT, "low": 150, "fade": 0, "broken": 0.0},
            )
        )
        with self.assertRaisesRegex(Exception, "Sky colour is not linked"):
            result(self.recipe, self.node, 1)
        self.recipe, blue = graph.add(self.recipe, "plain_colour", params={"tone": (0.0, 0.0, 1.0)})
        self.recipe = graph.link(self.recipe, blue, "colour", self.node, "colour_2")
        out, height = result(self.recipe, self.node, 2), result(self.recipe, self.ground, 2)["height"]
        np.testing.assert_allclose(out["colour"][height >= 150], [[0, 0, 1]] * int((height >= 150).sum()), atol=1e-5)
        np.testing.assert_allclose(out["colour"][height < 150], 0.214, atol=0.002)
        alone = graph.set_param(self.recipe, self.node, LAYERS.path(2, "solo"), True)
        shown = result(alone, self.node, 2)
        np.testing.assert_allclose(shown["colour"][height < 150], 0.18, atol=1e-5)
        np.testing.assert_array_equal(shown["weight_1"], out["weight_1"], "weights stay")


class DeliveryTest(unittest.TestCase):
    def deliver(self, recipe, level, folder, **more):
        return build(recipe, level, Path(folder), Evaluator(), **more)

    def test_weights_in_files_are_one_together_whole_or_in_strips(self):
        recipe, node = sample_recipe("ground_cover")
        rock = LAYERS.path(3, "from_slope")
        recipe = graph.set_param(recipe, node, rock, 12.0)
        ports = [p.id for p in recipe.nodes[node].spec.outputs if p.role == SHARE]
        orders = [
            Deliverable(f"{port}-{bits}", node, port, f"mask_png{bits}") for bits in (8, 16) for port in ports
        ] + [Deliverable("strongest", node, "first", "mask_png8")]
        recipe = files.replace(recipe, deliverables=tuple(orders))
        found = []
        for whole in (10**9, 1000):
            with tempfile.TemporaryDirectory() as folder:
                items = self.deliver(recipe, 2, folder, whole=whole)
                self.assertEqual({i.state for i in items}, {DONE}, [i.note for i in items])
                read = {i.deliverable.name: rasterio.open(Path(folder) / i.facts["file"]).read(1) for i in items}
            found.append(read)
            for bits in (8, 16):
                total = sum(read[f"{port}-{bits}"].astype(int) for port in ports)
                self.assertTrue(np.all(total == 2**bits - 1), f"{bits} bits")
            naive = result(recipe, node, 2)
            apart = sum(np.rint(naive[port].astype(float) * 255).astype(int) for port in ports)
            self.assertTrue(np.any(apart != 255), "each alone would not be")
            self.assertLess(max(i.facts["largest_rounding_error"] for i in items), 1 / 255)
            self.assertIn("together", items[0].facts["rounded"])
            stack = np.stack([naive[p] for p in ports[::-1]])  # from the ground up
            np.testing.assert_array_equal(read["strongest"], stack.argmax(0))
        for name in found[0]:
            np.testing.assert_array_equal(found[0][name], found[1][name], "the same bytes in strips")

    def test_colours_are_not_delivered_while_a_layer_is_solo(self):
        recipe, node = sample_recipe("ground_cover")
        recipe = graph.set_param(recipe, node, LAYERS.path(2, "solo"), True)
        recipe, after = graph.add(recipe, "colour_adjust")
        recipe = graph.link(recipe, node, "colour", after, "under")
        orders = (
            Deliverable("Colour", after, "colour", "colour_png8"),
            Deliverable("Heath", node, "weight_2", "mask_png8"),
        )
        with tempfile.TemporaryDirectory() as folder:
            colour, heath = self.deliver(files.replace(recipe, deliverables=orders), 1, folder)
        self.assertEqual((colour.state, heath.state), (FAILED, DONE))
        self.assertIn("Ground cover only Heath is in colour; end Solo", colour.note)


class WindowTest(WindowCase):
    def setUp(self):
        super().setUp()
        recipe, self.node = sample_recipe("ground_cover")
        self.window.set_detail(1)
        self.doc.start(recipe, None)
        self.wait.still(self.window)
        self.canvas.choose(self.node)
        self.window.compose._chosen(self.node)
        self.wait.still(self.window)
        self.panel = self.bench.layers
        self.list = self.panel.list

    @property
    def value(self):
        return self.doc.recipe.nodes[self.node].params["layers"]

    def names(self):
        """As they are listed, from above."""
        return [LAYERS.of(one, "name") for one in self.list.order()]

    def spot(self, row, x=140):
        return QPoint(x, int(self.list.row_box(row).center().y()))

    def test_rows_are_chosen_ticked_and_dragged_and_the_bench_shows_the_chosen_ones_settings(self):
        self.assertTrue(self.panel.isVisible())
        self.assertEqual(self.names(), ["Rock", "Heath", "Grass"])
        self.assertIn("layers:3:from_slope", self.bench.rows)
        self.assertNotIn("layers:3:low", self.bench.rows)
        QTest.mouseClick(self.list, LEFT, NO, self.spot(1))
        self.assertIn("layers:2:low", self.bench.rows)
        self.assertEqual(self.bench.rows["layers:2:low"].value, 320.0)
        self.bench.rows["layers:2:low"].edited.emit("layers:2:low", 150.0)
        self.wait.still(self.window)
        self.assertEqual(LAYERS.of(self.value[1], "low"), 150.0)
        before = dict(self.bench.layers.list.fractions)
        QTest.mouseClick(self.list, LEFT, NO, self.spot(0, 13))
        self.wait.still(self.window)
        self.assertFalse(LAYERS.of(self.value[2], "on"))
        self.assertEqual(self.list.fractions[3], 0.0)
        self.assertGreater(before[3], 0.0)
        self.assertAlmostEqual(sum(self.list.fractions.values()), 1.0, places=5)
        self.drag(QPointF(self.spot(2)), QPointF(140, 3), self.list)
        self.assertEqual(self.names(), ["Grass", "Rock", "Heath"])
        self.doc.undo()
        self.assertEqual(self.names(), ["Rock", "Heath", "Grass"], "one step of undo")

    def test_keys_and_buttons_add_duplicate_rename_solo_and_remove(self):
        self.list.setFocus()
        QTest.mouseClick(self.panel.buttons["Add"], LEFT)
        self.assertEqual(self.names(), ["Layer 4", "Rock", "Heath", "Grass"])
        self.assertEqual(self.list.chosen, 4)
        self.list.setFocus()
        QTest.keyClick(self.list, Qt.Key.Key_F2)
        QTest.keyClicks(self.list.line, "Moss")
        QTest.keyClick(self.list.line, Qt.Key.Key_Return)
        self.assertEqual(self.names()[0], "Moss")
        self.assertEqual(self.doc.recipe.nodes[self.node].spec.input("mask_4").label, "Moss")
        QTest.keyClick(self.list, Qt.Key.Key_Down, ALT)
        self.assertEqual(self.names(), ["Rock", "Moss", "Heath", "Grass"])
        QTest.keyClick(self.list, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(self.names(), ["Rock", "Moss copy", "Moss", "Heath", "Grass"])
        QTest.keyClick(self.list, Qt.Key.Key_Delete)
        self.assertEqual(self.names(), ["Rock", "Moss", "Heath", "Grass"])
        QTest.keyClick(self.list, Qt.Key.Key_Up)
        QTest.keyClick(self.list, Qt.Key.Key_S)
        self.assertTrue(LAYERS.of(self.value[3], "solo"))
        self.wait.still(self.window)
        self.assertEqual(LAYERS.of(self.value[3], "name"), "Rock")
        self.assertIn("Rock", self.panel.words.text())
        self.assertIn("ha", self.panel.words.text())

    def test_a_layers_setting_is_put_on_the_control_sheet_by_its_dot(self):
        row = self.bench.rows["layers:3:from_slope"]
        QTest.mouseClick(row, LEFT, NO, QPoint(6, 10))
        (made,) = self.doc.recipe.controls
        self.assertEqual(made.label, "Rock from slope")
        self.window.go("Variants")
        self.wait.still(self.window)
        self.assertIn("Rock from slope", self.window.variants.sheet.rows)

    def test_twelve_layers_fit_and_the_card_names_every_port(self):
        for _ in range(9):
            QTest.mouseClick(self.panel.buttons["Add"], LEFT)
        self.wait.still(self.window)
        self.assertEqual(len(self.value), 12)
        card = self.canvas.card_rect(self.node)
        ports = [self.canvas.port_at_widget(self.node, f"mask_{k}", False) for k in range(1, 13)]
        ports += [self.canvas.port_at_widget(self.node, f"weight_{k}", True) for k in range(1, 13)]
        ys = sorted(p.y() for p in ports)
        self.assertGreater(min(b - a for a, b in zip(ys, ys[1:])), 6.0, "each can be hit")
        self.assertTrue(all(card.top() < y < card.bottom() for y in ys))
        QTest.mouseClick(self.list, LEFT, NO, self.spot(11))
        self.assertEqual(self.list.chosen, 1)
        self.assertFalse(self.panel.buttons["Add"].isEnabled() and len(self.value) >= LAYERS.most)

    def test_other_nodes_show_no_layers(self):
        ground = next(n for n, s in self.doc.recipe.nodes.items() if s.kind == "fractal_noise")
        self.canvas.choose(ground)
        self.window.compose._chosen(ground)
        self.wait.still(self.window)
        self.assertFalse(self.panel.isVisible())

    def test_a_starting_point_brings_its_layers(self):
        spec = self.doc.recipe.nodes[self.node].spec
        values = dict(spec.starting_points)["High mountain"]
        with mock.patch("gelande.app.compose.bench.QMenu.exec", lambda menu, *place: menu.actions()[1].trigger()):
            self.bench.starting_points.click()
        self.assertEqual(self.names(), ["Snow", "Rock", "Scree", "Turf"])
        self.assertEqual(len(self.value), len(values["layers"]))
        self.assertEqual(self.list.chosen, 4)
        self.assertIn("layers:4:low", self.bench.rows)
        self.assertEqual(LAYERS.of(self.value[1], "lies"), AT_SLOPE)


if __name__ == "__main__":
    unittest.main()
