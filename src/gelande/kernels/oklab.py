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


#: The same matrices in single precision: linear light to cones, their cube roots to OKLab, and both ways back.
_F = np.float32
A0, A1, A2 = _F(0.4122214708), _F(0.5363325363), _F(0.0514459929)
A3, A4, A5 = _F(0.2119034982), _F(0.6806995451), _F(0.1073969566)
A6, A7, A8 = _F(0.0883024619), _F(0.2817188376), _F(0.6299787005)
B0, B1, B2 = _F(0.2104542553), _F(0.7936177850), _F(-0.0040720468)
B3, B4, B5 = _F(1.9779984951), _F(-2.4285922050), _F(0.4505937099)
B6, B7, B8 = _F(0.0259040371), _F(0.7827717662), _F(-0.8086757660)
C0, C1, C2, C3, C4, C5 = (
    *(_F(0.3963377774), _F(0.2158037573)),
    *(_F(-0.1055613458), _F(-0.0638541728)),
    *(_F(-0.0894841775), _F(-1.2914855480)),
)
D0, D1, D2 = _F(4.0767416621), _F(-3.3077115913), _F(0.2309699292)
D3, D4, D5 = _F(-1.2684380046), _F(2.6097574011), _F(-0.3413193965)
D6, D7, D8 = _F(-0.0041960863), _F(-0.7034186147), _F(1.7076147010)
NONE, HALF, WHOLE, TWICE, TINY = _F(0), _F(0.5), _F(1), _F(2), _F(1e-30)


@kernel
def _root(x):
    """The cube root of a number from 0 up: a power near it by square roots, then two of Halley's steps. The loops that
    call it run on several samples at once, which a power does not."""
    quarter = math.sqrt(math.sqrt(x))
    y = quarter * math.sqrt(math.sqrt(quarter))
    cube = y * y * y
    y = y * (cube + TWICE * x) / (TWICE * cube + x + TINY)
    cube = y * y * y
    return y * (cube + TWICE * x) / (TWICE * cube + x + TINY)


@kernel
def _to_lab(colour, r, light, a, b):
    """OKLab of a row of linear light."""
    for c in range(len(light)):
        red, green, blue = max(NONE, colour[r, c, 0]), max(NONE, colour[r, c, 1]), max(NONE, colour[r, c, 2])
        x = _root(A0 * red + A1 * green + A2 * blue)
        y = _root(A3 * red + A4 * green + A5 * blue)
        z = _root(A6 * red + A7 * green + A8 * blue)
        light[c] = B0 * x + B1 * y + B2 * z
        a[c] = B3 * x + B4 * y + B5 * z
        b[c] = B6 * x + B7 * y + B8 * z


@kernel
def _to_light(light, a, b, red, green, blue):
    """Linear light of a row of OKLab."""
    for c in range(len(light)):
        x, y, z = light[c] + C0 * a[c] + C1 * b[c], light[c] + C2 * a[c] + C3 * b[c], light[c] + C4 * a[c] + C5 * b[c]
        x, y, z = x * x * x, y * y * y, z * z * z
        red[c] = D0 * x + D1 * y + D2 * z
        green[c] = D3 * x + D4 * y + D5 * z
        blue[c] = D6 * x + D7 * y + D8 * z


@kernel
def _adjust_rows(colour, out, lut, row0, row1, turn_cos, turn_sin, saturation, lighter, contrast):
    """Rows of colours turned in hue, and changed in saturation, lightness and contrast, in Oklab."""
    count, last = colour.shape[1], len(lut) - 1
    light, a, b = np.empty(count, np.float32), np.empty(count, np.float32), np.empty(count, np.float32)
    red, green, blue = np.empty(count, np.float32), np.empty(count, np.float32), np.empty(count, np.float32)
    for r in range(row0, row1):
        _to_lab(colour, r, light, a, b)
        for c in range(count):
            before = a[c]
            a[c] = saturation * (before * turn_cos - b[c] * turn_sin)
            b[c] = saturation * (before * turn_sin + b[c] * turn_cos)
            light[c] = min(WHOLE, max(NONE, HALF + (light[c] - HALF) * contrast + lighter))
        for c in range(count):
            at = light[c] * last
            k = min(int(at), last - 1)
            light[c] = lut[k] + (at - k) * (lut[k + 1] - lut[k])
        _to_light(light, a, b, red, green, blue)
        for c in range(count):
            if min(red[c], green[c], blue[c]) < -1e-6 or max(red[c], green[c], blue[c]) > 1.0 + 1e-6:
                red[c], green[c], blue[c] = _shown(light[c], a[c], b[c])
            out[r, c, 0], out[r, c, 1], out[r, c, 2] = red[c], green[c], blue[c]


#: A curve that changes nothing.
STRAIGHT = np.array([0.0, 1.0], np.float32)


def adjusted(
    colour: np.ndarray,
    hue: float = 0.0,
    saturation: float = 1.0,
    lighter: float = 0.0,
    contrast: float = 1.0,
    curve: np.ndarray = STRAIGHT,
    stop: np.ndarray | None = None,
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
    how = [np.float32(v) for v in (math.cos(turn), math.sin(turn), saturation, lighter, contrast)]
    over_rows(lambda a, b: _adjust_rows(colour, out, curve, a, b, *how), colour.shape[0], stop)
    return np.maximum(out, 0, out=out)
