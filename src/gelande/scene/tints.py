"""What colours the ground has in the view: its own, a mask as a tint or alone in grey, several masks, a difference."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from gelande.core.recipe.raster import COLOUR, MASK
from gelande.kernels.curves import to_linear

#: Linear colours of a mask tint over plain ground.
MASK_GROUND, MASK_INK = (0.40, 0.39, 0.35), (0.62, 0.17, 0.035)
#: Kinds of data that only the view knows: how one result differs from another, -1 to 1; several masks at once, as
#: (masks, numbers of their tones).
DIFFERENCE, MASKS = "difference", "masks"
#: Linear colours of less, the same and more.
DIFFERENCE_TONES = ((0.02, 0.13, 0.36), MASK_GROUND, MASK_INK)
#: Colours of masks that are shown together, as sRGB 0-255, and which way their hatches run: (rows, columns).
TONES = (
    (186, 78, 38),
    (32, 128, 134),
    (118, 84, 168),
    (208, 160, 28),
    (44, 104, 184),
    (98, 140, 44),
    (180, 58, 118),
    (64, 78, 92),
)
HATCHES = ((1, 1), (1, -1), (0, 1), (1, 0), (1, 2), (2, 1), (1, -2), (2, -1))
#: Stripes of a hatch along the longer side, samples that one is wide at least, and how much paler it is between.
STRIPES, LEAST, PALE = 72, 5.0, 0.42
#: How much of the relief is left in the light when a mask is seen alone in grey.
FAINT = 0.25


def tone_of(number: int) -> tuple[int, int, int]:
    """The colour of the mask with this number, sRGB 0-255."""
    return TONES[number % len(TONES)]


def hatch(shape: tuple[int, int], number: int) -> np.ndarray:
    """Stripes of the mask with this number: 1 on them, 0 between."""
    rows, columns = HATCHES[number % len(HATCHES)]
    r, c = np.arange(shape[0], dtype=np.float32)[:, None], np.arange(shape[1], dtype=np.float32)[None]
    period = max(2 * LEAST, max(shape) / STRIPES) * np.hypot(rows, columns)
    t = ((rows * r + columns * c) / np.float32(period)) % 1
    return np.clip((0.25 - np.abs(t - 0.5)) * np.float32(period / 2) + np.float32(0.5), 0, 1)


def _mixed(ground: np.ndarray, ink: Sequence[float] | np.ndarray, fraction: np.ndarray) -> np.ndarray:
    """A colour, or a picture of colours, with a share of another colour; band by band, which is several times as fast
    as all three at once."""
    out = np.empty((*fraction.shape, 3), np.float32)
    for k in range(3):
        below = ground[..., k]
        out[..., k] = below + fraction * (np.float32(ink[k]) - below)
    return out


def albedo_of(kind: str, data: np.ndarray, tint: float = 1.0, grey: bool = False) -> np.ndarray | None:
    """Linear ground colour: the colour itself, tints where masks are white, None for plain ground. tint: how strong a
    mask's is; grey: the mask alone."""
    plain = np.array(MASK_GROUND, np.float32)
    if kind == COLOUR:
        return data
    if kind == MASK and grey:
        return np.repeat(to_linear(data)[..., None], 3, axis=2) * np.float32(0.9)
    if kind == MASK:
        return _mixed(plain, MASK_INK, np.float32(tint) * data)
    if kind == MASKS:
        (masks, numbers), ground = data, plain
        for mask, number in zip(masks, numbers):
            ink = to_linear(np.array(tone_of(number), np.float32) / np.float32(255))
            strength = np.float32(tint) * (np.float32(1 - PALE) + np.float32(PALE) * hatch(mask.shape, number))
            ground = _mixed(ground, ink, strength * mask)
        return ground
    if kind == DIFFERENCE:
        less, same, more = (np.array(tone, np.float32) for tone in DIFFERENCE_TONES)
        fraction = np.abs(data)[..., None]
        return same + fraction * (np.where(data[..., None] < 0, less, more) - same)
    return None
