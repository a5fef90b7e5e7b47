"""A whole pass of a picture: the land, what its water mirrors, what stands on it, and the air before both."""

from __future__ import annotations

import math

import numpy as np

from gelande.kernels import air as K
from gelande.kernels import nested
from gelande.kernels.bands import over_rows
from gelande.kernels.light import sun_and_sky

from .camera import Camera
from .patches import COLOUR_RIM
from .relief import WARM_BELOW, Buffer, Part, Scene, Tones, axes_of, render, within
from .things import Things, depth_of, draw

#: Metres over which clear air covers 63 % of what is seen, near the ground; over wide sites a share of the site, so
#: that somebody who stands in them sees their far side at all.
CLEAR, OF_SITE = 12000.0, 0.8
#: Metres of height by which air thins out to 37 %, and as a share of the land's own height.
THINS, OF_RELIEF = 800.0, 1.2
#: How much bluer the sky is than on paper: above, and low down.
BLUER, LOW_BLUER = np.array([0.8, 0.92, 1.0]), np.array([0.94, 0.97, 1.0])


def one_pass(
    scene: Scene,
    camera: Camera,
    size: tuple[int, int],
    tones: Tones,
    stop: np.ndarray | None = None,
    offset: tuple[float, float] = (0.0, 0.0),
    number: int = 0,
    things: Things | None = None,
    part: Part | None = None,
) -> tuple[np.ndarray, Buffer]:
    """One pass of a picture (height x width x 3, float32, sRGB 0-255), and what its ground pixels see. size: width and
    height in pixels; offset, number: of the pass; part: of which larger picture it is one. Raises Stopped."""
    total, buffer = render(scene, camera, *size, tones, stop, offset, part=part)
    if scene.look.air:
        _mirror(scene, camera, buffer, total, tones, stop, (*offset, float(number)), part)
    depth = depth_of(buffer)
    if things is not None:
        draw(things, scene, camera, buffer, total, tones, offset, number, stop, part, depth)
    if scene.look.air:
        _lay(scene, camera, depth, total, tones, stop, part)
    return total, buffer


def _colours(scene: Scene, tones: Tones) -> tuple[np.ndarray, np.ndarray]:
    """Colours of the air (kernels/air.py), and the way to the sun."""
    elevation = scene.look.elevation
    found, low = tones.under(elevation), max(0.0, 1.0 - elevation / (2 * WARM_BELOW))
    glow = np.array([255.0, 251.0 - 32.0 * low, 240.0 - 96.0 * low])
    return np.array([found[0] * BLUER, found[1] * LOW_BLUER, glow]), sun_and_sky(scene.look.azimuth, elevation)[0]


def _air(scene: Scene, camera: Camera) -> np.ndarray:
    """Metres of clear air, height where it is thickest, how fast it thins out, and how much of it there is."""
    wide, tall = max(scene.width, scene.depth), scene.span * scene.look.times
    clear, thins = max(CLEAR, OF_SITE * wide), max(THINS, OF_RELIEF * tall)
    return np.array([clear, scene.low * scene.look.times, thins, within(scene, camera)])


def _lay(
    scene: Scene,
    camera: Camera,
    depth: np.ndarray,
    total: np.ndarray,
    tones: Tones,
    stop: np.ndarray | None,
    part: Part | None,
) -> None:
    """Lays air over a pass."""
    air = _air(scene, camera)
    if air[3] <= 0.0:
        return
    *axes, _ = axes_of(camera, depth.shape[::-1], part)
    seen = (total, depth, np.array([camera.position, *axes]), air, *_colours(scene, tones))
    over_rows(lambda a, b: K.lay_rows(*seen, a, b), len(depth), stop, 32)


def _mirror(
    scene: Scene,
    camera: Camera,
    buffer: Buffer,
    total: np.ndarray,
    tones: Tones,
    stop: np.ndarray | None,
    jitter: tuple[float, float, float],
    part: Part | None,
) -> None:
    """Lays over a pass what its water mirrors."""
    level, shape = scene.look.water, buffer.kind.shape
    if not scene.wet and level is None:
        return
    sea, wet = -1e9 if level is None else level, np.zeros(shape, np.float32)
    hits = (buffer.kind, buffer.column, buffer.row, wet)
    nest, tex = scene.nest, scene.textures
    if nest is None:
        land = (scene.height, tex[0], tex[3][0], sea)
        over_rows(lambda a, b: K.wet_rows(*land, *hits, a, b), shape[0], stop, 64)
    else:
        grids = (nest.heights, nest.grids, nest.places, *nest.textures[:2], sea)
        over_rows(lambda a, b: nested.wet_rows(*grids, *hits, a, b, COLOUR_RIM), shape[0], stop, 64)
    if not wet.any():
        return
    forward, right, up, whole = axes_of(camera, shape[::-1], part)
    eye = (scene.to_grid(camera.position), *(scene.vector(v) for v in (forward, right, up)))
    pixel = 2.0 * math.tan(math.radians(camera.field / 2)) / whole.height
    look = np.array([sea, pixel, scene.low - scene.block])
    seen = (wet, buffer.kind, buffer.depth, total)
    rest = (np.array([scene.dx, scene.look.times]), np.array(jitter), look, _air(scene, camera))
    lit = (*rest, *_colours(scene, tones))
    over_rows(
        lambda a, b: K.mirror_rows(scene.height, *scene.pyramid, *tex, *seen, a, b, *eye, *lit), shape[0], stop, 16
    )
