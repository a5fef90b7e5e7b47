"""Ramps in files of other programs: GIMP gradients (.ggr), GIMP palettes (.gpl) and GMT colour tables (.cpt)."""

from __future__ import annotations

import math
import re
from pathlib import Path

from ..errors import GelandeError
from ..files.disk import write_text
from ..words import clean

Stop = tuple[float, float, float, float]
SUFFIXES = (".ggr", ".gpl", ".cpt")
#: Bytes that such a file may have, and stops that a ramp keeps.
LARGEST, MOST = 1_000_000, 64


class RampFileError(GelandeError):
    """Why a file holds no ramp that can be used, in one sentence."""


def read(path: Path) -> tuple[Stop, ...]:
    """The colour stops of a file: (position 0-1, red, green, blue), sRGB 0-1. Raises RampFileError."""
    path = Path(path)
    readers = {".ggr": _read_gradient, ".gpl": _read_palette, ".cpt": _read_table}
    reader = readers.get(path.suffix.lower())
    if reader is None:
        raise RampFileError(f"{path.name} is no ramp; .ggr, .gpl and .cpt files can be read.")
    try:
        if not path.is_file():
            raise RampFileError(f"{path.name} is not there ({path.parent}); choose the file again.")
        if path.stat().st_size > LARGEST:
            raise RampFileError(f"{path.name} is too large for a ramp.")
        lines = path.read_text("utf-8", errors="replace").splitlines()
        stops = reader(lines)
    except OSError as error:
        raise RampFileError(
            f"{path.name} cannot be read: {(error.strerror or 'the disk reports an error').lower()}."
        ) from None
    except (ValueError, IndexError):
        raise RampFileError(f"{path.name} cannot be read as a ramp; it may be damaged or of another format.") from None
    if len(stops) < 2 or not all(math.isfinite(v) for stop in stops for v in stop):
        raise RampFileError(f"{path.name} holds fewer than two colours.")
    kept = stops if len(stops) <= MOST else [stops[round(k * (len(stops) - 1) / (MOST - 1))] for k in range(MOST)]
    return tuple(tuple(min(1.0, max(0.0, float(v))) for v in stop) for stop in kept)  # type: ignore[misc]


def write(path: Path, stops, name: str = "Ramp") -> None:
    """Writes a ramp in the format that the file's ending says. Raises RampFileError or OSError."""
    path = Path(path)
    writers = {".ggr": _gradient, ".gpl": _palette, ".cpt": _table}
    writer = writers.get(path.suffix.lower())
    if writer is None:
        raise RampFileError(f"{path.name} has no ending of a ramp; use .ggr, .gpl or .cpt.")
    write_text(path, writer(list(stops), clean(name, 60)))


def _joined(found: list[Stop]) -> list[Stop]:
    """Stops without those that say the same twice."""
    kept: list[Stop] = []
    for stop in sorted(found, key=lambda s: s[0]):
        if not kept or any(abs(a - b) > 1e-6 for a, b in zip(stop, kept[-1])):
            kept.append(stop)
    return kept


def _read_gradient(lines: list[str]) -> list[Stop]:
    if lines[0].strip() != "GIMP Gradient":
        raise ValueError
    found: list[Stop] = []
    for line in lines[2:] if not lines[1].startswith("Name") else lines[3:]:
        v = [float(x) for x in line.split()]
        if len(v) < 11:
            continue
        left, middle, right = v[:3]
        first, last = v[3:6], v[7:10]
        found.append((left, first[0], first[1], first[2]))
        if abs(middle - (left + right) / 2) > 1e-3:
            found.append((middle, *((a + b) / 2 for a, b in zip(first, last))))  # type: ignore[arg-type]
        found.append((right, last[0], last[1], last[2]))
    return _joined(found)


def _gradient(stops: list[Stop], name: str) -> str:
    stops = _ended(stops)
    rows = [f"{len(stops) - 1}"]
    for a, b in zip(stops, stops[1:]):
        values = (a[0], (a[0] + b[0]) / 2, b[0], *a[1:], 1.0, *b[1:], 1.0)
        rows.append(" ".join(f"{v:.6f}" for v in values) + " 0 0 0 0")
    return "\n".join(["GIMP Gradient", f"Name: {name}", *rows]) + "\n"


def _ended(stops: list[Stop]) -> list[Stop]:
    """Stops from 0 to 1: the outer colours go on to the ends."""
    first, last = stops[0], stops[-1]
    found = [(0.0, *first[1:])] if first[0] > 1e-6 else []
    return [*found, *stops, *([(1.0, *last[1:])] if last[0] < 1 - 1e-6 else [])]


def _read_palette(lines: list[str]) -> list[Stop]:
    if lines[0].strip() != "GIMP Palette":
        raise ValueError
    tones = []
    for line in lines[1:]:
        match = re.match(r"\s*(\d+)\s+(\d+)\s+(\d+)", line)
        if match:
            tones.append(tuple(min(255, int(v)) / 255 for v in match.groups()))
    return [(k / max(1, len(tones) - 1), *tone) for k, tone in enumerate(tones)]  # type: ignore[misc]


def _palette(stops: list[Stop], name: str) -> str:
    """Sixteen colours at equal distances when the stops are not, else the stops."""
    even = all(abs(s[0] - k / (len(stops) - 1)) < 1e-3 for k, s in enumerate(stops))
    from gelande.kernels.curves import ramp_at

    tones = [s[1:] for s in stops] if even else [ramp_at(stops, k / 15) for k in range(16)]
    rows = [" ".join(f"{round(v * 255):3d}" for v in tone) + f"\t{k + 1}" for k, tone in enumerate(tones)]
    return "\n".join(["GIMP Palette", f"Name: {name}", f"Columns: {len(rows)}", "#", *rows]) + "\n"


def _read_table(lines: list[str]) -> list[Stop]:
    found: list[Stop] = []
    for line in lines:
        if line.startswith("#"):
            if "COLOR_MODEL" in line and "RGB" not in line.upper():
                raise ValueError
            continue
        text = re.split(r"[;#]", line)[0].replace("/", " ").split()
        if len(text) < 8 or text[0] in ("B", "F", "N"):
            continue
        v = [float(x) for x in text[:8]]
        found += [(v[0], *(c / 255 for c in v[1:4])), (v[4], *(c / 255 for c in v[5:8]))]  # type: ignore[list-item]
    low, high = min(s[0] for s in found), max(s[0] for s in found)
    return _joined([((s[0] - low) / max(high - low, 1e-9), *s[1:]) for s in found])


def _table(stops: list[Stop], name: str) -> str:
    stops = _ended(stops)
    rows = []
    for a, b in zip(stops, stops[1:]):
        ends = (f"{s[0]:.6f} " + "/".join(f"{round(v * 255)}" for v in s[1:]) for s in (a, b))
        rows.append(" ".join(ends))
    tones = ["/".join(f"{round(v * 255)}" for v in s[1:]) for s in (stops[0], stops[-1])]
    return "\n".join([f"# {name}", "# COLOR_MODEL = RGB", *rows, f"B {tones[0]}", f"F {tones[1]}"]) + "\n"
