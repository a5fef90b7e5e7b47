"""Adding nodes: what a search finds and offers, what a new node is linked to, and where it comes to stand."""

import unittest

from support import application, chain

from gelande.app.compose import adding
from gelande.app.compose.finding import matches, nearest
from gelande.app.compose.sheet import SheetModel
from gelande.core.recipe import graph
from gelande.core.recipe.node import registry

#: What a practitioner types, and a node that is meant by it.
WORDS = {
    "simplex": "fractal_noise",
    "radial": "cone",
    "bedding": "strata",
    "fault": "directed_shift",
    "swirl": "warp",
    "roughness": "surface_noise",
    "median": "edge_smooth",
    "invert": "levels",
    "threshold": "height_band",
    "bias": "curve",
    "normalise": "levels",
    "normalize": "levels",
    "equalise": "curve",
    "difference": "mix",
    "color": "colour_ramp",
    "seed": "cell_noise",
    "island": "dome",
    "canyon": "valley",
    "river": "stream_channels",
    "lake": "lakes",
    "crater": "ring_wall",
    "gully": "rain_erosion",
    "cliff": "terrace",
    "talus": "scree",
    "dilate": "widen",
    "erode": "rain_erosion",
    "blur": "smooth",
    "lighten": "mix",
    "worley": "cell_noise",
    "import": "elevation_file",
    "sediment down": "rain_erosion",
    "blur mask": "mask_edge",
    "screen": "mix",
    "angle of repose": "scree",
}


class FindingTest(unittest.TestCase):
    def test_each_word_of_the_trade_finds_what_is_meant(self):
        for words, kind in WORDS.items():
            self.assertIn(kind, [s.kind for s in matches(words)][:6], words)

    def test_both_spellings_find_the_same(self):
        for ours, theirs in (("colour", "color"), ("normalise", "normalize"), ("grey", "gray")):
            self.assertEqual([s.kind for s in matches(ours)], [s.kind for s in matches(theirs)])

    def test_small_typing_errors_are_forgiven(self):
        for words, kind in (("terace", "terrace"), ("erosoin", "rain_erosion"), ("simplx", "fractal_noise")):
            self.assertIn(kind, [s.kind for s in matches(words)][:3], words)

    def test_nonsense_finds_nothing_but_the_nearest_are_told(self):
        self.assertEqual(matches("xyzzyq"), [])
        self.assertIn("strata", [s.kind for s in nearest("strataq wide")])
        self.assertEqual(len(matches("")), len(registry()))


class AddingTest(unittest.TestCase):
    def setUp(self):
        self.recipe, (self.noise, self.terrace) = chain("fractal_noise", "terrace")
        self.sheet = SheetModel(self.recipe)

    def add(self, kind, held=None, below=""):
        recipe, node_id = adding.added(self.sheet, self.recipe, kind, held, (0.0, 0.0), below)
        self.recipe = recipe
        self.sheet.show(recipe)
        return node_id

    def test_a_node_added_below_another_is_linked_to_it_and_pushes_what_follows_down(self):
        before = self.sheet.rects.cells
        self.sheet.choose(self.noise)
        new = self.add("warp", adding.selected_port(self.sheet), self.noise)
        cells = self.sheet.rects.cells
        self.assertEqual(self.recipe.nodes[new].inputs["height"], (self.noise, "height"))
        self.assertEqual(cells[new], before[self.terrace])
        self.assertEqual(cells[self.terrace].row, before[self.terrace].row + 1)

    def test_what_takes_nothing_stands_below_without_a_link(self):
        self.sheet.choose(self.noise)
        new = self.add("cone", adding.selected_port(self.sheet), self.noise)
        self.assertEqual(self.recipe.nodes[new].inputs, {})
        self.assertEqual(self.sheet.rects.cells[new].row, self.sheet.rects.cells[self.noise].row + 1)

    def test_what_describes_the_rock_is_linked_to_the_node_that_reads_it_and_stands_above_it(self):
        rain = self.add("rain_erosion", (self.terrace, "height", True))
        self.assertEqual(self.recipe.nodes[rain].inputs, {"height": (self.terrace, "height")})
        self.sheet.choose(rain)
        beds = self.add("rock_beds", adding.selected_port(self.sheet), rain)
        self.assertEqual(self.recipe.nodes[rain].inputs["beds_from"], (beds, "height"))
        self.assertEqual(self.recipe.nodes[rain].params["beds"], "in_beds")
        cells = self.sheet.rects.cells
        self.assertLess(cells[beds].row, cells[rain].row)
        scree = self.add("scree", (beds, "height", True))
        self.assertEqual(self.recipe.nodes[scree].inputs, {"beds_from": (beds, "height")}, "beds are no land")
        ranks = [adding.fit(self.sheet, registry()[k], (rain, "beds_from", False)) for k in ("rock_beds", "cone")]
        self.assertEqual(ranks, [adding.MAIN, adding.NOT])

    def test_a_mask_is_made_from_a_height_beside_it(self):
        self.sheet.choose(self.terrace)
        new = self.add("slope_band", adding.selected_port(self.sheet), self.terrace)
        cells = self.sheet.rects.cells
        self.assertEqual(self.recipe.nodes[new].inputs["height"], (self.terrace, "height"))
        self.assertEqual((cells[new].lane, cells[new].row), (1, cells[self.terrace].row))

    def test_main_inputs_count_before_side_inputs(self):
        held = (self.noise, "height", True)
        ranks = {kind: adding.fit(self.sheet, spec, held) for kind, spec in registry().items()}
        self.assertEqual(ranks["terrace"], adding.MAIN)
        self.assertEqual(ranks["widen"], adding.MAIN)
        self.assertEqual(ranks["mask_edge"], adding.ALSO, "takes a height only to say where it works")
        self.assertEqual(ranks["cone"], adding.NOT)

    def test_a_node_that_feeds_an_input_stands_above(self):
        loose = graph.unlink(self.recipe, self.terrace, "height")
        self.recipe = loose
        self.sheet.show(loose)
        new = self.add("cone", (self.terrace, "height", False))
        self.assertEqual(self.recipe.nodes[self.terrace].inputs["height"], (new, "height"))
        self.assertLess(self.sheet.rects.cells[new].row, self.sheet.rects.cells[self.terrace].row)


class SearchTest(unittest.TestCase):
    def setUp(self):
        application()

    def search(self, rank=None):
        from gelande.app.compose.search import Search

        found = Search(None, "Add a node", rank or (lambda spec: adding.MAIN))
        self.addCleanup(found.deleteLater)
        return found

    def told(self, search):
        return [search.list.item(k).text() for k in range(search.list.count())]

    def test_nothing_fits_offers_the_nearest(self):
        search = self.search()
        search.fill("terrasse with steps of limestone")
        self.assertEqual(self.told(search)[0], "Nothing fits. The nearest are")
        self.assertIn("terrace", search.offers())

    def test_the_marked_node_is_shown_with_its_picture_and_ports(self):
        search = self.search()
        search.fill("terrace")
        self.assertFalse(search.picture.pixmap().isNull())
        self.assertIn("Takes height", search.ports.text())
        self.assertEqual(search.about.text(), registry()["terrace"].summary)

    def test_what_was_used_last_comes_first(self):
        from gelande.app.compose.search import remember_used

        for kind in ("cone", "warp"):
            remember_used(kind)
        search = self.search()
        self.assertEqual(self.told(search)[0], "Used last")
        self.assertEqual(search.offers()[:2], ["warp", "cone"])
        taken = []
        search.chosen.connect(taken.append)
        search.take()
        self.assertEqual(taken, ["warp"])

    def test_side_inputs_come_last_under_also(self):
        recipe, (noise, _) = chain("fractal_noise", "terrace")
        sheet = SheetModel(recipe)
        search = self.search(lambda spec: adding.fit(sheet, spec, (noise, "height", True)))
        search.fill("dilate")
        self.assertEqual(search.offers()[0], "widen")
        lines = self.told(search)
        self.assertGreater(lines.index("Also, as a side input"), lines.index(registry()["widen"].name))
        self.assertIn("mask_edge", search.offers())


if __name__ == "__main__":
    unittest.main()
