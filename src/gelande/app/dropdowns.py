"""The panels that open under the bar at the top: site, memory and disk, look, report."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QWidget

from .crash_handler import crash_handler
from .looks import LooksPanel
from .panels import RoomPanel, SitePanel
from .report import ReportPanel

if TYPE_CHECKING:
    from collections.abc import Callable


class Dropdowns:
    """Opens panels for a window, each in the place of the last one of its kind. recipe of ``document``; say: tells
    what came of it."""

    def __init__(self, window: QWidget, document, say: Callable[[str], None]) -> None:
        self._window, self._document, self._say = window, document, say
        self.site: SitePanel | None = None
        self.room: RoomPanel | None = None
        self.looks: LooksPanel | None = None
        self.report: ReportPanel | None = None

    def open_site(self, under: QWidget) -> None:
        """Name, size and sea level."""
        self.site = self._opened(under, self.site, SitePanel(self._document, self._window))

    def open_room(self, under: QWidget, room: dict, give: Callable[[dict], None]) -> None:
        """The limits of memory and disk."""
        self.room = self._opened(under, self.room, RoomPanel(room, give, self._window))

    def open_looks(self, under: QWidget) -> None:
        """Theme and size."""
        self.looks = self._opened(under, self.looks, LooksPanel(self._window))
        self.looks.said.connect(self._say)

    def open_report(self, under: QWidget) -> None:
        """A report about a fault."""
        panel = ReportPanel(lambda: self._document.recipe, crash_handler.log_file, self._window)
        panel.said.connect(self._say)
        self.report = self._opened(under, self.report, panel)

    @staticmethod
    def _opened(under: QWidget, old: QWidget | None, panel):
        if old is not None:
            old.deleteLater()
        panel.open_at(under.mapToGlobal(under.rect().bottomLeft()))
        return panel
