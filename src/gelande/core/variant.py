"""Variants: what a recipe becomes under other seeds and other settings of its controls."""

from __future__ import annotations

import random
from dataclasses import dataclass, replace

from .control import param_of, set_control, value_of
from .model import Control, Recipe

LAST_SEED = 999_999


@dataclass(frozen=True)
class Variant:
    """One outcome: how it is called and the recipe that makes it."""

    name: str
    recipe: Recipe


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
    values = param.sweep(control.low, control.high, count)
    return [Variant(f"{control.label} {param.text(v)}", set_control(recipe, control, v)) for v in dict.fromkeys(values)]


def around(recipe: Recipe, count: int, reach: float = 0.2, seed: int = 1) -> list[Variant]:
    """This recipe and others near it: every number control moved at random by up to a share of its range."""
    draw = random.Random(seed)
    found = [Variant("this one", recipe)]
    for k in range(1, count):
        near = recipe
        for control in recipe.controls:
            param = param_of(recipe, control)
            if param is None or control.low is None:
                continue
            value, share = value_of(recipe, control), draw.uniform(-reach, reach)
            moved = param.near(value, control.low, control.high, share)
            if moved != value:
                near = set_control(near, control, moved)
        found.append(Variant(f"near {k}", near))
    return found


class Spread:
    """A way to lay variants out. paged: there are more of them, page after page; by_control: one control is chosen for
    it."""

    name = ""
    paged = by_control = False

    def make(self, recipe: Recipe, first: int, count: int, control: Control | None) -> list[Variant]:
        """So many variants. first: the seed that a page begins with."""
        raise NotImplementedError


class Seeds(Spread):
    """One seed after the other."""

    name, paged = "Seeds", True

    def make(self, recipe: Recipe, first: int, count: int, control: Control | None) -> list[Variant]:
        return seeds(recipe, first, count)


class Sweep(Spread):
    """One control from end to end."""

    name, by_control = "Sweep a control", True

    def make(self, recipe: Recipe, first: int, count: int, control: Control | None) -> list[Variant]:
        return sweep(recipe, control, count) if control else seeds(recipe, first, count)


class Around(Spread):
    """The recipe as it is, and others near it."""

    name = "Around this one"

    def make(self, recipe: Recipe, first: int, count: int, control: Control | None) -> list[Variant]:
        return around(recipe, count)


SPREADS: dict[str, Spread] = {"seeds": Seeds(), "sweep": Sweep(), "around": Around()}
