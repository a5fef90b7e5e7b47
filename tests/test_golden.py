"""Figures of every kind's defaults stay what they are as long as its version does; the guide for a new node holds."""

import importlib.util
import json
import re
import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np
import test_plan  # its list of kinds is made before the guide's node is there
from support import ROOT, kinds, of_kinds, slow

from gelande.core.evaluate.executor import Evaluator, Job
from gelande.core.recipe import node as N
from gelande.kernels.grid_window import GridWindow
from gelande.samples import sample_recipe

sys.path.insert(0, str(ROOT / "tools"))
import make_golden  # noqa: E402

HOW = "run tools/make_golden.py and raise the node's version where its result was meant to change"


class GoldenTest(unittest.TestCase):
    def setUp(self):
        self.golden = json.loads(make_golden.GOLDEN.read_text())

    def test_every_kind_has_figures(self):
        missing, gone = set(make_golden.kinds()) - set(self.golden), set(self.golden) - set(make_golden.kinds())
        self.assertFalse(missing, f"of these there are none: {HOW}")
        self.assertFalse(gone, f"of these there are some, but no node: {HOW}")

    @of_kinds
    @slow
    def test_no_default_changes_without_a_new_version(self):
        for kind in sorted(set(make_golden.kinds()) & set(kinds())):
            known, now = self.golden[kind], make_golden.figures(kind)
            with self.subTest(kind=kind):
                self.assertEqual(known["version"], now["version"], f"{kind} has a new version: {HOW}")
                self.assertEqual(set(known), set(now), HOW)
                for port in set(now) - {"version"}:
                    span = max(known[port][3] - known[port][2], 1e-6)
                    np.testing.assert_allclose(now[port], known[port], rtol=1e-5, atol=1e-5 * span, err_msg=HOW)


class GuideTest(unittest.TestCase):
    """CONTRIBUTING.md, followed to the letter."""

    def setUp(self):
        text = (ROOT / "CONTRIBUTING.md").read_text()
        place, code = re.search(r"`src/gelande/(nodes/\w+/\w+)\.py`\n\n```python\n(.*?)```", text, re.S).groups()
        self.kind = place.rpartition("/")[2]
        if self.kind in N.registry():  # somebody follows the guide
            self.spec = N.registry()[self.kind]
            return
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        file = Path(folder.name) / f"{self.kind}.py"
        file.write_text(code)
        name = "gelande." + place.replace("/", ".")
        module_spec = importlib.util.spec_from_file_location(name, file)
        module_spec.loader.exec_module(importlib.util.module_from_spec(module_spec))
        self.addCleanup(N._REGISTRY.pop, self.kind)
        self.spec = N.registry()[self.kind]

    @of_kinds
    def test_its_node_is_found_by_all_that_follows_from_it(self):
        import make_docs

        from gelande.app.help import page
        from gelande.app.theme import load_fonts  # noqa: F401  the help page is made without a window

        self.assertIn(self.spec.summary, page(self.kind))
        self.assertIn(self.spec.name, make_docs.node_page())
        self.assertEqual(len(make_golden.figures(self.kind)), 1 + 2 * len(self.spec.outputs))
        for _, values in self.spec.starting_points:
            for key, value in values.items():
                self.spec.param(key).check(value)

    @of_kinds
    def test_its_node_is_right_in_pieces_and_asks_for_what_it_says(self):
        recipe, node = sample_recipe(self.kind)
        whole = Evaluator().result(Job(recipe), node, 4)
        window = GridWindow(300, 0, 200, 333, *recipe.site.shape(4))
        part = Evaluator().result(Job(recipe, whole=1), node, 4, window)
        for port in self.spec.outputs:
            at = slice(300, 500), slice(0, 333)
            self.assertEqual(part[port.id].tobytes(), np.ascontiguousarray(whole[port.id][at]).tobytes())
        plan = test_plan.PlanTest("asks_for_what_is_planned")
        known, test_plan.KINDS = test_plan.KINDS, [self.kind]
        self.addCleanup(setattr, test_plan, "KINDS", known)
        plan.asks_for_what_is_planned(True, ((2, 1), (4, 1)))

    def test_its_commands_are_there(self):
        text = (ROOT / "CONTRIBUTING.md").read_text()
        for name in re.findall(r"`(?:PYTHONPATH=src )?(?:\.venv/bin/python )?((?:tools|docs)/[\w./]+)", text):
            self.assertTrue((ROOT / name).exists(), name)
        self.assertIn(f"`./run-tests --kind {self.kind}`", text)


if __name__ == "__main__":
    unittest.main()
