"""Two sheets of pictures of masks for docs/screenshots: drawing and seeing them in the window, and every mask on one
land. Run: QT_QPA_PLATFORM=offscreen PYTHONPATH=src .venv/bin/python tools/mask_pictures.py"""

import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))

import numpy as np
import screenshots as shots
from PIL import Image, ImageDraw, ImageFont
from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from gelande.core.evaluate.executor import Cache, Evaluator, Job
from gelande.core.recipe import graph
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.node import registry
from gelande.core.recipe.raster import HEIGHT, MASK
from gelande.core.recipe.site import Site
from gelande.kernels.light import lit_textures
from gelande.prepare import forget_stale
from gelande.samples import sample_pieces
from gelande.scene.tints import albedo_of

LEFT, NO = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


class Shooter:
    """Takes pictures of the view while something is drawn or seen in it."""

    def __init__(self):
        self.window = shots.Window()
        self.window.resize(1280, 800)
        self.window.show()
        self.compose = self.window.compose
        self.view = self.compose.view
        self.pictures: list[tuple[str, Image.Image]] = []

    def open(self, name: str, card: str = ""):
        self.window.document._saved = self.window.document.recipe
        self.window.filing.open_path(shots.ROOT / "examples" / f"{name}.gelande", True)
        shots.wait(self.window)
        if card:
            self.choose(card)

    def choose(self, card: str):
        self.compose.canvas.choose(shots.card(self.window, card))
        self.compose._chosen(self.compose.canvas.chosen)
        shots.wait(self.window)

    def at(self, east: float, north: float) -> QPointF:
        return self.view.marks.to_widget((east, north))[0]

    def point(self, east: float, north: float):
        """The pointer rests there."""
        spot = self.at(east, north)
        move = QMouseEvent(QEvent.Type.MouseMove, spot, spot, Qt.MouseButton.NoButton, Qt.MouseButton.NoButton, NO)
        QApplication.sendEvent(self.view, move)

    def click(self, east: float, north: float):
        QTest.mouseClick(self.view, LEFT, NO, self.at(east, north).toPoint())

    def take(self, words: str):
        shots.wait(self.window)
        file = shots.Path(shots.tempfile.mkdtemp()) / "view.png"
        self.view.grab().save(str(file))
        self.pictures.append((words, Image.open(file).convert("RGB")))


def font(size: int):
    folder = shots.ROOT / "src" / "gelande" / "app" / "fonts"
    return ImageFont.truetype(str(sorted(folder.glob("*Sans*Medium*.ttf"))[0]), size)


def sheet(pictures: list, columns: int, width: int, name: str):
    """Pictures side by side with words under them."""
    height = round(width * pictures[0][1].height / pictures[0][1].width)
    rows = -(-len(pictures) // columns)
    out = Image.new("RGB", (columns * (width + 8) + 8, rows * (height + 30) + 8), (247, 245, 240))
    draw = ImageDraw.Draw(out)
    for k, (words, image) in enumerate(pictures):
        x, y = 8 + (k % columns) * (width + 8), 8 + (k // columns) * (height + 30)
        out.paste(image.resize((width, height), Image.Resampling.LANCZOS), (x, y))
        draw.text((x + 2, y + height + 4), words, (40, 44, 50), font(13))
    out.save(shots.OUT / f"{name}.png")
    print("wrote", shots.OUT / f"{name}.png")


def drawn():
    """Painting, outlines, shapes, masks in colours, Where, a mask alone."""
    s = Shooter()
    s.open("hallan-moor", "Spared from rain")
    s.compose.bench.rows["strokes"].keep.click()
    s.choose("Rain")
    s.point(2300.0, 2300.0)
    s.take("A locked brush paints while Rain is shown")
    s.compose.drawing.put_down()
    s.open("threefold", "Broken hills")
    s.click(*s.view.marks.tool.shown(s.view.marks.value[0])[5])
    s.take("An outline with its points")
    s.open("twyfell", "Two hills")
    s.click(1450.0, 2500.0)
    s.take("A shape with its handles")
    s.open("under-hask", "Rain")
    for name in ("Lower ground", "Sheltered lower ground", "Steep"):
        s.view.masks.tick((shots.card(s.window, name), "mask"), True)
    shots.wait(s.window)
    s.point(2048.0, 2048.0)
    s.take("Masks together, with a legend")
    s.open("varrowdale", "Great cliffs")
    plot = s.compose.bench.where.plot
    QTest.mousePress(plot, LEFT, NO, plot.handles()[0].toPoint())
    QTest.mouseMove(plot, plot.handles()[0].toPoint() + QPointF(3, 0).toPoint())
    s.take("What Where chooses, while a limit is dragged")
    QTest.mouseRelease(plot, LEFT, NO, plot.handles()[0].toPoint())
    s.open("ravnskar", "Snow")
    QTest.keyClick(s.view, Qt.Key.Key_M)
    s.take("A mask alone, in grey")
    s.window.document._saved = s.window.document.recipe
    shots.leave(s.window)
    sheet(s.pictures, 2, 620, "masks-drawn")


def everything(level: int = 2):
    """Every mask on one land, as a tint on a map."""
    recipe = Recipe(Site("Gallery", 4096, 4096))
    recipe, fells = graph.add(recipe, "ridge_noise", params={"seed": 11, "relief": 520})
    recipe, rain = graph.add(recipe, "rain_erosion", params={"strength": 0.35})
    recipe = graph.link(recipe, fells, "height", rain, "height")
    recipe, steep = graph.add(recipe, "slope_band")
    recipe = graph.link(recipe, rain, "height", steep, "height")
    engine, found = Evaluator(Cache(2_000_000_000)), []
    land = engine.result(Job(recipe), rain, level)["height"]
    dx = recipe.site.spacing(level)

    def lit(words: str, mask: np.ndarray):
        textures = lit_textures(land, dx, 318, 42, albedo_of(MASK, mask), 500.0)
        found.append((words, Image.fromarray(np.ascontiguousarray(textures[0][..., :3])).convert("RGB")))

    for words, port in (("Rain erosion: cut", "cut"), ("fill", "fill"), ("flow", "flow")):
        lit(words, engine.result(Job(recipe), rain, level)[port])
    for kind, spec in sorted(registry().items(), key=lambda item: item[1].name):
        if spec.category != "Masks" or spec.main is None or spec.main.kind != MASK or spec.reads_files:
            continue
        made, node = graph.add(recipe, kind)
        for port in spec.inputs:
            if not port.optional or port.id == "first" and kind == "patches":
                source = (rain, "height") if port.kind == HEIGHT else (steep, "mask")
                source = (rain, "fill") if port.id == "second" else source
                made = graph.link(made, *source, node, port.id)
        for p in spec.params:
            if hasattr(p, "piece"):
                made = graph.set_param(made, node, p.id, sample_pieces(made.site, p))
        lit(spec.name, engine.result(Job(made), node, level)[spec.main.id])
    sheet(found, 7, 176, "masks-all")


if __name__ == "__main__":
    forget_stale()  # figures and pictures are never of a mixture of old and new machine code
    app = QApplication(sys.argv[:1])
    shots.QSettings.setPath(
        shots.QSettings.Format.NativeFormat, shots.QSettings.Scope.UserScope, shots.tempfile.mkdtemp()
    )
    app.setStyle("Fusion")
    shots.theme.load_fonts()
    app.setPalette(shots.theme.palette())
    app.setStyleSheet(shots.theme.style_sheet())
    drawn()
    everything()
