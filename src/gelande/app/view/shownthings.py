"""What stands on the land that a view shows."""

from __future__ import annotations

import math
from dataclasses import replace

from gelande.core.recipe.raster import MASK
from gelande.scene.relief import GRAIN, Look
from gelande.scene.things import Things, with_person
from gelande.scene.tints import MASKS

from .base import View

#: Metres within which a person that is put again is taken away.
SAME = 0.5


class ShownThings:
    """The things of a view. value: the newest; they are drawn as the menu over the view says."""

    def __init__(self, view: View) -> None:
        self.view = view
        self.value: Things | None = None
        self.person: tuple[float, float] | None = None  # metres east and north
        self._with: tuple[Things | None, Things | None] = (None, None)  # things, the same with the person

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
        if self.plain(kind):
            return None
        value = self.value if self.view.bar.things.isChecked() and self.value and len(self.value.rows) else None
        if self.person is None:
            return value
        if self._with[1] is None or self._with[0] is not value:
            self._with = (value, with_person(value, *self.person))
        return self._with[1]

    def put_person(self, hit: tuple[float, float] | None) -> None:
        """Puts a person on the ground for scale: at a column and row, else in the middle of the picture; takes away one
        that stands there already."""
        view = self.view
        hit = hit or view.under(view.rect().center())
        before, self.person, self._with = self.person, None, (None, None)
        if hit is not None:
            scene = view.frame.scene
            east, north = hit[0] * scene.dx, scene.depth - hit[1] * scene.dx
            if before is None or math.hypot(before[0] - east, before[1] - north) > SAME:
                self.person = (east, north)
        view.bar.person.setChecked(self.person is not None)
        view.redraw()

    def toggle_person(self) -> None:
        """Puts a person into the middle of the picture, or takes it away."""
        if self.person is not None:
            self.person = None
            self.view.bar.person.setChecked(False)
            self.view.redraw()
        elif self.view.frame is not None:
            self.put_person(None)

    def look(self, kind: str) -> Look:
        """How data of a kind is drawn."""
        bar, plain = self.view.bar, self.plain(kind)
        grain = GRAIN if bar.grain.isChecked() and not plain else 0.0
        return replace(self.view.look, grain=grain, air=bar.air.isChecked() and not plain)

    def plain(self, kind: str) -> bool:
        """True where land is measured: over masks, with contours or a mesh, and between two lands."""
        look = self.view.look
        return kind in (MASK, MASKS) or bool(self.view.comparison.way) or look.mesh or look.steep or look.contour > 0
