"""What is drawn on the land in Variants: areas to keep, pins of a line of sight, and controls that are drawings."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QObject, pyqtSignal

from gelande.core import control as C
from gelande.core import keep, model
from gelande.core import param as P
from gelande.core.node import spec_of

AREAS = spec_of("inset").param("outlines")
#: What the next area is drawn like: curved, not cut out.
FRESH = (True, False)
PINS = P.line("pins", "Pins", "Two places: whether one is seen from the other.")


class Drawing(QObject):
    """Hands what is drawn in a view to the document. ``drawn`` carries the outlines of a new area; ``ended`` comes when
    nothing is being drawn any more."""

    said = pyqtSignal(str)
    drawn = pyqtSignal(object)
    ended = pyqtSignal()

    def __init__(self, document, view, parent=None):
        super().__init__(parent)
        self.document, self.marks, self.view = document, view.marks, view
        self._value: tuple = ()
        self.what: tuple = ("", None)  # "area", "keep", "pins" or "control", and which
        self.marks.changed.connect(self._changed)
        self.marks.done.connect(self._done)
        self.marks.ended.connect(self._ended)

    # -- beginning --------------------------------------------------------------------------------------
    def area(self):
        """Begins to draw a new area."""
        self._begin(("area", None), AREAS, (), FRESH)

    def outline(self, index: int):
        """Shows the points of a kept area, to be moved."""
        self.end()
        self.what = ("keep", index)
        self.marks.show(AREAS, self.document.recipe.keeps[index].outlines, FRESH)
        self.marks.chosen = 0
        self.said.emit("Drag its points, click its line for a new one, right-click a point to take it away.")

    def pins(self):
        """Begins to set two pins."""
        self._begin(("pins", None), PINS, (), ())
        self.said.emit("Click two places on the land, then Enter: the line of sight between them is a figure.")

    def control(self, label: str, on: bool):
        """Begins to draw the value of a control, or ends it."""
        if not on:
            self.end()
            return
        recipe = self.document.recipe
        control = C.find(recipe, label)
        target, param = control.targets[0], C.param_of(recipe, control)
        state = recipe.nodes[target.node]
        fresh = tuple(state.params[p.id] for p in param.piece) if isinstance(param, P.Pieces) else ()
        self._begin(("control", label), param, C.value_of(recipe, control), fresh)

    def _begin(self, what, param, value, fresh):
        self.end()
        self.what, self._value = what, ()
        self.marks.show(param, value, fresh)
        self.marks.draw(True)
        self.view.setFocus()
        self.said.emit(self.marks.words)

    def end(self):
        """Ends whatever is being drawn or changed."""
        if self.marks.drawing:
            self.marks.draw(False)
        self.marks.show()
        self.what = ("", None)
        self.ended.emit()

    # -- what comes ---------------------------------------------------------------------------------------
    def _changed(self, _, value):
        kind, which = self.what
        if kind == "keep":
            self._set_outline(which, value)
        elif kind == "control":
            control = C.find(self.document.recipe, which)
            merge = f"control.{which}"
            self.document.edit(f"Draw {which.lower()}", lambda r: C.set_control(r, control, value), merge, held=True)
        else:
            self._value = value
            self.marks.show(self.marks.param, value, self.marks.fresh)

    def _set_outline(self, index: int, value):
        if not value or any(len(points) < 3 for *_, points in value):
            return  # an area without an outline would be none
        self.document.edit(
            "Change kept area",
            lambda r: keep.changed(r, index, replace(r.keeps[index], outlines=keep.checked_outlines(value))),
            f"keep.{index}",
            held=True,
        )

    def _done(self):
        kind, _ = self.what
        self.document.end_step()
        if kind == "pins" and len(self.marks.value) >= 2:
            self._take_pins(self.marks.value)

    def _ended(self):
        kind, _ = self.what
        if kind == "area":
            value, self._value = self._value, ()
            self.end()
            if any(len(points) > 2 for *_, points in value):
                self.drawn.emit(value)
        elif kind == "pins":
            self._take_pins(self.marks.value)
        elif kind != "keep":
            self.end()

    def _take_pins(self, points):
        self.end()
        if len(points) < 2:
            return
        pins = ((float(points[0][0]), float(points[0][1])), (float(points[-1][0]), float(points[-1][1])))
        self.document.edit("Set pins", lambda r: _with_pins(r, pins))


def _with_pins(recipe: model.Recipe, pins) -> model.Recipe:
    return replace(recipe, measures=replace(recipe.measures, pins=pins))
