"""The landscapes of the first page: published in plain words, explained, and every control changes what is seen."""

import unittest

import numpy as np
from support import DEMO

from gelande.app.welcome import LANDSCAPES
from gelande.core.evaluate.executor import Cache, Evaluator, Job
from gelande.core.evaluate.query import last_of
from gelande.core.recipe import control
from gelande.core.recipe.recipefile import load

#: Made before landscapes had presets and cameras; they have few controls yet.
OLDER = {"skerrin-sound", "oru", "varrowdale", "varrowdale-winter"}
LEVEL = 1


class LandscapesTest(unittest.TestCase):
    def test_every_landscape_is_there_published_and_explained(self):
        for name in LANDSCAPES:
            recipe = load(DEMO.parent / f"{name}.gelande")
            self.assertTrue((DEMO.parent / f"{name}.png").exists(), name)
            self.assertIn("colour", last_of(recipe), f"{name} is dressed")
            if name in OLDER:
                continue
            with self.subTest(name):
                self.assertTrue(8 <= len(recipe.controls) <= 14, len(recipe.controls))
                self.assertGreaterEqual(len(recipe.presets), 2)
                self.assertGreaterEqual(len(recipe.cameras), 3)
                self.assertGreaterEqual(len(recipe.deliverables), 4)
                self.assertTrue(any(f.low is not None for f in recipe.figures), "a figure with a limit")
                self.assertGreaterEqual(sum(s.kind == "note" for s in recipe.nodes.values()), 2)
                self.assertTrue(all(c.help for c in recipe.controls))

    def test_each_control_changes_what_is_seen(self):
        for name in (n for n in LANDSCAPES if n not in OLDER):
            recipe, engine = load(DEMO.parent / f"{name}.gelande"), Evaluator(Cache(1_000_000_000))
            last = last_of(recipe)

            def seen(recipe, engine=engine, last=last):
                job = Job(recipe, DEMO.parent)
                return [engine.result(job, node, LEVEL)[port].copy() for node, port in last.values()]

            for one in recipe.controls:
                value = control.value_of(recipe, one)
                if not isinstance(value, (int, float)):
                    continue
                with self.subTest(name, control=one.label):
                    low, high = (seen(control.set_control(recipe, one, v)) for v in (one.low, one.high))
                    changed = max(
                        float(np.mean(np.abs(a - b) > 1e-3 * max(np.ptp(a), 1e-6))) for a, b in zip(low, high)
                    )
                    self.assertGreater(changed, 0.002)
