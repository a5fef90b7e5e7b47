"""What a report about the program needs: its version, those of its parts, the processor."""

from __future__ import annotations

import platform
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path

from gelande import __version__

PARTS = ("numpy", "scipy", "numba", "PyQt6", "rasterio", "pyogrio", "Pillow", "OpenEXR", "trimesh", "dask")
#: Levels of x86-64 and what processors have from there on (psABI 1.0), the highest first.
LEVELS = (
    ("x86-64-v4", ("avx512f", "avx512bw", "avx512cd", "avx512dq", "avx512vl")),
    ("x86-64-v3", ("avx2", "bmi1", "bmi2", "fma", "movbe")),
    ("x86-64-v2", ("ssse3", "sse4_1", "sse4_2", "popcnt", "cx16")),
)


def level(flags: set[str]) -> str:
    """The level of a processor with these flags."""
    for number, (name, needs) in enumerate(LEVELS):
        below = [flag for _, more in LEVELS[number + 1 :] for flag in more]
        if flags.issuperset((*needs, *below)):
            return name
    return "x86-64"


def processor() -> str:
    """The processor in one line."""
    if platform.machine() != "x86_64":
        return platform.machine()
    try:
        text = Path("/proc/cpuinfo").read_text(encoding="utf-8", errors="replace")
    except OSError:
        return "x86-64"
    found = {k.strip(): v.strip() for k, _, v in (line.partition(":") for line in text.splitlines()) if v}
    return f"{level(set(found.get('flags', '').split()))}, {found.get('model name', 'unknown')}"


def versions() -> str:
    """All of it, the program first."""
    lines = [f"Gelande {__version__}"]
    parts = []
    for name in PARTS:
        try:
            parts.append(f"{name} {version(name)}")
        except PackageNotFoundError:
            continue
    lines.append(f"Python {platform.python_version()}, {', '.join(parts)}")
    lines.append(f"{platform.platform()}; {processor()}")
    return "\n".join(lines)
