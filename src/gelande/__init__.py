"""Gelande: node graphs that make landscapes, published for others to regenerate and deliver."""

from __future__ import annotations

from typing import TYPE_CHECKING

from .version import __version__

if TYPE_CHECKING:
    from .api import Control, File, GelandeError, Land, Region, deliver_all, formats, new, open, write_sheet

__all__ = [
    "Control",
    "File",
    "GelandeError",
    "Land",
    "Region",
    "__version__",
    "deliver_all",
    "formats",
    "new",
    "open",
    "write_sheet",
]


def __getattr__(name: str) -> object:
    """What is for programs comes from gelande.api, and is loaded when it is first asked for."""
    if name in __all__:
        from . import api

        return getattr(api, name)
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
