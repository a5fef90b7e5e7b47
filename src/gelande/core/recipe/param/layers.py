"""Lists of layers, of which each has its own settings and, by its number, its own ports."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, ClassVar

from .base import WITHIN, Param
from .drawn import Pieces, Ramp
from .words import Colour

#: Numbers that layers may have.
LAST_NUMBER = 9999


@dataclass(frozen=True)
class Layers(Pieces):
    """Layers from the ground up: (its settings in the order of ``piece``, its number). The number stays whatever the
    layer is called and wherever it lies. The settings "name", "on" and "solo" are set in the list itself."""

    kind: ClassVar[str] = "layers"
    noun: ClassVar[str] = "layer"
    drawn: ClassVar[bool] = False
    most: ClassVar[int] = 16
    in_list: ClassVar[tuple[str, ...]] = ("name", "on", "solo")

    def check(self, value: Any) -> Any:
        if not value:
            raise ValueError(f"{self.label} must have at least one layer")
        found = super().check(value)
        numbers = [one[-1] for one in found]
        if len(set(numbers)) < len(numbers):
            raise ValueError(f"{self.label} must have layers of different numbers")
        return found

    def made(self, *layers: dict) -> tuple:
        """Layers numbered from 1, of some settings by id each; the others are as usual."""
        return self.check([[one.get(p.id, p.default) for p in self.piece] + [k + 1] for k, one in enumerate(layers)])

    @property
    def parts(self) -> tuple[Param, ...]:
        return tuple(replace(p, id=f"{self.id}{WITHIN}n{WITHIN}{p.id}", label=f"Layer: {p.label}") for p in self.piece)

    def geometry(self, value: Any) -> Any:
        if isinstance(value, bool) or not isinstance(value, int) or not 1 <= value <= LAST_NUMBER:
            raise ValueError(f"its number must be a whole number from 1 to {LAST_NUMBER}")
        return value

    def geometry_of(self, block: dict) -> Any:
        return block.get("number")

    def geometry_block(self, geometry: Any) -> dict:
        return {"number": geometry}

    def points_in(self, one: tuple) -> int:
        return 0

    def content(self, value: Any) -> list:
        k = self._place("name")
        return [one[:k] + one[k + 1 :] for one in value]

    def fitted(self, value: Any, long_side: float) -> Any:
        found = [one if isinstance(one, tuple) else self._fresh(one) for one in value]
        return tuple((*(p.fitted(v, long_side) for p, v in zip(self.piece, one)), one[-1]) for one in found)

    # -- one layer ------------------------------------------------------------------------------------
    def _place(self, setting: str) -> int:
        return next(k for k, p in enumerate(self.piece) if p.id == setting)

    def index(self, value: tuple, number: int) -> int:
        """Place of the layer of a number, counted from the ground. Raises KeyError when there is none."""
        for k, one in enumerate(value):
            if one[-1] == number:
                return k
        raise KeyError(number)

    def of(self, one: tuple, setting: str) -> Any:
        """A setting of a layer."""
        return one[self._place(setting)]

    def values(self, one: tuple) -> dict[str, Any]:
        """All settings of a layer by id."""
        return {p.id: v for p, v in zip(self.piece, one)}

    def shown(self, one: tuple) -> list[Param]:
        """The settings of a layer that count as it is set, without those that are set in the list."""
        now = self.values(one)
        return [
            p
            for p in self.piece
            if p.id not in self.in_list and (not p.shown_when or now[p.shown_when[0]] in p.shown_when[1])
        ]

    def tone(self, one: tuple) -> tuple[Param, Any] | None:
        """The ramp or colour that a layer has of its own, with its value; None when it has none."""
        found = next((p for p in self.shown(one) if isinstance(p, (Ramp, Colour))), None)
        return (found, self.of(one, found.id)) if found is not None else None

    def put(self, one: tuple, **changes: Any) -> tuple:
        """A layer with some settings changed."""
        return (*(changes.get(p.id, v) for p, v in zip(self.piece, one)), one[-1])

    def fresh_number(self, value: tuple) -> int:
        """A number that no layer has."""
        return max((one[-1] for one in value), default=0) + 1

    # -- the list -------------------------------------------------------------------------------------
    def added(self, value: tuple, above: int, long_side: float, **settings: Any) -> tuple:
        """The layers with a new one right above another. long_side: of the site, metres."""
        k, number = self.index(value, above) + 1, self.fresh_number(value)
        one = (*(settings.get(p.id, p.initial(long_side)) for p in self.piece), number)
        return (*value[:k], one, *value[k:])

    def twice(self, value: tuple, number: int) -> tuple:
        """The layers with a copy of one right above it."""
        k = self.index(value, number)
        named = self.put(value[k], name=f"{self.of(value[k], 'name')} copy")
        return (*value[: k + 1], (*named[:-1], self.fresh_number(value)), *value[k + 1 :])

    def removed(self, value: tuple, number: int) -> tuple:
        """The layers but one; the last one stays."""
        return tuple(one for one in value if one[-1] != number) or value

    def moved(self, value: tuple, number: int, place: int) -> tuple:
        """The layers with one of them at another place, counted from the ground."""
        one, rest = value[self.index(value, number)], [o for o in value if o[-1] != number]
        rest.insert(max(0, min(place, len(rest))), one)
        return tuple(rest)

    # -- settings that are spoken of from outside -----------------------------------------------------
    def path(self, number: int, setting: str) -> str:
        """Id of a layer's setting among the node's settings."""
        return f"{self.id}{WITHIN}{number}{WITHIN}{setting}"

    def _inner(self, value: tuple, rest: str) -> tuple[int, int]:
        """(layer, setting), as places, of what follows the list's id. Raises KeyError."""
        number, _, setting = rest.partition(WITHIN)
        if not number.isdecimal():
            raise KeyError(rest)
        for k, p in enumerate(self.piece):
            if setting in (p.id, p.key):
                return self.index(value, int(number)), k
        raise KeyError(rest)

    def inner(self, value: tuple, rest: str) -> Param:
        """The declaration of a layer's setting, named after the layer. Raises KeyError."""
        index, k = self._inner(value, rest)
        one, setting = value[index], self.piece[k]
        label = f"{self.of(one, 'name')} {setting.label.lower()}"
        return replace(setting, id=self.path(one[-1], setting.id), label=label, shown_when=())

    def inner_value(self, value: tuple, rest: str) -> Any:
        """The value of a layer's setting. Raises KeyError."""
        index, k = self._inner(value, rest)
        return value[index][k]

    def with_inner(self, value: tuple, rest: str, inner: Any) -> tuple:
        """The layers with one setting of one of them changed. Raises KeyError."""
        index, k = self._inner(value, rest)
        one = (*value[index][:k], inner, *value[index][k + 1 :])
        return (*value[:index], one, *value[index + 1 :])
