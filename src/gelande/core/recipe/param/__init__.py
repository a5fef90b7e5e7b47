"""Parameter kinds: what a node's settings are, their units, ranges and how they are read and shown.

Every parameter has a hard range (outside it is an error), a soft range (the slider's), a default that gives a useful
picture, a unit and one sentence of help. Nodes declare theirs with the functions below.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from .base import WITHIN, Param, Values
from .drawn import Curve, Line, Outlines, Pieces, Points, Ramp, Shapes, Strokes
from .layers import Layers
from .numbers import Count, Number, Seed
from .words import Choice, Colour, Path, Text, Toggle

__all__ = [
    "Choice",
    "Colour",
    "Count",
    "Curve",
    "Layers",
    "Line",
    "Number",
    "Outlines",
    "Param",
    "Path",
    "Pieces",
    "Points",
    "Ramp",
    "Seed",
    "Shapes",
    "Strokes",
    "Text",
    "Toggle",
    "Values",
    "WITHIN",
    "choice",
    "colour",
    "count",
    "curve",
    "degrees",
    "layers",
    "line",
    "metres",
    "number",
    "outlines",
    "path",
    "ramp",
    "seed",
    "shapes",
    "share",
    "strokes",
    "text",
    "toggle",
]

Span = tuple[float, float]


def metres(
    id: str,
    label: str,
    default: float,
    help: str,
    hard: Span = (0.0, 100_000.0),
    soft: Span = (0.0, 1000.0),
    decimals: int = 1,
    **more: Any,
) -> Number:
    """A length or height in metres."""
    return Number(id, label, float(default), help, hard, soft, decimals, unit="m", **more)


def degrees(
    id: str,
    label: str,
    default: float,
    help: str,
    hard: Span = (0.0, 90.0),
    soft: Span | None = None,
    decimals: int = 0,
    **more: Any,
) -> Number:
    """An angle in degrees. Directions run clockwise from north."""
    return Number(id, label, float(default), help, hard, soft or hard, decimals, unit="°", **more)


def fraction(
    id: str,
    label: str,
    default: float,
    help: str,
    hard: Span = (0.0, 1.0),
    soft: Span | None = None,
    decimals: int = 1,
    **more: Any,
) -> Number:
    """A share, stored 0-1 and shown in per cent."""
    return Number(id, label, float(default), help, hard, soft or hard, decimals, unit="%", **more)


def number(
    id: str, label: str, default: float, help: str, hard: Span, soft: Span | None = None, decimals: int = 2, **more: Any
) -> Number:
    """A number without a unit."""
    return Number(id, label, float(default), help, hard, soft or hard, decimals, **more)


def count(id: str, label: str, default: int, help: str, hard: Span, soft: Span | None = None, **more: Any) -> Count:
    """A whole number."""
    return Count(id, label, int(default), help, hard, soft or hard, 0, **more)


def choice(
    id: str, label: str, default: str, choices: Iterable[str | tuple[str, str]], help: str, **more: Any
) -> Choice:
    """One of several words, by their ids; each is called what its id says, unless its label stands beside it."""
    pairs = tuple(one if isinstance(one, tuple) else (one, _called(one)) for one in choices)
    words, labels = (tuple(pair[k] for pair in pairs) for k in (0, 1))
    return Choice(id, label, default, help, words=words, labels=labels, **more)


def _called(word: str) -> str:
    """The label of a word whose id says it: out_of_slope is Out of slope."""
    return word[:1].upper() + word[1:].replace("_", " ")


def toggle(id: str, label: str, default: bool, help: str, **more: Any) -> Toggle:
    """On or off."""
    return Toggle(id, label, bool(default), help, **more)


def seed(
    id: str = "seed",
    label: str = "Seed",
    default: int = 1,
    help: str = "Another number gives another landscape of the same kind.",
) -> Seed:
    """The start of a node's randomness; the recipe's seed is added to it."""
    return Seed(id, label, default, help, (0, 999_999), (0, 999), 0)


def colour(id: str, label: str, default: Any, help: str, **more: Any) -> Colour:
    """A colour: (red, green, blue), sRGB 0-1."""
    return Colour(id, label, tuple(default), help, **more)


def ramp(id: str, label: str, default: Any, help: str, **more: Any) -> Ramp:
    """Colour stops: (position 0-1, red, green, blue), sRGB 0-1."""
    return Ramp(id, label, tuple(tuple(p) for p in default), help, **more)


def curve(id: str, label: str, default: Any, help: str, **more: Any) -> Curve:
    """A curve through points (x, y), each 0-1."""
    return Curve(id, label, tuple(tuple(p) for p in default), help, **more)


def line(id: str, label: str, help: str, **more: Any) -> Line:
    """A line drawn on the land: (east, north) points in metres from the south-west corner; () when not drawn."""
    return Line(id, label, (), help, unit="m", **more)


def strokes(id: str, label: str, piece: tuple[Param, ...], help: str, **more: Any) -> Strokes:
    """Brush strokes; piece: the settings of radius, amount and hardness, which belong to the node besides."""
    return Strokes(id, label, (), help, piece=piece, **more)


def outlines(id: str, label: str, piece: tuple[Param, ...], help: str, **more: Any) -> Outlines:
    """Closed outlines; piece: the settings that each keeps for itself, which belong to the node besides."""
    return Outlines(id, label, (), help, piece=piece, **more)


def shapes(id: str, label: str, piece: tuple[Param, ...], help: str, **more: Any) -> Shapes:
    """Shapes; piece: the settings that each keeps for itself, which belong to the node besides."""
    return Shapes(id, label, (), help, piece=piece, **more)


def layers(id: str, label: str, piece: tuple[Param, ...], default: tuple[dict, ...], help: str, **more: Any) -> Layers:
    """Layers from the ground up; piece: the settings that each has; default: some of them by id, a layer each."""
    plain = Layers(id, label, (), help, piece=piece, **more)
    return replace(plain, default=plain.made(*default))


def path(id: str, label: str, help: str, **more: Any) -> Path:
    """A file, relative to the recipe's folder or absolute."""
    return Path(id, label, "", help, **more)


def text(id: str, label: str, default: str, help: str, **more: Any) -> Text:
    """Free text."""
    return Text(id, label, default, help, **more)
