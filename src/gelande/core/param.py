"""Parameter kinds: what a node's settings are, their units, ranges and how they are read and shown.

Every parameter has a hard range (outside it is an error), a soft range (the slider's), a default
that gives a useful picture, a unit and one sentence of help.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

from . import numerals
from .words import savable, shorten

#: Whole numbers beyond this are no settings, and cannot become floating-point numbers without trouble.
LARGEST_INTEGER = 10 ** 18
#: Points that all strokes of one setting may have together.
MOST_POINTS = 400_000
#: unit shown -> suffix of the key in a recipe file
_SUFFIX = {"m": "_m", "°": "_deg", "%": "_share", "ha": "_ha"}


def _shown(value) -> str:
    """A wrong value as a message shows it; how long a list or a number with thousands of digits is, is not worth finding out."""
    if isinstance(value, (str, float, bool)) or isinstance(value, int) and abs(value) <= LARGEST_INTEGER:
        return repr(shorten(value, 60) if isinstance(value, str) else value)
    return {dict: "a block", list: "a list", tuple: "a list", int: "a number of too many digits"}.get(type(value), "no value")


@dataclass(frozen=True)
class Param:
    """One setting of a node.

    id: name in code; in files the unit is added (``riser_height_m``).
    kind: number, count, choice, seed, toggle, ramp, curve, line, strokes, path or text.
    unit: "m", "°", "%" (stored as a share 0-1) or "".
    hard, soft: (low, high), in stored units.
    scales: the default is for a 4 km site and is scaled to the site when a node is made, by the site's length to this power.
    tool: how something is drawn next, not part of the result.
    shown_when: (other parameter id, values): the bench leaves the setting out otherwise.
    """

    id: str
    label: str
    kind: str
    default: object
    help: str
    unit: str = ""
    hard: tuple = (-math.inf, math.inf)
    soft: tuple = (0.0, 1.0)
    decimals: int = 1
    log: bool = False
    scales: int = 0
    choices: tuple = ()
    shown_when: tuple = ()
    tool: bool = False

    @property
    def key(self) -> str:
        """Name in recipe files, with the unit."""
        return self.id + _SUFFIX.get(self.unit, "")

    @property
    def numeric(self) -> bool:
        return self.kind in ("number", "count", "seed")

    def initial(self, long_side: float) -> object:
        """The default on a site with this long side (metres)."""
        return self.fitted(self.default, long_side)

    def fitted(self, value, long_side: float):
        """A value that is meant for a site of 4 km, on a site with this long side (metres): the same look at any size."""
        if not self.scales or long_side == 4096.0:
            return value
        scaled = float(f"{value * (long_side / 4096.0) ** self.scales:.2g}")
        return min(max(scaled, self.hard[0]), self.hard[1])

    def scaled_soft(self, long_side: float) -> tuple:
        """The slider's range on a site with this long side."""
        if not self.scales:
            return self.soft
        factor = (long_side / 4096.0) ** self.scales
        return tuple(min(max(v * factor, self.hard[0]), self.hard[1]) for v in self.soft)

    def check(self, value):
        """The value in its stored type. Raises ValueError with the value and the range in the text."""
        if self.kind in ("number", "count", "seed"):
            return self._check_number(value)
        if self.kind == "choice":
            if value not in self.choices:
                raise ValueError(f"{self.label} is {_shown(value)}; it must be one of {', '.join(self.choices)}")
            return value
        if self.kind == "toggle":
            if not isinstance(value, bool):
                raise ValueError(f"{self.label} is {_shown(value)}; it must be true or false")
            return value
        if self.kind in ("ramp", "curve"):
            return self._check_points(value)
        if self.kind == "line":
            return self._check_line(value, 0 if value in ((), []) else 2)
        if self.kind == "strokes":
            return self._check_strokes(value)
        if not isinstance(value, str) or len(value) > 10_000:
            raise ValueError(f"{self.label} must be a text of at most 10000 characters")
        return savable(value)

    def _check_number(self, value):
        if isinstance(value, bool) or not isinstance(value, (int, float)):
            raise ValueError(f"{self.label} is {_shown(value)}; it must be a number")
        if isinstance(value, int) and abs(value) > LARGEST_INTEGER:
            raise ValueError(f"{self.label} has too many digits; it must be {self.text(self.hard[0])} to {self.text(self.hard[1])}")
        if not math.isfinite(value) or not self.hard[0] <= value <= self.hard[1]:
            raise ValueError(f"{self.label} is {self.text(value)}, outside {self.text(self.hard[0])}"
                             f" to {self.text(self.hard[1])}")
        if self.kind == "number":
            return float(value)
        if value != int(value):
            raise ValueError(f"{self.label} is {value:g}; it must be a whole number")
        return int(value)

    def _check_points(self, value):
        width = 4 if self.kind == "ramp" else 2
        if not isinstance(value, (list, tuple)) or not 2 <= len(value) <= 64:
            raise ValueError(f"{self.label} must have 2 to 64 points")
        points = []
        for point in value:
            if not isinstance(point, (list, tuple)) or len(point) != width or not all(
                    isinstance(v, (int, float)) and not isinstance(v, bool) and 0 <= v <= 1 for v in point):
                raise ValueError(f"{self.label}: each point must be {width} numbers from 0 to 1")
            points.append(tuple(float(v) for v in point))
        return tuple(sorted(points, key=lambda p: p[0]))

    def _check_line(self, value, least: int, most: int = 512) -> tuple:
        if not isinstance(value, (list, tuple)) or not least <= len(value) <= most:
            raise ValueError(f"{self.label} must have {least} to {most} points, or none when it is not drawn")
        points = []
        for point in value:
            if not isinstance(point, (list, tuple)) or len(point) != 2 or not all(
                    isinstance(v, (int, float)) and not isinstance(v, bool) and abs(v) <= 1e6 for v in point):
                raise ValueError(f"{self.label}: each point must be two numbers, metres east and north, within 1000 km")
            points.append((float(point[0]), float(point[1])))
        return tuple(points)

    def _check_strokes(self, value) -> tuple:
        if not isinstance(value, (list, tuple)) or len(value) > 5000:
            raise ValueError(f"{self.label} must be a list of at most 5000 strokes")
        strokes = []
        for stroke in value:
            if not isinstance(stroke, (list, tuple)) or len(stroke) != 4 or not all(
                    isinstance(v, (int, float)) and not isinstance(v, bool) and math.isfinite(v) for v in stroke[:3]) or not (
                    0 < stroke[0] <= 1e6 and abs(stroke[1]) <= 1e6 and 0 <= stroke[2] <= 1):
                raise ValueError(f"{self.label}: each stroke must be a radius, an amount, a hardness from 0 to 1, and its points")
            strokes.append((float(stroke[0]), float(stroke[1]), float(stroke[2]), self._check_line(stroke[3], 1, 4096)))
        if sum(len(s[3]) for s in strokes) > MOST_POINTS:
            raise ValueError(f"{self.label} must have at most {MOST_POINTS} points in all")
        return tuple(strokes)

    def text(self, value) -> str:
        """The value as people read it, with its unit."""
        if self.kind == "toggle":
            return "on" if value else "off"
        if self.kind in ("ramp", "curve", "line"):
            return f"{len(value)} points" if value else "not drawn"
        if self.kind == "strokes":
            return f"{len(value)} stroke{'s' if len(value) != 1 else ''}"
        if self.kind not in ("number", "count", "seed"):
            return str(value)
        if not math.isfinite(value):
            return "no limit"
        if self.unit == "%":
            return f"{value * 100:.{max(0, self.decimals - 1)}f} %"
        digits = 0 if self.kind != "number" else self.decimals
        if digits and abs(value) >= 1000:
            digits = 0
        if self.kind == "number" and 0 < abs(value) < 10.0 ** (1 - digits):  # a small site's small value keeps two figures
            fine = min(6, 1 - math.floor(math.log10(abs(value))))
            fine -= f"{value:.{fine}f}".endswith("0")
            digits = max(digits, fine)
        text = f"{value:.{digits}f}"
        return f"{text}{'' if self.unit == '°' else ' '}{self.unit}" if self.unit else text

    def parse(self, text: str):
        """A typed text as a checked value: "26", "26 m", "0.4 km", "35 %" or "35". Raises ValueError."""
        text = text.strip()
        if self.kind == "toggle":
            if text.lower() not in ("on", "off", "true", "false", "yes", "no"):
                raise ValueError(f"{self.label} is {text!r}; it must be on or off")
            return text.lower() in ("on", "true", "yes")
        if not self.numeric:
            return self.check(text)
        number, factor = text, 1.0
        if self.unit == "m" and number.endswith("km"):
            number, factor = number[:-2], 1000.0
        number = number.removesuffix(self.unit) if self.unit else number
        try:
            value = numerals.read(number) * factor
        except numerals.Ambiguous as error:
            raise ValueError(f"{self.label}: {error}") from None
        except ValueError:
            raise ValueError(f"{self.label} is {shorten(text, 60)!r}; it must be a number"
                             + (f" in {self.unit}" if self.unit else "")) from None
        return self.check(value / 100 if self.unit == "%" else value)


def metres(id, label, default, help, hard=(0.0, 100_000.0), soft=(0.0, 1000.0), decimals=1, **more) -> Param:
    """A length or height in metres."""
    return Param(id, label, "number", float(default), help, "m", hard, soft, decimals, **more)


def degrees(id, label, default, help, hard=(0.0, 90.0), soft=None, decimals=0, **more) -> Param:
    """An angle in degrees. Directions run clockwise from north."""
    return Param(id, label, "number", float(default), help, "°", hard, soft or hard, decimals, **more)


def share(id, label, default, help, hard=(0.0, 1.0), soft=None, decimals=1, **more) -> Param:
    """A share, stored 0-1 and shown in per cent."""
    return Param(id, label, "number", float(default), help, "%", hard, soft or hard, decimals, **more)


def number(id, label, default, help, hard, soft=None, decimals=2, **more) -> Param:
    """A number without a unit."""
    return Param(id, label, "number", float(default), help, "", hard, soft or hard, decimals, **more)


def count(id, label, default, help, hard, soft=None, **more) -> Param:
    """A whole number."""
    return Param(id, label, "count", int(default), help, "", hard, soft or hard, 0, **more)


def choice(id, label, default, choices, help, **more) -> Param:
    """One of several words."""
    return Param(id, label, "choice", default, help, choices=tuple(choices), **more)


def toggle(id, label, default, help, **more) -> Param:
    """On or off."""
    return Param(id, label, "toggle", bool(default), help, **more)


def seed(id="seed", label="Seed", default=1, help="Another number gives another landscape of the same kind.") -> Param:
    """The start of a node's randomness; the recipe's seed is added to it."""
    return Param(id, label, "seed", default, help, hard=(0, 999_999), soft=(0, 999), decimals=0)


def ramp(id, label, default, help, **more) -> Param:
    """Colour stops: (position 0-1, red, green, blue), sRGB 0-1."""
    return Param(id, label, "ramp", tuple(tuple(p) for p in default), help, **more)


def curve(id, label, default, help, **more) -> Param:
    """A curve through points (x, y), each 0-1."""
    return Param(id, label, "curve", tuple(tuple(p) for p in default), help, **more)


def line(id, label, help, **more) -> Param:
    """A line drawn on the land: (east, north) points in metres from the south-west corner; () when not drawn."""
    return Param(id, label, "line", (), help, "m", **more)


def strokes(id, label, help, **more) -> Param:
    """Brush strokes: (radius m, amount, hardness 0-1, points (east, north) in metres)."""
    return Param(id, label, "strokes", (), help, **more)


def path(id, label, help, **more) -> Param:
    """A file, relative to the recipe's folder or absolute."""
    return Param(id, label, "path", "", help, **more)


def text(id, label, default, help, **more) -> Param:
    """Free text."""
    return Param(id, label, "text", default, help, **more)


@dataclass(frozen=True)
class Values:
    """A node's parameter values by attribute: ``p.riser_height``."""

    values: dict = field(default_factory=dict)

    def __getattr__(self, name):
        try:
            return self.values[name]
        except KeyError:
            raise AttributeError(name) from None
