"""The land from near: passes with things and patches, patches as they come, and what the view holds at 4K."""

import math
import time
import tracemalloc
from dataclasses import replace
from pathlib import Path

import numpy as np

from bench.table import plain, row
from gelande.core.evaluate.executor import Evaluator, Job
from gelande.core.evaluate.query import ground_under, last_of, shown_on
from gelande.core.recipe import recipefile
from gelande.core.recipe.things import NAMES
from gelande.kernels import things as K
from gelande.scene.camera import EYE_HEIGHT, Camera
from gelande.scene.passes import one_pass
from gelande.scene.patches import Nest, Patch, windows_near
from gelande.scene.relief import GRAIN, OFFSETS, PAPER, Look, Scene
from gelande.scene.things import Things
from gelande.scene.tints import albedo_of

DEMO = Path(__file__).parents[1] / "examples" / "varrowdale.gelande"
SIZE, LARGE, LEVEL = (692, 536), (3840, 2160), 3
#: Things of a full wood, and where somebody stands: east, north, heading.
MANY, WHERE = 150_000, (1200.0, 1900.0, 60.0)


def _wood(width: float, depth: float, count: int) -> Things:
    """So many trees, bushes and boulders all over a site."""
    rng, rows = np.random.default_rng(5), np.zeros((count, K.FIELDS), np.float32)
    rows[:, K.EAST], rows[:, K.NORTH] = rng.uniform(0, width, count), rng.uniform(0, depth, count)
    rows[:, K.SIZE], rows[:, K.LOT] = rng.uniform(0.6, 1.3, count), rng.uniform(0, 1, count)
    rows[:, K.KIND] = rng.choice([NAMES.index(n) for n in ("conifer", "broadleaved_tree", "bush", "boulder")], count)
    return Things(rows, np.ones((1, 3)))


def _pass(scene, camera, size, things=None):
    return one_pass(scene, camera, size, PAPER, things=things)[1]


def _timed(words, run, bar=None, times=5):
    """A line with the shortest time and the CPU seconds of a few runs."""
    run()
    best, cpu = math.inf, math.inf
    for _ in range(times):
        began, used = time.perf_counter(), time.process_time()
        run()
        best, cpu = min(best, time.perf_counter() - began), min(cpu, time.process_time() - used)
    row(f"{words} (CPU {cpu:.2f} s)", best, bar)
    return best


def _scene(recipe, evaluator, job):
    node, port = (last := last_of(recipe)).get("colour") or last["height"]
    kind = "colour" if "colour" in last else "height"
    data = evaluator.result(job, node, LEVEL)[port]
    under, water = ground_under(evaluator, job, node, port, LEVEL)
    scene = Scene(under, recipe.site.spacing(LEVEL), albedo_of(kind, data), Look(grain=GRAIN, air=True), water)
    return scene, node, port, kind


def run():
    recipe, evaluator = recipefile.load(DEMO), Evaluator()
    job, folder = Job(recipe, DEMO.parent), DEMO.parent
    scene, node, port, kind = _scene(recipe, evaluator, job)
    east, north, heading = WHERE

    def eye():
        return Camera(east, north, scene.surface(east, north) + EYE_HEIGHT, heading, -4, 50)

    wood = _wood(scene.width, scene.depth, MANY)
    afar = Camera.home(scene.outline, SIZE[0] / SIZE[1])
    for size in (SIZE, (1280, 800)):
        words = f"{size[0]} × {size[1]}"
        _timed(f"a pass near the ground, {words}", lambda s=size: _pass(scene, eye(), s))
        scene.look = replace(scene.look, air=False)
        _timed("the same without air and mirrors", lambda s=size: _pass(scene, eye(), s))
        scene.look = replace(scene.look, air=True)
        _timed(f"the same with {MANY:,} things", lambda s=size: _pass(scene, eye(), s, wood))
        _timed(f"a pass from afar with {MANY:,} things, {words}", lambda s=size: _pass(scene, afar, s, wood))
    _timed(
        "eight passes near the ground with things, 1280 × 800",
        lambda: [_pass(scene, eye(), (1280, 800), wood) for _ in OFFSETS],
        1500,
        2,
    )
    buffer = _pass(scene, eye(), (1280, 800))
    pixel = 2 * math.tan(math.radians(25)) / 800
    windows = windows_near(
        (buffer.kind, buffer.depth, buffer.column, buffer.row),
        pixel,
        scene.dx,
        scene.height.shape,
        recipe.site.levels[-1] - LEVEL,
    )
    patches: list[Patch] = []
    for k, window in windows[:3]:
        began = time.perf_counter()
        data, height, water = shown_on(evaluator, Job(recipe, folder, whole=1), node, port, LEVEL + k, window)
        spacing = recipe.site.spacing(LEVEL + k)
        row(f"a patch of {spacing:g} m a sample", time.perf_counter() - began, 1.5 if k == 1 else 2, unit="s")
        patches.append(Patch(2**k, window.top, window.left, height, kind, data, water))
        began = time.perf_counter()
        scene.nest = Nest(scene, tuple(patches), scene.nest)
        row("  lit and laid beside the others", time.perf_counter() - began, 200)
    _timed("a pass near the ground with patches, 692 × 536", lambda: _pass(scene, eye(), SIZE))
    _timed("the same with things", lambda: _pass(scene, eye(), SIZE, wood))
    _timed("a pass near the ground with patches, 1280 × 800", lambda: _pass(scene, eye(), (1280, 800)))
    tracemalloc.start()
    fresh = Scene(scene.height, scene.dx, None, scene.look)
    _pass(fresh, eye(), LARGE, wood)
    peak = tracemalloc.get_traced_memory()[1] / 1e6
    tracemalloc.stop()
    verdict = "met" if peak < 400 else "MISSED"
    plain(
        f"memory of a land and its picture of 3840 × 2160 with {MANY:,} things", f"{peak:.0f} MB", "< 400 MB", verdict
    )
