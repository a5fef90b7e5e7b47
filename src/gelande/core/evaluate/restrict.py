"""Where, Amount and Finish: what the engine does with every node's raw result, once for all nodes."""

from __future__ import annotations

from typing import Any

import numpy as np

from gelande.kernels.grid_window import GridWindow
from gelande.kernels.measure import band, rise, slope_degrees
from gelande.kernels.oklab import adjusted
from gelande.kernels.relief import facing_fraction

from ..errors import GelandeError
from ..recipe.node import GROUND_PORT, WHERE_ALL, WHERE_FACING, WHERE_HEIGHT, WHERE_MASK, WHERE_SLOPE
from ..recipe.raster import COLOUR, HEIGHT, MASK
from ..recipe.site import Site

#: Settings of Where that look at the ground.
BY_GROUND = (WHERE_HEIGHT, WHERE_SLOPE, WHERE_FACING)
#: Those that look at the ground around a sample, as far as slope is measured.
BY_RISE = (WHERE_SLOPE, WHERE_FACING)
#: Degrees of slope up to which ground faces nowhere; it fades in over the half below.
FACES = 4.0
#: What a colour node without anything underneath is blended with: middle grey, linear.
GREY = np.float32(0.18)


def rise_over(values: dict, site: Site) -> float:
    """Distance in metres over which Where measures slope, or where ground faces."""
    if values.get("where") == WHERE_SLOPE:
        return values["where_slope_over"]
    return site.slope_baseline


def weight(
    values: dict,
    height: np.ndarray | None,
    mask: np.ndarray | None,
    site: Site,
    level: int,
    window: GridWindow | None = None,
    held: GridWindow | None = None,
) -> np.ndarray | np.floating:
    """Weight of the node at each sample of a window, 0 to 1; a plain number when it is the same everywhere.

    values: the node's parameters; mask: on the window; height: on ``held``, which is larger where slope is measured;
    both are the whole grid when left out."""
    where, amount = values.get("where", WHERE_ALL), np.float32(values.get("amount", 1.0))
    if where == WHERE_ALL:
        return amount
    if where in BY_GROUND and height is None:
        raise GelandeError(
            f"Where is set to {where} and has no ground to read it from; link a height to its {GROUND_PORT.label} "
            "or to another height input"
        )
    result: np.ndarray | np.floating | None = None
    if where == WHERE_HEIGHT and height is not None:
        result = band(height, values["where_low"], values["where_high"], values["where_falloff"])
    elif where == WHERE_SLOPE and height is not None:
        slope = slope_degrees(height, site.spacing(level), rise_over(values, site), None, held)
        slope = window.cut(slope, held) if window and held else slope
        result = band(slope, values["where_slope_low"], values["where_slope_high"], values["where_slope_falloff"])
    elif where == WHERE_FACING and height is not None:
        parts = rise(height, site.spacing(level), rise_over(values, site), None, held)
        south, east = (window.cut(a, held) if window and held else a for a in parts)
        sector = (values["where_facing"], values["where_facing_width"], values["where_facing_falloff"])
        result = facing_fraction(south, east, *sector, FACES)
    if mask is not None:
        result = mask if result is None else result * mask
    if result is None:
        result = np.float32(0.0 if where == WHERE_MASK else 1.0)
    if values.get("where_invert"):
        result = np.float32(1) - result
    return result * amount


def blend(kind: str, raw: np.ndarray, base: Any, fraction: Any) -> np.ndarray:
    """base + share * (raw - base); without a base, colour blends with grey, and mask and height with nothing (0)."""
    if np.ndim(fraction) == 0 and fraction == 1:
        return raw
    if kind == COLOUR and np.ndim(fraction) == 2:
        fraction = fraction[..., None]
    if base is None:
        base = GREY if kind == COLOUR else np.float32(0)
    return base + fraction * (raw - base)


#: Share of a range at its ends within which what lies beyond is drawn in.
KNEE = 0.02


def _within(fraction: np.ndarray, low: bool, high: bool) -> np.ndarray:
    """Shares of a range kept inside 0 to 1, whatever they are: a soft knee in the last part, steady in value and
    slope. Finer details reach a little beyond the extremes that a range was measured on."""
    k = np.float32(KNEE)
    if high:
        fraction = np.where(fraction > 1 - k, 1 - k * np.exp(np.minimum((1 - k - fraction) / k, 0)), fraction)
    if low:
        fraction = np.where(fraction < k, k * np.exp(np.minimum((fraction - k) / k, 0)), fraction)
    return fraction.astype(np.float32)


def finish(kind: str, values: dict, data: np.ndarray, low: float, high: float) -> np.ndarray:
    """Stretch to range, Invert, Rest on zero; of colours lightness, contrast and saturation. low, high: the data's
    extremes at the figures level, which colours do not ask for."""
    if kind == COLOUR:
        how = (values.get("saturation_times", 1.0), values.get("lightness_by", 0.0), values.get("contrast_times", 1.0))
        return adjusted(data, 0.0, *how) if how != (1.0, 0.0, 1.0) else data
    if values.get("stretch"):
        to_low, to_high = (values["stretch_low"], values["stretch_high"]) if kind == HEIGHT else (0.0, 1.0)
        span = high - low
        fraction = (data - np.float32(low)) * np.float32(1 / span if span > 1e-9 else 0.0)
        if kind == HEIGHT and span > 1e-9:
            fraction = _within(fraction, True, True)
        data = np.float32(to_low) + fraction * np.float32(to_high - to_low)
        low, high = (min(to_low, to_high), max(to_low, to_high)) if span > 1e-9 else (to_low, to_low)
    if values.get("invert"):
        data = (np.float32(1) if kind == MASK else np.float32(low + high)) - data
    if values.get("rest_on_zero"):
        span = max(high - low, 1e-6)
        data = _within((data - np.float32(low)) * np.float32(1 / span), True, False) * np.float32(span)
    return data


#: Settings of Where by what it restricts by, and those of a stretched result.
_OF_WHERE = {
    WHERE_HEIGHT: ("where_low", "where_high", "where_falloff"),
    WHERE_SLOPE: ("where_slope_low", "where_slope_high", "where_slope_falloff", "where_slope_over"),
    WHERE_FACING: ("where_facing", "where_facing_width", "where_facing_falloff"),
}
_OF_STRETCH = ("stretch_low", "stretch_high")
#: Settings of Finish and Amount, and the values at which they change nothing.
_IDLE = {
    "amount": 1.0,
    "stretch": False,
    "invert": False,
    "rest_on_zero": False,
    "lightness_by": 0.0,
    "contrast_times": 1.0,
    "saturation_times": 1.0,
}


def in_effect(values: dict) -> dict:
    """The settings of Where, Amount and Finish that change a result as they are set; nothing for a plain node."""
    found = {name: values[name] for name, idle in _IDLE.items() if values.get(name, idle) != idle}
    if "stretch" in found:
        found.update({name: values.get(name) for name in _OF_STRETCH})
    where = values.get("where", WHERE_ALL)
    if where != WHERE_ALL:
        names = ("where", "where_invert", *_OF_WHERE.get(where, ()))
        found.update({name: values.get(name) for name in names})
    return found


def needs_range(values: dict) -> bool:
    """True when Finish asks for the extremes of what it works on."""
    return bool(values.get("stretch") or values.get("invert") or values.get("rest_on_zero"))


def needs_finish(values: dict) -> bool:
    """True when Finish changes anything."""
    toned = values.get("lightness_by", 0.0) != 0 or any(
        values.get(name, 1.0) != 1 for name in ("contrast_times", "saturation_times")
    )
    return needs_range(values) or toned
