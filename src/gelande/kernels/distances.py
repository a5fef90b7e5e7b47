"""Distances to the edge of a mask."""

from __future__ import annotations

import numpy as np
import scipy.ndimage as ndi


def to_edge(mask: np.ndarray, threshold: float, dx: float, most: float) -> np.ndarray:
    """Signed distance to where a mask crosses a grey, by the nearest sample on the other side; where the mask passes
    the grey between samples, the greys on either side say where.

    Parameters
    ----------
    mask :
        (rows, columns) float32, 0 to 1.
    threshold :
        the grey, 0 to 1; what is at least as bright is inside.
    dx :
        metres between samples.
    most :
        metres beyond which no distance counts; also what is told where there is no edge at all.

    Returns
    -------
    (rows, columns) float32, metres: positive outside, negative inside, held within the most.

    References
    ----------
    Felzenszwalb, P. F. and Huttenlocher, D. P. (2012): Distance transforms of sampled functions.
    """
    inside = mask >= np.float32(threshold)
    if inside.all() or not inside.any():
        return np.full(mask.shape, -most if inside.all() else most, np.float32)
    out = ndi.distance_transform_edt(~inside).astype(np.float32)
    within = ndi.distance_transform_edt(inside).astype(np.float32)
    # both count to a sample; the edge lies between, half a sample from either, moved by the grey of the samples there
    signed = np.where(inside, np.float32(0.5) - within, out - np.float32(0.5))
    near = np.abs(signed) < 0.75
    steep = np.hypot(*np.gradient(mask.astype(np.float32)))
    shift = np.clip((np.float32(threshold) - mask) / np.maximum(steep, 1e-3), -1, 1)
    signed = np.where(near & (steep > 0.02), shift, signed)
    return np.clip(signed * np.float32(dx), -most, most).astype(np.float32)
