"""Heights that the counts of 16-bit files run over, when files share them: tiles of a site, and variants of it."""

from __future__ import annotations

import math
from pathlib import Path

from gelande.core.evaluate.executor import Evaluator
from gelande.core.evaluate.job import Job, Stop
from gelande.core.recipe.deliverables import FOUND, GIVEN, OWN, Deliverable, Delivery, Source
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.site import FIGURES_LEVEL

from .formats import FORMATS
from .wanted import ordered

Span = tuple[float, float]
#: Metres that a span has at least.
LEAST = 1.0


def widened(low: float, high: float, delivery: Delivery) -> Span:
    """A range that was found with the delivery's margin on both sides, on whole metres where it is large."""
    margin = delivery.margin * (high - low)
    low, high = low - margin, max(high + margin, low - margin + LEAST)
    return (math.floor(low), math.ceil(high)) if high - low > 50 else (low, high)


def is_counted(d: Deliverable) -> bool:
    """True when a deliverable's counts run over heights."""
    return d.format in FORMATS and FORMATS[d.format].spans


def is_found(delivery: Delivery, d: Deliverable, tiled: bool, shared: Span | None) -> bool:
    """True when a deliverable's span is found at the figures level. Tiles never have their own."""
    return shared is None and is_counted(d) and (delivery.span == FOUND or delivery.span == OWN and tiled)


def spans_of(
    recipe: Recipe, orders: list[Deliverable], shared: Span | None, found: dict[Source, Span]
) -> list[Span | None]:
    """For each deliverable the heights that its counts run over, or None where they are its own extremes. shared: what
    several deliveries share; found: ranges of the outputs whose spans are found."""
    d = recipe.delivery
    if shared is None and d.span == GIVEN:
        shared = (d.low, d.high)
    if shared is None and d.span == FOUND and found:
        shared = widened(min(s[0] for s in found.values()), max(s[1] for s in found.values()), d)
    spans: list[Span | None] = []
    for order in orders:
        own = widened(*found[order.source], d) if order.source in found else None
        spans.append((shared or own) if is_counted(order) else None)
    return spans


def shared_span(
    recipes: list[Recipe], evaluator: Evaluator, base: Path = Path(), stop: Stop | None = None
) -> Span | None:
    """The span of all 16-bit heights of several recipes together, found at the figures level with the margin of the
    first; None when their counts do not run over what is found. Raises NodeError, Stopped, DeliveryError."""
    if not recipes or recipes[0].delivery.span != FOUND:
        return None
    ends: list[Span] = []
    for recipe in recipes:
        job = Job(recipe, base, stop or Stop())
        for source in dict.fromkeys(d.source for d in ordered(recipe) if is_counted(d)):
            data = evaluator.result(job, source[0], FIGURES_LEVEL)[source[1]]
            ends.append((float(data.min()), float(data.max())))
    return widened(min(e[0] for e in ends), max(e[1] for e in ends), recipes[0].delivery) if ends else None
