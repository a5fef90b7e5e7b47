"""The graph: laying out 150 nodes, dragging a card, and drawing while it is slid."""

import os
import random
import subprocess
import sys
import time

from bench.table import plain, row


def large_recipe(count: int, seed: int = 1):
    """A recipe of linked nodes of many kinds."""
    from gelande.core.errors import GelandeError
    from gelande.core.recipe import graph, model
    from gelande.core.recipe.node import registry

    draw, recipe = random.Random(seed), model.Recipe()
    kinds = [k for k, s in registry().items() if s.outputs and not s.reads_files and k not in ("group", "entry")]
    while len(recipe.nodes) < count:
        recipe, node_id = graph.add(recipe, draw.choice(kinds), (draw.uniform(0, 3000), draw.uniform(0, 900)))
        for port in recipe.nodes[node_id].spec.inputs:
            source = draw.choice(list(recipe.nodes)[-14:])
            try:
                recipe = graph.link(recipe, source, recipe.nodes[source].spec.main.id, node_id, port.id)
            except GelandeError:
                pass  # it does not fit: the input stays free
    return recipe


def layout():
    from gelande.app.compose.layout import arrange
    from gelande.app.compose.routing import sheet
    from gelande.app.compose.sheet import SheetModel
    from gelande.core.recipe import graph

    recipe = large_recipe(150)
    times = []
    for _ in range(5):
        began = time.perf_counter()
        placed = graph.move(recipe, arrange(recipe))
        sheet(placed)
        times.append(time.perf_counter() - began)
    row("layout of 150 nodes with its links", min(times), 100)
    model, times = SheetModel(placed), []
    model.choose(next(iter(recipe.nodes)))
    for k in range(1, 40):
        began = time.perf_counter()
        model.drag(0.0, 62.0 * k)
        times.append(time.perf_counter() - began)
    row("a card dragged by a row among 150, links anew", sorted(times)[len(times) // 2], 16)


SCRIPT = """
import json, os, sys, time, tempfile
os.environ["GELANDE_STATE"] = tempfile.mkdtemp()
from pathlib import Path
from PyQt6.QtCore import QPointF, QSettings
from PyQt6.QtWidgets import QApplication
QSettings.setPath(QSettings.Format.NativeFormat, QSettings.Scope.UserScope, tempfile.mkdtemp())
app = QApplication([])
from gelande.app import theme
app.setStyle("Fusion"); theme.load_fonts(); app.setPalette(theme.palette()); app.setStyleSheet(theme.style_sheet())
from bench.graph import large_recipe
from gelande.app.compose.canvas import Canvas
from gelande.app.document import Document
doc = Document(Path(tempfile.mkdtemp())); canvas = Canvas(doc); canvas.resize(588, 540); canvas.show()
doc.start(large_recipe(150), None); canvas.arrange(); lens = canvas.sheet.lens
app.processEvents(); canvas.repaint()
for zoom in (1.0, 0.7, 0.4):
    lens.zoom, lens.x, lens.y = zoom, 0.0, 0.0
    canvas.repaint()
    began, n = time.perf_counter(), 0
    while time.perf_counter() - began < 1.5:
        step = 1 if n % 60 < 30 else -1
        lens.x, lens.y, n = lens.x + 2 * step, lens.y + 9 * step, n + 1
        canvas.repaint(); app.processEvents()
    print("FPS", zoom, n / (time.perf_counter() - began))
"""


def panning():
    for name, platform in (("offscreen", "offscreen"), ("Xvfb", "xcb")):
        command = [sys.executable, "-c", SCRIPT]
        if platform == "xcb":
            command = ["xvfb-run", "-a", "-s", "-screen 0 1280x800x24", *command]
        done = subprocess.run(command, env={**os.environ, "QT_QPA_PLATFORM": platform}, capture_output=True, text=True)
        for line in done.stdout.splitlines():
            if line.startswith("FPS"):
                _, zoom, fps = line.split()
                plain(
                    f"sliding 150 nodes, {name}, scale {zoom}",
                    f"{float(fps):.0f} frames a second",
                    "60",
                    "met" if float(fps) > 60 else "MISSED",
                )
        if done.returncode:
            print(done.stderr[-800:])


def run():
    layout()
    panning()
