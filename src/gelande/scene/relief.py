"""Relief pictures without Qt: a lit scene, and camera and scene to picture and G-buffer."""

from __future__ import annotations

import math
import weakref
from dataclasses import dataclass

import numpy as np

from gelande.kernels import caster, nested
from gelande.kernels.bands import over_rows
from gelande.kernels.bare import USUAL
from gelande.kernels.light import Light, light_on, lit_textures

from .camera import Camera
from .patches import COLOUR_RIM, Nest


@dataclass(frozen=True)
class Look:
    """Light of a scene and what is drawn over it. contour: metres or 0; water: metres or None; mesh: the samples;
    steep: a warning where the land outruns its samples; times: how much higher than it is the land is drawn; tint: how
    strong a mask's is; grey: a mask is seen alone in grey; grain: of the ground's colour between its samples, which
    tells near ground from far and changes no height; air: haze, a sky with its sun, water that mirrors and an exposure
    for a low sun, where land is looked at and not measured; bare: palette of land without colours
    (kernels.bare.PALETTES)."""

    azimuth: float = 318.0
    elevation: float = 34.0
    contour: float = 0.0
    water: float | None = None
    mesh: bool = False
    steep: bool = False
    times: float = 1.0
    tint: float = 1.0
    grey: bool = False
    grain: float = 0.0
    air: bool = False
    bare: str = USUAL


#: Grain of pictures that show a land as it would look, and not as it is measured.
GRAIN = 0.11
#: Degrees of the sun's height below which it colours the sky.
WARM_BELOW = 14.0
#: Of the longer side of a site: how far outside of it a camera stands in none of its air.
OUTSIDE = 0.4
#: Samples next to each other that differ by more than this many spacings (68°) show as steps, not as land.
STEEP = 2.5


@dataclass(frozen=True)
class Tones:
    """Colours of the picture as sRGB 0-255 rows: sky top, sky low, ink, cut side, water, warning."""

    rows: tuple

    def array(self) -> np.ndarray:
        return np.array(self.rows, np.float64)

    def under(self, elevation: float) -> np.ndarray:
        """As array, with the sky that a sun of this height makes: a low one warms it above the land and darkens it
        higher up."""
        found = self.array()
        low = min(1.0, max(0.0, (WARM_BELOW - elevation) / WARM_BELOW))
        found[0] *= 1 - 0.28 * low * np.array((1.0, 0.92, 0.72))
        found[1] *= 1 - low * np.array((0.02, 0.22, 0.48))
        return found


#: Of pictures on paper, and of the window by day.
PAPER = Tones(((203, 214, 219), (240, 238, 230), (34, 48, 58), (163, 150, 130), (47, 111, 143), (178, 52, 40)))


def fixed(array: np.ndarray) -> np.ndarray:
    """The same numbers as float32 in one piece, which cannot be written."""
    found = np.ascontiguousarray(array, np.float32).view()
    found.flags.writeable = False
    return found


class Scene:
    """A height with its light baked in. Building one costs about the bench's 'new height to lit picture'.

    Heights are metres as they are, whatever look.times says. Places of cameras and of what they see are in the space
    that is drawn, where heights are so many times as large."""

    def __init__(
        self,
        height: np.ndarray,
        dx: float,
        albedo: np.ndarray | None = None,
        look: Look = Look(),
        water: np.ndarray | None = None,
        lit: float = 1.0,
        before: Scene | None = None,
    ) -> None:
        """water: depth over the height in metres, or None; the scene shows its surface. lit: how much of the heights
        the light knows of. before: an older scene; of the same land in the same light it has all but the colours."""
        #: Whether there is water over its ground.
        self.wet = water is not None and bool((water > 0).any())
        self._lit_as = (dx, look.azimuth, look.elevation, look.times, lit, look.air)
        self._sources = (height, water)
        height = height if water is None else height + water
        # one kind of array, however it came about: kernels are compiled for what may be written and what may not
        albedo, water = (None if a is None else fixed(a) for a in (albedo, water))
        self.height, self.dx, self.look = fixed(height), float(dx), look
        self.low, self.high = float(height.min()), float(height.max())
        self.span = max(self.high - self.low, 1e-3 * self.dx * max(height.shape), 1e-3)
        self.width, self.depth = (height.shape[1] - 1) * dx, (height.shape[0] - 1) * dx
        self._steep: float | None = None
        same = before is not None and before._is_of(self._sources, self._lit_as)
        self.pyramid: tuple = before.pyramid if before is not None and same else caster.max_pyramid(self.height)
        drawn = self.height if look.times * lit == 1 else fixed(self.height * np.float32(look.times * lit))
        reach = 0.12 * max(self.width, self.depth)
        self.light: Light = (
            before.light
            if before is not None and same
            else light_on(drawn, self.dx, look.azimuth, look.elevation, reach)
        )
        self.sun = self.light.sun
        #: Patches of finer levels (patches.py).
        self.nest: Nest | None = None
        #: Things, and where they stand on this land (things.py).
        self.standing: tuple | None = None
        #: (an older scene, first row, row after the last) of what alone differs from it.
        self.changed: tuple | None = None
        self._albedo, finest = albedo, None
        if before is not None and same:
            finest = self._compare(before)
        rows = self.changed[1:] if self.changed else (0, 0)
        lit_so = (look.azimuth, look.elevation, albedo, reach, water, self.light, finest, rows)
        textures = lit_textures(drawn, self.dx, *lit_so, bare_as=look.bare, natural=look.air)
        self.plan = textures[0]
        sizes = np.array([0] + [t.size for t in textures[:-1]], np.int64)
        self.textures = (
            np.concatenate([t.ravel() for t in textures]),
            np.cumsum(sizes),
            np.array([t.shape[0] for t in textures], np.int64),
            np.array([t.shape[1] for t in textures], np.int64),
        )

    def _compare(self, before: Scene) -> np.ndarray | None:
        """Finds the rows whose colours differ from those of a scene of the same land, and gives its finest texture."""
        a, b = self._albedo, before._albedo
        if a is None or b is None or a.shape != b.shape:
            return None
        rows = np.flatnonzero((a != b).any(axis=(1, 2)))
        first, after = (int(rows[0]), int(rows[-1]) + 1) if len(rows) else (0, 0)
        self.changed = (weakref.ref(before), first, after)
        return before.plan

    def _is_of(self, sources: tuple, lit_as: tuple) -> bool:
        """True when it shows these very rasters in this light."""
        return self._lit_as == lit_as and all(a is b for a, b in zip(self._sources, sources))

    @property
    def block(self) -> float:
        """Thickness of the block of ground below its lowest point, metres."""
        return block_of(self.span, max(self.width, self.depth), self.look.times)

    @property
    def steep_fraction(self) -> float:
        """Share of the cells that are too steep for their samples."""
        if self._steep is None:
            self._steep = caster.steep_fraction(self.height, STEEP * self.dx)
        return self._steep

    def overlays(self) -> list[float]:
        """Parameters of mesh and steepness for the shader."""
        return [float(self.look.mesh), STEEP * self.dx if self.look.steep else 0.0]

    @property
    def outline(self) -> np.ndarray:
        """(n, 3) points of the space that is drawn, which say how large it is."""
        return outline(self.height, self.dx, self.look.times)

    def to_grid(self, point: np.ndarray) -> np.ndarray:
        """(east, north, height) as drawn as (column, row, height in metres)."""
        return np.array([point[0] / self.dx, (self.depth - point[1]) / self.dx, point[2] / self.look.times])

    def vector(self, v: np.ndarray) -> np.ndarray:
        return np.array([v[0] / self.dx, -v[1] / self.dx, v[2] / self.look.times])

    def surface(self, east: float, north: float) -> float:
        """Height at which the ground is drawn: its height times look.times."""
        return self.ground(east, north) * self.look.times

    def ground(self, east: float, north: float) -> float:
        """Height of the ground in metres, of the finest patch that is there; beyond the site that of its nearest
        edge."""
        found = self.nest.ground(east, north) if self.nest is not None else None
        if found is not None:
            return found
        x = min(max(east / self.dx, 0.0), self.height.shape[1] - 1.0)
        y = min(max((self.depth - north) / self.dx, 0.0), self.height.shape[0] - 1.0)
        c, r = min(int(x), self.height.shape[1] - 2), min(int(y), self.height.shape[0] - 2)
        u, v, h = x - c, y - r, self.height
        return float(
            (h[r, c] * (1 - u) + h[r, c + 1] * u) * (1 - v) + (h[r + 1, c] * (1 - u) + h[r + 1, c + 1] * u) * v
        )


def outline(height: np.ndarray, dx: float, times: float = 1.0, each: int = 24) -> np.ndarray:
    """(n, 3) points of the space that is drawn, which say how large a land is: some on its ground, and the corners of
    its block."""
    rows, columns = height.shape
    r = np.unique(np.linspace(0, rows - 1, each).round().astype(int))
    c = np.unique(np.linspace(0, columns - 1, each).round().astype(int))
    ground = np.stack(
        [np.repeat(c[None] * dx, len(r), 0), np.repeat((rows - 1 - r)[:, None] * dx, len(c), 1), height[np.ix_(r, c)]],
        -1,
    )
    ground = ground.reshape(-1, 3).astype(np.float64)
    wide, deep = (columns - 1) * dx, (rows - 1) * dx
    low = float(height.min()) - block_of(float(np.ptp(height)), max(wide, deep), times)
    points = np.concatenate([ground, [(e, n, low) for e in (0.0, wide) for n in (0.0, deep)]])
    return points * (1.0, 1.0, times)


def block_of(span: float, reach: float, times: float) -> float:
    """Thickness in metres of the block of ground below the lowest point of a land of a height and a size."""
    return 0.10 * span + 0.012 * reach / times


@dataclass
class Buffer:
    """Surface that every pixel sees: kind (0 sky, 1 ground, 2 cut side), depth along the view, column and row on the
    ground."""

    kind: np.ndarray
    depth: np.ndarray
    column: np.ndarray
    row: np.ndarray

    @classmethod
    def of(cls, width: int, height: int) -> Buffer:
        shape = (height, width)
        return cls(np.zeros(shape, np.uint8), *(np.zeros(shape, np.float32) for _ in range(3)))


@dataclass(frozen=True)
class Part:
    """A piece of a larger picture. left, top: where it begins; width, height: of the whole, pixels."""

    left: int
    top: int
    width: int
    height: int

    def axes(self, forward, right, up, width: int, height: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """The camera's axes so that right and up reach the edges of this piece of width and height."""
        a = (2 * self.left + width) / self.width - 1
        b = 1 - (2 * self.top + height) / self.height
        return forward + a * right + b * up, right * (width / self.width), up * (height / self.height)


def axes_of(
    camera: Camera, size: tuple[int, int], part: Part | None
) -> tuple[np.ndarray, np.ndarray, np.ndarray, Part]:
    """Forward, right and up of a picture of a size in pixels, or of the part of a larger one, and the whole."""
    whole = part or Part(0, 0, *size)
    axes = camera.axes(whole.width / whole.height)
    return (*(axes if part is None else part.axes(*axes, *size)), whole)


def within(scene: Scene, camera: Camera) -> float:
    """How far a camera is within a land: 1 among its hills, 0 where it sees the whole from outside."""
    east = max(0.0, -camera.east, camera.east - scene.width)
    north = max(0.0, -camera.north, camera.north - scene.depth)
    over = max(0.0, camera.height - scene.high * scene.look.times)
    out = min(1.0, math.hypot(east, north, over) / (OUTSIDE * max(scene.width, scene.depth)))
    return 1.0 - out * out * (3.0 - 2.0 * out)


def haze_of(scene: Scene, camera: Camera) -> float:
    """Metres at which a tint sets in that tells near land from far; land that is looked at from afar as a whole is not
    behind it. Air takes its place where somebody stands (air.py)."""
    middle = np.array([scene.width / 2, scene.depth / 2, (scene.low + scene.high) / 2 * scene.look.times])
    far = max(3.2 * max(scene.width, scene.depth), 2.4 * float(np.linalg.norm(camera.position - middle)))
    return far / math.sqrt(max(1e-9, 1.0 - within(scene, camera))) if scene.look.air else far


def render(
    scene: Scene,
    camera: Camera,
    width: int,
    height: int,
    tones: Tones,
    stop: np.ndarray | None = None,
    jitter: tuple[float, float] = (0.0, 0.0),
    buffer: Buffer | None = None,
    total: np.ndarray | None = None,
    part: Part | None = None,
) -> tuple[np.ndarray, Buffer]:
    """Casts one picture and adds it to total (float32, height x width x 3). part: of which larger picture it is one.
    Returns (total, buffer). Raises Stopped."""
    buffer = buffer or Buffer.of(width, height)
    total = np.zeros((height, width, 3), np.float32) if total is None else total
    forward, right, up, whole = axes_of(camera, (width, height), part)
    eye, f, r, u = scene.to_grid(camera.position), scene.vector(forward), scene.vector(right), scene.vector(up)
    base = scene.low - scene.block
    pixel = 2.0 * math.tan(math.radians(camera.field / 2)) / whole.height
    spread, spread_z = 8.0 * pixel / scene.dx, 8.0 * pixel
    cast = (eye, f, r, u, base, *jitter, buffer.depth, buffer.column, buffer.row, buffer.kind)
    nest = scene.nest
    if nest is None:
        land = (scene.height, *scene.pyramid)
        over_rows(lambda a, b: caster.cast_rows(*land, *cast, a, b, spread, spread_z, True), height, stop, 16)
    else:
        grids = (nest.heights, *nest.pyramid, nest.grids, nest.places)
        over_rows(lambda a, b: nested.cast_rows(scene.height, *grids, *cast, a, b, spread, spread_z), height, stop, 16)
    water = -1e9 if scene.look.water is None else scene.look.water
    over = (*scene.overlays(), whole.top, max(1, whole.height - 1), scene.look.grain)
    look = np.array(
        [haze_of(scene, camera), pixel, scene.look.contour, water, scene.span, scene.span + scene.block, *over]
    )
    axes_z = np.array([eye[2], f[2], r[2], u[2]])
    seen = (buffer.column, buffer.row, buffer.depth, buffer.kind, total)
    rest = (scene.dx, look, axes_z, tones.under(scene.look.elevation), 1.0)
    if nest is None:
        coloured = (scene.height, *scene.textures)
        over_rows(lambda a, b: caster.shade_rows(*coloured, *seen, a, b, *rest), height, stop, 32)
    else:
        of_all = (scene.height, nest.heights, nest.grids, nest.places, *nest.textures)
        over_rows(lambda a, b: nested.shade_rows(*of_all, *seen, a, b, *rest, COLOUR_RIM), height, stop, 32)
    return total, buffer


def to_pixels(total: np.ndarray, passes: int = 1) -> np.ndarray:
    """Summed passes as 32-bit pixels (blue, green, red, 255)."""
    out = np.empty((*total.shape[:2], 4), np.uint8)
    over_rows(lambda a, b: caster.to_bytes_rows(total, 1.0 / passes, out, a, b), total.shape[0], None, 64)
    return out


#: Sub-pixel offsets of the still picture's passes (the first is the plain frame).
OFFSETS = (
    (0.0, 0.0),
    (0.25, -0.375),
    (-0.25, 0.375),
    (0.375, 0.125),
    (-0.375, -0.125),
    (-0.125, -0.25),
    (0.125, 0.25),
    (-0.4375, 0.4375),
)


def pick(scene: Scene, camera: Camera, a: float, b: float, aspect: float) -> np.ndarray | None:
    """The point (east, north, height) on the ground that is seen at a, b of the picture, or None for sky."""
    d = camera.ray(a, b, aspect)
    eye, v = scene.to_grid(camera.position), scene.vector(d)
    base, nest = scene.low - scene.block, scene.nest
    if nest is None:
        kind, t = caster.trace(scene.height, *scene.pyramid, *eye, *v, 0.0, base)
    else:
        grids, ways = (nest.heights, *nest.pyramid, nest.grids, nest.places), np.empty((len(nest.grids) + 1, 2))
        kind, t = nested.trace(*grids, ways, *eye, *v, 0.0, base)
    return camera.position + t * d if kind else None
