"""Strips one after the other: the same bytes as the whole, and no row computed twice."""

import random
import unittest
from collections import defaultdict
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from support import chain, linked, of_kinds
from test_plan import KINDS, cases

from gelande.core.errors import NodeError, Stopped
from gelande.core.evaluate.executor import Cache, Evaluator, Job
from gelande.core.evaluate.plan import missing_below
from gelande.core.evaluate.strips import Rolling
from gelande.core.recipe import graph
from gelande.core.recipe.node import registry
from gelande.core.recipe.recipefile import load
from gelande.core.recipe.site import Site
from gelande.kernels.grid_window import GridWindow


def cut(grid: tuple[int, int], heights, left=0, width=None) -> list[GridWindow]:
    """Frames of these heights below each other, until the grid is full."""
    windows, top = [], 0
    for height in (*heights, grid[0]):
        if top < grid[0]:
            windows.append(GridWindow.between(top, top + height, left, left + (width or grid[1]), grid))
            top += height
    return windows


def swept(recipe, nodes, level, windows, folder=Path()):
    """For each node what it gave on all frames, below each other."""
    made = list(Rolling(Evaluator(Cache(100_000_000)), Job(recipe, folder, whole=1)).sweep(nodes, level, windows))
    return [
        {port: np.concatenate([strip[k][port] for strip in made]) for port in made[0][k] if port[0] != "_"}
        for k in range(len(nodes))
    ]


class SweepTest(unittest.TestCase):
    @of_kinds
    def test_every_node_in_strips_is_the_same_bytes_as_the_whole(self):
        draw = random.Random(3)
        for kind in KINDS:
            name, recipe, node = draw.choice(list(cases(kind, False)))
            whole = Evaluator(Cache(3_000_000_000)).result(Job(recipe), node, 4)
            grid = recipe.site.shape(4)
            windows = cut(grid, [draw.randint(1, 150) for _ in range(6)])
            (made,) = swept(recipe, [node], 4, windows)
            for port in registry()[kind].outputs:
                with self.subTest(kind=kind, case=name, port=port.id):
                    self.assertEqual(made[port.id].tobytes(), whole[port.id].tobytes())

    def test_the_demo_in_strips_with_its_files_at_once(self):
        folder = Path(__file__).parents[1] / "examples"
        recipe = load(folder / "varrowdale.gelande")
        recipe = replace(recipe, site=Site("Small", 4096, 4096, base=32))
        nodes = list(dict.fromkeys(d.node for d in recipe.deliverables))
        grid, engine = recipe.site.shape(5), Evaluator(Cache(3_000_000_000))
        wholes = [engine.result(Job(recipe, folder), node, 5) for node in nodes]
        for left, width in ((0, None), (300, 411)):
            windows = cut(grid, [200] * 9, left, width)
            for node, whole, made in zip(nodes, wholes, swept(recipe, nodes, 5, windows, folder)):
                for port, data in made.items():
                    wanted = whole[port][:, left : left + (width or grid[1])]
                    self.assertEqual(data.tobytes(), wanted.tobytes(), f"{node}.{port}")

    def test_no_row_is_computed_twice(self):
        recipe, ids = chain("massif", "warp", "rain_erosion", "smooth", "tilt", site=Site("Tall", 2000, 4000, base=32))
        rows = defaultdict(int)
        count = Evaluator._count

        def counted(engine, job, unit, own, weight):
            if unit.level == 6:
                rows[unit.node] += unit.window.height
            count(engine, job, unit, own, weight)

        with mock.patch.object(Evaluator, "_count", counted):
            swept(recipe, [ids[-1]], 6, cut(recipe.site.shape(6), [300] * 9))
        self.assertEqual(set(rows.values()), {recipe.site.shape(6)[0]}, dict(rows))
        rows.clear()
        with mock.patch.object(Evaluator, "_count", counted):  # strips lower than the blocks of the erosion
            swept(recipe, [ids[-1]], 6, cut(recipe.site.shape(6), [130] * 20))
        self.assertEqual(set(rows.values()), {recipe.site.shape(6)[0]}, dict(rows))

    def test_strips_that_leave_some_out_are_the_same(self):
        recipe, ids = chain("massif", "warp", "smooth", site=Site("Tall", 2000, 4000, base=32))
        whole = Evaluator().result(Job(recipe), ids[-1], 5)["height"]
        windows = [cut(recipe.site.shape(5), [100] * 20)[k] for k in (1, 2, 5, 6, 9)]
        run = Rolling(Evaluator(), Job(recipe, whole=1))
        for window, (found,) in zip(windows, run.sweep([ids[-1]], 5, windows)):
            self.assertEqual(found["height"].tobytes(), window.cut(whole, GridWindow.of(whole.shape)).tobytes())

    def test_one_that_fails_leaves_the_others(self):
        recipe, (noise,) = chain("massif")
        recipe, lost = graph.add(recipe, "slope_band")
        recipe, band = linked(recipe, "slope_band", noise, "height")
        windows = cut(recipe.site.shape(4), [300, 300])
        for found in Rolling(Evaluator(), Job(recipe, whole=1)).sweep([lost, band], 4, windows):
            self.assertIsInstance(found[0], NodeError)
            self.assertGreater(found[1]["mask"].size, 0)

    def test_it_stops(self):
        recipe, (noise,) = chain("massif")
        job = Job(recipe, whole=1)
        sweep = Rolling(Evaluator(), job).sweep([noise], 4, cut(recipe.site.shape(4), [300, 300]))
        next(sweep)
        job.stop.set()
        with self.assertRaises(Stopped):
            next(sweep)


class BelowTest(unittest.TestCase):
    @settings(max_examples=200, deadline=None)
    @given(st.data())
    def test_what_is_missing_and_what_is_held_make_the_whole(self, data):
        grid = (60, 40)

        def window():
            top, left = data.draw(st.integers(0, 59)), data.draw(st.integers(0, 39))
            return GridWindow.between(
                top, top + data.draw(st.integers(1, 60)), left, left + data.draw(st.integers(1, 40)), grid
            )

        held, wanted = window(), window()
        left = missing_below(held, wanted)
        there = np.zeros(wanted.shape, int)
        if left != wanted:
            wanted.paste(there, np.ones(held.shape, int), held)
        if left is not None:
            seen = np.zeros(wanted.shape, int)
            wanted.paste(seen, np.ones(left.shape, int), left)
            there += seen
        self.assertTrue((there == 1).all())


if __name__ == "__main__":
    unittest.main()
