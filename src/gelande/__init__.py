"""Gelande: node graphs that make landscapes, published for others to regenerate and deliver."""

from __future__ import annotations

from typing import TYPE_CHECKING

from .version import __version__

if TYPE_CHECKING:
    from .api import (
        Control,
        DeliveryError,
        File,
        GelandeError,
        Land,
        Node,
        NodeSpec,
        Output,
        Raster,
        Region,
        Stopped,
        deliver_all,
        formats,
        new,
        node_kind,
        node_kinds,
        open,
        packages,
        write_sheet,
    )

__all__ = [
    "Control",
    "DeliveryError",
    "File",
    "GelandeError",
    "Land",
    "Node",
    "NodeSpec",
    "Output",
    "Raster",
    "Region",
    "Stopped",
    "__version__",
    "deliver_all",
    "formats",
    "new",
    "node_kind",
    "node_kinds",
    "open",
    "packages",
    "write_sheet",
]


def __getattr__(name: str) -> object:
    """What is for programs comes from gelande.api, and is loaded when it is first asked for."""
    if name in __all__:
        from . import api

        return getattr(api, name)
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")


def __dir__() -> list[str]:
    """What editors and help() list."""
    return sorted({*globals(), *__all__})
