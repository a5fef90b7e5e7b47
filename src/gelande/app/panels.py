"""Small panels of typed fields under the bar at the top: the site, and how much room results may take."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import QPoint, QSettings, Qt
from PyQt6.QtWidgets import QFrame, QGridLayout, QLabel, QLineEdit, QPushButton

from gelande.app.document import Document
from gelande.core.errors import RecipeError
from gelande.core.recipe import param as P
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.site import MAX_EXTENT, MIN_EXTENT, Site
from gelande.core.words import clean


class FieldsPanel(QFrame):
    """Lines with labels and one button; a wrong value is told under them and nothing is set."""

    def __init__(self, parent, title: str, fields: list[tuple], hint: str, button: str) -> None:
        """fields: (id, label, text)."""
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("sheet")
        grid = QGridLayout(self)
        grid.setContentsMargins(14, 12, 14, 12)
        grid.addWidget(QLabel(title, objectName="head"), 0, 0, 1, 2)
        self.lines: dict[str, QLineEdit] = {}
        for row, (name, label, text) in enumerate(fields, 1):
            self.lines[name] = line = QLineEdit(text)
            line.setAccessibleName(label)
            line.returnPressed.connect(self.take)
            grid.addWidget(QLabel(label), row, 0)
            grid.addWidget(line, row, 1)
        self.fault = QLabel(hint, objectName="muted")
        self.fault.setWordWrap(True)
        grid.addWidget(self.fault, len(fields) + 1, 0, 1, 2)
        self.button = QPushButton(button, objectName="primary")
        self.button.clicked.connect(self.take)
        grid.addWidget(self.button, len(fields) + 2, 1)
        self.setFixedWidth(300)

    def open_at(self, place: QPoint) -> None:
        self.move(place)
        self.show()
        first = next(iter(self.lines.values()))
        first.setFocus()
        first.selectAll()

    def take(self) -> None:
        """Sets what was typed if every field is sound."""
        try:
            ready = self.read({name: line.text() for name, line in self.lines.items()})
        except (ValueError, RecipeError) as error:
            self.fault.setText(f"{str(error).rstrip('.')}.")
            return
        self.close()
        ready()

    def read(self, texts: dict) -> None:
        """A function that sets the checked values. Raises ValueError or RecipeError."""
        raise NotImplementedError


SITE = (
    P.metres("width", "East to west", 4096, "", (MIN_EXTENT, MAX_EXTENT)),
    P.metres("depth", "North to south", 4096, "", (MIN_EXTENT, MAX_EXTENT)),
    P.metres("sea_level", "Sea level", 0, "", (-20_000, 20_000)),
)
#: What is typed for a site without a sea.
NO_SEA = "none"


class SitePanel(FieldsPanel):
    """Name, size, sea level, and who made the recipe."""

    def __init__(self, document: Document, parent) -> None:
        site = document.recipe.site
        super().__init__(
            parent,
            "Site",
            [
                ("name", "Name", site.name),
                *((p.id, p.label, p.text(getattr(site, p.id))) for p in SITE[:2]),
                ("sea_level", SITE[2].label, site.sea_text),
                ("author", "Made by", document.recipe.author),
            ],
            f"Sizes in metres, or with km. Sea level: {NO_SEA}, or metres; land below 0 m is land.",
            "Set the site",
        )
        self.document = document

    def read(self, texts: dict[str, str]) -> Callable | None:
        has_sea = texts["sea_level"].strip().lower() not in ("", NO_SEA)
        if not has_sea:  # what Sea nodes count from stays
            texts = {**texts, "sea_level": f"{self.document.recipe.site.sea_level}"}
        v = {p.id: p.parse(texts[p.id]) for p in SITE}
        name = clean(texts["name"], 80) or "Untitled"
        was = self.document.recipe.site
        site = Site.fitted(name, v["width"], v["depth"], was.base, v["sea_level"], has_sea, was.bare)
        author = clean(texts["author"], 80)

        def changed(recipe: Recipe) -> Recipe:
            same = (recipe.site, recipe.author) == (site, author)
            return recipe if same else replace(recipe, site=site, author=author)

        return lambda: self.document.edit("Set the site", changed)


ROOM = (
    P.Number("memory", "In memory", 1.5, "", (0.2, 512.0), (0.2, 16.0), 1, unit="GB"),
    P.Number("disk", "On disk", 0.6, "", (0.0, 512.0), (0.0, 16.0), 1, unit="GB"),
)


def remembered_room(settings: QSettings) -> dict[str, float]:
    """Limits from the settings file in gigabytes, by id; the default where somebody spoilt one."""
    found = {}
    for param in ROOM:
        try:
            found[param.id] = param.check(float(settings.value(f"room/{param.id}", param.default)))
        except (TypeError, ValueError):
            found[param.id] = param.default
    return found


class RoomPanel(FieldsPanel):
    """Panel for the limits of computed results in memory and, between sessions, on disk."""

    def __init__(self, room: dict, give: Callable, parent) -> None:
        super().__init__(
            parent,
            "Memory and disk",
            [(p.id, p.label, p.text(room[p.id])) for p in ROOM],
            "In gigabytes. Results used longest ago make room first; what is not kept is computed again when it is "
            "needed.",
            "Set",
        )
        self.give = give

    def read(self, texts: dict[str, str]) -> Callable | None:
        values = {p.id: p.parse(texts[p.id]) for p in ROOM}
        return lambda: self.give(values)
