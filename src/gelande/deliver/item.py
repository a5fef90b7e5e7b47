"""One deliverable of a build and how far it is."""

from __future__ import annotations

from dataclasses import dataclass, field

from gelande.core.recipe.deliverables import Deliverable

WAITING, WORKING, WRITING, DONE, FAILED, STOPPED = (
    "waiting",
    "computing",
    "writing",
    "written, read back",
    "failed",
    "stopped",
)


@dataclass
class Item:
    """The state of one deliverable in a build. files: facts of those that are there; kept: how many of them an earlier
    build had written."""

    deliverable: Deliverable
    state: str = WAITING
    fraction: float = 0.0
    note: str = ""
    files: list[dict] = field(default_factory=list)
    kept: int = 0

    @property
    def facts(self) -> dict | None:
        """Manifest's facts of the file, or of the first of several; None when there is none."""
        return self.files[0] if self.files else None

    @property
    def bytes(self) -> int:
        """Of all files."""
        return sum(f["bytes"] + sum(b["bytes"] for b in f.get("beside", ())) for f in self.files)

    @property
    def over(self) -> bool:
        """True when nothing more is done for it."""
        return self.state in (DONE, FAILED, STOPPED)
