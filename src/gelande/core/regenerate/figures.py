"""Figures of a landscape that tell whether it works in a game: relief, walkable ground, flat ground, water, streams,
what is seen from where."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from gelande.kernels.flow import longest_stream
from gelande.kernels.measure import slope_degrees

from ..recipe.choices import FigureChoice, Measures
from ..recipe.site import Site

#: Hectares that a piece of flat ground has at least, to be built on.
PLOT = 0.2
#: What figures go by when a recipe does not say.
PLAIN = Measures()
#: Metres that an eye is above the ground.
EYE = 1.7


@dataclass(frozen=True)
class Ground:
    """Land that figures are taken from. slope: degrees; dry: neither sea nor standing water."""

    height: np.ndarray
    slope: np.ndarray
    dry: np.ndarray
    dx: float
    site: Site
    measures: Measures

    @property
    def hectares(self) -> float:
        """Of one sample."""
        return self.site.width * self.site.depth / 10_000 / self.height.size


def _pieces(where: np.ndarray) -> np.ndarray:
    """Samples of each connected piece."""
    from scipy.ndimage import label  # heavy to import

    found, count = label(where)
    return np.bincount(found.ravel(), minlength=count + 1)[1:]


def _walkable(g: Ground) -> float:
    return float((g.slope[g.dry] < g.measures.walkable).sum() / max(int(g.dry.sum()), 1))


def _largest(g: Ground) -> float:
    pieces = _pieces(g.dry & (g.slope < g.measures.walkable))
    return float(pieces.max(initial=0) * g.hectares)


def _flat(g: Ground) -> float:
    pieces = _pieces(g.dry & (g.slope < g.measures.flat)) * g.hectares
    return float(pieces[pieces >= PLOT].sum())


def _sight(g: Ground) -> float | None:
    """Metres by which the line from eye to eye clears the ground; below zero it is hidden. None without pins."""
    if len(g.measures.pins) < 2:
        return None
    (x0, y0), (x1, y1) = g.measures.pins
    count = max(2, int(np.hypot(x1 - x0, y1 - y0) / g.dx * 2) + 1)
    t = np.linspace(0, 1, count)
    rows, columns = g.height.shape
    y = np.clip((g.site.depth - (y0 + (y1 - y0) * t)) / g.dx, 0, rows - 1)
    x = np.clip((x0 + (x1 - x0) * t) / g.dx, 0, columns - 1)
    r, c = np.minimum(y.astype(int), rows - 2), np.minimum(x.astype(int), columns - 2)
    u, v = y - r, x - c
    h = g.height
    ground = (1 - u) * ((1 - v) * h[r, c] + v * h[r, c + 1]) + u * ((1 - v) * h[r + 1, c] + v * h[r + 1, c + 1])
    line = ground[0] + EYE + (ground[-1] - ground[0]) * t
    return float((line - ground).min())


def _sight_text(value: float) -> str:
    return "clear" if value >= 0 else f"hidden by {-value:.0f} m"


def _area(value: float) -> str:
    """Hectares, or square kilometres where there are many."""
    if value >= 10_000:
        return f"{value / 100:.0f} km²"
    return f"{value:.0f} ha" if value >= 1000 else f"{value:.1f} ha"


@dataclass(frozen=True)
class Figure:
    """One figure: its name, how it is found and told. factor: from what people type as a limit to what is stored; unit:
    of what they type."""

    label: str
    find: Callable[[Ground], float | None]
    text: Callable[[float], str]
    unit: str = "m"
    factor: float = 1.0


FIGURES: dict[str, Figure] = {
    "walkable": Figure("Walkable share", _walkable, lambda v: f"{v * 100:.0f} %", "%", 0.01),
    "area": Figure("Largest walkable area", _largest, _area, "ha"),
    "flat": Figure("Flat building ground", _flat, _area, "ha"),
    "water": Figure("Open water", lambda g: float((~g.dry).sum() * g.hectares), _area, "ha"),
    "stream": Figure(
        "Longest stream",
        lambda g: longest_stream(g.height, g.dx, g.site.width * g.site.depth / 400),
        lambda v: f"{v / 1000:.1f} km",
        "km",
        1000.0,
    ),
    "relief": Figure("Relief", lambda g: float(g.height.max() - g.height.min()), lambda v: f"{v:.0f} m"),
    "highest": Figure("Highest point", lambda g: float(g.height.max()), lambda v: f"{v:.0f} m"),
    "lowest": Figure("Lowest point", lambda g: float(g.height.min()), lambda v: f"{v:.0f} m"),
    "steepest": Figure("Steepest face", lambda g: float(g.slope.max()), lambda v: f"{v:.0f}°", "°"),
    "sight": Figure("Line of sight", _sight, _sight_text, "m clear"),
}
#: What is shown of a recipe that names none.
USUAL = tuple(FigureChoice(f) for f in ("relief", "walkable", "area", "flat", "water", "stream"))


def label_of(figure: str, measures: Measures) -> str:
    """A figure's name, with the slope that it goes by."""
    degrees = {"walkable": measures.walkable, "area": measures.walkable, "flat": measures.flat}.get(figure)
    return FIGURES[figure].label + (f" (under {degrees:g}°)" if degrees is not None and figure != "area" else "")


def limit_text(choice: FigureChoice) -> str:
    """A figure's limits, as people read them; "" when it has none."""
    figure = FIGURES[choice.figure]
    low, high = (None if v is None else f"{v / figure.factor:g} {figure.unit}" for v in (choice.low, choice.high))
    if low and high:
        return f"{low} to {high}"
    return f"at least {low}" if low else f"at most {high}" if high else ""


@dataclass(frozen=True)
class Figures:
    """Values by figure; None where there is nothing to measure."""

    values: dict[str, float | None] = field(default_factory=dict)

    def text(self, figure: str) -> str:
        """A value with its unit."""
        value = self.values.get(figure)
        return "no pins" if value is None else FIGURES[figure].text(value)

    def misses(self, choices: tuple[FigureChoice, ...]) -> list[str]:
        """Figures that are outside their limits."""
        return [c.figure for c in choices if not c.fits(self.values.get(c.figure))]


def figures_of(
    height: np.ndarray, site: Site, level: int, water: np.ndarray | None = None, measures: Measures = PLAIN
) -> Figures:
    """Figures of a height at a level; water: depth of lakes and streams over it in metres, or None. Slopes are
    measured over 1/128 of the site's long side."""
    dx = site.spacing(level)
    slope = slope_degrees(height, dx, site.slope_baseline)
    dry = height >= (-np.inf if site.sea is None else site.sea)
    if water is not None:
        dry &= water < 0.05
    ground = Ground(height, slope, dry, dx, site, measures)
    return Figures({name: figure.find(ground) for name, figure in FIGURES.items()})
