"""Writes sheets into docs/screenshots: every weather node before and after, the ramp library, and, where a folder with
earlier recipes is named, the landscapes' colours before and after. Run: .venv/bin/python tools/make_sheets.py [weather]
[ramps] [FOLDER]"""

import sys
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont

sys.path.insert(0, str(Path(__file__).parent))

from make_gallery import tinted, weathered  # noqa: E402

from gelande.app.theme import LIGHT  # noqa: E402
from gelande.core.evaluate.executor import Cache, Evaluator, Job  # noqa: E402
from gelande.core.evaluate.query import ground_of, last_node, water_over
from gelande.core.recipe import walk  # noqa: E402
from gelande.core.recipe.node import spec_of  # noqa: E402
from gelande.core.recipe.ramps import library  # noqa: E402
from gelande.core.recipe.recipefile import load  # noqa: E402
from gelande.kernels.curves import ramp_table, to_srgb  # noqa: E402
from gelande.prepare import forget_stale  # noqa: E402
from gelande.scene.camera import Camera  # noqa: E402
from gelande.scene.relief import OFFSETS, Look, Scene, render, to_pixels  # noqa: E402

ROOT = Path(__file__).parents[1]
OUT = ROOT / "docs" / "screenshots"
#: Where each node is looked at: share of the site from the west and from the north, and how much nearer than from home.
PLACES = {
    "rain_erosion": (0.5, 0.5, 0.5),
    "scree": (0.72, 0.55, 0.8),
    "silt": (0.42, 0.62, 0.66),
    "stream_channels": (0.45, 0.72, 0.8),
    "lakes": (0.43, 0.66, 0.72),
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


#: Where each landscape is looked at from near: as PLACES.
LANDS = {"varrowdale": (0.5, 0.47, 0.72), "skerrin-sound": (0.52, 0.5, 0.72), "oru": (0.4, 0.45, 0.76)}


def coloured(path: Path, level: int, at, size) -> Image.Image:
    """The last colour of a recipe on its ground, from a place."""
    recipe = load(path)
    engine, job, last = Evaluator(Cache(3_000_000_000)), Job(recipe), last_node(recipe)
    ground = ground_of(recipe, last)
    colour = engine.result(job, last, level)["colour"]
    height = engine.result(job, ground[0], level)[ground[1]]
    water = water_over(engine, job, walk.upstream(recipe, last), level, height)
    return shot(height, recipe.site.spacing(level), size, at, colour, water)


def colours(earlier: Path):
    """The three landscapes far at 513 and near at 513 and 2049: as they are, and above that as an earlier recipe in a
    folder had them."""
    size, font = (470, 320), ImageFont.truetype(str(sorted(FONT.glob("*Condensed*.ttf"))[0]), 15)
    views = [("far at 513", 3, (0.5, 0.5, 0.0)), ("near at 513", 3, None), ("near at 2049", 5, None)]
    rows = [(name, folder) for name in LANDS for folder in (earlier, ROOT / "examples")]
    sheet = Image.new("RGB", (len(views) * size[0], len(rows) * size[1]))
    draw = ImageDraw.Draw(sheet)
    for k, (name, folder) in enumerate(rows):
        for n, (words, level, at) in enumerate(views):
            x, y = n * size[0], k * size[1]
            sheet.paste(coloured(folder / f"{name}.gelande", level, at or LANDS[name], size), (x, y))
            told = f"{'before' if folder == earlier else 'after'}, {words}"
            draw.rectangle((x, y, x + draw.textlength(told, font) + 16, y + 24), (251, 250, 246))
            draw.text((x + 8, y + 3), told, fill=(34, 48, 58), font=font)
    sheet.quantize(250, dither=Image.Dither.FLOYDSTEINBERG).save(OUT / "colours.png", optimize=True)


def ramps():
    """The ramp library: a strip a ramp, with its name, by what the ground is of."""
    font = ImageFont.truetype(str(sorted(FONT.glob("*Condensed*.ttf"))[0]), 14)
    wide, tall, columns = 210, 40, 6
    groups: dict[str, list] = {}
    for ramp in library():
        groups.setdefault(ramp.group, []).append(ramp)
    rows = sum(1 + -(-len(found) // columns) for found in groups.values())
    sheet = Image.new("RGB", (columns * wide + 16, rows * tall + 16), (251, 250, 246))
    draw, y = ImageDraw.Draw(sheet), 8
    for group, found in groups.items():
        draw.text((12, y + 16), group, fill=(180, 104, 46), font=font)
        y += tall
        for k, ramp in enumerate(found):
            x, top = 8 + (k % columns) * wide, y + (k // columns) * tall
            strip = to_srgb(ramp_table(ramp.stops, wide - 14))[None].repeat(18, 0) * 255
            sheet.paste(Image.fromarray(np.rint(strip).astype(np.uint8)), (x + 4, top))
            draw.text((x + 4, top + 19), ramp.name, fill=(34, 48, 58), font=font)
        y += -(-len(found) // columns) * tall
    sheet.save(OUT / "ramps.png", optimize=True)


if __name__ == "__main__":
    forget_stale()  # figures and pictures are never of a mixture of old and new machine code
    made = {"weather": weather, "ramps": ramps}
    for name in sys.argv[1:] or made:
        made[name]() if name in made else colours(Path(name))
