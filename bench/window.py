"""The real window: start, first pictures, and how long the UI thread is ever blocked."""

import os
import subprocess
import sys

from bench.table import plain, row

SCRIPT = '''
import json, os, sys, time
began = time.perf_counter()
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
import tempfile
os.environ["GELANDE_STATE"] = tempfile.mkdtemp()
from pathlib import Path
from PyQt6.QtCore import QEventLoop, QTimer, QSettings, Qt
from PyQt6.QtWidgets import QApplication
QSettings.setPath(QSettings.Format.NativeFormat, QSettings.Scope.UserScope, tempfile.mkdtemp())
from gelande.app import theme
app = QApplication([])
app.setStyle("Fusion"); theme.load_fonts(); app.setPalette(theme.palette()); app.setStyleSheet(theme.style_sheet())
from gelande.app.window import Window
from gelande.app.shots import when_still
from gelande.core.recipe import graph
window = Window(); window.resize(1280, 800); window.show()
view = window.compose.view
def until(signal, ready=lambda *a: True):
    loop = QEventLoop()
    slot = lambda *a: loop.quit() if ready(*a) else None
    signal.connect(slot); loop.exec(); signal.disconnect(slot)
    return time.perf_counter()
def still():
    loop = QEventLoop(); when_still(window, loop.quit, 200); loop.exec()
window.filing.open_path(Path(sys.argv[1]), True)
out = {"start": until(view.pictured) - began}
still()
gaps, last = [], [time.perf_counter()]
def beat():
    now = time.perf_counter(); gaps.append(max(0.0, now - last[0] - BEAT)); last[0] = now
# A beat of a few milliseconds: an idle loop would fight the workers for the interpreter and slow what it measures.
BEAT = 0.005
timer = QTimer(interval=5, timerType=Qt.TimerType.PreciseTimer); timer.timeout.connect(beat)
def measured(name, act):
    gaps.clear(); last[0] = time.perf_counter(); timer.start()
    act(); timer.stop()
    g = sorted(gaps)[:]
    out[name] = {"median": g[len(g) // 2], "worst": g[-1], "count": len(g)}
def slide(node, param, value):
    """Seconds from an edit to the first new picture and to the first at full detail. Pictures of the old land do
    not count."""
    still()
    old, t = view.frame.scene, time.perf_counter()
    window.document.edit("bench", lambda r: graph.set_param(r, node, param, value))
    a = until(view.pictured, lambda f: f.scene is not old) - t
    fine = window.document.recipe.site.spacing(window.compose.detail)
    if view.frame.scene.dx == fine:
        return a, time.perf_counter() - t
    b = until(view.pictured, lambda f: f.scene is not old and f.scene.dx == fine) - t
    return a, b
firsts, fulls = [], []
def early():
    for k in range(3):
        a, b = slide("fractal_noise_1", "relief", 540.0 + 20 * k); firsts.append(a); fulls.append(b)
measured("gap while sliding", early)
out["early first"], out["early full"] = min(firsts), min(fulls)
still()
# other values each time: what was computed before comes at once, in full
for way, begin in (("split", 640.0), ("difference", 340.0)):
    view.comparison.set_way(way); still()
    out["compare " + way] = min(slide("fractal_noise_1", "relief", begin + 20 * k)[0] for k in range(3))
view.comparison.set_way(""); view.section.set_on(True); still()
out["section"] = min(slide("fractal_noise_1", "relief", 740.0 + 20 * k)[0] for k in range(3))
view.section.set_on(False); still()
def orbit():
    count = 0
    end = time.perf_counter() + 2.0
    frames = []
    view.pictured.connect(lambda f: frames.append(1))
    while time.perf_counter() < end:
        view.camera = view.camera.turned_about(view.mode.grasp(view.rect().center()), 1.0, 0.0)
        view._ask(True)
        until(view.pictured)
    out["fps"] = len(frames) / 2.0
measured("gap while turning", orbit)
window.set_detail(5)
def fine(): still()
measured("gap during 2049", fine)
window.document._saved = window.document.recipe
window.close()
print("RESULT" + json.dumps(out))
'''


def run():
    import json

    from bench.demo import EXAMPLE

    env = {**os.environ, "QT_QPA_PLATFORM": os.environ.get("QT_QPA_PLATFORM", "offscreen")}
    made = subprocess.run([sys.executable, "-c", SCRIPT, str(EXAMPLE)], capture_output=True, text=True, env=env)
    if "RESULT" not in made.stdout:
        raise SystemExit(made.stderr[-2000:])
    out = json.loads(made.stdout.split("RESULT")[1])
    row("process start to first picture, warm cache", out["start"], 3.0, unit="s")
    row("early slider to first picture (65) on screen", out["early first"], 120)
    row("early slider to 513 on screen", out["early full"], 1200)
    for name in ("compare split", "compare difference", "section"):
        row(f"early slider to first picture, {name}", out[name], 150)
    plain(
        "frames a second while turning, 692×536", f"{out['fps']:.0f}", "≥ 25", "met" if out["fps"] >= 25 else "MISSED"
    )
    for name in ("gap while sliding", "gap while turning", "gap during 2049"):
        g = out[name]
        row(f"UI thread, {name}: worst (median {g['median'] * 1000:.1f} ms)", g["worst"], 50)
