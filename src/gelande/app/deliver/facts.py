"""What the numbers of the chosen deliverable mean, once it is written; and what its files will be called before."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QGridLayout, QLabel, QSizePolicy, QVBoxLayout

from gelande.core.recipe.deliverables import Deliverable
from gelande.core.recipe.model import Recipe
from gelande.deliver import build as B
from gelande.deliver.grid import Grid
from gelande.deliver.importsheet import resampled_words
from gelande.deliver.names import is_one, names_of, parts_for

from ..flow import CutLabel


def grouped(count: int) -> str:
    """A number with spaces between thousands."""
    return f"{count:,}".replace(",", " ")


def before(recipe: Recipe, d: Deliverable, level: int) -> list[tuple[str, str]]:
    """Facts of a deliverable before it is written."""
    parts = parts_for(recipe, d, level)
    names = names_of(recipe, d, level, parts[0])
    lines = [("File" if len(names) == 1 else "Files", ", ".join(names[:3]) + (" …" if len(names) > 3 else ""))]
    if is_one(d):
        return [*lines, ("Of", "the whole site, whatever the tiles")]
    if len(parts) > 1:
        columns, rows = parts[-1].x + 1, parts[-1].y + 1
        lines.append(("Tiles", f"{columns} × {rows}, the last is {names_of(recipe, d, level, parts[-1])[0]}"))
    return [
        *lines,
        ("Metres per sample", f"{Grid.of(recipe.site, level, recipe.delivery).dx:.3f} m"),
        ("Numbers", "stated and read back when the file is written"),
    ]


def _heights(f: dict) -> list[tuple[str, str]]:
    m = f["meaning"]
    counted = "16-bit" in f["format"]
    lines = [
        ("Zero level" if counted else "Lowest", f"{m['zero']:.2f} m"),
        ("Full level" if counted else "Highest", f"{m['full']:.2f} m"),
        ("Height span to type in", f"{m['full'] - m['zero']:.2f} m"),
    ]
    if counted:
        lines.append(("Step of one count", f"{m['step'] * 1000:.2f} mm"))
    return [*lines, ("Largest rounding error", f"{f['largest_rounding_error'] * 1000:.2f} mm")]


def after(item: B.Item) -> list[tuple[str, str]]:
    """Facts of a deliverable's files from the manifest."""
    f = item.files[0]
    m = f["meaning"]
    lines = [("File", f["file"] + (f" and {len(item.files) - 1} more tiles" if len(item.files) > 1 else ""))]
    if item.kept:
        lines.append(("Left as they were", f"{item.kept} of {len(item.files)}"))
    if "levels" in f:
        for k, level in enumerate(f["levels"]):
            words = f"{grouped(level['triangles'])} triangles, heights within {level['height_error_m']:.3g} m"
            lines.append((f"Level {k}" if len(f["levels"]) > 1 else "Mesh", words))
        lines.append(("Axes", f"metres, {m['up']} up, origin {m['origin'].lower().replace('_', ' ')}"))
    elif "points" in f:
        lines.append(("Points", grouped(sum(one["points"] for one in item.files))))
    elif "picture" in f:
        lines.append(("Picture", f"{f['picture'][0]} × {f['picture'][1]} pixels"))
        return [*lines, ("Of", f"{f['meaning']['of_samples']} samples along the long side"), ("Read back", "identical")]
    elif "pages" in f:
        lines.append(("Figures are of", f"{f['meaning']['measured_at']} samples along the long side"))
        return [*lines, ("Read back", f["read_back"])]
    elif "lines" in f:
        lines.append(("Lines", f"{grouped(sum(one['lines'] for one in item.files))}, every {m['step']:g} m"))
    elif f["kind"] == "height" and m["unit"] == "m":
        lines += _heights(f)
    else:
        worst = max(one["largest_rounding_error"] for one in item.files)
        lines += [("Black is", "0 %"), ("White is", "100 %"), ("Largest rounding error", f"{worst * 100:.3f} %")]
    if f.get("channels"):
        lines.append(("Also in it", ", ".join(f"{slot}: {source}" for slot, source in f["channels"].items())))
    if "resampled" in f:
        lines.append(("Made from", resampled_words(item.files)))
    samples = sum(one["samples"][0] * one["samples"][1] for one in item.files)
    back = f["read_back"] + (f", {grouped(samples)} samples" if f["read_back"] == "identical" else "")
    lines += [("Metres per sample", f"{f['metres_per_sample']:.3f} m"), ("Read back", back)]
    return [*lines, ("SHA-256", f["sha256"][:32] + "…")]


class FactsCard(QFrame):
    """Lines of a name and a value."""

    def __init__(self, parent=None) -> None:
        super().__init__(parent, objectName="sheet")
        self.setProperty("ruled", True)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 9, 14, 9)
        self.title = CutLabel("", objectName="head")
        column.addWidget(self.title)
        self.lines = QGridLayout()
        self.lines.setVerticalSpacing(3)
        column.addLayout(self.lines)
        column.addStretch(1)

    def show_lines(self, title: str, lines: list[tuple[str, str]]) -> None:
        """Shows lines under a title."""
        while self.lines.count():
            self.lines.takeAt(0).widget().deleteLater()
        self.title.setText(title)
        for k, (label, value) in enumerate(lines):
            name, text = QLabel(label, objectName="muted"), QLabel(value, objectName="mono")
            text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            text.setWordWrap(True)
            text.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
            text.setToolTip(value)
            self.lines.addWidget(name, k, 0, Qt.AlignmentFlag.AlignTop)
            self.lines.addWidget(text, k, 1)
        self.lines.setColumnStretch(1, 1)
