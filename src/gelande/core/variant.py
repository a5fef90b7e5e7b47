"""Variants: what a recipe becomes under other seeds and other settings of its controls."""

from __future__ import annotations

import random
from dataclasses import dataclass, replace

from .control import Control, param_of, set_control, value_of
from .graph import Recipe

LAST_SEED = 999_999


@dataclass(frozen=True)
class Variant:
    """One outcome: how it is called and the recipe that makes it."""

    name: str
    recipe: Recipe


def seeds(recipe: Recipe, first: int, count: int) -> list[Variant]:
    """The recipe under ``count`` seeds from ``first`` on."""
    return [Variant(f"seed {s}", replace(recipe, seed=s)) for s in ((first + k) % (LAST_SEED + 1) for k in range(count))]


def sweep(recipe: Recipe, control: Control, count: int) -> list[Variant]:
    """The recipe with one control set evenly from its lowest to its highest value (every word of a choice)."""
    param = param_of(recipe, control)
    if param is None:
        return []
    if param.kind == "choice":
        values = list(param.choices)
    elif param.kind == "toggle":
        values = [False, True]
    elif param.numeric:
        values = [control.low + (control.high - control.low) * k / (count - 1) for k in range(count)]
        values = [v if param.kind == "number" else round(v) for v in values]
    else:
        return []
    return [Variant(f"{control.label} {param.text(v)}", set_control(recipe, control, v)) for v in dict.fromkeys(values)]


def around(recipe: Recipe, count: int, reach: float = 0.2, seed: int = 1) -> list[Variant]:
    """This recipe and others near it: every number control moved at random by up to a share of its range."""
    draw = random.Random(seed)
    found = [Variant("this one", recipe)]
    for k in range(1, count):
        near = recipe
        for control in recipe.controls:
            param = param_of(recipe, control)
            if param is None or param.kind not in ("number", "count"):
                continue
            value = value_of(recipe, control) + draw.uniform(-reach, reach) * (control.high - control.low)
            value = min(max(value, control.low), control.high)
            near = set_control(near, control, value if param.kind == "number" else round(value))
        found.append(Variant(f"near {k}", near))
    return found
