"""Kills at any moment: at most two seconds of edits are lost, no file is unreadable, and nothing is left after the
next start or build."""

from __future__ import annotations

import os
import random
import signal
import struct
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from functools import cache
from pathlib import Path

from support import ROOT, chain

#: Seconds of work that a kill may cost.
MOST_LOST = 2.0


def _child(run) -> tuple[int, int]:
    """A process that runs run(write end of a pipe) until it is killed. Returns its number and the read end."""
    reader, writer = os.pipe()
    pid = os.fork()
    if pid == 0:
        os.close(reader)
        try:
            run(writer)
        finally:
            os._exit(0)
    os.close(writer)
    return pid, reader


def _killed(run, seconds: float, head: int = 1) -> tuple[bytes, float]:
    """Runs run() in a process, kills it so many seconds after it wrote its first bytes. Returns all it wrote and
    when it was killed."""
    pid, reader = _child(run)
    began = os.read(reader, head)
    time.sleep(seconds)
    when = time.monotonic()
    os.kill(pid, signal.SIGKILL)
    os.waitpid(pid, 0)
    return began + _all(reader), when


def _all(reader: int) -> bytes:
    data = b""
    while piece := os.read(reader, 65536):
        data += piece
    os.close(reader)
    return data


def editing(seed: int) -> str:
    """One kill while a document is edited. Returns a fault, or ""."""
    from gelande.core.recipe.journal import lost_work

    draw = random.Random(seed)
    with tempfile.TemporaryDirectory() as folder:
        root, recipe = Path(folder) / "journal", chain("fractal_noise", "terrace")[0]

        def run(writer):
            from PyQt6.QtCore import QCoreApplication, QTimer

            from gelande.app.document import Document

            app, count = QCoreApplication([]), [0]
            document = Document(root)
            document.start(recipe, None)

            def edit():
                count[0] += 1
                document.edit("x", lambda r: replace(r, seed=count[0]))
                os.write(writer, struct.pack("=di", time.monotonic(), count[0]))

            timer = QTimer(interval=draw.choice((5, 20, 60)))
            timer.timeout.connect(edit)
            timer.start()
            app.exec()

        written, killed = _killed(run, draw.uniform(0.0, 3.5), 12)
        edits = list(struct.iter_unpack("=di", written[: len(written) - len(written) % 12]))
        found = lost_work(root)
        kept = found[0].recipe.seed if found else 0
        due = max((n for when, n in edits if when < killed - MOST_LOST), default=0)
        if kept < due:
            return f"edit {due} was {MOST_LOST} s old and is lost; {kept} was kept"
        leftovers = (
            [p.name for f in root.glob("*") for p in f.iterdir() if p.name not in ("recipe.gelande", "about.json")]
            if root.exists()
            else []
        )
        return f"left behind after the next start: {leftovers}" if leftovers else ""


def saving(seed: int) -> str:
    """One kill while a recipe is saved again and again."""
    from gelande.core.files.disk import sweep
    from gelande.core.recipe.recipefile import load, save

    draw = random.Random(seed)
    recipes = [replace(chain("fractal_noise", *["terrace"] * n)[0], seed=n) for n in (1, 30)]
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "work.gelande"
        save(recipes[0], path)

        def run(writer):
            os.write(writer, b"x")
            while True:
                for recipe in recipes:
                    save(recipe, path)

        _killed(run, draw.uniform(0.0, 0.12))
        seeds = load(path).seed
        sweep(Path(folder))  # what opening the recipe does
        left = sorted(os.listdir(folder))
        return "" if seeds in (1, 30) and left == ["work.gelande"] else f"seed {seeds}, left {left}"


def building(seed: int) -> str:
    """One kill while a delivery is built, and the next build."""
    import numpy as np
    import rasterio

    from gelande.core.evaluate.executor import Evaluator
    from gelande.core.recipe.deliverables import Deliverable
    from gelande.deliver import build as B
    from gelande.kernels import bands

    draw = random.Random(seed)
    recipe, (noise, terrace) = chain("fractal_noise", "terrace")
    recipe = replace(
        recipe,
        deliverables=tuple(
            Deliverable(f"D{k}", terrace, port, form)
            for k, (port, form) in enumerate(
                (
                    ("height", "height_tiff32"),
                    ("height", "height_png16"),
                    ("riser", "mask_png8"),
                    ("riser", "mask_png16"),
                )
            )
        ),
    )
    with tempfile.TemporaryDirectory() as folder:
        out = Path(folder) / "out"

        def run(writer):
            bands.set_threads(1)  # the pool of the process that was forked is not here
            os.write(writer, b"x")
            while True:
                B.build(recipe, draw.choice((2, 3)), out, Evaluator())

        _killed(run, draw.uniform(0.0, 1.2))
        for file in out.glob("*.*") if out.exists() else ():
            if file.is_file() and file.suffix in (".png", ".tif"):
                with rasterio.open(file) as image:
                    if not np.isfinite(image.read(1)).all():
                        return f"{file.name} holds samples that are not numbers"
        bands.set_threads(1)
        items = B.build(recipe, 2, out, Evaluator())
        left = sorted(os.listdir(out))
        due = ["test_d0.tif", "test_d1.png", "test_d2.png", "test_d3.png", "test_import.html", "test_manifest.json"]
        return "" if left == due and all(i.state == B.DONE for i in items) else f"after the next build: {left}"


def _program(*words: str) -> subprocess.Popen:
    """Gelande's command line in a process group of its own."""
    env = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
    command = [sys.executable, "-m", "gelande", *words]
    return subprocess.Popen(command, env=env, start_new_session=True, stdout=subprocess.PIPE, stderr=subprocess.STDOUT)


def _killed_program(words: list[str], draw: random.Random, due: float) -> str:
    """Kills a program, and not its children, at some moment of the seconds that are due. Returns what it left
    running, or ""."""
    program = _program(*words)
    time.sleep(draw.uniform(0.2, 1.05) * due)
    program.kill()
    program.wait()
    program.stdout.close()
    end = time.monotonic() + 60
    while time.monotonic() < end:
        try:
            os.killpg(program.pid, 0)
        except ProcessLookupError:
            return ""
        time.sleep(0.2)
    os.killpg(program.pid, signal.SIGKILL)
    return "workers still ran a minute after their deliverer was killed"


def _timed(words: list[str]) -> float:
    began = time.monotonic()
    program = _program(*words)
    said = program.communicate()[0]
    assert program.returncode == 0, said
    return time.monotonic() - began


@cache
def _farmed() -> tuple[Path, dict[str, str], float]:
    """A recipe, the digests of its delivery, and the seconds that workers need for it."""
    from test_farm import land, sums

    from gelande.core.recipe.recipefile import save

    folder = Path(tempfile.mkdtemp())
    save(land(tile=65), folder / "land.gelande")
    words = ["build", str(folder / "land.gelande"), "--detail", "257", "--out", str(folder / "out")]
    due = _timed([*words, "--workers", "2"])
    return folder / "land.gelande", sums(folder / "out"), due


def farming(seed: int) -> str:
    """One kill of a program whose workers build a delivery, and the next build."""
    from test_farm import sums

    recipe, good, due = _farmed()
    with tempfile.TemporaryDirectory() as folder:
        words = ["build", str(recipe), "--detail", "257", "--out", folder]
        if fault := _killed_program([*words, "--workers", "2"], random.Random(seed), due):
            return fault
        said = _program(*words).communicate()[0]
        found, left = sums(Path(folder)), [p.name for p in Path(folder).iterdir() if p.is_dir()]
        return "" if found == good and not left else f"other files than of one that was let be; {left}; {said[-300:]!r}"


@cache
def _sheet() -> float:
    with tempfile.TemporaryDirectory() as folder:
        return _timed(["variants", str(_farmed()[0]), "--by", "seed", "1..6", "--sheet", f"{folder}/sheet.png"])


def sheets(seed: int) -> str:
    """One kill of a program that writes a sheet of variants over an older one."""
    from PIL import Image

    with tempfile.TemporaryDirectory() as folder:
        sheet = Path(folder) / "sheet.png"
        Image.new("L", (8, 8)).save(sheet)
        words = ["variants", str(_farmed()[0]), "--by", "seed", "1..6", "--sheet", str(sheet)]
        if fault := _killed_program(words, random.Random(seed), _sheet()):
            return fault
        with Image.open(sheet) as image:
            image.load()
        said = _program(*words).communicate()[0]
        left = sorted(os.listdir(folder))
        return "" if left == ["sheet.png"] else f"left behind after the next sheet: {left}; {said[-300:]!r}"


def kill_all(count: int) -> dict:
    """So many kills of each kind, of programs with workers and sheets a third. The editing ones run side by side."""
    faults: list[str] = []
    figures: dict = {}
    few = max(2, count // 3)
    runs = ((editing, count), (saving, count), (building, count), (farming, few), (sheets, few))
    for run, count in runs:
        name = run.__name__
        with ThreadPoolExecutor(4 if name == "editing" else 1) as pool:
            found = [f"{name}: {fault}" for fault in pool.map(_guarded(run), range(count)) if fault]
        figures[f"kills while {name}"] = f"{count}, {len(found)} of them with a fault"
        faults += found
    return {**figures, "faults": faults}


def _guarded(run):
    def one(seed):
        try:
            return run(seed)
        except BaseException as error:
            return f"{type(error).__name__}: {error}"

    return one
