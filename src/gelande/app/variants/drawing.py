"""What is drawn on the land in Variants: areas to keep, pins of a line of sight, and controls that are drawings."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QObject, pyqtSignal

from gelande.app.document import Document
from gelande.app.view.widget import ViewWidget
from gelande.core.recipe import control as C
from gelande.core.recipe import model
from gelande.core.recipe import param as P
from gelande.core.recipe.choices import checked_outlines
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.node import spec_of
from gelande.core.regenerate import kept_ground

from ..compose.drawing import STEP

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

    def __init__(self, document: Document, view: ViewWidget, parent=None) -> None:
        super().__init__(parent)
        self.document, self.marks, self.view = document, view.marks, view
        self._value: tuple = ()
        self.what: tuple = ("", None)  # "area", "keep", "pins" or "control", and which
        self.marks.changed.connect(self._changed)
        self.marks.done.connect(self._done)
        self.marks.ended.connect(self._ended)
        self.marks.sized.connect(self._resize)
        view.active_tool.put_down.connect(self.end)
        document.changed.connect(self._sync)

    # -- beginning --------------------------------------------------------------------------------------
    def area(self) -> None:
        """Begins to draw a new area."""
        self._begin(("area", None), AREAS, (), FRESH)

    def outline(self, index: int) -> None:
        """Shows the points of a kept area, to be moved."""
        self.end()
        self.what = ("keep", index)
        self.marks.show(AREAS, self.document.recipe.keeps[index].outlines, FRESH)
        self.marks.chosen = 0
        self.said.emit("Drag its points, click its line for a new one, right-click a point to take it away.")

    def pins(self) -> None:
        """Begins to set two pins."""
        self._begin(("pins", None), PINS, (), ())
        self.said.emit("Click two places on the land, then Enter: the line of sight between them is a figure.")

    def control(self, label: str, on: bool) -> None:
        """Begins to draw the value of a control, or ends it; what is drawn can be moved and taken away then."""
        if not on and self.what == ("control", label):
            self.marks.draw(False)
            self._tell()
            return
        recipe = self.document.recipe
        control = C.find(recipe, label)
        target, param = control.targets[0], C.param_of(recipe, control)
        state = recipe.nodes[target.node]
        fresh = tuple(state.params[p.id] for p in param.piece) if isinstance(param, P.Pieces) else ()
        self._begin(("control", label), param, C.value_of(recipe, control), fresh)
        self._tell()

    def _tell(self) -> None:
        """Says over the view what is in hand."""
        kind, which = self.what
        param, tool = self.marks.param, self.marks.tool
        words = [which] if kind == "control" else []
        if words and isinstance(param, P.Pieces) and tool is not None:
            told = list(zip(param.piece, self.marks.fresh))[: tool.told]
            words += [f"{p.label.lower()} {p.text(v)}" for p, v in told]
        self.view.active_tool.say(" · ".join(words))

    def _resize(self, steps: int) -> None:
        """[ and ]: the next stroke's brush, or the selected stroke's."""
        param, tool = self.marks.param, self.marks.tool
        if self.what[0] != "control" or not isinstance(param, P.Pieces) or tool is None or not tool.told:
            return
        size, piece = param.piece[0], self.marks.piece
        now = self.marks.fresh[0] if piece is None else piece[0]
        value = min(max(float(f"{now * STEP**steps:.3g}"), size.hard[0]), size.hard[1])
        if piece is None:
            self.marks.show(param, self.marks.value, (value, *self.marks.fresh[1:]))
        else:
            self.marks.put(self.marks.chosen, (value, *piece[1:]))
        self._tell()

    def _sync(self, before: Recipe, after: Recipe) -> None:
        """Shows what is drawn as it is now: it may have been undone."""
        kind, which = self.what
        if kind == "control":
            control = next((c for c in after.controls if c.label == which), None)
            if control is None:
                self.end()
            else:
                self.marks.show(self.marks.param, C.value_of(after, control), self.marks.fresh)
        elif kind == "keep":
            if which >= len(after.keeps):
                self.end()
            else:
                self.marks.show(AREAS, after.keeps[which].outlines, FRESH)

    def _begin(self, what: tuple, param, value: tuple, fresh: tuple) -> None:
        self.end()
        self.what, self._value = what, ()
        self.marks.show(param, value, fresh)
        self.marks.draw(True)
        self.view.setFocus()
        self.said.emit(self.marks.words)

    def end(self) -> None:
        """Ends whatever is being drawn or changed."""
        if self.marks.drawing:
            self.marks.draw(False)
        self.what = ("", None)
        self.marks.show()
        self.view.active_tool.say("")
        self.ended.emit()

    # -- what comes ---------------------------------------------------------------------------------------
    def _changed(self, _: str, value: tuple) -> None:
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

    def _set_outline(self, index: int, value: tuple[tuple]) -> None:
        if not value or any(len(points) < 3 for *_, points in value):
            return  # an area without an outline would be none
        self.document.edit(
            "Change kept area",
            lambda r: kept_ground.changed(r, index, replace(r.keeps[index], outlines=checked_outlines(value))),
            f"keep.{index}",
            held=True,
        )

    def _done(self) -> None:
        kind, _ = self.what
        self.document.end_step()
        if kind == "pins" and len(self.marks.value) >= 2:
            self._take_pins(self.marks.value)

    def _ended(self) -> None:
        kind, _ = self.what
        if kind == "area":
            value, self._value = self._value, ()
            self.end()
            if any(len(points) > 2 for *_, points in value):
                self.drawn.emit(value)
        elif kind == "pins":
            self._take_pins(self.marks.value)
        elif kind == "control":
            self.ended.emit()  # what is drawn stays in sight, to be moved and taken away
        elif kind != "keep":
            self.end()

    def _take_pins(self, points: tuple[tuple, tuple]) -> None:
        self.end()
        if len(points) < 2:
            return
        pins = ((float(points[0][0]), float(points[0][1])), (float(points[-1][0]), float(points[-1][1])))
        self.document.edit("Set pins", lambda r: _with_pins(r, pins))


def _with_pins(recipe: model.Recipe, pins: tuple[tuple, tuple]) -> model.Recipe:
    return replace(recipe, measures=replace(recipe.measures, pins=pins))
