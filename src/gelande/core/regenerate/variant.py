"""Variants: what a recipe becomes under other seeds and other settings of its controls."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from math import isqrt

from ..errors import RecipeError
from ..recipe.choices import FigureChoice, Preset
from ..recipe.control import declared, find, param_of, set_control, stepped, value_of
from ..recipe.graph import set_param
from ..recipe.model import RECIPE, Control, Recipe
from .figures import FIGURES, Figures
from .preset import apply_preset, find_preset, interpolate

LAST_SEED = 999_999
#: How many variants a sheet may have: each a square, for two controls.
COUNTS = (4, 9, 16, 25, 36, 49)


@dataclass(frozen=True)
class Variant:
    """One outcome: how it is called and the recipe that makes it. short: its name where there is little room."""

    name: str
    recipe: Recipe
    short: str = ""

    @property
    def brief(self) -> str:
        """Its short name."""
        return self.short or self.name


@dataclass(frozen=True)
class Ask:
    """Request for a sheet of variants. first: the seed that it begins with; control, other: what is swept; one, two:
    the presets that it lies between."""

    count: int = 9
    first: int = 0
    control: Control | None = None
    other: Control | None = None
    one: Preset | None = None
    two: Preset | None = None


def seeds(recipe: Recipe, first: int, count: int) -> list[Variant]:
    """The recipe under ``count`` seeds from ``first`` on."""
    return [
        Variant(f"seed {s}", replace(recipe, seed=s)) for s in ((first + k) % (LAST_SEED + 1) for k in range(count))
    ]


def sweep(recipe: Recipe, control: Control, count: int) -> list[Variant]:
    """The recipe with one control set evenly from its lowest to its highest value (every word of a choice)."""
    param = param_of(recipe, control)
    if param is None:
        return []
    values = [stepped(recipe, control, v) for v in param.sweep(control.low, control.high, count)]
    return [
        Variant(f"{control.label} {param.text(v)}", set_control(recipe, control, v), param.text(v))
        for v in dict.fromkeys(values)
    ]


def grid(recipe: Recipe, across: Control, down: Control, count: int) -> list[Variant]:
    """The recipe with two controls set, one from column to column and the other from row to row."""
    side = max(2, isqrt(count))
    found = []
    for row in sweep(recipe, down, side):
        for one in sweep(row.recipe, across, side):
            found.append(Variant(f"{one.name} · {row.name}", one.recipe, f"{one.short} · {row.short}"))
    return found


def around(recipe: Recipe, count: int, reach: float = 0.2, seed: int = 1) -> list[Variant]:
    """This recipe and others near it: every number control moved at random by up to a share of its range."""
    draw = random.Random(seed)
    found = [Variant("this one", recipe)]
    for k in range(1, count):
        near = recipe
        for control in recipe.controls:
            param = param_of(recipe, control)
            if param is None or control.low is None or control.high is None or control.closed:
                continue
            value, fraction = value_of(recipe, control), draw.uniform(-reach, reach)
            moved = stepped(recipe, control, param.near(value, control.low, control.high, fraction))
            if moved != value:
                near = set_control(near, control, moved)
        found.append(Variant(f"near {k}", near))
    return found


def on_the_way(recipe: Recipe, one: Preset, two: Preset, count: int) -> list[Variant]:
    """From one preset to another in even steps. The seed stays the recipe's, so that one land turns into the other."""
    found = []
    for k in range(count):
        fraction = k / max(1, count - 1)
        preset = replace(interpolate(recipe, one, two, fraction), seed=recipe.seed, locks=recipe.locks)
        name = one.name if k == 0 else two.name if k == count - 1 else f"{fraction * 100:.0f} % of the way"
        found.append(Variant(name, apply_preset(recipe, preset)[0], name.removesuffix(" of the way")))
    return found


def use(recipe: Recipe, chosen: Recipe) -> Recipe:
    """The recipe with the seed, the locks and the controls' settings of a variant. What else was changed since the
    variant was made stays: nodes may have come and gone."""
    recipe = replace(recipe, seed=chosen.seed, locks=chosen.locks)
    for target in (t for control in chosen.controls for t in control.targets if t.node != RECIPE):
        own, other = recipe.nodes.get(target.node), chosen.nodes.get(target.node)
        if own is not None and other is not None and own.kind == other.kind and declared(chosen, target) is not None:
            recipe = set_param(recipe, target.node, target.param, other.value(target.param))
    return recipe


@dataclass(frozen=True)
class Spread:
    """A way to lay variants out. paged: there are more of them, page after page; controls, presets: how many of each
    are chosen for it."""

    name: str
    make: Callable[[Recipe, Ask], list[Variant]]
    paged: bool = False
    controls: int = 0
    presets: int = 0


def _seeds(recipe: Recipe, ask: Ask) -> list[Variant]:
    return seeds(recipe, ask.first, ask.count)


def _sweep(recipe: Recipe, ask: Ask) -> list[Variant]:
    return sweep(recipe, ask.control, ask.count) if ask.control else []


def _grid(recipe: Recipe, ask: Ask) -> list[Variant]:
    if ask.control is None or ask.other is None or ask.other is ask.control:
        return []
    return grid(recipe, ask.control, ask.other, ask.count)


def _around(recipe: Recipe, ask: Ask) -> list[Variant]:
    return around(recipe, ask.count)


def _between(recipe: Recipe, ask: Ask) -> list[Variant]:
    return on_the_way(recipe, ask.one, ask.two, ask.count) if ask.one and ask.two else []


SPREADS: dict[str, Spread] = {
    "seed": Spread("Seeds", _seeds, paged=True),
    "control": Spread("One control", _sweep, controls=1),
    "grid": Spread("Two controls", _grid, controls=2),
    "around": Spread("Around this one", _around),
    "between": Spread("Between two presets", _between, presets=2),
}


def can_sweep(recipe: Recipe, control: Control) -> bool:
    """True when a control has values to sweep: a seed has too many, and a drawing none."""
    param = param_of(recipe, control)
    return param is not None and bool(param.sweep(control.low, control.high, 2))


def order(found: Sequence[Figures | None], by: str, rising: bool = False) -> list[int]:
    """Numbers of variants by a figure, the greatest first; those without it last, all else as they come."""
    if by and by not in FIGURES:
        raise KeyError(by)

    def rank(k: int) -> tuple[bool, float]:
        figures = found[k]
        value = figures.values.get(by) if figures is not None and by else None
        return value is None, 0.0 if value is None else value if rising else -value

    return sorted(range(len(found)), key=rank)


def fitting(found: Iterable[Figures | None], choices: tuple[FigureChoice, ...]) -> list[bool]:
    """True when each variant keeps within all limits; one without figures yet does."""
    return [figures is None or not figures.misses(choices) for figures in found]


def made(recipe: Recipe, by: str, names: Sequence[str], first: int, count: int) -> list[Variant]:
    """A sheet by the name of its way, and of the controls or presets that it needs. Raises RecipeError."""
    spread = SPREADS.get(by)
    if spread is None:
        raise RecipeError(f"Variants are made by {', '.join(SPREADS)}, not by {by!r}.")
    if len(names) < spread.controls + spread.presets:
        what = "control" if spread.controls else "preset"
        raise RecipeError(f"Variants by {by} need the names of {spread.controls + spread.presets} {what}s.")
    controls = [find(recipe, n) for n in names[: spread.controls]] + [None, None]
    presets = [find_preset(recipe, n) for n in names[: spread.presets]] + [None, None]
    found = spread.make(recipe, Ask(count, first, controls[0], controls[1], presets[0], presets[1]))
    if not found:
        raise RecipeError(f"Nothing can be made by {by} of {', '.join(names)}; choose controls that have a range.")
    return found
