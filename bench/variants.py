"""Variants in the real window: how soon tiles and pictures are there, what a slider waits for, and memory."""

import json
import os
import subprocess
import sys
import tempfile

from bench.table import plain, row

SCRIPT = '''
import json, os, sys, time, shutil, tempfile
from pathlib import Path
import psutil
from PyQt6.QtCore import QEventLoop, QSettings
from PyQt6.QtWidgets import QApplication
QSettings.setPath(QSettings.Format.NativeFormat, QSettings.Scope.UserScope, tempfile.mkdtemp())
from gelande.app import theme
from gelande.app.memory import share_arenas
share_arenas()
app = QApplication([])
app.setStyle("Fusion"); theme.load_fonts(); app.setPalette(theme.palette()); app.setStyleSheet(theme.style_sheet())
from gelande.app.window import Window
from gelande.app.shots import when_still
from gelande.core.recipe import control
path = Path(tempfile.mkdtemp()) / "demo.gelande"
shutil.copy(sys.argv[1], path)
window = Window(True); window.resize(1280, 800); window.show()
page, tiles = window.variants, window.variants.tiles
window.filing.open_path(path)
def until(signal, ready=lambda *a: True):
    loop = QEventLoop()
    slot = lambda *a: loop.quit() if ready(*a) else None
    signal.connect(slot); loop.exec(); signal.disconnect(slot)
    return time.perf_counter()
def still():
    loop = QEventLoop(); when_still(window, loop.quit, 300); loop.exec()
still()
out = {}
tiles.count.setCurrentIndex(tiles.count.count() - 1)
began = time.perf_counter()
tiles.refresh(); still()
out["many"], out["rss"] = time.perf_counter() - began, psutil.Process().memory_info().rss / 1e9
tiles.count.setCurrentIndex(1)
tiles.refresh(); still()
def page_of(level, count):
    """Seconds until so many tiles of the next page are there at a level; each pass is waited for."""
    began, seen = time.perf_counter(), set()
    def ready(k, outcome):
        if outcome.level >= level:
            seen.add(k)
        return len(seen) >= count
    tiles.next_seeds()
    return until(tiles.small_done, ready) - began
firsts, nines, fines = [], [], []
for _ in range(3):
    firsts.append(page_of(1, 1)); still()
    nines.append(page_of(1, 9)); still()
    fines.append(page_of(2, 9)); still()
out["first"], out["nine"], out["fine"] = min(firsts), min(nines), min(fines)
wanted = set()
page.large.done.connect(
    lambda s: wanted.add(s.contents[0].key) if s.contents and s.asked is page.large.asked else None)
def seen(act):
    """Seconds from an act to the first picture of what it asks for."""
    t = time.perf_counter()
    act()
    wanted.clear()
    return until(page.view.pictured, lambda f: f.key in wanted) - t
def step():
    still()
    return seen(page.next_seed)
out["step"] = min(step() for _ in range(4))
c = control.find(window.document.recipe, "Hill height")
def slide(value):
    return seen(lambda: page.sheet.set_value("Hill height", value))
calm, busy = [], []
for k in range(5):
    still()
    calm.append(slide(500.0 + 10 * k))
for k in range(5):
    still()
    tiles.next_seeds()
    until(tiles.small_done)
    busy.append(slide(560.0 + 10 * k))
out["calm"], out["busy"] = sorted(calm)[2], sorted(busy)[2]
window.close()
print("RESULT" + json.dumps(out))
'''


def run():
    from bench.demo import EXAMPLE

    platform = os.environ.get("QT_QPA_PLATFORM", "offscreen")
    env = {**os.environ, "QT_QPA_PLATFORM": platform, "GELANDE_STATE": tempfile.mkdtemp()}
    made = subprocess.run([sys.executable, "-c", SCRIPT, str(EXAMPLE)], capture_output=True, text=True, env=env)
    if "RESULT" not in made.stdout:
        raise SystemExit(made.stderr[-2000:])
    out = json.loads(made.stdout.split("RESULT")[1])
    row("first tile of a page of seeds", out["first"], 500)
    row("nine tiles at 129", out["nine"], 1500)
    row("nine tiles at 257, after those at 129", out["fine"], 4000)
    row("next seed to first picture", out["step"], 150)
    row("slider to first picture, nothing else under way", out["calm"], 150)
    row("slider to first picture, a sheet under way", out["busy"], 1000 * out["calm"] + 30)
    rss = out["rss"]
    plain("memory with 49 tiles", f"{rss:.2f} GB", "≤ 1.5 GB", "met" if rss <= 1.5 else "MISSED")
    plain("49 tiles at 129 and 257", f"{out['many']:.1f} s", "", "")
