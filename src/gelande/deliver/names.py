"""Names of files and folders of deliveries."""

from __future__ import annotations

import re
from pathlib import Path

from gelande.core.model import Deliverable, Recipe
from gelande.core.recipe import fingerprint

from .formats import FORMATS


def slug(text: str, most: int = 80) -> str:
    """A text as part of a file name, of at most this many characters."""
    return re.sub(r"[^a-z0-9]+", "_", text.casefold()).strip("_")[:most] or "untitled"


def file_name(recipe: Recipe, deliverable: Deliverable) -> str:
    """The file of a deliverable: site, what it is, extension."""
    extension = FORMATS[deliverable.format].extension if deliverable.format in FORMATS else ""
    return f"{slug(recipe.site.name)}_{slug(deliverable.name)}{extension}"


def default_folder(recipe: Recipe, base: Path) -> Path:
    """Where a delivery goes when nobody says."""
    return base / "deliver" / f"{slug(recipe.site.name)}_{recipe.seed}"


def variant_folder(recipe: Recipe, name: str, base: Path) -> Path:
    """Where a variant's delivery goes: each into one of its own, the same variant into the same. A plain seed's is
    the recipe's usual one."""
    if name == f"seed {recipe.seed}":
        return default_folder(recipe, base)
    return base / "deliver" / f"{slug(recipe.site.name)}_{recipe.seed}_{slug(name, 60)}_{fingerprint(recipe)[:6]}"


def manifest_name(recipe: Recipe) -> str:
    """The file that says what a delivery is."""
    return f"{slug(recipe.site.name)}_manifest.json"
