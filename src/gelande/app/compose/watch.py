"""A watchdog over Compose: what is shown must be what is computed, and every thread must live."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QTimer

from ..crash_handler import log

#: Milliseconds between looks, and the looks after which a difference is asked for again, and told.
PAUSE, AGAIN, TELL = 2000, 2, 5


class Watchdog(QObject):
    """Looks at a ComposePage now and then while nothing is being computed."""

    def __init__(self, page) -> None:
        super().__init__(page)
        self.page, self.count = page, 0
        self._frame = None  # the picture at the last look
        self._timer = QTimer(self, interval=PAUSE)
        self._timer.timeout.connect(self.look)
        self._timer.start()

    def look(self) -> None:
        """One look: revives what ended, asks again for what is not shown, and says when that does not help."""
        page = self.page
        if page.engine.revive() | page.view.renderer.revive():
            log.warning("a thread had ended and was begun anew")
            page.request()
            return
        if page.engine.busy or page.sharpening.busy or page.halted or page.paused or not page.isVisible():
            self.count = 0
            return
        wanted = page.wanted()
        if wanted is None or wanted == page.shown_as and page.view.drawn:
            late, self.count = self.count >= TELL, 0
            if late:  # it came after all: what was said of it no longer holds
                page.tell_state()
            return
        if wanted == page.shown_as and page.view.frame is not self._frame:
            self._frame, self.count = page.view.frame, 0  # it is being refined, however slowly
            return
        self.count += 1
        if self.count == AGAIN:  # a file that a node reads may have changed on disk
            page.request()
        elif self.count == TELL:
            log.warning(
                "the picture is not what was computed: wanted %s, shown %s, drawn %s",
                wanted,
                page.shown_as,
                page.view.drawn,
            )
            page.said.emit(
                "The picture is not of what the recipe says; select another node and come back, or open the recipe "
                "anew."
            )
            page.state_changed.emit("not up to date")
