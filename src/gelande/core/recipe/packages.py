"""Nodes of other packages: modules that a package names under the entry point group ``gelande.nodes``.

A package that cannot be loaded is told, and nothing else suffers: none of its nodes is known then.
"""

from __future__ import annotations

import hashlib
import importlib
import logging
import re
import sys
from dataclasses import dataclass
from importlib.metadata import EntryPoint, entry_points
from pathlib import Path

from ..words import clean, shorten

GROUP = "gelande.nodes"
#: Between a package's name and what a node of it is called.
DOT = "."
log = logging.getLogger("gelande")


@dataclass(frozen=True)
class Package:
    """A package with nodes. name: before the dot of its kinds; version: as it was installed, "" when that is not said;
    folder: of its sources; kinds: of its nodes; error: why none of them is known, or ""."""

    name: str
    version: str
    folder: Path | None
    kinds: tuple[str, ...] = ()
    error: str = ""

    @property
    def digest(self) -> str:
        """Changes with the version and with the sources: results of other code are never taken for these."""
        digest = hashlib.sha256(f"{self.name} {self.version}".encode())
        for file in sorted(self.folder.rglob("*.py")) if self.folder else ():
            digest.update(file.read_bytes())
        return digest.hexdigest()[:16]


#: The package whose modules are being imported, "" for Gelande's own.
_owner = ""
_found: dict[str, Package] = {}


def owner() -> str:
    """The package whose nodes are being declared."""
    return _owner


def own_kind(kind: str, package: str) -> bool:
    """True when a kind may be declared by a package: its name and a dot stand before it, or it is Gelande's own."""
    if not package:
        return DOT not in kind
    return re.fullmatch(re.escape(package + DOT) + r"[a-z0-9_]{1,60}", kind) is not None


def installed() -> list[EntryPoint]:
    """What packages name, in the order of their names; nothing is imported."""
    return sorted(entry_points(group=GROUP), key=lambda point: (_name_of(point), point.value))


def _name_of(point: EntryPoint) -> str:
    """A package's name as kinds begin with it: small letters, digits and underlines."""
    name = point.dist.name if point.dist is not None else point.name
    return re.sub(r"[^a-z0-9]+", "_", name.casefold()).strip("_")


def load(registry: dict) -> None:
    """Imports the modules of all packages. registry: declarations by kind, which grows."""
    global _owner
    for point in installed():
        name, before = _name_of(point), set(registry)
        version = point.dist.version if point.dist is not None else ""
        error = ""
        _owner = name
        try:
            importlib.import_module(point.value.partition(":")[0])
        except (Exception, SystemExit) as fault:
            error = shorten(clean(f"{type(fault).__name__}: {fault}"), 300)
            # where it failed goes to the window's log; a terminal gets the one line
            trace = fault if log.hasHandlers() else None
            log.warning("The package %s %s could not be loaded: %s", name, version, error, exc_info=trace)
            for kind in set(registry) - before:
                del registry[kind]
        finally:
            _owner = ""
        kinds = tuple(kind for kind in registry if kind not in before)
        known = _found.get(name)
        if known is not None:
            kinds, error = known.kinds + kinds, known.error or error
        module = sys.modules.get(point.value.partition(":")[0])
        file = getattr(module, "__file__", None)
        _found[name] = Package(name, version, Path(file).parent if file else None, kinds, error)


def packages() -> list[Package]:
    """All packages that were asked for nodes, with what came of it; none before the registry was filled."""
    return list(_found.values())


def package_of(kind: str) -> Package | None:
    """The package that a kind is of; None for Gelande's own and for those of packages that are not there."""
    return next((p for p in packages() if kind in p.kinds), None) if DOT in kind else None


def lacking(kind: str, needs: str = "") -> str:
    """What to do about a kind that is not known, as the second half of a sentence. needs: package and version that a
    recipe was made with."""
    name = kind.partition(DOT)[0]
    if DOT not in kind:
        return "open the recipe with a newer Gelande"
    there = next((p for p in packages() if p.name == name), None)
    if there is not None and there.error:
        return f"its package {name} could not be loaded ({there.error})"
    wanted = needs or name
    if there is not None:
        return f"the package {name} {there.version} has no such node; the recipe was made with {wanted}"
    return f"install the package {wanted}"
