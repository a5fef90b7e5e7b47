"""What a report about the program needs: its version, those of its parts, the processor."""

from __future__ import annotations

import platform
from importlib.metadata import PackageNotFoundError, version

from gelande import __version__
from gelande.processor import cpuinfo, facts, level

PARTS = ("numpy", "scipy", "numba", "PyQt6", "rasterio", "pyogrio", "Pillow", "OpenEXR", "trimesh", "dask")


def processor() -> str:
    """The processor in one line."""
    if platform.machine() != "x86_64":
        return platform.machine()
    found = facts(cpuinfo())
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
