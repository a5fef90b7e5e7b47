"""What is drawn: ramps and curves in the bench; lines, strokes, outlines and shapes on the land."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Any, ClassVar

from .base import Param

#: Points that all pieces of one setting may have together, and points of one of them.
MOST_POINTS, MOST_OF_LINE = 400_000, 4096
#: Pieces that were found sound, with what they are pieces of: of a thousand strokes only the new one is looked at.
_SOUND: set[tuple] = set()
MOST_SOUND = 20_000
#: Metres that a point may lie from the south-west corner.
FARTHEST = 1e6


def _numbers(value: Any) -> bool:
    """True when all are numbers that a file can hold."""
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


def _length(piece: Any) -> int:
    """Points of a piece as it comes, whatever it is."""
    last = piece[-1] if isinstance(piece, (list, tuple)) and piece else ()
    geometry = piece.get("points", ()) if isinstance(piece, dict) else last
    return len(geometry) if isinstance(geometry, (list, tuple)) else 0


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
class Pieces(Param):
    """Setting that is drawn on the land piece by piece. A piece is (its settings in the order of ``piece``, its
    geometry).

    piece: the node's settings that each piece keeps for itself; on the bench they are the next piece's, or the
    chosen one's.

    """

    piece: tuple[Param, ...] = field(default=(), kw_only=True)

    drawn: ClassVar[bool] = True
    #: What one piece is called, how many there may be.
    noun: ClassVar[str] = "piece"
    most: ClassVar[int] = 5000

    def check(self, value: Any) -> Any:
        if not isinstance(value, (list, tuple)) or len(value) > self.most:
            raise ValueError(f"{self.label} must be a list of at most {self.most} {self.noun}s")
        if sum(map(_length, value)) > MOST_POINTS:  # before any of them is looked at
            raise ValueError(f"{self.label} must have at most {MOST_POINTS} points in all")
        pieces = tuple(self._checked(k, one) for k, one in enumerate(value))
        if sum(self.points_in(one) for one in pieces) > MOST_POINTS:
            raise ValueError(f"{self.label} must have at most {MOST_POINTS} points in all")
        return pieces

    def _checked(self, number: int, one: Any) -> tuple:
        """One piece as it is stored. Raises ValueError."""
        key = (self.kind, self.id, one)
        try:
            if isinstance(one, tuple) and key in _SOUND:
                return one
        except TypeError:  # it holds a list somewhere
            pass
        try:
            made = self._fresh(one)
        except ValueError as error:
            raise ValueError(f"{self.label}: {self.noun} {number + 1}: {error}") from None
        if len(_SOUND) > MOST_SOUND:
            _SOUND.clear()
        _SOUND.add((self.kind, self.id, made))
        return made

    def _fresh(self, one: Any) -> tuple:
        if isinstance(one, dict):
            one = [one.get(p.key, p.default) for p in self.piece] + [self.geometry_of(one)]
        if not isinstance(one, (list, tuple)) or len(one) != len(self.piece) + 1:
            raise ValueError(f"it must be {', '.join(p.label.lower() for p in self.piece)} and its place")
        return (*(p.check(v) for p, v in zip(self.piece, one)), self.geometry(one[-1]))

    def written(self, value: Any) -> Any:
        return [{**{p.key: v for p, v in zip(self.piece, one)}, **self.geometry_block(one[-1])} for one in value]

    def geometry(self, value: Any) -> tuple:
        """A piece's geometry as it is stored. Raises ValueError."""
        return line_of("it", value, 1, MOST_OF_LINE)

    def geometry_of(self, block: dict) -> Any:
        """A piece's geometry in a file."""
        return block.get("points", ())

    def geometry_block(self, geometry: tuple) -> dict:
        """A piece's geometry for a file."""
        return {"points": geometry}

    def points_in(self, one: tuple) -> int:
        """Number of points a piece has."""
        return len(one[-1])

    def content(self, value: Any) -> list:
        """The pieces without what changes no result."""
        return list(value)

    def text(self, value: Any) -> str:
        return f"{len(value)} {self.noun}{'s' if len(value) != 1 else ''}"


@dataclass(frozen=True)
class Strokes(Pieces):
    """Brush strokes: (radius m, amount, hardness 0-1, points); a point is (east, north) in metres, and may have the
    pen's pressure 0-1 besides."""

    kind: ClassVar[str] = "strokes"
    noun: ClassVar[str] = "stroke"

    def written(self, value: Any) -> Any:
        return value  # lists of numbers: thousands of names would make the file long

    def geometry(self, value: Any) -> tuple:
        if isinstance(value, (list, tuple)) and value and isinstance(value[0], (list, tuple)) and len(value[0]) == 3:
            places = line_of("it", [p[:2] if isinstance(p, (list, tuple)) else p for p in value], 1, MOST_OF_LINE)
            pressures = [p[2] if len(p) == 3 else math.nan for p in value]
            if not _numbers(pressures) or not all(0 <= v <= 1 for v in pressures):
                raise ValueError("it has a pen's pressure, which must be a number from 0 to 1 at every point")
            return tuple((*place, float(v)) for place, v in zip(places, pressures))
        return super().geometry(value)


@dataclass(frozen=True)
class Outlines(Pieces):
    """Closed outlines: (its settings, points (east, north) in metres). Fewer than three points enclose nothing."""

    kind: ClassVar[str] = "outlines"
    noun: ClassVar[str] = "outline"
    most: ClassVar[int] = 500


@dataclass(frozen=True)
class Shapes(Pieces):
    """Shapes that are moved, stretched and turned: (its settings, (east, north, width, length in metres, degrees
    clockwise))."""

    kind: ClassVar[str] = "shapes"
    noun: ClassVar[str] = "shape"
    most: ClassVar[int] = 500
    keys: ClassVar[tuple[str, ...]] = ("east_m", "north_m", "width_m", "length_m", "turn_deg")

    def geometry(self, value: Any) -> tuple:
        if not isinstance(value, (list, tuple)) or len(value) != 5 or not _numbers(value):
            raise ValueError("its place must be metres east and north, width and length in metres, and degrees")
        east, north, width, length, turn = (float(v) for v in value)
        if max(abs(east), abs(north)) > FARTHEST or not all(0.01 <= v <= FARTHEST for v in (width, length)):
            raise ValueError("it must lie within 1000 km, and be 0.01 m to 1000 km wide and long")
        return east, north, width, length, turn % 360.0

    def geometry_of(self, block: dict) -> Any:
        return [block.get(key) for key in self.keys]

    def geometry_block(self, geometry: tuple) -> dict:
        return dict(zip(self.keys, geometry))

    def points_in(self, one: tuple) -> int:
        return 4
