"""Waiting until a window has nothing left to do, and letting it go, for pictures and tests of it."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QCoreApplication, QEvent, QTimer

from gelande.app.window import Window


def still(window: Window) -> bool:
    """True when everything is computed and the shown view is fully refined."""
    page = window.pages.currentWidget()
    view = getattr(page, "view", None)
    if window.engine.busy or getattr(page, "running", False):
        return False
    if getattr(page, "busy", False):
        return False
    if view is None:
        return True
    if view._content is None:  # nothing to show, or what there was failed
        return not hasattr(page, "presented") or page.halted or page.presented is None
    return view.drawn


def prepared(window) -> bool:
    """True when nothing is being prepared for the first start any more."""
    return not window.compose.preparing


def when_still(window: Window, then: Callable, settle: int = 400, limit: int = 120_000, ready=None) -> QTimer:
    """Calls then() once the window has been still for ``settle`` ms, or after ``limit`` ms in any case. ready: window
    -> whether it counts yet that it is still."""
    timer = QTimer(window, interval=50)
    calm = {"ms": 0, "all": 0}

    def look() -> None:
        calm["all"] += 50
        calm["ms"] = calm["ms"] + 50 if still(window) and (ready is None or ready(window)) else 0
        if calm["ms"] >= settle or calm["all"] >= limit:
            timer.stop()
            timer.deleteLater()
            then()

    timer.timeout.connect(look)
    timer.start()
    return timer


def leave(window: Window) -> None:
    """Closes a window and lets Qt go of it at once: were it collected first, on any thread at work, a timer that
    still runs could call what is left of its slots."""
    window.close()
    window.deleteLater()
    QCoreApplication.sendPostedEvents(window, QEvent.Type.DeferredDelete)
