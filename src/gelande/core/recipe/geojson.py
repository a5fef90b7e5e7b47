"""Areas from elsewhere: GeoJSON files in the site's metres, and the outlines of a mask."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np

from ..errors import RecipeError
from .recipefile import parsed_json, read_text
from .site import Site

#: Corners that an area taken from elsewhere may have, outlines of a mask that are kept, and how far a simplified one
#: may lie from it, in samples.
MOST_CORNERS, MOST_PIECES, NEAR = 2000, 60, 0.6


def read(path: Path) -> tuple:
    """The outlines of a GeoJSON file, as a kept area has them: polygons in metres east and north of the site's
    south-west corner, holes cut out. Raises RecipeError with one sentence."""
    block = parsed_json(read_text(Path(path), "GeoJSON file"), "GeoJSON file")
    pieces = [piece for polygon in _polygons(block) for piece in _pieces(polygon, Path(path).name)]
    if not pieces:
        raise RecipeError(f"{Path(path).name} holds no polygon; an area is a Polygon or MultiPolygon in metres.")
    return tuple(pieces)


def _polygons(block: Any) -> list:
    """Rings of every polygon in a GeoJSON block."""
    if not isinstance(block, dict):
        return []
    kind = block.get("type")
    inner = {"FeatureCollection": "features", "GeometryCollection": "geometries"}.get(str(kind))
    if inner is not None:
        parts = block.get(inner)
        return [p for part in (parts if isinstance(parts, list) else []) for p in _polygons(part)]
    if kind == "Feature":
        return _polygons(block.get("geometry"))
    found = block.get("coordinates")
    if not isinstance(found, list):
        return []
    return [found] if kind == "Polygon" else found if kind == "MultiPolygon" else []


def _pieces(polygon: Any, name: str) -> list[tuple]:
    found = []
    for k, ring in enumerate(polygon if isinstance(polygon, list) else []):
        try:
            points = np.array([[float(v) for v in point[:2]] for point in ring], np.float64).reshape(-1, 2)
        except (TypeError, ValueError, IndexError):
            raise RecipeError(f"{name}: a polygon's corner is not two numbers.") from None
        if len(points) > MOST_CORNERS:
            raise RecipeError(f"{name}: a polygon has {len(points)} corners, more than the {MOST_CORNERS} allowed.")
        if len(points) > 1 and (points[0] == points[-1]).all():
            points = points[:-1]
        if len(points) > 2:
            found.append((False, k > 0, tuple((float(e), float(n)) for e, n in points)))
    return found


def written(outlines: tuple, name: str = "") -> str:
    """Outlines as GeoJSON text, in the site's metres. Curved ones become lines of short pieces."""
    from gelande.kernels.shapes import closed_curve

    polygons: list[list] = []
    for curved, cut, points in outlines:
        line = [[round(float(v), 2) for v in p] for p in (closed_curve(points) if curved else points)]
        ring = [*line, line[0]]
        if cut and polygons:
            polygons[-1].append(ring)
        else:
            polygons.append([ring])
    geometry = {"type": "MultiPolygon", "coordinates": polygons}
    return json.dumps({"type": "Feature", "properties": {"name": name}, "geometry": geometry}) + "\n"


def of_mask(mask: np.ndarray, site: Site, level: int) -> tuple:
    """Outlines around what is at least half white in a mask of a level, holes cut out. Raises RecipeError when there is
    nothing to go around."""
    from contourpy import FillType, contour_generator

    dx, rows = site.spacing(level), mask.shape[0]
    framed = np.pad(mask.astype(np.float64), 1)  # what reaches the edge is closed there
    found = contour_generator(z=framed, fill_type=FillType.OuterOffset).filled(0.5, np.inf)
    polygons, offsets = found[0], found[1]
    pieces: list[tuple[float, tuple]] = []
    for points, starts in zip(polygons, offsets):
        if points is None or starts is None:
            continue
        for k, (a, b) in enumerate(zip(starts[:-1], starts[1:])):
            ring = _simple(np.asarray(points[a : b - 1], np.float64))
            if len(ring) < 3:
                continue
            x, y = ring.T
            size = abs(float(np.dot(x, np.roll(y, 1)) - np.dot(y, np.roll(x, 1)))) / 2
            line = tuple((float((e - 1) * dx), float((rows - n) * dx)) for e, n in ring)
            pieces.append((size, (False, k > 0, line)))
    largest = {id(p): None for _, p in sorted(pieces, key=lambda s: -s[0])[:MOST_PIECES]}
    kept = tuple(p for _, p in pieces if id(p) in largest)
    if not any(not cut for _, cut, _ in kept):
        raise RecipeError("The mask is white nowhere in this variant; there is no area to keep.")
    return kept


def _simple(ring: np.ndarray) -> np.ndarray:
    """A ring without the corners that matter little (Douglas and Peucker 1973)."""
    if len(ring) < 4:
        return ring
    far = int(np.hypot(*(ring - ring[0]).T).argmax())
    kept, todo = {0, far}, [(0, far), (far, len(ring))]
    closed = np.concatenate([ring, ring[:1]])
    while todo:
        first, last = todo.pop()
        if last - first < 2:
            continue
        a, along, between = closed[first], closed[last] - closed[first], closed[first + 1 : last]
        length = max(float(np.hypot(*along)), 1e-9)
        away = np.abs((between[:, 0] - a[0]) * along[1] - (between[:, 1] - a[1]) * along[0]) / length
        k = int(away.argmax())
        if away[k] > NEAR:
            kept.add(first + 1 + k)
            todo += [(first, first + 1 + k), (first + 1 + k, last)]
    return ring[sorted(k for k in kept if k < len(ring))]
