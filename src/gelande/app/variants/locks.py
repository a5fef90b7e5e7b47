"""Seed locks: groups of nodes whose seed stays while the others move."""

from __future__ import annotations

from PyQt6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from gelande.app.document import Document
from gelande.core.recipe.choices import GROUPS
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.seeds import locked

from ..flow import Flow
from ..switches import Switch


class Locks(QWidget):
    """A button for each group that has seeds: pressed, the next seed leaves the group as it is."""

    def __init__(self, document: Document, parent=None) -> None:
        super().__init__(parent)
        self.document = document
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 2)
        column.setSpacing(4)
        self.words = QLabel("The next seed leaves as they are:", objectName="muted")
        column.addWidget(self.words)
        row = Flow(gap=4)
        self.buttons: dict[str, QPushButton] = {}
        for group in GROUPS:
            button = self.buttons[group] = Switch(group)
            button.setStyleSheet("padding: 2px 7px;")
            button.clicked.connect(lambda on, g=group: self.lock(g, on))
            row.addWidget(button)
        column.addLayout(row)
        document.changed.connect(lambda before, after: self._show(after))
        self._show(document.recipe)

    def lock(self, group: str, on: bool) -> None:
        """Holds a group's seed where it is, or lets it go."""
        words = f"{'Lock' if on else 'Let go'} the seed of {group.lower()}"
        self.document.edit(words, lambda r: locked(r, group, on))

    def _show(self, recipe: Recipe) -> None:
        seeded = {s.spec.category for s in recipe.nodes.values() if s.spec is not None and s.spec.has_seed}
        held = dict(recipe.locks)
        shown = False
        for group, button in self.buttons.items():
            here = group in held or any(category in seeded for category in GROUPS[group])
            shown |= here
            button.setVisible(here)
            button.setChecked(group in held)
            button.setToolTip(
                f"Seed {held[group]} is held. Click to let it go with the others."
                if group in held
                else f"Holds the seed of {group.lower()} where it is."
            )
        self.setVisible(shown)
