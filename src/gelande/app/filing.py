"""What the window does with files: new, open, save, recent ones, recovered work, and never closing over work that
is not safe."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any, Protocol

from PyQt6.QtCore import QSettings
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QFileDialog, QMenu

from gelande.core.errors import GelandeError
from gelande.core.files.disk import reason_of
from gelande.core.recipe.journal import Lost, discard, lost_work
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.recipefile import save
from gelande.deliver.names import slug
from gelande.places import examples_folder, state_folder

from . import thumbs
from .document import Document
from .notices import Notice
from .welcome import title_of, with_picture

FILTER = "Gelande recipes (*.gelande)"


class FilingWindow(Protocol):
    """The window as its files are handled."""

    document: Document
    compose: Any
    choices: Any
    settings: QSettings
    regenerate: bool
    journal_root: Path
    trouble: Notice
    outside: Notice
    recover: Notice
    recent_menu: QMenu
    examples_menu: QMenu

    def say(self, text: str) -> None:
        """Tells something in the status line."""

    def go(self, workspace: str) -> None:
        """Shows a workspace."""


def dropped(event: QDragEnterEvent | QDropEvent) -> list[Path]:
    """The recipe files that are dragged."""
    names = [u.toLocalFile() for u in event.mimeData().urls()]
    return [Path(n) for n in names if n.endswith(".gelande")]


class Filing:
    """Opens and keeps the recipe of a Window. unkept: why unsaved work could not be kept when it was tried last."""

    def __init__(self, window: FilingWindow) -> None:
        self.window, self.unkept = window, ""
        self._lost: list[Lost] = []

    def new(self) -> None:
        """An empty recipe."""
        self._leave_for(lambda: self.begin(Recipe()))

    def begin(self, recipe: Recipe) -> None:
        """Opens a recipe that has no file yet."""
        self.window.document.start(recipe, None)
        self.window.compose.canvas.choose("")
        self.window.compose.bench.show_node("")

    # -- unsaved work ---------------------------------------------------------------------------------------
    def _leave_for(self, then: Callable) -> None:
        """Calls then() once unsaved work is safe; where it cannot be kept, asks for another place."""
        if self.keep_unsaved():
            then()
        else:
            self.ask_for_a_place("The recipe stays open", then)

    def keep_unsaved(self) -> bool:
        """Unsaved work is never thrown away: it is written beside its file, or where that cannot be, to the state
        folder; and told."""
        doc, self.unkept = self.window.document, ""
        if self.window.regenerate and doc.path is not None and self.window.choices.flush():
            return True
        if not doc.dirty or not doc.recipe.nodes and doc.path is None:
            return True
        stem = doc.path.stem if doc.path else slug(doc.recipe.site.name)
        here, aside = doc.path.parent if doc.path else None, state_folder() / "unsaved"
        folders = [aside] if here is None or self.window.regenerate else [here, aside]
        for folder in folders:
            try:
                if folder == aside:
                    folder.mkdir(parents=True, exist_ok=True)
                n = next(k for k in range(1, 100_000) if not (folder / f"{stem} unsaved {k}.gelande").exists())
                path = folder / f"{stem} unsaved {n}.gelande"
                save(doc.recipe, path)
            except OSError as error:
                self.unkept = f"{folder} cannot be written: {reason_of(error)}"
            except GelandeError as error:
                self.unkept = str(error)
            else:
                self.window.settings.setValue("kept", str(path))
                self.window.say(f"The changes were kept as {path}." + (f" {self.unkept}" if self.unkept else ""))
                self.unkept = ""
                return True
        return False

    def ask_for_a_place(self, what: str, then) -> None:
        """The unsaved work has no safe place: says so and offers another one; then() goes on once it is safe or
        given up."""

        def elsewhere() -> None:
            self.window.trouble.hide()
            if self.ask_save():
                then()
            else:
                self.ask_for_a_place(what, then)

        def give_up() -> None:
            self.window.trouble.hide()
            self.window.document.start(Recipe(), None)
            then()

        self.window.trouble.ask(
            f"{what}: its unsaved changes could not be kept. {self.unkept}",
            ("Save to another place…", elsewhere),
            ("Stay", self.window.trouble.hide),
            ("Lose the changes", give_up),
        )
        self.window.say(self.unkept)

    # -- open and save --------------------------------------------------------------------------------------
    def open_path(self, path: Path, example: bool = False) -> bool:
        """Opens a recipe. An example opens as a new recipe without a file, so that saving never overwrites it."""
        done = []
        self._leave_for(lambda: done.append(self._open(Path(path), example)))
        return bool(done and done[-1])

    def _open(self, path: Path, example: bool) -> bool:
        if not self.window.document.open(path, example):
            return False
        if not example:
            self.remember(path)
        if self.window.regenerate:
            self.window.choices.take_up()
        view = self.window.document.recipe.view
        self.window.compose.canvas.held = view.get("held", "") if isinstance(view.get("held", ""), str) else ""
        self.window.compose.show_last()
        self.window.go("Variants" if self.window.regenerate else "Compose")
        return True

    def ask_open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self.window, "Open a recipe", str(self.window.document.folder), FILTER)
        if name:
            self.open_path(Path(name))

    def save(self) -> bool:
        """Saves to the recipe's file, or asks for one. Returns whether it is saved."""
        if self.window.document.path is None:
            return self.ask_save()
        saved = self.window.document.save()
        if saved:
            self.remember(self.window.document.path)
            self.keep_picture(True)
        return saved

    def ask_save(self) -> bool:
        """Saves under a name that is asked for. Returns whether it was."""
        start = (
            self.window.document.path
            or self.window.document.folder / f"{slug(self.window.document.recipe.site.name)}.gelande"
        )
        name, _ = QFileDialog.getSaveFileName(self.window, "Save the recipe", str(start), FILTER)
        return bool(name) and self.save_as(Path(name) if name.endswith(".gelande") else Path(name + ".gelande"))

    def save_as(self, path: Path) -> bool:
        """Saves under a name that the person chose, and whose present content they were asked about."""
        if path == self.window.document.path:
            self.window.document.accept_outside()
        if self.window.document.save(path):
            self.window.outside.hide()
            self.remember(path)
            self.keep_picture(True)
            return True
        return False

    def tell_outside(self) -> None:
        """The open file was written by somebody else since it was opened or saved here."""
        path = self.window.document.path
        if path is None:
            return

        def theirs() -> None:
            self.window.outside.hide()
            self.open_path(path)

        def mine() -> None:
            self.window.outside.hide()
            self.window.document.accept_outside()
            self.save()

        def copy() -> None:
            if self.ask_save():
                self.window.outside.hide()

        unsaved = " Your unsaved changes would be kept beside it." if self.window.document.dirty else ""
        self.window.outside.ask(
            f"{path.name} was changed by somebody else since you opened or saved it.{unsaved}",
            ("Save a copy…", copy),
            ("Open what is there now", theirs),
            ("Save over it", mine),
        )

    # -- recent files and examples --------------------------------------------------------------------------
    def remember(self, path: Path) -> None:
        names = [str(Path(path).resolve())] + [n for n in self.recent() if n != str(Path(path).resolve())]
        self.window.settings.setValue("recent", names[:10])

    def recent(self) -> list[str]:
        """Files opened lately that still exist."""
        names = self.window.settings.value("recent", []) or []
        return [n for n in ([names] if isinstance(names, str) else names) if Path(n).exists()]

    def fill_recent(self) -> None:
        self.window.recent_menu.clear()
        for name in self.recent():
            with_picture(self.window.recent_menu, name, Path(name), lambda n=name: self.open_path(Path(n)))
        if self.window.recent_menu.isEmpty():
            self.window.recent_menu.addAction("Nothing yet").setEnabled(False)

    def fill_examples(self) -> None:
        self.window.examples_menu.clear()
        for path in sorted(examples_folder().glob("*.gelande")):
            with_picture(self.window.examples_menu, title_of(path), path, lambda p=path: self.open_path(p, True))

    def keep_picture(self, anew: bool) -> None:
        """Keeps a picture of the land for the list of recent files. anew: though there is one already."""
        doc, frame = self.window.document, self.window.compose.view.frame
        if doc.path is None or doc.dirty or frame is None or self.window.regenerate:
            return
        if anew or thumbs.picture_file(doc.path) is None:
            thumbs.keep(doc.path, frame.image)

    # -- recovered work -------------------------------------------------------------------------------------
    def offer_lost_work(self) -> None:
        """Offers back what an earlier run left behind, and tells where the changes of one that was closed were kept."""
        self._lost = lost_work(self.window.journal_root)
        if not self._lost:
            self.window.recover.hide()
            kept = self.window.settings.value("kept", "")
            if kept and Path(kept).exists():
                self.window.say(f"The unsaved changes of last time are in {kept}.")
            self.window.settings.remove("kept")
            return
        lost = self._lost[0]
        name = Path(lost.path).name if lost.path else lost.recipe.site.name
        more = f" {len(self._lost) - 1} more after it." if len(self._lost) > 1 else ""
        self.window.recover.ask(
            f"Gelande ended without closing: unsaved work on {name} ({len(lost.recipe.nodes)} nodes) was kept.{more}",
            ("Open it", self._take_back),
            ("Discard", self._refuse),
        )

    def _take_back(self) -> None:
        lost = self._lost[0]

        def take() -> None:
            self.window.document.take_back(lost)
            self.window.compose.show_last()
            self.window.document.flush()  # the old journal is gone by then
            self.offer_lost_work()

        self._leave_for(take)

    def _refuse(self) -> None:
        discard(self._lost[0])
        self.offer_lost_work()
