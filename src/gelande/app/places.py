"""Where the program keeps things."""

from __future__ import annotations

import os
from pathlib import Path

import platformdirs


def state_folder() -> Path:
    """Journals and unsaved work."""
    return Path(os.environ.get("GELANDE_STATE") or platformdirs.user_state_dir("gelande"))


def examples_folder() -> Path:
    """The shipped recipes: beside the sources in a checkout, inside the package when installed."""
    inside = Path(__file__).resolve().parents[1] / "examples"
    return inside if inside.is_dir() else Path(__file__).resolve().parents[3] / "examples"
