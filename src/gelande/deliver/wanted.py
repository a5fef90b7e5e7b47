"""What a recipe delivers, and what has to be computed for it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

from gelande.core.errors import DeliveryError
from gelande.core.evaluate.executor import Evaluator, Job
from gelande.core.evaluate.job import WHOLE_BESIDE_STRIPS
from gelande.core.evaluate.plan import Plan, is_whole
from gelande.core.evaluate.query import last_of, last_output
from gelande.core.evaluate.strips import Rolling
from gelande.core.recipe import graph, kinds
from gelande.core.recipe.deliverables import Deliverable, Source
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.raster import COLOUR, HEIGHT

from .formats import FORMATS, format_of
from .grid import Grid
from .layers import options_of
from .names import names_of
from .parts import parts_of, strips_of


def usual(recipe: Recipe) -> tuple[Deliverable, ...]:
    """The deliverables of a recipe that names none: the last height twice, the last colour."""
    found, made = last_of(recipe), []
    if HEIGHT in found:
        made += [
            Deliverable("Height", *found[HEIGHT], "height_tiff32"),
            Deliverable("Height for engine", *found[HEIGHT], "height_png16"),
        ]
    if COLOUR in found:
        made.append(Deliverable("Colour", *found[COLOUR], "colour_png8"))
    return tuple(made)


def ordered(recipe: Recipe, level: int = 0) -> tuple[Deliverable, ...]:
    """Deliverables of a recipe: what it names, or the usual. Raises DeliveryError when there is nothing, or two would
    be one file."""
    wanted = recipe.deliverables or usual(recipe)
    if not wanted:
        raise DeliveryError("There is nothing to deliver: the recipe has no height or colour yet.")
    if not recipe.deliverables:
        for kind in last_of(recipe).keys() & {HEIGHT, COLOUR}:
            last_output(recipe, kind)  # says so when what comes after it is not known
    names = [name for d in wanted for name in names_of(recipe, d, level or recipe.site.levels[0])]
    twice = next((n for n in names if names.count(n) > 1), None)
    if twice:
        raise DeliveryError(f"Two deliverables would be written as {twice}; give one another name.")
    return wanted


def with_format_nodes(recipe: Recipe, orders: Sequence[Deliverable]) -> tuple[Recipe, dict[int, Source]]:
    """The recipe with the nodes that formats lead their heights through, and by the place of a deliverable what its
    file is then made from."""
    found: dict[int, Source] = {}
    drawn = recipe
    for k, d in enumerate(orders):
        fmt, port = FORMATS.get(d.format), kinds.output_port(recipe, *d.source)
        way = fmt.through(dict(d.options)) if fmt is not None else None
        if way is not None and port is not None and port.kind == HEIGHT:
            drawn, node = graph.add(drawn, way[0], params=way[1])
            drawn = graph.link(drawn, *d.source, node, "height")
            found[k] = node, drawn.nodes[node].declared.result.id
    return drawn, found


def plans(recipe: Recipe, level: int, evaluator: Evaluator, base: Path = Path()) -> Iterator[Plan]:
    """Plans of a build, one a part. Raises DeliveryError when there is nothing to deliver."""
    asked: list[tuple[str, int | None]] = []
    orders = ordered(recipe)
    recipe, through = with_format_nodes(recipe, orders)
    for k, d in enumerate(orders):
        fmt, sources = format_of(d.format), {**d.sources, **({"": through[k]} if k in through else {})}
        asked += [
            (node, fmt.fixed(slot, recipe.site, level, options_of(recipe, d))) for slot, (node, _) in sources.items()
        ]
    job, nodes = Job(recipe, base, whole=WHOLE_BESIDE_STRIPS), list(dict.fromkeys(n for n, at in asked if at is None))
    if is_whole(recipe.site, level, WHOLE_BESIDE_STRIPS):
        yield evaluator.plan(job, list(dict.fromkeys((n, level if at is None else at) for n, at in asked)))
        return
    apart = list(dict.fromkeys((n, at) for n, at in asked if at is not None))
    if apart:
        yield evaluator.plan(job, apart)
    parts, grid = parts_of(recipe.site, level, recipe.delivery), Grid.of(recipe.site, level, recipe.delivery)
    windows = [grid.source(window) for window in strips_of(p.window for p in parts)]
    yield from Rolling(evaluator, job).plans(nodes, level, windows)
