"""How commands tell: as JSON for programs, and sentences for numbers that cannot be."""

from __future__ import annotations

import argparse
import json
from collections.abc import Callable
from typing import Any

DONE, FAILED, BAD_INPUT, STOPPED = 0, 1, 2, 130


def told(what: Any) -> None:
    """Prints a value as JSON, as pipes take it."""
    print(json.dumps(what, indent=1, ensure_ascii=False, default=_plain))


def _plain(value: Any) -> Any:
    if hasattr(value, "tolist"):
        return value.tolist()
    return str(value)


def json_word(command: argparse.ArgumentParser) -> None:
    """Adds --json to a command."""
    command.add_argument("--json", action="store_true", help="tell as JSON")


def at_least(low: int, high: int | None = None) -> Callable[[str], int]:
    """A whole number within limits, for an argument: what is outside is refused before anything is computed."""

    def number(text: str) -> int:
        span = f"{low:,} or more" if high is None else f"{low:,} to {high:,}"
        try:
            value = int(text)
        except ValueError:
            raise argparse.ArgumentTypeError(f"{text!r} is no whole number; it must be {span}") from None
        if value < low or high is not None and value > high:
            raise argparse.ArgumentTypeError(f"{value:,} is outside {span}")
        return value

    return number
