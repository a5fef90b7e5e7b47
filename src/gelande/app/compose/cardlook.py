"""State of a card on the graph, besides the recipe."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass
class CardLook:
    """State of a card besides the recipe. waiting: which input is to be linked first, or ""."""

    picture: object = None
    key: str = ""
    stale: bool = True
    fault: str = ""
    waiting: str = ""
    working: bool = False
    fraction: float = 0.0
    chosen: bool = False
    selected: bool = False
    held: bool = False
    baked: str = ""
    sweep: float = 0.0
