"""Words and switches: choices, toggles, texts and files."""

from __future__ import annotations

import random
import re
from dataclasses import dataclass, field
from pathlib import Path as FilePath
from typing import Any, ClassVar

from gelande.core.words import savable

from .base import Param, shown

LONGEST = 10_000

#: Labels of format 1 whose id does not follow from them, as as_id makes it.
FORMER = {
    "Out of the slope": "out_of_slope",
    "Up (OpenGL)": "up",
    "Down (DirectX)": "down",
    "Each file's own": "own",
    "Found for all": "found",
    **{f"{n} samples": str(n) for n in (513, 1025, 2049, 4097)},
}


def as_id(label: str) -> str:
    """The id of a choice that had a label in recipes of format 1: In beds is in_beds."""
    return re.sub(r"[^a-z0-9]+", "_", label.lower()).strip("_")


@dataclass(frozen=True)
class Choice(Param):
    """One of several words.

    words: their ids, which files and programs hold and which never change. labels: what people read, in the same order;
    these may change.
    """

    words: tuple[str, ...] = field(default=(), kw_only=True)
    labels: tuple[str, ...] = field(default=(), kw_only=True)

    kind: ClassVar[str] = "choice"
    shuffles: ClassVar[bool] = True

    @property
    def choices(self) -> tuple[str, ...]:
        return self.words

    @property
    def range_text(self) -> str:
        return ", ".join(self.labels)

    def check(self, value: Any) -> Any:
        word = self._word(value) if isinstance(value, str) else None
        if word is None:
            raise ValueError(f"{self.label} is {shown(value)}; it must be one of {', '.join(self.words)}")
        return word

    def _word(self, text: str) -> str | None:
        """The word that a text means: by its id or its label, in capitals or not, or by its label in recipes of
        format 1, which no later change of a label touches."""
        if text in self.words:
            return text
        wanted = text.strip().casefold()
        for word, label in zip(self.words, self.labels):
            if wanted in (word.casefold(), label.casefold()):
                return word
        former = FORMER.get(text, as_id(text))
        return former if former in self.words else None

    def text(self, value: Any) -> str:
        return self.labels[self.words.index(value)] if value in self.words else str(value)

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
