"""Patches of finer levels in a view's picture."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel

from gelande.scene.patches import Patch
from gelande.scene.relief import Scene

from .base import View


class Near:
    """What is there of finer levels near the camera. key: of the content that it belongs to."""

    def __init__(self, view: View) -> None:
        self.view = view
        self.key: tuple = ()
        self.patches: tuple[Patch, ...] = ()
        self.label = QLabel(view, objectName="tag")
        self.label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.label.hide()

    def place(self, right: int, top: int) -> None:
        """Puts the label left of a place."""
        self.label.adjustSize()
        self.label.move(right - self.label.width(), top)

    def put(self, key: tuple, patches: tuple[Patch, ...], spacing: float, comes: float | None) -> None:
        """Draws these over the content of that key from now on. spacing: metres between that one's samples; comes:
        metres a sample of what is still computed."""
        same = key == self.key and patches == self.patches
        self.key, self.patches = key, patches
        found = [f"near: {_metres(spacing / patches[-1].scale)} a sample"] if patches else []
        found += [f"{_metres(comes)} comes" if found else f"near: {_metres(comes)} a sample comes"] if comes else []
        self.label.setText(" · ".join(found))
        self.label.setVisible(bool(found))
        self.view.place_parts()
        if not same:
            self.view.redraw()

    def follow(self, scene: Scene) -> None:
        """A picture of a scene is there: who stands on its ground goes on standing on it."""
        relief = self.view.modes["Relief"]
        if relief.follow_ground(scene) and self.view.mode is relief:
            self.view.redraw()

    def shown(self, content: tuple) -> tuple[Patch, ...]:
        """Those to be drawn over a content."""
        here = content[0] == self.key and self.offered(content[3])
        self.label.setVisible(here and bool(self.label.text()))
        return self.patches if here else ()

    def offered(self, kind: str) -> bool:
        """True where finer levels are drawn: over land that is not being measured."""
        return self.view.bar.near.isChecked() and not self.view.things.plain(kind)


def _metres(spacing: float) -> str:
    return f"{spacing:.3g} m" if spacing >= 1 else f"{spacing * 100:.3g} cm"
