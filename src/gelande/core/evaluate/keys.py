"""What identifies a result: a key for each stage of a node.

raw key: kind, version, own settings, seed, the site's grid and what else of it the node reads, outside files, and the
final keys of what is linked to its own inputs. final key: the raw key, the settings of Where, Amount and Finish that
have an effect, and what Where looks at. So a change of Amount computes no land again, and the sea's level only what
reads it.

Two recipes in which a node has the same key compute the same there, so what one computed is the other's too. Results
that are kept on disk are kept apart by a digest of the program and of the packages that compute.
"""

from __future__ import annotations

import hashlib
import json
import sys
import weakref
from collections.abc import Iterable, Mapping
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

import numba
import numpy as np

from gelande.version import __version__

from ..recipe import walk
from ..recipe.model import NodeState, Recipe
from ..recipe.node import ENGINE_IDS, MASK_PORT, NodeSpec, registry
from ..recipe.packages import packages
from ..recipe.param import Pieces
from ..recipe.seeds import effective_seed
from ..recipe.site import Site
from ..regenerate.kept_ground import with_kept_ground
from .plan import ground_source, own_links
from .restrict import BY_GROUND, in_effect

#: Nodes whose keys are remembered at most; then all are forgotten, which costs working them out once.
MOST_KNOWN = 40_000


def program_digest(*folders: str) -> str:
    """Changes with the versions of the program, of Python, NumPy and Numba, and with the sources in these folders; with
    the nodes, also with the packages that bring more of them."""
    versions = f"{__version__} {sys.version} {np.__version__} {numba.__version__}"
    digest, root = hashlib.sha256(versions.encode()), Path(__file__).parents[2]
    for folder in folders:
        for file in sorted((root / folder).rglob("*.py")):
            digest.update(file.read_bytes())
    if "nodes" in folders:
        registry()
        for package in packages():
            digest.update(package.digest.encode())
    return digest.hexdigest()[:16]


def _digest(block: list | tuple) -> str:
    return hashlib.sha256(json.dumps(block, sort_keys=True).encode()).hexdigest()[:32]


#: Of what is drawn in pieces, each piece has a digest of its own, so that a new stroke does not spell out a thousand.
_piece_digest = lru_cache(20_000)(_digest)


class NodeKeys(NamedTuple):
    """Keys of one node. live: the final key that a baked node would have if it computed, "" for others."""

    raw: str
    final: str
    live: str = ""


def _grid(site: Site) -> tuple:
    """The site's grid, on which every result depends."""
    return site.width, site.depth, site.base


def _own_settings(state: NodeState, spec: NodeSpec | None) -> dict:
    """The settings that a node's own computation reads."""
    if spec is None:
        return state.params
    tools = {p.id for p in spec.params if p.tool}
    found = {k: v for k, v in state.params.items() if k != "seed" and k not in ENGINE_IDS and k not in tools}
    for p in spec.params:
        if isinstance(p, Pieces):
            found[p.id] = [_piece_digest(one) for one in p.content(state.params[p.id])]
    return found


def _read_above(recipe: Recipe, state: NodeState) -> tuple[NodeState | None, ...]:
    """Nodes farther up whose settings are read, which the keys in between need not tell of: that of a baked one."""
    ports = [p for p in state.spec.inputs if p.reads and p.id in state.inputs] if state.spec else ()
    return tuple(walk.nearest_above(recipe, state.inputs[p.id], p.reads) for p in ports)


def _stamps(recipe: Recipe, nodes: Iterable[str], folder: Path) -> dict[str, str]:
    """Stamps of the outside files of these nodes at this moment."""
    found = {}
    for n in nodes:
        stamp = recipe.nodes[n].declared.stamp
        found[n] = stamp(recipe.nodes[n].params, folder) if stamp is not None else ""
    return found


def _links(state: NodeState, ports: Iterable[str], above: Mapping[str, NodeKeys]) -> list[tuple]:
    """Links to some inputs: (input, key, output)."""
    found = []
    for port in sorted(ports):
        source, output = state.inputs[port]
        found.append((port, above[source].final if source in above else None, output))
    return found


class Keys:
    """Content keys of recipes' nodes, without level. Those of a recipe are worked out once, and of an edited one only
    where something changed: a node that is the same value with the same keys before it keeps its own."""

    def __init__(self) -> None:
        self._known: weakref.WeakKeyDictionary = weakref.WeakKeyDictionary()
        self._nodes: dict[tuple, tuple[tuple[NodeState | None, ...], NodeKeys]] = {}

    def stages(self, recipe: Recipe, folder: Path = Path()) -> dict[str, NodeKeys]:
        """The keys of every node."""
        return self._of_recipe(recipe, folder)[0]

    def of(self, recipe: Recipe, folder: Path = Path()) -> dict[str, str]:
        """Key of every node's final result."""
        return self._of_recipe(recipe, folder)[1]

    def live(self, recipe: Recipe, node_id: str, folder: Path = Path()) -> str:
        """The key that a baked node would have if it computed; "" for others."""
        keys = self.stages(recipe, folder).get(node_id)
        return keys.live if keys is not None else ""

    def _of_recipe(self, recipe: Recipe, folder: Path) -> tuple[dict[str, NodeKeys], dict[str, str]]:
        recipe = with_kept_ground(recipe)
        known = self._known.get(recipe)
        if known is not None and known[0] == folder and known[2] == _stamps(recipe, known[2], folder):
            return known[1]
        found: dict[str, NodeKeys] = {}
        stamps: dict[str, str] = {}
        for node_id in walk.in_order(recipe):
            state = recipe.nodes[node_id]
            if state.spec is not None and state.spec.stamp is not None:
                stamps[node_id] = state.spec.stamp(state.params, folder)
            found[node_id] = self._of_node(recipe, node_id, found, stamps.get(node_id, ""))
        both = found, {node: keys.final for node, keys in found.items()}
        self._known[recipe] = (folder, both, stamps)
        return both

    def _of_node(self, recipe: Recipe, node_id: str, above: dict[str, NodeKeys], stamp: str) -> NodeKeys:
        state, seed = recipe.nodes[node_id], effective_seed(recipe, node_id)
        looked_at = (state, *_read_above(recipe, state))
        linked = tuple(above[s].final if s in above else "" for s, _ in state.inputs.values())
        place = (*(id(one) for one in looked_at), seed, stamp, recipe.site.sea_level, *_grid(recipe.site), *linked)
        known = self._nodes.get(place)
        if known is not None and all(a is b for a, b in zip(known[0], looked_at)):  # an id may be used again
            return known[1]
        if len(self._nodes) >= MOST_KNOWN:
            self._nodes.clear()
        made = _node_keys(recipe, looked_at, above, seed, stamp)
        self._nodes[place] = (looked_at, made)
        return made


def _node_keys(
    recipe: Recipe,
    looked_at: tuple[NodeState | None, ...],
    above: Mapping[str, NodeKeys],
    seed: int,
    stamp: str,
) -> NodeKeys:
    """The keys of a node (the first that is looked at), from those of what is linked to it."""
    state, *read = looked_at
    assert state is not None
    spec, site = state.spec, recipe.site
    ports = own_links(state) if spec else state.inputs
    fields = [(name, getattr(site, name)) for name in state.reads(site).site] if spec else []
    settings, version = _own_settings(state, spec), spec.version if spec else 0
    links = _links(state, ports, above)
    others = [one.params if one else None for one in read]
    raw = _digest([state.kind, version, settings, seed, links, others, _grid(site), fields, stamp])
    if spec is None:
        return NodeKeys(raw, raw)
    effect = in_effect(state.params) if spec.outputs else {}
    looked = [s for s in (_linked_mask(effect, state), _ground(effect, recipe, state)) if s is not None]
    seen = [(above[source].final if source in above else None, output) for source, output in looked]
    final = _digest([raw, state.off, effect, seen])
    bake = state.bake
    if bake is None or state.off:  # what is off passes its input on, stored results or not
        return NodeKeys(raw, final, final if bake else "")
    return NodeKeys(raw, _digest(["bake", bake.key, bake.finest, bake.files, _grid(site)]), final)


def _linked_mask(effect: dict, state: NodeState) -> tuple[str, str] | None:
    return state.inputs.get(MASK_PORT.id) if "where" in effect else None


def _ground(effect: dict, recipe: Recipe, state: NodeState) -> tuple[str, str] | None:
    return ground_source(recipe, state) if effect.get("where") in BY_GROUND else None
