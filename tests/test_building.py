"""Recipes built and changed by programs: as by hand, with the window's own edits, sentences and files."""

import ast
import tempfile
import threading
import unittest
from pathlib import Path

import numpy as np
import rasterio
from support import ROOT
from test_window import WindowCase

import gelande
from gelande.api import Land
from gelande.core.evaluate.job import Stop
from gelande.core.recipe import graph
from gelande.core.recipe.node import registry
from gelande.core.recipe.recipefile import load

#: Edits of the window that have no call, and why.
BY_HAND = {
    ("graph", "move"): "cards are laid out by their links; where one lies is nothing that a program sees",
    ("graph", "link"): "links are made through convert.linked_through, which goes through it",
    ("variant", "use"): "a variant of a program is a land of its own",
}
#: Where programs' calls are.
CALLS = ("api", "building", "keeping", "measuring", "delivering")


def upper_valley():
    land = gelande.new("Upper valley", width="6 km")
    hills = land.add("fractal_noise", height=420, size="1.8 km")
    rain = land.add("rain_erosion", hills, strength=0.4, gully_spacing="80 m")
    steep = land.add("slope_band", rain, low=35, high=90)
    stones = land.add("boulders", rain, where=steep)
    land.publish(rain, "strength", label="Erosion", low=0.1, high=0.8)
    return land, hills, rain, steep, stones


def edits() -> set[tuple[str, str]]:
    """(module, function) of what the core has to change a recipe."""
    found = set()
    for path in (ROOT / "src" / "gelande" / "core").rglob("*.py"):
        for f in ast.parse(path.read_text()).body:
            if isinstance(f, ast.FunctionDef) and f.name[0] != "_" and f.returns and "Recipe" in ast.unparse(f.returns):
                found.add((path.stem, f.name))
    return found


def called(paths, known) -> set[tuple[str, str]]:
    """Which of these functions some files use, as module.function or by name."""
    found = set()
    for path in paths:
        tree, names = ast.parse(path.read_text()), {}
        for n in ast.walk(tree):
            for a in n.names if isinstance(n, ast.ImportFrom) else ():
                names[a.asname or a.name] = ((n.module or "").split(".")[-1], a.name)
        for n in ast.walk(tree):
            if isinstance(n, ast.Attribute) and isinstance(n.value, ast.Name):
                found.add((names.get(n.value.id, ("", n.value.id))[1], n.attr))
            elif isinstance(n, ast.Name) and n.id in names:
                found.add(names[n.id])
    return found & known


class BuildingTest(unittest.TestCase):
    def test_a_recipe_is_built_saved_and_is_the_one_that_it_would_be_by_hand(self):
        land, hills, rain, steep, stones = upper_valley()
        self.assertEqual((hills.feature_size, hills.relief, rain.gully_spacing), (1800.0, 420.0, 80.0))
        recipe, noise = graph.add(gelande.new("Upper valley", 6000).recipe, "fractal_noise")
        recipe = graph.set_param(graph.set_param(recipe, noise, "relief", 420.0), noise, "feature_size", 1800.0)
        np.testing.assert_array_equal(land.height(129, node=hills), Land(recipe).height(129))
        self.assertEqual(stones.where, "mask")
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder, "upper.gelande")
            land.save(path)
            again = gelande.open(path)
            np.testing.assert_array_equal(again.height(129), land.height(129))
            again.set("Erosion", 0.7)
            self.assertEqual(again.node("Rain erosion").strength, 0.7)
            with self.assertRaisesRegex(gelande.GelandeError, "Erosion|range|80 %"):
                again.set("Erosion", 0.95)

    def test_every_edit_of_the_window_has_its_call(self):
        known, home = edits(), ROOT / "src" / "gelande"
        by_hand = called((home / "app").rglob("*.py"), known)
        self.assertGreater(len(by_hand), 30, "the list is found")
        by_program = called([home / f"{name}.py" for name in CALLS], known)
        self.assertEqual(by_hand - by_program, set(BY_HAND))

    def test_a_recipe_of_all_kinds_of_things(self):
        land = gelande.new("All kinds", 3000)
        grounds = {}
        for kind, spec in sorted(registry().items()):
            if spec.category in ("Landforms", "Shape", "Weather", "Masks", "Colour") and not spec.earthworks:
                grounds[kind] = spec
        noise, ridge = land.add("fractal_noise", name="Hills"), land.add("ridge_noise")
        mask, colour = land.add("slope_band", noise), land.add("plain_colour")
        made = []
        for kind, spec in grounds.items():
            node = land.add(kind)
            for port in spec.inputs:
                source = {"mask": mask, "colour": colour}.get(port.kind, noise)
                if not port.reads:
                    node.link(source, port.id)
            made.append(node)
        self.assertGreater(len(made), 60)
        drawn = land.add("road", noise, line=np.array([[100.0, 100.0], [1500.0, 900.0], [2900.0, 2500.0]]))
        self.assertEqual(drawn.line, ((100.0, 100.0), (1500.0, 900.0), (2900.0, 2500.0)))
        mixed = land.add("mix", noise, ridge)
        land.cairn(mixed, "Mixed land")
        box = land.pack([land.add("terrace", mixed), land.add("smooth", mixed)], "Steps")
        land.frame(made[:3], "A frame")
        land.note("Why it is so")
        land.publish(mixed, "share" if "share" in mixed.settings else "unit", "How much")
        label = land.publish(noise, "relief", "Relief", low=50, high=900)
        self.assertEqual(land.publish(ridge, "relief", "relief"), label, "one control drives both")
        land.set("Relief", 300)
        self.assertEqual((noise.relief, ridge.relief), (300, 300))
        land.name_preset("Low")
        land.keep_camera("East", 2000, 1000, 400, 90, -10)
        land.order("Land", noise, format="height_png16")
        land.order("Steep", mask)
        land.choose_figures("walkable", "relief", limits={"relief": (20, None)})
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder, "all.gelande")
            land.save(path)
            again = load(path)
        self.assertEqual(set(again.nodes), set(land.recipe.nodes))
        for node_id, state in again.nodes.items():
            self.assertEqual(state.params, land.recipe.nodes[node_id].params, node_id)
            self.assertEqual(state.inputs, land.recipe.nodes[node_id].inputs, node_id)
        self.assertEqual((again.controls, again.deliverables), (land.recipe.controls, land.recipe.deliverables))
        self.assertEqual((again.cameras, again.presets), (land.recipe.cameras, land.recipe.presets))
        box.unpack()
        self.assertNotIn(box.id, land.recipe.nodes)

    def test_nodes_are_changed_taken_out_and_put_in(self):
        land, hills, rain, steep, stones = upper_valley()
        smooth = land.add("smooth")
        smooth.insert(rain, "height")
        self.assertEqual((smooth.inputs["height"].node, rain.inputs["height"].node), (hills, smooth))
        smooth.remove()
        self.assertEqual(rain.inputs["height"].node, hills)
        rain.off = True
        self.assertTrue(land.recipe.nodes[rain.id].off)
        rain.name = "First rain"
        self.assertEqual(land.node("first rain"), rain)
        hills.replace("ridge_noise")
        self.assertEqual((hills.kind, hills.relief), ("ridge_noise", 420.0))
        before = hills.seed
        self.assertNotEqual(hills.next_seed().seed, before)
        values = dict(hills.shuffle(3).settings)
        self.assertEqual(hills.shuffle(3).settings, values, "the same draw gives the same")
        copies = land.copy([rain, steep])
        self.assertEqual([n.kind for n in copies], ["rain_erosion", "slope_band"])
        self.assertEqual(copies[1].inputs["height"].node, copies[0])
        land.unpublish("Erosion")
        self.assertEqual(land.controls, [])

    def test_what_is_wrong_is_told_with_the_nearest_name_and_nothing_is_added(self):
        land, hills, rain, _, _ = upper_valley()
        count = len(land.recipe.nodes)
        for wrong, sentence in (
            (lambda: rain.set(gully_spacng=3), r"no setting called gully_spacng \(did you mean gully_spacing\?\)"),
            (lambda: land.add("rain_erosoin"), r"no node called 'rain_erosoin' \(did you mean rain_erosion\?\)"),
            (lambda: rain["flwo"], r"no output called flwo \(did you mean flow\?\); it has height, cut, fill, flow"),
            (lambda: land.add("scree", hills, repos=3), r"Scree has no setting called repos \(did you mean repose\?\)"),
            (lambda: rain.set(strength=9), "Strength is 900 %, outside 0 % to 100 %"),
            (lambda: rain.set(gully_spacing="many"), "Gully spacing is 'many'; it must be a number in m"),
            (lambda: land.node("Rain erosoin"), r"did you mean Rain erosion\?"),
            (lambda: hills.link(rain), "Fractal noise has no input that takes height"),
            (lambda: land.add("rain_erosion", np.full((4, 4), np.nan)), "no numbers"),
            (lambda: land.publish(rain, "strenght"), r"did you mean strength\?"),
            (lambda: land.order("x", rain, format="height_pgn16"), "height_pgn16"),
            (lambda: land.forget_camera("x"), "no camera called x"),
            (lambda: land.bake(rain), "Save the recipe first"),
            (lambda: gelande.new("x", "6 apples"), "6 apples"),
        ):
            with self.assertRaisesRegex(gelande.GelandeError, sentence):
                wrong()
        with self.assertRaisesRegex(AttributeError, "did you mean strength"):
            _ = rain.strenght
        self.assertEqual(len(land.recipe.nodes), count)

    def test_heights_come_in_as_an_array_and_lie_beside_the_recipe(self):
        y, x = np.mgrid[:129, :129]
        heights = (200 + 90 * np.sin(x / 20.0) * np.cos(y / 31.0)).astype(np.float32)
        with tempfile.TemporaryDirectory() as folder:
            land = gelande.new("Survey", 4096)
            survey = land.add("elevation_file", heights)
            np.testing.assert_allclose(land.height(129), heights, atol=1e-3)
            land.save(Path(folder, "survey.gelande"))
            self.assertEqual(survey.file, "elevation_file_1.tif")
            np.testing.assert_allclose(land.height(129), heights, atol=1e-3)
            again = gelande.open(Path(folder, "survey.gelande"))
            np.testing.assert_allclose(again.height(129), heights, atol=1e-3)
            again.bake(again.node("elevation_file_1"), 129)
            self.assertTrue(list(Path(folder).glob("survey.bakes/*.npz")))
            again.release(again.node("elevation_file_1"))

    def test_results_go_out_with_their_place(self):
        land, _, rain, _, _ = upper_valley()
        whole = land.raster("height", 129)
        self.assertEqual((whole.extent, whole.spacing, whole.unit), ((0.0, 0.0, 6000.0, 6000.0), 46.875, "m"))
        part = land.raster(rain, 129, gelande.Region(1000, 2000, 1500, 2600))
        row, column = round((6000 - part.extent[3]) / 46.875), round(part.extent[0] / 46.875)
        cut = land.height(129, node=rain)
        np.testing.assert_array_equal(
            part.values, cut[row : row + part.values.shape[0], column : column + part.values.shape[1]]
        )
        samples = gelande.Region.samples(-3, 120, 20, 30)
        self.assertEqual(land.raster(rain, 129, samples).values.shape, (17, 9))
        pad = land.raster(rain["flow"], 129, samples, outside="pad")
        self.assertEqual((pad.values.shape, pad.unit), ((20, 30), "share"))
        self.assertTrue(np.isnan(pad.values[:3]).all() and np.isfinite(pad.values[3:, :9]).all())
        with self.assertRaisesRegex(gelande.GelandeError, "partly outside"):
            land.raster(rain, 129, samples, outside="error")
        with self.assertRaisesRegex(gelande.GelandeError, "holds no sample"):
            land.raster(rain, 129, gelande.Region.samples(500, 0, 4, 4))
        with tempfile.TemporaryDirectory() as folder:
            path = part.to_rasterio(Path(folder, "part.tif"))
            with rasterio.open(path) as file:
                np.testing.assert_array_equal(file.read(1), part.values)
                east, north = file.xy(0, 0)
            self.assertAlmostEqual(east, part.east[0], places=6)
            self.assertAlmostEqual(north, part.north[0], places=6)
            with self.assertRaisesRegex(gelande.GelandeError, "could not be written"):
                part.to_rasterio(Path(folder, "nowhere", "part.tif"))

    def test_a_stop_is_an_error_with_a_sentence_and_then_it_begins_anew(self):
        land, _, rain, _, _ = upper_valley()
        begun, told = threading.Event(), []
        land.progress = lambda share, what, left: begun.set()

        def ask():
            try:
                land.height(1025, node=rain)
            except gelande.GelandeError as error:
                told.append(error)

        thread = threading.Thread(target=ask)
        thread.start()
        self.assertTrue(begun.wait(120))
        land.cancel()
        thread.join(120)
        self.assertFalse(thread.is_alive())
        if told:  # else it was done before
            self.assertIsInstance(told[0], gelande.Stopped)
            self.assertIn("stopped", str(told[0]))
        self.assertEqual(land.height(129, node=rain).shape, (129, 129))
        land.stop = Stop()
        land.stop.set()
        with self.assertRaises(gelande.Stopped):
            land.height(257, node=rain)
        (_, other), *_ = land.variants("seed", (1, 2))
        self.assertEqual(other.height(129).shape, (129, 129), "a variant has a stop of its own")

    def test_it_shows_what_it_has(self):
        self.assertLessEqual({"Land", "new", "open", "Raster", "node_kind"}, set(dir(gelande)))
        _, hills, *_ = upper_valley()
        self.assertLessEqual({"feature_size", "relief", "link", "set"}, set(dir(hills)))
        self.assertIn("gully_spacing", [p.id for p in gelande.node_kind("Rain erosion").params])
        self.assertTrue((ROOT / "src" / "gelande" / "py.typed").exists())


class InTheWindowTest(WindowCase):
    def test_what_code_built_is_edited_in_the_window_and_by_code_again(self):
        land, _, rain, _, _ = upper_valley()
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder, "upper.gelande")
            land.save(path)
            self.assertTrue(self.window.filing.open_path(path))
            self.wait.still(self.window)
            self.assertEqual(set(self.doc.recipe.nodes), set(land.recipe.nodes))
            self.doc.edit("Strength", lambda r: graph.set_param(r, rain.id, "strength", 0.6))
            self.assertTrue(self.doc.save())
            again = gelande.open(path)
            self.assertEqual(again.node(rain.id).strength, 0.6)
            again.add("scree", again.node("Boulders"))
            again.save(path)
            self.assertEqual(len(load(path).nodes), 5)
