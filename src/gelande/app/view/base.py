"""A view as its parts know it: bar, marks, masks, comparison, section and modes are given one. ViewWidget is it."""

from __future__ import annotations

from typing import Any

import numpy as np
from PyQt6.QtCore import QPoint, pyqtSignal
from PyQt6.QtWidgets import QWidget

from gelande.scene.camera import Camera
from gelande.scene.relief import Look


class View(QWidget):
    """Signals, state and calls that parts of a view use.

    ``pictured`` carries each new frame. frame: the newest; extent: of the land, metres east and north; look: how it is
    lit and what is drawn over it; the rest: the other parts."""

    pictured = pyqtSignal(object)
    drape_asked = pyqtSignal(bool)
    compare_asked = pyqtSignal()
    bare_asked = pyqtSignal(str)
    section_asked = pyqtSignal()
    camera_asked = pyqtSignal(int)
    looked = pyqtSignal()

    frame: Any
    extent: tuple[float, float]
    look: Look
    camera: Camera | None
    mode: Any
    modes: Any
    bar: Any
    marks: Any
    masks: Any
    comparison: Any
    things: Any
    near: Any
    section: Any
    rule: Any
    active_tool: Any

    @property
    def shown_height(self) -> np.ndarray:
        """Heights in metres of the land that is shown."""
        raise NotImplementedError

    def under(self, pos: QPoint) -> tuple[float, float] | None:
        """(column, row) on the ground under a pixel of the newest frame, or None."""
        raise NotImplementedError

    def reshow(self) -> None:
        """Draws what is shown anew: it is compared otherwise now."""
        raise NotImplementedError

    def set_mode(self, name: str) -> None:
        """Looks at the land in another way."""
        raise NotImplementedError

    def set_tint(self, strength: float) -> None:
        """Draws the tint of masks so strong, 0 to 1."""
        raise NotImplementedError

    def set_grey(self, on: bool) -> None:
        """Shows a mask alone in grey, or as a tint."""
        raise NotImplementedError

    def set_overlays(self) -> None:
        """Draws or leaves out the mesh and the warning of steep faces."""
        raise NotImplementedError

    def set_contours(self, on: bool) -> None:
        """Draws contours or leaves them out."""
        raise NotImplementedError

    def set_sea(self, on: bool | None = None, ask: bool = True) -> None:
        """Draws the sea or leaves it out."""
        raise NotImplementedError

    def set_exaggeration(self, times: float) -> None:
        """Draws the land so many times as high as it is."""
        raise NotImplementedError

    def place_parts(self) -> None:
        """Puts buttons and labels where they belong."""
        raise NotImplementedError

    def redraw(self, *_: object) -> None:
        """Draws what is shown anew, when anything is."""
        raise NotImplementedError

    def set_light(self, azimuth: float, elevation: float, moving: bool = False) -> None:
        """Puts the sun there, degrees. moving: it goes on."""
        raise NotImplementedError

    def home(self) -> None:
        """Shows the whole site again."""
        raise NotImplementedError

    def stand(self) -> None:
        """Puts the eye at a person's height on the ground under the pointer, or under the camera."""
        raise NotImplementedError
