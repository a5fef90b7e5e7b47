"""What identifies a result: the node's kind, version, parameters, outside files and the keys of its inputs, and the
site.

Two recipes in which a node has the same key compute the same there, so what one computed is the other's too. Results
that are kept on disk are kept apart by a digest of the program and of the packages that compute.

"""

from __future__ import annotations

import hashlib
import json
import sys
import weakref
from collections.abc import Iterable
from functools import lru_cache
from pathlib import Path

import numba
import numpy as np

from gelande.version import __version__

from . import walk
from .keep import expanded
from .model import Recipe
from .param import Pieces
from .seeds import effective_seed


def program_digest(*folders: str) -> str:
    """Changes with the versions of the program, of Python, NumPy and Numba, and with the sources in these folders."""
    versions = f"{__version__} {sys.version} {np.__version__} {numba.__version__}"
    digest, root = hashlib.sha256(versions.encode()), Path(__file__).parents[1]
    for folder in folders:
        for file in sorted((root / folder).rglob("*.py")):
            digest.update(file.read_bytes())
    return digest.hexdigest()[:16]


def _stamps(recipe: Recipe, nodes: Iterable[str], folder: Path) -> dict[str, str]:
    """What identifies the outside files of these nodes at this moment."""
    found = {}
    for n in nodes:
        stamp = recipe.nodes[n].declared.stamp
        found[n] = stamp(recipe.nodes[n].params, folder) if stamp is not None else ""
    return found


def _digest(block: list | tuple) -> str:
    return hashlib.sha256(json.dumps(block, sort_keys=True).encode()).hexdigest()[:32]


#: Of what is drawn in pieces, each piece has a digest of its own, so that a new stroke does not spell out a thousand.
_piece_digest = lru_cache(20_000)(_digest)


class Keys:
    """Content keys of recipes' nodes, without level; worked out once a recipe and again when an outside file
    changes."""

    def __init__(self) -> None:
        self._known: weakref.WeakKeyDictionary = weakref.WeakKeyDictionary()

    def of(self, recipe: Recipe, folder: Path = Path()) -> dict[str, str]:
        """Content key of every node."""
        return self._both(recipe, folder)[0]

    def live(self, recipe: Recipe, folder: Path = Path()) -> dict[str, str]:
        """Content keys that baked nodes would have if they computed."""
        return self._both(recipe, folder)[1]

    def _both(self, recipe: Recipe, folder: Path) -> tuple[dict[str, str], dict[str, str]]:
        recipe = expanded(recipe)
        known = self._known.get(recipe)
        if known is not None and known[0] == folder and known[2] == _stamps(recipe, known[2], folder):
            return known[1]
        site = recipe.site
        keys: dict[str, str] = {}
        live: dict[str, str] = {}
        stamps: dict[str, str] = {}
        ground = [site.width, site.depth, site.base, site.sea_level]
        for node_id in walk.in_order(recipe):
            state = recipe.nodes[node_id]
            spec = state.spec
            tools = {p.id for p in spec.params if p.tool} if spec else ()
            params = {k: v for k, v in state.params.items() if k not in ("seed", "follow_seed") and k not in tools}
            for p in spec.params if spec else ():
                if isinstance(p, Pieces):
                    params[p.id] = [_piece_digest(one) for one in p.content(params[p.id])]
            stamp = ""
            if spec is not None and spec.stamp:
                stamp = stamps[node_id] = spec.stamp(state.params, folder)
            inputs: list[tuple] = sorted((port, keys.get(source), output) for port, (source, output) in state.inputs.items())
            for port in (p for p in spec.inputs if p.reads and p.id in state.inputs) if spec else ():
                above = walk.nearest_above(recipe, state.inputs[port.id], port.reads)
                inputs.append((port.id, above.params if above else None, port.reads))
            version = spec.version if spec else 0
            seed = effective_seed(recipe, node_id)
            keys[node_id] = _digest([state.kind, version, params, seed, state.off, inputs, ground, stamp])
            if state.bake is not None:
                live[node_id] = keys[node_id]
                keys[node_id] = _digest(["bake", state.bake.key, state.bake.finest, state.bake.files, ground])
        self._known[recipe] = (folder, (keys, live), stamps)
        return keys, live
