"""The site: name, size and sea level, in a small panel under the recipe's name."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QGridLayout, QLabel, QLineEdit, QPushButton

from gelande.core import param as P
from gelande.core.errors import RecipeError
from gelande.core.site import MAX_EXTENT, MIN_EXTENT, Site

FIELDS = (P.metres("width", "East to west", 4096, "", (MIN_EXTENT, MAX_EXTENT)),
          P.metres("depth", "North to south", 4096, "", (MIN_EXTENT, MAX_EXTENT)),
          P.metres("sea_level", "Sea level", 0, "", (-20_000, 20_000)))


class SitePanel(QFrame):
    """Fields and one button; a wrong value is told under the field it is in."""

    def __init__(self, document, parent):
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("sheet")
        self.document = document
        grid = QGridLayout(self)
        grid.setContentsMargins(14, 12, 14, 12)
        grid.addWidget(QLabel("Site", objectName="head"), 0, 0, 1, 2)
        site = document.recipe.site
        self.name = QLineEdit(site.name)
        grid.addWidget(QLabel("Name"), 1, 0)
        grid.addWidget(self.name, 1, 1)
        self.lines = {}
        for row, p in enumerate(FIELDS, 2):
            line = QLineEdit(p.text(getattr(site, p.id)))
            grid.addWidget(QLabel(p.label), row, 0)
            grid.addWidget(line, row, 1)
            self.lines[p.id] = line
            line.returnPressed.connect(self.take)
        self.name.returnPressed.connect(self.take)
        self.fault = QLabel("Sizes in metres, or with km.", objectName="muted")
        self.fault.setWordWrap(True)
        grid.addWidget(self.fault, 5, 0, 1, 2)
        self.button = QPushButton("Set the site", objectName="primary")
        self.button.clicked.connect(self.take)
        grid.addWidget(self.button, 6, 1)
        self.setFixedWidth(280)

    def open_at(self, place):
        self.move(place)
        self.show()
        self.name.setFocus()
        self.name.selectAll()

    def take(self):
        """Sets the site if every field is sound."""
        try:
            v = {p.id: p.parse(self.lines[p.id].text()) for p in FIELDS}
            name = " ".join(self.name.text().split())[:80] or "Untitled"
            site = Site.fitted(name, v["width"], v["depth"], self.document.recipe.site.base, v["sea_level"])
        except (ValueError, RecipeError) as error:
            self.fault.setText(f"{str(error).rstrip('.')}.")
            return
        self.close()
        self.document.edit("Set the site", lambda recipe: recipe if recipe.site == site else replace(recipe, site=site))
