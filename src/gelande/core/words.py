"""Text that comes from files and keyboards, made fit to be shown, printed and saved."""

from __future__ import annotations

import unicodedata

#: Longest message that is shown to anybody.
LONGEST = 300
#: Categories of characters that do something instead of standing for something: controls, formats (among them those
#: that turn the direction of writing round), halves of surrogate pairs, private use and unassigned ones.
_HARMFUL = {"Cc", "Cf", "Cs", "Co", "Cn"}


def clean(text: str, most: int = LONGEST) -> str:
    """One line of at most this many characters: white space becomes single blanks, what would steer a terminal or
    cannot be saved becomes a question mark. Too long a text keeps its beginning and its end."""
    text = " ".join(shorten(text, 4 * most).split())
    text = "".join("?" if unicodedata.category(c) in _HARMFUL else c for c in text)
    return shorten(text, most)


def shorten(text: str, most: int) -> str:
    """The text, with its middle left out when it is longer than this."""
    if len(text) <= most:
        return text
    head = (most - 3) * 2 // 3
    return f"{text[:head]} … {text[-(most - 3 - head) :]}"


def savable(text: str) -> str:
    """The text with halves of surrogate pairs, which no file can hold, as question marks."""
    return text.encode("utf-8", "replace").decode("utf-8")


def amount(count: int) -> str:
    """A number of bytes, as people read it."""
    for unit, size in (("GB", 1e9), ("MB", 1e6)):
        if count >= 0.95 * size:
            return f"{count / size:.1f} {unit}"
    return f"{max(1, round(count / 1e3))} kB"
