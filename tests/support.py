"""What several test modules share: a small recipe, evaluation in one call, waiting for the window."""

from __future__ import annotations

import faulthandler
import os
import tempfile
from pathlib import Path

import numpy as np

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("GELANDE_STATE", tempfile.mkdtemp())

from gelande.core.evaluate.executor import Cache, Evaluator, Job  # noqa: E402
from gelande.core.recipe import graph  # noqa: E402
from gelande.core.recipe.model import ROW, Recipe  # noqa: E402
from gelande.core.recipe.node import registry  # noqa: E402
from gelande.core.recipe.site import Site  # noqa: E402

ROOT = Path(__file__).parents[1]
DEMO = ROOT / "examples" / "varrowdale.gelande"


def slow(test):
    """Marks a test, or all tests of a class, as one that ``--fast`` leaves out."""
    test.slow = True
    return test


def of_kinds(test):
    """Marks a test that takes the kinds of nodes one by one: ./run-tests --kind KIND runs those, for one of them."""
    test.of_kinds = True
    return test


def kinds(wanted=lambda spec: True) -> list[str]:
    """Kinds of nodes that give something and read no file, as far as they are wanted; with --kind only that one, or
    those that it names with commas between."""
    named = os.environ.get("GELANDE_KIND")
    only = registry().keys() if named is None else named.split(",")
    for one in only:
        if one not in registry():
            raise SystemExit(f"There is no kind of node called {one!r}.")
    found = [k for k, s in sorted(registry().items()) if s.outputs and not s.reads_files and wanted(s)]
    return [k for k in found if k in only]


def chain(*kinds, site: Site | None = None, **params) -> tuple[Recipe, list[str]]:
    """A recipe of nodes linked base to main output, one after the other. params: kind={...}."""
    recipe, ids = Recipe(site or Site("Test")), []
    for kind in kinds:
        recipe, node_id = graph.add(recipe, kind, (0.0, len(ids) * ROW), params.get(kind))
        if ids:
            before = recipe.nodes[ids[-1]].spec.main.id
            entry = recipe.nodes[node_id].spec.inputs[0].id
            recipe = graph.link(recipe, ids[-1], before, node_id, entry)
        ids.append(node_id)
    return recipe, ids


def linked(recipe: Recipe, kind: str, source: str, port: str) -> tuple[Recipe, str]:
    """The recipe with one node more, whose first input comes from a port."""
    recipe, node_id = graph.add(recipe, kind)
    return graph.link(recipe, source, port, node_id, recipe.nodes[node_id].spec.inputs[0].id), node_id


def result(recipe: Recipe, node_id: str, level: int, evaluator: Evaluator | None = None, folder=Path()) -> dict:
    """All outputs of a node."""
    return (evaluator or Evaluator(Cache(2_000_000_000))).result(Job(recipe, Path(folder)), node_id, level)


def rms_fraction(a: np.ndarray, b: np.ndarray) -> float:
    """RMS difference as a share of a's range."""
    span = max(float(a.max() - a.min()), 1e-9)
    return float(np.sqrt(((a.astype(np.float64) - b) ** 2).mean())) / span


def drainage(h: np.ndarray, dx: float) -> tuple[np.ndarray, np.ndarray]:
    """(drainage area in m² at every sample, flooded height)."""
    from gelande.kernels import flow

    level, way, fraction, order = flow.drain(h)
    area = np.full(h.size, dx * dx)
    flow.accumulate(order, way, flow.neighbours(h.shape[1]), fraction, area, np.inf)
    return area.reshape(h.shape), level


class Waiter:
    """Runs the event loop until a condition holds; fails loudly when it never does."""

    def __init__(self, seconds: float = 240.0):
        self.limit = int(seconds * 1000)

    def until(self, signal, ready=lambda *args: True, ask=None):
        """Waits for a signal whose arguments satisfy ready. ask: called once it is listened to; what another thread
        answers at once is heard, too."""
        from PyQt6.QtCore import QEventLoop, QTimer

        loop, seen = QEventLoop(), []

        def slot(*args):
            if ready(*args):
                seen.append(args)
                loop.quit()

        signal.connect(slot)
        if ask is not None:
            ask()
        timer = QTimer(singleShot=True, interval=self.limit)
        timer.timeout.connect(loop.quit)
        timer.start()
        loop.exec()
        signal.disconnect(slot)
        if not seen:
            raise AssertionError("the signal did not come")
        return seen[0]

    def still(self, window, settle: int = 120):
        """Waits until the window has nothing left to do."""
        from PyQt6.QtCore import QEventLoop

        from gelande.app.shots import still, when_still

        loop = QEventLoop()
        timer = when_still(window, loop.quit, settle, self.limit)
        loop.exec()
        timer.stop()
        if not still(window):
            page = window.pages.currentWidget()
            seen = {name: getattr(page, name, None) for name in ("running", "busy", "halted", "presented")}
            seen |= {"engine": window.engine.busy, "drawn": page.view.drawn if hasattr(page, "view") else None}
            raise AssertionError(f"the window did not come to rest: {window.state_label.text()}, {seen}")


_app = None


def application():
    """The one QApplication of the tests, with the program's own fonts and style."""
    from PyQt6.QtCore import QSettings
    from PyQt6.QtWidgets import QApplication

    global _app
    if _app is None:
        QSettings.setPath(QSettings.Format.NativeFormat, QSettings.Scope.UserScope, tempfile.mkdtemp())
        from gelande.app import theme
        from gelande.app.crash_handler import crash_handler
        from gelande.app.memory import share_arenas

        share_arenas()
        _app = app = QApplication([])

        app.setStyle("Fusion")
        theme.load_fonts()
        crash_handler.install(Path(os.environ["GELANDE_STATE"]) / "log")
        faulthandler.enable()  # a crash of the tests is told where they run, not in the log
        app.setPalette(theme.palette())
        app.setStyleSheet(theme.style_sheet())
    return _app
