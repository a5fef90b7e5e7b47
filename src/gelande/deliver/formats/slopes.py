"""Pictures that are made from heights: normal maps, openness maps and hillshades."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from gelande.core.recipe import param as P
from gelande.core.recipe.raster import HEIGHT
from gelande.kernels.measure import hillshade

from ..place import Place
from ..samples import Made, Samples
from .png import PngFile
from .writer import File, Meaning, Writer

UP, DOWN = "up", "down"


def normals(height: np.ndarray, dx: float, green_up: bool) -> np.ndarray:
    """Normals of a height in tangent space, as shares: 0.5 + n / 2. Red points east; green north, or south. Slopes are
    differences of the two neighbours over two samples, one-sided on the edges.

    height: metres, (rows, columns); dx: metres. Returns (rows, columns, 3) float32."""
    north, east = np.gradient(height.astype(np.float64), dx)
    n = np.stack([-east, north if green_up else -north, np.ones_like(east)], axis=-1)  # rows run south
    n /= np.sqrt((n * n).sum(-1, keepdims=True))
    return (0.5 + n / 2).astype(np.float32)


@dataclass(frozen=True)
class Slopes(Writer):
    """A PNG made from heights. Shares become counts as they are, without the curve of sRGB."""

    group: str = "Made from heights"

    def said(self, options: dict) -> str:
        """What a file says that it is."""
        return f"{self.label.partition(',')[0]}: plain numbers, no colours"

    def margin(self, options: dict, dx: float) -> int:
        return 2

    def begin(self, path: Path, shape: tuple[int, ...], place: Place, m: Meaning, options: dict) -> File:
        return PngFile(path, shape, self.bits, text=self.said(options))

    def plan(self, samples: Samples, options: dict, span: tuple[float, float] | None = None) -> Meaning:
        step = 1 / (2**self.bits - 1)
        return Meaning(0.0, 1.0, step, step / 2, "share")


@dataclass(frozen=True)
class NormalMap(Slopes):
    """A normal map in tangent space."""

    params: tuple[P.Param, ...] = (
        P.choice(
            "green",
            "Green points",
            UP,
            ((UP, "Up (OpenGL)"), (DOWN, "Down (DirectX)")),
            "Which way a slope that looks north is told by green.",
        ),
    )

    def said(self, options: dict) -> str:
        way = "up (OpenGL)" if self.option(options, "green") == UP else "down (DirectX)"
        return f"Normal map in tangent space: plain numbers, red points east, green points {way}"

    def seen(self, samples: dict[str, Samples], place: Place, options: dict) -> Samples:
        up = self.option(options, "green") == UP
        return Made(samples[""], place.window, 2, 3, lambda rows: normals(rows, place.dx, up))


@dataclass(frozen=True)
class Hillshade(Slopes):
    """The land lit by a low sun, as maps have it."""

    params: tuple[P.Param, ...] = (
        P.degrees("azimuth", "Light from", 315, "Clockwise from north.", (0, 360)),
        P.degrees("elevation", "Light's height", 42, "Above the horizon.", (1, 90)),
    )

    def seen(self, samples: dict[str, Samples], place: Place, options: dict) -> Samples:
        a, e = float(self.option(options, "azimuth")), float(self.option(options, "elevation"))
        return Made(samples[""], place.window, 2, 0, lambda rows: np.clip(hillshade(rows, place.dx, a, e), 0, 1))


@dataclass(frozen=True)
class OpennessMap(Slopes):
    """Fraction of the sky that each place sees, as a node of that name finds it: white sees all of it."""

    params: tuple[P.Param, ...] = (
        P.metres("radius", "Radius", 300, "How far hills are looked for.", (1, 20_000), (120, 1500), 0),
    )

    def margin(self, options: dict, dx: float) -> int:
        return 0

    def through(self, options: dict) -> tuple[str, dict]:
        return "openness", {"side": "open", "horizon": float(self.option(options, "radius")), "full": 1.0}


def slope_formats() -> tuple[Writer, ...]:
    """All of them."""
    return (
        NormalMap("normal_png8", "Normal map, PNG 8-bit", HEIGHT, ".png", 8),
        NormalMap("normal_png16", "Normal map, PNG 16-bit", HEIGHT, ".png", 16),
        OpennessMap("openness_png8", "Openness map, PNG 8-bit", HEIGHT, ".png", 8),
        OpennessMap("openness_png16", "Openness map, PNG 16-bit", HEIGHT, ".png", 16),
        Hillshade("hillshade_png8", "Hillshade, PNG 8-bit", HEIGHT, ".png", 8),
    )
