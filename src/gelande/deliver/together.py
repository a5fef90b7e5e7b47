"""Masks that are one together stay so when they are written as whole counts, each in its own file."""

from __future__ import annotations

import numpy as np

from gelande.core.evaluate.context import Arrays
from gelande.core.evaluate.job import Stop
from gelande.core.recipe import kinds
from gelande.core.recipe.deliverables import Source
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.node import SHARE
from gelande.kernels.cover import apportioned

from .formats import Writer

#: Rows that are rounded at once.
ROWS = 256
#: What has to be kept of an output for a file: node, port and the count that 1 is written as.
Key = tuple[str, str, int]


def key_of(recipe: Recipe, source: Source, fmt: Writer) -> Key:
    """Key of what is kept of an output for a format: two that are rounded alike are the same. The count is 0 when it
    is not rounded together with others of its node."""
    port = kinds.output_port(recipe, *source)
    return (*source, 2**fmt.bits - 1 if port is not None and port.role == SHARE and fmt.counts else 0)


def ports_of(recipe: Recipe, key: Key) -> list[str]:
    """The outputs of the node that have to be there for it."""
    node, port, total = key
    return [p.id for p in recipe.nodes[node].declared.outputs if p.role == SHARE] if total else [port]


def rounded(recipe: Recipe, key: Key, made: Arrays, stop: Stop) -> tuple[np.ndarray, float]:
    """(samples to be written, how far they were moved at most), from what a node made."""
    _, port, total = key
    if not total:
        return made[port], 0.0
    ports = ports_of(recipe, key)
    place, out, moved = ports.index(port), np.empty_like(made[port]), 0.0
    for top in range(0, len(out), ROWS):
        stack = np.stack([made[p][top : top + ROWS] for p in ports])
        band = apportioned(stack, total, stop.flag)[place] / np.float32(total)
        moved = max(moved, float(np.abs(band - stack[place]).max()))
        out[top : top + ROWS] = band
    return out, moved
