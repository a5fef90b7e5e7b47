"""Writes two sheets into docs/screenshots: every weather node before and after, and the demo at 513 beside 2049.
Run: .venv/bin/python tools/make_sheets.py"""

import sys
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont

sys.path.insert(0, str(Path(__file__).parent))

from make_gallery import tinted, weathered  # noqa: E402

from gelande.app.theme import LIGHT  # noqa: E402
from gelande.app.view.camera import Camera  # noqa: E402
from gelande.app.view.relief import OFFSETS, Look, Scene, render, to_pixels  # noqa: E402
from gelande.core import walk  # noqa: E402
from gelande.core.evaluate import Cache, Evaluator, Job  # noqa: E402
from gelande.core.node import spec_of  # noqa: E402
from gelande.core.query import (  # noqa: E402
    ground_of,
    last_node,  # noqa: E402
    water_over,
)
from gelande.core.recipe import load  # noqa: E402

ROOT = Path(__file__).parents[1]
OUT = ROOT / "docs" / "screenshots"
#: Where each node is looked at: share of the site from the west and from the north, and how much nearer than from home.
PLACES = {
    "rain_erosion": (0.5, 0.5, 0.5),
    "scree": (0.72, 0.55, 0.8),
    "silt": (0.2, 0.25, 0.72),
    "stream_channels": (0.45, 0.72, 0.8),
    "lakes": (0.2, 0.25, 0.76),
    "sea": (0.5, 0.6, 0.6),
    "snow": (0.6, 0.35, 0.6),
    "wind": (0.5, 0.8, 0.8),
    "boulders": (0.5, 0.8, 0.92),
    "pitting": (0.5, 0.8, 0.86),
}
FONT = ROOT / "src" / "gelande" / "app" / "fonts"


def shot(height, dx, size, at=(0.52, 0.45, 0.5), albedo=None, water=None) -> Image.Image:
    """A relief picture from the south-west, looking at a place of the site."""
    scene = Scene(height, dx, albedo, Look(), water)
    camera = Camera.home(scene.outline, size[0] / size[1])
    east, north = scene.width * at[0], scene.depth * (1 - at[1])
    camera = camera.towards(np.array([east, north, scene.ground(east, north)]), at[2])
    total = None
    for offset in OFFSETS:
        total, _ = render(scene, camera, *size, LIGHT.tones, jitter=offset, total=total)
    return Image.fromarray(to_pixels(total, len(OFFSETS))[..., [2, 1, 0]])


def weather():
    """Before and after of every weather node at 1025, two nodes a row; what its mask shows is in a colour of its
    kind."""
    size, level, font = (380, 240), 4, ImageFont.truetype(str(sorted(FONT.glob("*Condensed*.ttf"))[0]), 15)
    sheet = Image.new("RGB", (4 * size[0], 5 * size[1]))
    draw = ImageDraw.Draw(sheet)
    for k, (kind, at) in enumerate(PLACES.items()):
        recipe, node = weathered(kind)
        engine, job = Evaluator(Cache(2_000_000_000)), Job(recipe)
        source, port = recipe.nodes[node].inputs["height"]
        before, after = engine.result(job, source, level)[port], engine.result(job, node, level)
        dx = recipe.site.spacing(level)
        x, y = (k % 2) * 2 * size[0], (k // 2) * size[1]
        sheet.paste(shot(before, dx, size, at, tinted(kind, dict.fromkeys(after, np.zeros_like(before)))), (x, y))
        sheet.paste(
            shot(
                after["height"],
                dx,
                size,
                at,
                tinted(kind, after),
                water_over(engine, job, {node}, level, after["height"]),
            ),
            (x + size[0], y),
        )
        for left, word in ((x, "before"), (x + size[0], spec_of(kind).name)):
            draw.rectangle((left, y, left + draw.textlength(word, font) + 16, y + 24), (251, 250, 246))
            draw.text((left + 8, y + 3), word, fill=(34, 48, 58), font=font)
    sheet.quantize(250, dither=Image.Dither.FLOYDSTEINBERG).save(OUT / "weather-before-after.png", optimize=True)


def demo():
    """The demo's colours at 513 and at 2049, from the same place."""
    recipe = load(ROOT / "examples" / "varrowdale.gelande")
    engine, job, last = Evaluator(Cache(3_000_000_000)), Job(recipe), last_node(recipe)
    ground, size = ground_of(recipe, last), (640, 460)
    sheet = Image.new("RGB", (2 * size[0], size[1]))
    for k, level in enumerate((3, 5)):
        colour = engine.result(job, last, level)["colour"]
        height = engine.result(job, ground[0], level)[ground[1]]
        water = water_over(engine, job, walk.upstream(recipe, last), level, height)
        sheet.paste(shot(height, recipe.site.spacing(level), size, (0.5, 0.47, 0.62), colour, water), (k * size[0], 0))
    sheet.save(OUT / "demo-513-2049.png", optimize=True)


if __name__ == "__main__":
    weather()
    demo()
