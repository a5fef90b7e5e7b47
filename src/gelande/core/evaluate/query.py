"""Questions about a recipe that several ask: its last height and colour, the ground of a node, the water over it."""

from __future__ import annotations

from collections.abc import Collection, Iterable

import numpy as np

from gelande.kernels.grid_window import GridWindow

from ..errors import NodeError, RecipeError
from ..recipe import kinds, walk
from ..recipe.footprint import FINER
from ..recipe.model import Recipe
from ..recipe.raster import COLOUR, HEIGHT, MASK
from ..regenerate.kept_ground import original
from .executor import SURFACE, Evaluator
from .job import Job


def last_of(recipe: Recipe) -> dict[str, tuple[str, str]]:
    """(node, output) of the most worked-on main output of each kind of data that there is."""
    found: dict[str, tuple[int, str, str]] = {}
    reach = walk.reach(recipe)
    for node_id in walk.in_order(recipe):
        spec = recipe.nodes[node_id].spec
        if spec is None or spec.main is None:
            continue
        kind = kinds.kind_at(recipe, node_id, spec.main.id)
        # of two that are as much worked on the later in order counts
        if kind not in found or reach[node_id] >= found[kind][0]:
            found[kind] = (reach[node_id], node_id, spec.main.id)
    return {kind: (node, port) for kind, (_, node, port) in found.items()}


def last_output(recipe: Recipe, kind: str) -> tuple[str, str]:
    """(node, output) of the most worked-on main output of a kind of data. Raises RecipeError when there is none, or
    when a node of a kind that is not known comes after it: what stands before that one is not the recipe's land."""
    found = last_of(recipe).get(kind)
    if found is None:
        raise RecipeError(f"The recipe has no {kind} yet.")
    for node_id, state in recipe.nodes.items():
        if state.spec is None and found[0] in walk.upstream(recipe, node_id):
            before = recipe.node(found[0]).name
            raise RecipeError(
                f"{state.name}, which comes after {before}, is of a kind that this version does not know, "
                f"{state.kind}; {state.lacking}, or ask for {before} by its name."
            )
    return found


def most_worked_on(recipe: Recipe, among: Collection[str], of: str) -> str:
    """The node with a height or colour, else any output, that most comes into among some nodes: of those that come
    before a node, if there are any; "" when there is none."""
    # what comes before the node in question is what a person compares it with
    above = walk.upstream(recipe, of) & set(among)
    reach, best = walk.reach(recipe), ("", (False, -1))
    for n in sorted(above or among):
        spec = recipe.nodes[n].spec
        if spec is not None and spec.main is not None:
            rank = (kinds.kind_at(recipe, n, spec.main.id) in (HEIGHT, COLOUR), reach[n])
            best = max(best, (n, rank), key=lambda found: found[1])
    return best[0]


def at_any_level(recipe: Recipe, node_ids: Collection[str]) -> list[str]:
    """Of some nodes and all that comes before them, those with nothing before them that asks for its own coarser level:
    they can be computed at a fine level at once. Only the last of them, which need all the others."""
    # pyramids wait for their coarser level: they and all after them are left out
    needed = set().union(*(walk.upstream(recipe, n) for n in node_ids))
    refined = [
        n for n in needed if (one := recipe.nodes[n]).spec is None or one.reads(recipe.site).own not in ("", FINER)
    ]
    later = set().union(*(walk.downstream(recipe, n) for n in refined))
    wanted = {source for n in later & needed for source, _ in recipe.nodes[n].inputs.values()} | set(node_ids)
    return [n for n in walk.in_order(recipe) if n in (needed & wanted) - later]


def last_node(recipe: Recipe) -> str:
    """The node that shows most of a recipe: the last colour, else the last height, else the last of anything."""
    found = last_of(recipe)
    return next((found[kind][0] for kind in (COLOUR, HEIGHT, *found) if kind in found), "")


def last_land(recipe: Recipe) -> str:
    """The most worked-on node whose main output is a height by its nature, and not because of what it passes on."""
    reach, best = walk.reach(recipe), ""
    for n, state in recipe.nodes.items():
        spec = state.spec
        if spec is None or spec.main is None or spec.role:
            continue
        if kinds.kind_at(recipe, n, spec.main.id) == HEIGHT and (not best or reach[n] > reach[best]):
            best = n
    return best


def ground_of(recipe: Recipe, node_id: str, port: str = "") -> tuple[str, str] | None:
    """(node, output) of the height on which an output is shown: itself, or the most worked-on height above it; of
    a mask or colour that comes from no height, the height that it works on below, or else the most worked-on one."""
    state = recipe.nodes.get(node_id)
    spec = state.spec if state else None
    if spec is None or not spec.outputs:
        return None
    out = kinds.output_port(recipe, node_id, port or spec.result.id)
    if out and out.kind == HEIGHT:
        return node_id, out.id
    found, reach = [], walk.reach(recipe)
    for other in walk.upstream(recipe, node_id):
        above = recipe.nodes[other].spec
        if above is None or above.main is None or above.role or other != original(other):
            # of kept ground, copies are never shown
            continue
        if kinds.kind_at(recipe, other, above.main.id) == HEIGHT:
            found.append((reach[other], other, above.main.id))
    return max(found)[1:] if found else _ground_below(recipe, node_id)


def _ground_below(recipe: Recipe, node_id: str) -> tuple[str, str] | None:
    """The height that comes into the first node below that works on one; else the last height that there is."""
    below, reach = walk.downstream(recipe, node_id), walk.reach(recipe)
    for other in sorted(below - {node_id}, key=lambda n: (reach[n], n)):
        for source, output in recipe.nodes[other].inputs.values():
            free = source not in below and source != node_id
            if free and kinds.kind_at(recipe, source, output) == HEIGHT:
                return source, output
    found = last_of(recipe).get(HEIGHT)
    return found if found and found[0] not in below else None


def masks_of(recipe: Recipe) -> list[tuple[str, str, str]]:
    """(node, output, words) of every mask that nodes give, in their order; what only passes one on is left out."""
    found = []
    for node_id in walk.in_order(recipe):
        state = recipe.nodes[node_id]
        spec = state.spec
        if spec is None or spec.role or state.off:
            continue
        for port in spec.outputs:
            if port.kind == MASK:
                words = state.name if port is spec.main else f"{state.name}: {port.label.lower()}"
                found.append((node_id, port.id, words))
    return found


def ground_under(
    engine: Evaluator, job: Job, node_id: str, port: str, level: int
) -> tuple[np.ndarray, np.ndarray | None]:
    """(height in metres on which an output is shown, depth of the water over it or None). Where nothing gives a
    height, or what does fails though the output itself does not need it, it is shown on level ground."""
    ground, recipe = ground_of(job.recipe, node_id, port), job.recipe
    flat = np.zeros(recipe.site.shape(level), np.float32)
    if ground is None:
        return flat, None
    try:
        under = engine.run(job, ground[0], level)[ground[1]]
    except NodeError:
        if ground[0] == node_id:
            # its own fault is told; that of a ground it only stands on is not
            raise
        return flat, None
    try:
        return under, water_over(
            engine, job, walk.upstream(recipe, node_id) | walk.upstream(recipe, ground[0]), level, under
        )
    except NodeError:
        return under, None


def _waters(recipe: Recipe, nodes: Collection[str]) -> list[str]:
    """Those of some nodes that leave water standing, in their order."""
    found = []
    for node_id in walk.in_order(recipe):
        state = recipe.nodes[node_id]
        if node_id in nodes and node_id == original(node_id) and state.spec and state.spec.water and not state.off:
            found.append(node_id)
    return found


def _over(surfaces: Iterable[np.ndarray | None], ground: np.ndarray) -> np.ndarray | None:
    """Depth in metres of water with these surfaces over a height, or None when there is none."""
    surface = None
    for found in surfaces:
        # a later lake covers an earlier one where it stands above the ground
        if found is not None:
            surface = found if surface is None else np.where(found > ground, found, surface)
    if surface is None:
        return None
    depth = np.maximum(surface - ground, 0, dtype=np.float32)
    return depth if depth.any() else None


def water_over(
    engine: Evaluator, job: Job, nodes: Collection[str], level: int, ground: np.ndarray
) -> np.ndarray | None:
    """Depth in metres of the water that nodes such as Lakes and Streams leave standing over a height, or None when
    there is none. What stands there by a later node covers what an earlier one left."""
    return _over((engine.result(job, n, level).get(SURFACE) for n in _waters(job.recipe, nodes)), ground)


def shown_on(
    engine: Evaluator, job: Job, node_id: str, port: str, level: int, window: GridWindow
) -> tuple[np.ndarray, np.ndarray, np.ndarray | None] | None:
    """(an output on a window of a level, height in metres on which it is shown, depth of the water over that or None);
    None when nothing gives a height. What the three have in common is computed once. Raises NodeError, Stopped."""
    ground, recipe = ground_of(job.recipe, node_id, port), job.recipe
    if ground is None:
        return None
    waters = _waters(recipe, walk.upstream(recipe, node_id) | walk.upstream(recipe, ground[0]))
    names = list(dict.fromkeys([node_id, ground[0], *waters]))
    found = dict(zip(names, engine.results(job, [(n, level) for n in names], window)))
    under = found[ground[0]][ground[1]]
    return found[node_id][port], under, _over((found[n].get(SURFACE) for n in waters), under)
