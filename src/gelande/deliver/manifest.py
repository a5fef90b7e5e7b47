"""The manifest of a delivery: what was built, from what; what an earlier delivery left, and what of it still holds."""

from __future__ import annotations

import hashlib
import json
import os
from collections.abc import Iterable
from contextlib import suppress
from dataclasses import dataclass, field, replace
from functools import cache
from itertools import count
from pathlib import Path

import numpy as np

from gelande.core.errors import GelandeError
from gelande.core.evaluate.keys import program_digest
from gelande.core.files.disk import digest, read_bytes, write_text
from gelande.core.recipe.control import param_of, value_of
from gelande.core.recipe.deliverables import Deliverable
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.packages import package_of
from gelande.core.recipe.recipefile import fingerprint
from gelande.core.recipe.seeds import effective_seed
from gelande.core.recipe.sheetfile import delivery_block, keep_block
from gelande.version import __version__

from .formats import FORMATS
from .grid import Grid
from .names import begun_name, manifest_name
from .parts import Part

#: Folder inside a delivery for what an earlier one left.
EARLIER = "earlier"
#: Bytes of a manifest that is read at most, and names of a delivery that was broken off.
LARGEST, MOST_NAMES = 64_000_000, 100_000


@cache
def _program() -> str:
    """Digest of the program as far as files depend on it."""
    return program_digest("core", "kernels", "nodes", "scene", "deliver")


def made_from(
    recipe: Recipe,
    keys: dict[str, str],
    d: Deliverable,
    level: int,
    part: Part,
    span: tuple[float, float] | None,
) -> str:
    """Key of a file's contents: the program, the nodes' content keys, the part, the format and its options."""
    sources = [(keys[node], port) for node, port in (d.source, *((n, p) for _, n, p in d.more))]
    slots = [slot for slot, _, _ in d.more]
    common = vars(replace(recipe.delivery, pattern=""))
    block = [_program(), sources, slots, d.format, sorted(d.options), level, part.window, span, common]
    block += FORMATS[d.format].rests_on(recipe) if d.format in FORMATS else []
    return hashlib.sha256(json.dumps(block, sort_keys=True, default=str).encode()).hexdigest()


def _plain(name: object) -> bool:
    """True for a file name that can stand in a folder of its own right."""
    sound = isinstance(name, str) and 0 < len(name.encode("utf-8", "replace")) <= 255
    return sound and Path(str(name)).name == name and "\0" not in str(name)


@dataclass
class Earlier:
    """Files that an earlier delivery wrote into a folder: facts by file name; names: all that it or one before it
    wrote."""

    folder: Path
    facts: dict[str, dict] = field(default_factory=dict)
    names: set[str] = field(default_factory=set)
    _claimed: set[str] = field(default_factory=set)

    @classmethod
    def read(cls, recipe: Recipe, folder: Path) -> Earlier:
        """Reads the manifest in a folder; nothing when there is none that can be read."""
        found = cls(folder)
        try:
            old = json.loads(read_bytes(folder / manifest_name(recipe), LARGEST))
            for facts in old["files"]:
                names = [facts["file"], *(one["file"] for one in facts.get("beside", ()))]
                if all(map(_plain, names)) and isinstance(facts.get("sha256"), str):
                    found.facts[names[0]] = facts
                found.names |= set(filter(_plain, names))
            found.names |= set(filter(_plain, old.get("earlier", ())))
        except (OSError, GelandeError, ValueError, KeyError, TypeError, AttributeError, RecursionError):
            pass  # no earlier manifest that could be read
        try:
            text = read_bytes(folder / begun_name(recipe), LARGEST).decode()
            found.names |= set(filter(_plain, text.splitlines()[:MOST_NAMES]))
        except (OSError, GelandeError, ValueError):
            pass  # none was broken off
        return found

    def claim(self, recipe: Recipe, names: set[str]) -> None:
        """Notes on disk that files of these names are of this delivery. Files that nobody knows are moved apart. Raises
        OSError."""
        if names <= self._claimed:
            return
        for name in names:
            if self.is_there(name) and name not in self.names:
                self.move(name)
        self.names |= names
        self._claimed |= names
        write_text(self.folder / begun_name(recipe), "".join(f"{name}\n" for name in sorted(self.names)), follow=False)

    def release(self, recipe: Recipe) -> None:
        """The delivery is over: the manifest tells the rest."""
        with suppress(OSError):  # a folder that cannot be written holds none
            (self.folder / begun_name(recipe)).unlink()

    def same(self, name: str, origin: str) -> dict | None:
        """The facts of a file that is there as it would be written now, checked by its hash; else None."""
        facts = self.facts.get(name)
        if facts is None or facts.get("made_from") != origin:
            return None
        for one in (facts, *facts.get("beside", ())):
            if not self.is_there(one["file"]) or digest(self.folder / one["file"]) != one.get("sha256"):
                return None
        return facts

    def put_aside(self, wanted: Iterable[str], fresh: set[str]) -> list[Path]:
        """Moves what an earlier delivery wrote and this one did not write anew into the folder ``earlier``: files of
        different details or settings never stand side by side as if they belonged together. wanted: all names that
        this delivery writes; fresh: those that were written now. Returns what was moved."""
        return [self.move(name) for name in sorted((self.names | set(wanted)) - fresh) if self.is_there(name)]

    def is_there(self, name: str) -> bool:
        """True when there is such a file in the folder itself."""
        path = self.folder / name
        return _plain(name) and not path.is_symlink() and path.is_file()

    def move(self, name: str) -> Path:
        """Moves a file into the folder ``earlier``, or where a file is called so, into the next that is none."""
        places = (self.folder / (EARLIER + (f"_{n}" if n > 1 else "")) for n in count(1))
        place = next(p for p in places if p.is_dir() and not p.is_symlink() or not os.path.lexists(p))
        place.mkdir(exist_ok=True)
        os.replace(self.folder / name, place / name)
        return place / name


def manifest(recipe: Recipe, level: int, files: list[dict], complete: bool, earlier: Iterable[str] = ()) -> dict:
    """Manifest of a delivery: files and what they were made from. earlier: names of files that are still there from a
    delivery before, while this one is not done."""
    controls = {}
    for control in recipe.controls:
        param = param_of(recipe, control)
        if param is not None:
            value = value_of(recipe, control)
            said = {"text": param.text(value)} if param.choices else {}
            controls[control.label] = {"value": value, "unit": param.unit, **said}
    seeds = {n: effective_seed(recipe, n) for n, s in recipe.nodes.items() if s.spec and s.spec.has_seed}
    kinds = {s.kind: s.spec.version for s in recipe.nodes.values() if s.spec}
    others = {p.name: p.version for kind in kinds if (p := package_of(kind)) is not None}
    s, grid = recipe.site, Grid.of(recipe.site, level, recipe.delivery)
    left = sorted(earlier)
    return {
        "format": "gelande manifest",
        "version": 2,
        "complete": complete,
        "program": f"Gelande {__version__}",
        "numpy": np.__version__,
        "recipe_sha256": fingerprint(recipe),
        "recipe_seed": recipe.seed,
        "seeds": seeds,
        "seeds_locked": dict(recipe.locks),
        "controls": controls,
        "kept_areas": [keep_block(recipe, k) for k in recipe.keeps if k.on],
        "node_versions": kinds,
        **({"packages": others} if others else {}),
        "site": {"name": s.name, "width_m": s.width, "depth_m": s.depth, "sea_level_m": s.sea_level, "sea": s.has_sea},
        "detail": s.samples(level),
        "samples": list(reversed(grid.shape)),
        "metres_per_sample": grid.dx,
        "delivery": delivery_block(recipe.delivery),
        "orientation": "first row is the north edge, first column the west edge; samples lie on the site's edges",
        "files": files,
        **({"earlier": left} if left else {}),
    }
