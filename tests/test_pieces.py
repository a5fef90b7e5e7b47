"""Regions that are put together from pieces: the same bytes as the whole, and nothing is computed twice."""

import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from support import chain

from gelande.core.evaluate.executor import Evaluator
from gelande.core.evaluate.job import Job
from gelande.core.evaluate.pieces import PIECE, region, runs
from gelande.core.recipe.site import Site
from gelande.kernels.grid_window import GridWindow

LEVEL = 4


class RunsTest(unittest.TestCase):
    @given(st.integers(2, 420), st.integers(2, 420), st.data())
    @settings(max_examples=60, deadline=None)
    def test_frames_cover_the_pieces_once_and_nothing_else(self, rows, columns, data):
        whole = GridWindow.of((rows, columns))
        pieces = [p for p in whole.tiles(PIECE, PIECE) if data.draw(st.booleans())]
        covered, found = np.zeros((rows, columns), int), runs(pieces)
        wanted = covered.copy()
        for count, windows in ((covered, found), (wanted, pieces)):
            for f in windows:
                count[f.top : f.top + f.height, f.left : f.left + f.width] += 1
        np.testing.assert_array_equal(covered, wanted)
        self.assertLessEqual(len(found), len(pieces))
        for f in found:
            self.assertTrue(set(f.tiles(PIECE, PIECE)) <= set(pieces))

    def test_a_corner_is_two_frames(self):
        whole = GridWindow.of((321, 321)).tiles(PIECE, PIECE)
        corner = [p for p in whole if p.top == 0 or p.left == 256]
        self.assertEqual([f.shape for f in runs(corner)], [(64, 321), (257, 65)])


class RegionTest(unittest.TestCase):
    def setUp(self):
        self.recipe, (_, _, self.node) = chain(
            "fractal_noise", "rain_erosion", "scree", site=Site("Tall", 1000, 2000, base=32)
        )
        self.engine = Evaluator()
        self.job = replace(Job(self.recipe), whole=1)

    def ask(self, *ends):
        window = GridWindow.between(*ends, self.recipe.site.shape(LEVEL))
        return window, region(self.engine, self.job, self.node, "height", LEVEL, window)

    def test_regions_are_the_bytes_of_the_whole_and_are_found_again(self):
        whole = Evaluator().result(Job(self.recipe), self.node, LEVEL)["height"]
        for ends in ((100, 230, 20, 150), (150, 280, 60, 190), (0, 513, 250, 257), (512, 513, 0, 1)):
            window, data = self.ask(*ends)
            np.testing.assert_array_equal(data, window.cut(whole, GridWindow.of(whole.shape)))
        count = self.engine.computed
        window, data = self.ask(140, 250, 30, 170)  # all of it lies in what was asked before
        np.testing.assert_array_equal(data, window.cut(whole, GridWindow.of(whole.shape)))
        self.assertEqual(self.engine.computed, count)

    def test_another_seed_is_other_ground(self):
        _, before = self.ask(100, 200, 100, 200)
        self.job = replace(self.job, recipe=replace(self.recipe, seed=self.recipe.seed + 1))
        _, after = self.ask(100, 200, 100, 200)
        self.assertFalse(np.array_equal(before, after))


if __name__ == "__main__":
    unittest.main()
