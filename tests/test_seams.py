"""What a node may be beyond those there are: ports that follow its settings, several drawn settings."""

import unittest

import numpy as np
from support import chain, result
from test_window import WindowCase

from gelande.core.errors import RecipeError
from gelande.core.recipe import graph
from gelande.core.recipe import node as N
from gelande.core.recipe import param as P
from gelande.core.recipe.deliverables import Deliverable
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.recipefile import dumps, loads
from gelande.core.recipe.site import Site


def layer_ports(params, face):
    """A mask input and a weight output for each layer."""
    count = params["layers"]
    ins = tuple(N.mask_in(f"mask_{k}", f"Mask {k + 1}", True) for k in range(count))
    return (N.height_in(), *ins), tuple(N.mask_out(f"weight_{k}", f"Weight {k + 1}") for k in range(count))


def declared(case, kind: str, **more):
    """Declares a node for one test."""
    N.node(kind, kind.title(), "Masks", "A node for a test.", **more)(case.compute)
    case.addCleanup(N._REGISTRY.pop, kind)


class PortsTest(unittest.TestCase):
    @staticmethod
    def compute(ctx):
        masks = [ctx.input(p.id) for p in ctx.spec.inputs if p.kind == "mask"]
        full = [np.ones(ctx.shape, np.float32) if m is None else m for m in masks]
        return {f"weight_{k}": m / len(full) for k, m in enumerate(full)}

    def setUp(self):
        params = (P.count("layers", "Layers", 2, "How many.", (1, 8)),)
        declared(self, "layered", params=params, ports=layer_ports)
        recipe, (noise, band) = chain("fractal_noise", "slope_band")
        recipe, node = graph.add(recipe, "layered")
        recipe = graph.link(recipe, noise, "height", node, "height")
        self.recipe, self.band, self.node = recipe, band, node

    def test_ports_follow_the_setting_and_are_computed(self):
        more = graph.set_param(self.recipe, self.node, "layers", 3)
        more = graph.link(more, self.band, "mask", self.node, "mask_2")
        made = result(more, self.node, 1)
        self.assertEqual([k for k in made if not k.startswith("_")], ["weight_0", "weight_1", "weight_2"])
        np.testing.assert_allclose(made["weight_2"], result(more, self.band, 1)["mask"] / 3, atol=1e-6)
        with self.assertRaisesRegex(RecipeError, "does not exist"):
            graph.link(self.recipe, self.band, "mask", self.node, "mask_2")

    def test_a_port_that_goes_takes_its_links_and_deliverables_along(self):
        recipe = graph.set_param(self.recipe, self.node, "layers", 3)
        recipe = graph.link(recipe, self.band, "mask", self.node, "mask_2")
        recipe, edge = graph.add(recipe, "mask_edge")
        recipe = graph.link(recipe, self.node, "weight_2", edge, "first")
        order = Deliverable("Third", self.node, "weight_2", "mask_png8")
        recipe = Recipe(recipe.site, recipe.seed, recipe.nodes, (), (order,))
        less = graph.set_param(recipe, self.node, "layers", 2)
        self.assertNotIn("mask_2", less.nodes[self.node].inputs)
        self.assertEqual(less.nodes[edge].inputs, {})
        self.assertEqual(less.deliverables, ())
        self.assertEqual(graph.broken_links(less), [])

    def test_they_are_read_back_from_a_file(self):
        recipe = graph.link(self.recipe, self.band, "mask", self.node, "mask_1")
        again = loads(dumps(recipe))
        self.assertEqual(again.nodes[self.node].inputs, recipe.nodes[self.node].inputs)
        self.assertEqual(len(again.nodes[self.node].spec.outputs), 2)


class TwoLinesTest(WindowCase):
    @staticmethod
    def compute(ctx):
        return {"height": np.zeros(ctx.shape, np.float32)}

    def test_each_of_two_lines_is_drawn_and_shown(self):
        lines = (P.line("first", "First", "One line."), P.line("second", "Second", "Another."))
        declared(self, "lined", params=lines, outputs=(N.height_out(),))
        recipe, node = graph.add(Recipe(Site("Lines")), "lined")
        self.doc.start(recipe, None)
        self.canvas.choose(node)
        self.wait.still(self.window)
        marks = self.view.marks
        self.assertEqual(marks.param.id, "first")
        self.bench.rows["second"].box.click()
        self.assertEqual((marks.param.id, marks.drawing), ("second", True))
        marks.value = ((100.0, 100.0), (900.0, 500.0))
        marks.finish()
        self.assertEqual(self.doc.recipe.nodes[node].params["second"], ((100.0, 100.0), (900.0, 500.0)))
        self.assertEqual(self.doc.recipe.nodes[node].params["first"], ())
        self.bench.rows["first"].box.click()
        self.assertEqual(marks.param.id, "first")


if __name__ == "__main__":
    unittest.main()
