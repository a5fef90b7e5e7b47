"""The control sheet: parameters that the author publishes for others to set.

A control has no value of its own: it reads its first target and writes all of them, so a recipe can never
hold a control that disagrees with its node.
"""

from __future__ import annotations

import math
from dataclasses import replace

from . import param as P
from .errors import RecipeError
from .graph import set_param
from .model import MOST_CONTROLS, RECIPE, Control, Target


def param_of(recipe, control: Control):
    """The parameter declaration of a control's first target, or None when its node is unknown."""
    target = control.targets[0]
    if target.node == RECIPE:
        return P.seed(label=control.label)
    state = recipe.nodes.get(target.node)
    try:
        return state.setting(target.param) if state and state.spec else None
    except KeyError:
        return None


def value_of(recipe, control: Control):
    """The value a control shows."""
    target = control.targets[0]
    if target.node == RECIPE:
        return recipe.seed
    value = recipe.node(target.node).value(target.param)
    param = param_of(recipe, control)
    return param.without(value, target.times)


def set_control(recipe, control: Control, value):
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
            recipe = set_param(recipe, target.node, target.param, param.times(value, target.times))
    return recipe


def find(recipe, label: str) -> Control:
    """The control with this label, whatever its case. Raises RecipeError naming those there are."""
    for control in recipe.controls:
        if control.label.casefold() == label.strip().casefold():
            return control
    known = ", ".join(c.label for c in recipe.controls) or "none"
    raise RecipeError(f"There is no control called {label!r}; the recipe publishes: {known}.")


def published(recipe, node_id: str, param_id: str) -> Control | None:
    """The control that drives this parameter."""
    for control in recipe.controls:
        if any(t.node == node_id and t.param == param_id for t in control.targets):
            return control
    return None


def publish(recipe, node_id: str, param_id: str, label: str = "", group: str = ""):
    """Publishes one parameter with its soft range; the label is made unique."""
    if published(recipe, node_id, param_id):
        return recipe
    if len(recipe.controls) >= MOST_CONTROLS:
        raise RecipeError(f"The control sheet holds {MOST_CONTROLS} controls already; take some off first.")
    if node_id == RECIPE:
        low, high, base, home = 0, 999_999, "Seed", "Land"
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


def checked_control(recipe, control: Control) -> Control:
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
        if first and type(param) is not type(first):
            raise RecipeError(f"Control {control.label}: {param.label} and {first.label} are of different kinds.")
        if isinstance(param, P.Number):
            _check_range(control, param, target)
    return control


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


def replace_control(recipe, old: Control, new: Control):
    """Changes a control's label, group, sentence, range or targets."""
    if new.label.casefold() != old.label.casefold() and any(
        c.label.casefold() == new.label.casefold() for c in recipe.controls
    ):
        raise RecipeError(f"There is already a control called {new.label}.")
    new = checked_control(recipe, new)
    return replace(recipe, controls=tuple(new if c is old else c for c in recipe.controls))


def reorder(recipe, control: Control, index: int):
    """Moves a control to another place on the sheet."""
    rest = [c for c in recipe.controls if c is not control]
    rest.insert(max(0, min(index, len(rest))), control)
    return replace(recipe, controls=tuple(rest))
