"""Adding a node: a search over names, synonyms, settings and what nodes do, with a picture of the marked one."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPoint, QSettings, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPixmap
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout

from gelande.core.recipe.node import NodeSpec, registry, spec_of

from ..nodepictures import picture_of
from . import adding, finding

WHAT, ABOUT = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1
#: Nodes that are remembered as used last.
REMEMBERED = 6

Rank = Callable[[NodeSpec], int]


def _settings() -> QSettings:
    return QSettings("Gelande", "Gelande")


def remember_used(kind: str) -> None:
    """Puts a kind first among those used last."""
    kept = [k for k in used_last() if k != kind]
    _settings().setValue("used_nodes", ",".join([kind, *kept][:REMEMBERED]))


def used_last() -> list[str]:
    """Kinds that were added last, the newest first."""
    return [k for k in str(_settings().value("used_nodes", "") or "").split(",") if spec_of(k) is not None]


class Search(QFrame):
    """A line and a list; Enter or a click takes the marked node, Escape gives up."""

    chosen = pyqtSignal(str)

    def __init__(
        self, parent, title: str = "Add a node", rank: Rank = lambda spec: adding.MAIN, extras: list[tuple] | tuple = ()
    ) -> None:
        """rank: how a node would take the link that is held (adding.MAIN, ALSO, NOT); extras: (name, sentence, what
        ``chosen`` carries) of things besides nodes."""
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("sheet")
        self._extras = extras
        self._ranks = {kind: rank(spec) for kind, spec in registry().items()}
        self.line = QLineEdit(placeholderText="Name, or what it should do")
        self.list = QListWidget()
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.picture, self.about, self.ports = QLabel(), QLabel(), QLabel(objectName="muted")
        self.picture.setFixedSize(150, 112)
        for label in (self.about, self.ports):
            label.setWordWrap(True)
            label.setAlignment(Qt.AlignmentFlag.AlignTop)
        side = QVBoxLayout()
        side.setSpacing(6)
        side.addWidget(self.picture)
        side.addWidget(self.about)
        side.addWidget(self.ports)
        side.addStretch(1)
        row = QHBoxLayout()
        row.setSpacing(10)
        row.addWidget(self.list, 1)
        row.addLayout(side)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        column.setSpacing(6)
        head = QLabel(title, objectName="head")
        head.setMaximumWidth(430)
        column.addWidget(head)
        column.addWidget(self.line)
        column.addLayout(row)
        self.line.textChanged.connect(self.fill)
        self.line.returnPressed.connect(self.take)
        self.list.itemClicked.connect(lambda item: self.take())
        self.list.currentItemChanged.connect(self._describe)
        self.resize(450, 390)
        self.fill("")

    def open_at(self, place: QPoint) -> None:
        """Shows the search with its corner at a place on the screen, kept inside it."""
        room = self.screen().availableGeometry()
        self.move(min(place.x(), room.right() - self.width()), min(place.y(), room.bottom() - self.height()))
        self.show()
        self.line.setFocus()

    # -- the list -----------------------------------------------------------------------------------------
    def fill(self, text: str) -> None:
        """Lists what fits a text: by main port first, what could only take the link otherwise last; what comes nearest
        when nothing fits."""
        self.list.clear()
        words = text.casefold().split()
        for name, about, what in self._extras:
            if all(w in name.casefold() for w in words):
                self._entry(name, about, what)
        plainly, also = (
            finding.matches(text, lambda s, r=r: self._ranks[s.kind] == r) for r in (adding.MAIN, adding.ALSO)
        )
        if not words:
            self._part("Used last", [spec_of(k) for k in used_last() if self._ranks[k] == adding.MAIN])
            for category in dict.fromkeys(s.category for s in plainly):
                self._part(category, [s for s in plainly if s.category == category])
        else:
            self._part("", plainly)
        self._part("Also, as a side input" if self._ranks else "", also)
        if not self.list.count():
            self._part(
                "Nothing fits. The nearest are", finding.nearest(text, lambda s: self._ranks[s.kind] != adding.NOT)
            )
        self._mark(0, 1)
        if self.list.currentItem() is None:
            self.about.setText("Nothing fits here.")

    def _part(self, title: str, specs: list) -> None:
        """A part of the list under its title."""
        if specs and title:
            item = QListWidgetItem(title)
            item.setFlags(Qt.ItemFlag.NoItemFlags)
            item.setSizeHint(QSize(0, 22))
            self.list.addItem(item)
        for spec in specs:
            self._entry(spec.name, spec.summary, spec.kind)

    def _entry(self, name: str, about: str, what: str) -> None:
        item = QListWidgetItem(name)
        item.setData(WHAT, what)
        item.setData(ABOUT, about)
        item.setSizeHint(QSize(0, 25))
        self.list.addItem(item)

    def offers(self) -> list[str]:
        """Entries of the list, in order."""
        items = [self.list.item(k) for k in range(self.list.count())]
        return [i.data(WHAT) for i in items if i.data(WHAT)]

    def _mark(self, row: int, step: int) -> None:
        """Marks the entry at a row, or the next one after a title."""
        row = min(max(0, row), self.list.count() - 1)
        while 0 <= row < self.list.count() and not self.list.item(row).data(WHAT):
            row += step
        if 0 <= row < self.list.count():
            self.list.setCurrentRow(row)
            if row == 1 and not self.list.item(0).data(WHAT):
                self.list.scrollToTop()

    def _describe(self, item: QListWidgetItem | None, _: QListWidgetItem | None = None) -> None:
        if item is None:
            return
        kind = item.data(WHAT) or ""
        spec = spec_of(kind)
        self.about.setText(item.data(ABOUT) or "")
        picture = picture_of(kind)
        shown = QPixmap(str(picture)) if spec is not None and picture.exists() else QPixmap()
        self.picture.setVisible(not shown.isNull())
        if not shown.isNull():
            scale = self.devicePixelRatioF()
            shown = shown.scaled(
                round(150 * scale),
                round(112 * scale),
                Qt.AspectRatioMode.KeepAspectRatioByExpanding,
                Qt.TransformationMode.SmoothTransformation,
            )
            shown.setDevicePixelRatio(scale)
            self.picture.setPixmap(shown)
        self.ports.setText(_ports_text(spec) if spec is not None else "")

    # -- keys ---------------------------------------------------------------------------------------------
    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_PageDown: 8, Qt.Key.Key_PageUp: -8}.get(event.key())
        if step:
            self._mark(self.list.currentRow() + step, 1 if step > 0 else -1)
        elif event.key() == Qt.Key.Key_Escape:
            self.close()
        else:
            super().keyPressEvent(event)

    def take(self) -> None:
        item = self.list.currentItem()
        if item is not None and item.data(WHAT):
            self.close()
            self.chosen.emit(item.data(WHAT))


def _ports_text(spec: NodeSpec) -> str:
    """Inputs and outputs of a node, in a line each."""
    takes = ", ".join(p.label.lower() for p in spec.inputs if not p.optional)
    gives = ", ".join(p.label.lower() for p in spec.outputs)
    return "\n".join(w for w in (f"Takes {takes}." if takes else "", f"Gives {gives}." if gives else "") if w)
