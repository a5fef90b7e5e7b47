"""The bench: the chosen node's name, pictures and time; its parameters in columns; Where and Finish."""

from __future__ import annotations

import random
from dataclasses import replace

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QBoxLayout,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from gelande.app.document import Document
from gelande.core.recipe import graph, group
from gelande.core.recipe import param as P
from gelande.core.recipe.control import publish, published, set_control, unpublish
from gelande.core.recipe.model import NodeState, Recipe
from gelande.core.recipe.node import ENGINE_IDS

from ..editors import Row, make_row
from .beforeafter import Pictures
from .fault import Fault
from .layering import LayersPanel
from .limits import LimitsPlot
from .natural import NaturalSheet
from .where import BANDS, ROWS, WherePanel

#: Pixels of a column of settings, of what stands left of them, and of a row; columns that there may be.
COLUMN, LEFT, ROW, MOST_COLUMNS = 236, 250, 33, 6
#: Pixels of width below which a list of layers needs the room at the left; as tall as anything may be.
NARROW, MOST_TALL = 1120, 16_000
IN_WHERE = {"where", "where_invert", *(p for some in (*BANDS.values(), *ROWS.values()) for p in some)}


class Bench(QWidget):
    """Edits the chosen node of a document."""

    said = pyqtSignal(str)
    help_asked = pyqtSignal(str)
    draw_asked = pyqtSignal(str, bool)
    keep_asked = pyqtSignal(str, bool)

    def __init__(self, document: Document, parent=None) -> None:
        super().__init__(parent)
        self.setObjectName("sheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.document, self.node = document, ""
        self.rows: dict[str, Row] = {}
        self.figures = None
        self.limits: LimitsPlot | None = None
        self._piece: tuple | None = None  # (drawn setting, number of its piece whose settings the rows show)
        self._drawing: tuple[str, bool] = ("", False)
        self._shape = None
        self._build()
        document.changed.connect(self._changed)
        self.show_node("")

    def _build(self) -> None:
        left = self.left = QWidget(objectName="sheet")
        left.setFixedWidth(LEFT)
        column = QVBoxLayout(left)
        column.setContentsMargins(12, 10, 12, 8)
        column.setSpacing(5)
        self.title, self.about = QLabel(objectName="title"), QLabel(objectName="muted")
        self.fault, self.pictures = Fault(), Pictures()
        self.about.setWordWrap(True)
        self.starting_points = QPushButton("Starting points")
        self.starting_points.setToolTip("Good settings to begin from")
        self.starting_points.clicked.connect(self._open_starts)
        self.help = QPushButton("Help")
        self.help.clicked.connect(lambda: self.help_asked.emit(self.node))
        self.shuffle_button = QPushButton("Shuffle")
        self.shuffle_button.setToolTip(
            "New values within the sliders' ranges, as one step of undo; right-click a setting to shuffle it alone."
        )
        self.shuffle_button.clicked.connect(lambda: self.shuffle())
        for w in (self.title, self.about, self.fault, self.pictures):
            column.addWidget(w)
        foot = self.foot = QBoxLayout(QBoxLayout.Direction.LeftToRight)
        foot.setSpacing(4)
        foot.addWidget(self.starting_points)
        foot.addWidget(self.shuffle_button)
        foot.addWidget(self.help)
        foot.addStretch(1)
        column.addLayout(foot)
        column.addStretch(1)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.inner = QWidget(objectName="sheet")
        self.grid = QGridLayout(self.inner)
        self.grid.setContentsMargins(14, 10, 14, 8)
        self.grid.setHorizontalSpacing(20)
        self.grid.setVerticalSpacing(4)
        self.area.setWidget(self.inner)
        self.where = WherePanel()
        self.where.setFixedWidth(296)
        self.where.edited.connect(self.set_value)
        self.layers = LayersPanel()
        self.layers.list.edited.connect(self.set_value)
        self.layers.list.chose.connect(lambda _: self._show_other())
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        for w in (left, self._rule(), self.layers, self.area, self._rule(), self.where):
            row.addWidget(w, 1 if w is self.area else 0)

    @staticmethod
    def _rule() -> QFrame:
        line = QFrame(objectName="rule")
        line.setFixedWidth(1)
        return line

    # -- what is shown ----------------------------------------------------------------------------------
    def show_node(self, node_id: str) -> None:
        """Shows a node, or what to do when there is none."""
        self.node, self.figures, self._piece, self._drawing = node_id, None, None, ("", False)
        self._rebuild()

    def _state(self) -> NodeState | None:
        return self.document.recipe.nodes.get(self.node)

    def _changed(self, before: Recipe, after: Recipe) -> None:
        if self.node and self.node not in after.nodes:
            self.show_node("")
            return
        state = self._state()
        if state is None:
            return
        if self._shape != self._layout_key(state):
            self._rebuild()
            return
        self.title.setText(state.name)
        for param_id, row in self.rows.items():
            row.published = published(after, *self._end(param_id)) is not None
            if row.value != self._value(param_id):
                row.set_value(self._value(param_id))
            row.update()
        if self.limits is not None:
            self.limits.set_values({p: state.params[p] for p in state.spec.limits})
        self._show_layers(state)
        self.where.show_node(state, self.figures)

    def _layout_key(self, state: NodeState) -> tuple:
        shown = tuple(p.id for p in self._params(state))
        # Sliders reach as far as the site is large.
        return (
            self.node,
            state.kind,
            state.raw is not None,
            shown,
            self.area.width() // COLUMN,
            self.document.recipe.site.long_side,
        )

    def _params(self, state: NodeState) -> list:
        if state.spec is None:
            return []
        if state.face is not None:
            return self._shown_settings(state)
        return self.layers.settings(self.node, state) + [
            p
            for p in state.spec.all_params
            if p.id not in IN_WHERE
            and not isinstance(p, P.Layers)
            and (not p.shown_when or self._value(p.shown_when[0]) in p.shown_when[1])
            and not (p.unlinked and p.unlinked in state.inputs)
        ]

    def _show_layers(self, state: NodeState | None) -> None:
        self.layers.show_node(self.node, state, self.figures, self.document.recipe.site)
        self._give_room()

    def _give_room(self) -> None:
        """In a narrow window a list of layers takes the room of what is only told at the left."""
        narrow = self.layers.isVisibleTo(self) and self.width() < NARROW
        self.left.setFixedWidth(LEFT // 2 if narrow else LEFT)
        self.foot.setDirection(QBoxLayout.Direction.TopToBottom if narrow else QBoxLayout.Direction.LeftToRight)
        self.about.setVisible(not narrow)
        self.pictures.setMaximumHeight(0 if narrow else MOST_TALL)

    def _show_other(self) -> None:
        """Other settings, where there are other ones to show."""
        state = self._state()
        if state is not None and self._shape != self._layout_key(state):
            figures = self.figures
            self._rebuild()
            if figures:
                self.show_figures(figures)

    def _shown_settings(self, state: NodeState) -> list:
        """The settings of members that a group shows; their ids name the node as well."""
        found, names = [], [t.param for t in state.face.controls]
        for t in state.face.controls:
            inner = self.document.recipe.nodes[t.node]
            try:
                param = inner.setting(t.param)
            except KeyError:  # of an unknown kind, or of a layer that is gone
                continue
            label = param.label if names.count(t.param) == 1 else f"{inner.name} {param.label.lower()}"
            found.append(replace(param, id=f"{t.node}/{t.param}", label=label, shown_when=()))
        return found

    def _end(self, param_id: str) -> tuple[str, str]:
        """(node, parameter) behind a row: of the chosen node, or of a member of the chosen group."""
        node_id, slash, inner = param_id.partition("/")
        return (node_id, inner) if slash else (self.node, param_id)

    def _value(self, param_id: str):
        node_id, inner = self._end(param_id)
        state, place = self.document.recipe.nodes[node_id], self._in_piece(param_id)
        return state.value(inner) if place is None else state.params[place[0].id][place[1]][place[2]]

    def _in_piece(self, param_id: str) -> tuple | None:
        """(drawn setting, number of the chosen piece, place in it) when a row shows a chosen piece's setting."""
        if self._piece is None:
            return None
        drawn, index = self._piece
        ids = [p.id for p in drawn.piece]
        there = index < len(self.document.recipe.nodes[self.node].params.get(drawn.id, ()))
        return (drawn, index, ids.index(param_id)) if there and param_id in ids else None

    def show_piece(self, drawn, index: int | None) -> None:
        """The rows of what each piece keeps for itself show the chosen one's."""
        self._piece = None if index is None else (drawn, index)
        if self._shape != self._layout_key(self._state()):
            self._rebuild()
            return
        if drawn.id in self.rows:
            self.rows[drawn.id].tell_chosen(index)
        for p in drawn.piece:
            if p.id in self.rows:
                self.rows[p.id].set_value(self._value(p.id))

    def _rebuild(self) -> None:
        state = self._state()
        while self.grid.count():
            self.grid.takeAt(0).widget().deleteLater()
        self.rows, self.limits = {}, None
        spec = state.spec if state else None
        self.title.setText(state.name if state else "Bench")
        self.about.setText(
            spec.summary
            if spec
            else (
                f"This version of Gelande does not know this kind of node; {state.lacking}. It is kept and saved as "
                "it is."
                if state
                else "Select a node to set it here."
            )
        )
        self.fault.hide()
        self.pictures.show_bench(None)
        self.pictures.show()
        self.starting_points.setVisible(bool(spec and spec.starting_points))
        self.help.setVisible(bool(spec))
        self.shuffle_button.setVisible(bool(spec and any(p.shuffles for p in spec.params)))
        self._show_layers(state)
        self.where.show_node(state if spec and spec.outputs and not spec.role else None, None)
        self._shape = self._layout_key(state) if state else None
        if spec:
            self._fill(state)

    def _fill(self, state: NodeState) -> None:
        columns = max(1, min(MOST_COLUMNS, (self.area.width() - 20) // COLUMN))
        params = self._params(state)
        own = [p for p in params if p.id not in ENGINE_IDS]
        engine = [p for p in params if p.id in ENGINE_IDS]
        if state.face is not None and not own:
            self.grid.addWidget(
                QLabel(
                    "Go in with a double-click on the card. Right-click a setting inside to show it here.",
                    objectName="muted",
                ),
                0,
                0,
            )
        taken: set = set()
        if state.spec.limits:
            self.limits = LimitsPlot(
                [state.spec.param(i) for i in state.spec.limits],
                {i: state.params[i] for i in state.spec.limits},
                self.inner,
            )
            self.limits.edited.connect(self.set_value)
            self._put(self.limits, columns, taken)
        for param in own + engine:
            row = self._row(param, state)
            self._put(row, columns, taken)
            self.rows[param.id] = row
        last = max((r for r, _ in taken), default=0)
        before = self.area
        for row in self.rows.values():
            QWidget.setTabOrder(before, row.focus_part())
            before = row.focus_part()
        for c in range(columns):
            self.grid.setColumnStretch(c, 1)
        for c in range(columns, MOST_COLUMNS):
            self.grid.setColumnStretch(c, 0)
        spacer = QWidget()
        self.grid.addWidget(spacer, last + 1, 0)
        self.grid.setRowStretch(last + 1, 1)

    def _put(self, widget: QWidget, columns: int, taken: set) -> None:
        """Puts a widget into the first free place of the grid, over as many rows as it is tall; what is drawn or
        written takes two columns where there are three."""
        tall, k = -(-(widget.height() + 4) // ROW), 0
        wide = 2 if (tall > 2 or getattr(widget, "wide", False)) and columns > 2 else 1

        def places(k: int) -> set:
            return {(k // columns + n, k % columns + m) for n in range(tall) for m in range(wide)}

        while k % columns + wide > columns or places(k) & taken:
            k += 1
        taken.update(places(k))
        self.grid.addWidget(widget, k // columns, k % columns, tall, wide, Qt.AlignmentFlag.AlignTop)

    def _row(self, param, state: NodeState) -> Row:
        recipe = self.document.recipe
        low, high = param.scaled_soft(recipe.site.long_side) if param.numeric else (None, None)
        row = make_row(
            param,
            self._value(param.id),
            low,
            high,
            param.initial(recipe.site.long_side),
            published=published(recipe, *self._end(param.id)) is not None,
            parent=self.inner,
        )
        row.edited.connect(self.set_value)
        row.refused.connect(self.said)
        row.publish_asked.connect(self.toggle_publish)
        row.menu_asked.connect(self._open_menu)
        row.draw_asked.connect(self.draw_asked)
        row.keep_asked.connect(self.keep_asked)
        if param.drawn:
            row.tell_drawing(self._drawing[0] == param.id, self._drawing[0] == param.id and self._drawing[1])
            if self._piece is not None and self._piece[0] == param:
                row.tell_chosen(self._piece[1])
        return row

    def tell_drawing(self, param_id: str, kept: bool) -> None:
        """Shows which setting is being drawn, "" when none is, and whether it stays in hand."""
        self._drawing = (param_id, kept)
        for row in self.rows.values():
            if row.param.drawn:
                row.tell_drawing(row.param.id == param_id, row.param.id == param_id and kept)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._give_room()
        self._show_other()

    def show_figures(self, figures: Bench) -> None:
        """Pictures, time and histograms that the engine measured."""
        if figures.node == self.node:
            self.figures = figures
            site = self.document.recipe.site
            self.where.site_hectares = site.width * site.depth / 10_000
            self.pictures.show_bench(figures)
            self.pictures.show()
            self.where.show_node(self._state(), figures)
            self._show_layers(self._state())
            if self.limits is not None:
                self.limits.show_histogram(figures.heights)
            for row in self.rows.values():
                if figures.heights:
                    row.show_histogram(figures.heights[2])
            self.fault.hide()

    def show_judged(self, node_id: str, rows) -> None:
        """Shows how natural the chosen node's land looks."""
        if node_id == self.node:
            self.natural = NaturalSheet(self, self._state().name, rows)
            self.natural.open_above(self.where)

    def show_fault(self, node_id: str, text: str, trace: str = "") -> None:
        """Shows why a node failed. trace: where in its code."""
        if node_id == self.node:
            self.fault.tell(text, trace)
            self.pictures.hide()  # of a result that there is not; the words need the room

    # -- edits ------------------------------------------------------------------------------------------
    def set_value(self, param_id: str, value) -> None:
        """Sets a parameter; a published one through its control, so that all it drives follow."""
        row_id, recipe = param_id, self.document.recipe
        node_id, param_id = self._end(param_id)
        state = recipe.nodes.get(node_id)
        if state is None or self.document.locked:
            return
        label = state.setting(param_id).label
        place = self._in_piece(row_id)
        if place is not None:
            self._set_in_piece(place, label, value)
            return
        control = published(recipe, node_id, param_id)

        def change(r: Recipe) -> Recipe:
            if control is not None and len(control.targets) > 1:
                own = next(t for t in control.targets if t.node == node_id and t.param == param_id)
                return set_control(r, control, state.setting(param_id).without(value, own.times))
            return graph.set_param(r, node_id, param_id, value)

        if not self.document.edit(f"Set {label.lower()}", change, f"{node_id}.{param_id}"):
            row = self.rows.get(row_id)
            if row is not None:
                row.set_value(state.value(param_id))

    def _set_in_piece(self, place: tuple, label: str, value) -> None:
        """Changes a setting of the chosen piece."""
        node_id, (drawn, index, k) = self.node, place

        def change(recipe: Recipe) -> Recipe:
            pieces = recipe.nodes[node_id].params[drawn.id]
            piece = (*pieces[index][:k], value, *pieces[index][k + 1 :])
            return graph.set_param(recipe, node_id, drawn.id, (*pieces[:index], piece, *pieces[index + 1 :]))

        words = f"Set {label.lower()} of one {drawn.noun}"
        if not self.document.edit(words, change, f"{node_id}.{drawn.id}.{index}.{k}"):
            self.rows[drawn.piece[k].id].set_value(self._value(drawn.piece[k].id))

    def toggle_publish(self, param_id: str) -> None:
        """Puts a parameter on the control sheet or takes it off."""
        recipe = self.document.recipe
        node_id, param_id = self._end(param_id)
        change = unpublish if published(recipe, node_id, param_id) else publish
        self.document.edit("Publish" if change is publish else "Unpublish", lambda r: change(r, node_id, param_id))

    def _open_menu(self, param_id: str, place) -> None:
        row_id, (node_id, param_id) = param_id, self._end(param_id)
        state = self.document.recipe.nodes[node_id]
        param = state.setting(param_id)
        menu, initial = QMenu(self), param.initial(self.document.recipe.site.long_side)
        menu.addAction(f"Reset to {param.text(initial)}", lambda: self.set_value(row_id, initial))
        on = published(self.document.recipe, node_id, param_id) is not None
        menu.addAction(
            "Take off the control sheet" if on else "Publish on the control sheet", lambda: self.toggle_publish(row_id)
        )
        if state.group:
            home = self.document.recipe.nodes[state.group]
            there = any((t.node, t.param) == (node_id, param_id) for t in home.face.controls)
            menu.addAction(
                f"No longer show on {home.name}" if there else f"Show on {home.name}",
                lambda: self.show_on_group(row_id, not there),
            )
        if param.shuffles:
            menu.addAction("Shuffle this", lambda: self.shuffle(row_id))
        menu.addSeparator()
        if param.numeric:
            menu.addAction(f"From {param.range_text}").setEnabled(False)
        menu.exec(place)
        menu.deleteLater()

    def show_on_group(self, param_id: str, on: bool = True) -> None:
        """Shows a setting of a member on its group's card, or takes it away."""
        node_id, inner = self._end(param_id)
        home = self.document.recipe.nodes[node_id].group
        self.document.edit("Show on the group", lambda recipe: group.show_setting(recipe, home, node_id, inner, on))

    def _open_starts(self) -> None:
        menu, state = QMenu(self), self._state()
        for name, values in state.spec.starting_points:
            menu.addAction(name, lambda v=values: self.use_start(v))
        menu.exec(self.starting_points.mapToGlobal(self.starting_points.rect().bottomLeft()))
        menu.deleteLater()

    def use_start(self, values: dict) -> None:
        """Sets the node to a starting point: its own defaults, then these values."""
        node_id = self.node
        spec = self._state().spec

        def change(recipe: Recipe) -> Recipe:
            for p in spec.params:
                if not (isinstance(p, (P.Seed, P.Path)) or p.drawn):
                    recipe = graph.set_param(
                        recipe, node_id, p.id, p.fitted(values.get(p.id, p.default), recipe.site.long_side)
                    )
            return recipe

        self.document.edit("Starting point", change)

    def shuffle(self, only: str = "") -> None:
        """New values for the node's settings, or for one of them."""
        node_id, only = self._end(only) if only else (self.node, "")
        draw = random.Random()
        self.document.edit("Shuffle", lambda recipe: graph.shuffle(recipe, node_id, draw, only))

    def sizeHint(self) -> QSize:
        return QSize(900, 196)
