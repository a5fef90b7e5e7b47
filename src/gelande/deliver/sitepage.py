"""One page about a site as a PDF: its pictures, where it lies and how large it is, figures and controls."""

from __future__ import annotations

from datetime import UTC, datetime
from importlib.resources import as_file, files
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from gelande.core.recipe.control import param_of, value_of
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.recipefile import fingerprint
from gelande.core.regenerate.figures import USUAL, figures_of, label_of, limit_text
from gelande.scene.picture import pictured, seen_from_above, whole_site
from gelande.scene.relief import Scene
from gelande.version import __version__

from .place import Work

if TYPE_CHECKING:
    from fpdf import FPDF

#: Millimetres: of the page, its margins, the picture's height, the map and a line of text.
PAGE, MARGIN, TALL, MAP, LINE = (210.0, 297.0), 14.0, 96.0, 68.0, 5.0
#: Pixels of the picture across, and of the map at most.
ACROSS, MOST = 2000, 1000
FONT = "IBM Plex Sans Condensed"
FACES = (("", "IBMPlexSansCondensed-Regular.ttf"), ("B", "IBMPlexSansCondensed-SemiBold.ttf"))
INK, QUIET, RULE = (34, 48, 58), (97, 108, 114), (216, 211, 196)

Pair = tuple[str, str]


def facts_of(recipe: Recipe) -> list[Pair]:
    """Facts of a site before its land is there, and its controls."""
    return [*_site(recipe), *_controls(recipe)]


def _site(recipe: Recipe) -> list[Pair]:
    site = recipe.site
    found = [
        ("West to east", _metres(site.width)),
        ("South to north", _metres(site.depth)),
        ("Sea level", site.sea_text),
        ("Seed", f"{recipe.seed}" + "".join(f"; {group} held at {seed}" for group, seed in recipe.locks)),
    ]
    if recipe.delivery.epsg:
        corner = f"{recipe.delivery.east:.10g}, {recipe.delivery.north:.10g}"
        found.append(("South-west corner", f"{corner} in EPSG:{recipe.delivery.epsg}"))
    return found


def _metres(value: float) -> str:
    return f"{value / 1000:.4g} km" if value >= 10_000 else f"{value:.4g} m"


def _controls(recipe: Recipe) -> list[Pair]:
    found = []
    for control in recipe.controls:
        param = param_of(recipe, control)
        if param is not None:
            text = param.text(value_of(recipe, control))
            found.append((control.label, text if len(text) <= 40 else f"{text[:39]}…"))
    return found


def _figures(recipe: Recipe, height: np.ndarray, water: np.ndarray | None, level: int) -> list[Pair]:
    """Figures of the land, each with its limits and whether it is within them."""
    found = figures_of(height, recipe.site, level, water, recipe.measures)
    choices = recipe.figures or USUAL
    missed, lines = set(found.misses(choices)), []
    for choice in choices:
        limits = limit_text(choice)
        note = f" ({'not ' if choice.figure in missed else ''}{limits})" if limits else ""
        lines.append((label_of(choice.figure, recipe.measures), found.text(choice.figure) + note))
    return lines


def page(path: Path, work: Work, scene: Scene, height: np.ndarray, water: np.ndarray | None, level: int) -> list[str]:
    """Writes the page. scene: the land as it is drawn; height, water: metres at a level, for its figures. Returns what
    can be read on it. Raises Stopped."""
    recipe = work.recipe
    pdf = _begun(recipe)
    pdf.set_font(FONT, "B", 22)
    pdf.set_text_color(*INK)
    said = [_fitting(pdf, recipe.site.name, PAGE[0] - 2 * MARGIN)]
    pdf.cell(0, 9, said[0], new_x="LMARGIN", new_y="NEXT")
    top, wide = pdf.get_y() + 3, PAGE[0] - 2 * MARGIN
    size = (ACROSS, round(ACROSS * TALL / wide))
    image = pictured(scene, whole_site(scene, size, 28.0, -29.0), size, work.stop.flag)
    pdf.image(_image(image), MARGIN, top, wide, TALL)
    work.tell(0.6)
    below = top + TALL + 7
    plan = seen_from_above(scene)
    step = max(1, -(-max(plan.shape) // MOST))
    rows, columns = plan.shape[:2]
    broad, tall = MAP * columns / max(rows, columns), MAP * rows / max(rows, columns)
    pdf.image(_image(plan[::step, ::step]), MARGIN, below, broad, tall)
    pdf.set_xy(MARGIN, below + tall + 1)
    pdf.set_font(FONT, "", 8)
    pdf.set_text_color(*QUIET)
    pdf.cell(MAP, 4, f"From above, north is up. {_metres(recipe.site.width)} across.")
    left, width = MARGIN + MAP + 8, PAGE[0] - 2 * MARGIN - MAP - 8
    at = samples_words(recipe, level)
    end = _table(pdf, "Site", _site(recipe), left, below, width, said)
    end = _table(pdf, f"Figures, measured at {at}", _figures(recipe, height, water, level), left, end + 4, width, said)
    _columns(pdf, _controls(recipe), max(end + 4, below + MAP + 10), said)
    _foot(pdf, recipe)
    work.stop.check()
    pdf.output(str(path))
    return said


def samples_words(recipe: Recipe, level: int) -> str:
    """Number of samples a level has, in words."""
    rows, columns = recipe.site.shape(level)
    return f"{columns} × {rows} samples"


def _begun(recipe: Recipe) -> FPDF:
    """An empty page. Its date is always the same, so that the same land is the same file."""
    from fpdf import FPDF

    pdf = FPDF("P", "mm", PAGE)
    pdf.set_creation_date(datetime(2000, 1, 1, tzinfo=UTC))
    pdf.set_title(recipe.site.name)
    pdf.set_creator("Gelande")
    pdf.set_margin(MARGIN)
    pdf.set_auto_page_break(False)
    pdf.c_margin = 0
    for style, name in FACES:
        with as_file(files("gelande") / "app" / "fonts" / name) as font:
            pdf.add_font(FONT, style, str(font))
    pdf.add_page()
    return pdf


def _image(rgb: np.ndarray):
    from PIL import Image

    return Image.fromarray(np.ascontiguousarray(rgb))


def _fitting(pdf: FPDF, text: str, width: float) -> str:
    """A text, cut where there is no more room."""
    if pdf.get_string_width(text) <= width:
        return text
    while text and pdf.get_string_width(text + "…") > width:
        text = text[:-1]
    return text + "…"


def _table(
    pdf: FPDF, title: str, rows: list[Pair], left: float, top: float, width: float, said: list[str], line: float = LINE
) -> float:
    """Names and values under a title. Returns where it ends. said: gets what is written."""
    pdf.set_xy(left, top)
    pdf.set_font(FONT, "B", 10.5)
    pdf.set_text_color(*INK)
    pdf.cell(width, line + 1, title)
    said.append(title)
    y, half = top + line + 2, 0.4 * width
    for name, value in rows:
        pdf.set_draw_color(*RULE)
        pdf.line(left, y - 0.4, left + width, y - 0.4)
        pdf.set_font(FONT, "", 8.5)
        for x, room, text, tone in ((left, half, name, QUIET), (left + half, width - half, value, INK)):
            pdf.set_text_color(*tone)
            pdf.set_xy(x, y)
            written = _fitting(pdf, text, room - 2.5)
            pdf.cell(room, line - 0.8, written)
            said.append(written)
        y += line
    return y


def _columns(pdf: FPDF, rows: list[Pair], top: float, said: list[str]) -> None:
    """Controls in two columns, as many as there is room for."""
    if not rows:
        return
    room = int((PAGE[1] - MARGIN - 8 - top) / LINE) - 2
    if len(rows) > 2 * room:
        rows = [*rows[: 2 * room - 1], (f"and {len(rows) - 2 * room + 1} more", "")]
    half, gap = -(-len(rows) // 2), 8.0
    width = (PAGE[0] - 2 * MARGIN - gap) / 2
    _table(pdf, "Controls", rows[:half], MARGIN, top, width, said)
    if rows[half:]:
        _table(pdf, "", rows[half:], MARGIN + width + gap, top, width, said)


def _foot(pdf: FPDF, recipe: Recipe) -> None:
    pdf.set_xy(MARGIN, PAGE[1] - MARGIN - 3)
    pdf.set_font(FONT, "", 7.5)
    pdf.set_text_color(*QUIET)
    pdf.cell(0, 4, f"Gelande {__version__} · recipe {fingerprint(recipe)[:16]}")


def text_of(path: Path) -> str:
    """The text of a file's only page. Raises DeliveryError when it is no PDF of one page."""
    import pypdfium2

    from gelande.core.errors import DeliveryError

    try:
        document = pypdfium2.PdfDocument(path)
    except pypdfium2.PdfiumError:
        raise DeliveryError(f"{path.name} does not read back as a PDF; nothing was kept.") from None
    try:
        if len(document) != 1:
            raise DeliveryError(f"{path.name} has {len(document)} pages, and was to have one.")
        return document[0].get_textpage().get_text_range()
    finally:
        document.close()
