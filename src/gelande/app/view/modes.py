"""How the land is looked at and moved about in: Relief and Plan. The widget asks its mode, and never which it is."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QPainter

from gelande.scene.camera import EYE_HEIGHT, Camera
from gelande.scene.relief import Scene, outline, pick

from .base import View
from .framing import widest_view
from .projections import PlanProjection, ReliefProjection
from .readout import paint_bar

WALK = {
    Qt.Key.Key_W: (1, 0, 0),
    Qt.Key.Key_S: (-1, 0, 0),
    Qt.Key.Key_A: (0, -1, 0),
    Qt.Key.Key_D: (0, 1, 0),
    Qt.Key.Key_Q: (0, 0, -1),
    Qt.Key.Key_E: (0, 0, 1),
}
#: Seconds between two steps of a walk.
BEAT = 0.033


class Mode:
    """One way to look at the land. It remembers from where, and moves that by pointer and keys."""

    name = tip = ""
    #: Whether a moving picture is drawn with fewer pixels, and in full once it rests.
    rough = False

    def __init__(self, view: View) -> None:
        self.view = view

    def home(self) -> None:
        """Looks at the whole site."""
        raise NotImplementedError

    def refit(self) -> None:
        """The pane has another size, or the land is drawn higher: the whole site fits again if it did before."""

    def projection(self) -> None:
        """From where the land is looked at now."""
        raise NotImplementedError

    def look_as(self, other) -> None:
        """Looks from where the same mode of another view looks."""
        raise NotImplementedError

    def grasp(self, pos: QPoint) -> None:
        """The place that a drag which begins here holds on to."""

    def drag(self, button, pos, dx: int, dy: int, held) -> None:
        """Moves by so many pixels."""
        raise NotImplementedError

    def wheel(self, pos, steps: float) -> None:
        """Comes nearer by steps."""
        raise NotImplementedError

    def walks(self, key: int) -> bool:
        """True when a key walks about as long as it is held."""
        return False

    def step(self, keys: set, fast: bool) -> None:
        """Walks on by one beat."""

    def paint(self, painter: QPainter) -> None:
        """Draws what belongs to this way of looking over the picture."""

    def to_ground(self, pos) -> tuple[float, float] | None:
        """Metres east and north under a place in the widget."""
        raise NotImplementedError

    def to_widget(self, point) -> tuple[QPointF, bool] | None:
        """Place where a point of the ground is seen, and whether land hides it; None when it cannot be seen."""
        raise NotImplementedError


class ReliefMode(Mode):
    """The land in three dimensions, seen by a camera."""

    name = "Relief"
    tip = "The land in three dimensions. Left drag turns, middle drag slides, wheel approaches, W A S D walks."
    rough = True

    def __init__(self, view: View) -> None:
        super().__init__(view)
        self.camera: Camera | None = None
        self._at_home: Camera | None = None
        self._stood: tuple[float, float, float] | None = None  # place of the camera and the ground under it

    def home(self) -> None:
        view = self.view
        points = outline(view.shown_height, view.extent[0] / (view.shown_height.shape[1] - 1), view.look.times)
        self.camera = self._at_home = Camera.home(points, view.width() / max(1, view.height()))

    def refit(self) -> None:
        if self.camera is not None and self.camera == self._at_home:
            self.home()

    def projection(self) -> ReliefProjection:
        if self.camera is None:
            self.home()
        return ReliefProjection(self.camera)

    def look_as(self, other: ReliefMode) -> None:
        self.camera, self._at_home = other.camera, other._at_home

    def grasp(self, pos: QPoint) -> np.ndarray:
        """The ground under the pointer, or a point at the scene's distance."""
        view, camera = self.view, self.camera
        a, b = 2 * (pos.x() + 0.5) / view.width() - 1, 1 - 2 * (pos.y() + 0.5) / view.height()
        aspect = view.width() / view.height()
        hit = pick(view.frame.scene, camera, a, b, aspect) if view.frame else None
        if hit is not None:
            return hit
        middle = np.array([view.extent[0] / 2, view.extent[1] / 2, camera.height])
        far = np.linalg.norm(middle - camera.position) * 0.8
        return camera.position + camera.ray(a, b, aspect) * far

    def drag(self, button, pos: QPoint, dx: int, dy: int, held: np.ndarray) -> None:
        view = self.view
        if button == Qt.MouseButton.LeftButton:
            self.camera = self.camera.turned_about(held, dx * 0.35, dy * 0.25)
        elif button == Qt.MouseButton.MiddleButton:
            distance = max(1.0, float(np.dot(held - self.camera.position, self.camera.axes(1.0)[0])))
            aspect = view.width() / view.height()
            self.camera = self.camera.slid(2 * dx / view.width(), -2 * dy / view.height(), distance, aspect)
        else:
            self.camera = self.camera.looked(dx * 0.2, -dy * 0.2)
        self._keep_above()

    def wheel(self, pos: QPoint, steps: float) -> None:
        self.camera = self.camera.towards(self.grasp(pos), 0.14 * steps if steps > 0 else 0.16 * steps)
        self._keep_above()

    def _keep_above(self) -> None:
        frame = self.view.frame
        if frame is None:
            return
        scene, c = frame.scene, self.camera
        if -0.02 <= c.east / scene.width <= 1.02 and -0.02 <= c.north / scene.depth <= 1.02:
            self.camera = c.above(scene.surface(c.east, c.north))

    def walks(self, key: int) -> bool:
        return key in WALK and self.view.frame is not None

    def step(self, keys: set, fast: bool) -> None:
        if self.view.frame is None:
            return
        scene, c = self.view.frame.scene, self.camera
        clearance = max(1.0, c.height - scene.surface(c.east, c.north))
        speed = min(0.6 * clearance + 1.5, 0.2 * max(self.view.extent)) * BEAT * (4 if fast else 1)
        walking = clearance < 4 * EYE_HEIGHT
        for key in keys:
            ahead, aside, up = WALK[key]
            c = c.walked(ahead * speed, aside * speed, up * speed)
            if up:
                walking = False
        if walking and 0 <= c.east <= scene.width and 0 <= c.north <= scene.depth:
            c = replace(c, height=scene.surface(c.east, c.north) + EYE_HEIGHT)
        self.camera = c
        self._keep_above()

    def stand(self, hit: tuple[float, float] | None) -> None:
        """Eye height on the ground, at a column and row of it or under the camera, looking level and the most open
        way."""
        scene, c = self.view.frame.scene, self.camera
        east, north = min(max(c.east, 0), scene.width), min(max(c.north, 0), scene.depth)
        if hit:
            east, north = hit[0] * scene.dx, scene.depth - hit[1] * scene.dx
        heading = widest_view(scene.height * scene.look.times, scene.dx, east, scene.depth - north, EYE_HEIGHT)
        height = scene.surface(east, north) + EYE_HEIGHT
        self.camera = replace(c, east=east, north=north, height=height, heading=heading, pitch=0.0)

    def follow_ground(self, scene: Scene) -> bool:
        """Keeps somebody who stands on the ground at eye height when other ground comes to lie there: the land was
        edited, or a finer level shows it. Returns whether the camera moved."""
        c = self.camera
        if c is None or not (0 <= c.east <= scene.width and 0 <= c.north <= scene.depth):
            self._stood = None
            return False
        ground, stood = scene.surface(c.east, c.north), self._stood
        self._stood = (c.east, c.north, ground)
        if stood is None or stood[:2] != (c.east, c.north) or abs(c.height - stood[2] - EYE_HEIGHT) > 0.05:
            return False
        self.camera = replace(c, height=ground + EYE_HEIGHT)
        return self.camera != c

    def drawn_times(self, before: float, after: float) -> None:
        """The land is drawn higher or lower: the camera stays as far above it as it was."""
        if self.camera is None or self.view.frame is None or self.camera == self._at_home:
            return
        scene, c = self.view.frame.scene, self.camera
        ground = scene.ground(c.east, c.north)
        self.camera = replace(c, height=c.height + ground * (after - before))

    def to_ground(self, pos: QPointF) -> tuple[float, float] | None:
        view = self.view
        hit = view.under(pos.toPoint() if isinstance(pos, QPointF) else pos)
        if hit is None:
            return None
        scene = view.frame.scene
        return hit[0] * scene.dx, scene.depth - hit[1] * scene.dx

    def to_widget(self, point: np.ndarray | tuple[float, float]) -> tuple[QPointF, bool] | None:
        view, scene, camera = self.view, self.view.frame.scene, self.camera
        forward, right, up = camera.axes(view.width() / max(1, view.height()))
        away = np.array([point[0], point[1], scene.surface(*point)]) - camera.position
        t = float(away @ forward)
        if t <= 1e-3:
            return None
        a, b = float(away @ right) / float(right @ right) / t, float(away @ up) / float(up @ up) / t
        x, y = (a + 1) / 2 * view.width(), (1 - b) / 2 * view.height()
        buffer = view.frame.buffer
        h, w = buffer.kind.shape
        px, py = int(x * w / max(1, view.width())), int(y * h / max(1, view.height()))
        inside = 0 <= px < w and 0 <= py < h and buffer.kind[py, px] > 0
        hidden = inside and t > float(buffer.depth[py, px]) * 1.012 + 2 * scene.dx
        return QPointF(x, y), hidden


class PlanMode(Mode):
    """The land as a map."""

    name = "Plan"
    tip = "The land as a map. Drag slides, wheel scales."

    def __init__(self, view: View) -> None:
        super().__init__(view)
        self.plan: PlanProjection | None = None
        self._at_home: PlanProjection | None = None

    def home(self) -> None:
        self.plan = None  # fitted when it is shown, to the size that the widget has then

    def refit(self) -> None:
        if self.plan == self._at_home:
            self.plan = None

    def projection(self) -> PlanProjection:
        if self.plan is None:
            view = self.view
            fit = max(view.extent[0] / max(1, view.width() - 40), view.extent[1] / max(1, view.height() - 66))
            # lower than the middle, where the buttons are
            self.plan = self._at_home = PlanProjection(view.extent[0] / 2, view.extent[1] / 2 + 15 * fit, fit)
        return self.plan

    def look_as(self, other: PlanMode) -> None:
        self.plan, self._at_home = other.plan, other._at_home

    def paint(self, painter: QPainter) -> None:
        paint_bar(painter, self.projection().metres, self.view.height())

    def drag(self, button, pos: QPoint, dx: int, dy: int, held) -> None:
        plan = self.projection()
        self.plan = replace(plan, east=plan.east - dx * plan.metres, north=plan.north + dy * plan.metres)

    def wheel(self, pos, steps: float) -> None:
        plan, scale = self.projection(), 0.85**steps
        dx, dy = pos.x() - self.view.width() / 2, self.view.height() / 2 - pos.y()
        nearer = plan.metres * (1 - scale)
        self.plan = PlanProjection(plan.east + dx * nearer, plan.north + dy * nearer, plan.metres * scale)

    def to_ground(self, pos: QPointF) -> tuple[float, float] | None:
        plan = self.projection()
        return (
            plan.east + (pos.x() + 0.5 - self.view.width() / 2) * plan.metres,
            plan.north - (pos.y() + 0.5 - self.view.height() / 2) * plan.metres,
        )

    def to_widget(self, point: np.ndarray | tuple[float, float]) -> tuple[QPointF, bool] | None:
        plan = self.projection()
        x = self.view.width() / 2 + (point[0] - plan.east) / plan.metres
        return QPointF(x, self.view.height() / 2 - (point[1] - plan.north) / plan.metres), False


MODES: tuple[type[Mode], ...] = (ReliefMode, PlanMode)
