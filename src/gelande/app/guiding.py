"""What the window does for people who are new to it: what an empty one offers, the tour, the sheet of keys, help."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QWidget

from .help import HelpWindow
from .keysheet import KeySheet
from .tour import Tour
from .welcome import Welcome


class Guiding:
    """Guides in a Window: what an empty one offers, tour, keys and help."""

    def __init__(self, window: Any) -> None:
        self.window = window
        self.help_window: HelpWindow | None = None
        self.tour: Tour | None = None
        self.key_sheet: KeySheet | None = None
        self.welcome = Welcome(self.window.compose)
        self.welcome.landform.connect(self._start_from)
        self.welcome.recipe.connect(lambda path, example: self.window.filing.open_path(path, example))
        self.welcome.file_asked.connect(self.window.filing.ask_open)
        self.welcome.dismissed.connect(self._dismiss)
        self.welcome.any_asked.connect(self._add_any)
        self.window.compose.resized.connect(lambda: self.welcome.setGeometry(self.window.compose.rect()))
        self._dismissed = False
        self.window.document.opened.connect(self._met_recipe)
        self.window.document.changed.connect(lambda before, after: self._met_recipe())

    # -- the empty window -----------------------------------------------------------------------------------
    def _met_recipe(self) -> None:
        """An empty recipe without a file is covered by what one may start from, until somebody wants the sheet."""
        doc = self.window.document
        empty = not doc.recipe.nodes and doc.path is None and not self.window.regenerate
        if doc.recipe.nodes:
            self._dismissed = False
        if empty and not self._dismissed and not doc.undo_text and not doc.redo_text:
            if self.welcome.isHidden():
                self.welcome.offer(self.window.filing.recent())
        elif not self.welcome.isHidden():
            self.welcome.hide()
            self.window.compose.canvas.setFocus()

    def _dismiss(self) -> None:
        self._dismissed = True
        self._met_recipe()

    def _start_from(self, kind: str) -> None:
        """The first node of a new land."""
        self.window.compose.canvas.add_node(kind, QPointF(0.0, 0.0), None, False)
        self.window.compose.canvas.setFocus()

    def _add_any(self) -> None:
        """The search, in the middle of the empty sheet."""
        canvas = self.window.compose.canvas
        canvas.open_search(canvas.mapToGlobal(canvas.rect().center()), QPointF(0.0, 0.0), None, False)

    # -- tour, keys, help -----------------------------------------------------------------------------------
    def start_tour(self) -> None:
        """Six steps over the window."""
        if self.window.regenerate:
            return
        self.window.go("Compose")
        if self.tour is None:
            self.tour = Tour(self.window)
        self.tour.go(0)

    def show_keys(self) -> None:
        """All keys."""
        if self.key_sheet is not None:
            self.key_sheet.deleteLater()
        self.key_sheet = KeySheet(self.window)
        self.key_sheet.open_over(self.window)

    def show_help(self, node_id: str | bool = "") -> None:
        """The chosen node's help page."""
        state = self.window.document.recipe.nodes.get(node_id or self.window.compose.canvas.chosen)
        if self.help_window is None:
            self.help_window = HelpWindow(self.window)
        self.help_window.show_page(state.kind if state and state.spec else "")

    def next_pane(self, step: int = 1) -> None:
        """Puts the focus into the next pane of the workspace: graph, view, bench."""
        page, compose = self.window.pages.currentWidget(), self.window.compose
        panes = [compose.nodes, compose.canvas, compose.view, compose.bench] if page is compose else [page]
        panes = [pane for pane in panes if pane.isVisible()]
        now = self.window.focusWidget()
        here = next((k for k, pane in enumerate(panes) if now and (pane is now or pane.isAncestorOf(now))), -1)
        pane: QWidget = panes[(here + step) % len(panes)]
        if pane is compose.bench:
            first = next(iter(compose.bench.rows.values()), None)
            pane = first.focus_part() if first is not None else pane
        elif pane is page and page is not compose:
            pane.focusNextChild()
            return
        pane.setFocus(Qt.FocusReason.TabFocusReason)
