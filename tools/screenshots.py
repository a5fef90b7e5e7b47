"""Takes one PNG of each main view from the demo data into docs/screenshots. Run: QT_QPA_PLATFORM=offscreen
.venv/bin/python tools/screenshots.py [name ...]"""

import os
import sys
import tempfile
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["GELANDE_STATE"] = tempfile.mkdtemp()

import numpy as np  # noqa: E402
from PyQt6.QtCore import QEventLoop, QPointF, QSettings  # noqa: E402
from PyQt6.QtTest import QTest  # noqa: E402
from PyQt6.QtWidgets import QApplication  # noqa: E402

from gelande.app import theme  # noqa: E402
from gelande.app.shots import when_still  # noqa: E402
from gelande.app.window import Window  # noqa: E402
from gelande.core import graph  # noqa: E402

ROOT = Path(__file__).parents[1]
OUT = ROOT / "docs" / "screenshots"


def wait(window, settle=500):
    loop = QEventLoop()
    timer = when_still(window, loop.quit, settle)
    loop.exec()
    timer.stop()


def open_window(regenerate=False) -> Window:
    window = Window(regenerate)
    window.resize(1280, 800)
    window.show()
    window.open_path(ROOT / "examples" / "varrowdale.gelande", True)
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
    if "compose-mask" in wanted:
        window.compose.view.set_contours(False)
        window.compose.canvas.choose(card(window, "Wet ground"))
        shoot(window, "compose-mask")
    if "compose-plan" in wanted:
        window.compose.canvas.choose(card(window, "Limestone"))
        window.compose.view.set_mode("Plan")
        window.compose.view.set_contours(True)
        wait(window)
        QTest.mouseMove(window.compose.view, window.compose.view.rect().center())
        shoot(window, "compose-plan")
        window.compose.view.set_mode("Relief")
    if "search" in wanted:
        canvas = window.compose.canvas
        canvas.open_search(canvas.mapToGlobal(canvas.rect().center()), QPointF(200, 60))
        canvas.search.line.setText("slope")
        QTest.qWait(100)
        canvas.search.grab().save(str(OUT / "search.png"))
        canvas.search.close()
    if "variants" in wanted:
        window.go("Variants")
        wait(window)
        window.variants.toggle_star(4)
        window.variants.choose(4)
        shoot(window, "variants")
    if "deliver" in wanted:
        window.go("Deliver")
        window.deliver.folder = Path(tempfile.mkdtemp()) / "varrowdale_0"
        window.deliver.set_level(4)
        window.deliver.deliver_all()
        wait(window)
        window.deliver.table.setCurrentCell(1, 0)
        shoot(window, "deliver")
    if wanted & {"compose-winter", "compose-group", "compose-draw", "compose-mesh"}:
        window.go("Compose")
        order_and_weather(window, wanted)
    if "compose-sea" in wanted:
        window.go("Compose")
        window.document._saved = window.document.recipe  # what was done for the pictures before is no work to keep
        window.open_path(ROOT / "examples" / "skerrin-sound.gelande", True)
        shoot(window, "compose-sea")
    window.document._saved = window.document.recipe
    window.close()


def order_and_weather(window, wanted):
    """Winter, a closer look with mesh, a group from inside, and a line drawn on the land."""
    compose, canvas, view = window.compose, window.compose.canvas, window.compose.view
    if "compose-winter" in wanted:
        canvas.choose(card(window, "Snow"))
        window.document.edit("Winter", lambda r: graph.set_param(r, card(window, "Winter snow"), "amount", 1.0))
        shoot(window, "compose-winter")
        window.document.undo()
    if "compose-mesh" in wanted:
        canvas.choose(card(window, "Lakes"))
        view.set_contours(False)
        wait(window)
        view.camera = view.camera.towards(np.array([2050.0, 2200.0, 120.0]), 0.74)
        view.bar.mesh.trigger()
        shoot(window, "compose-mesh")
        view.bar.mesh.trigger()
        view.home()
    if "compose-group" in wanted:
        canvas.selection = {
            card(window, n) for n in ("Gullies", "Great cliffs", "Lesser cliffs", "Scree under the cliffs")
        }
        canvas.pack()
        canvas._rename.setText("Carved hills")
        canvas._end_rename(canvas.chosen)
        canvas.enter(canvas.chosen)
        canvas.choose(card(window, "Scree under the cliffs"))
        shoot(window, "compose-group")
        canvas.enter("")
        window.document.undo()
        window.document.undo()
    if "compose-draw" in wanted:
        valley = canvas.add_node("valley", QPointF(520, 330))
        window.document.edit("Link", lambda r: graph.link(r, card(window, "Surface noise"), "height", valley, "height"))
        compose.bench.set_value("depth", 150.0)
        compose.bench.set_value("fall", 8.0)
        compose.bench.set_value(
            "line", ((500.0, 3400.0), (1500.0, 2500.0), (2500.0, 2550.0), (3100.0, 1500.0), (3900.0, 900.0))
        )
        shoot(window, "compose-draw")


def regenerate():
    window = open_window(True)
    shoot(window, "regenerate")
    window.close()


def dark():
    theme.use("dark")
    app = QApplication.instance()
    app.setPalette(theme.palette())
    app.setStyleSheet(theme.style_sheet())
    window = open_window()
    shoot(window, "compose-dark")
    window.close()
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
        "compose-mask",
        "compose-plan",
        "compose-sea",
        "search",
        "variants",
        "deliver",
        "regenerate",
        "compose-dark",
        "compose-winter",
        "compose-mesh",
        "compose-group",
        "compose-draw",
    }
    wanted = set(sys.argv[1:]) or names
    if wanted & (names - {"regenerate", "compose-dark"}):
        compose(wanted)
    if "regenerate" in wanted:
        regenerate()
    if "compose-dark" in wanted:
        dark()


if __name__ == "__main__":
    main()
