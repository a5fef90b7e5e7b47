"""Ground that stays: a recipe with areas to keep, as the evaluator computes it.

An area keeps the land of a variant: of the recipe under other seeds and controls. Before anything is computed, the
graph is drawn out: what comes before the step "Keep area" is there once for each kept variant besides, as far as it
differs, and nodes of the kind "inset" set the kept lands into the present one. A node of a kept variant has the key
that it had when that variant was shown, so what is known of it is not computed again; details, regions, stops and
strips are those of any other graph.

"""

from __future__ import annotations

import weakref
from dataclasses import replace

from gelande.core.recipe.choices import Preset

from ..errors import RecipeError
from ..recipe import graph, kinds, walk
from ..recipe.choices import MOST_KEEPS, Keep, checked_outlines
from ..recipe.deliverables import remap_sources
from ..recipe.model import NodeState, Recipe, with_defaults
from ..recipe.node import KEEP, spec_of
from ..recipe.raster import HEIGHT
from ..recipe.seeds import effective_seed
from .preset import apply_preset, capture_preset

#: The kind of the step, and its port.
STEP, THROUGH = "keep_area", "through"
#: Between a node's id and what tells its copies apart, in graphs that are drawn out.
COPY = "~"


def original(node_id: str) -> str:
    """The node of the recipe that a node of a drawn-out graph is a copy of."""
    return node_id.partition(COPY)[0]


def steps(recipe: Recipe) -> list[str]:
    """The steps "Keep area" that are on and linked, in order."""
    return [
        n
        for n in walk.in_order(recipe)
        if recipe.nodes[n].role == KEEP and not recipe.nodes[n].off and THROUGH in recipe.nodes[n].inputs
    ]


_known: weakref.WeakKeyDictionary = weakref.WeakKeyDictionary()


def with_kept_ground(recipe: Recipe) -> Recipe:
    """The graph that is computed: the recipe itself when nothing is kept."""
    if not any(keep.on for keep in recipe.keeps):
        return recipe
    found = _known.get(recipe)
    if found is None:
        found = _known[recipe] = _Expansion(recipe).recipe
    return found


class _Expansion:
    """A recipe being drawn out. A branch is the present recipe (number of areas) or the variant of an area (0 ...)."""

    def __init__(self, recipe: Recipe) -> None:
        self.keeps = [keep for keep in recipe.keeps if keep.on]
        self.present = len(self.keeps)
        plain = replace(recipe, keeps=())
        self.branches = [apply_preset(plain, keep.of)[0] for keep in self.keeps] + [plain]
        self.plain = plain
        self.steps = steps(plain)
        self.after = [walk.downstream(plain, step) for step in self.steps]
        self.nodes: dict[str, NodeState] = dict(plain.nodes)
        self._copies: dict[tuple[int, str], str] = {}
        self._chains: dict[tuple, tuple[str, str]] = {}
        if self.steps:
            self._draw()
        self.recipe = replace(plain, nodes=self.nodes)

    def _draw(self) -> None:
        for node_id in walk.in_order(self.plain):  # sources first, so that nothing is asked for deeply
            for branch in range(self.present):
                if any(node_id not in after for after in self.after):
                    self._copy(branch, node_id)
        for node_id, state in self.plain.nodes.items():
            inputs = {p: self._link(self.present, node_id, source) for p, source in state.inputs.items()}
            if inputs != state.inputs:
                self.nodes[node_id] = replace(state, inputs=inputs)

    def _crosses(self, source: str, target: str) -> bool:
        """True when a link leads over a step, to it or past it: masks that come from elsewhere into what works on the
        land are those of the kept variant where its land is."""
        return any(source not in after and target in after for after in self.after)

    def _link(self, branch: int, target: str, source: tuple[str, str]) -> tuple[str, str]:
        """Output that an input of a node is linked to in a branch."""
        if source[0] in self.plain.nodes and self._crosses(source[0], target):
            return self._chain(branch, source, branch)
        return self._copy(branch, source[0]), source[1]

    def _copy(self, branch: int, node_id: str) -> str:
        """The node in a branch: itself when it is the same there."""
        if branch == self.present or node_id not in self.plain.nodes:
            return node_id
        known = self._copies.get((branch, node_id))
        if known is not None:
            return known
        here, there = self.plain.nodes[node_id], self.branches[branch].nodes[node_id]
        inputs = {p: self._link(branch, node_id, source) for p, source in there.inputs.items()}
        seed = effective_seed(self.branches[branch], node_id)
        same = there.params == here.params and seed == effective_seed(self.plain, node_id)
        found = node_id
        if not same or inputs != here.inputs:
            found = f"{node_id}{COPY}{branch + 1}"
            own = {"seed": seed, "follow_seed": False} if there.spec and there.spec.has_seed else {}
            group = f"{there.group}{COPY}{branch + 1}"
            self.nodes[found] = replace(
                there,
                inputs=inputs,
                params={**there.params, **own},
                group=group if (branch, there.group) in self._copies and group in self.nodes else there.group,
            )
        self._copies[branch, node_id] = found
        return found

    def _chain(self, branch: int, source: tuple[str, str], count: int) -> tuple[str, str]:
        """An output in a branch with the first so many areas set into it."""
        key = (branch, source, count)
        known = self._chains.get(key)
        if known is not None:
            return known
        if count == 0:
            found = self._copy(branch, source[0]), source[1]
        else:
            around = self._chain(branch, source, count - 1)
            inside = self._chain(count - 1, source, count - 1)
            found = around
            if inside != around:
                node_id = f"{source[0]}{COPY}{source[1]}{COPY}{branch + 1}{COPY}{count}"
                self.nodes[node_id] = self._inset(self.keeps[count - 1], around, inside)
                found = node_id, "height"
        self._chains[key] = found
        return found

    def _inset(self, keep: Keep, around: tuple[str, str], inside: tuple[str, str]) -> NodeState:
        spec = spec_of("inset")
        assert spec is not None
        params = {"outlines": keep.outlines, "width": keep.width, "fade": keep.fade}
        state = NodeState("inset", keep.name, params=params, inputs={"height": around, "inset": inside})
        return with_defaults(state, spec, self.plain.site.long_side)


def usual_width(recipe: Recipe) -> tuple[float, float]:
    """Metres over which an area is blended and over which the land is bent, when nobody says."""
    spec = spec_of("inset")
    assert spec is not None
    width, fade = (spec.param(p).initial(recipe.site.long_side) for p in ("width", "fade"))
    return width, fade


def add(
    recipe: Recipe, outlines: tuple, name: str = "", width: float | None = None, of: Preset | None = None
) -> Recipe:
    """The recipe in which an area stays as it is now, or as it is under another preset. Puts the step where there is
    none. Raises RecipeError."""
    if len(recipe.keeps) >= MOST_KEEPS:
        raise RecipeError(f"{MOST_KEEPS} areas are kept already; take one away first.")
    usual, fade = usual_width(recipe)
    try:
        pieces = checked_outlines(outlines)
    except ValueError as error:
        raise RecipeError(f"The area cannot be kept: {error}.") from None
    if not any(len(points) > 2 and not cut for _, cut, points in pieces):
        raise RecipeError("The area cannot be kept: it needs at least three points.")
    used = {k.name for k in recipe.keeps}
    name = name or next(f"Area {n}" for n in range(1, MOST_KEEPS + 2) if f"Area {n}" not in used)
    width = usual if width is None else width
    keep = Keep(name, pieces, of or capture_preset(recipe), width, fade * width / usual)
    recipe = with_step(recipe)
    return replace(recipe, keeps=(*recipe.keeps, keep))


def changed(recipe: Recipe, index: int, keep: Keep | None) -> Recipe:
    """The recipe with another area in the place of one, or without it."""
    if not 0 <= index < len(recipe.keeps):
        raise RecipeError("There is no such area any more.")
    if keep is not None and not (1 <= keep.width <= 20_000 and 1 <= keep.fade <= 100_000):
        raise RecipeError("An area is blended over 1 m to 20 km, and bends the land within 1 m to 100 km.")
    rest = [k for n, k in enumerate(recipe.keeps) if n != index]
    if keep is not None:
        rest.insert(index, keep)
    return replace(recipe, keeps=tuple(rest))


# -- where the step stands --------------------------------------------------------------------------------
def with_step(recipe: Recipe) -> Recipe:
    """The recipe with the step "Keep area": where there is none, after the last landform and before the weather. Raises
    RecipeError when there is no land."""
    if steps(recipe):
        return recipe
    for state in recipe.nodes.values():
        if state.role == KEEP and THROUGH in state.inputs:  # it is off: the author wants none
            raise RecipeError(f"{state.name} is off in this recipe; turn it on to keep ground.")
    source = _place(recipe)
    if source is None:
        raise RecipeError("There is no land yet that could be kept.")
    late = _late(recipe)
    recipe, step = graph.add(recipe, STEP, recipe.nodes[source[0]].at, group=recipe.nodes[source[0]].group)
    nodes = {
        n: replace(
            s,
            inputs={p: (step, THROUGH) if w == source and (not late or n in late) else w for p, w in s.inputs.items()},
        )
        for n, s in recipe.nodes.items()
    }
    recipe = replace(recipe, nodes=nodes)
    if not late:
        orders = remap_sources(recipe.deliverables, lambda s: (step, THROUGH) if s == source else s)
        recipe = replace(recipe, deliverables=orders)
    return graph.link(recipe, *source, step, THROUGH)


def _late(recipe: Recipe) -> set[str]:
    """Weather, and what comes after it."""
    found: set[str] = set()
    for n, state in recipe.nodes.items():
        if state.spec and state.spec.weathers and not state.off:
            found |= walk.downstream(recipe, n)
    return found


def _place(recipe: Recipe) -> tuple[str, str] | None:
    """The most worked-on height that comes into the weather; without weather, the last one of all."""
    late, reach = _late(recipe), walk.reach(recipe)
    found = [
        (reach[source], source, output)
        for source, output, target, _ in recipe.links()
        if target in late and source not in late and kinds.kind_at(recipe, source, output) == HEIGHT
    ]
    if not late:
        for n, state in recipe.nodes.items():
            main = state.spec.main if state.spec else None
            if main is not None and kinds.kind_at(recipe, n, main.id) == HEIGHT:
                found.append((reach[n], n, main.id))
    return max(found)[1:] if found else None
