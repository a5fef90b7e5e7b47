"""Adding a node: a search at the pointer over names, keywords and what nodes do."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QLabel, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout

from gelande.core.node import NodeSpec, registry


def matches(query: str, fits=lambda spec: True) -> list[NodeSpec]:
    """Nodes that match every word of a query, best first: name, then keywords, then category and sentence."""
    words = query.casefold().split()
    found = []
    for spec in registry().values():
        if not fits(spec):
            continue
        name, keys = spec.name.casefold(), " ".join(spec.keywords).casefold()
        rest = f"{spec.category} {spec.summary}".casefold()
        rank = 0
        for word in words:
            if name.startswith(word):
                rank += 0
            elif word in name:
                rank += 1
            elif word in keys:
                rank += 3
            elif word in rest:
                rank += 6
            else:
                break
        else:
            found.append((rank, spec.category if not words else "", spec.name, spec))
    order = {"Landforms": 0, "Shape": 1, "Weather": 2, "Masks": 3, "Colour": 4, "Order": 5}
    found.sort(key=lambda f: (f[0], order.get(f[1], 0), f[2]))
    return [f[3] for f in found]


class Search(QFrame):
    """A line and a list; Enter or a click takes the marked node, Escape gives up."""

    chosen = pyqtSignal(str)

    def __init__(self, parent, title="Add a node", fits=lambda spec: True, extras=()):
        """extras: (name, sentence, what ``chosen`` carries) of things besides nodes; fits: which nodes are offered."""
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("sheet")
        self._fits, self._extras = fits, extras
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 8)
        layout.setSpacing(6)
        self.line = QLineEdit(placeholderText="Name, or what it should do")
        self.list = QListWidget()
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.about = QLabel(objectName="muted")
        self.about.setWordWrap(True)
        self.about.setMinimumHeight(34)
        layout.addWidget(QLabel(title, objectName="head"))
        layout.addWidget(self.line)
        layout.addWidget(self.list)
        layout.addWidget(self.about)
        self.line.textChanged.connect(self.fill)
        self.line.returnPressed.connect(self.take)
        self.list.itemClicked.connect(lambda item: self.take())
        self.list.currentItemChanged.connect(self._describe)
        self.resize(300, 380)
        self.fill("")

    def open_at(self, place: QPoint):
        """Shows the search with its corner at a place on the screen, kept inside it."""
        room = self.screen().availableGeometry()
        self.move(min(place.x(), room.right() - self.width()), min(place.y(), room.bottom() - self.height()))
        self.show()
        self.line.setFocus()

    def fill(self, text: str):
        self.list.clear()
        words = text.casefold().split()
        found = [(name, about, what) for name, about, what in self._extras if all(w in name.casefold() for w in words)]
        found += [(f"{s.name}   ·  {s.category}", s.summary, s.kind) for s in matches(text, self._fits)]
        for name, about, what in found:
            item = QListWidgetItem(name)
            item.setData(Qt.ItemDataRole.UserRole, what)
            item.setData(Qt.ItemDataRole.UserRole + 1, about)
            item.setSizeHint(QSize(0, 26))
            self.list.addItem(item)
        self.list.setCurrentRow(0)
        if not self.list.count():
            self.about.setText("Nothing fits. Try another word, such as ridge, slope or blur.")

    def _describe(self, item, _=None):
        if item is not None:
            self.about.setText(item.data(Qt.ItemDataRole.UserRole + 1))

    def keyPressEvent(self, event):
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_PageDown: 8, Qt.Key.Key_PageUp: -8}.get(event.key())
        if step:
            self.list.setCurrentRow(min(max(0, self.list.currentRow() + step), self.list.count() - 1))
        elif event.key() == Qt.Key.Key_Escape:
            self.close()
        else:
            super().keyPressEvent(event)

    def take(self):
        item = self.list.currentItem()
        if item is not None:
            self.close()
            self.chosen.emit(item.data(Qt.ItemDataRole.UserRole))
