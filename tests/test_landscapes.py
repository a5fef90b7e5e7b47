"""The landscapes of the first page: published in plain words, explained, and every control changes what is seen."""

import os
import unittest

import numpy as np
from scipy.ndimage import map_coordinates
from support import DEMO

from gelande.app.welcome import LANDSCAPES
from gelande.core.evaluate.executor import Cache, Evaluator, Job
from gelande.core.evaluate.query import ground_under, last_of
from gelande.core.recipe import control
from gelande.core.recipe.recipefile import load

#: The demo has no cameras and one note; its controls have tests of their own.
OLDER = {"varrowdale"}
LEVELS = (0, 1, 3)


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

    def test_kept_cameras_stand_on_the_ground_and_over_the_water(self):
        for name in (n for n in LANDSCAPES if n not in OLDER):
            recipe, engine = load(DEMO.parent / f"{name}.gelande"), Evaluator(Cache(1_000_000_000))
            ground, water = ground_under(engine, Job(recipe, DEMO.parent), *last_of(recipe)["colour"], 3)
            seen = ground if water is None else ground + np.maximum(water, 0)
            for camera in recipe.cameras:
                at = (1 - camera.north / recipe.site.depth) * (seen.shape[0] - 1), camera.east / recipe.site.spacing(3)
                if min(at) >= 0 and at[0] <= seen.shape[0] - 1 and at[1] <= seen.shape[1] - 1:
                    under = map_coordinates(seen, np.array(at)[:, None], order=1)[0]
                    self.assertGreater(camera.height, under + 0.3, f"{name}: {camera.name}")

    def test_each_control_changes_what_is_seen(self):
        """Every third control, other ones in each landscape; all of them with GELANDE_ALL_CONTROLS=1."""
        every = 1 if os.environ.get("GELANDE_ALL_CONTROLS") else 3
        for turn, name in enumerate(n for n in LANDSCAPES if n not in OLDER):
            recipe, engine = load(DEMO.parent / f"{name}.gelande"), Evaluator(Cache(1_000_000_000))
            last = last_of(recipe)

            def seen(recipe, level, engine=engine, last=last):
                job = Job(recipe, DEMO.parent)
                return [engine.result(job, node, level)[port].copy() for node, port in last.values()]

            for one in recipe.controls[turn % every :: every]:
                value = control.value_of(recipe, one)
                if not isinstance(value, (int, float)):
                    continue
                with self.subTest(name, control=one.label):
                    ends = [control.set_control(recipe, one, v) for v in (one.low, one.high)]
                    # what is too small for a coarse grid is looked for on a finer one
                    self.assertTrue(any(self.differ(*(seen(r, k) for r in ends)) for k in LEVELS))

    def differ(self, low, high):
        """Whether a two-hundredth of the ground is another one."""
        moved = (np.abs(a - b) > 1e-3 * max(float(np.ptp(a)), 1e-6) for a, b in zip(low, high))
        return max(float(m.mean()) for m in moved) > 0.005
