"""Round numbers for scales and legends."""

import math


def round_up(value: float) -> float:
    """The next larger 1, 2 or 5 times a power of ten; 1 for nothing."""
    if value <= 0:
        return 1.0
    power = 10.0 ** math.floor(math.log10(value))
    return next(m * power for m in (1, 2, 5, 10) if m * power >= value * 0.999)


def nice_interval(span: float) -> float:
    """A contour interval of 1, 2, 2.5 or 5 times a power of ten that gives about 15 to 20 lines."""
    raw = max(span, 1e-3) / 21
    power = 10 ** math.floor(math.log10(raw))
    return next(m * power for m in (1, 2, 2.5, 5, 10) if m * power >= raw)
