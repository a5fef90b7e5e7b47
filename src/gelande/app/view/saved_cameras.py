"""The cameras that a recipe keeps, in the view: stepping to them, keeping one more."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QInputDialog, QMenu, QWidget

from gelande.app.document import Document
from gelande.core.recipe import cameras
from gelande.core.recipe.model import NamedCamera

from .modes import ReliefMode
from .widget import ViewWidget


class SavedCameras:
    """Fills the view's menu of cameras from a document, and keys 1 to 9."""

    def __init__(self, document: Document, view: ViewWidget, parent: QWidget) -> None:
        self.document, self.view, self.parent = document, view, parent
        view.bar.cameras.aboutToShow.connect(self._fill)
        view.camera_asked.connect(self.step_to)

    def here(self, name: str = "") -> NamedCamera | None:
        """The camera as it stands now."""
        c = self.view.camera
        if c is None:
            return None
        return NamedCamera(name, c.east, c.north, c.height, c.heading, c.pitch, self.view.look.times)

    def step_to(self, index: int) -> None:
        """Looks from a kept camera."""
        kept = self.document.recipe.cameras
        if index >= len(kept) or self.view.camera is None:
            self.document.said.emit(f"No camera {index + 1} is kept yet: View, Cameras, Keep this view.")
            return
        c = kept[index]
        if c.times != self.view.look.times and c.times in self.view.bar.times:
            self.view.set_exaggeration(c.times)
        self.view.camera = replace(
            self.view.camera, east=c.east, north=c.north, height=c.height, heading=c.heading, pitch=c.pitch
        )
        self.view.set_mode(ReliefMode.name)
        self.document.said.emit(f"Camera {index + 1}: {c.name}")

    def keep(self) -> None:
        """Keeps the camera as it stands, under the next free name."""
        camera = self.here()
        if camera is not None and self.document.edit("Keep camera", lambda r: cameras.keep(r, camera)):
            kept = self.document.recipe.cameras
            self.document.said.emit(f"Kept as {kept[-1].name}; key {len(kept)} steps to it.")

    def _rename(self, index: int) -> None:
        name, yes = QInputDialog.getText(
            self.parent, "Name of the camera", "Name", text=self.document.recipe.cameras[index].name
        )
        if yes:
            self.document.edit("Rename camera", lambda r: cameras.rename(r, index, name))

    def _put(self, index: int) -> None:
        camera = self.here()
        if camera is not None:
            self.document.edit("Move camera", lambda r: cameras.put(r, index, camera))

    def _fill(self) -> None:
        menu: QMenu = self.view.bar.cameras
        menu.clear()
        for k, camera in enumerate(self.document.recipe.cameras):
            inner = menu.addMenu(f"{k + 1}  {camera.name}")
            inner.addAction("Look from here", lambda i=k: self.step_to(i))
            if not self.document.locked:
                inner.addAction("Put it where I look from now", lambda i=k: self._put(i))
                inner.addAction("Rename…", lambda i=k: self._rename(i))
                inner.addAction(
                    "Remove", lambda i=k: self.document.edit("Remove camera", lambda r: cameras.remove(r, i))
                )
        if not self.document.locked:
            menu.addSeparator()
            menu.addAction("Keep this view", self.keep)
