"""Heights that the counts of 16-bit files run over, when files share them: tiles of a site, and variants of it."""

from __future__ import annotations

import math
from collections.abc import Callable

from gelande.core.model import Recipe
from gelande.core.orders import FOUND, GIVEN, OWN, Deliverable, Delivery, Source
from gelande.core.site import FIGURES_LEVEL

from .formats import FORMATS

Span = tuple[float, float]
#: Metres that a span has at least.
LEAST = 1.0


def widened(low: float, high: float, delivery: Delivery) -> Span:
    """A range that was found with the delivery's margin on both sides, on whole metres where it is large."""
    margin = delivery.margin * (high - low)
    low, high = low - margin, max(high + margin, low - margin + LEAST)
    return (math.floor(low), math.ceil(high)) if high - low > 50 else (low, high)


def counted(orders: list[Deliverable]) -> list[Deliverable]:
    """The deliverables whose counts run over heights."""
    return [d for d in orders if d.format in FORMATS and FORMATS[d.format].spans]


def found_for(
    recipe: Recipe, orders: list[Deliverable], level: int, extremes: Callable[[Source, int], Span]
) -> Span | None:
    """The range of all 16-bit heights at the figures level; None when there are none. extremes: lowest and highest
    sample of an output at a level."""
    spans = [extremes(d.source, min(level, FIGURES_LEVEL)) for d in counted(orders)]
    return (min(s[0] for s in spans), max(s[1] for s in spans)) if spans else None


def spans_of(
    recipe: Recipe,
    orders: list[Deliverable],
    level: int,
    tiled: bool,
    shared: Span | None,
    extremes: Callable[[Source, int], Span],
) -> list[Span | None]:
    """For each deliverable the heights that its counts run over, or None where they are its own extremes. shared: what
    several deliveries share. Tiles never have their own: those of a deliverable share what was found for it."""
    d = recipe.delivery
    if shared is None and d.span == GIVEN:
        shared = (d.low, d.high)
    if shared is None and d.span == FOUND:
        found = found_for(recipe, orders, level, extremes)
        shared = widened(*found, d) if found else None
    if shared is not None or not (tiled and d.span == OWN):
        return [shared if order in counted(orders) else None for order in orders]
    return [
        widened(*extremes(order.source, min(level, FIGURES_LEVEL)), d) if order in counted(orders) else None
        for order in orders
    ]
