"""What an artist chose in a recipe, in a file of its own beside it (*.gelande-set): the author's file is never
touched."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from ..errors import GelandeError, RecipeError
from ..files.disk import reason_of, sweep, write_text
from ..recipe.blocks import SetBlock, damaged
from ..recipe.model import Recipe
from ..recipe.recipefile import parsed_json, pretty, read_text
from ..recipe.sheetfile import keep_block, read_keeps, read_pins, read_presets, read_values, values_block
from .kept_ground import with_step
from .preset import apply_preset, capture_preset

FORMAT, VERSION = "gelande set", 1
SUFFIX = ".gelande-set"


def path_beside(recipe_path: Path) -> Path:
    """The set file of a recipe file."""
    return Path(recipe_path).with_suffix(SUFFIX)


def dumps(recipe: Recipe, base: Recipe, name: str) -> str:
    """Text of what was chosen in a recipe since it was opened as base. name: of the recipe's file."""
    authored = set(base.presets)
    block: dict[str, Any] = {
        "format": FORMAT,
        "version": VERSION,
        "recipe": name,
        "now": values_block(recipe, capture_preset(recipe)),
        "presets": [{"name": s.name, **values_block(recipe, s)} for s in recipe.presets if s not in authored],
        "keeps": [keep_block(recipe, k) for k in recipe.keeps],
        "pins": [list(p) for p in recipe.measures.pins],
    }
    return pretty(block) + "\n"


def loads(text: str, base: Recipe) -> tuple[Recipe, list[str]]:
    """The author's recipe with what was chosen, and a sentence for each thing that has no place in it any more. Raises
    RecipeError with one sentence."""
    block = parsed_json(text, "set file")
    if not isinstance(block, dict) or block.get("format") != FORMAT:
        raise RecipeError(f'This is no set file: it does not say "format": "{FORMAT}".')
    if isinstance(block.get("version"), int) and block["version"] > VERSION:
        raise RecipeError(f"The set file is of format version {block['version']}; open it with a newer Gelande.")
    try:
        parsed = SetBlock.model_validate(block)
    except ValidationError as error:
        raise damaged(error, "set file") from None
    recipe, told = apply_preset(base, read_values(base, parsed.now, "What was chosen"))
    own = {s.name.casefold(): s for s in read_presets(base, parsed.presets)}
    presets = [own.pop(s.name.casefold(), s) for s in base.presets]
    keeps = read_keeps(base, parsed.keeps)
    recipe = replace(
        recipe,
        presets=(*presets, *own.values()),
        keeps=keeps,
        measures=replace(base.measures, pins=read_pins(parsed.pins) or base.measures.pins),
    )
    if keeps:
        try:
            recipe = with_step(recipe)
        except RecipeError as error:
            told.append(str(error))
    return recipe, told


def load(path: Path, base: Recipe) -> tuple[Recipe, list[str]]:
    """The same from a file. Raises RecipeError with one sentence that names it."""
    text = read_text(Path(path), "set file")
    try:
        return loads(text, base)
    except GelandeError as error:
        words = str(error)
        raise RecipeError(words if Path(path).name in words else f"{Path(path).name}: {words}") from None


def save(recipe: Recipe, base: Recipe, path: Path, name: str) -> None:
    """Writes a set file whole or not at all. Raises RecipeError."""
    try:
        sweep(Path(path).resolve().parent)
        write_text(Path(path), dumps(recipe, base, name), folders=False)
    except OSError as error:
        raise RecipeError(f"{path} cannot be saved: {reason_of(error)}. Nothing was changed.") from None
