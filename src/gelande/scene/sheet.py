"""Pictures of variants, drawn without a window: a tile as seen from above or in Relief, and the whole sheet with
captions as an image file."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from io import BytesIO
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from gelande.core.files.disk import write_whole
from gelande.core.recipe.choices import FigureChoice
from gelande.core.recipe.site import Site
from gelande.core.regenerate.figures import FIGURES, Figures
from gelande.kernels.light import lit_textures

from .camera import Camera
from .picture import rgb
from .relief import PAPER, Look, Scene, Tones, render, to_pixels
from .tints import albedo_of

PLAN, RELIEF = "Plan", "Relief"
LOOK = Look()
#: Pixels of a tile's long side in a sheet that is written, the height of a line of its caption, and its margins.
TILE, LINE, MARGIN = 320, 19, 16
#: Height of a picture in Relief, of its width.
TALL = 0.88
FONTS = Path(__file__).parents[1] / "app" / "fonts"
#: Colours of a sheet: its ground, names, and figures.
GROUND, INK, QUIET = (244, 242, 235), (34, 48, 58), (97, 108, 114)


def plan_picture(
    kind: str, data: np.ndarray, under: np.ndarray, water: np.ndarray | None, site: Site, dx: float
) -> np.ndarray:
    """The land from above, lit: bytes (rows, columns, 3), one pixel a sample."""
    seen = under if water is None else under + water
    more = (albedo_of(kind, data), 0.12 * site.long_side, water)
    return lit_textures(seen, dx, LOOK.azimuth, LOOK.elevation, *more, bare_as=site.bare)[0][..., :3]


def relief_picture(
    kind: str,
    data: np.ndarray,
    under: np.ndarray,
    water: np.ndarray | None,
    site: Site,
    dx: float,
    size: int,
    tones: Tones = PAPER,
) -> np.ndarray:
    """The land in three dimensions as seen from home: bytes (TALL times size, size, 3)."""
    scene = Scene(under, dx, albedo_of(kind, data), replace(LOOK, bare=site.bare), water)
    height = max(2, round(size * TALL))
    total = render(scene, Camera.home(scene.outline, size / height), size, height, tones)[0]
    total += render(scene, Camera.home(scene.outline, size / height), size, height, tones, jitter=(0.25, -0.375))[0]
    return rgb(to_pixels(total, 2))


def sheet_image(pictures: Sequence[tuple[np.ndarray, Sequence[str]]], title: str, columns: int = 0) -> Image.Image:
    """Tiles in rows with lines of words below each. pictures: (bytes (rows, columns, 3), lines)."""
    columns = columns or max(1, int(np.ceil(np.sqrt(len(pictures)))))
    rows = -(-len(pictures) // columns)
    plain, fine = (ImageFont.truetype(FONTS / name, size) for name, size in _FACES)
    lines = max((len(words) for _, words in pictures), default=0)
    deep = max((round(TILE * p.shape[0] / p.shape[1]) for p, _ in pictures), default=TILE)
    deep = min(deep, 2 * TILE)
    step_x, step_y = TILE + MARGIN, deep + lines * LINE + MARGIN + 12
    sheet = Image.new("RGB", (columns * step_x + MARGIN, rows * step_y + 3 * MARGIN + 6), GROUND)
    pen = ImageDraw.Draw(sheet)
    pen.text((MARGIN, MARGIN - 2), title, INK, plain)
    for k, (picture, words) in enumerate(pictures):
        x, y = MARGIN + (k % columns) * step_x, 3 * MARGIN + (k // columns) * step_y
        tile = Image.fromarray(np.ascontiguousarray(picture, np.uint8))
        scale = min(TILE / tile.width, deep / tile.height)
        sheet.paste(
            tile.resize((round(tile.width * scale), round(tile.height * scale)), Image.Resampling.BICUBIC), (x, y)
        )
        for n, line in enumerate(words):
            pen.text((x, y + deep + 4 + n * LINE), line, INK if n == 0 else QUIET, plain if n == 0 else fine)
    return sheet


_FACES = (("IBMPlexSansCondensed-Regular.ttf", 17), ("IBMPlexMono-Regular.ttf", 13))


def caption(name: str, figures: Figures | None, choices: Sequence[FigureChoice]) -> list[str]:
    """Lines below a tile: its name, then figures two by two; what is outside its limits has a mark."""
    if figures is None:
        return [name]
    missed = set(figures.misses(tuple(choices)))
    cells = [
        f"{FIGURES[c.figure].label.lower()} {figures.text(c.figure)}{' !' if c.figure in missed else ''}"
        for c in choices
    ]
    return [name[:1].upper() + name[1:], *cells]


def save_sheet(image: Image.Image, path: Path) -> None:
    """Writes the sheet as PNG, whole or not at all. Raises OSError."""
    held = BytesIO()
    image.save(held, "PNG")

    def write(temporary: Path) -> None:
        temporary.write_bytes(held.getvalue())

    write_whole(Path(path), write)
