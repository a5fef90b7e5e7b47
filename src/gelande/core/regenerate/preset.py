"""Presets: the values of all controls under a name, taken from a recipe and brought back into one."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from ..errors import RecipeError
from ..recipe import param as P
from ..recipe.choices import MOST_PRESETS, Preset
from ..recipe.control import param_of, set_control, value_of
from ..recipe.model import RECIPE, Control, Recipe
from ..words import clean


def drives_seed(control: Control) -> bool:
    """True when a control is the recipe's seed."""
    return control.targets[0].node == RECIPE


def capture_preset(recipe: Recipe, name: str = "") -> Preset:
    """The values that all controls have now."""
    values = []
    for control in recipe.controls:
        if not drives_seed(control) and param_of(recipe, control) is not None:
            values.append((control.label, value_of(recipe, control)))
    return Preset(name, recipe.seed, recipe.locks, tuple(sorted(values, key=lambda v: v[0])))


def apply_preset(recipe: Recipe, preset: Preset) -> tuple[Recipe, list[str]]:
    """The recipe under a preset, and a sentence for each value that has no place in it any more: those controls stay
    as they are."""
    told = []
    recipe = replace(recipe, seed=preset.seed, locks=preset.locks)
    known = {c.label.casefold(): c for c in recipe.controls}
    for label, value in preset.values:
        control = known.get(label.casefold())
        if control is None:
            told.append(f"There is no control called {label} any more.")
            continue
        try:
            recipe = set_control(recipe, control, value)
        except RecipeError as error:
            told.append(str(error))
    return recipe, told


def differences(recipe: Recipe, one: Preset, two: Preset) -> list[tuple[str, str, str]]:
    """(control, value of the one, value of the other) as people read them, of those that are not the same."""
    found = []
    if one.seed != two.seed:
        found.append(("Seed", str(one.seed), str(two.seed)))
    for group, a, b in ((g, dict(one.locks).get(g), dict(two.locks).get(g)) for g in dict(one.locks + two.locks)):
        if a != b:
            first, second = ("free" if v is None else f"locked at {v}" for v in (a, b))
            found.append((f"Seed of {group}", first, second))
    ones, twos = dict(one.values), dict(two.values)
    for control in recipe.controls:
        param, label = param_of(recipe, control), control.label
        if param is None or label not in ones and label not in twos:
            continue
        first, second = (param.text(v[label]) if label in v else "not told" for v in (ones, twos))
        if first != second:
            found.append((label, first, second))
    return found


def interpolate(recipe: Recipe, one: Preset, two: Preset, fraction: float) -> Preset:
    """A preset on the way from one to another: numbers by a share of the way, all else as the nearer one has it."""
    near, second = (one if fraction < 0.5 else two), dict(two.values)
    params = {c.label: param_of(recipe, c) for c in recipe.controls}
    values: list[tuple[str, Any]] = []
    for label, a in one.values:
        b, param = second.get(label, a), params.get(label)
        if isinstance(param, P.Number) and not isinstance(param, P.Seed):
            values.append((label, param.rounded(a + (b - a) * fraction)))
        else:
            values.append((label, a if fraction < 0.5 else b))
    return Preset("", near.seed, near.locks, tuple(values))


def find_preset(recipe: Recipe, name: str) -> Preset:
    """The preset with this name, whatever its case. Raises RecipeError naming those there are."""
    for preset in recipe.presets:
        if preset.name.casefold() == name.strip().casefold():
            return preset
    known = ", ".join(s.name for s in recipe.presets) or "none"
    raise RecipeError(f"There is no preset called {name!r}; the recipe has: {known}.")


def with_preset(recipe: Recipe, name: str) -> Recipe:
    """The recipe with its present values as a preset under a name; one that is there under this name is replaced."""
    name = clean(name, 80).strip()
    if not name:
        raise RecipeError("A preset needs a name of at least one letter.")
    new = capture_preset(recipe, name)
    at = next((k for k, s in enumerate(recipe.presets) if s.name.casefold() == name.casefold()), None)
    if at is None and len(recipe.presets) >= MOST_PRESETS:
        raise RecipeError(f"The recipe holds {MOST_PRESETS} presets already; delete some first.")
    presets = (
        (*recipe.presets, new) if at is None else tuple(new if k == at else s for k, s in enumerate(recipe.presets))
    )
    return replace(recipe, presets=presets)


def without_preset(recipe: Recipe, name: str) -> Recipe:
    """The recipe without a preset."""
    gone = find_preset(recipe, name)
    return replace(recipe, presets=tuple(s for s in recipe.presets if s is not gone))
