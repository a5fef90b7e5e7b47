"""Edits of the cameras that a recipe keeps."""

from __future__ import annotations

from dataclasses import replace

from ..errors import RecipeError
from ..words import clean
from .model import MOST_CAMERAS, NamedCamera, Recipe

#: Longest name that is kept.
LONGEST = 60


def keep(recipe: Recipe, camera: NamedCamera) -> Recipe:
    """The recipe with one camera more. Raises RecipeError when there are as many as there are keys to step to them."""
    if len(recipe.cameras) >= MOST_CAMERAS:
        raise RecipeError(f"The recipe keeps {MOST_CAMERAS} cameras, one for each key; remove one first.")
    return replace(recipe, cameras=(*recipe.cameras, replace(camera, name=_free_name(recipe, camera.name))))


def rename(recipe: Recipe, index: int, name: str) -> Recipe:
    """The recipe with another name of a camera. Raises RecipeError when there is no such camera."""
    camera = _at(recipe, index)
    others = replace(recipe, cameras=recipe.cameras[:index] + recipe.cameras[index + 1 :])
    return _with(recipe, index, (replace(camera, name=_free_name(others, name)),))


def put(recipe: Recipe, index: int, camera: NamedCamera) -> Recipe:
    """The recipe with a camera moved to where another one stands, under its own name."""
    return _with(recipe, index, (replace(camera, name=_at(recipe, index).name),))


def remove(recipe: Recipe, index: int) -> Recipe:
    """The recipe without a camera."""
    _at(recipe, index)
    return _with(recipe, index, ())


def _at(recipe: Recipe, index: int) -> NamedCamera:
    if not 0 <= index < len(recipe.cameras):
        raise RecipeError(f"There is no camera {index + 1} in this recipe.")
    return recipe.cameras[index]


def _with(recipe: Recipe, index: int, cameras: tuple[NamedCamera, ...]) -> Recipe:
    return replace(recipe, cameras=(*recipe.cameras[:index], *cameras, *recipe.cameras[index + 1 :]))


def _free_name(recipe: Recipe, name: str) -> str:
    """The name, or the next free camera number when it is empty or taken."""
    taken = {c.name.casefold() for c in recipe.cameras}
    name = clean(name, LONGEST).strip()
    if name and name.casefold() not in taken:
        return name
    stem = name or "Camera"
    return next(f"{stem} {k}" for k in range(1, 100) if f"{stem} {k}".casefold() not in taken)
