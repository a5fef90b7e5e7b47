"""Words and switches: choices, toggles, texts and files."""

from __future__ import annotations

import random
from dataclasses import dataclass, field
from pathlib import Path as FilePath
from typing import Any, ClassVar

from gelande.core.words import savable

from .base import Param, shown

LONGEST = 10_000


@dataclass(frozen=True)
class Choice(Param):
    """One of several words."""

    words: tuple[str, ...] = field(default=(), kw_only=True)

    kind: ClassVar[str] = "choice"
    shuffles: ClassVar[bool] = True

    @property
    def choices(self) -> tuple[str, ...]:
        return self.words

    def check(self, value: Any) -> Any:
        if value not in self.words:
            raise ValueError(f"{self.label} is {shown(value)}; it must be one of {', '.join(self.words)}")
        return value

    def sweep(self, low: float | None, high: float | None, count: int) -> list[Any]:
        return list(self.words)

    def shuffled(self, draw: random.Random, long_side: float) -> Any:
        return draw.choice(self.words)


@dataclass(frozen=True)
class Toggle(Param):
    """On or off."""

    kind: ClassVar[str] = "toggle"

    def check(self, value: Any) -> Any:
        if not isinstance(value, bool):
            raise ValueError(f"{self.label} is {shown(value)}; it must be true or false")
        return value

    def text(self, value: Any) -> str:
        return "on" if value else "off"

    def parse(self, text: str) -> Any:
        word = text.strip().lower()
        if word not in ("on", "off", "true", "false", "yes", "no"):
            raise ValueError(f"{self.label} is {text.strip()!r}; it must be on or off")
        return word in ("on", "true", "yes")

    def sweep(self, low: float | None, high: float | None, count: int) -> list[Any]:
        return [False, True]


@dataclass(frozen=True)
class Text(Param):
    """Free text."""

    kind: ClassVar[str] = "text"

    def check(self, value: Any) -> Any:
        if not isinstance(value, str) or len(value) > LONGEST:
            raise ValueError(f"{self.label} must be a text of at most {LONGEST} characters")
        return savable(value)


@dataclass(frozen=True)
class Colour(Param):
    """A colour: (red, green, blue), sRGB 0-1."""

    kind: ClassVar[str] = "tone"

    def check(self, value: Any) -> Any:
        sound = isinstance(value, (list, tuple)) and len(value) == 3
        if not sound or not all(isinstance(v, (int, float)) and not isinstance(v, bool) and 0 <= v <= 1 for v in value):
            raise ValueError(f"{self.label} must be red, green and blue, each a number from 0 to 1")
        return tuple(float(v) for v in value)

    def text(self, value: Any) -> str:
        return "#" + "".join(f"{round(v * 255):02x}" for v in value)

    def parse(self, text: str) -> Any:
        """As "#5c6e3d" or "5c6e3d"."""
        digits = text.strip().removeprefix("#")
        try:
            if len(digits) != 6:
                raise ValueError
            return tuple(int(digits[k : k + 2], 16) / 255 for k in (0, 2, 4))
        except ValueError:
            raise ValueError(f"{self.label} is {shown(text.strip())}; it must be six digits as in #5c6e3d") from None


@dataclass(frozen=True)
class Path(Text):
    """A file, relative to the recipe's folder or absolute."""

    kind: ClassVar[str] = "path"

    def check(self, value: Any) -> Any:
        value = super().check(value)
        if "\0" in value:
            raise ValueError(f"{self.label} holds a character that no file name can have")
        if value.startswith("~"):
            try:
                FilePath(value).expanduser()
            except RuntimeError:
                user = value.partition("/")[0]
                raise ValueError(f"{self.label}: there is no user called {shown(user[1:])} on this machine") from None
        return value
