"""The view: Relief and Plan of what is shown, camera by mouse and keys, pointer read-out."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QEvent, QPoint, Qt, QTimer
from PyQt6.QtGui import (
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QTabletEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QLabel

from gelande.app.view.renderer import Picture
from gelande.core.recipe.site import BARE
from gelande.scene.camera import Camera
from gelande.scene.relief import Look
from gelande.scene.tints import MASKS

from ..theme import theme
from .active_tool import ActiveToolBar
from .areas import Areas
from .bar import STEEP_NAME, Bar
from .base import View
from .compare import Comparison, Content
from .marks import Marks
from .masks import Masks
from .modes import MODES, Mode, ReliefMode
from .near import Near
from .numbers import nice_interval
from .readout import told_of
from .renderer import Renderer, RenderRequest
from .rule import Rule
from .section import Section
from .shownthings import ShownThings
from .toolbox import TOOLS

#: Milliseconds without a move after which the picture is drawn in full.
REST = 140
NOTHING = "Select a node with a result to see it here."


class ViewWidget(View):
    """Shows one result. ``pointed`` carries the ground under the pointer, ``pictured`` each new frame."""

    def __init__(self, parent=None, tools: bool = True) -> None:
        super().__init__(parent)
        self.setMinimumSize(240, 160)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.renderer = Renderer(self)
        self.renderer.pictured.connect(self._pictured)
        self.frame = None
        self.modes: dict[str, Mode] = {kind.name: kind(self) for kind in MODES}
        self.mode, self.contours = self.modes[MODES[0].name], False
        self.look = Look()
        self._content, self.extent, self.asked, self._sea = None, (1.0, 1.0), None, None
        self._interval, self.heights = 25.0, (0.0, 1.0)
        self._pointer: QPoint | None = None  # where it was last read out
        self.marks, self.areas = Marks(self, TOOLS), Areas(self)
        self.things, self.near = ShownThings(self), Near(self)
        self._told: tuple | None = None  # what show_content was told last
        self._drag, self._keys, self._fast, self._rough = None, set(), False, False
        self._go_home = self._home_rough = False
        self._seen: tuple = ()
        self._rest, self._walk = QTimer(self, singleShot=True), QTimer(self, interval=33)
        self._rest.timeout.connect(self._ask)
        self._walk.timeout.connect(self._step)
        self.masks, self.active_tool = Masks(self), ActiveToolBar(self)
        self.comparison, self.section, self.rule = Comparison(self), Section(self), Rule(self)
        self.bar = Bar(self, tools)
        self._build_labels()

    # -- parts ------------------------------------------------------------------------------------------
    def _build_labels(self) -> None:
        self.place, self.ground, self.caption = (QLabel(self, objectName="tag") for _ in range(3))
        for label in (self.place, self.ground, self.caption):
            label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
            label.hide()
        self.empty = QLabel(NOTHING, self, objectName="muted")
        self.empty.setWordWrap(True)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)

    @property
    def shown_height(self) -> np.ndarray:
        """Heights in metres of the land that is shown."""
        return self._content[1]

    @property
    def camera(self) -> Camera | None:
        """From where Relief looks."""
        return self.modes[ReliefMode.name].camera

    @camera.setter
    def camera(self, camera: Camera) -> None:
        self.modes[ReliefMode.name].camera = camera

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.place_parts()
        if self._content is not None:
            for mode in self.modes.values():
                mode.refit()
        self._ask(True)
        self._rest.start(REST)

    def place_parts(self) -> None:
        """Puts buttons and labels where they belong."""
        self.bar.place()
        self.active_tool.place()
        self.masks.legend.place()
        y, x = self.height() - 34, 12
        for label in (self.place, self.ground):
            label.adjustSize()
            label.move(x, y)
            x += label.width() + 8
        self.caption.adjustSize()
        self.caption.move(self.width() - 12 - self.caption.width(), y)
        self.near.place(self.caption.x() - 8, y)
        self.empty.setGeometry(20, self.height() // 2 - 40, self.width() - 40, 80)

    # -- what is shown ----------------------------------------------------------------------------------
    def show_content(
        self,
        main: Content,
        caption: str,
        sea: float | None = None,
        rough: bool = False,
        other: Content | None = None,
        bare: str = BARE[0],
    ) -> None:
        """Shows a result: height to stand on, and data of a kind to drape over it. Keeps the camera.

        sea: the level of the site's sea in metres, None for none; water is drawn when some ground lies below it.
        rough: a finer result follows, so it may be drawn at the scale of a moving one. other: compared with; bare:
        tones of land without colours."""
        height, dx = main.height, main.dx
        extent = ((height.shape[1] - 1) * dx, (height.shape[0] - 1) * dx)
        low, high, first = float(height.min()), float(height.max()), self.camera is None
        self._told = (main, other)
        self.masks.legend.follow(main.kind == MASKS)
        self.comparison.other = other
        self._content, self.heights = self.comparison.shown(main).parts, (low, high)
        if first or extent != self.extent or self._go_home:
            self.extent, self._go_home, self._drag, self._home_rough = extent, False, None, rough
            for mode in self.modes.values():
                mode.home()
        elif self._home_rough and not rough:  # a glimpse stands lower or higher than the land that follows it
            self._home_rough = False
            for mode in self.modes.values():
                mode.refit()
        self._interval = nice_interval(high - low)
        self._say_contours()
        self.look = replace(self.look, contour=self._interval if self.contours else 0.0, bare=bare)
        self._sea = sea if sea is not None and low < sea else None
        self.bar.sea.setVisible(self._sea is not None)
        self.set_sea(ask=False)
        self._say_caption(caption, False)
        self.empty.hide()
        self.place_parts()
        self._rough = rough and self.mode.rough
        self._ask(self._rough)

    def reshow(self) -> None:
        """Draws what is shown anew: it is compared otherwise now."""
        if self._told is not None and self._content is not None:
            main, other = self._told
            self.comparison.other = other
            self._content = self.comparison.shown(main).parts
            self._ask(False)

    def forget_camera(self) -> None:
        """The next land is looked at from home: the site is another one. Until it is there, the camera stays with
        the old picture."""
        self._go_home = True

    def _say_caption(self, text: str, old: bool) -> None:
        times = self.look.times
        self.caption.setText(text if times == 1 else f"heights × {times:g} · {text}")
        self.caption.setStyleSheet(f"color: {theme().fault};" if old else "")
        self.caption.show()

    def mark_old(self, why: str) -> None:
        """Marks the picture as old, when what was asked for has none: says so over the older one, or instead of one."""
        if self._content is None:
            self.empty.setText(f"Nothing to show: {why}")
            self.empty.show()
        else:
            self._say_caption("an older picture: what is selected could not be computed", True)
        self.place_parts()

    def settle(self) -> None:
        """Draws a rough picture in full: nothing finer will come, because the work ended or was stopped."""
        if self._rough:
            self._rough = False
            self._ask(False)

    def clear(self, words: str = "") -> None:
        """Shows nothing, and says what to do."""
        self._content, self.frame, self._pointer, self._drag, self._told = None, None, None, None, None
        self.section.show([])
        self._keys.clear()
        self._walk.stop()
        self._rest.stop()
        self.empty.setText(words or NOTHING)
        self.empty.show()
        for label in (self.place, self.ground, self.caption, self.near.label):
            label.hide()
        self.update()

    def set_mode(self, name: str) -> None:
        """Looks at the land in another way."""
        self.mode, self._drag = self.modes[name], None
        for other, button in self.bar.modes.items():
            button.setChecked(other == name)
        self._ask(False)

    def set_contours(self, on: bool) -> None:
        self.contours = on
        self.bar.contours.setChecked(on)
        self._say_contours()
        self.place_parts()
        self.look = replace(self.look, contour=self._interval if on else 0.0)
        self._ask(False)

    def _say_contours(self) -> None:
        """The button gives the interval as long as there are lines."""
        low, high = self.heights
        self.bar.contours.setText(
            f"Contours {self._interval:g} m" if self.contours and high - low > 1e-3 else "Contours"
        )

    def set_sea(self, on: bool | None = None, ask: bool = True) -> None:
        """Draws the sea or leaves it out."""
        self.look = replace(self.look, water=self._sea if self.bar.sea.isChecked() else None)
        if ask:
            self._ask(False)

    def set_tint(self, strength: float) -> None:
        """Draws the tint of masks so strong, 0 to 1."""
        self.look = replace(self.look, tint=strength)
        self._ask(False)

    def set_grey(self, on: bool) -> None:
        """Shows a mask alone in grey, or as a tint."""
        self.masks.panel.grey.setChecked(on)
        self.look = replace(self.look, grey=on)
        self._ask(False)

    def set_overlays(self) -> None:
        """Draws or leaves out the mesh and the warning of steep faces."""
        self.look = replace(self.look, mesh=self.bar.mesh.isChecked(), steep=self.bar.steep.isChecked())
        if not self.look.steep:
            self.bar.steep.setText(STEEP_NAME)
        self._ask(False)

    def set_light(self, azimuth: float, elevation: float, moving: bool = False) -> None:
        """Puts the sun there, degrees. moving: it goes on."""
        self.look = replace(self.look, azimuth=azimuth, elevation=elevation)
        self.bar.say_light()
        self.place_parts()
        self._ask(moving and self.mode.rough)

    def set_exaggeration(self, times: float) -> None:
        """Draws the land so many times as high as it is."""
        before = self.look.times
        self.modes[ReliefMode.name].drawn_times(before, times)
        self.look = replace(self.look, times=times)
        self.modes[ReliefMode.name].refit()
        self.bar.times[times].setChecked(True)
        text = self.caption.text()
        self._say_caption(text.partition(" · ")[2] if text.startswith("heights ×") else text, False)
        self.place_parts()
        self._ask(False)

    def home(self) -> None:
        """The whole site again."""
        if self._content is not None:
            for mode in self.modes.values():
                mode.home()
            self._ask(False)

    # -- drawing ----------------------------------------------------------------------------------------
    def _ask(self, moving: bool = False) -> None:
        if self._content is None:
            return
        kind = self._content[3]
        over = (self.things.shown(kind), self.near.shown(self._content))
        rest = (self.mode.projection(), (self.width(), self.height()), theme().tones, moving, *over)
        self.asked = RenderRequest(self._content, self.things.look(kind), *rest)
        self.renderer.ask(self.asked)
        self.comparison.ask(self.asked)
        seen = (self.asked.projection, self.look, self.mode.name)
        if seen != self._seen:
            self._seen = seen
            self.looked.emit()

    def redraw(self, *_: object) -> None:
        """Draws what is shown anew, when anything is."""
        self._ask(False)

    def look_as(self, other: ViewWidget) -> None:
        """Looks from where another view looks, in the same light."""
        for name, mode in self.modes.items():
            mode.look_as(other.modes[name])
        self.look, self.mode = other.look, self.modes[other.mode.name]
        self._seen = (self.mode.projection(), self.look, self.mode.name)  # following is not looking elsewhere
        self._ask(self.mode.rough and bool(other.asked and other.asked.moving))
        self._rest.start(REST)

    @property
    def drawn(self) -> bool:
        """True when the picture on screen is the one last asked for, at rest and in full."""
        frame, asked = self.frame, self.asked
        if frame is None or asked is None or asked.moving or frame.key != asked.content[0]:
            return False
        if not self.comparison.drawn:
            return False
        return frame.request.gives(asked) and frame.passes == asked.projection.passes

    def _moved(self) -> None:
        self._ask(self.mode.rough)
        if self.mode.rough:
            self._rest.start(REST)

    def _pictured(self, frame: Picture) -> None:
        if self._content is None:  # cleared while it was drawn
            return
        self.frame = frame
        self.near.follow(frame.scene)
        if self.look.steep:
            self.bar.steep.setText(f"{STEEP_NAME}: {frame.scene.steep_fraction * 100:.2g} %")
        if self._pointer is not None and self._drag is None:
            self.read_out(self._pointer)  # other land may have come under a pointer that rests
        self.update()
        self.pictured.emit(frame)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        if self.frame is None:
            painter.fillRect(self.rect(), theme().colour("paper"))
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self.frame.image.size() != self.size())
        painter.drawImage(self.rect(), self.frame.image)
        for part in (self.mode, self.comparison, self.areas, self.marks, self.section, self.rule):
            part.paint(painter)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme().colour("accent"), 1))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def under(self, pos: QPoint) -> tuple[float, float] | None:
        """(column, row) on the ground under a pixel of the newest frame, or None."""
        if self.frame is None:
            return None
        b = self.frame.buffer
        h, w = b.kind.shape
        x, y = int(pos.x() * w / max(1, self.width())), int(pos.y() * h / max(1, self.height()))
        if not (0 <= x < w and 0 <= y < h) or b.kind[y, x] == 0:
            return None
        return float(b.column[y, x]), float(b.row[y, x])

    @property
    def pointed(self) -> tuple[float, float] | None:
        """(column, row) on the ground under the pointer, or None."""
        pos = self.mapFromGlobal(self.cursor().pos())
        return self.under(pos) if self.rect().contains(pos) else None

    def read_out(self, pos: QPoint) -> None:
        """Shows position, height and slope under the pointer."""
        self._pointer = pos
        hit = self.under(pos)
        self.place.setVisible(hit is not None)
        self.ground.setVisible(hit is not None)
        if hit is None:
            return
        east, north, place, words = told_of(self.frame.scene, hit)
        self.place.setText(place)
        shown = self._told[0].masks_at(east, north) if self._told else []
        self.ground.setText(f"{words} · {shown[0][0]} {shown[0][1]:.2f}" if len(shown) == 1 else words)
        self.masks.legend.say_values([value for _, value in shown])
        self.place_parts()

    def leaveEvent(self, event: QEvent) -> None:
        self._pointer = None
        self.masks.legend.say_values([])
        self.place.hide()
        self.ground.hide()
        super().leaveEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        if self.frame is None or self.rule.press(event) or self.marks.press(event):
            return
        left = event.button() == Qt.MouseButton.LeftButton
        if left and (self.comparison.press(event.position().x()) or self.section.press(event.position())):
            return
        pos = event.position().toPoint()
        self._drag = (event.button(), pos, self.mode.grasp(pos))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        pos = event.position().toPoint()
        if self.marks.move(event) or self.rule.move(event):
            return
        if self._drag is None and (self.comparison.move(event.position().x()) or self.section.move(event.position())):
            return
        if self._drag is None:
            self.read_out(pos)
            return
        button, last, held = self._drag
        self._drag = (button, pos, held)
        self.mode.drag(button, pos, pos.x() - last.x(), pos.y() - last.y(), held)
        self._moved()

    def mouseDoubleClickEvent(self, event) -> None:
        if not self.marks.end_by_double_click():
            self.mousePressEvent(event)

    def tabletEvent(self, event: QTabletEvent) -> None:
        """A pen's pressure; what else it does comes as a mouse's events, too."""
        self.marks.pressure = None if event.type() == event.Type.TabletRelease else event.pressure()
        event.ignore()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self.rule.release(event) or self.marks.release(event) or self.comparison.release() or self.section.release():
            return
        if self._drag is not None:
            self._drag = None
            self._rest.start(1)

    def wheelEvent(self, event: QWheelEvent) -> None:
        if self.frame is None:
            return
        self.mode.wheel(event.position().toPoint(), event.angleDelta().y() / 120)
        self._moved()

    def keyPressEvent(self, event: QKeyEvent):
        key = event.key()
        if event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier):
            return super().keyPressEvent(event)
        if self.marks.key(event):
            return None
        if self.mode.walks(key):
            if not event.isAutoRepeat():
                self._keys.add(key)
                self._fast = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
                self._step()
                self._walk.start()
        elif Qt.Key.Key_1 <= key <= Qt.Key.Key_9:
            self.camera_asked.emit(key - Qt.Key.Key_1)
        elif key == Qt.Key.Key_M:
            self.set_grey(not self.look.grey)
        elif key == Qt.Key.Key_H:
            self.home()
        elif key in (Qt.Key.Key_G, Qt.Key.Key_P) and self.frame is not None:
            self.stand() if key == Qt.Key.Key_G else self.things.put_person(self.pointed)
        elif key == Qt.Key.Key_R or key == Qt.Key.Key_Escape and self.rule.on:
            self.rule.set_on(not self.rule.on)
        else:
            super().keyPressEvent(event)
        return None

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() in self._keys and not event.isAutoRepeat():
            self._keys.discard(event.key())
            if not self._keys:
                self._walk.stop()
                self._rest.start(1)
        else:
            super().keyReleaseEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self._keys.clear()
        if self._walk.isActive():
            self._walk.stop()
            self._rest.start(1)
        self.update()
        super().focusOutEvent(event)

    def stand(self) -> None:
        """Eye height on the ground under the pointer, or under the camera."""
        relief = self.modes[ReliefMode.name]
        relief.stand(self.pointed)
        self.set_mode(relief.name)

    def _step(self) -> None:
        self.mode.step(self._keys, self._fast)
        self._ask(True)

    def close_renderer(self) -> None:
        self.renderer.close()
        self.comparison.close()
