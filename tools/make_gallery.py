"""Makes one relief picture a node for the help pages and docs/gallery.md. Run: .venv/bin/python tools/make_gallery.py [kind ...]"""

import sys
from pathlib import Path

from PIL import Image

from gelande.app.engine import ground_of
from gelande.app.theme import PAPER
from gelande.app.view.camera import Camera
from gelande.app.view.relief import OFFSETS, Look, Scene, render, to_pixels
from gelande.app.view.renderer import albedo_of
from gelande.core import graph
from gelande.core.evaluate import Evaluator, Job
from gelande.core.node import CATEGORIES, registry
from gelande.prepare import sample_recipe

ROOT = Path(__file__).parents[1]
OUT = ROOT / "src" / "gelande" / "app" / "gallery"
WIDTH, HEIGHT, LEVEL = 300, 200, 3


def picture(kind: str) -> Image.Image:
    """The node's default result on sample input."""
    recipe, node = sample_recipe(kind)
    engine, job = Evaluator(), Job(recipe)
    port = recipe.nodes[node].spec.main
    data = engine.result(job, node, LEVEL)[port.id]
    where, output = ground_of(recipe, node)
    ground = engine.result(job, where, LEVEL)[output]
    scene = Scene(ground, recipe.site.spacing(LEVEL), albedo_of(graph.output_port(recipe, node, port.id).kind, data), Look())
    camera = Camera.home(scene.width, scene.depth, scene.low, scene.high, WIDTH / HEIGHT)
    total = None
    for offset in OFFSETS:
        total, _ = render(scene, camera, WIDTH, HEIGHT, PAPER.tones, jitter=offset, total=total)
    return Image.fromarray(to_pixels(total, len(OFFSETS))[..., [2, 1, 0]])


def main():
    OUT.mkdir(exist_ok=True)
    kinds = [k for k, s in registry().items() if s.outputs and k != "elevation_file" and s.category != "Order"]
    for kind in sys.argv[1:] or kinds:
        picture(kind).quantize(160, dither=Image.Dither.FLOYDSTEINBERG).save(OUT / f"{kind}.png", optimize=True)
    lines = ["# Gallery", "", "One picture a node with its defaults on sample input, made by `tools/make_gallery.py`.", ""]
    for category in CATEGORIES:
        specs = sorted((registry()[k] for k in kinds if registry()[k].category == category), key=lambda s: s.name)
        if specs:
            lines += [f"## {category}", "", *(f"![{s.name}](../src/gelande/app/gallery/{s.kind}.png) **{s.name}**: {s.summary}\n" for s in specs)]
    (ROOT / "docs" / "gallery.md").write_text("\n".join(lines))


if __name__ == "__main__":
    main()
