"""Typed numbers: the marks that people set between thousands and before decimals.

``1200``, ``1 200``, ``1'200``, ``12,5``, ``1,234,567`` and ``1.234,5`` can be read in one way only. ``1,200``
cannot: it is read as the desktop's language has it, and refused where that says nothing.

"""

from __future__ import annotations

import re

#: Blanks and strokes that only ever part thousands.
_PARTING = " \u00a0\u2009\u202f'’_"
_marks = {"decimal": ".", "group": ""}


class Ambiguous(ValueError):
    """A number that can mean two things."""


def set_marks(decimal: str, group: str) -> None:
    """Sets what the user's language puts before decimals and between thousands."""
    _marks.update(decimal=decimal if decimal in ".," else ".", group=group)


def read(text: str) -> float:
    """The number that a text means. Raises Ambiguous, or ValueError when it is none."""
    number = text.strip().replace("−", "-")
    if re.search(rf"\d[{_PARTING}]", number):
        if not re.fullmatch(rf"[+-]?\d{{1,3}}([{_PARTING}])\d{{3}}(\1\d{{3}})*([.,]\d*)?", number):
            raise ValueError(text)
        number = re.sub(rf"[{_PARTING}]", "", number)
        return _float(number.replace(",", "."))
    if "," in number and "." in number:
        decimal = max(",.", key=number.rfind)
        group = "," if decimal == "." else "."
        if not re.fullmatch(rf"[+-]?\d{{1,3}}(\{group}\d{{3}})+\{decimal}\d*", number):
            raise ValueError(text)
        return _float(number.replace(group, "").replace(decimal, "."))
    for mark in ",.":
        if number.count(mark) > 1:
            if not re.fullmatch(rf"[+-]?\d{{1,3}}(\{mark}\d{{3}})+", number):
                raise ValueError(text)
            return _float(number.replace(mark, ""))
    # A single mark with just three digits after it and one to three before: thousands, or decimals.
    if re.fullmatch(r"[+-]?[1-9]\d{0,2},\d{3}", number):
        if _marks["group"] == ",":
            return _float(number.replace(",", ""))
        if _marks["decimal"] != ",":
            raise Ambiguous(
                f"{number} can mean {number.replace(',', '')} or "
                f"{number.replace(',', '.').rstrip('0').rstrip('.')}; type it without the comma"
            )
    if re.fullmatch(r"[+-]?[1-9]\d{0,2}\.\d{3}", number) and _marks["group"] == ".":
        raise Ambiguous(
            f"{number} can mean {number.replace('.', '')} or {number.rstrip('0').rstrip('.')}; type it without the "
            "point"
        )
    return _float(number.replace(",", "."))


def _float(number: str) -> float:
    if not re.fullmatch(r"[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d{1,3})?", number) or len(number) > 60:
        raise ValueError(number)
    return float(number)
