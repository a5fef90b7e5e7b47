"""Makes one relief picture a node for the help pages and docs/gallery.md. Run: .venv/bin/python
tools/make_gallery.py [kind ...]"""

import sys
import tempfile
from pathlib import Path

import numpy as np
from PIL import Image

from gelande.app.theme import LIGHT
from gelande.core.evaluate.executor import Evaluator, Job
from gelande.core.evaluate.query import ground_of, water_over
from gelande.core.recipe import graph
from gelande.core.recipe.node import CATEGORIES, registry
from gelande.core.recipe.recipefile import load
from gelande.prepare import forget_stale
from gelande.samples import sample_recipe
from gelande.scene.camera import Camera
from gelande.scene.relief import OFFSETS, Look, Scene, render, to_pixels
from gelande.scene.tints import albedo_of

ROOT = Path(__file__).parents[1]
OUT = ROOT / "src" / "gelande" / "app" / "gallery"
WIDTH, HEIGHT, LEVEL = 300, 200, 3


#: The mask of a weather node that its picture shows, and the colour it shows it in.
SHADES = {
    "snow": ("snow", (0.86, 0.88, 0.92)),
    "scree": ("scree", (0.50, 0.47, 0.43)),
    "boulders": ("boulders", (0.46, 0.44, 0.41)),
    "silt": ("silt", (0.33, 0.25, 0.15)),
    "wind": ("drift", (0.62, 0.50, 0.30)),
    "lakes": ("shore", (0.50, 0.45, 0.34)),
    "sea": ("shore", (0.60, 0.55, 0.42)),
    "pitting": ("pits", (0.42, 0.38, 0.32)),
}


def tinted(kind: str, outputs: dict) -> np.ndarray:
    """Albedo of ground in grass with what the node's mask shows in a colour of its kind."""
    mask = (outputs[SHADES[kind][0]] if kind in SHADES else np.zeros_like(outputs["height"]))[..., None]
    return (np.array((0.34, 0.34, 0.23)) * (1 - mask) + np.array(SHADES.get(kind, ("", (0, 0, 0)))[1]) * mask).astype(
        np.float32
    )


def picture(kind: str) -> Image.Image:
    """The node's default result on sample input."""
    recipe, node = weathered(kind) if registry()[kind].category == "Weather" else sample_recipe(kind)
    if registry()[kind].reads_files:
        recipe = graph.set_param(recipe, node, "file", str(drawing()))
    engine, job = Evaluator(), Job(recipe)
    port = recipe.nodes[node].spec.main
    data = engine.result(job, node, LEVEL)[port.id]
    if ground_of(recipe, node) is None:  # a mask of its own is shown on some land
        recipe, _ = sample_recipe("smooth", recipe.site)
        node = "smooth_1"
    where, output = ground_of(recipe, node)
    job = Job(recipe)
    ground = engine.result(job, where, LEVEL)[output]
    albedo, water = albedo_of(port.kind if port.kind != "any" else "height", data), None
    if registry()[kind].category == "Weather":
        water = water_over(engine, job, {node}, LEVEL, ground)
        albedo = tinted(kind, engine.result(job, node, LEVEL))
    scene = Scene(ground, recipe.site.spacing(LEVEL), albedo, Look(), water)
    camera = Camera.home(scene.outline, WIDTH / HEIGHT)
    if registry()[kind].category == "Weather" and kind != "rain_erosion":
        camera = camera.towards(np.array([scene.width * 0.5, scene.depth * 0.55, scene.low]), 0.42)
    total = None
    for offset in OFFSETS:
        total, _ = render(scene, camera, WIDTH, HEIGHT, LIGHT.tones, jitter=offset, total=total)
    return Image.fromarray(to_pixels(total, len(OFFSETS))[..., [2, 1, 0]])


def drawing() -> Path:
    """A picture for nodes that read one: soft rings and a bar."""
    y, x = np.mgrid[0:512, 0:512] / 511 - 0.5
    rings = np.clip(0.5 + 2.2 * np.cos(38 * np.hypot(x + 0.12, y - 0.1)) * np.exp(-9 * (x * x + y * y)), 0, 1)
    bar = np.clip(8 * (0.06 - np.abs(x * 0.8 + y * 0.6 + 0.22)), 0, 1)
    file = Path(tempfile.mkdtemp()) / "drawing.png"
    Image.fromarray((np.maximum(rings * np.exp(-14 * (x * x + y * y)), bar) * 65535).astype(np.uint16)).save(file)
    return file


def weathered(kind: str):
    """A weather node on the land of the first example, before its water and snow; (recipe, node id)."""
    recipe = load(ROOT / "examples" / "varrowdale.gelande")
    named = {s.name: n for n, s in recipe.nodes.items()}
    params = {
        "sea": {"level": 85.0},
        "silt": {"filled": 1.0},
        "lakes": {"least_width": 30.0},
        "snow": {"snow_line": 200.0},
    }.get(kind)
    base = named[
        "Surface noise" if kind == "rain_erosion" else "Hollows left by ice" if kind != "scree" else "Lesser cliffs"
    ]
    recipe, node = graph.add(recipe, kind, params=params)
    return graph.link(recipe, base, "height", node, "height"), node


def main():
    OUT.mkdir(exist_ok=True)
    kinds = [k for k, s in registry().items() if s.outputs and s.category != "Order"]
    for kind in sys.argv[1:] or kinds:
        picture(kind).quantize(160, dither=Image.Dither.FLOYDSTEINBERG).save(OUT / f"{kind}.png", optimize=True)
    lines = [
        "# Gallery",
        "",
        "One picture a node with its defaults on sample input, made by `tools/make_gallery.py`.",
        "",
    ]
    for category in CATEGORIES:
        specs = sorted((registry()[k] for k in kinds if registry()[k].category == category), key=lambda s: s.name)
        if specs:
            lines += [
                f"## {category}",
                "",
                *(f"![{s.name}](../src/gelande/app/gallery/{s.kind}.png) **{s.name}**: {s.summary}\n" for s in specs),
            ]
    (ROOT / "docs" / "gallery.md").write_text("\n".join(lines))


if __name__ == "__main__":
    forget_stale()  # figures and pictures are never of a mixture of old and new machine code
    main()
