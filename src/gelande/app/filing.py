"""What the window does with files: new, open, save, recent ones, recovered work, and never closing over work that
is not safe."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog

from gelande.core.errors import GelandeError
from gelande.core.files.disk import reason_of
from gelande.core.recipe.journal import discard, lost_work
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.recipefile import save
from gelande.deliver.names import slug
from gelande.places import examples_folder, state_folder

from . import thumbs
from .welcome import title_of, with_picture

FILTER = "Gelande recipes (*.gelande)"


def _dropped(event) -> list[Path]:
    """The recipe files that are dragged."""
    names = [u.toLocalFile() for u in event.mimeData().urls()]
    return [Path(n) for n in names if n.endswith(".gelande")]


class Filing:
    """The part of the Window that opens and keeps recipes."""

    def new(self):
        """An empty recipe."""
        self._leave_for(lambda: self.begin(Recipe()))

    def begin(self, recipe: Recipe):
        """Opens a recipe that has no file yet."""
        self.document.start(recipe, None)
        self.compose.canvas.choose("")
        self.compose.bench.show_node("")

    # -- unsaved work ---------------------------------------------------------------------------------------
    def _leave_for(self, then):
        """Calls then() once unsaved work is safe; where it cannot be kept, asks for another place."""
        if self._keep_unsaved():
            then()
        else:
            self._ask_for_a_place("The recipe stays open", then)

    def _keep_unsaved(self) -> bool:
        """Unsaved work is never thrown away: it is written beside its file, or where that cannot be, to the state
        folder; and told."""
        doc, self._unkept = self.document, ""
        if self.regenerate and doc.path is not None and self.choices.flush():
            return True
        if not doc.dirty or not doc.recipe.nodes and doc.path is None:
            return True
        stem = doc.path.stem if doc.path else slug(doc.recipe.site.name)
        here, aside = doc.path.parent if doc.path else None, state_folder() / "unsaved"
        folders = [aside] if here is None or self.regenerate else [here, aside]
        for folder in folders:
            try:
                if folder == aside:
                    folder.mkdir(parents=True, exist_ok=True)
                n = next(k for k in range(1, 100_000) if not (folder / f"{stem} unsaved {k}.gelande").exists())
                path = folder / f"{stem} unsaved {n}.gelande"
                save(doc.recipe, path)
            except OSError as error:
                self._unkept = f"{folder} cannot be written: {reason_of(error)}"
            except GelandeError as error:
                self._unkept = str(error)
            else:
                self.settings.setValue("kept", str(path))
                self.say(f"The changes were kept as {path}." + (f" {self._unkept}" if self._unkept else ""))
                self._unkept = ""
                return True
        return False

    def _ask_for_a_place(self, what: str, then):
        """The unsaved work has no safe place: says so and offers another one; then() goes on once it is safe or
        given up."""

        def elsewhere():
            self.trouble.hide()
            if self.ask_save():
                then()
            else:
                self._ask_for_a_place(what, then)

        def give_up():
            self.trouble.hide()
            self.document.start(Recipe(), None)
            then()

        self.trouble.ask(
            f"{what}: its unsaved changes could not be kept. {self._unkept}",
            ("Save to another place…", elsewhere),
            ("Stay", self.trouble.hide),
            ("Lose the changes", give_up),
        )
        self.say(self._unkept)

    # -- open and save --------------------------------------------------------------------------------------
    def open_path(self, path: Path, example: bool = False) -> bool:
        """Opens a recipe. An example opens as a new recipe without a file, so that saving never overwrites it."""
        done = []
        self._leave_for(lambda: done.append(self._open(Path(path), example)))
        return bool(done and done[-1])

    def _open(self, path: Path, example: bool) -> bool:
        if not self.document.open(path, example):
            return False
        if not example:
            self._remember(path)
        if self.regenerate:
            self.choices.take_up()
        view = self.document.recipe.view
        self.compose.canvas.held = view.get("held", "") if isinstance(view.get("held", ""), str) else ""
        self.compose.show_last()
        self.go("Variants" if self.regenerate else "Compose")
        return True

    def ask_open(self):
        name, _ = QFileDialog.getOpenFileName(self, "Open a recipe", str(self.document.folder), FILTER)
        if name:
            self.open_path(Path(name))

    def save(self) -> bool:
        """Saves to the recipe's file, or asks for one. Returns whether it is saved."""
        if self.document.path is None:
            return self.ask_save()
        saved = self.document.save()
        if saved:
            self._remember(self.document.path)
            self._keep_picture(True)
        return saved

    def ask_save(self) -> bool:
        """Saves under a name that is asked for. Returns whether it was."""
        start = self.document.path or self.document.folder / f"{slug(self.document.recipe.site.name)}.gelande"
        name, _ = QFileDialog.getSaveFileName(self, "Save the recipe", str(start), FILTER)
        return bool(name) and self.save_as(Path(name) if name.endswith(".gelande") else Path(name + ".gelande"))

    def save_as(self, path: Path) -> bool:
        """Saves under a name that the person chose, and whose present content they were asked about."""
        if path == self.document.path:
            self.document.accept_outside()
        if self.document.save(path):
            self.outside.hide()
            self._remember(path)
            self._keep_picture(True)
            return True
        return False

    def _told_outside(self):
        """The open file was written by somebody else since it was opened or saved here."""
        path = self.document.path
        if path is None:
            return

        def theirs():
            self.outside.hide()
            self.open_path(path)

        def mine():
            self.outside.hide()
            self.document.accept_outside()
            self.save()

        def copy():
            if self.ask_save():
                self.outside.hide()

        unsaved = " Your unsaved changes would be kept beside it." if self.document.dirty else ""
        self.outside.ask(
            f"{path.name} was changed by somebody else since you opened or saved it.{unsaved}",
            ("Save a copy…", copy),
            ("Open what is there now", theirs),
            ("Save over it", mine),
        )

    # -- recent files and examples --------------------------------------------------------------------------
    def _remember(self, path: Path):
        names = [str(Path(path).resolve())] + [n for n in self.recent() if n != str(Path(path).resolve())]
        self.settings.setValue("recent", names[:10])

    def recent(self) -> list[str]:
        """Files opened lately that still exist."""
        names = self.settings.value("recent", []) or []
        return [n for n in ([names] if isinstance(names, str) else names) if Path(n).exists()]

    def _fill_recent(self):
        self.recent_menu.clear()
        for name in self.recent():
            with_picture(self.recent_menu, name, Path(name), lambda n=name: self.open_path(Path(n)))
        if self.recent_menu.isEmpty():
            self.recent_menu.addAction("Nothing yet").setEnabled(False)

    def _fill_examples(self):
        self.examples_menu.clear()
        for path in sorted(examples_folder().glob("*.gelande")):
            with_picture(self.examples_menu, title_of(path), path, lambda p=path: self.open_path(p, True))

    def _keep_picture(self, anew: bool):
        """Keeps a picture of the land for the list of recent files. anew: though there is one already."""
        doc, frame = self.document, self.compose.view.frame
        if doc.path is None or doc.dirty or frame is None or self.regenerate:
            return
        if anew or thumbs.picture_file(doc.path) is None:
            thumbs.keep(doc.path, frame.image)

    # -- dropped files ----------------------------------------------------------------------------------------
    def dragEnterEvent(self, event):
        if _dropped(event):
            event.acceptProposedAction()

    def dropEvent(self, event):
        """The first recipe that was dropped opens."""
        event.acceptProposedAction()
        self.open_path(_dropped(event)[0])

    # -- recovered work -------------------------------------------------------------------------------------
    def offer_lost_work(self):
        """Offers back what an earlier run left behind, and tells where the changes of one that was closed were kept."""
        self._lost = lost_work(self.journal_root)
        if not self._lost:
            self.recover.hide()
            kept = self.settings.value("kept", "")
            if kept and Path(kept).exists():
                self.say(f"The unsaved changes of last time are in {kept}.")
            self.settings.remove("kept")
            return
        lost = self._lost[0]
        name = Path(lost.path).name if lost.path else lost.recipe.site.name
        more = f" {len(self._lost) - 1} more after it." if len(self._lost) > 1 else ""
        self.recover.ask(
            f"Gelande ended without closing: unsaved work on {name} ({len(lost.recipe.nodes)} nodes) was kept.{more}",
            ("Open it", self._take_back),
            ("Discard", self._refuse),
        )

    def _take_back(self):
        lost = self._lost[0]

        def take():
            self.document.take_back(lost)
            self.compose.show_last()
            self.document.flush()  # the old journal is gone by then
            self.offer_lost_work()

        self._leave_for(take)

    def _refuse(self):
        discard(self._lost[0])
        self.offer_lost_work()
