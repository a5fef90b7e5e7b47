"""Settings: the values of all controls under a name, taken from a recipe and brought back into one."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from ..errors import RecipeError
from ..recipe import param as P
from ..recipe.choices import MOST_SETTINGS, Setting
from ..recipe.control import param_of, set_control, value_of
from ..recipe.model import RECIPE, Control, Recipe
from ..words import clean


def drives_seed(control: Control) -> bool:
    """Whether a control is the recipe's seed."""
    return control.targets[0].node == RECIPE


def taken(recipe: Recipe, name: str = "") -> Setting:
    """The values that all controls have now."""
    values = []
    for control in recipe.controls:
        if not drives_seed(control) and param_of(recipe, control) is not None:
            values.append((control.label, value_of(recipe, control)))
    return Setting(name, recipe.seed, recipe.locks, tuple(sorted(values, key=lambda v: v[0])))


def given(recipe: Recipe, setting: Setting) -> tuple[Recipe, list[str]]:
    """The recipe under a setting, and a sentence for each value that has no place in it any more: those controls stay
    as they are."""
    told = []
    recipe = replace(recipe, seed=setting.seed, locks=setting.locks)
    known = {c.label.casefold(): c for c in recipe.controls}
    for label, value in setting.values:
        control = known.get(label.casefold())
        if control is None:
            told.append(f"There is no control called {label} any more.")
            continue
        try:
            recipe = set_control(recipe, control, value)
        except RecipeError as error:
            told.append(str(error))
    return recipe, told


def differences(recipe: Recipe, one: Setting, two: Setting) -> list[tuple[str, str, str]]:
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


def between(recipe: Recipe, one: Setting, two: Setting, share: float) -> Setting:
    """A setting on the way from one to another: numbers by a share of the way, all else as the nearer one has it."""
    near, second = (one if share < 0.5 else two), dict(two.values)
    params = {c.label: param_of(recipe, c) for c in recipe.controls}
    values: list[tuple[str, Any]] = []
    for label, a in one.values:
        b, param = second.get(label, a), params.get(label)
        if isinstance(param, P.Number) and not isinstance(param, P.Seed):
            values.append((label, param.rounded(a + (b - a) * share)))
        else:
            values.append((label, a if share < 0.5 else b))
    return Setting("", near.seed, near.locks, tuple(values))


def find_setting(recipe: Recipe, name: str) -> Setting:
    """The setting with this name, whatever its case. Raises RecipeError naming those there are."""
    for setting in recipe.settings:
        if setting.name.casefold() == name.strip().casefold():
            return setting
    known = ", ".join(s.name for s in recipe.settings) or "none"
    raise RecipeError(f"There is no setting called {name!r}; the recipe has: {known}.")


def named(recipe: Recipe, name: str) -> Recipe:
    """The recipe with its present values as a setting under a name; one that is there under this name is replaced."""
    name = clean(name, 80).strip()
    if not name:
        raise RecipeError("A setting needs a name of at least one letter.")
    new = taken(recipe, name)
    at = next((k for k, s in enumerate(recipe.settings) if s.name.casefold() == name.casefold()), None)
    if at is None and len(recipe.settings) >= MOST_SETTINGS:
        raise RecipeError(f"The recipe holds {MOST_SETTINGS} settings already; delete some first.")
    settings = (
        (*recipe.settings, new) if at is None else tuple(new if k == at else s for k, s in enumerate(recipe.settings))
    )
    return replace(recipe, settings=settings)


def without(recipe: Recipe, name: str) -> Recipe:
    """The recipe without a setting."""
    gone = find_setting(recipe, name)
    return replace(recipe, settings=tuple(s for s in recipe.settings if s is not gone))
