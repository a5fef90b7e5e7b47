"""Pictures of nodes, one a kind."""

from __future__ import annotations

from pathlib import Path

from gelande.core.recipe.packages import package_of

HERE = Path(__file__).parent / "gallery"


def picture_of(kind: str) -> Path:
    """Where the picture of a kind of node lies, if there is one: of another package's in its folder ``gallery``."""
    package = package_of(kind)
    if package is None or package.folder is None:
        return HERE / f"{kind}.png"
    return package.folder / "gallery" / f"{kind.rpartition('.')[2]}.png"
