"""The camera of Relief: where it stands, where it looks, and how the pointer moves it. Metres, degrees, no Qt."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

EYE_HEIGHT = 1.7
STEEPEST = 88.0
#: Shares of the picture that the whole site may take across and down, and how far below its middle it lies, so that
#: the buttons along the top hide nothing.
ACROSS, DOWN, LOWER = 0.95, 0.89, 0.06


@dataclass(frozen=True)
class Camera:
    """east, north, height: metres. heading: degrees clockwise from north. pitch: degrees, negative looks down.
    field: vertical field of view in degrees."""

    east: float
    north: float
    height: float
    heading: float
    pitch: float
    field: float = 38.0

    @classmethod
    def home(
        cls,
        points: np.ndarray,
        aspect: float = 1.5,
        heading: float | None = None,
        pitch: float = -29.0,
        lower: float = LOWER,
    ) -> Camera:
        """Sees points (n, 3) a third up the sky, as near as they fit in the picture: from a heading, or else from the
        south-west; a strip from south to north is seen from its side. lower: how far below the middle of the picture
        they lie."""
        low, high = points.min(axis=0), points.max(axis=0)
        middle, reach = (low + high) / 2, 1.28 * math.hypot(*(high - low)[:2])
        if heading is None:
            heading = 28.0 if high[1] - low[1] < 2 * (high[0] - low[0]) else 118.0
        camera = cls(float(middle[0]), float(middle[1]), float(middle[2]), heading, pitch)
        forward, right, up = camera.axes(aspect)
        for _ in range(60):  # nearer and to the middle in turn until both settle
            away = points - (middle - forward * reach)
            t = np.maximum(away @ forward, 1e-3 * reach)
            a, b = away @ right / (right @ right) / t, away @ up / (up @ up) / t
            aside, above = (a.max() + a.min()) / 2, (b.max() + b.min()) / 2 + lower
            middle = middle + 0.5 * reach * (aside * right + above * up)
            reach *= max(np.ptp(a) / (2 * ACROSS), np.ptp(b) / (2 * DOWN)) ** 0.5
        return replace(camera, **dict(zip(("east", "north", "height"), map(float, middle - forward * reach))))

    @property
    def position(self) -> np.ndarray:
        return np.array([self.east, self.north, self.height])

    def axes(self, aspect: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """forward, right and up in (east, north, height); right and up reach the picture's edges at depth 1."""
        h, p = math.radians(self.heading), math.radians(self.pitch)
        forward = np.array([math.sin(h) * math.cos(p), math.cos(h) * math.cos(p), math.sin(p)])
        right = np.array([math.cos(h), -math.sin(h), 0.0])
        up = np.cross(right, forward)
        half = math.tan(math.radians(self.field / 2))
        return forward, right * half * aspect, up * half

    def ray(self, a: float, b: float, aspect: float) -> np.ndarray:
        """Direction through the picture at a (left -1, right 1) and b (bottom -1, top 1)."""
        forward, right, up = self.axes(aspect)
        return forward + a * right + b * up

    def turned_about(self, point: np.ndarray, heading: float, pitch: float) -> Camera:
        """Turned so that a point keeps its place in the picture: heading and pitch change by degrees."""
        pitch = max(-STEEPEST, min(STEEPEST, self.pitch + pitch)) - self.pitch
        arm = self.position - point
        a = math.radians(heading)
        turned = np.array(
            [arm[0] * math.cos(a) + arm[1] * math.sin(a), -arm[0] * math.sin(a) + arm[1] * math.cos(a), arm[2]]
        )
        after = replace(self, heading=(self.heading + heading) % 360)
        right = after.axes(1.0)[1]
        right = right / np.linalg.norm(right)
        p = math.radians(pitch)
        turned = (
            turned * math.cos(p)
            + np.cross(right, turned) * math.sin(p)
            + right * np.dot(right, turned) * (1 - math.cos(p))
        )
        place = point + turned
        return replace(after, east=place[0], north=place[1], height=place[2], pitch=self.pitch + pitch)

    def looked(self, heading: float, pitch: float) -> Camera:
        """Looks around on the spot."""
        return replace(
            self, heading=(self.heading + heading) % 360, pitch=max(-STEEPEST, min(STEEPEST, self.pitch + pitch))
        )

    def moved(self, east: float, north: float, up: float) -> Camera:
        return replace(self, east=self.east + east, north=self.north + north, height=self.height + up)

    def walked(self, ahead: float, aside: float, up: float) -> Camera:
        """Moves over the ground by metres: ahead along the heading, aside to the right."""
        h = math.radians(self.heading)
        return self.moved(ahead * math.sin(h) + aside * math.cos(h), ahead * math.cos(h) - aside * math.sin(h), up)

    def towards(self, point: np.ndarray, fraction: float) -> Camera:
        """Goes a share of the way to a point (negative: away from it)."""
        step = (point - self.position) * fraction
        return self.moved(*step)

    def slid(self, a: float, b: float, distance: float, aspect: float) -> Camera:
        """Slides so that what is at this distance follows the pointer by a and b of half the picture."""
        _, right, up = self.axes(aspect)
        return self.moved(*(-(a * right + b * up) * distance))

    def above(self, ground: float, least: float = 0.6) -> Camera:
        """Kept over the ground."""
        return replace(self, height=max(self.height, ground + least))
