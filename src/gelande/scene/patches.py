"""Patches: rectangles of a land at finer levels, for a picture that is looked at from near.

A patch lies within the one before it. At its rim it becomes that one's surface, so that there is neither a crack nor a
step; its light is that of the coarser land, but for what its own ground shades."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from types import MappingProxyType

import numpy as np

from gelande.kernels import caster, nested
from gelande.kernels.grid_window import GridWindow
from gelande.kernels.light import Light, lit_textures, sky_view, sunlight

from .tints import albedo_of

#: Samples over which heights and colours of a patch come in from its rim.
RIM, COLOUR_RIM = 24, 16.0
#: Every so many samples of a patch the light of the sky is found, and so many of its samples around.
SKY_STEP, SKY_REACH = 2, 48
#: Samples along the side of the patch of each finer level, at most, and to which multiple of samples they reach; every
#: so many pixels are asked; the share of the ground in the picture that a level has to make finer; the finest spacing.
SIDES, SNAP, EACH, LEAST_SEEN, LEAST_SPACING = (480, 480, 416, 352), 32, 4, 0.06, 0.24


@dataclass(frozen=True, eq=False)
class Patch:
    """A rectangle of a land's finer level. scale: samples of it for one of the land that is shown; top, left: where it
    begins, in samples of its own; height: metres; data, of a kind: what is draped over it; water: depth or None."""

    scale: int
    top: int
    left: int
    height: np.ndarray
    kind: str
    data: np.ndarray
    water: np.ndarray | None = None


@dataclass(frozen=True, eq=False)
class _Lit:
    """A grid with its light. surface: of water where there is some, metres; sun and sky as kernels.light.Light."""

    scale: int
    top: int
    left: int
    surface: np.ndarray
    light: Light
    textures: Sequence[np.ndarray]
    pyramid: tuple

    def at(self, a: np.ndarray, patch: Patch, step: int = 1, each: int = 1) -> np.ndarray:
        """A raster of this grid, of every ``each`` of its samples, at every ``step`` samples of a patch; bilinear."""
        ratio = patch.scale / self.scale
        rows, columns = patch.height.shape
        ys = ((patch.top + np.arange(0, rows, step)) / ratio - self.top) / each
        xs = ((patch.left + np.arange(0, columns, step)) / ratio - self.left) / each
        r = np.clip(ys.astype(int), 0, a.shape[0] - 2)
        c = np.clip(xs.astype(int), 0, a.shape[1] - 2)
        v, u = (ys - r).astype(np.float32)[:, None], (xs - c).astype(np.float32)[None]
        upper = a[r][:, c] * (1 - u) + a[r][:, c + 1] * u
        return upper * (1 - v) + (a[r + 1][:, c] * (1 - u) + a[r + 1][:, c + 1] * u) * v


class Nest:
    """Patches on a scene's land, lit, as kernels.nested takes them."""

    def __init__(self, scene, patches: tuple[Patch, ...], before: Nest | None = None) -> None:
        """before: an older one of the same scene; what is the same in both is not lit again."""
        self.scene, self.patches = scene, patches
        known = dict(zip(before.patches, before.lit[1:])) if before is not None and before.scene is scene else {}
        first = before.lit[0] if known and before is not None else self._coarsest(scene)
        self.lit: list[_Lit] = [first]
        for patch in patches:
            found = known.get(patch)
            if found is None:
                known = {}  # those within it stand on another ground now
                found = self._light(patch, self.lit[-1])
            self.lit.append(found)
        self._lay()

    @staticmethod
    def _coarsest(scene) -> _Lit:
        flat, at, rows, columns = scene.textures
        textures = [
            flat[a : a + r * c * 4].reshape(r, c, 4) for a, r, c in zip(at, rows, columns)
        ]  # views of what the scene holds
        return _Lit(1, 0, 0, scene.height, scene.light, textures, scene.pyramid)

    def _light(self, patch: Patch, parent: _Lit) -> _Lit:
        scene, dx = self.scene, self.scene.dx / patch.scale
        look, wide = (
            scene.look,
            (scene.height.shape[1] * scene.dx, scene.low * scene.look.times, scene.high * scene.look.times),
        )
        h = (patch.height if patch.water is None else patch.height + patch.water).astype(np.float32)
        below = parent.at(parent.surface, patch)
        nested.join_rim(h, below, RIM)
        drawn, under = (np.ascontiguousarray(a * np.float32(look.times), np.float32) for a in (h, below))
        sun, beside = (sunlight(a, dx, look.azimuth, look.elevation) for a in (drawn, under))
        # What the coarser land does not shade by itself is shaded from beyond the patch.
        sun *= np.clip(parent.at(parent.light.sun, patch) + 1 - beside, 0, 1)
        reach = SKY_REACH * dx
        seen, before = (sky_view(a, dx, reach, SKY_STEP) for a in (drawn, under))
        sky = parent.at(parent.light.sky, patch, SKY_STEP, parent.light.stride)
        sky = np.clip(sky * seen / np.maximum(before, np.float32(0.05)), 0, 1).astype(np.float32)
        light = Light(sun, sky, SKY_STEP)
        albedo = albedo_of(patch.kind, patch.data)
        more = (None if albedo is None else np.ascontiguousarray(albedo, np.float32), reach, patch.water, light)
        seen_as = {"site": wide, "bare_as": look.bare, "natural": look.air}
        textures = lit_textures(drawn, dx, look.azimuth, look.elevation, *more, **seen_as)
        return _Lit(patch.scale, patch.top, patch.left, h, light, textures, caster.max_pyramid(h))

    def _lay(self) -> None:
        """Lays all grids one after the other."""
        grids, places = np.zeros((len(self.lit), 7), np.int64), np.zeros((len(self.lit), 3))
        heights, maxima, texels = [], [], []
        levels: list[tuple[int, int, int]] = []
        sizes: list[tuple[int, int, int]] = []
        at = [0, 0, 0]  # heights, maxima and texels so far
        for k, one in enumerate(self.lit):
            flat, offsets, rows, columns = one.pyramid
            shape = one.surface.shape
            grids[k] = at[0], shape[1], shape[0], len(levels), len(offsets), len(sizes), len(one.textures)
            places[k] = one.scale, one.left, one.top
            heights.append(one.surface.ravel())
            maxima.append(flat)
            levels += [(at[1] + o, r, c) for o, r, c in zip(offsets, rows, columns)]
            for texture in one.textures:
                texels.append(texture.ravel())
                sizes.append((at[2], *texture.shape[:2]))
                at[2] += texture.size
            at[0] += one.surface.size
            at[1] += flat.size
        self.heights, flat = np.concatenate(heights), np.concatenate(maxima)
        self.grids, self.places = grids, places
        dims = np.array(levels, np.int64)
        self.pyramid = (flat, *(np.ascontiguousarray(dims[:, k]) for k in range(3)))
        n = len(self.lit[0].pyramid[1])
        coarse = (flat, *(a[:n] for a in self.pyramid[1:]))
        for one in self.lit[1:]:
            fine, _, rows, columns = one.pyramid
            cells = fine[: rows[0] * columns[0]].reshape(rows[0], columns[0])
            nested.raised(*coarse, cells, one.scale, one.left, one.top)
        room = np.array(sizes, np.int64)
        self.textures = (np.concatenate(texels), *(np.ascontiguousarray(room[:, k]) for k in range(3)))

    @property
    def finest(self) -> float:
        """Metres between samples of the finest patch."""
        return self.scene.dx / self.lit[-1].scale

    def ground(self, east: float, north: float) -> float | None:
        """Height of the finest patch at a place, metres; None where there is none."""
        for one in reversed(self.lit[1:]):
            x = east / self.scene.dx * one.scale - one.left
            y = (self.scene.depth - north) / self.scene.dx * one.scale - one.top
            rows, columns = one.surface.shape
            if 0 <= x <= columns - 1 and 0 <= y <= rows - 1:
                return float(caster.height_at(one.surface, x, y))
        return None


def asked_at(depth: np.ndarray, kind: np.ndarray, pixel: float, spacing: float) -> np.ndarray:
    """Pixels that show less of the ground than a sample, so that a finer level would show more. pixel: its size at
    depth 1; spacing: of the samples, metres."""
    return (kind == 1) & (depth * pixel < 0.5 * spacing)


def box_of(column: np.ndarray, row: np.ndarray, depth: np.ndarray, most: int) -> tuple[int, int, int, int] | None:
    """Rows and columns (top, bottom, left, right) of the nearest places that are seen, as many as a box of so many
    samples a side holds; None of nothing. column, row: of places, in samples; depth: of each."""
    if not len(depth):
        return None
    order = np.argsort(depth, kind="stable")
    x, y = column[order], row[order]
    reach = [np.minimum.accumulate(y), np.maximum.accumulate(y), np.minimum.accumulate(x), np.maximum.accumulate(x)]
    fits = (reach[1] - reach[0] <= most) & (reach[3] - reach[2] <= most)
    last = len(fits) - 1 if fits.all() else max(int(np.argmin(fits)) - 1, 0)
    top, bottom, left, right = (float(a[last]) for a in reach)
    return int(np.floor(top)), int(np.ceil(bottom)), int(np.floor(left)), int(np.ceil(right))


def windows_near(
    seen: tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray],
    pixel: float,
    dx: float,
    shape: tuple[int, int],
    finest: int,
    kept: Mapping[int, GridWindow] = MappingProxyType({}),
) -> list[tuple[int, GridWindow]]:
    """(levels beyond the one that is shown, window of that level) of the patches that would show more.

    seen: kind, depth, column and row of each pixel, as relief.Buffer; pixel: its size at depth 1; dx: metres between
    the samples that are shown; shape: rows and columns of them; finest: so many levels finer there are; kept: windows
    that are there already, which are taken again where they hold what is seen."""
    kind, depth, column, row = (a[::EACH, ::EACH] for a in seen)
    ground = max(1, int((kind == 1).sum()))
    found: list[tuple[int, GridWindow]] = []
    # one of the coarsest cells within the site: the cut sides are those of the coarse land
    around = GridWindow.between(1, shape[0] - 1, 1, shape[1] - 1, shape)
    for k, side in enumerate(SIDES[: max(0, finest)], 1):
        scale = 2**k
        asked = asked_at(depth, kind, pixel, 2 * dx / scale)
        if asked.sum() < LEAST_SEEN * ground or dx / scale < LEAST_SPACING:
            break
        box = box_of(scale * column[asked], scale * row[asked], depth[asked], side - 4 * RIM)
        grid = (scale * (shape[0] - 1) + 1, scale * (shape[1] - 1) + 1)
        inner = around.finer() if k == 1 else around.finer().grown(-2 * RIM)
        assert box is not None  # some pixels ask
        around = _window(box, inner, grid, kept.get(k))
        if min(around.height, around.width) < 2 * RIM + 16:
            break
        found.append((k, around))
    return found


def _window(
    box: tuple[int, int, int, int], inner: GridWindow, grid: tuple[int, int], kept: GridWindow | None
) -> GridWindow:
    """Window of a level that holds a box and its rim, as far as the one around it does; the kept one if it does."""
    top, bottom, left, right = box
    seen = GridWindow.between(top, bottom + 1, left, right + 1, grid)
    if kept is not None and kept.grid == grid and inner.covers(kept) and kept.grown(-RIM).covers(seen):
        return kept
    a, c = ((n - 2 * RIM) // SNAP * SNAP for n in (top, left))
    b, d = (-(-(n + 2 * RIM) // SNAP) * SNAP for n in (bottom, right))
    a, c = max(a, -(-inner.top // SNAP) * SNAP), max(c, -(-inner.left // SNAP) * SNAP)
    b = min(b, (inner.top + inner.height - 1) // SNAP * SNAP)
    d = min(d, (inner.left + inner.width - 1) // SNAP * SNAP)
    return GridWindow(a, c, max(0, b - a + 1), max(0, d - c + 1), *grid)
