"""Masks that are one together stay so when they are written as whole counts, each in its own file."""

from __future__ import annotations

import numpy as np

from gelande.core import model
from gelande.core.context import Arrays
from gelande.core.job import Stop
from gelande.core.model import Deliverable, Recipe
from gelande.core.node import SHARE
from gelande.kernels.cover import apportioned

from .formats import format_of

#: Rows that are rounded at once.
ROWS = 256


def counts_of(recipe: Recipe, d: Deliverable) -> int:
    """The count that 1 is written as, when a deliverable is rounded together with others of its node; else 0."""
    port, bits = model.output_port(recipe, d.node, d.port), format_of(d.format).bits
    return 2**bits - 1 if port is not None and port.role == SHARE and bits < 32 else 0


def key_of(recipe: Recipe, d: Deliverable) -> tuple[str, str, int]:
    """What has to be kept for a deliverable: two that are rounded alike are the same."""
    return d.node, d.port, counts_of(recipe, d)


def rounded(recipe: Recipe, d: Deliverable, made: Arrays, stop: Stop) -> tuple[np.ndarray, float]:
    """(samples of a deliverable, how far they were moved at most), from what its node made."""
    total = counts_of(recipe, d)
    if not total:
        return made[d.port], 0.0
    ports = [p.id for p in recipe.nodes[d.node].declared.outputs if p.role == SHARE]
    place, out, moved = ports.index(d.port), np.empty_like(made[d.port]), 0.0
    for top in range(0, len(out), ROWS):
        stack = np.stack([made[p][top : top + ROWS] for p in ports])
        band = apportioned(stack, total, stop.flag)[place] / np.float32(total)
        moved = max(moved, float(np.abs(band - stack[place]).max()))
        out[top : top + ROWS] = band
    return out, moved
