"""Pictures of the demo and of other landscapes from near and far on one sheet, docs/screenshots/near.png. Run:
QT_QPA_PLATFORM=offscreen .venv/bin/python tools/near_pictures.py"""

import math
import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from gelande.core.evaluate.executor import Evaluator, Job
from gelande.core.evaluate.query import ground_under, last_of, shown_on
from gelande.core.evaluate.standing import standing
from gelande.core.recipe.recipefile import load
from gelande.core.regenerate.preset import apply_preset
from gelande.scene.camera import Camera
from gelande.scene.patches import Nest, Patch, windows_near
from gelande.scene.picture import pictured, whole_site
from gelande.scene.relief import GRAIN, PAPER, Look, Scene, render
from gelande.scene.things import Things
from gelande.scene.tints import albedo_of

ROOT = Path(__file__).parents[1]
FOLDER = ROOT / "examples"
#: Pixels of a picture, of its caption, and the place of somebody who stands on the ground: metres east and north, and
#: degrees.
SIZE, CAPTION, PLACE = (896, 560), 34, (2707.0, 3206.0, 135.0)
#: (recipe, camera or None for the whole land, sun, words) of other places.
OTHERS = (
    ("valley-head", "At the moraine", (300.0, 24.0), "Isenkar: the lake behind its moraine"),
    ("skerrin-sound", "Over the skerries", (262.0, 9.0), "Skerrin Sound, evening"),
    ("river-plain", "On the bank", (318.0, 34.0), "Lower Anwe, on the bank"),
    ("canyon", "On the rim", (240.0, 30.0), "Tarun gorge, on the rim"),
    ("ice-country", "Before the ice", (318.0, 22.0), "Hvalen ice"),
    ("tableland", "On the floor", (285.0, 14.0), "Table lands, late light"),
)


def scene_of(engine, recipe, level, sun=(318.0, 34.0)):
    """(scene, things) of a recipe at a level."""
    job, (node, port) = Job(recipe, FOLDER), last_of(recipe)["colour"]
    colour = engine.result(job, node, level)[port]
    under, water = ground_under(engine, job, node, port, level)
    look = Look(
        *sun, grain=GRAIN, air=True, bare=recipe.site.bare, water=recipe.site.sea_level if recipe.site.has_sea else None
    )
    return Scene(under, recipe.site.spacing(level), albedo_of("colour", colour), look, water), Things.of(
        standing(engine, job)
    )


def eye(scene):
    """Somebody who stands on the ground."""
    east, north, heading = PLACE
    return Camera(east, north, scene.surface(east, north) + 1.7, heading, -4.0, 50.0)


def with_patches(engine, recipe, scene, level, count):
    """Puts so many patches on a scene, as the view does while the camera rests. Returns metres between the finest
    samples."""
    camera = eye(scene)
    _, b = render(scene, camera, *SIZE, PAPER)
    pixel = 2 * math.tan(math.radians(camera.field / 2)) / SIZE[1]
    finest = recipe.site.levels[-1] - level
    windows = windows_near((b.kind, b.depth, b.column, b.row), pixel, scene.dx, scene.height.shape, finest)
    job, (node, port), patches = Job(recipe, FOLDER, whole=1), last_of(recipe)["colour"], []
    for k, window in windows[:count]:
        data, height, water = shown_on(engine, job, node, port, level + k, window)
        patches.append(Patch(2**k, window.top, window.left, height, "colour", data, water))
    scene.nest = Nest(scene, tuple(patches))
    return scene.nest.finest


def main() -> None:
    recipe, engine, made = load(FOLDER / "varrowdale.gelande"), Evaluator(), []

    def shot(scene, things, camera, words):
        made.append((pictured(scene, camera, SIZE, things=things), words))
        print(words, flush=True)

    scene, things = scene_of(engine, recipe, 3)
    shot(scene, things, whole_site(scene, SIZE, 28.0, -29.0), "Varrowdale, with birches, junipers and fallen blocks")
    shot(scene, things, eye(scene), "On the ground, 513 samples: one for every 8 m")
    finest = with_patches(engine, recipe, scene, 3, 3)
    shot(scene, things, eye(scene), f"The same a moment later: patches down to {finest:g} m a sample")
    whole, _ = scene_of(engine, recipe, 5)
    shot(whole, things, eye(whole), "The same place of a land delivered at 2049: 2 m a sample")
    evening, _ = scene_of(engine, recipe, 3, (268.0, 9.0))
    with_patches(engine, recipe, evening, 3, 2)
    shot(evening, things, eye(evening), "Evening")
    white = apply_preset(recipe, next(p for p in recipe.presets if p.name == "White winter"))[0]
    winter, cold = scene_of(engine, white, 3)
    with_patches(engine, white, winter, 3, 2)
    shot(winter, cold, replace(eye(winter), pitch=-3.0), "White winter")
    for name, camera, sun, words in OTHERS:
        other = load(FOLDER / f"{name}.gelande")
        scene, things = scene_of(Evaluator(), other, 3, sun)
        kept = next(c for c in other.cameras if c.name == camera)
        shot(scene, things, Camera(kept.east, kept.north, kept.height, kept.heading, kept.pitch), words)
    width, height = SIZE[0] + 4, SIZE[1] + CAPTION
    sheet = Image.new("RGB", (2 * width, -(-len(made) // 2) * height), (251, 250, 246))
    pen = ImageDraw.Draw(sheet)
    font = ImageFont.truetype(str(next((ROOT / "src/gelande/app/fonts").glob("*Sans*.ttf"))), 19)
    for k, (picture, words) in enumerate(made):
        x, y = k % 2 * width + 2, k // 2 * height + 2
        sheet.paste(Image.fromarray(np.ascontiguousarray(picture)), (x, y))
        pen.text((x + 8, y + SIZE[1] + 4), words, (34, 48, 58), font)
    out = ROOT / "docs" / "screenshots" / "near.png"
    sheet.quantize(256, dither=Image.Dither.FLOYDSTEINBERG).save(out, optimize=True)
    print("wrote", out)


if __name__ == "__main__":
    sys.exit(main())
