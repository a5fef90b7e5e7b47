"""The floor under everything: what nobody caught is written to a log, told in one line, and the program goes on.

Qt ends the process when an exception leaves a slot and nobody has set a hook; here is the hook, for slots and for
threads.

"""

from __future__ import annotations

import faulthandler
import logging
import sys
import threading
import time
from logging.handlers import RotatingFileHandler
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from gelande.core.words import clean

log = logging.getLogger("gelande")
#: The same fault is told and logged at most once in so many seconds; a fault in painting would come with every picture.
AGAIN = 5.0


class CrashHandler(QObject):
    """Takes what nobody caught. ``met`` carries one sentence for the window, from whatever thread."""

    met = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.log_file: Path | None = None
        self.seen: list[str] = []  # the newest last; only their words: an exception keeps every frame's arrays
        self._told: dict[str, float] = {}
        self._crashes = None

    def install(self, folder: Path) -> None:
        """Sets the hooks and begins a log in a folder, with three older ones kept. Without a place to write it goes
        on without a log."""
        sys.excepthook = lambda kind, error, trace: self.take(error, "the window")
        threading.excepthook = lambda args: (
            self.take(args.exc_value, args.thread.name if args.thread else "a thread") if args.exc_value else None
        )
        sys.unraisablehook = lambda args: self.take(args.exc_value, "clearing up") if args.exc_value else None
        log.setLevel(logging.INFO)
        log.propagate = False
        try:
            folder.mkdir(parents=True, exist_ok=True)
            handler = RotatingFileHandler(
                folder / "gelande.log", maxBytes=1_000_000, backupCount=3, encoding="utf-8", errors="replace"
            )
            handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(threadName)s: %(message)s"))
            for old in list(log.handlers):
                log.removeHandler(old)
                old.close()
            log.addHandler(handler)
            self.log_file = folder / "gelande.log"
            # Kept open: what a broken library leaves is written at the last moment.
            self._crashes = open(folder / "crash.log", "a")  # noqa: SIM115
            faulthandler.enable(self._crashes)
        except OSError:
            self.log_file = None
        logging.raiseExceptions = False  # a full disk must not make logging raise

    def take(self, error: BaseException, where: str) -> None:
        """Writes down what happened and tells it. where: the thread or part that met it."""
        if isinstance(error, KeyboardInterrupt):
            raise error
        key, now = f"{type(error).__name__}: {error}", time.monotonic()
        if now - self._told.get(key, -AGAIN) < AGAIN:
            return
        if len(self._told) > 200:
            self._told.clear()
        self._told[key] = now
        self.seen = [*self.seen[-99:], repr(error)]
        log.error("%s met %s", where, clean(key), exc_info=error)
        if isinstance(error, MemoryError):
            self.met.emit(
                "There was not enough memory for this; choose a smaller detail or close other programs. Your work "
                "is safe."
            )
            return
        place = f" Details: {self.log_file}" if self.log_file else ""
        self.met.emit(
            clean(
                f"A fault inside Gelande ({type(error).__name__}: {clean(str(error), 90)}). Your work is safe; go "
                f"on, or save a copy.{place}"
            )
        )


crash_handler = CrashHandler()
