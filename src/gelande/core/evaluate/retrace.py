"""What an edit makes the program compute again: a table of edits, for those who watch over speed."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from ..recipe import graph
from ..recipe.model import NodeState, Recipe
from ..recipe.node import WHERE_SLOPE
from ..recipe.param import Number
from ..regenerate.preset import apply_preset
from .executor import Evaluator
from .job import Job
from .plan import RAW
from .query import last_node


@dataclass(frozen=True)
class Edit:
    """One kind of edit of a node, and the recipe after it. said: what was changed."""

    kind: str
    said: str
    recipe: Recipe


@dataclass(frozen=True)
class Retraced:
    """Units that are computed again after an edit. names: of the nodes whose own computation runs, in order; units: how
    many computations that are over all levels; of: how many the whole recipe takes."""

    edit: Edit
    names: tuple[str, ...]
    units: int
    of: int


def edits_of(recipe: Recipe, node_id: str) -> Iterator[Edit]:
    """One edit of each kind that a node allows. Raises RecipeError for a node there is not."""
    state = recipe.node(node_id)

    def to(param: str, value: object) -> Recipe:
        return graph.set_param(recipe, node_id, param, value)

    found = _changed_number(state, recipe.site.long_side)
    if found is not None:
        yield Edit("setting", found[1], to(found[0], found[2]))
    spec = state.declared
    if spec.restrictable:
        yield Edit("Amount", "50 %", to("amount", 0.5))
        yield Edit("Where", "by slope", to("where", WHERE_SLOPE))
        yield Edit("Where, not in use", "other slopes", to("where_slope_low", 31.0))
    if spec.outputs and "invert" in state.params:
        yield Edit("Finish", "Invert", to("invert", not state.params["invert"]))
    yield Edit("off", "on or off", graph.switch(recipe, [node_id], not state.off))
    yield Edit("name", "another name", graph.rename(recipe, node_id, f"{state.name} renamed"))
    yield Edit("position", "moved", graph.move(recipe, {node_id: (state.at[0] + 40.0, state.at[1] + 80.0)}))
    if spec.has_seed:
        yield Edit("seed", "the node's next", graph.next_seed(recipe, node_id))
    if spec.starting_points:
        name, values = spec.starting_points[0]
        after = recipe
        for param, value in values.items():
            after = graph.set_param(after, node_id, param, value)
        yield Edit("starting point", name, after)
    for port in [p.id for p in spec.inputs if p.id in state.inputs and p.optional][:1]:
        yield Edit("link", f"{spec.entry(port).label} taken off", graph.unlink(recipe, node_id, port))
    for chosen in recipe.presets[:1]:
        yield Edit("preset", chosen.name, apply_preset(recipe, chosen)[0])
    yield Edit("recipe's seed", "the next", replace(recipe, seed=recipe.seed + 1))
    site = recipe.site
    yield Edit("sea level", "1 m higher", replace(recipe, site=replace(site, sea_level=site.sea_level + 1)))
    yield Edit("site's name", "another", replace(recipe, site=replace(site, name=f"{site.name} again")))


def _changed_number(state: NodeState, long_side: float) -> tuple[str, str, float] | None:
    """The first of a node's own settings that is a share or a length, and another value for it."""
    for p in state.declared.params:
        if isinstance(p, Number) and not p.tool and p.id != "seed":
            low, high = p.scaled_soft(long_side)
            value = p.check(low + 0.37 * (high - low))
            return p.id, f"{p.label} {p.text(value)}", value
    return None


def computed_again(engine: Evaluator, job: Job, edits: Iterator[Edit] | list[Edit], level: int) -> list[Retraced]:
    """Units that the picture of the last node at a level needs again after each edit, when all of it is there.
    Nothing of the edits is computed: the plan says it. Raises NodeError, Stopped."""
    node = last_node(job.recipe)
    of = _raw(Evaluator(), job, node, level)
    engine.result(job, node, level)
    found = []
    for edit in edits:
        after = replace(job, recipe=edit.recipe)
        units = _raw(engine, after, last_node(after.recipe), level)
        names = dict.fromkeys(after.recipe.nodes[unit.node].name for unit in units)
        found.append(Retraced(edit, tuple(names), len(units), len(of)))
    return found


def _raw(engine: Evaluator, job: Job, node: str, level: int) -> list:
    return [unit for unit in engine.plan(job, [(node, level)]).units if unit.stage == RAW]
