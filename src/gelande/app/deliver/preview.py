"""A mesh before it is written: its triangles in Relief, how many they are, and how far they are from the land."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from gelande.core.errors import GelandeError, Stopped
from gelande.core.evaluate.executor import Evaluator, Job, Stop
from gelande.core.recipe.deliverables import Deliverable
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.raster import COLOUR
from gelande.deliver.formats import FORMATS
from gelande.deliver.formats.mesh import mesh_options
from gelande.deliver.meshes import land_of
from gelande.deliver.parts import parts_of
from gelande.kernels.triangles import drawn

from ..switches import Pick
from ..view.compare import Content
from ..view.widget import ViewWidget
from ..worker import Worker
from .facts import grouped

#: Largest level whose mesh is looked at, and samples a side of its picture.
FINEST, PICTURE = 5, 4097
GROUND, EDGE = np.float32((0.62, 0.6, 0.54)), np.float32((0.05, 0.06, 0.08))


@dataclass(frozen=True)
class Seen:
    """A mesh as it is shown."""

    content: Content | None
    words: str


def seen_of(evaluator: Evaluator, recipe: Recipe, base: Path, d: Deliverable, level: int, lod: int, stop: Stop) -> Seen:
    """Computes the mesh of a deliverable at a level of detail. Raises GelandeError, Stopped."""
    fmt = FORMATS[d.format]
    options = fmt.checked(dict(d.options))
    at = min(level, FINEST)
    height = evaluator.result(Job(recipe, base, stop), d.node, at)[d.port]
    tiled = len(parts_of(recipe.site, at, recipe.delivery)) > 1
    wanted = mesh_options(fmt, options, False).coarser(lod)
    triangles, error = land_of(np.ascontiguousarray(height), wanted, stop)
    factor = max(1, min(4, (PICTURE - 1) // (max(height.shape) - 1)))
    surface, edges = drawn(height, triangles, factor, 0.6 * factor)
    stop.check()
    data = GROUND * (1 - edges[..., None]) + EDGE * edges[..., None]
    full = 2 * (height.shape[0] - 1) * (height.shape[1] - 1)
    words = (
        f"{grouped(len(triangles))} triangles, {100 * len(triangles) / full:.3g} % of one at every sample. "
        f"Heights within {error:.3g} m of all {grouped(height.size)} samples."
    )
    if at != level:
        words += f" Looked at with {recipe.site.samples(at)} samples a side; the file is made with more."
    if tiled and not wanted.skirt and not wanted.step:
        words += " Tiles keep every sample of their edges besides, so that they meet."
    key = ("mesh", recipe.seed, d, at, lod, len(triangles), error)
    return Seen(Content(key, surface, recipe.site.spacing(at) / factor, COLOUR, data, None, d.name), words)


class MeshPreview(QDialog):
    """Shows the mesh of one deliverable."""

    made = pyqtSignal(object)

    def __init__(self, page, d: Deliverable) -> None:
        super().__init__(page)
        self.setWindowTitle(f"Mesh of {d.name}")
        self.page, self.d = page, d
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 14, 12)
        self.view = ViewWidget(self, False)
        column.addWidget(self.view, 1)
        line = QHBoxLayout()
        self.levels = Pick("Level of detail")
        fmt = FORMATS[d.format]
        for k in range(int(fmt.option(dict(d.options), "levels"))):
            self.levels.addItem(f"Level of detail {k}")
        self.levels.setVisible(self.levels.count() > 1)
        self.levels.activated.connect(lambda *_: self.ask())
        self.words = QLabel("Computing", objectName="muted")
        self.words.setWordWrap(True)
        close = QPushButton("Close")
        close.clicked.connect(self.close)
        line.addWidget(self.words, 1)
        line.addWidget(self.levels)
        line.addWidget(close)
        column.addLayout(line)
        self.made.connect(self._show)
        self.worker = Worker("mesh")
        self.worker.start()
        self.resize(QSize(960, 660))
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.ask()

    def ask(self) -> None:
        """Computes the mesh on a thread."""
        page, d, lod, stop = self.page, self.d, max(0, self.levels.currentIndex()), Stop()
        recipe, base, level, engine = page.document.recipe, page.document.folder, page.level, page.engine.evaluator

        def run() -> None:
            try:
                self.made.emit(seen_of(engine, recipe, base, d, level, lod, stop))
            except Stopped:
                pass
            except GelandeError as error:
                self.made.emit(Seen(None, f"{str(error).rstrip('.')}."))

        self.words.setText("Computing")
        self.worker.ask(run, stop)

    def _show(self, seen: Seen) -> None:
        self.words.setText(seen.words)
        if seen.content is None:
            self.view.clear("No mesh")
        else:
            self.view.show_content(seen.content, seen.content.words)

    def done(self, result: int) -> None:
        """Closed: its threads end."""
        self.worker.close()
        self.worker.join(10)
        self.view.close_renderer()
        super().done(result)
