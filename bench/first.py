"""The first start: the real program with nothing compiled, until everything is prepared."""

import os
import subprocess
import sys
import tempfile

from bench.table import row

SCRIPT = """
import os, time
began = time.perf_counter()
from PyQt6.QtCore import QTimer
from gelande.app import main, window
init = window.Window.__init__
def told(name):
    print("FIRST", name, time.perf_counter() - began, flush=True)
def watched(self, *a, **k):
    init(self, *a, **k)
    ready = self.tell_preparing
    def tell(text):
        ready(text)
        if not text:
            told("all")
            QTimer.singleShot(200, lambda: os._exit(0))
    self.tell_preparing = tell
    self.compose.view.pictured.connect(lambda f: told("land"))
    QTimer.singleShot(0, lambda: told("window"))
window.Window.__init__ = watched
main.run()
"""


def run():
    with tempfile.TemporaryDirectory() as empty:
        env = {**os.environ, "GELANDE_STATE": empty, "NUMBA_CACHE_DIR": empty, "HOME": empty}
        env["QT_QPA_PLATFORM"] = os.environ.get("QT_QPA_PLATFORM", "offscreen")
        done = subprocess.run([sys.executable, "-c", SCRIPT], env=env, capture_output=True, text=True, timeout=300)
    found = {}
    for line in done.stdout.splitlines():
        if line.startswith("FIRST"):
            _, name, seconds = line.split()
            found.setdefault(name, float(seconds))
    for name, words, bar in (
        ("window", "first start: window open", 10),
        ("land", "first start: first land", 30),
        ("all", "first start: all prepared", None),
    ):
        row(words, found[name], bar, unit="s")
