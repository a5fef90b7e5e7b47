"""What stands on the land that a view shows."""

from __future__ import annotations

from dataclasses import replace

from gelande.core.recipe.raster import MASK
from gelande.scene.relief import GRAIN, Look
from gelande.scene.things import Things
from gelande.scene.tints import MASKS

from .base import View


class ShownThings:
    """The things of a view. value: the newest; they are drawn as the menu over the view says."""

    def __init__(self, view: View) -> None:
        self.view = view
        self.value: Things | None = None

    def put(self, things: Things) -> None:
        """Draws these from now on."""
        if things is self.value:
            return
        some = len(things.rows) or self.value is not None and len(self.value.rows)
        self.value = things
        self.view.bar.say_things(things)
        if some:
            self.view.redraw()

    def shown(self, kind: str) -> Things | None:
        """Those to be drawn over data of a kind."""
        drawn = self.view.bar.things.isChecked() and not self.plain(kind)
        return self.value if drawn and self.value is not None and len(self.value.rows) else None

    def look(self, kind: str) -> Look:
        """How data of a kind is drawn."""
        grain = GRAIN if self.view.bar.grain.isChecked() and not self.plain(kind) else 0.0
        return replace(self.view.look, grain=grain)

    def plain(self, kind: str) -> bool:
        """True where land is measured: over masks, with contours or a mesh, and between two lands."""
        look = self.view.look
        return kind in (MASK, MASKS) or bool(self.view.comparison.way) or look.mesh or look.steep or look.contour > 0
