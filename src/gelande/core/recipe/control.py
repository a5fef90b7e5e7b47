"""The control sheet: parameters that the author publishes for others to set.

A control has no value of its own: it reads its first target and writes all of them, so a recipe can never
hold a control that disagrees with its node. A target is driven by a factor, or from one value to another by a curve; a
control whose targets are driven so runs from 0 to 100 %.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from typing import Any

from gelande.core.recipe.model import Recipe

from ..errors import RecipeError
from . import param as P
from .choices import Preset
from .graph import set_param
from .model import MOST_CONTROLS, RECIPE, Control, Target

#: How a control's way from its lowest to its highest value is a target's, and the way back.
CURVES: dict[str, tuple[Callable[[float], float], Callable[[float], float]]] = {
    "Straight": (lambda t: t, lambda y: y),
    "Slow start": (lambda t: t * t, lambda y: math.sqrt(y)),
    "Fast start": (lambda t: t * (2 - t), lambda y: 1 - math.sqrt(1 - y)),
    "Slow at both ends": (
        lambda t: t * t * (3 - 2 * t),
        lambda y: 0.5 - math.sin(math.asin(min(1.0, max(-1.0, 1 - 2 * y))) / 3),
    ),
}


def driven(control: Control, target: Target, value: float) -> float:
    """A mapped target's number for a control's."""
    assert target.span is not None and control.low is not None and control.high is not None
    fraction = (value - control.low) / (control.high - control.low)
    return target.span[0] + (target.span[1] - target.span[0]) * CURVES[target.curve][0](min(1.0, max(0.0, fraction)))


def _back(control: Control, target: Target, number: float) -> float:
    """A control's number for a mapped target's."""
    assert target.span is not None and control.low is not None and control.high is not None
    fraction = (number - target.span[0]) / (target.span[1] - target.span[0])
    found = CURVES[target.curve][1](min(1.0, max(0.0, fraction)))
    return round(control.low + (control.high - control.low) * found, 9)


def declared(recipe: Recipe, target: Target) -> Any:
    """The parameter declaration of a target, or None when its node is unknown."""
    if target.node == RECIPE:
        return P.seed()
    state = recipe.nodes.get(target.node)
    try:
        return state.setting(target.param) if state and state.spec else None
    except KeyError:
        return None


def param_of(recipe: Recipe, control: Control):
    """Parameter that a control sets: that of its first target, or a share of the way when that is mapped; None
    when its node is unknown."""
    target = control.targets[0]
    if target.span is not None and declared(recipe, target) is not None:
        return P.fraction("share", control.label, 0.5, control.help)
    if target.node == RECIPE:
        return P.seed(label=control.label)
    state = recipe.nodes.get(target.node)
    try:
        return state.setting(target.param) if state and state.spec else None
    except KeyError:
        return None


def value_of(recipe: Recipe, control: Control) -> Any:
    """The value a control shows."""
    target = control.targets[0]
    if target.node == RECIPE:
        return recipe.seed
    value = recipe.node(target.node).value(target.param)
    if target.span is not None:
        return _back(control, target, value)
    return param_of(recipe, control).without(value, target.times)


def stepped(recipe: Recipe, control: Control, value: float) -> float:
    """A control's value moved to the nearest of its steps, within its range."""
    low, high = control.low, control.high
    if control.step is None or low is None or high is None or isinstance(value, bool):
        return value
    param = param_of(recipe, control)
    near = round(value / control.step) * control.step
    inside = min(max(float(f"{near:.12g}"), low), high)
    return param.rounded(inside) if param is not None else inside


def shown(recipe: Recipe, control: Control) -> bool:
    """True when a control is to be shown: the one that it depends on has a value that calls for it."""
    if not control.shown_when:
        return True
    label, values = control.shown_when
    other = next((c for c in recipe.controls if c.label == label), None)
    return other is None or param_of(recipe, other) is None or value_of(recipe, other) in values


def set_control(recipe: Recipe, control: Control, value: Any) -> Recipe:
    """The recipe with this control set. Raises RecipeError when the value is outside the control's range."""
    param = param_of(recipe, control)
    if param is None:
        raise RecipeError(f"{control.label}: the node it drives is not known here.")
    try:
        if control.low is not None and param.numeric and not control.low <= param.check(value) <= control.high:
            raise ValueError(
                f"{control.label} is {param.text(value)}, outside "
                f"{param.text(control.low)} to {param.text(control.high)}"
            )
    except ValueError as error:
        raise RecipeError(f"Control sheet: {error}.") from None
    for target in control.targets:
        if target.node == RECIPE:
            recipe = replace(recipe, seed=param.check(value))
        else:
            own = declared(recipe, target)
            if own is None:
                continue  # of a node that this version does not know
            moved = own.rounded(driven(control, target, value)) if target.span else own.times(value, target.times)
            recipe = set_param(recipe, target.node, target.param, moved)
    return recipe


def find(recipe: Recipe, label: str) -> Control:
    """The control with this label, whatever its case. Raises RecipeError naming those there are."""
    for control in recipe.controls:
        if control.label.casefold() == label.strip().casefold():
            return control
    known = ", ".join(c.label for c in recipe.controls) or "none"
    raise RecipeError(f"There is no control called {label!r}; the recipe publishes: {known}.")


def published(recipe: Recipe, node_id: str, param_id: str) -> Control | None:
    """The control that drives this parameter."""
    for control in recipe.controls:
        if any(t.node == node_id and t.param == param_id for t in control.targets):
            return control
    return None


def publish(recipe: Recipe, node_id: str, param_id: str, label: str = "", group: str = "") -> Recipe:
    """Publishes one parameter with its soft range; the label is made unique."""
    if published(recipe, node_id, param_id):
        return recipe
    if len(recipe.controls) >= MOST_CONTROLS:
        raise RecipeError(f"The control sheet holds {MOST_CONTROLS} controls already; take some off first.")
    if node_id == RECIPE:
        low: float | None = 0
        high: float | None = 999_999
        base, home = "Seed", "Land"
        help = "Another number gives another landscape of the same kind."
    else:
        state = recipe.node(node_id)
        param = state.setting(param_id)
        low, high = param.control_range(state.value(param_id), recipe.site.long_side)
        base, home, help = param.label, state.name, param.help
    label = label or base
    taken = {c.label.casefold() for c in recipe.controls}
    if label.casefold() in taken and node_id != RECIPE:
        label = f"{recipe.node(node_id).name} {base.lower()}"
    plain, n = label, 2
    while label.casefold() in taken:
        label, n = f"{plain} {n}", n + 1
    control = Control(label, group or home, (Target(node_id, param_id),), low, high, help)
    return replace(recipe, controls=(*recipe.controls, control))


def unpublish(recipe, node_id: str, param_id: str):
    """Takes one parameter off the control sheet."""
    controls = []
    for control in recipe.controls:
        targets = tuple(t for t in control.targets if (t.node, t.param) != (node_id, param_id))
        if targets:
            controls.append(replace(control, targets=targets))
    return replace(recipe, controls=tuple(controls))


def checked_control(recipe: Recipe, control: Control) -> Control:
    """The control if it is sound: label free, range ordered and inside the hard range of every target."""
    if not control.label.strip():
        raise RecipeError("A control needs a name of at least one letter.")
    for value in (control.low, control.high):
        if value is not None and not math.isfinite(value):
            raise RecipeError(f"Control {control.label}: its range must be of numbers.")
    if any(not 1e-9 <= abs(t.times) <= 1e9 for t in control.targets):
        raise RecipeError(f"Control {control.label}: what it drives must be times a number that is not 0.")
    if not control.targets:
        raise RecipeError(f"Control {control.label}: it drives nothing.")
    first = param_of(recipe, control)
    for target in control.targets:
        if target.node == RECIPE:
            continue
        state = recipe.nodes.get(target.node)
        if state is None:
            raise RecipeError(f"Control {control.label}: its node {target.node} does not exist.")
        if state.spec is None:
            continue
        try:
            param = state.setting(target.param)
        except KeyError:
            raise RecipeError(f"Control {control.label}: {state.name} has no parameter {target.param}.") from None
        mapped = target.span is not None
        if mapped != (control.targets[0].span is not None):
            raise RecipeError(
                f"Control {control.label}: either all that it drives runs from one value to another, or nothing does."
            )
        if mapped:
            _check_span(control, param, target)
        elif first and type(param) is not type(first):
            raise RecipeError(f"Control {control.label}: {param.label} and {first.label} are of different kinds.")
        elif isinstance(param, P.Number):
            _check_range(control, param, target)
    if control.step is not None and not 0 < control.step < math.inf:
        raise RecipeError(f"Control {control.label}: its step must be more than 0.")
    return control


def _check_span(control: Control, param: P.Param, target: Target) -> None:
    """Raises RecipeError unless a mapped target's ends lie within what it may be."""
    if not isinstance(param, P.Number) or isinstance(param, P.Seed):
        raise RecipeError(
            f"Control {control.label}: {param.label} is no number that can run from one value to another."
        )
    low, high = control.low, control.high
    if low is None or high is None or not 0 <= low < high <= 1:
        raise RecipeError(f"Control {control.label}: it must run within 0 to 100 %.")
    if target.curve not in CURVES:
        raise RecipeError(f"Control {control.label}: there is no curve called {target.curve!r}.")
    assert target.span is not None
    if target.span[0] == target.span[1] or not all(param.hard[0] <= v <= param.hard[1] for v in target.span):
        raise RecipeError(
            f"Control {control.label}: {param.label} must run between two values within {param.range_text}."
        )


def _check_range(control: Control, param: P.Number, target: Target) -> None:
    """Raises RecipeError unless a control's range lies within what its target may be."""
    low, high = control.low, control.high
    if low is None or high is None:
        raise RecipeError(f"Control {control.label}: it needs a lowest and a highest value.")
    inside = all(param.hard[0] <= v * target.times <= param.hard[1] for v in (low, high))
    if not (low < high and inside):
        raise RecipeError(
            f"Control {control.label}: its range {param.text(low)} to {param.text(high)} is not inside {param.label}'s "
            f"{param.range_text}."
        )


def without_misfits(recipe: Recipe) -> Recipe:
    """The recipe without controls that are not sound any more, and without those values of presets and kept areas
    that their controls would not take: a node that became another kind has settings of the same names that take
    others."""
    controls = tuple(c for c in recipe.controls if _is_sound(recipe, c))
    recipe = replace(recipe, controls=controls) if controls != recipe.controls else recipe
    params = {c.label: param_of(recipe, c) for c in controls}

    def takes(label: str, value: Any) -> bool:
        try:
            return params.get(label) is None or params[label].check(value) is not None
        except ValueError:
            return False

    def fitting(preset: Preset) -> Preset:
        values = tuple(v for v in preset.values if takes(*v))
        return preset if len(values) == len(preset.values) else replace(preset, values=values)

    presets, keeps = tuple(map(fitting, recipe.presets)), tuple(replace(k, of=fitting(k.of)) for k in recipe.keeps)
    return (
        recipe if (presets, keeps) == (recipe.presets, recipe.keeps) else replace(recipe, presets=presets, keeps=keeps)
    )


def _is_sound(recipe: Recipe, control: Control) -> bool:
    try:
        checked_control(recipe, control)
    except RecipeError:
        return False
    return True


def replace_control(recipe: Recipe, old: Control, new: Control) -> Recipe:
    """Changes a control's label, group, sentence, range or targets."""
    if new.label.casefold() != old.label.casefold() and any(
        c.label.casefold() == new.label.casefold() for c in recipe.controls
    ):
        raise RecipeError(f"There is already a control called {new.label}.")
    new = checked_control(recipe, new)
    recipe = replace(recipe, controls=tuple(new if c is old else c for c in recipe.controls))
    return _renamed(recipe, old.label, new.label) if new.label != old.label else recipe


def _renamed(recipe: Recipe, old: str, new: str) -> Recipe:
    """The recipe in which all that names a control by its label names the new one."""
    controls = tuple(
        replace(c, shown_when=(new, c.shown_when[1])) if c.shown_when and c.shown_when[0] == old else c
        for c in recipe.controls
    )
    presets = tuple(s.renamed(old, new) for s in recipe.presets)
    keeps = tuple(replace(k, of=k.of.renamed(old, new)) for k in recipe.keeps)
    return replace(recipe, controls=controls, presets=presets, keeps=keeps)


def reorder(recipe: Recipe, control: Control, index: int) -> Recipe:
    """Moves a control to another place on the sheet."""
    rest = [c for c in recipe.controls if c is not control]
    rest.insert(max(0, min(index, len(rest))), control)
    return replace(recipe, controls=tuple(rest))
