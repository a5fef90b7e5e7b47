"""Drawing on the land: which node's marks the view shows, what the next piece begins with, and a brush that stays in
hand while other nodes are shown."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from gelande.app.compose.bench import Bench
from gelande.app.compose.canvas import Canvas
from gelande.app.document import Document
from gelande.app.view.widget import ViewWidget
from gelande.core.recipe import graph
from gelande.core.recipe.model import NodeState
from gelande.core.recipe.param import Pieces

#: By how much [ and ] change a brush.
STEP = 1.15


class Drawing(QObject):
    """Ties the document, the graph's choice, the bench and the view's marks together.

    kept: the node whose brush stays in hand, or ""."""

    said = pyqtSignal(str)

    def __init__(self, document: Document, canvas: Canvas, bench: Bench, view: ViewWidget, parent=None) -> None:
        super().__init__(parent)
        self.document, self.canvas, self.bench, self.view = document, canvas, bench, view
        self.marks = view.marks
        self.kept = ""
        self._drawn = ""  # the drawn setting that was drawn last
        self.marks.changed.connect(self._put)
        self.marks.done.connect(document.end_step)
        self.marks.chose.connect(self._tell_bench)
        self.marks.ended.connect(self._ended)
        self.marks.sized.connect(self._resize)
        bench.draw_asked.connect(self.draw)
        bench.keep_asked.connect(self.keep)
        view.active_tool.put_down.connect(self.put_down)

    @property
    def node(self) -> str:
        """The node whose marks are shown."""
        return self.kept or self.canvas.chosen

    def _state(self) -> NodeState | None:
        return self.document.recipe.nodes.get(self.node)

    def _param(self):
        """The drawn setting that is shown: the one that was drawn last, else the node's first."""
        state = self._state()
        if state is None or state.spec is None or self.document.locked:
            return None
        drawn = [p for p in state.spec.params if p.drawn]
        return next((p for p in drawn if p.id == self._drawn), drawn[0] if drawn else None)

    def show(self) -> None:
        """Shows what the node in hand has drawn."""
        if self.kept and self.kept not in self.document.recipe.nodes:
            self.put_down()
        param, marks = self._param(), self.marks
        if param is None:
            marks.show()
        elif not marks.begun_anew(param):
            state = self._state()
            fresh = tuple(state.params[p.id] for p in param.piece) if isinstance(param, Pieces) else ()
            marks.show(param, state.params[param.id], fresh, quiet=bool(self.kept) and self.kept != self.canvas.chosen)
        self._tell_hand()

    def _tell_hand(self) -> None:
        """Says over the view what is in hand, when that is not the chosen node's or is being drawn."""
        param, state = self._param(), self._state()
        if param is None or not (self.marks.drawing or self.kept):
            self.view.active_tool.say("")
            return
        words = [state.name]
        if isinstance(param, Pieces) and self.marks.tool is not None:
            told = list(zip(param.piece, self.marks.fresh))[: self.marks.tool.told]
            words += [f"{p.label.lower()} {p.text(v)}" for p, v in told]
        self.view.active_tool.say(" · ".join(words))

    # -- asked for by the bench ---------------------------------------------------------------------------
    def draw(self, param_id: str, on: bool) -> None:
        """Begins or ends drawing on the land."""
        if self.kept and self.kept != self.canvas.chosen:
            self.put_down()
        self._drawn = param_id
        self.show()
        self.marks.draw(on)
        if on:
            self.view.setFocus()
            self.said.emit(self.marks.words)
        else:
            self.kept = ""
        self.show()
        self.bench.tell_drawing(self.marks.drawing and self._drawn or "", bool(self.kept))

    def keep(self, param_id: str, on: bool) -> None:
        """Keeps the brush in hand while other nodes are chosen, or lets go of it."""
        if not on:
            self.put_down()
            return
        if not self.marks.drawing:
            self.draw(param_id, True)
        self.kept = self.canvas.chosen
        name = self._state().name
        self.said.emit(f"{name} stays in hand: select another node to see what it becomes while you paint.")
        self.show()
        self.bench.tell_drawing(param_id, True)

    def put_down(self) -> None:
        """Ends drawing, and lets go of what is in hand."""
        self.kept = ""
        if self.marks.drawing:
            self.marks.draw(False)
        self._ended()

    def forget(self) -> None:
        """Another recipe: nothing of the one before is in hand, whatever its nodes are called."""
        self.kept, self._drawn = "", ""
        self.marks.show()
        self._ended()

    def _ended(self) -> None:
        self.kept = ""
        self.bench.tell_drawing("", False)
        self.show()

    def chosen(self) -> None:
        """Another node was chosen."""
        if not self.kept:
            self.marks.drawing = False
        elif self.kept == self.canvas.chosen:
            self.bench.tell_drawing(self._drawn, True)
        self.show()
        self._tell_bench()

    # -- changes --------------------------------------------------------------------------------------------
    def _put(self, param_id: str, value: tuple) -> None:
        node_id = self.node
        state = self.document.recipe.nodes.get(node_id)
        if state is None or self.document.locked:
            return
        label = state.spec.param(param_id).label.lower()
        merge = f"{node_id}.{param_id}"
        if not self.document.edit(
            f"Draw {label}", lambda r: graph.set_param(r, node_id, param_id, value), merge, held=True
        ):
            self.show()

    def _tell_bench(self) -> None:
        marks = self.marks
        if isinstance(marks.param, Pieces) and self.node == self.canvas.chosen:
            self.bench.show_piece(marks.param, marks.chosen)

    def _resize(self, steps: int) -> None:
        """[ and ]: the next stroke's brush, or the chosen stroke's."""
        param, state = self._param(), self._state()
        if not isinstance(param, Pieces) or self.marks.tool is None or not self.marks.tool.told:
            return
        size, piece, k = param.piece[0], self.marks.piece, self.marks.chosen
        now = piece[0] if piece is not None else state.params[size.id]
        value = min(max(float(f"{now * STEP**steps:.3g}"), size.hard[0]), size.hard[1])
        if piece is not None:
            self.marks.put(k, (value, *piece[1:]))
        else:
            node_id = self.node
            self.document.edit(
                "Set brush radius", lambda r: graph.set_param(r, node_id, size.id, value), f"{node_id}.{size.id}"
            )
