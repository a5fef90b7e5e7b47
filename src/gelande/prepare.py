"""Compiles the kernels, so that the machine code lies on disk before a person waits for it.

Two processes do it: each is given one task after the other, the dearest of those that the first land needs first.
"""

from __future__ import annotations

import os
import queue
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Collection
from pathlib import Path

from . import kernels
from .bundle import packed

#: Seconds that the dearest tasks take; others take less than one. What takes longest is begun first.
DEAR = {
    "rain_erosion": 16,
    "view": 9,
    "deliver": 8,
    "near": 12,
    "stream_channels": 5,
    "fractal_noise": 3,
    "scree": 3,
    "ridge_noise": 1.5,
}
VIEW, NEAR, DELIVER = "view", "near", "deliver"
#: Words for what is no node.
WORDS = {VIEW: "the view", NEAR: "what is seen from near", DELIVER: "deliveries"}
PROCESSES = 2


def forget_stale() -> None:
    """Deletes machine code that is older than any kernel's source: it holds the code of kernels in other files that
    it calls, and numba looks at the age of its own file alone."""
    folder = Path(kernels.__file__).parent
    newest = max(p.stat().st_mtime for p in folder.glob("*.py"))
    for cached in (folder / "__pycache__").glob("*.nb?"):
        if cached.stat().st_mtime < newest:
            cached.unlink(missing_ok=True)


def tasks(needed: Collection[str] | None = None) -> list[str]:
    """Everything there is to prepare, as kinds of nodes, "view" and "deliver", the dearest first; needed: only those
    kinds and the view."""
    from .core.recipe.node import registry

    kinds = [k for k, spec in registry().items() if spec.outputs and not spec.reads_files]
    found = [VIEW, *([NEAR, DELIVER] if needed is None else []), *(k for k in kinds if needed is None or k in needed)]
    return sorted(found, key=lambda name: (-DEAR.get(name, 0), name))


def and_more(order: list[str]) -> list[str]:
    """Further tasks of the nodes among some tasks."""
    return [f"more {task}" for task in order if task not in WORDS]


# -- one task, in a process of its own ------------------------------------------------------------------------
def run_task(task: str) -> None:
    """Runs one node, or the renderer, on a small grid. "more KIND": in all its choices and at finer levels, too."""
    if task == VIEW:
        _run_view()
    elif task == NEAR:
        _run_near()
    elif task == DELIVER:
        _run_deliver()
    elif task.startswith("more "):
        _run_node(task.removeprefix("more "), True)
    else:
        _run_node(task, False)


def _run_node(kind: str, more: bool) -> None:
    from .core.evaluate.executor import Evaluator, Job
    from .core.recipe import graph
    from .core.recipe.node import spec_of
    from .samples import sample_recipe

    recipe, node_id = sample_recipe(kind)
    spec, evaluator = spec_of(kind), Evaluator()
    if spec is None:
        return
    for level in (1, 4 if more else 3) if recipe.nodes[node_id].reads(recipe.site).own else (1,):
        evaluator.result(Job(recipe), node_id, level)
    bent = [p for p in spec.params if p.id == "warp"]
    for p in [p for p in spec.params if p.choices and more] + bent:
        for value in p.choices or (40.0,):
            evaluator.result(Job(graph.set_param(recipe, node_id, p.id, value)), node_id, 1)
    heights = {p.id for p in spec.all_inputs if p.kind in ("height", "any")}
    # without a ground there is nothing to look at
    if more and spec.restrictable and heights & set(recipe.nodes[node_id].inputs):
        for where in ("Height", "Slope", "Facing"):
            evaluator.result(Job(graph.set_param(recipe, node_id, "where", where)), node_id, 1)


def _run_view() -> None:
    import numpy as np

    from .core.evaluate.standing import Layer
    from .core.recipe.site import Site
    from .core.recipe.things import NAMES, Placing
    from .core.regenerate import figures
    from .kernels import measure
    from .scene.camera import Camera
    from .scene.passes import one_pass
    from .scene.plan import PlanCamera, draw_plan
    from .scene.relief import Look, Scene, Tones, pick, to_pixels
    from .scene.things import Things, draw_map

    rows, columns = np.mgrid[0:129, 0:129]
    h = (40 * np.sin(rows / 9.0) * np.cos(columns / 7.0)).astype(np.float32)
    figures.figures_of(h, Site(), 1)
    measure.hillshade(h, 16.0)
    table = np.array([(x, 900.0, 1.0 + 20 * (x > 900), 0.5) for x in range(300, 1800, 100)])
    things = Things.of([Layer("", Placing(NAMES[0], 3.0, 0.5, 1.0, 0), table)])
    tones = Tones(((1, 1, 1),) * 6)
    for albedo in (None, np.full((*h.shape, 3), 0.3, np.float32)):
        scene = Scene(h, 16.0, albedo, Look(contour=20.0, water=10.0, air=True))
        camera = Camera.home(scene.outline)
        total, _ = one_pass(scene, camera, (64, 48), tones, things=things)
        to_pixels(total)
        pick(scene, camera, 0.0, 0.0, 1.3)
    total, buffer = draw_plan(scene, plan := PlanCamera(1000.0, 1000.0, 40.0), 64, 48, tones, None)
    draw_map(things, scene, plan, buffer, total)


def _run_near() -> None:
    import numpy as np

    from .scene.camera import Camera
    from .scene.passes import one_pass
    from .scene.patches import Nest, Patch
    from .scene.plan import PlanCamera, draw_plan
    from .scene.relief import PAPER, Look, Scene, pick
    from .scene.things import standing, with_person

    rows, columns = np.mgrid[0:65, 0:65]
    h = (40 * np.sin(rows / 9.0) * np.cos(columns / 7.0)).astype(np.float32)
    colour, water = np.full((*h.shape, 3), 0.3, np.float32), np.where(h < 0, -h, 0).astype(np.float32)
    for kind, data, deep in (("height", h, None), ("colour", colour, water)):
        scene = Scene(h, 16.0, None if kind == "height" else colour, Look(grain=0.1, air=True), deep)
        scene.nest = Nest(scene, (Patch(2, 32, 32, h, kind, data, deep),))
        camera = Camera(400.0, 500.0, scene.surface(400.0, 500.0) + 2, 40.0, -5.0, 50.0)
        one_pass(scene, camera, (64, 48), PAPER)
        pick(scene, camera, 0.0, -0.3, 1.3)
        standing(with_person(None, 400.0, 500.0), scene)
        draw_plan(scene, PlanCamera(500.0, 500.0, 4.0), 64, 48, PAPER, None)


def _run_deliver() -> None:
    import numpy as np

    from .kernels import discs, resample, text, triangles
    from .kernels.grid_window import GridWindow
    from .kernels.insertion import inserted

    rows, columns = np.mgrid[0:33, 0:33]
    h = (40 * np.sin(rows / 9.0) * np.cos(columns / 7.0)).astype(np.float32)
    found, corners, _ = inserted(h, 0.5)
    ids = (found[:, 0] * 33 + found[:, 1])[corners]
    triangles.mesh_error(h, ids)
    triangles.drawn(h, ids, 2)
    points = found.astype(np.float64)
    lines = text.decimal_lines(points, "v", 3)
    text.numbers_in(lines + text.face_lines(ids.astype(np.int64), True) + text.face_lines(ids.astype(np.int64), False))
    discs.discs(0.0, 0.0, 30.0, 30.0, 3.0, 1)
    old, new = GridWindow.of((33, 33)), GridWindow.of((31, 31))
    resample.distance(h, old, resample.resampled(h, old, new, 32 / 30, True), new, 32 / 30)


def work() -> int:
    """Runs the tasks that come in a line each, and answers each with a line."""
    for line in sys.stdin:
        try:
            run_task(line.strip())
            print("done", flush=True)
        except Exception as error:  # the task is met again when somebody uses the node, and told there
            print(f"failed {error!r}".replace("\n", " ")[:300], flush=True)
    return 0


# -- all tasks, in two processes --------------------------------------------------------------------------------
class Preparation:
    """Two processes that prepare tasks in order. begun(task, done, all) and ended(task, done, all) are called from
    their threads."""

    def __init__(
        self, order: list[str], begun: Callable[[str, int, int], None], ended: Callable[[str, int, int], None]
    ) -> None:
        self._begun, self._ended = begun, ended
        self._all, self._done = len(order), 0
        self._queue: queue.SimpleQueue[str] = queue.SimpleQueue()
        for task in order:
            self._queue.put(task)
        self._lock, self._closed = threading.Lock(), False
        self._processes: list[subprocess.Popen] = []
        self._threads = [threading.Thread(target=self._run, daemon=True) for _ in range(PROCESSES)]

    def start(self) -> None:
        """Begins."""
        forget_stale()
        for thread in self._threads:
            thread.start()

    def wait(self) -> None:
        """Returns when all is done."""
        for thread in self._threads:
            thread.join()

    def close(self) -> None:
        """Ends what still runs."""
        self._closed = True
        for process in self._processes:
            process.kill()

    def _run(self) -> None:
        environment = {**os.environ, "PYTHONPATH": str(Path(__file__).parents[1]), "NUMBA_NUM_THREADS": "2"}
        program = [sys.executable] if packed() else [sys.executable, "-m", "gelande"]
        command = [*program, "prepare", "--worker"]
        process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, env=environment)
        self._processes.append(process)
        while not self._closed:
            try:
                task = self._queue.get_nowait()
            except queue.Empty:
                break
            self._begun(task, self._done, self._all)
            if process.poll() is None and process.stdin and process.stdout:
                try:
                    process.stdin.write(f"{task}\n")
                    process.stdin.flush()
                    process.stdout.readline()
                except OSError:
                    pass  # it died: what it leaves is compiled when it is used
            with self._lock:
                self._done += 1
                done = self._done
            if self._closed:
                break
            self._ended(task, done, self._all)
        process.kill()
        process.wait()


def stamp_it() -> None:
    """Remembers that all kernels of this version are prepared."""
    from .places import kernels_stamp

    stamp = kernels_stamp()
    try:
        stamp.parent.mkdir(parents=True, exist_ok=True)
        stamp.touch()
    except OSError:
        pass  # without the stamp the next start only prepares again


def prepare(tell=print) -> int:
    """Prepares everything and waits for it. Returns 0."""
    began = time.perf_counter()
    tell("Preparing the numeric kernels; this is done once and takes about a minute.")
    order = tasks()
    order += and_more(order)
    preparation = Preparation(order, lambda *_: None, lambda *_: None)
    preparation.start()
    preparation.wait()
    stamp_it()
    tell(f"Ready after {time.perf_counter() - began:.0f} s.")
    return 0
