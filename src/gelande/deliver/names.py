"""Names of files and folders of deliveries."""

from __future__ import annotations

import re
from pathlib import Path

from gelande.core.recipe.deliverables import Deliverable
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.recipefile import fingerprint

from . import worldfile
from .formats import FORMATS
from .parts import Part, parts_of


def slug(text: str, most: int = 80) -> str:
    """A text as part of a file name, of at most this many characters."""
    return re.sub(r"[^a-z0-9]+", "_", text.casefold()).strip("_")[:most] or "untitled"


def stem(recipe: Recipe, deliverable: Deliverable, level: int, part: Part | None = None) -> str:
    """The name of a deliverable's file without its end, by the delivery's pattern. part: a tile; its column and row
    follow at the end when the pattern does not say where they go."""
    pattern = recipe.delivery.pattern
    if "{what}" not in pattern:
        pattern += "_{what}"
    place = {"x": "", "y": ""}
    if part is not None:
        place = {"x": f"{part.x:02d}", "y": f"{part.y:02d}"}
        pattern += "".join(f"_{w}{{{w}}}" for w in ("x", "y") if f"{{{w}}}" not in pattern)
    words = {
        "site": slug(recipe.site.name),
        "seed": f"{recipe.seed:06d}",
        "what": slug(deliverable.name),
        "detail": str(recipe.delivery.size or recipe.site.samples(level)),
        **place,
    }
    name = re.sub(r"\{(\w+)\}", lambda m: words[m.group(1)], pattern)
    name = re.sub(r"_{2,}", "_", name).strip(" ._")
    # a file system counts bytes: 255 of them, with the end and what else is put behind
    return name.encode()[:200].decode(errors="ignore") or "untitled"


def names_of(recipe: Recipe, deliverable: Deliverable, level: int, part: Part | None = None) -> list[str]:
    """The files of a deliverable or of one of its tiles, the one that holds the data first."""
    name = stem(recipe, deliverable, level, part)
    fmt = FORMATS.get(deliverable.format)
    if fmt is None:
        return [name]
    return [*fmt.names(name, dict(deliverable.options)), *worldfile.names(fmt, name, recipe.delivery)]


def is_one(d: Deliverable) -> bool:
    """True when a deliverable is one file of the whole site, whatever the tiles."""
    return d.format in FORMATS and FORMATS[d.format].whole


def parts_for(recipe: Recipe, d: Deliverable, level: int) -> list[Part | None]:
    """The tiles of a deliverable, or None alone when it is one file."""
    return [None] if is_one(d) else tiled(recipe, level)


def tiled(recipe: Recipe, level: int) -> list[Part | None]:
    """The tiles of a delivery, or None alone when it has none."""
    parts = parts_of(recipe.site, level, recipe.delivery)
    return [None] if len(parts) == 1 else list(parts)


def default_folder(recipe: Recipe, base: Path) -> Path:
    """Folder of a delivery when nobody says one."""
    return base / "deliver" / f"{slug(recipe.site.name)}_{recipe.seed}"


def variant_folder(recipe: Recipe, name: str, base: Path) -> Path:
    """Folder of a variant's delivery: each into one of its own, the same variant into the same. A plain seed's is
    the recipe's usual one."""
    if name == f"seed {recipe.seed}":
        return default_folder(recipe, base)
    return base / "deliver" / f"{slug(recipe.site.name)}_{recipe.seed}_{slug(name, 60)}_{fingerprint(recipe)[:6]}"


def begun_name(recipe: Recipe) -> str:
    """The file that names what is being written, while a delivery is built."""
    return f"{slug(recipe.site.name)}_begun.txt"


def manifest_name(recipe: Recipe) -> str:
    """The file that says what a delivery is."""
    return f"{slug(recipe.site.name)}_manifest.json"
