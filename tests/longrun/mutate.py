"""Mutated recipes: none may raise anything but our own errors, take over 5 s or over 500 MB."""

from __future__ import annotations

import copy
import json
import multiprocessing
import random
import resource
import time
from dataclasses import replace
from pathlib import Path

from support import chain

MOST_SECONDS, MOST_BYTES = 5.0, 500_000_000
JUNK = (
    None,
    True,
    False,
    0,
    -1,
    1,
    0.5,
    1e308,
    -1e308,
    10**30,
    2**63,
    "",
    "x",
    "../../x",
    "/etc/passwd",
    "\x1b[2J",
    "é" * 300,
    "y" * 100_000,
    [],
    {},
    [[]],
    {"a": {}},
    [1, 2, 3],
    "fractal_noise_1.height",
    "terrace_1",
    ".",
    "..",
    "a.b.c",
    "group",
    "junction",
    "seed",
    [0, 0],
    [1e9, -1e9],
    "NaN",
)
TOKENS = (
    "NaN",
    "Infinity",
    "-Infinity",
    "1e999",
    "9" * 400,
    "9" * 4301,
    '"\\ud800"',
    "[" * 300,
    "null",
    '"\\u0000"',
    "//",
    ",",
    "}",
    "{",
    ":",
    "\ufeff",
    "-",
    "0x1",
    "1.",
    '"' + "z" * 20_000 + '"',
)


def bases() -> list[str]:
    """Small recipes that hold every kind of thing a recipe can."""
    from gelande.core.recipe import control, graph, group
    from gelande.core.recipe.deliverables import Deliverable
    from gelande.core.recipe.model import Bake
    from gelande.core.recipe.recipefile import dumps
    from gelande.core.recipe.site import Site
    from gelande.samples import sample_strokes

    recipe, ids = chain("fractal_noise", "terrace", "rain_erosion", site=Site.fitted("Base", 2000, 1000))
    recipe = control.publish(control.publish(recipe, ids[1], "riser_height"), control.RECIPE, "seed")
    recipe, band = graph.add(recipe, "height_band")
    recipe = graph.link(recipe, ids[0], "height", band, "height")
    recipe = graph.link(recipe, band, "mask", ids[1], "mask")
    recipe, ramp = graph.add(recipe, "colour_ramp")
    recipe = graph.link(recipe, ids[2], "height", ramp, "driver")
    recipe = replace(
        recipe,
        deliverables=(
            Deliverable("Height", ids[2], "height", "height_png16"),
            Deliverable("Flow", ids[2], "flow", "mask_png8"),
        ),
    )
    first = dumps(recipe)
    packed, inside = group.pack(recipe, [ids[1]])
    packed = group.frame(packed, [ids[0]])[0]
    packed = group.set_cairn(packed, ids[0], "height")[0]
    packed, note = graph.add(packed, "note")
    packed, brushed = graph.add(packed, "brushed_height", params={"strokes": sample_strokes(packed.site, 40.0)})
    packed = graph.link(packed, ids[0], "height", brushed, "height")
    packed = packed.with_node(
        brushed, replace(packed.nodes[brushed], bake=Bake("0" * 32, 2, "base.bakes/brushed-1234"))
    )
    packed, elevation = graph.add(packed, "elevation_file", params={"file": "../up.tif"})
    return [first, dumps(packed), dumps(chain("ridge_noise", "junction", "smooth")[0]), dumps(chain("dome")[0])]


def _places(block, path=()):
    """Paths of everything in a block."""
    yield path
    if isinstance(block, dict):
        for key in block:
            yield from _places(block[key], (*path, key))
    elif isinstance(block, list):
        for k, inner in enumerate(block[:40]):
            yield from _places(inner, (*path, k))


def _at(block, path):
    for key in path:
        block = block[key]
    return block


def mutated(draw: random.Random, text: str, block) -> str:
    """A recipe's text with a few random changes, in its structure or in its characters."""
    if draw.random() < 0.7:
        block = copy.deepcopy(block)
        for _ in range(draw.choice((1, 1, 1, 2, 3))):
            places = [p for p in _places(block) if p]
            if not places:
                break
            path = draw.choice(places)
            inner, key = _at(block, path[:-1]), path[-1]
            way = draw.randrange(6)
            if way == 0:
                del inner[key]
            elif way == 1:
                inner[key] = copy.deepcopy(_at(block, draw.choice(places)))
            elif way == 2 and isinstance(inner, dict):
                inner[
                    draw.choice(("x", "fractal_noise_1", "mask", "ground", "group", "frame", "bake", str(key) + "_2"))
                ] = copy.deepcopy(inner[key])
            elif way == 3 and isinstance(inner[key], (int, float)) and not isinstance(inner[key], bool):
                inner[key] = inner[key] * draw.choice((-1, 0, 2, 1000, 1e6, 1e-6)) + draw.choice((0, 1, -1))
            elif way == 4 and isinstance(inner, list):
                inner.extend(copy.deepcopy(inner) * draw.choice((1, 3, 30)))
            else:
                inner[key] = copy.deepcopy(draw.choice(JUNK))
        return json.dumps(block, ensure_ascii=draw.random() < 0.5)
    for _ in range(draw.choice((1, 1, 2, 4))):
        a = draw.randrange(len(text) + 1)
        b = min(len(text), a + draw.choice((0, 1, 1, 3, 20, 400)))
        text = (
            text[:a]
            + draw.choice(("", draw.choice(TOKENS), text[b : b + 30], chr(draw.randrange(32, 0x500))))
            + text[b:]
        )
    return text


def _load_many(seed: int, count: int, kept: int) -> dict:
    """Loads so many mutated recipes in this process. Returns what was found, with some of those that load."""
    from gelande.core.errors import GelandeError
    from gelande.core.recipe.recipefile import dumps, loads

    draw, texts = random.Random(seed), bases()
    blocks = [json.loads(t) for t in texts]
    faults, good, loaded, slowest = [], [], 0, 0.0
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    for _ in range(count):
        k = draw.randrange(len(texts))
        text = mutated(draw, texts[k], blocks[k])
        began = time.perf_counter()
        try:
            recipe = loads(text)
            loads(dumps(recipe))  # what loads can be saved and loaded again
            loaded += 1
            if len(good) < kept:
                good.append(text)
        except GelandeError as error:
            told = str(error)
            if len(told) > 300 or not told.isprintable():
                faults.append(f"a message of {len(told)} characters: {told[:80]!r}")
        except BaseException as error:
            faults.append(f"{type(error).__name__}: {str(error)[:200]} from {text[:3000]!r}")
        slowest = max(slowest, time.perf_counter() - began)
    peak = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) * 1024
    return {"faults": faults, "good": good, "loaded": loaded, "slowest": slowest, "peak": peak}


def load_all(count: int, kept: int) -> tuple[dict, list[str]]:
    """Mutated recipes through the loader, on two processes."""
    parts = 8
    with multiprocessing.get_context("spawn").Pool(2) as pool:
        found = pool.starmap(_load_many, [(1000 + p, count // parts, kept // parts) for p in range(parts)])
    faults = [f for one in found for f in one["faults"]]
    slowest, peak = max(one["slowest"] for one in found), max(one["peak"] for one in found)
    if slowest > MOST_SECONDS:
        faults.append(f"one took {slowest:.1f} s")
    if peak > MOST_BYTES:
        faults.append(f"they took {peak / 1e6:.0f} MB")
    figures = {
        "mutated recipes": f"{count} loaded, {sum(one['loaded'] for one in found)} of them sound",
        "slowest": f"{slowest:.2f} s",
        "most memory over the start": f"{peak / 1e6:.0f} MB",
        "faults": faults,
    }
    return figures, [g for one in found for g in one["good"]]


def open_all(texts: list[str], folder: Path) -> dict:
    """Sound mutated recipes, opened in the window, computed and drawn."""
    from support import Waiter, application

    from gelande.app.crash_handler import crash_handler
    from gelande.app.window import Window

    application()
    crash_handler.seen = []
    window, wait, faults, slowest = Window(False, folder / "journal"), Waiter(60), [], 0.0
    window.set_detail(1)
    window.set_room({"memory": 0.2, "disk": 0.1})
    window.resize(900, 600)
    window.show()
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    for k, text in enumerate(texts):
        path = folder / "mutated.gelande"
        path.write_text(text, encoding="utf-8", errors="replace")
        began = time.perf_counter()
        try:
            window.document._saved = window.document.recipe
            window.filing.open_path(path)
            window.go({3: "Deliver", 7: "Variants"}.get(k % 10, "Compose"))
            wait.still(window, 50)
        except AssertionError as error:
            faults.append(f"{error}: {text[:2000]!r}")
        took = time.perf_counter() - began
        if window.pages.currentWidget() is not window.variants:  # nine variants are nine recipes
            slowest = max(slowest, took)
            if took > MOST_SECONDS:
                faults.append(f"one took {took:.1f} s: {text[:2000]!r}")
        if crash_handler.seen:
            faults += [f"{type(e).__name__}: {str(e)[:200]} from {text[:2000]!r}" for e in crash_handler.seen]
            crash_handler.seen, crash_handler._told = [], {}
    peak = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) * 1024
    if peak > MOST_BYTES:
        faults.append(f"they took {peak / 1e6:.0f} MB")
    window.document._saved = window.document.recipe
    window.close()
    return {
        "opened in the window": f"{len(texts)} sound ones, computed and drawn",
        "slowest": f"{slowest:.2f} s",
        "most memory over the start": f"{peak / 1e6:.0f} MB",
        "faults": faults,
    }
