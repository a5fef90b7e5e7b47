"""Numbers: lengths, angles, shares, counts and seeds."""

from __future__ import annotations

import math
import random
from dataclasses import dataclass
from typing import Any, ClassVar

from gelande.core.files import numerals
from gelande.core.words import shorten

from .base import LARGEST_INTEGER, Param, shown

#: Defaults of lengths are for a site with this long side, metres.
USUAL_SITE = 4096.0


@dataclass(frozen=True)
class Number(Param):
    """A number with a unit. hard, soft: (low, high) in stored units; outside hard is an error, soft is the slider's.

    scales: the default is for a 4 km site and is scaled to the site when a node is made, by the site's length to
    this power."""

    hard: tuple[float, float] = (-math.inf, math.inf)
    soft: tuple[float, float] = (0.0, 1.0)
    decimals: int = 1
    log: bool = False
    scales: int = 0

    kind: ClassVar[str] = "number"
    numeric: ClassVar[bool] = True
    shuffles: ClassVar[bool] = True

    def fitted(self, value: Any, long_side: float) -> Any:
        if not self.scales or long_side == USUAL_SITE:
            return value
        scaled = float(f"{value * (long_side / USUAL_SITE) ** self.scales:.2g}")
        return min(max(scaled, self.hard[0]), self.hard[1])

    def scaled_soft(self, long_side: float) -> tuple[float, float]:
        """The slider's range on a site with this long side."""
        if not self.scales:
            return self.soft
        factor = (long_side / USUAL_SITE) ** self.scales
        low, high = (min(max(v * factor, self.hard[0]), self.hard[1]) for v in self.soft)
        return low, high

    def check(self, value: Any) -> Any:
        low, high = self.text(self.hard[0]), self.text(self.hard[1])
        if isinstance(value, bool) or not isinstance(value, (int, float)):
            raise ValueError(f"{self.label} is {shown(value)}; it must be a number")
        if isinstance(value, int) and abs(value) > LARGEST_INTEGER:
            raise ValueError(f"{self.label} has too many digits; it must be {low} to {high}")
        if not math.isfinite(value) or not self.hard[0] <= value <= self.hard[1]:
            raise ValueError(f"{self.label} is {self.text(value)}, outside {low} to {high}")
        return self.stored(value)

    def stored(self, value: float) -> float | int:
        """A number in its stored type. Raises ValueError."""
        return float(value)

    def rounded(self, value: float) -> float | int:
        """The nearest value that there is."""
        return value

    def text(self, value: Any) -> str:
        if not math.isfinite(value):
            return "no limit"
        if self.unit == "%":
            return f"{value * 100:.{max(0, self.decimals - 1)}f} %"
        text = f"{value:.{self._digits(value)}f}"
        return f"{text}{'' if self.unit == '°' else ' '}{self.unit}" if self.unit else text

    def _digits(self, value: float) -> int:
        """Digits after the point; a small site's small value keeps two figures."""
        digits = 0 if self.decimals and abs(value) >= 1000 else self.decimals
        if not 0 < abs(value) < 10.0 ** (1 - digits):
            return digits
        fine = min(6, 1 - math.floor(math.log10(abs(value))))
        fine -= f"{value:.{fine}f}".endswith("0")
        return max(digits, fine)

    def parse(self, text: str) -> Any:
        """As "26", "26 m", "0.4 km", "35 %" or "35"."""
        text = text.strip()
        number, factor = text, 1.0
        if self.unit == "m" and number.endswith("km"):
            number, factor = number[:-2], 1000.0
        number = number.removesuffix(self.unit) if self.unit else number
        try:
            value = numerals.read(number) * factor
        except numerals.Ambiguous as error:
            raise ValueError(f"{self.label}: {error}") from None
        except ValueError:
            what = f"it must be a number in {self.unit}" if self.unit else "it must be a number"
            raise ValueError(f"{self.label} is {shorten(text, 60)!r}; {what}") from None
        return self.check(value / 100 if self.unit == "%" else value)

    @property
    def range_text(self) -> str:
        return self.span_text(*self.hard)

    def span_text(self, low: float | None, high: float | None) -> str:
        return "" if low is None or high is None else f"{self.text(low)} to {self.text(high)}"

    def control_range(self, value: Any, long_side: float) -> tuple[float | None, float | None]:
        low, high = self.scaled_soft(long_side)
        return min(low, value), max(high, value)

    def times(self, value: Any, factor: float) -> Any:
        return value * factor

    def without(self, value: Any, factor: float) -> Any:
        return value / factor

    def sweep(self, low: float | None, high: float | None, count: int) -> list[Any]:
        if low is None or high is None:
            return []
        return [self.rounded(low + (high - low) * k / (count - 1)) for k in range(count)]

    def near(self, value: Any, low: float, high: float, fraction: float) -> Any:
        return self.rounded(min(max(value + fraction * (high - low), low), high))

    def shuffled(self, draw: random.Random, long_side: float) -> Any:
        low, high = self.scaled_soft(long_side)
        fraction = draw.random()
        value = low * (high / low) ** fraction if self.log and low > 0 else low + (high - low) * fraction
        digits = self.decimals + (2 if self.unit == "%" else 0)
        return min(max(round(value, digits), self.hard[0]), self.hard[1])


@dataclass(frozen=True)
class Count(Number):
    """A whole number."""

    kind: ClassVar[str] = "count"

    def stored(self, value: float) -> float | int:
        if value != int(value):
            raise ValueError(f"{self.label} is {value:g}; it must be a whole number")
        return int(value)

    def rounded(self, value: float) -> float | int:
        return round(value)

    def _digits(self, value: float) -> int:
        return 0

    def times(self, value: Any, factor: float) -> Any:
        return value

    def without(self, value: Any, factor: float) -> Any:
        return value

    def shuffled(self, draw: random.Random, long_side: float) -> Any:
        low, high = self.scaled_soft(long_side)
        return draw.randint(int(low), int(high))


@dataclass(frozen=True)
class Seed(Count):
    """The start of a node's randomness. Two seeds that are close give lands that are not."""

    kind: ClassVar[str] = "seed"

    def sweep(self, low: float | None, high: float | None, count: int) -> list[Any]:
        return []  # every one is another land: there is no way from one end to the other

    def near(self, value: Any, low: float, high: float, fraction: float) -> Any:
        return value
