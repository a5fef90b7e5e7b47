"""Where the program keeps things."""

from __future__ import annotations

import hashlib
import os
from importlib import resources
from pathlib import Path

import platformdirs

from gelande.core.evaluate.executor import Evaluator
from gelande.core.evaluate.keys import program_digest
from gelande.core.evaluate.store import Store


def state_folder() -> Path:
    """Journals and unsaved work."""
    return Path(os.environ.get("GELANDE_STATE") or platformdirs.user_state_dir("gelande"))


def library_folder() -> Path:
    """Groups that the user keeps for every recipe."""
    state = os.environ.get("GELANDE_STATE")
    return Path(state) / "groups" if state else Path(platformdirs.user_data_dir("gelande")) / "groups"


def examples_folder() -> Path:
    """The shipped recipes: a part of the installed package, beside the sources in a checkout."""
    package = Path(str(resources.files("gelande")))
    installed = package / "examples"
    return installed if installed.is_dir() else package.parents[1] / "examples"


def kernels_stamp() -> Path:
    """A file that exists once the kernels of this version were compiled for this user and this place."""
    place = hashlib.sha256(str(Path(__file__).parent).encode()).hexdigest()[:8]
    return state_folder() / f"kernels-{program_digest('kernels')}-{place}"


def kept_evaluator() -> Evaluator:
    """An evaluator whose results are kept for the next time."""
    return Evaluator(store=Store(state_folder() / "results"))
