"""Small pictures of recipes: of the examples shipped with them, of others kept in the state folder."""

from __future__ import annotations

import hashlib
from pathlib import Path

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QImage, QPixmap

from gelande.places import examples_folder, state_folder

SIZE = QSize(240, 150)
#: Pictures of other recipes that are kept, the newest.
MOST = 60


def _file(path: Path) -> Path:
    name = hashlib.sha256(str(Path(path).resolve()).encode()).hexdigest()[:24]
    return state_folder() / "thumbnails" / f"{name}.png"


def picture_file(path: Path) -> Path | None:
    """The picture of a recipe, when there is one that is not older than it by its own save."""
    path = Path(path)
    beside = path.with_suffix(".png")
    if path.parent == examples_folder() and beside.exists():
        return beside
    kept = _file(path)
    return kept if kept.exists() else None


def picture(path: Path, width: int = SIZE.width(), height: int = SIZE.height(), scale: float = 1.0) -> QPixmap:
    """The picture of a recipe in a size; a null one when there is none."""
    file = picture_file(path)
    found = QPixmap(str(file)) if file else QPixmap()
    if found.isNull():
        return found
    return fitted(found, width, height, scale)


def fitted(found: QPixmap, width: int, height: int, scale: float = 1.0) -> QPixmap:
    """A picture that fills a size, cut at its edges."""
    w, h = round(width * scale), round(height * scale)
    found = found.scaled(
        w, h, Qt.AspectRatioMode.KeepAspectRatioByExpanding, Qt.TransformationMode.SmoothTransformation
    )
    found = found.copy((found.width() - w) // 2, (found.height() - h) // 2, w, h)
    found.setDevicePixelRatio(scale)
    return found


def keep(path: Path, image: QImage) -> None:
    """Keeps a picture of the land for a recipe. Where it cannot be written, there is none: nothing is lost by that."""
    if image.isNull():
        return
    file = _file(path)
    small = fitted(QPixmap.fromImage(image), SIZE.width(), SIZE.height()).toImage()
    try:
        file.parent.mkdir(parents=True, exist_ok=True)
        part = file.with_suffix(".part")
        if small.save(str(part), "PNG"):
            part.replace(file)
        kept = sorted(file.parent.glob("*.png"), key=lambda f: f.stat().st_mtime)
        for old in kept[:-MOST]:
            old.unlink(missing_ok=True)
    except OSError:
        return
