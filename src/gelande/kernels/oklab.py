"""Colours by how they look: lightness, saturation and hue in OKLab, where changing one leaves the others."""

from __future__ import annotations

import math

import numpy as np

from .bands import kernel, over_rows

#: Steps in which a colour that no screen can show is brought back by less saturation.
STEPS = 10


@kernel
def lab_of(r, g, b):
    """Linear light to OKLab: lightness, green to red, blue to yellow.

    Parameters
    ----------
    r, g, b :
        linear light, 0 and more.

    Returns
    -------
    (lightness 0 to 1, a, b).

    References
    ----------
    Ottosson, B. (2020): A perceptual color space for image processing.
    """
    x = (0.4122214708 * r + 0.5363325363 * g + 0.0514459929 * b) ** (1.0 / 3.0)
    y = (0.2119034982 * r + 0.6806995451 * g + 0.1073969566 * b) ** (1.0 / 3.0)
    z = (0.0883024619 * r + 0.2817188376 * g + 0.6299787005 * b) ** (1.0 / 3.0)
    light = 0.2104542553 * x + 0.7936177850 * y - 0.0040720468 * z
    return (
        light,
        1.9779984951 * x - 2.4285922050 * y + 0.4505937099 * z,
        0.0259040371 * x + 0.7827717662 * y - 0.8086757660 * z,
    )


@kernel
def light_of(light, a, b):
    """OKLab to linear light, as lab_of.

    Parameters
    ----------
    light, a, b :
        of the colour.

    Returns
    -------
    (r, g, b), below 0 or above 1 where no screen can show the colour.
    """
    x = (light + 0.3963377774 * a + 0.2158037573 * b) ** 3
    y = (light - 0.1055613458 * a - 0.0638541728 * b) ** 3
    z = (light - 0.0894841775 * a - 1.2914855480 * b) ** 3
    return (
        4.0767416621 * x - 3.3077115913 * y + 0.2309699292 * z,
        -1.2684380046 * x + 2.6097574011 * y - 0.3413193965 * z,
        -0.0041960863 * x - 0.7034186147 * y + 1.7076147010 * z,
    )


@kernel
def _shown(light, a, b):
    """Linear light of a colour, with as much of its saturation as a screen can show; its hue and lightness stay."""
    r, g, blue = light_of(light, a, b)
    if min(r, g, blue) >= -1e-6 and max(r, g, blue) <= 1.0 + 1e-6:
        return r, g, blue
    low, high = 0.0, 1.0
    for _ in range(STEPS):
        middle = 0.5 * (low + high)
        r, g, blue = light_of(light, middle * a, middle * b)
        if min(r, g, blue) >= 0.0 and max(r, g, blue) <= 1.0:
            low = middle
        else:
            high = middle
    return light_of(light, low * a, low * b)


@kernel
def _adjust_rows(colour, out, lut, row0, row1, turn_cos, turn_sin, saturation, lighter, contrast):
    last = len(lut) - 1
    for r in range(row0, row1):
        for c in range(colour.shape[1]):
            light, a, b = lab_of(max(0.0, colour[r, c, 0]), max(0.0, colour[r, c, 1]), max(0.0, colour[r, c, 2]))
            a, b = saturation * (a * turn_cos - b * turn_sin), saturation * (a * turn_sin + b * turn_cos)
            light = min(1.0, max(0.0, 0.5 + (light - 0.5) * contrast + lighter))
            at = light * last
            k = min(int(at), last - 1)
            light = lut[k] + (at - k) * (lut[k + 1] - lut[k])
            out[r, c, 0], out[r, c, 1], out[r, c, 2] = _shown(light, a, b)


#: A curve that changes nothing.
STRAIGHT = np.array([0.0, 1.0], np.float32)


def adjusted(
    colour: np.ndarray,
    hue: float = 0.0,
    saturation: float = 1.0,
    lighter: float = 0.0,
    contrast: float = 1.0,
    curve: np.ndarray = STRAIGHT,
    stop=None,
) -> np.ndarray:
    """Colours changed by how they look; hue stays whatever contrast and lightness do.

    Parameters
    ----------
    colour :
        (rows, columns, 3) float32, linear light.
    hue :
        degrees that hues are turned by.
    saturation, contrast :
        factors; contrast about middle lightness.
    lighter :
        added to the lightness, which runs from 0 to 1.
    curve :
        (size,) float32: lightness to lightness, at least two values.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns, 3) float32, linear light, within what a screen can show.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    As lab_of.
    """
    out, turn = np.empty(colour.shape, np.float32), math.radians(hue)
    how = (math.cos(turn), math.sin(turn), float(saturation), float(lighter), float(contrast))
    over_rows(lambda a, b: _adjust_rows(colour, out, curve, a, b, *how), colour.shape[0], stop)
    return np.maximum(out, 0, out=out)
