"""Things that stand on a land in a Relief picture: where they stand, and their drawing over a pass."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from gelande.core.evaluate.standing import Layer
from gelande.core.recipe.things import NAMES, OWN, POST
from gelande.kernels import nested
from gelande.kernels import things as K
from gelande.kernels.bands import over_rows
from gelande.kernels.light import sun_and_sky, tone_table

from .camera import Camera
from .plan import PlanCamera
from .relief import Buffer, Part, Scene, Tones, haze_of
from .thingkinds import Atlas, with_pictures


@dataclass(frozen=True, eq=False)
class Things:
    """Things of a site, whatever land they stand on. rows: (n, 7) as kernels/things.py has them, without foot and
    light; tints: factors of red, green and blue of each layer, which a row names; layers: what they come from;
    pictures: of kinds after our own ones, with the metres that they are tall."""

    rows: np.ndarray
    tints: np.ndarray
    layers: tuple[Layer, ...] = ()
    pictures: tuple[tuple[np.ndarray, float], ...] = ()

    @cached_property
    def atlas(self) -> Atlas:
        """Pictures of all their kinds."""
        return with_pictures(self.pictures)

    @classmethod
    def of(cls, layers: Sequence[Layer]) -> Things:
        """Things of some layers."""
        parts, pictures = [np.zeros((0, K.FIELDS), np.float32)], []
        for number, layer in enumerate(layers):
            rows = np.zeros((len(layer.table), K.FIELDS), np.float32)
            rows[:, [K.EAST, K.NORTH, K.SIZE, K.LOT]] = layer.table
            if layer.picture is not None:
                pictures.append((layer.picture, layer.placing.tall))
                rows[:, K.KIND] = len(NAMES) + len(pictures) - 1
            elif layer.placing.kind == OWN:  # no picture is chosen yet
                rows[:, K.KIND] = NAMES.index("post")
                rows[:, K.SIZE] *= layer.placing.tall / POST[0]
            else:
                rows[:, K.KIND] = NAMES.index(layer.placing.kind)
            rows[:, K.LAYER] = number
            parts.append(rows)
        tints = np.array([layer.placing.tint for layer in layers], np.float64).reshape(-1, 3)
        return cls(np.concatenate(parts), tints, tuple(layers), tuple(pictures))


def with_person(things: Things | None, east: float, north: float) -> Things:
    """The same things, and a person of 1.8 m at a place."""
    rows = np.zeros((1, K.FIELDS), np.float32)
    before = things or Things(rows[:0], np.zeros((0, 3)))
    rows[0, [K.EAST, K.NORTH, K.SIZE]] = east, north, 1.0
    rows[0, K.KIND], rows[0, K.LAYER] = NAMES.index("person"), len(before.tints)
    tints = np.concatenate([before.tints, np.ones((1, 3))])
    return Things(np.concatenate([before.rows, rows]), tints, before.layers, before.pictures)


def standing(things: Things, scene: Scene) -> np.ndarray:
    """The things' rows on a scene's land, kept with the scene."""
    if scene.standing is None or scene.standing[0] is not things or scene.standing[2] is not scene.nest:
        rows = things.rows.copy()
        put = (scene.height, scene.sun, scene.dx, scene.depth, scene.look.times, rows)
        over_rows(lambda a, b: K.stand_on(*put, a, b), len(rows), None, 4096)
        nest = scene.nest
        if nest is not None:
            fine = (nest.heights, nest.grids, nest.places, scene.dx, scene.depth, scene.look.times, rows)
            fields = (K.EAST, K.NORTH, K.FOOT)
            over_rows(lambda a, b: nested.stand_rows(*fine, *fields, a, b), len(rows), None, 4096)
        scene.standing = (things, rows, nest)
    return scene.standing[1]


def depth_of(buffer: Buffer) -> np.ndarray:
    """Depth of what every pixel sees, 1e9 in the sky."""
    return np.where(buffer.kind == 0, np.float32(1e9), buffer.depth)


def draw(
    things: Things,
    scene: Scene,
    camera: Camera,
    buffer: Buffer,
    total: np.ndarray,
    tones: Tones,
    jitter: tuple[float, float] = (0.0, 0.0),
    salt: int = 0,
    stop: np.ndarray | None = None,
    part: Part | None = None,
    depth: np.ndarray | None = None,
) -> None:
    """Draws things over one pass. total: the pass, float32; buffer: what it sees; salt: number of the pass; part: of
    which larger picture it is one; depth: of what is seen (depth_of), made that of things where they stand. Raises
    Stopped."""
    rows, depth = standing(things, scene), depth_of(buffer) if depth is None else depth
    if not len(rows):
        return
    pictures = things.atlas
    height, width = buffer.depth.shape
    whole = part or Part(0, 0, width, height)
    forward, right, up = camera.axes(whole.width / whole.height)
    seen = np.zeros((len(rows) + 1, 5), np.float32)
    seen[-1, :2] = whole.width, whole.height
    K.project(rows, camera.position, forward, right, up, *jitter, pictures.sizes, seen)
    seen[:-1, :2] -= whole.left, whole.top
    order = np.flatnonzero(seen[:-1, 4] > 0)
    order = order[np.argsort(seen[order, 2], kind="stable")]  # near ones first: they hide far ones
    sun, sun_rgb, sky_rgb = sun_and_sky(scene.look.azimuth, scene.look.elevation, scene.look.air)
    casting = order[seen[order, 3] >= K.CASTS]
    if len(casting):
        shade, view = np.zeros((height, width), np.float32), np.array([camera.position, forward, right, up])
        frame = np.array([scene.depth, whole.left, whole.top, whole.width, whole.height])
        surface = (buffer.kind, buffer.depth, buffer.column, buffer.row)
        cast = (
            rows,
            seen,
            casting,
            pictures.sizes,
            pictures.texels,
            pictures.at,
            pictures.dims,
            *surface,
            scene.dx,
            frame,
        )
        over_rows(lambda a, b: K.shadow_rows(*cast, view, sun, shade, a, b), height, stop, 32)
        ground = (buffer.kind, buffer.column, buffer.row, scene.height, scene.sun, scene.dx, sun, sun_rgb, sky_rgb)
        over_rows(lambda a, b: K.darken_rows(total, shade, *ground, a, b), height, stop, 64)
    level = np.array([forward[0], forward[1], 0.0])
    level, across = level / max(float(np.linalg.norm(level)), 1e-9), right / np.linalg.norm(right)
    lights = np.array([(sun @ across, sun[2], -(sun @ level)), sun_rgb, sky_rgb])
    kinds = (pictures.sizes, things.tints, pictures.texels, pictures.at, pictures.dims, pictures.mean)
    rest = (depth, total, lights, tone_table(), haze_of(scene, camera), tones.under(scene.look.elevation)[1], salt)
    over_rows(lambda a, b: K.draw_rows(rows, seen, order, *kinds, *rest, a, b), height, stop, 32)


def draw_map(things: Things, scene: Scene, plan: PlanCamera, buffer: Buffer, total: np.ndarray) -> None:
    """Draws things over a map, from above."""
    rows = standing(things, scene)
    if not len(rows):
        return
    height, width = buffer.kind.shape
    sizes = things.atlas.sizes
    corner = (plan.east - width / 2 * plan.metres, plan.north + height / 2 * plan.metres, plan.metres)
    order = np.argsort(rows[:, K.FOOT] + rows[:, K.SIZE] * sizes[rows[:, K.KIND].astype(int), 0], kind="stable")
    lights = np.array(sun_and_sky(scene.look.azimuth, scene.look.elevation, scene.look.air))
    seen = (sizes, things.tints, things.atlas.mean, np.array(corner), buffer.kind, total, lights, tone_table())
    over_rows(lambda a, b: K.map_rows(rows, order, *seen, a, b), height, None, 32)
