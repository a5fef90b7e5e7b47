"""What a recipe keeps beside its graph: site, cameras, presets, areas, figures, bakes."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from .building import Building, Node, nearest
from .core.errors import RecipeError, stops_told
from .core.evaluate import bake
from .core.evaluate.executor import Evaluator
from .core.evaluate.job import Job, Stop
from .core.recipe import cameras, control, sheetfile
from .core.recipe.blocks import KeepBlock
from .core.recipe.choices import FIGURE_IDS, FigureChoice, Keep
from .core.recipe.model import NamedCamera
from .core.recipe.site import Site
from .core.regenerate import kept_ground, preset
from .core.words import clean


class Keeping(Building):
    """The part of a land that keeps things beside its graph."""

    _evaluator: Evaluator
    stop: Stop
    #: Where the recipe was read from, or saved last.
    path: Path | None = None
    #: Called with (share done 0-1, what is being worked on, seconds left or None) while something is computed.
    progress: Callable[[float, str, float | None], None] | None = None

    def _job(self) -> Job:
        return Job(self._recipe, self._folder, self.stop, self.progress)

    # -- site -------------------------------------------------------------------------------------------
    def set_site(
        self,
        name: str | None = None,
        width: float | None = None,
        depth: float | None = None,
        sea_level: float | None = None,
        author: str | None = None,
    ) -> None:
        """Changes the site: metres; a sea level gives it a sea. Settings in metres stay as they are. Raises
        RecipeError."""
        was = self._recipe.site
        level = was.sea_level if sea_level is None else float(sea_level)
        size = (width or was.width, depth or was.depth)
        called = clean(name, 80) if name else was.name
        site = Site.fitted(called, *size, was.base, level, was.has_sea or sea_level is not None, was.bare)
        author = self._recipe.author if author is None else clean(author, 80)
        self._edit(replace(self._recipe, site=site, author=author))

    # -- cameras ----------------------------------------------------------------------------------------
    @property
    def cameras(self) -> list[NamedCamera]:
        """The cameras that are kept, in the order of their keys."""
        return list(self._recipe.cameras)

    def keep_camera(self, name: str, east: float, north: float, height: float, heading: float, pitch: float) -> None:
        """Keeps a camera: metres of the eye, degrees clockwise from north and above the horizon; another one of that
        name moves there. Raises RecipeError."""
        camera = NamedCamera(name, east, north, height, heading, pitch)
        names = [c.name for c in self._recipe.cameras]
        if name in names:
            self._edit(cameras.put(self._recipe, names.index(name), camera))
        else:
            self._edit(cameras.keep(self._recipe, camera))

    def rename_camera(self, name: str, new: str) -> None:
        """Gives a camera another name."""
        self._edit(cameras.rename(self._recipe, self._camera(name), new))

    def forget_camera(self, name: str) -> None:
        """Takes a camera off."""
        self._edit(cameras.remove(self._recipe, self._camera(name)))

    def _camera(self, name: str) -> int:
        names = [c.name for c in self._recipe.cameras]
        if name not in names:
            raise RecipeError(f"There is no camera called {name}{nearest(name, names)}.")
        return names.index(name)

    # -- presets, areas, figures ----------------------------------------------------------------------------
    def forget_preset(self, name: str) -> None:
        """Takes a preset off."""
        self._edit(preset.without_preset(self._recipe, name))

    @property
    def areas(self) -> list[Keep]:
        """Areas whose ground is kept."""
        return list(self._recipe.keeps)

    def change_area(self, name: str, **changes: object) -> None:
        """Changes a kept area: name, width, fade (metres), on. Raises RecipeError."""
        index = self._area(name)
        try:
            area = replace(self._recipe.keeps[index], **changes)  # type: ignore[arg-type]
        except TypeError:
            raise RecipeError(f"An area has no {', '.join(changes)}; it has name, width, fade and on.") from None
        self._edit(kept_ground.changed(self._recipe, index, area))

    def forget_area(self, name: str) -> None:
        """Lets an area go: its ground is again what the recipe makes."""
        self._edit(kept_ground.changed(self._recipe, self._area(name), None))

    def _area(self, name: str) -> int:
        names = [k.name for k in self._recipe.keeps]
        if name not in names:
            raise RecipeError(f"There is no area called {name}{nearest(name, names)}.")
        return names.index(name)

    def choose_figures(self, *names: str, limits: dict[str, tuple[float | None, float | None]] | None = None) -> None:
        """Chooses the figures that count, and limits of some. Raises RecipeError offering the nearest name."""
        for name in names:
            if name not in FIGURE_IDS:
                raise RecipeError(f"There is no figure called {name}{nearest(name, FIGURE_IDS)}.")
        ends = limits or {}
        found = tuple(FigureChoice(name, *ends.get(name, (None, None))) for name in names)
        self._edit(replace(self._recipe, figures=found))

    # -- as a delivery states it --------------------------------------------------------------------------
    def as_delivered(self, manifest: dict[str, Any]) -> list[str]:
        """Takes seed, locked seeds, values of controls and kept areas from a delivery's manifest. Returns a sentence
        for each thing that has no place in this recipe."""
        told: list[str] = []
        recipe = replace(self._recipe, seed=int(manifest.get("recipe_seed", self._recipe.seed)))
        recipe = replace(recipe, locks=tuple((str(k), int(v)) for k, v in manifest.get("seeds_locked", {}).items()))
        for label, held in manifest.get("controls", {}).items():
            try:
                one = control.find(recipe, label)
                recipe = control.set_control(recipe, one, _tuples(held["value"]))
            except (RecipeError, KeyError, TypeError, ValueError) as error:
                told.append(f"{clean(str(label), 80)} of the delivery has no place: {clean(str(error), 160)}")
        try:
            blocks = [KeepBlock.model_validate(block) for block in manifest.get("kept_areas", ())]
            recipe = replace(recipe, keeps=sheetfile.read_keeps(recipe, blocks))
        except (RecipeError, ValueError) as error:
            told.append(f"The kept areas of the delivery have no place: {clean(str(error), 160)}")
        self._edit(recipe)
        return told

    # -- bakes ----------------------------------------------------------------------------------------------
    @stops_told()
    def bake(self, node: Node, detail: int = 513) -> None:
        """Computes a node up to a detail and keeps its results beside the recipe, which must have been saved: it gives
        them from then on. Raises RecipeError."""
        if self.path is None:
            raise RecipeError("Save the recipe first: bakes lie beside it.")
        made = bake.make(self._evaluator, self._job(), node.id, self.site.level_of(detail), self.path)
        self._edit(bake.set_bake(self._recipe, node.id, made))

    def release(self, node: Node) -> None:
        """Lets a node compute again."""
        self._edit(bake.released(self._recipe, node.id))

    def _saved_at(self, path: str | os.PathLike) -> None:
        """Where outside files are named from stays the folder that the recipe was opened in, if it was."""
        path = Path(path).resolve()
        if self.path is None or self.has_arrays:
            self._folder = path.parent
        self.path = path


def _tuples(value: Any) -> Any:
    """A value as recipes hold it, from how JSON has it."""
    return tuple(map(_tuples, value)) if isinstance(value, list) else value
