"""The first start: kernels are prepared behind the window, which works meanwhile with what there is."""

from __future__ import annotations

from collections.abc import Callable, Collection

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QWidget

from gelande.core.evaluate.waiting import set_unprepared
from gelande.core.recipe.node import spec_of
from gelande.places import kernels_stamp
from gelande.prepare import VIEW, WORDS, Preparation, and_more, stamp_it, tasks


class Readying(QObject):
    """Prepares what a first land needs, and then the rest. ``told`` carries what is said of it, "" at the end;
    ``ready`` the name of what can be used from now on."""

    told = pyqtSignal(str)
    ready = pyqtSignal(str)

    def __init__(self, needed: Collection[str], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        first, everything = tasks(needed), tasks()
        order = first + [t for t in everything if t not in first] + and_more(everything)
        self.left = set(everything)
        self._work = Preparation(order, self._begun, self._ended)
        set_unprepared(self.left)
        self.ready.connect(self._take)

    @staticmethod
    def is_needed() -> bool:
        """True when the kernels of this version were never prepared here."""
        return not kernels_stamp().exists()

    def start(self) -> None:
        self._work.start()

    def close(self) -> None:
        self._work.close()

    def _begun(self, task: str, done: int, everything: int) -> None:
        kind = task.removeprefix("more ")
        spec = spec_of(kind)
        name = WORDS.get(kind) or (spec.name if spec else kind)
        self.told.emit(f"First start: preparing {name} ({done + 1} of {everything})")

    def _ended(self, task: str, done: int, everything: int) -> None:
        if not task.startswith("more "):
            self.ready.emit(task)
        if done == everything:
            stamp_it()
            self.told.emit("")

    def _take(self, task: str) -> None:
        self.left.discard(task)
        set_unprepared(self.left)


def prepare_first(window, needed: Collection[str], then: Callable[[], None]) -> None:
    """Calls then() at once. Where kernels are to be prepared, does so behind the window: what is not prepared yet
    waits."""
    if not Readying.is_needed():
        then()
        return
    readying = window.readying = Readying(needed, window)
    readying.told.connect(window.tell_preparing)
    readying.ready.connect(
        lambda task: window.compose.take_prepared(bool(needed & readying.left), VIEW in readying.left)
    )
    window.compose.take_prepared(True, True)
    then()
    readying.start()
