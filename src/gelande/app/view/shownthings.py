"""What stands on the land that a view shows."""

from __future__ import annotations

from gelande.core.recipe.raster import MASK
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
        """Those to be drawn over data of a kind: none where land is measured, over masks and between two lands."""
        plain = kind in (MASK, MASKS) or bool(self.view.comparison.way) or not self.view.bar.things.isChecked()
        return None if plain or self.value is None or not len(self.value.rows) else self.value
