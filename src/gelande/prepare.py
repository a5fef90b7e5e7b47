"""Compiles every kernel once, so that the machine code lies on disk before a person waits for it."""

from __future__ import annotations

import time
from pathlib import Path

import numpy as np

from . import kernels
from .core import param as P


def sample_recipe(kind: str, site=None):
    """A recipe in which every required input of one node is linked to something suitable. Returns (recipe, node id).

    Used to prepare kernels, by the generic tests over all nodes, and for pictures in the documentation."""
    from .core import graph
    from .core.model import Recipe
    from .core.node import spec_of
    from .core.raster import HEIGHT, MASK
    from .core.site import Site

    recipe = Recipe(site or Site("Sample"))
    spec = spec_of(kind)
    made = {}

    def source(data: str, turn: int) -> tuple[str, str]:
        nonlocal recipe
        if (data, turn) in made:
            return made[data, turn]
        if data == HEIGHT:
            params = {"seed": 3} if turn == 0 else {"seed": 8}
            recipe, node_id = graph.add(recipe, ("fractal_noise", "ridge_noise")[turn % 2], params=params)
            made[data, turn] = (node_id, "height")
        else:
            ground = source(HEIGHT, turn)
            recipe, node_id = graph.add(recipe, "height_band" if data == MASK else "colour_ramp")
            recipe = graph.link(recipe, *ground, node_id, "height" if data == MASK else "driver")
            made[data, turn] = (node_id, "mask" if data == MASK else "colour")
        return made[data, turn]

    for turn, port in enumerate(p for p in spec.inputs if not p.optional):
        source(HEIGHT if port.kind == "any" else port.kind, turn)
    recipe, node_id = graph.add(recipe, kind)
    for turn, port in enumerate(p for p in spec.inputs if not p.optional):
        recipe = graph.link(recipe, *source(HEIGHT if port.kind == "any" else port.kind, turn), node_id, port.id)
    for p in spec.params:
        if isinstance(p, P.Strokes):
            recipe = graph.set_param(
                recipe,
                node_id,
                p.id,
                sample_strokes(recipe.site, 1.0 if p.unit == "%" else 0.02 * recipe.site.long_side),
            )
    return recipe, node_id


def sample_strokes(site, amount: float) -> tuple:
    """A winding stroke, a broad dab and a hollow, for pictures and tests."""
    w, d, r = site.width, site.depth, site.long_side
    winding = tuple((w * (0.15 + 0.1 * k), d * (0.35 + 0.14 * (-1) ** k)) for k in range(8))
    return (
        (0.05 * r, amount, 0.2, winding),
        (0.16 * r, 1.4 * amount, 0.1, ((0.62 * w, 0.72 * d),)),
        (0.07 * r, -0.8 * amount, 0.4, ((0.3 * w, 0.75 * d), (0.4 * w, 0.82 * d))),
    )


def _forget_stale() -> None:
    """Deletes machine code that is older than any kernel's source: it holds the code of kernels in other files that
    it calls, and numba looks at the age of its own file alone."""
    folder = Path(kernels.__file__).parent
    newest = max(p.stat().st_mtime for p in folder.glob("*.py"))
    for cached in (folder / "__pycache__").glob("*.nb?"):
        if cached.stat().st_mtime < newest:
            cached.unlink(missing_ok=True)


def prepare(tell=print) -> int:
    """Runs every node and the renderer once on a small grid. Returns 0."""
    from .app.places import kernels_stamp
    from .app.view.camera import Camera
    from .app.view.relief import Look, Scene, Tones, pick, render, to_pixels
    from .core import figures, graph
    from .core.evaluate import Evaluator, Job
    from .core.node import registry
    from .kernels import measure

    began = time.perf_counter()
    tell("Preparing the numeric kernels; this is done once and takes about a minute.")
    _forget_stale()
    evaluator = Evaluator()
    for kind, spec in sorted(registry().items()):
        if not spec.outputs or kind == "elevation_file":
            continue
        recipe, node_id = sample_recipe(kind)
        choices = [p for p in spec.params if p.choices] + [p for p in spec.params if p.id == "warp"]
        for level in (1, 4) if spec.pyramid else (1,):
            evaluator.result(Job(recipe), node_id, level)
        for p in choices:
            for value in p.choices or (40.0,):
                evaluator.result(Job(graph.set_param(recipe, node_id, p.id, value)), node_id, 1)
        heights = {p.id for p in spec.all_inputs if p.kind in ("height", "any")}
        if spec.restrictable and heights & set(
            recipe.nodes[node_id].inputs
        ):  # without a ground there is nothing to look at
            for where in ("Height", "Slope"):
                evaluator.result(Job(graph.set_param(recipe, node_id, "where", where)), node_id, 1)
    recipe, node_id = sample_recipe("fractal_noise")
    h = evaluator.result(Job(recipe), node_id, 2)["height"]
    figures.figures_of(h, recipe.site, 2)
    measure.hillshade(h, 16.0)
    tones = Tones(((1, 1, 1),) * 6)
    for albedo in (None, np.full((*h.shape, 3), 0.3, np.float32)):
        scene = Scene(h, 16.0, albedo, Look(contour=20.0, water=10.0))
        camera = Camera.home(scene.outline)
        total, _ = render(scene, camera, 64, 48, tones)
        to_pixels(total)
        pick(scene, camera, 0.0, 0.0, 1.3)
    stamp = kernels_stamp()
    try:
        stamp.parent.mkdir(parents=True, exist_ok=True)
        stamp.touch()
    except OSError:
        pass  # without the stamp the next start only prepares again
    tell(f"Ready after {time.perf_counter() - began:.0f} s.")
    return 0
