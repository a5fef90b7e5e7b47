"""Contour lines: GeoPackage and SVG."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from gelande.core.errors import DeliveryError
from gelande.core.recipe import param as P
from gelande.core.recipe.raster import HEIGHT

from ..place import Place, Work
from ..samples import Samples
from . import geopackage
from .writer import Writer

LAYER = "contours"
#: Heights that lines are drawn at, at most.
MOST = 2000

OPTIONS = (
    P.metres("step", "Step", 10, "Height between lines.", (0.1, 10_000), (1, 100)),
    P.count("strong", "Every so many is strong", 5, "Lines that are drawn stronger.", (1, 100), (2, 10)),
)


@dataclass
class Lines:
    """heights: of each line, metres; shapes: (n, 2) metres east and north of the site's south-west corner."""

    heights: np.ndarray
    shapes: list[np.ndarray]


def contours(height: np.ndarray, place: Place, step: float) -> Lines:
    """Lines of equal height, at multiples of a step. Raises DeliveryError when there would be too many."""
    import contourpy

    low, high = float(height.min()), float(height.max())
    first, last = int(np.ceil(low / step)), int(np.floor(high / step))
    if last - first >= MOST:
        raise DeliveryError(
            f"lines every {step:g} m from {low:.0f} to {high:.0f} m are {last - first + 1} heights; "
            "choose a larger step"
        )
    east = place.west + np.arange(height.shape[1]) * place.dx
    north = place.north - np.arange(height.shape[0]) * place.dx
    maker = contourpy.contour_generator(east, north, height.astype(np.float64), line_type="Separate")
    heights: list[float] = []
    shapes: list[np.ndarray] = []
    for k in range(first, last + 1):
        found = [np.asarray(line) for line in maker.lines(k * step) if line is not None and len(line) > 1]
        shapes += found
        heights += [k * step] * len(found)
    return Lines(np.array(heights, np.float64), shapes)


@dataclass(frozen=True)
class Contours(Writer):
    """Lines of equal height."""

    params: tuple[P.Param, ...] = OPTIONS
    group: str = "Made from heights"

    def make(self, folder: Path, stem: str, samples: dict[str, Samples], work: Work, options: dict, span) -> dict:
        step = float(self.option(options, "step"))
        lines = contours(samples[""].all(), work.place, step)
        work.stop.check()
        path = folder / self.names(stem, options)[0]
        self.write_lines(path, lines, work.place, options)
        work.tell(0.7)
        back = self.read_lines(path, work.place)
        same = len(back) == len(lines.shapes) and all(a.shape == b.shape for a, b in zip(back, lines.shapes))
        off = max((float(np.abs(a - b).max()) for a, b in zip(back, lines.shapes)), default=0.0) if same else np.inf
        if off > self.close:
            raise DeliveryError(f"{path.name} does not read back as it was written; nothing was kept.")
        return {
            "samples": list(reversed(work.place.window.shape)),
            "metres_per_sample": work.place.dx,
            "meaning": {"unit": "m", "step": step},
            **({"options": options} if options else {}),
            "lines": len(lines.shapes),
            "largest_rounding_error": off,
            "read_back": f"{len(lines.shapes)} lines, within {self.close:g} m",
        }

    @property
    def close(self) -> float:
        """Metres that a corner may be off."""
        return 1e-6

    def write_lines(self, path: Path, lines: Lines, place: Place, options: dict) -> None:
        """Writes the file."""
        geopackage.write(path, LAYER, geopackage.LINE, lines.shapes, {"height_m": lines.heights}, place)

    def read_lines(self, path: Path, place: Place) -> list[np.ndarray]:
        """The lines of a file, in order."""
        return geopackage.read(path, LAYER, place)


class ContourPicture(Contours):
    """Lines as an SVG of the site, a unit a metre."""

    @property
    def close(self) -> float:
        return 0.006

    def write_lines(self, path: Path, lines: Lines, place: Place, options: dict) -> None:
        step, strong = float(self.option(options, "step")), int(self.option(options, "strong"))
        width, depth = (place.window.width - 1) * place.dx, (place.window.height - 1) * place.dx
        out = [
            f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width:.2f} {depth:.2f}" width="{width:.2f}" '
            f'height="{depth:.2f}">',
            f'<g fill="none" stroke="#6b4f35" stroke-width="{place.dx / 2:.4g}">',
        ]
        for height, xy in zip(lines.heights, lines.shapes):
            ends = " ".join(f"{x - place.west:.2f},{place.north - y:.2f}" for x, y in xy.tolist())
            wide = f' stroke-width="{place.dx:.4g}"' if round(height / step) % strong == 0 else ""
            out.append(f'<polyline{wide} data-height="{height:g}" points="{ends}"/>')
        path.write_text("\n".join([*out, "</g>", "</svg>", ""]), encoding="utf-8")

    def read_lines(self, path: Path, place: Place) -> list[np.ndarray]:
        found = []
        for ends in re.findall(r' points="([^"]*)"', path.read_text(encoding="utf-8")):
            xy = np.array(ends.replace(",", " ").split(), np.float64).reshape(-1, 2)
            found.append(np.stack([xy[:, 0] + place.west, place.north - xy[:, 1]], -1))
        return found


def line_formats() -> tuple[Writer, ...]:
    """All of them."""
    return (
        Contours("contours_gpkg", "Contour lines, GeoPackage", HEIGHT, ".gpkg", 32, floats=True),
        ContourPicture("contours_svg", "Contour lines, SVG", HEIGHT, ".svg", 32, floats=True),
    )
