"""Plans and frames: a result in pieces is the same bytes as the whole, and a plan foresees all that is asked for."""

import pickle
import random
import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from support import chain, linked, of_kinds, slow
from support import kinds as every_kind

from gelande.core.errors import NodeError
from gelande.core.evaluate.executor import Cache, Evaluator, Job, Run
from gelande.core.evaluate.plan import FINAL, RAW, SIMULATED, Planner, plan
from gelande.core.evaluate.query import at_any_level
from gelande.core.recipe import graph, kinds
from gelande.core.recipe.node import registry
from gelande.core.recipe.site import Site
from gelande.kernels.grid_window import GridWindow
from gelande.kernels.transfer import looked_at, sample
from gelande.samples import sample_recipe

#: Cells of the coarsest grid: half as many as a site has as a rule.
BASE = 32
KINDS = every_kind(lambda spec: spec.category != "Order")


def own(kind: str) -> str:
    """Which of its own coarser results a node of a kind builds on, as it is added."""
    recipe, node = sample_recipe(kind)
    return recipe.nodes[node].reads(recipe.site).own


def windows(grid: tuple[int, int], draw: random.Random, count: int):
    """Frames of a grid, at its edges, at its corners and inside; some begin where blocks do, or are as large."""

    def size(most: int) -> int:
        return min(most, draw.choice((draw.randint(1, 300), draw.randint(1, 300), 64, 128, 256)))

    def begin(free: int) -> int:
        return draw.choice((0, free, draw.randint(0, free), draw.randint(0, free) // 64 * 64))

    for _ in range(count):
        h, w = size(grid[0]), size(grid[1])
        yield GridWindow(begin(grid[0] - h), begin(grid[1] - w), h, w, *grid)


def cases(kind: str, starts: bool):
    """Recipes of a kind: its starting points, or its defaults, also restricted by slope and by facing."""
    recipe, node = sample_recipe(kind)
    # A coarser grid is four times as fast; so is a strip of the site, which is oblong besides.
    site = recipe.site
    recipe = replace(recipe, site=replace(site, base=BASE, depth=site.depth * 20 / BASE))
    spec = registry()[kind]
    if starts:
        for name, values in spec.starting_points:
            changed = recipe
            for key, value in values.items():
                changed = graph.set_param(changed, node, key, value)
            yield name, changed, node
        return
    yield "as it is", recipe, node
    ground = any(kinds.output_port(recipe, *s).kind == "height" for s in recipe.nodes[node].inputs.values())
    if spec.restrictable and ground:
        yield "on slopes", graph.set_param(recipe, node, "where", "slope"), node
        yield "on one side", graph.set_param(recipe, node, "where", "facing"), node


class RegionTest(unittest.TestCase):
    def regions_equal_the_whole(self, level: int, count: int, starts: bool, kinds=KINDS):
        draw = random.Random(7)
        for kind in kinds:
            for name, recipe, node in cases(kind, starts):
                whole = Evaluator(Cache(3_000_000_000)).result(Job(recipe), node, level)
                grid = recipe.site.shape(level)
                for window in windows(grid, draw, count):
                    part = Evaluator().result(Job(recipe, whole=1), node, level, window)
                    for port in registry()[kind].outputs:
                        with self.subTest(kind=kind, case=name, port=port.id, window=window[:4]):
                            self.assertEqual(
                                part[port.id].tobytes(), window.cut(whole[port.id], GridWindow.of(grid)).tobytes()
                            )

    @of_kinds
    def test_a_random_region_of_every_node_is_the_same_bytes_as_the_whole(self):
        self.regions_equal_the_whole(4, 1, False)

    @of_kinds
    @slow
    def test_regions_of_every_starting_point_are_the_same_bytes_as_the_whole(self):
        self.regions_equal_the_whole(4, 1, True)

    @of_kinds
    @slow
    def test_so_they_are_two_levels_beyond_the_mapped_one(self):
        """Where levels begin with the coarser one, what a finer one asks for goes through two that are not whole."""
        self.regions_equal_the_whole(5, 1, False, [kind for kind in KINDS if own(kind)])

    def test_a_single_row_is_the_same_bytes_as_in_the_whole(self):
        """What is left out is handed to kernels as an array of one sample; a row must not be taken for that."""
        for kind in ("cracks", "blocks", "sea", "boulders", "patches", "plant_cover"):
            recipe, node = sample_recipe(kind)
            whole = Evaluator(Cache(3_000_000_000)).result(Job(recipe), node, 4)
            grid = recipe.site.shape(4)
            for window in (GridWindow(0, 300, 1, 90, *grid), GridWindow(250, 0, 1, grid[1], *grid)):
                part = Evaluator().result(Job(recipe, whole=1), node, 4, window)
                for port in registry()[kind].outputs:
                    cut = window.cut(whole[port.id], GridWindow.of(grid))
                    self.assertEqual(part[port.id].tobytes(), cut.tobytes(), f"{kind}.{port.id} {window[:4]}")

    @slow
    def test_neighbouring_pieces_of_a_chain_make_the_whole(self):
        kinds, site = ("massif", "warp", "smooth", "rain_erosion", "terrace", "tilt"), Site("Test", depth=1024.0)
        recipe, ids = chain(*kinds, site=site)
        whole = Evaluator(Cache(3_000_000_000)).result(Job(recipe), ids[-1], 5)["height"]
        grid, made = recipe.site.shape(5), np.zeros_like(whole)
        for top in range(0, grid[0], 180):
            window = GridWindow.between(top, top + 180, 0, grid[1], grid)
            made[top : top + window.height] = Evaluator().result(Job(recipe, whole=1), ids[-1], 5, window)["height"]
        self.assertEqual(made.tobytes(), whole.tobytes())

    @slow
    def test_blocks_of_a_simulation_are_kept_from_strip_to_strip(self):
        recipe, (noise, rain) = chain("massif", "rain_erosion", site=Site("Tall", 1000, 8000))
        engine, job, grid = Evaluator(Cache(3_000_000_000)), Job(recipe, whole=1), recipe.site.shape(6)
        whole = Evaluator(Cache(3_000_000_000)).result(Job(recipe), rain, 6)["height"]
        counts, done = [], []
        engine.noted = lambda job, unit: done.append(unit)
        for top in range(0, grid[0], 700):
            done.clear()
            window = GridWindow.between(top, top + 700, 0, grid[1], grid)
            part = engine.result(job, rain, 6, window)["height"]
            self.assertEqual(part.tobytes(), window.cut(whole, GridWindow.of(grid)).tobytes())
            # what is left of a strip whose blocks are there is to finish it
            counts.append(sum(unit.stage == SIMULATED or unit.node == noise for unit in done))
        self.assertIn(0, counts, "a strip inside blocks that are there simulates nothing, and asks for no input")
        self.assertLess(sum(counts[1:]), 3 * 4 * (len(counts) - 1))

    def test_a_failure_in_a_region_names_its_node(self):
        recipe, (noise, warp) = chain("fractal_noise", "warp")
        lost = graph.unlink(recipe, warp, "height")
        window = GridWindow(0, 0, 50, 60, *recipe.site.shape(5))
        with self.assertRaisesRegex(NodeError, "Warp.*not linked"):
            Evaluator().result(Job(lost, whole=1), warp, 5, window)


class Spy(Run):
    """A run that notes what is asked for while one unit is computed."""

    def __init__(self, engine, job):
        super().__init__(engine, job)
        self.asked: set = set()
        self.unforeseen: list = []

    def fetch(self, node, level, stage, window=None):
        self.asked.add((node, level, stage))
        unit = self.planner.unit(node, level, stage, window or GridWindow.of(self.job.recipe.site.shape(level)))
        if not self.known(unit):
            self.unforeseen.append(unit)
        return super().fetch(node, level, stage, window)


class PlanTest(unittest.TestCase):
    @of_kinds
    def test_every_node_asks_for_what_is_planned_and_nothing_is_planned_in_vain(self):
        self.asks_for_what_is_planned(False, ((2, 1), (4, 1)))
        self.asks_for_what_is_planned(False, ((5, 1),), [kind for kind in KINDS if own(kind)])

    @of_kinds
    @slow
    def test_every_starting_point_asks_for_what_is_planned(self):
        self.asks_for_what_is_planned(True, ((3, 1), (4, 10**9)))

    def asks_for_what_is_planned(self, starts: bool, levels, kinds=None):
        for kind in kinds or KINDS:
            for name, recipe, node in cases(kind, starts):
                for level, whole in levels:
                    engine, job = Evaluator(Cache(3_000_000_000)), Job(recipe, whole=whole)
                    run = Spy(engine, job)
                    window = GridWindow.between(40, 90, 100, 170, recipe.site.shape(level))
                    unit, run.finest = run.planner.unit(node, level, FINAL, window), level
                    todo = run.plan([unit])
                    for u in todo.units:
                        run._uses[u.place] = 99
                    for u in todo.units:
                        run.asked = set()
                        run.perform(u)
                        if u.node == node:
                            with self.subTest(kind=kind, case=name, unit=u):
                                self.assertEqual(run.asked, {n.place for n in todo.needs[u]})
                    self.assertEqual(run.unforeseen, [], (kind, name, level))

    def test_a_plan_is_a_value(self):
        recipe, ids = chain("fractal_noise", "warp", "rain_erosion", "terrace")
        planner = Planner(recipe)
        todo = plan(planner, [planner.unit(ids[-1], 5)])
        self.assertEqual(todo, plan(planner, [planner.unit(ids[-1], 5)]))
        self.assertEqual(pickle.loads(pickle.dumps(todo)), todo)
        self.assertTrue(any("Rain erosion" in line and "129" in line for line in todo.lines(recipe)))

    def test_each_unit_comes_after_all_that_it_needs_and_none_twice(self):
        recipe, ids = chain("fractal_noise", "warp", "rain_erosion", "scree", "terrace", "slope_band")
        planner = Planner(recipe, 1)
        todo = plan(planner, [planner.unit(ids[-1], 6, FINAL, GridWindow(1000, 0, 300, 4097, 4097, 4097))])
        done: dict = {}
        for unit in todo.units:
            for need in todo.needs[unit]:
                self.assertTrue(done[need.place].covers(need.window), (unit, need))
            self.assertNotIn(unit.place, done)
            done[unit.place] = unit.window
        self.assertFalse(done[ids[0], 6, RAW].whole)
        self.assertTrue(all(window.whole for (_, level, _), window in done.items() if level <= 3))

    def test_what_is_known_is_left_out_with_what_only_it_needs(self):
        recipe, ids = chain("fractal_noise", "warp", "tilt")
        planner = Planner(recipe)
        known = planner.unit(ids[1], 3)
        todo = plan(planner, [planner.unit(ids[2], 3)], lambda unit: unit == known)
        self.assertEqual({u.node for u in todo.units}, {ids[2]})

    def test_two_results_by_one_plan_share_what_comes_before(self):
        recipe, ids = chain("fractal_noise", "clip")
        recipe, band = linked(recipe, "slope_band", ids[1], "height")
        engine = Evaluator()
        window = GridWindow(200, 300, 80, 90, *recipe.site.shape(5))
        a, b = engine.results(Job(recipe, whole=1), [(ids[1], 5), (band, 5)], window)
        self.assertEqual((a["height"].shape, b["mask"].shape), ((80, 90), (80, 90)))
        self.assertEqual(engine.computed, 3)


class AheadTest(unittest.TestCase):
    def test_what_waits_for_no_coarser_level_of_its_own(self):
        recipe, ids = chain("fractal_noise", "warp", "rain_erosion", "terrace", "smooth")
        noise, warp, rain, terrace, last = ids
        self.assertEqual(at_any_level(recipe, [last]), [warp])
        self.assertEqual(at_any_level(recipe, [warp]), [warp])
        self.assertEqual(at_any_level(recipe, [noise, last]), [noise, warp])
        recipe, tilt = graph.add(recipe, "tilt")
        recipe = graph.link(recipe, noise, "height", tilt, "height")
        self.assertEqual(set(at_any_level(recipe, [last, tilt])), {warp, tilt})

    def test_the_window_begins_with_it_and_shows_the_same(self):
        recipe, ids = chain("fractal_noise", "warp", "rain_erosion", "terrace")
        asked = set(at_any_level(recipe, [ids[-1]]))
        evaluator = Evaluator(Cache(10**9))
        for level in (2, 3):
            for n in asked:
                evaluator.result(Job(recipe), n, level)
        alone = Evaluator(Cache(10**9)).result(Job(recipe), ids[-1], 3)["height"]
        np.testing.assert_array_equal(evaluator.result(Job(recipe), ids[-1], 3)["height"], alone)


class FrameTest(unittest.TestCase):
    @settings(max_examples=200, deadline=None)
    @given(st.data())
    def test_frames_cover_what_they_say(self, data):
        rows, columns = (data.draw(st.integers(1, 40)) * 8 + 1 for _ in range(2))
        h, w = data.draw(st.integers(1, rows)), data.draw(st.integers(1, columns))
        top, left = data.draw(st.integers(0, rows - h)), data.draw(st.integers(0, columns - w))
        window = GridWindow(top, left, h, w, rows, columns)
        tall, broad = data.draw(st.integers(1, 99)), data.draw(st.integers(1, 99))
        blocks = window.blocks(tall, broad)
        self.assertTrue(blocks.covers(window))
        self.assertEqual((blocks.top % tall, blocks.left % broad), (0, 0))
        tiles, seen = window.tiles(tall, broad), np.zeros((rows, columns), int)
        for tile in tiles:
            seen[tile.top : tile.top + tile.height, tile.left : tile.left + tile.width] += 1
        inside = slice(blocks.top, blocks.top + blocks.height), slice(blocks.left, blocks.left + blocks.width)
        self.assertTrue((seen[inside] >= 1).all())
        self.assertEqual(int(seen.sum()), sum(t.height * t.width for t in tiles))
        self.assertTrue(window.coarser().finer().covers(window))
        self.assertTrue(window.grown(3).covers(window))
        other = GridWindow.between(rows - 1, rows, 0, 1, (rows, columns))
        self.assertTrue(window.union(other).covers(window) and window.union(other).covers(other))
        data = np.arange(rows * columns).reshape(rows, columns)
        cut = window.cut(data, GridWindow.of(data.shape))
        np.testing.assert_array_equal(cut, data[top : top + h, left : left + w])

    @settings(max_examples=100, deadline=None)
    @given(st.integers(0, 10**6), st.floats(-300, 300), st.floats(-300, 300))
    def test_places_beyond_the_edge_are_looked_up_in_the_frame_that_is_fetched(self, seed, down, right):
        rng = np.random.default_rng(seed)
        a = rng.random((65, 129)).astype(np.float32)
        ys = (np.arange(10, 20, dtype=np.float32)[:, None] + np.float32(down)) * np.ones((1, 8), np.float32)
        xs = (np.arange(30, 38, dtype=np.float32)[None] + np.float32(right)) * np.ones((10, 1), np.float32)
        held = looked_at(ys, xs, a.shape)
        part = sample(held.cut(a, GridWindow.of(a.shape)), ys, xs, None, held)
        self.assertEqual(part.tobytes(), sample(a, ys, xs).tobytes())


if __name__ == "__main__":
    unittest.main()
