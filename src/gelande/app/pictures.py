"""Small pictures of results: thumbnails of cards, histograms of the bench."""

from __future__ import annotations

import numpy as np
from PyQt6.QtGui import QImage

from gelande.core.recipe.raster import COLOUR, HEIGHT
from gelande.core.recipe.site import Site
from gelande.kernels.curves import to_srgb
from gelande.kernels.light import lit_textures
from gelande.kernels.measure import hillshade, slope_degrees

SIZE = 129
#: The sun over cards: azimuth and height in degrees. Low land is drawn higher, up to so much of its width, but at most
#: so many times.
SUN, RISE, LIFT = (318.0, 40.0), 0.18, 6.0


def image_of(rgb: np.ndarray) -> QImage:
    """A picture that owns its bytes, from (rows, columns, 3) or (rows, columns) of bytes."""
    if rgb.ndim == 2:
        rgb = np.repeat(rgb[..., None], 3, 2)
    rgb = np.ascontiguousarray(rgb, np.uint8)
    return QImage(rgb.data, rgb.shape[1], rgb.shape[0], rgb.shape[1] * 3, QImage.Format.Format_RGB888).copy()


def square(a: np.ndarray) -> np.ndarray:
    """About SIZE samples a side: every n-th sample of the largest square in the middle."""
    side = min(a.shape[:2])
    r, c = (a.shape[0] - side) // 2, (a.shape[1] - side) // 2
    pick = np.linspace(0, side - 1, min(SIZE, side)).round().astype(int)
    return a[r + pick][:, c + pick]


def thumbnail(kind: str, data: np.ndarray, dx: float, site: Site, under: np.ndarray | None = None) -> QImage:
    """A card's picture: lit land for height, grey for mask, colour (shaded by the ground under it) for colour. under:
    the ground's height."""
    if kind == HEIGHT:
        seen = np.ascontiguousarray(square(data), np.float32)
        wide = dx * (min(data.shape) - 1)
        lift = min(LIFT, max(1.0, RISE * dx * max(data.shape) / max(float(np.ptp(data)), 1e-3)))
        lit = lit_textures(seen * np.float32(lift), wide / (len(seen) - 1), *SUN, None, 0.12 * wide, bare_as=site.bare)
        return image_of(lit[0][..., :3])
    if kind == COLOUR:
        rgb = to_srgb(square(data)) * 255
        if under is not None:
            rgb = rgb * (0.45 + 0.75 * square(hillshade(under, dx, exaggeration=2.0))[..., None])
        return image_of(np.clip(rgb, 0, 255))
    return image_of(square(data) * 255)


def histogram(height: np.ndarray, dx: float, site: Site) -> tuple[tuple, tuple]:
    """Histograms of height and slope: (low, high, counts 0-1) each."""
    slope = slope_degrees(height, dx, site.slope_baseline)

    def one(values: np.ndarray, low: float, high: float) -> tuple[float, float, np.ndarray]:
        counts, _ = np.histogram(values, bins=64, range=(low, high if high > low else low + 1))
        return low, high if high > low else low + 1.0, counts / max(1, counts.max())

    return one(height, float(height.min()), float(height.max())), one(slope, 0.0, 90.0)
