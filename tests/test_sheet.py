"""The graph's model and its gestures, without a window: what lies where, and what a pointer does with it."""

import ast
import random
import unittest
from dataclasses import replace
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st
from support import DEMO, chain

from gelande.app.compose import gestures as H
from gelande.app.compose import layout, routing
from gelande.app.compose.presenter import Choice, present
from gelande.app.compose.sheet import Lens, SheetModel
from gelande.core.errors import NodeError
from gelande.core.evaluate.executor import Evaluator, Job
from gelande.core.evaluate.waiting import waiting
from gelande.core.recipe import graph, group, walk
from gelande.core.recipe.model import COLUMN, ROW, Recipe
from gelande.core.recipe.node import registry
from gelande.core.recipe.recipefile import load
from gelande.core.recipe.site import COARSEST, Site


class SheetCase(unittest.TestCase):
    def setUp(self):
        self.recipe, (self.noise, self.warp, self.terrace) = chain("fractal_noise", "warp", "terrace")
        self.recipe, self.alone = graph.add(self.recipe, "smooth", (COLUMN, ROW))
        self.sheet = SheetModel(self.recipe)
        self.gestures = H.Gestures(self.sheet)

    def middle(self, node_id: str) -> tuple[float, float]:
        x, y, w, h = self.sheet.rects.cards[node_id]
        return x + w / 2, y + h / 2

    def drag(self, a, b, **more):
        """Presses, moves and lets go; returns what came of it."""
        card = self.gestures.press(*a, more.get("add", False), more.get("keep", False), more.get("locked", False))
        if card is not None:
            self.sheet.choose(card, keep=more.get("add", False))
        self.gestures.move(*b, abs(a[0] - b[0]) + abs(a[1] - b[1]))
        came = self.gestures.release(*b, True)
        if isinstance(came, H.Edited):
            try:
                self.recipe = came.change(self.recipe)
            except graph.RecipeError:
                self.recipe = came.otherwise[1](self.recipe)
            self.sheet.show(self.recipe)
        return came


class WhereTest(SheetCase):
    def test_it_knows_no_qt(self):
        for name in ("sheet", "gestures", "layout", "routing", "adding", "finding", "presenter"):
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
        route = self.sheet.routes[self.terrace, "height"]
        (x1, y1), (x2, y2) = route[0], route[1]
        at = ((x1 + x2) / 2, (y1 + y2) / 2)
        self.assertEqual(self.sheet.link_near(*at), (self.terrace, "height"))
        self.assertIsNone(self.sheet.link_near(*at, 5.0, self.terrace))

    def test_arrows_go_to_the_nearest_card_ahead(self):
        self.assertEqual(self.sheet.next_card(0, 1), next(iter(self.sheet.rects.cards)))
        self.sheet.choose(self.noise)
        self.assertEqual(self.sheet.next_card(0, 1), self.warp)
        self.sheet.choose(self.terrace)
        self.assertEqual(self.sheet.next_card(0, -1), self.warp)
        self.assertEqual(self.sheet.next_card(1, 0), self.alone)
        self.assertEqual(self.sheet.next_card(0, 1), "")

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

    def test_the_demo_opens_at_its_natural_size_in_the_pane_that_it_has(self):
        sheet = SheetModel(load(DEMO))
        sheet.lens.open(sheet.rects.size, 588 - 26)
        self.assertEqual(sheet.lens.zoom, 1.0)

    def test_what_is_selected_slides_into_view_and_no_further(self):
        lens = Lens()
        lens.reveal((10, 900, 155, 46), 588, 540, 18)
        self.assertAlmostEqual(lens.to_widget(10, 946)[1], 540 - Lens.CLEAR)
        here = (lens.x, lens.y)
        lens.reveal((10, 700, 155, 46), 588, 540, 18)
        self.assertEqual((lens.x, lens.y), here)
        lens.reveal((10, 100, 155, 46), 588, 540, 18)
        self.assertAlmostEqual(lens.to_widget(10, 100)[1], 18 + Lens.CLEAR)


#: Kinds among which cards of several rows are frequent.
TALL = ("ground_cover", "colour_mix", "baked_light", "fractal_noise", "slope_band", "flow", "colour_ramp", "wind")


def random_recipe(seed: int, count: int, kinds=()):
    """A recipe of so many nodes of random kinds at random wishes, linked as they happen to fit."""
    draw = random.Random(seed)
    kinds = kinds or [k for k in sorted(registry()) if k not in ("frame", "entry", "group", "cairn")]
    recipe, ids = Recipe(Site()), []
    for _ in range(count):
        at = (draw.uniform(0, 2.4) * COLUMN, draw.uniform(0, count / 3) * ROW)
        recipe, node_id = graph.add(recipe, draw.choice(kinds), at)
        for port in recipe.nodes[node_id].spec.all_inputs:
            for source in draw.sample(ids, min(len(ids), 4)) if draw.random() < 0.8 else ():
                spec = recipe.nodes[source].spec
                fits = [o.id for o in spec.outputs if not graph.can_link(recipe, source, o.id, node_id, port.id)]
                if fits:
                    recipe = graph.link(recipe, source, draw.choice(fits), node_id, port.id)
                    break
        ids.append(node_id)
    return recipe


def crosses(a, b, card, skin: float = 0.5) -> bool:
    """Whether an upright or level line goes through a card, and not only along its edge."""
    x, y, w, h = card
    (x1, x2), (y1, y2) = sorted((a[0], b[0])), sorted((a[1], b[1]))
    return x1 < x + w - skin and x2 > x + skin and y1 < y + h - skin and y2 > y + skin


class LayoutTest(unittest.TestCase):
    def holds(self, recipe, sheet):
        """Cards stand in their lanes without touching; links are straight pieces from port to port that cross no card,
        and run down inside a lane."""
        for n, (x, y, w, h) in sheet.cards.items():
            if n in sheet.frames:
                continue
            left, width = sheet.lanes[layout.lane_of(recipe, n)]
            self.assertTrue(left <= x and x + w <= left + width + 0.01, n)
            for m, (p, q, v, t) in sheet.cards.items():
                apart = x >= p + v or p >= x + w or y >= q + t or q >= y + h
                self.assertTrue(apart or n == m or m in sheet.frames, f"{n} and {m}")
        lanes = {n: layout.lane_of(recipe, n) for n in recipe.nodes}
        for source, output, target, port in recipe.links():
            route = sheet.routes[target, port]
            self.assertEqual(route[0], sheet.ports[source, output, True])
            self.assertEqual(route[-1], sheet.ports[target, port, False])
            for a, b in zip(route, route[1:]):
                self.assertTrue(abs(a[0] - b[0]) < 0.01 or abs(a[1] - b[1]) < 0.01, "neither upright nor level")
                hit = [n for n, card in sheet.cards.items() if n not in sheet.frames and crosses(a, b, card)]
                self.assertFalse(hit, f"{source} to {target} crosses {hit}")
                if lanes[source] == lanes[target]:
                    self.assertGreaterEqual(b[1], a[1] - 0.01, f"{source} to {target} runs upwards")

    def test_the_demo_and_the_other_examples(self):
        for path in sorted(DEMO.parent.glob("*.gelande")):
            recipe = load(path)
            shown = SheetModel(recipe)
            self.holds(shown.recipe, shown.rects)
            for n in [n for n, s in recipe.nodes.items() if s.kind == "group"]:
                shown.enter(n)
                self.assertEqual(len(set(shown.rects.cells.values())), len(shown.rects.cells))

    @settings(max_examples=25, deadline=None)
    @given(st.integers(0, 10**6), st.integers(1, 200))
    def test_no_link_crosses_a_card_and_none_runs_upwards_inside_a_lane(self, seed, count):
        recipe = random_recipe(seed, count, TALL if seed % 3 == 0 else ())
        self.holds(recipe, routing.sheet(recipe))
        arranged = graph.move(recipe, layout.arrange(recipe))
        self.holds(arranged, routing.sheet(arranged))

    def test_what_comes_first_stands_above(self):
        recipe, ids = chain("fractal_noise", "warp", "terrace", "smooth")
        places = layout.arrange(recipe)
        self.assertEqual(sorted(ids, key=lambda n: places[n][1]), ids)
        self.assertEqual({places[n][0] for n in ids}, {0.0})

    def test_a_card_in_the_way_is_pushed_down_with_what_is_made_from_it(self):
        recipe, (noise, warp, terrace) = chain("fractal_noise", "warp", "terrace")
        before = layout.settle(recipe)
        recipe, new = graph.add(recipe, "smooth", layout.at_of(before[warp]))
        cells = layout.settle(recipe, None, (new,))
        self.assertEqual(cells[new], before[warp])
        self.assertEqual(cells[noise], before[noise])
        self.assertEqual((cells[warp].row, cells[terrace].row), (before[warp].row + 1, before[terrace].row + 1))

    def test_main_ports_face_up_and_down_and_others_their_lane(self):
        recipe, (_, terrace, band) = chain("fractal_noise", "terrace", "height_band")
        spots = layout.port_spots(recipe, terrace, 0)
        self.assertEqual((spots["height", False].edge, spots["height", True].edge), (layout.TOP, layout.BOTTOM))
        self.assertEqual(spots["mask", False].edge, layout.RIGHT)
        spots = layout.port_spots(recipe, band, 1)
        self.assertEqual((spots["height", False].edge, spots["mask", True].edge), (layout.LEFT, layout.BOTTOM))


class WaitingTest(unittest.TestCase):
    def test_what_is_not_linked_yet_waits_and_so_does_what_follows(self):
        recipe, terrace = graph.add(Recipe(Site()), "terrace")
        recipe, smooth = graph.add(recipe, "smooth")
        recipe = graph.link(recipe, terrace, "height", smooth, "height")
        self.assertEqual(waiting(recipe), {terrace: "link its Height", smooth: "waits for Terrace"})
        self.assertEqual(waiting(graph.switch(recipe, [terrace], True)), {}, "what is off waits for nothing")
        recipe, noise = graph.add(recipe, "fractal_noise")
        self.assertEqual(waiting(graph.link(recipe, noise, "height", terrace, "height")), {})

    def test_a_group_waits_for_what_its_entries_are_not_linked_to(self):
        recipe, (noise, terrace, smooth) = chain("fractal_noise", "terrace", "smooth")
        recipe, packed = group.pack(recipe, [terrace, smooth])
        self.assertEqual(waiting(recipe), {})
        entry = group.entries(recipe, packed)[0]
        loose = graph.unlink(recipe, entry, "through")
        self.assertEqual(waiting(loose)[packed], f"link its {loose.nodes[entry].name}")

    def test_where_by_height_without_a_ground_waits(self):
        restricted = next(k for k, s in registry().items() if s.restrictable and all(p.optional for p in s.inputs))
        recipe, node_id = graph.add(Recipe(Site()), restricted)
        recipe = graph.set_param(recipe, node_id, "where", "height")
        self.assertEqual(waiting(recipe), {node_id: "link its Ground"})

    def test_waiting_says_no_more_than_computing_does(self):
        """Whatever does not wait can be computed, and what waits cannot."""
        site, engine = Site("Waiting", 1000, 1000), Evaluator()
        for seed in range(12):
            recipe = replace(random_recipe(seed, 14), site=site)
            waits = waiting(recipe)
            for n, s in recipe.nodes.items():
                files = any(recipe.nodes[u].declared.reads_files for u in walk.upstream(recipe, n))  # there are none
                if s.spec is None or not s.spec.outputs or files:
                    continue
                try:
                    engine.run(Job(recipe), n, COARSEST)
                except NodeError as error:
                    self.assertIn(n, waits, error)
                else:
                    self.assertNotIn(n, waits)


class HandTest(SheetCase):
    def test_a_click_chooses_and_more_clicks_select(self):
        came = self.drag(self.middle(self.warp), self.middle(self.warp))
        self.assertEqual(came, H.Chosen(self.warp))
        self.sheet.choose(self.noise)
        self.drag(self.middle(self.warp), self.middle(self.warp), add=True)
        self.assertEqual(self.sheet.selection, {self.noise, self.warp})
        self.drag(self.middle(self.warp), self.middle(self.warp), add=True)
        self.assertEqual(self.sheet.selection, {self.noise})

    def test_a_drag_moves_what_is_selected_to_another_cell_of_its_lane(self):
        x, y = self.middle(self.warp)
        before = self.sheet.rects.cells
        self.drag((x, y), (x + COLUMN, y + 2 * ROW))
        after = self.sheet.rects.cells
        self.assertEqual(after[self.warp][:3], (0, before[self.warp].column + 1, before[self.warp].row + 2))
        self.assertEqual(after[self.terrace].row, after[self.warp].row + 1, "what is made from it stays below it")
        self.assertEqual(after[self.noise], before[self.noise])
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

    def test_a_link_to_another_kind_goes_by_way_of_a_node_that_converts(self):
        self.recipe, edge = graph.add(self.recipe, "mask_edge", (0.0, ROW))
        self.sheet.show(self.recipe)
        self.drag(self.sheet.port_place(self.noise, "height", True), self.middle(edge))
        middle = self.recipe.nodes[edge].inputs["first"][0]
        self.assertEqual(self.recipe.nodes[middle].kind, "height_as_mask")
        self.assertEqual(self.recipe.nodes[middle].inputs["height"], (self.noise, "height"))
        self.assertLess(self.sheet.rects.cells[middle].row, self.sheet.rects.cells[edge].row)

    def test_a_link_put_back_where_it_was_is_no_edit(self):
        end = self.sheet.port_place(self.terrace, "height", False)
        self.assertIsNone(self.drag(end, (end[0] + 1, end[1] + 1)))

    def test_a_card_dropped_on_a_link_is_put_into_it(self):
        route = self.sheet.routes[self.terrace, "height"]
        at = ((route[0][0] + route[1][0]) / 2, (route[0][1] + route[1][1]) / 2)
        self.assertEqual(self.drag(self.middle(self.alone), at).text, "Insert")
        self.assertEqual(self.recipe.nodes[self.terrace].inputs["height"][0], self.alone)
        self.assertEqual(self.recipe.nodes[self.alone].inputs["height"][0], self.warp)

    def test_a_band_selects_what_it_touches(self):
        a, b = self.middle(self.noise), self.middle(self.warp)
        self.drag((a[0] - 200, a[1] - 40), (b[0], b[1] + 5))
        self.assertEqual(self.sheet.selection, {self.noise, self.warp})
        self.assertEqual(self.drag((a[0] - 200, a[1] - 40), (a[0], a[1])), H.Chosen(self.noise))

    def test_the_middle_button_slides_the_sheet(self):
        self.gestures.slide()
        self.gestures.gesture.slide(30, -12)
        self.assertEqual((self.sheet.lens.x, self.sheet.lens.y), (-30, 12))
        self.assertIsNone(self.gestures.release(0, 0, True))

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
