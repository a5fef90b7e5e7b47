"""Takes one PNG of each main view from the demo data into docs/screenshots. Run: QT_QPA_PLATFORM=offscreen
.venv/bin/python tools/screenshots.py [name ...]"""

import os
import shutil
import sys
import tempfile
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["GELANDE_STATE"] = tempfile.mkdtemp()

from PyQt6.QtCore import QEventLoop, QSettings, Qt, QTimer  # noqa: E402
from PyQt6.QtGui import QPainter, QPixmap  # noqa: E402
from PyQt6.QtTest import QTest  # noqa: E402
from PyQt6.QtWidgets import QApplication  # noqa: E402

sys.path.insert(0, str(Path(__file__).parents[1]))
from bench.graph import large_recipe  # noqa: E402
from gelande.app import theme  # noqa: E402
from gelande.app.shots import leave, when_still  # noqa: E402
from gelande.app.window import Window  # noqa: E402
from gelande.prepare import forget_stale  # noqa: E402

ROOT = Path(__file__).parents[1]
OUT = ROOT / "docs" / "screenshots"


def emptied(name):
    """A folder to deliver to: the same words in every picture of it."""
    folder = Path(tempfile.gettempdir()) / "gelande-pictures" / name
    shutil.rmtree(folder, ignore_errors=True)
    return folder


def wait(window, settle=500):
    loop = QEventLoop()
    timer = when_still(window, loop.quit, settle)
    loop.exec()
    timer.stop()


def open_window(regenerate=False) -> Window:
    window = Window(regenerate)
    window.resize(1280, 800)
    window.show()
    window.filing.open_path(ROOT / "examples" / "varrowdale.gelande", True)
    wait(window)
    return window


def shoot(window, name):
    wait(window)
    OUT.mkdir(parents=True, exist_ok=True)
    window.grab().save(str(OUT / f"{name}.png"))
    print("wrote", OUT / f"{name}.png")


def card(window, name):
    recipe = window.document.recipe
    return next(n for n, s in recipe.nodes.items() if s.name == name)


def compose(wanted):
    window = open_window()
    if "compose-relief" in wanted:
        shoot(window, "compose-relief")
    if "compose-bench" in wanted:
        window.compose.canvas.choose(card(window, "Great cliffs"))
        window.compose.view.set_contours(True)
        wait(window)
        view = window.compose.view
        QTest.mouseMove(view, view.rect().center())
        shoot(window, "compose-bench")
    if "compose-cover" in wanted:
        window.compose.canvas.choose(card(window, "Ground cover"))
        window.compose.view.set_contours(False)
        wait(window)
        window.compose.bench.layers.list.choose(3)
        shoot(window, "compose-cover")
    if "deliver" in wanted:
        window.go("Deliver")
        window.deliver.folder = emptied("varrowdale_0")
        window.deliver.set_level(4)
        window.deliver.deliver_all()
        wait(window)
        window.deliver.table.setCurrentCell(1, 0)
        shoot(window, "deliver")
    window.go("Compose")
    if "compose-group" in wanted:
        group(window)
    if wanted & {"compare-split", "section", "sheet-100"}:
        looking(window, wanted)
    window.document._saved = window.document.recipe
    leave(window)


def group(window):
    """A group from inside."""
    canvas = window.compose.canvas
    canvas.selection = {card(window, n) for n in ("Gullies", "Great cliffs", "Lesser cliffs", "Scree under the cliffs")}
    canvas.pack()
    canvas._rename.setText("Carved hills")
    canvas._end_rename(canvas.chosen)
    canvas.enter(canvas.chosen)
    canvas.choose(card(window, "Scree under the cliffs"))
    shoot(window, "compose-group")
    canvas.enter("")
    window.document.undo()
    window.document.undo()


def looking(window, wanted):
    """Comparing, cutting, a hundred nodes."""
    compose = window.compose
    canvas, view = compose.canvas, compose.view
    canvas.choose(card(window, "Gullies"))
    if "compare-split" in wanted:
        view.comparison.set_way("split")
        shoot(window, "compare-split")
        view.comparison.set_way("")
    if "section" in wanted:
        view.section.set_on(True)
        view.section.keep(card(window, "Gullies"))
        canvas.choose(card(window, "Lakes"))
        wait(window)
        view.home()
        view.section.mark = 0.42
        shoot(window, "section")
        view.section.keep(card(window, "Gullies"))
        view.section.set_on(False)
        view.home()
    if "sheet-100" in wanted:
        window.document._saved = window.document.recipe
        window.document.start(large_recipe(100), None)
        canvas.arrange()
        canvas.show_top()
        shoot(window, "sheet-100")


def welcome():
    window = Window()
    window.resize(1280, 800)
    window.show()
    window.document.opened.emit()
    shoot(window, "welcome")
    leave(window)


#: Around the lakes of the demo's valley, metres.
AROUND = ((900, 1800), (1700, 1200), (2600, 1500), (2900, 2500), (2200, 3100), (1300, 2800))


def regenerate():
    """A locked recipe with an area of one seed kept in all others."""
    window = open_window(True)
    page = window.variants
    page.choose(6)
    wait(window)
    page.keep_area(((True, False, AROUND),))
    wait(window)
    page.choose(3)
    shoot(window, "regenerate")
    leave(window)


def artist():
    """The steps of an artist, side by side: found by area, drawn around, another seed, compared, named, delivered."""
    window, steps = open_window(True), []
    page, tiles = window.variants, window.variants.tiles

    def step():
        wait(window)
        steps.append(window.grab())

    tiles.count.setCurrentIndex(tiles.count.findText("25 tiles"))
    tiles.sort.setCurrentIndex(tiles.sort.findText("By largest walkable area"))
    tiles.refresh()
    wait(window)
    page.choose(tiles.cards.index(tiles.grid.itemAt(0).widget()))
    step()
    page.view.set_mode("Plan")
    wait(window)
    page.keeping.draw_button.click()
    for point in AROUND:
        seen = page.view.mode.to_widget(point)[0]
        QTest.mouseClick(page.view, Qt.MouseButton.LeftButton, pos=seen.toPoint())
    steps.append(window.grab())
    QTest.keyClick(page.view, Qt.Key.Key_Return)
    page.view.set_mode("Relief")
    page.choose(3)
    step()
    page.view.comparison.set_way("difference")
    step()
    page.view.comparison.set_way("")
    page.use()
    page.large.toggle_side()
    page.sheet.presets.ask_name()
    QTest.keyClicks(page.sheet.presets.name, "Lakes kept")
    step()
    QTest.keyClick(page.sheet.presets.name, Qt.Key.Key_Return)
    page.large.toggle_side()
    window.go("Deliver")
    window.deliver.folder = emptied("varrowdale_3")
    window.deliver.set_level(3)
    window.deliver.deliver_all()
    step()
    leave(window)
    together(steps, "artist")


def together(steps, name):
    """Pictures side by side in one file."""
    sheet = QPixmap(2 * 900, -(-len(steps) // 2) * 566)
    sheet.fill(theme.theme().colour("line"))
    painter = QPainter(sheet)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    for k, picture in enumerate(steps):
        small = picture.scaled(896, 562, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation)
        painter.drawPixmap(k % 2 * 900 + 2, k // 2 * 566 + 2, small)
    painter.end()
    sheet.save(str(OUT / f"{name}.png"))
    print("wrote", OUT / f"{name}.png")


def delivering():
    """Outputs marked, tiles that were delivered, a mesh before it is written, and workers."""
    window, steps = open_window(), []
    window.go("Deliver")
    page = window.deliver
    page.folder = emptied("varrowdale_0")
    page.set_level(3)
    page.add(card(window, "Winter snow"), "height", "mesh_glb")
    for name, value in (("tile", "257"), ("pattern", "{what}_{x}_{y}"), ("span", "Found for all")):
        page.common.rows[name].edited.emit(name, value)
    page.deliver_all()
    wait(window)
    page.table.setCurrentCell(9, 0)
    wait(window)
    steps.append(window.grab())
    page.options.rows["error"].edited.emit("error", 2.0)
    page._open_add()
    wait(window)
    picture = window.grab()
    painter = QPainter(picture)
    painter.drawPixmap(60, 120, page.panel.grab())
    painter.end()
    steps.append(picture)
    page.panel.close()
    page.options.preview.click()
    until(page.mesh.made)
    until(page.mesh.view.pictured, 1000)
    steps.append(page.mesh.grab())
    page.mesh.close()
    page.common.rows["who"].edited.emit("who", "Workers here")
    page.folder = emptied("again")
    page.deliver_all()
    while True:
        until(page.farmed)
        if any(not line.endswith("waiting") for line in page.common.at.text().splitlines()):
            break
    steps.append(window.grab())
    until(page.ended)
    window.document._saved = window.document.recipe
    leave(window)
    together(steps, "delivering")


def until(signal, settle=0):
    """Waits for a signal, and until it does not come again for as many milliseconds."""
    loop, rest = QEventLoop(), QTimer()
    rest.setSingleShot(True)
    rest.timeout.connect(loop.quit)
    signal.connect(lambda *_: rest.start(settle))
    loop.exec()


def dark():
    theme.use("dark")
    app = QApplication.instance()
    app.setPalette(theme.palette())
    app.setStyleSheet(theme.style_sheet())
    window = open_window()
    shoot(window, "compose-dark")
    leave(window)
    theme.use("light")


def main():
    app = QApplication(sys.argv[:1])
    QSettings.setPath(QSettings.Format.NativeFormat, QSettings.Scope.UserScope, tempfile.mkdtemp())
    app.setStyle("Fusion")
    theme.load_fonts()
    app.setPalette(theme.palette())
    app.setStyleSheet(theme.style_sheet())
    names = {
        "compose-relief",
        "compose-bench",
        "compose-cover",
        "deliver",
        "delivering",
        "regenerate",
        "artist",
        "compose-dark",
        "compose-group",
        "compare-split",
        "section",
        "sheet-100",
        "welcome",
    }
    wanted = set(sys.argv[1:]) or names
    if "welcome" in wanted:
        welcome()
    if "delivering" in wanted:
        delivering()
    if wanted & (names - {"regenerate", "artist", "compose-dark", "welcome", "delivering"}):
        compose(wanted)
    if "regenerate" in wanted:
        regenerate()
    if "artist" in wanted:
        artist()
    if "compose-dark" in wanted:
        dark()


if __name__ == "__main__":
    forget_stale()  # figures and pictures are never of a mixture of old and new machine code
    main()
