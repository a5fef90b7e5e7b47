"""The three kinds of data that run along links, and the checks a node's result has to pass."""

from __future__ import annotations

import numpy as np

HEIGHT, MASK, COLOUR = "height", "mask", "colour"
KINDS = (HEIGHT, MASK, COLOUR)
UNITS = {HEIGHT: "m", MASK: "0-1", COLOUR: "linear RGB"}


def expected_shape(kind: str, shape: tuple[int, int]) -> tuple[int, ...]:
    """Array shape of a kind on a grid of this shape."""
    return (*shape, 3) if kind == COLOUR else shape


def checked(kind: str, data: np.ndarray, shape: tuple[int, int]) -> np.ndarray:
    """The array as C-contiguous float32, read-only; masks clamped to 0-1, colours to 0 or more.

    Raises ValueError when the shape is wrong or a sample is not finite."""
    data = np.ascontiguousarray(data, dtype=np.float32)
    if data.shape != expected_shape(kind, shape):
        raise ValueError(f"made {data.shape} samples where {expected_shape(kind, shape)} were due")
    # One dot product tells about every sample: NaN and infinity both survive a sum of squares scaled down.
    with np.errstate(all="ignore"):  # heights so large that their squares overflow are told as well
        sound = np.isfinite(np.dot(data.ravel() * np.float32(1e-12), data.ravel()))
    if not sound:
        raise ValueError("made samples that are not numbers (NaN or infinite)")
    if kind == MASK and data.size and (data.min() < 0 or data.max() > 1):
        data = np.clip(data, 0, 1)
    if kind == COLOUR and data.size and data.min() < 0:
        data = np.maximum(data, 0)
    data.flags.writeable = False
    return data
