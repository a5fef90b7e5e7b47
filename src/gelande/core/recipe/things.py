"""Things that stand on the land: their kinds by name, and how a layer of them is placed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

#: Kinds of things, in the order of their pictures (scene/thingkinds.py).
NAMES = (
    *("conifer", "broadleaved_tree", "bush", "tuft", "reed", "boulder", "dead_tree", "column_cactus", "hut", "post"),
    "person",
)
#: Metres tall and wide of each at size 1.
SIZES = (
    *((12.0, 5.4), (9.0, 8.0), (1.6, 2.2), (0.45, 0.6), (1.6, 1.1), (1.3, 1.9), (8.0, 5.0), (4.5, 2.4), (4.2, 5.6)),
    *((1.4, 0.16), (1.8, 0.72)),
)
#: Kind of what looks as a picture of the author's own does.
OWN = "own_picture"
#: Metres tall and wide of a post, which stands for a picture that is not chosen yet.
POST = SIZES[NAMES.index("post")]
#: Samples along the long side at which the mask of a layer is asked, at most, so that the same things stand in the view
#: and in every delivery.
ASKED = 513


@dataclass(frozen=True)
class Placing:
    """How the things of a layer are placed. least: metres between two; smallest, largest: factors of their sizes;
    pattern: another number gives other places; kind: a name; tint: factors of red, green and blue; file, tall: of a
    picture of one's own, as the setting has it, and metres at size 1."""

    kind: str
    least: float
    smallest: float
    largest: float
    pattern: int
    tint: tuple[float, float, float] = (1.0, 1.0, 1.0)
    file: str = ""
    tall: float = 0.0

    @property
    def options(self) -> dict[str, Any]:
        """The same as options of a format that writes points."""
        return {
            "least": self.least,
            "smallest": self.smallest,
            "largest": self.largest,
            "pattern": self.pattern,
            "asked": str(ASKED),
        }
