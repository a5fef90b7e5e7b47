"""Errors that are shown to people: each is one sentence saying what, where and what to do."""

from __future__ import annotations

import traceback
from collections.abc import Iterator
from contextlib import contextmanager

from gelande.kernels.bands import Stopped

from .words import clean

__all__ = ["DeliveryError", "GelandeError", "NodeError", "RecipeError", "Stopped", "StoppedError", "stops_told"]


class GelandeError(Exception):
    """Base of every error whose text may be shown as it is: one line of at most 300 characters, without anything
    that would steer a terminal."""

    def __init__(self, text: str) -> None:
        super().__init__(clean(text))


class RecipeError(GelandeError):
    """A recipe file or an edit of a recipe is not valid."""


class NodeError(GelandeError):
    """A node could not compute its result."""

    def __init__(self, node_id: str, node_name: str, reason: str) -> None:
        super().__init__(f"{node_name}: {reason}")
        self.node_id = node_id.partition("~")[0]  # of a copy, the node that the person sees
        self.node_name = clean(node_name)
        self.reason = clean(reason)

    @property
    def trace(self) -> str:
        """Where in its code the node failed, for whoever wrote it; "" when it only said what was wrong."""
        cause = self.__cause__
        if cause is None or isinstance(cause, GelandeError):
            return ""
        return "".join(traceback.format_exception(cause)).rstrip()


class DeliveryError(GelandeError):
    """A deliverable could not be written or read back."""


class StoppedError(GelandeError, Stopped):
    """What a program gets when what it asked for was stopped: an error with a sentence, and still a stop."""

    def __init__(self, text: str = "The work was stopped because somebody asked for it.") -> None:
        super().__init__(text)


@contextmanager
def stops_told() -> Iterator[None]:
    """For what programs call: a stop inside comes out as StoppedError."""
    try:
        yield
    except StoppedError:
        raise
    except Stopped:
        raise StoppedError from None
