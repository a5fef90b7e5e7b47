"""What is drawn: ramps and curves in the bench, lines and strokes on the land."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, ClassVar

from .base import Param

#: Points that all strokes of one setting may have together, and strokes that it may have.
MOST_POINTS, MOST_STROKES = 400_000, 5000
#: Metres that a point may lie from the south-west corner.
FARTHEST = 1e6


def _numbers(value: Any) -> bool:
    """Whether all are numbers that a file can hold."""
    return all(isinstance(v, (int, float)) and not isinstance(v, bool) and math.isfinite(v) for v in value)


@dataclass(frozen=True)
class Points(Param):
    """Points along an axis from 0 to 1, sorted; width: numbers of a point, each 0 to 1."""

    width: ClassVar[int] = 2
    most: ClassVar[int] = 64

    def check(self, value: Any) -> Any:
        if not isinstance(value, (list, tuple)) or not 2 <= len(value) <= self.most:
            raise ValueError(f"{self.label} must have 2 to {self.most} points")
        points = []
        for point in value:
            sound = isinstance(point, (list, tuple)) and len(point) == self.width and _numbers(point)
            if not sound or not all(0 <= v <= 1 for v in point):
                raise ValueError(f"{self.label}: each point must be {self.width} numbers from 0 to 1")
            points.append(tuple(float(v) for v in point))
        return tuple(sorted(points, key=lambda p: p[0]))

    def text(self, value: Any) -> str:
        return f"{len(value)} points" if value else "not drawn"


@dataclass(frozen=True)
class Ramp(Points):
    """Colour stops: (position 0-1, red, green, blue), sRGB 0-1."""

    kind: ClassVar[str] = "ramp"
    width: ClassVar[int] = 4


@dataclass(frozen=True)
class Curve(Points):
    """A curve through points (x, y), each 0-1."""

    kind: ClassVar[str] = "curve"


def line_of(label: str, value: Any, least: int, most: int) -> tuple:
    """(east, north) points in metres as they are stored. Raises ValueError."""
    if not isinstance(value, (list, tuple)) or not least <= len(value) <= most:
        raise ValueError(f"{label} must have {least} to {most} points, or none when it is not drawn")
    points = []
    for point in value:
        sound = isinstance(point, (list, tuple)) and len(point) == 2 and _numbers(point)
        if not sound or not all(abs(v) <= FARTHEST for v in point):
            raise ValueError(f"{label}: each point must be two numbers, metres east and north, within 1000 km")
        points.append((float(point[0]), float(point[1])))
    return tuple(points)


@dataclass(frozen=True)
class Line(Param):
    """A line drawn on the land: (east, north) points in metres from the south-west corner; () when not drawn."""

    kind: ClassVar[str] = "line"
    drawn: ClassVar[bool] = True

    def check(self, value: Any) -> Any:
        return line_of(self.label, value, 0 if value in ((), []) else 2, 512)

    def text(self, value: Any) -> str:
        return f"{len(value)} points" if value else "not drawn"


@dataclass(frozen=True)
class Strokes(Param):
    """Brush strokes: (radius m, amount, hardness 0-1, points (east, north) in metres)."""

    kind: ClassVar[str] = "strokes"
    drawn: ClassVar[bool] = True

    def check(self, value: Any) -> Any:
        if not isinstance(value, (list, tuple)) or len(value) > MOST_STROKES:
            raise ValueError(f"{self.label} must be a list of at most {MOST_STROKES} strokes")
        strokes = []
        for stroke in value:
            if not isinstance(stroke, (list, tuple)) or len(stroke) != 4 or not self._sound(stroke):
                what = "a radius, an amount, a hardness from 0 to 1, and its points"
                raise ValueError(f"{self.label}: each stroke must be {what}")
            radius, amount, hardness = (float(v) for v in stroke[:3])
            strokes.append((radius, amount, hardness, line_of(self.label, stroke[3], 1, 4096)))
        if sum(len(s[3]) for s in strokes) > MOST_POINTS:
            raise ValueError(f"{self.label} must have at most {MOST_POINTS} points in all")
        return tuple(strokes)

    @staticmethod
    def _sound(stroke: Any) -> bool:
        if not _numbers(stroke[:3]):
            return False
        radius, amount, hardness = stroke[:3]
        return 0 < radius <= FARTHEST and abs(amount) <= FARTHEST and 0 <= hardness <= 1

    def text(self, value: Any) -> str:
        return f"{len(value)} stroke{'s' if len(value) != 1 else ''}"
