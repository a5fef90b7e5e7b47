"""The graph's model and its gestures, without a window: what lies where, and what a pointer does with it."""

import ast
import unittest
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st
from support import DEMO, chain

from gelande.app.compose import hand as H
from gelande.app.compose.presenter import Choice, present
from gelande.app.compose.sheet import Lens, SheetModel
from gelande.core import graph, group
from gelande.core.recipe import load


class SheetCase(unittest.TestCase):
    def setUp(self):
        self.recipe, (self.noise, self.warp, self.terrace) = chain("fractal_noise", "warp", "terrace")
        self.recipe, self.alone = graph.add(self.recipe, "smooth", (40.0, 160.0))
        self.sheet = SheetModel(self.recipe)
        self.hand = H.Hand(self.sheet)

    def middle(self, node_id: str) -> tuple[float, float]:
        x, y, w, h = self.sheet.rects.cards[node_id]
        return x + w / 2, y + h / 2

    def drag(self, a, b, **more):
        """Presses, moves and lets go; returns what came of it."""
        card = self.hand.press(*a, more.get("add", False), more.get("keep", False), more.get("locked", False))
        if card is not None:
            self.sheet.choose(card, keep=more.get("add", False))
        self.hand.move(*b, abs(a[0] - b[0]) + abs(a[1] - b[1]))
        came = self.hand.release(*b, True)
        if isinstance(came, H.Edited):
            try:
                self.recipe = came.change(self.recipe)
            except graph.RecipeError:
                self.recipe = came.otherwise[1](self.recipe)
            self.sheet.show(self.recipe)
        return came


class WhereTest(SheetCase):
    def test_it_knows_no_qt(self):
        for name in ("sheet", "hand", "layout", "presenter"):
            text = (Path(H.__file__).parent / f"{name}.py").read_text()
            for node in ast.walk(ast.parse(text)):
                names = [a.name for a in node.names] if isinstance(node, ast.Import) else []
                names += [node.module or ""] if isinstance(node, ast.ImportFrom) else []
                self.assertFalse([n for n in names if "Qt" in n], name)

    def test_cards_ports_and_links_are_found_where_they_are_laid_out(self):
        for node_id in self.recipe.nodes:
            self.assertEqual(self.sheet.card_at(*self.middle(node_id)), node_id)
        self.assertEqual(self.sheet.card_at(-50, -50), "")
        place = self.sheet.port_place(self.warp, "height", False)
        self.assertEqual(self.sheet.port_near(place[0] - 3, place[1] + 2), (self.warp, "height", False))
        road = self.sheet.roads[self.terrace, "height"]
        (x1, y1), (x2, y2) = road[0], road[1]
        at = ((x1 + x2) / 2, (y1 + y2) / 2)
        self.assertEqual(self.sheet.link_near(*at), (self.terrace, "height"))
        self.assertIsNone(self.sheet.link_near(*at, 5.0, self.terrace))

    def test_arrows_go_to_the_nearest_card_ahead(self):
        self.assertEqual(self.sheet.next_card(1, 0), next(iter(self.sheet.rects.cards)))
        self.sheet.choose(self.noise)
        self.assertEqual(self.sheet.next_card(1, 0), self.warp)
        self.sheet.choose(self.terrace)
        self.assertEqual(self.sheet.next_card(-1, 0), self.warp)
        self.assertEqual(self.sheet.next_card(1, 0), "")

    @settings(max_examples=100, deadline=None)
    @given(st.floats(-500, 500), st.floats(-500, 500), st.floats(0.5, 2), st.floats(0, 1280), st.floats(0, 800))
    def test_scaling_keeps_the_place_under_the_pointer(self, x, y, factor, px, py):
        lens = Lens(0.8, x, y)
        before = lens.to_sheet(px, py)
        lens.scale(factor, px, py)
        for a, b in zip(lens.to_widget(*before), (px, py)):
            self.assertAlmostEqual(a, b, places=6)

    def test_all_of_a_large_sheet_fits(self):
        sheet = SheetModel(load(DEMO))
        sheet.lens.fit(sheet.rects.size, 1280, 700, 30)
        right, bottom = sheet.lens.to_widget(*sheet.rects.size)
        self.assertLessEqual(right, 1281)
        self.assertLessEqual(bottom, 701)


class HandTest(SheetCase):
    def test_a_click_chooses_and_more_clicks_select(self):
        came = self.drag(self.middle(self.warp), self.middle(self.warp))
        self.assertEqual(came, H.Chosen(self.warp))
        self.sheet.choose(self.noise)
        self.drag(self.middle(self.warp), self.middle(self.warp), add=True)
        self.assertEqual(self.sheet.selection, {self.noise, self.warp})
        self.drag(self.middle(self.warp), self.middle(self.warp), add=True)
        self.assertEqual(self.sheet.selection, {self.noise})

    def test_a_drag_moves_what_is_selected(self):
        x, y = self.middle(self.warp)
        before = self.recipe.nodes[self.warp].at
        self.drag((x, y), (x + 30, y + 45))
        self.assertEqual(self.recipe.nodes[self.warp].at, (before[0] + 30, before[1] + 45))
        self.assertEqual(self.sheet.moved, {})

    def test_a_press_that_hardly_moves_moves_nothing(self):
        x, y = self.middle(self.warp)
        self.assertEqual(self.drag((x, y), (x + 2, y + 1)), H.Chosen(self.warp))

    def test_a_locked_graph_is_only_looked_at(self):
        before = self.recipe
        x, y = self.middle(self.warp)
        self.drag((x, y), (x + 60, y), locked=True)
        port = self.sheet.port_place(self.warp, "height", True)
        self.drag(port, self.middle(self.alone), locked=True)
        self.assertIs(self.recipe, before)

    def test_a_link_is_led_to_a_card_taken_off_and_let_go_over_nothing(self):
        port = self.sheet.port_place(self.terrace, "height", True)
        self.drag(port, self.middle(self.alone))
        self.assertEqual(self.recipe.nodes[self.alone].inputs["height"], (self.terrace, "height"))
        end = self.sheet.port_place(self.alone, "height", False)
        self.assertEqual(self.drag(end, (900.0, 160.0)).text, "Unlink")
        self.assertEqual(self.recipe.nodes[self.alone].inputs, {})
        self.assertEqual(self.drag(port, (900.0, 160.0)), H.Wanted((self.terrace, "height", True)))

    def test_a_link_put_back_where_it_was_is_no_edit(self):
        end = self.sheet.port_place(self.terrace, "height", False)
        self.assertIsNone(self.drag(end, (end[0] + 1, end[1] + 1)))

    def test_a_card_dropped_on_a_link_is_put_into_it(self):
        road = self.sheet.roads[self.terrace, "height"]
        at = ((road[0][0] + road[1][0]) / 2, (road[0][1] + road[1][1]) / 2)
        self.assertEqual(self.drag(self.middle(self.alone), at).text, "Insert")
        self.assertEqual(self.recipe.nodes[self.terrace].inputs["height"][0], self.alone)
        self.assertEqual(self.recipe.nodes[self.alone].inputs["height"][0], self.warp)

    def test_a_band_selects_what_it_touches(self):
        a, b = self.middle(self.noise), self.middle(self.warp)
        self.drag((a[0] - 200, a[1] - 40), (b[0], b[1] + 5))
        self.assertEqual(self.sheet.selection, {self.noise, self.warp})
        self.assertEqual(self.drag((a[0] - 200, a[1] - 40), (a[0], a[1])), H.Chosen(self.noise))

    def test_the_middle_button_slides_the_sheet(self):
        self.hand.slide()
        self.hand.gesture.slide(30, -12)
        self.assertEqual((self.sheet.lens.x, self.sheet.lens.y), (-30, 12))
        self.assertIsNone(self.hand.release(0, 0, True))

    def test_a_group_that_goes_while_one_stands_in_it_is_left(self):
        packed, group_id = group.pack(self.recipe, [self.warp, self.terrace])
        self.sheet.show(packed)
        self.sheet.enter(group_id)
        self.assertIn(self.warp, self.sheet.rects.cards)
        self.assertTrue(self.sheet.show(graph.remove(packed, [group_id])))
        self.assertEqual(self.sheet.inside, "")


class PresenterTest(unittest.TestCase):
    def test_what_is_shown_and_how_it_is_called(self):
        recipe = load(DEMO)
        land = next(n for n, s in recipe.nodes.items() if s.kind == "rain_erosion")
        before = recipe.nodes[land].inputs["height"]
        name = recipe.nodes[land].name
        self.assertEqual(present(recipe, Choice(land)).words, f"looking at {name}")
        self.assertEqual(present(recipe, Choice("", land)).words, f"held: {name}")
        shown = present(recipe, Choice(land, before=True))
        self.assertEqual((shown.node, shown.port), before)
        self.assertTrue(shown.words.startswith("input: "))
        coloured = present(recipe, Choice(land, colours=True))
        self.assertEqual(coloured.port, "colour")
        mask = next(n for n, s in recipe.nodes.items() if s.kind == "slope_band")
        self.assertEqual(present(recipe, Choice(mask, colours=True)).node, mask)

    def test_nothing_is_shown_of_nothing(self):
        recipe, note = graph.add(load(DEMO), "note")
        self.assertIsNone(present(recipe, Choice(note)))
        self.assertIsNone(present(graph.remove(recipe, list(recipe.nodes)), Choice("gone")))


if __name__ == "__main__":
    unittest.main()
