"""The window: top bar, three workspaces, status line, files and keys."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QByteArray, QSettings, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence, QResizeEvent, QShortcut
from PyQt6.QtWidgets import (
    QApplication,
    QButtonGroup,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMainWindow,
    QMenu,
    QPlainTextEdit,
    QProgressBar,
    QPushButton,
    QStackedWidget,
    QTextEdit,
    QVBoxLayout,
    QWidget,
)

from gelande.app.view.renderer import Picture
from gelande.core.evaluate import bake
from gelande.core.evaluate.executor import Evaluator
from gelande.core.recipe.site import COARSEST
from gelande.core.words import clean
from gelande.places import kept_evaluator, state_folder

from .choosing import SetKeeper
from .compose.page import ComposePage
from .crash_handler import crash_handler
from .deliver.page import DeliverPage
from .document import Document
from .dropdowns import Dropdowns
from .engine import Engine
from .filing import Filing, dropped
from .flow import CutButton, CutLabel
from .guiding import Guiding
from .looks import looks
from .notices import Notice
from .panels import remembered_room
from .plainkeys import PlainKeys
from .switches import Switch
from .variants.page import VariantsPage

WORKSPACES = ("Compose", "Variants", "Deliver")
FINEST_SHOWN = 6
#: Results up to this level (513 samples) are kept on disk for the next time.
KEPT = 3


class Window(QMainWindow):
    """One open recipe in three workspaces. regenerate: only Variants and Deliver, with the graph locked; evaluator:
    what the program's other windows compute with, too. ``closed`` comes once it has closed; ``another`` asks for a
    further window."""

    closed = pyqtSignal()
    another = pyqtSignal()

    def __init__(
        self, regenerate: bool = False, journal_root: Path | None = None, evaluator: Evaluator | None = None
    ) -> None:
        super().__init__()
        self.regenerate = regenerate
        self._closed, self._alone = False, evaluator is None
        self.filing = Filing(self)
        self.journal_root = Path(journal_root or state_folder() / "journal")
        self.settings = QSettings("Gelande", "Gelande")
        self.document = Document(self.journal_root, self)
        self.document.locked = regenerate
        self.choices = SetKeeper(self.document, state_folder() / "sets", self)
        self.choices.said.connect(self.say)
        self.choices.moved.connect(self._refresh)
        self.engine = Engine(evaluator or kept_evaluator(), self)
        self.set_room(remembered_room(self.settings))
        self.compose = ComposePage(self.document, self.engine)
        self.variants = VariantsPage(self.document, self.engine)
        self.deliver = DeliverPage(self.document, self.engine)
        self.pages = QStackedWidget()
        for page in (self.compose, self.variants, self.deliver):
            self.pages.addWidget(page)
            page.said.connect(self.say)
        self.compose.progress.connect(self._progress)
        self.compose.state_changed.connect(lambda t: self._state_of(self.compose, t))
        self.compose.view.pictured.connect(self._pictured)
        self.compose.relief_changed.connect(self._refresh)
        self.variants.progress.connect(self._progress)
        self.variants.state_changed.connect(lambda t: self._state_of(self.variants, t))
        self.compose.canvas.deliver_asked.connect(self._deliver_node)
        self.variants.deliver_asked.connect(self._deliver_starred)
        self.document.said.connect(self.say)
        self.document.outside.connect(self.filing.tell_outside)
        crash_handler.met.connect(self.say)
        self.document.moved.connect(self._refresh)
        self.document.changed.connect(lambda before, after: self._refresh())
        self.readying = None  # what is prepared at the first start
        self.dropdowns = Dropdowns(self, self.document, self.say)
        self._build()
        self.document.opened.connect(self.outside.hide)  # nothing of the recipe before is asked about any more
        self.guiding = Guiding(self)
        self.compose.bench.help_asked.connect(self.guiding.show_help)
        self._make_actions()
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self._restore()
        looks.changed.connect(self._repaint)
        self.go("Variants" if regenerate else "Compose")
        self.plain_keys = PlainKeys(self, self.compose)

    # -- parts ------------------------------------------------------------------------------------------
    def _build(self) -> None:
        central = QWidget(objectName="paper")
        column = QVBoxLayout(central)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._top_bar())
        self.recover, self.outside, self.trouble = Notice(), Notice(), Notice()
        for notice in (self.recover, self.outside, self.trouble):
            column.addWidget(notice)
        column.addWidget(self.pages, 1)
        column.addWidget(self._status_line())
        self.setCentralWidget(central)

    def _top_bar(self) -> QWidget:
        bar = QWidget(objectName="sheet")
        bar.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        bar.setFixedHeight(40)
        row = QHBoxLayout(bar)
        row.setContentsMargins(12, 0, 12, 0)
        row.setSpacing(6)
        self.menu_button = QPushButton("Gelande", objectName="plain")
        self.menu_button.setStyleSheet("font-size: 16px; font-weight: 600; padding-right: 16px;")
        self.menu_button.setToolTip("New, open, save and more")
        self.site_button = CutButton("Name, size and sea level of the site", objectName="plain")
        self.site_button.clicked.connect(self.open_site)
        row.addWidget(self.menu_button)
        row.addWidget(self.site_button)
        row.addStretch(1)
        self.tabs, group = {}, QButtonGroup(self)
        for word in WORKSPACES[1:] if self.regenerate else WORKSPACES:
            button = Switch(word)
            button.clicked.connect(lambda _=False, w=word: self.go(w))
            group.addButton(button)
            row.addWidget(button)
            self.tabs[word] = button
        row.addStretch(1)
        self.undo_button, self.redo_button = QPushButton("Undo"), QPushButton("Redo")
        self.undo_button.clicked.connect(self.document.undo)
        self.redo_button.clicked.connect(self.document.redo)
        self.detail_word = QLabel("Detail", objectName="muted")
        self.less, self.detail_label, self.more = QPushButton("−"), QLabel(objectName="tag"), QPushButton("+")
        for button, step, words in ((self.less, -1, "Coarser"), (self.more, 1, "Finer")):
            button.setFixedWidth(26)
            button.setStyleSheet("padding: 4px 0;")
            button.setToolTip(f"{words} detail")
            button.setAccessibleName(f"{words} detail")
            button.clicked.connect(lambda _=False, s=step: self.step_detail(s))
        self.state_label = QLabel("empty", objectName="tag")
        self.state_label.setMinimumWidth(98)
        for tag in (self.detail_label, self.state_label):
            tag.setFixedHeight(27)
        for w in (
            self.undo_button,
            self.redo_button,
            self.detail_word,
            self.less,
            self.detail_label,
            self.more,
            self.state_label,
        ):
            row.addWidget(w)
        return bar

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.detail_word.setVisible(event.size().width() >= 1000 and self.pages.currentWidget() is self.compose)

    def _status_line(self) -> QWidget:
        bar = QWidget(objectName="paper")
        bar.setFixedHeight(26)
        row = QHBoxLayout(bar)
        row.setContentsMargins(12, 0, 12, 0)
        row.setSpacing(12)
        self.status, self.saved_label = CutLabel(objectName="muted"), QLabel(objectName="muted")
        self.progress_text, self.progress_bar = QLabel(objectName="mono"), QProgressBar()
        self.progress_bar.setFixedWidth(160)
        self.progress_bar.setTextVisible(False)
        self.progress_bar.setRange(0, 1000)
        self.stop_button = QPushButton("Stop")
        self.stop_button.setStyleSheet("padding: 0 8px;")
        self.stop_button.clicked.connect(self.stop_work)
        self.sheet_label = QLabel(objectName="muted")
        self.preparing = QLabel(objectName="muted")
        self.preparing.hide()
        row.addWidget(self.status, 1)
        row.addWidget(self.preparing)
        for w in (self.progress_text, self.progress_bar, self.stop_button, self.sheet_label, self.saved_label):
            row.addWidget(w)
        self._speech = QTimer(self, singleShot=True, interval=9000)
        # Work shorter than half a second shows no bar: it would only flicker.
        self._patience = QTimer(self, singleShot=True, interval=500)
        self._patience.timeout.connect(self._show_progress)
        self._show_progress(False)
        return bar

    def _make_actions(self) -> None:
        menu = QMenu(self)
        entries = [
            ("New", "Ctrl+N", self.filing.new),
            ("New window", "Ctrl+Shift+N", self.another.emit),
            ("Open…", "Ctrl+O", self.filing.ask_open),
            ("Save", "Ctrl+S", self.filing.save),
            ("Save as…", "Ctrl+Shift+S", self.filing.ask_save),
            None,
            ("Undo", "Ctrl+Z", self.document.undo),
            ("Redo", "Ctrl+Shift+Z", self.document.redo),
            ("Copy", "Ctrl+C", lambda: self._canvas("copy")),
            ("Cut", "Ctrl+X", lambda: self._canvas("cut")),
            ("Paste", "Ctrl+V", lambda: self._canvas("paste")),
            ("Select all", "Ctrl+A", lambda: self._canvas("select_all")),
            None,
            ("Site…", "", self.open_site),
            ("Memory and disk…", "", self.open_room),
            ("List of nodes", "Ctrl+L", self.show_node_list),
            ("Look…", "", self.open_looks),
            ("Tour", "", self.guiding.start_tour),
            ("Keys", "?", self.guiding.show_keys),
            ("Help", "F1", self.guiding.show_help),
            ("Report…", "", lambda: self.dropdowns.open_report(self.menu_button)),
            ("Quit", "Ctrl+Q", self.close),
        ]
        locked = {"New", "Cut", "Paste", "Save", "List of nodes"} if self.regenerate else set()
        for entry in entries:
            if entry is None:
                menu.addSeparator()
                continue
            name, keys, run = entry
            if name in locked or name == "Tour" and self.regenerate:
                continue
            action = QAction(name, self)
            if keys:
                action.setShortcut(QKeySequence(keys))
            action.triggered.connect(run)
            self.addAction(action)
            menu.addAction(action)
            if name == "Open…":
                self.recent_menu = menu.addMenu("Recent")
                self.examples_menu = menu.addMenu("Examples")
        for keys, run in (
            *((f"Ctrl+{k}", lambda w=w: self.go(w)) for k, w in enumerate(WORKSPACES, 1) if w in self.tabs),
            ("Ctrl++", lambda: self.step_detail(1)),
            ("Ctrl+=", lambda: self.step_detail(1)),
            ("Ctrl+-", lambda: self.step_detail(-1)),
            ("F6", self.guiding.next_pane),
            ("Shift+F6", lambda: self.guiding.next_pane(-1)),
        ):
            QShortcut(QKeySequence(keys), self, run)
        self.recent_menu.aboutToShow.connect(self.filing.fill_recent)
        self.examples_menu.aboutToShow.connect(self.filing.fill_examples)
        self.menu_button.setMenu(menu)

    def _canvas(self, what: str) -> None:
        """Clipboard keys go to a text field when one has the focus, else to the graph."""
        field = QApplication.focusWidget()
        if isinstance(field, (QLineEdit, QTextEdit, QPlainTextEdit)):
            getattr(field, {"select_all": "selectAll"}.get(what, what))()
        elif self.pages.currentWidget() is self.compose:
            getattr(self.compose.canvas, what)()

    # -- state ------------------------------------------------------------------------------------------
    def go(self, workspace: str) -> None:
        """Shows a workspace."""
        self.tabs[workspace].setChecked(True)
        self.pages.setCurrentIndex(WORKSPACES.index(workspace))
        page = self.pages.currentWidget()
        for part in (self.less, self.detail_label, self.more, self.detail_word):
            part.setVisible(page is self.compose)
        self.state_label.setVisible(page is not self.deliver)
        self._patience.stop()
        self._show_progress(False)
        if hasattr(page, "enter"):
            page.enter()
        self._refresh()

    def _refresh(self) -> None:
        doc, site = self.document, self.document.recipe.site
        name = doc.path.stem if doc.path and site.name == "Untitled" else site.name
        wide, deep = (
            f"{v / 1000:.2f}".rstrip("0").rstrip(".")
            if v < 1000 or site.width != site.depth
            else f"{v / 1000:.1f}".removesuffix(".0")
            for v in (site.width, site.depth)
        )
        size = f"{wide} km" if site.width == site.depth else f"{wide} × {deep} km"
        if site.long_side < 1000:
            size = f"{site.width:.0f} × {site.depth:.0f} m"
        relief = self.compose.relief
        self.site_button.say(f"{name} · {size}" + (f" · relief {relief:.0f} m" if relief else ""))
        level = self.compose.detail
        self.detail_label.setText(f"{site.samples(level)} samples · {site.spacing(level):.3g} m")
        self.less.setEnabled(level > COARSEST)
        self.more.setEnabled(level < FINEST_SHOWN)
        self.undo_button.setEnabled(bool(doc.undo_text))
        self.redo_button.setEnabled(bool(doc.redo_text))
        self.undo_button.setToolTip(f"Undo: {doc.undo_text.lower()}" if doc.undo_text else "Nothing to undo")
        self.redo_button.setToolTip(f"Redo: {doc.redo_text.lower()}" if doc.redo_text else "Nothing to redo")
        self.sheet_label.setText(f"Control sheet: {len(doc.recipe.controls)} controls")
        self.saved_label.setText(
            self.choices.words if self.regenerate else "not saved yet" if doc.dirty else "saved" if doc.path else ""
        )
        self.setWindowTitle(
            f"{'• ' if doc.dirty and not self.regenerate else ''}{doc.path.name if doc.path else name} – Gelande"
        )

    def _pictured(self, frame: Picture) -> None:
        """A picture that comes after all is up to date is kept for the list of recent files."""
        if self.state_label.text().startswith("up to date"):
            self.filing.keep_picture(False)

    def _state_of(self, page: QWidget, text: str) -> None:
        """A page's state counts while it is looked at."""
        if self.pages.currentWidget() is page:
            self._state(text)
        elif text != "working":
            self._patience.stop()
            self._show_progress(False)

    def _state(self, text: str) -> None:
        self.state_label.setText(text)
        if text in ("working",):
            self._patience.start()
        else:
            self._patience.stop()
            self._show_progress(False)
        if text.startswith("up to date"):
            self.filing.keep_picture(False)
        if text != "working" and not self._speech.isActive():
            self._tell_nodes("all up to date" if text == "up to date" else text)

    def _tell_nodes(self, words: str = "") -> None:
        nodes = len(self.document.recipe.nodes)
        self.status.setText(f"{nodes} node{'s' if nodes != 1 else ''}" + (f" · {words}" if words else ""))

    def tell_preparing(self, text: str) -> None:
        """Says what is prepared at the first start; "" once all of it is."""
        self.preparing.setText(text)
        self.preparing.setVisible(bool(text))

    def say(self, text: str) -> None:
        """Tells something in the status line for a while."""
        text = clean(text)
        self.status.setText(text)
        self.status.setToolTip(text)
        self._speech.start()

    def _show_progress(self, on: bool = True) -> None:
        for w in (self.progress_text, self.progress_bar, self.stop_button):
            w.setVisible(on)
        if on and not self._speech.isActive():
            self._tell_nodes()  # not all is up to date while something is told to be at work

    def _progress(self, fraction: float, label: str, left) -> None:
        self.progress_bar.setValue(int(fraction * 1000))
        self.progress_text.setText(f"{label} · {left:.0f} s left" if left and left >= 1 else label)

    def stop_work(self) -> None:
        """Stops what is being computed."""
        self.engine.stop()
        self.variants.stop()
        self._show_progress(False)
        self._patience.stop()
        self.state_label.setText("stopped")
        self.compose.stopped()

    def step_detail(self, step: int) -> None:
        """One level finer or coarser."""
        self.set_detail(min(max(self.compose.detail + step, COARSEST), FINEST_SHOWN))

    def set_detail(self, level: int) -> None:
        self.compose.set_detail(level)
        self._refresh()

    # -- small things ------------------------------------------------------------------------------------
    def show_node_list(self) -> None:
        """Shows the graph as a list beside the sheet, or puts it away."""
        nodes = self.compose.nodes
        self.go("Compose")
        nodes.setVisible(nodes.isHidden())
        (nodes if nodes.isVisible() else self.compose.canvas).setFocus()
        self.settings.setValue("node_list", nodes.isVisible())

    def open_looks(self) -> None:
        """Theme and size."""
        self.dropdowns.open_looks(self.menu_button)

    def _repaint(self) -> None:
        """Another theme is in force."""
        for view in (self.compose.view, self.variants.view, self.variants.large.second):
            view._ask(False)
        for widget in self.findChildren(QWidget):
            widget.update()

    def open_site(self) -> None:
        """Name, size and sea level."""
        if self.regenerate:
            return
        self.dropdowns.open_site(self.site_button)

    def set_room(self, room: dict) -> None:
        """Bounds what results take in memory and on disk, in gigabytes, and remembers it."""
        self.room = room
        self.engine.evaluator.cache.set_limit(int(room["memory"] * 1e9))
        self.engine.evaluator.store.limit = int(room["disk"] * 1e9)
        for name, value in room.items():
            self.settings.setValue(f"room/{name}", value)

    def open_room(self) -> None:
        """The limits of memory and disk."""
        self.dropdowns.open_room(self.menu_button, self.room, self.set_room)

    def _deliver_node(self, node_id: str) -> None:
        self.go("Deliver")
        self.deliver.add_node(node_id)

    def _deliver_starred(self, variants: list) -> None:
        self.go("Deliver")
        self.deliver.queue(variants)

    def _restore(self) -> None:
        geometry = self.settings.value("geometry")
        if isinstance(geometry, QByteArray):
            self.restoreGeometry(geometry)
        self.compose.nodes.setVisible(self.settings.value("node_list", False, bool) and not self.regenerate)
        for name, splitter in (("across_three", self.compose.across), ("down", self.compose.down)):
            state = self.settings.value(name)
            if isinstance(state, QByteArray):
                splitter.restoreState(state)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event is not None and dropped(event):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """The first recipe that was dropped opens."""
        if event is not None:
            event.acceptProposedAction()
            self.filing.open_path(dropped(event)[0])

    def closeEvent(self, event: QCloseEvent) -> None:
        try:
            event.setAccepted(self._closed or self._put_away())
        finally:
            # A kept exception keeps this frame; it must not keep Qt's event, whose address the next event may have:
            # PyQt would then hand the old object to event filters in the place of the new one.
            del event

    def _put_away(self) -> bool:
        """Puts everything away before the window closes; False when unsaved work is not safe anywhere."""
        if not (self.filing.keep_unsaved() or self.document.write_now()):
            self.filing.ask_for_a_place("The window stays open", self.close)
            return False
        in_journal, self._closed = bool(self.filing.unkept), True
        self.plain_keys.close()
        looks.changed.disconnect(self._repaint)
        crash_handler.met.disconnect(self.say)
        self.settings.setValue("geometry", self.saveGeometry())
        self.settings.setValue("across_three", self.compose.across.saveState())
        self.settings.setValue("down", self.compose.down.saveState())
        path, unsaved = self.document.path, self.document.dirty
        self.document.close(keep_journal=in_journal)
        self.choices.close()
        if self.readying is not None:
            self.readying.close()
        for page in (self.variants, self.deliver):
            page.close_down()
        self.compose.view.close_renderer()
        self.compose.sharpening.close()
        self.compose.pictures.close()
        self.engine.close()
        self.engine.evaluator.keep(self.document.recipe, KEPT, self.document.folder)
        if self._alone:
            self.engine.evaluator.close()
        if path is not None and not unsaved:
            bake.forget_unused(path)
        self.closed.emit()
        return True
