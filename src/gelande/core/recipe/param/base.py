"""What every kind of parameter has: a name, a default, help, and how its values are checked, shown and read."""

from __future__ import annotations

import random
from dataclasses import dataclass, field
from typing import Any, ClassVar

from gelande.core.words import shorten

#: Whole numbers beyond this are no settings, and cannot become floating-point numbers without trouble.
LARGEST_INTEGER = 10**18
#: Between a list's id, the number of what it lists and a setting's id, where such a setting is spoken of.
WITHIN = ":"
#: unit shown -> suffix of the key in a recipe file
_SUFFIX = {"m": "_m", "°": "_deg", "%": "_share", "ha": "_ha"}


def shown(value: object) -> str:
    """A wrong value as a message shows it; how long a list or a number with thousands of digits is, is not worth
    finding out."""
    if isinstance(value, (str, float, bool)) or isinstance(value, int) and abs(value) <= LARGEST_INTEGER:
        return repr(shorten(value, 60) if isinstance(value, str) else value)
    words = {dict: "a block", list: "a list", tuple: "a list", int: "a number of too many digits"}
    return words.get(type(value), "no value")


@dataclass(frozen=True)
class Param:
    """One setting of a node. Each kind of setting is a class; what differs between them is asked of it, never of
    its name.

    id: name in code; in files the unit is added (``riser_height_m``).
    unit: "m", "°", "%" (stored as a share 0-1) or "".
    tool: how something is drawn next, not part of the result.
    shown_when: (other parameter id, values): the bench leaves the setting out otherwise. unlinked: an input; the
    bench leaves the setting out while it is linked, since what is linked says it.

    """

    id: str
    label: str
    default: Any
    help: str
    unit: str = field(default="", kw_only=True)
    shown_when: tuple = field(default=(), kw_only=True)
    unlinked: str = field(default="", kw_only=True)
    tool: bool = field(default=False, kw_only=True)

    #: The kind's name, for people and for the schema.
    kind: ClassVar[str] = ""
    #: Whether values are numbers with a range.
    numeric: ClassVar[bool] = False
    #: Whether values are drawn on the land.
    drawn: ClassVar[bool] = False
    #: Whether a shuffle changes it.
    shuffles: ClassVar[bool] = False

    @property
    def key(self) -> str:
        """Name in recipe files, with the unit."""
        return self.id + _SUFFIX.get(self.unit, "")

    @property
    def choices(self) -> tuple[str, ...]:
        """The words that may be chosen; () when it is no choice."""
        return ()

    @property
    def parts(self) -> tuple[Param, ...]:
        """Settings that each of the things it lists has, as they are told to people."""
        return ()

    @property
    def range_text(self) -> str:
        """Its range, as people read it; "" when that cannot be said in a line."""
        return ", ".join(self.choices)

    def check(self, value: Any) -> Any:
        """The value in its stored type. Raises ValueError with the value and the range in the text."""
        raise NotImplementedError

    def written(self, value: Any) -> Any:
        """A value for a recipe file: what JSON holds, and check takes back."""
        return value

    def text(self, value: Any) -> str:
        """The value as people read it, with its unit."""
        return str(value)

    def parse(self, text: str) -> Any:
        """A typed text as a checked value. Raises ValueError."""
        return self.check(text.strip())

    # -- what a list holds ----------------------------------------------------------------------------
    def inner(self, value: Any, rest: str) -> Param:
        """The declaration of a setting of one of the things it lists. Raises KeyError when there is none."""
        raise KeyError(rest)

    def inner_value(self, value: Any, rest: str) -> Any:
        """The value of such a setting. Raises KeyError when there is none."""
        raise KeyError(rest)

    def with_inner(self, value: Any, rest: str, inner: Any) -> Any:
        """The value with such a setting changed. Raises KeyError when there is none."""
        raise KeyError(rest)

    # -- sizes of sites -------------------------------------------------------------------------------
    def fitted(self, value: Any, long_side: float) -> Any:
        """A value that is meant for a site of 4 km, on a site with this long side (metres): the same look at any
        size."""
        return value

    def initial(self, long_side: float) -> Any:
        """The default on a site with this long side (metres)."""
        return self.fitted(self.default, long_side)

    # -- controls and variants ------------------------------------------------------------------------
    def control_range(self, value: Any, long_side: float) -> tuple[float | None, float | None]:
        """The range of a control that is published while the setting has this value."""
        return None, None

    def span_text(self, low: float | None, high: float | None) -> str:
        """A control's range, as people read it."""
        return self.range_text

    def times(self, value: Any, factor: float) -> Any:
        """A control's value as the setting that it drives by a factor."""
        return value

    def without(self, value: Any, factor: float) -> Any:
        """The setting as the value of a control that drives it by a factor."""
        return value

    def sweep(self, low: float | None, high: float | None, count: int) -> list[Any]:
        """Values from one end of a range to the other."""
        return []

    def near(self, value: Any, low: float, high: float, fraction: float) -> Any:
        """The value moved by a share of a range, within it; the value itself where there is nothing between two
        values."""
        return value

    def shuffled(self, draw: random.Random, long_side: float) -> Any:
        """A new value within the usual range."""
        raise NotImplementedError


@dataclass(frozen=True)
class Values:
    """A node's parameter values by attribute: ``p.riser_height``."""

    values: dict[str, Any] = field(default_factory=dict)

    def __getattr__(self, name: str) -> Any:
        try:
            return self.values[name]
        except KeyError:
            raise AttributeError(name) from None
