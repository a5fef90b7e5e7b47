"""Writes two sheets into docs/screenshots: every weather node before and after, and the demo at 513 beside 2049. Run: .venv/bin/python tools/make_sheets.py"""

import sys
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont

sys.path.insert(0, str(Path(__file__).parent))

from make_gallery import weathered  # noqa: E402

from gelande.app.compose.page import last_node  # noqa: E402
from gelande.app.engine import ground_of, water_over  # noqa: E402
from gelande.app.theme import PAPER  # noqa: E402
from gelande.app.view.camera import Camera  # noqa: E402
from gelande.app.view.relief import OFFSETS, Look, Scene, render, to_pixels  # noqa: E402
from gelande.core import graph  # noqa: E402
from gelande.core.evaluate import Cache, Evaluator, Job  # noqa: E402
from gelande.core.node import spec_of  # noqa: E402
from gelande.core.recipe import load  # noqa: E402

ROOT = Path(__file__).parents[1]
OUT = ROOT / "docs" / "screenshots"
KINDS = ("rain_erosion", "scree", "silt", "becks", "tarns", "sea", "snow", "wind", "boulders", "pitting")
FONT = ROOT / "src" / "gelande" / "app" / "fonts"


def shot(height, dx, size, near=0.5, albedo=None, water=None) -> Image.Image:
    """A relief picture, looking at the middle from the south-west."""
    scene = Scene(height, dx, albedo, Look(), water)
    camera = Camera.home(scene.width, scene.depth, scene.low, scene.high, size[0] / size[1])
    camera = camera.towards(np.array([scene.width * 0.52, scene.depth * 0.55, scene.low]), near)
    total = None
    for offset in OFFSETS:
        total, _ = render(scene, camera, *size, PAPER.tones, jitter=offset, total=total)
    return Image.fromarray(to_pixels(total, len(OFFSETS))[..., [2, 1, 0]])


def weather():
    """Before and after of every weather node at 513, two nodes a row."""
    size, font = (310, 190), ImageFont.truetype(str(sorted(FONT.glob("*Condensed*.ttf"))[0]), 15)
    sheet = Image.new("RGB", (4 * size[0], 5 * size[1]))
    draw = ImageDraw.Draw(sheet)
    for k, kind in enumerate(KINDS):
        recipe, node = weathered(kind)
        engine, job = Evaluator(Cache(2_000_000_000)), Job(recipe)
        source, port = recipe.nodes[node].inputs["height"]
        before, after = engine.result(job, source, 3)[port], engine.result(job, node, 3)["height"]
        dx = recipe.site.spacing(3)
        x, y = (k % 2) * 2 * size[0], (k // 2) * size[1]
        sheet.paste(shot(before, dx, size), (x, y))
        albedo = None
        if kind == "snow":
            mask = engine.result(job, node, 3)["snow"][..., None]
            albedo = (np.array((0.38, 0.37, 0.27)) * (1 - mask) + np.array((0.86, 0.88, 0.92)) * mask).astype(np.float32)
        sheet.paste(shot(after, dx, size, albedo=albedo, water=water_over(engine, job, {node}, 3, after)), (x + size[0], y))
        draw.text((x + 8, y + 6), "before", fill=(34, 48, 58), font=font)
        draw.text((x + size[0] + 8, y + 6), spec_of(kind).name, fill=(34, 48, 58), font=font)
    sheet.save(OUT / "weather-before-after.png", optimize=True)


def demo():
    """The demo's colours at 513 and at 2049, from the same place."""
    recipe = load(ROOT / "examples" / "varrowdale.gelande")
    engine, job, last = Evaluator(Cache(3_000_000_000)), Job(recipe), last_node(recipe)
    ground, size = ground_of(recipe, last), (640, 460)
    sheet = Image.new("RGB", (2 * size[0], size[1]))
    for k, level in enumerate((3, 5)):
        colour = engine.result(job, last, level)["colour"]
        height = engine.result(job, ground[0], level)[ground[1]]
        water = water_over(engine, job, graph.upstream(recipe, last), level, height)
        sheet.paste(shot(height, recipe.site.spacing(level), size, 0.62, colour, water), (k * size[0], 0))
    sheet.save(OUT / "demo-513-2049.png", optimize=True)


if __name__ == "__main__":
    weather()
    demo()
