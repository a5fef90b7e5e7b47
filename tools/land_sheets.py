"""Sheets of hillshades at one scale, 8 m a pixel: every changed node before and after, twelve lands, and eight
landforms under rain of three strengths.

Run: PYTHONPATH=src .venv/bin/python tools/land_sheets.py [earlier checkout]. With an earlier checkout: its nodes beside
those of this one in docs/sheets/nodes.png and its examples in docs/sheets/examples.png; without: docs/sheets/lands.png
and form.png alone."""

import os
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw

from gelande.prepare import forget_stale  # noqa: E402

ROOT = Path(__file__).resolve().parent.parent
SIDE, GAP = 380, 6
#: Title and the chain of nodes with their settings.
ROUGH = ("surface_noise", {})
NODES = {
    "Rain erosion": (("ridge_noise", {}), ROUGH, ("rain_erosion", {})),
    "Scree": (("fractal_noise", {"relief": 900.0}), ("terrace", {}), ("scree", {})),
    "Snow": (("massif", {}), ("rain_erosion", {}), ("snow", {"snow_line": 300.0})),
    "Terrace": (("fractal_noise", {"relief": 600.0}), ("terrace", {})),
    "Strata": (("massif", {}), ("strata", {})),
    "Stream channels": (
        ("fractal_noise", {}),
        ("rain_erosion", {"strength": 0.2}),
        ("stream_channels", {"width": 40.0}),
    ),
    "Lakes": (("fractal_noise", {}), ("lakes", {})),
    "Massif": (("massif", {"radius": 1500.0}),),
    "Plateau": (("plateau", {}),),
    "Valley": (("valley", {}),),
    "Ring wall": (("ring_wall", {"irregularity": 0.5}),),
    "Dunes, transverse": (("dunes", {}),),
    "Dunes, crescents": (("dunes", {"kind": "crescents"}),),
    "Tilted slabs": (("tilted_slabs", {"spacing": 420.0}),),
}
RAIN = "rain_erosion"
LANDS = {
    "Ridge noise, rain 20 %": (("ridge_noise", {"seed": 4}), ROUGH, (RAIN, {"strength": 0.2})),
    "Ridge noise, rain 50 %": (("ridge_noise", {"seed": 5}), ROUGH, (RAIN, {})),
    "Ridge noise, rain 80 %, scree": (("ridge_noise", {"seed": 6}), ROUGH, (RAIN, {"strength": 0.8}), ("scree", {})),
    "Fractal noise, rain 20 %": (("fractal_noise", {"seed": 7}), ROUGH, (RAIN, {"strength": 0.2})),
    "Fractal noise, rain, streams": (("fractal_noise", {"seed": 8}), ROUGH, (RAIN, {}), ("stream_channels", {})),
    "Fractal noise, rain 80 %": (("fractal_noise", {"seed": 9}), ROUGH, (RAIN, {"strength": 0.8})),
    "Massif, rain 20 %": (("massif", {"seed": 10}), ROUGH, (RAIN, {"strength": 0.2})),
    "Massif, rain, scree": (("massif", {"seed": 11}), ROUGH, (RAIN, {}), ("scree", {})),
    "Jagged massif, rain 80 %": (("massif", {"character": "jagged"}), ROUGH, (RAIN, {"strength": 0.8})),
    "Plateau, rain 20 %, scree": (("plateau", {"seed": 3}), ROUGH, (RAIN, {"strength": 0.2}), ("scree", {})),
    "Tilted slabs, rain 30 %": (("tilted_slabs", {}), ROUGH, (RAIN, {"strength": 0.3})),
    "Ring wall, rain 30 %": (("ring_wall", {"irregularity": 0.5}), ROUGH, (RAIN, {"strength": 0.3})),
}


#: Landforms whose form rain keeps, and what is done to each.
FORMS = ("massif", "plateau", "ridge_noise", "fractal_noise", "tilted_slabs", "ring_wall", "cone", "valley")
BEDS = {"strength": 0.5, "beds": "in_beds", "gully_spacing": 160.0, "ravines": 0.0}
RAINS = {"as it was": None, "rain 20 %": {"strength": 0.2}, "rain 50 %": {}, "rain 80 %": {"strength": 0.8}}


def forms(folder: Path):
    """Eight landforms: as they were, under rain of three strengths, and in beds; all of the site, a sample a pixel."""
    for name, ways in (("form.png", RAINS), ("beds.png", {"as it was": None, "rain 50 %, rock in beds": BEDS})):
        rows = []
        for kind in FORMS:
            land = (kind, {"seed": 31} if kind not in ("cone",) else {})
            chains = {way: (land,) if how is None else (land, (RAIN, how)) for way, how in ways.items()}
            rows.append([(f"{kind.replace('_', ' ')}, {way}", shade(c, 513)) for way, c in chains.items()])
        if len(ways) < 3:
            rows = [rows[k] + rows[k + 1] for k in range(0, len(rows), 2)]
        sheet(folder / name, rows, 513)


def examples(folder: Path, earlier_root: str):
    """The pictures of all examples, of an earlier checkout and of this one."""
    pairs = []
    for path in sorted((ROOT / "examples").glob("*.png")):
        before = Path(earlier_root) / "examples" / path.name
        if before.exists():
            pairs += [
                (f"{path.stem}, {when}", np.array(Image.open(p).convert("RGB")))
                for when, p in (("before", before), ("after", path))
            ]
    sheet(folder / "examples.png", [pairs[k : k + 6] for k in range(0, len(pairs), 6)], 240, 150)


def shade(steps, side: int = SIDE) -> np.ndarray:
    """A hillshade of the middle of a chain of nodes, with its water."""
    from gelande.core.evaluate.executor import Cache, Evaluator, Job
    from gelande.core.recipe import graph
    from gelande.kernels.measure import hillshade

    recipe, last = graph.Recipe(), None  # earlier checkouts have it there, too
    for kind, params in steps:
        recipe, node = graph.add(recipe, kind, params=params)
        recipe = recipe if last is None else graph.link(recipe, last, "height", node, "height")
        last = node
    made = Evaluator(Cache(1_000_000_000)).raw(Job(recipe), last, 3)
    height = made["height"]
    grey = np.repeat(255 * hillshade(height, recipe.site.spacing(3), exaggeration=1.2)[..., None], 3, 2)
    if "_surface" in made and steps[-1][0] != "snow":
        wet = made["_surface"] > height
        grey[wet] = 0.4 * grey[wet] + 0.6 * np.array([52, 92, 140])
    first = (height.shape[0] - side) // 2
    return grey[first : first + side, first : first + side].astype(np.uint8)


def tiles(chains: dict) -> dict[str, np.ndarray]:
    return {name: shade(steps) for name, steps in chains.items()}


def earlier(root: str) -> dict[str, np.ndarray]:
    """The same chains made by another checkout of this program."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "tiles.npz"
        env = {**os.environ, "PYTHONPATH": str(Path(root) / "src")}
        subprocess.run([sys.executable, __file__, "--tiles", str(path)], env=env, check=True)
        with np.load(path) as held:
            return {name: held[name] for name in NODES}


def sheet(path: Path, rows: list[list[tuple[str, np.ndarray]]], side: int = SIDE, tall: int = 0):
    across, tall = max(map(len, rows)), tall or side
    image = Image.new("RGB", (across * (side + GAP), len(rows) * (tall + 20 + GAP)), "white")
    draw = ImageDraw.Draw(image)
    for r, row in enumerate(rows):
        for c, (title, tile) in enumerate(row):
            x, y = c * (side + GAP), r * (tall + 20 + GAP)
            image.paste(Image.fromarray(tile), (x, y + 18))
            draw.text((x + 2, y + 3), title, "black")
    path.parent.mkdir(parents=True, exist_ok=True)
    colours = 48 if side > SIDE else 256 if tall < side else 128
    image.quantize(colours, Image.Quantize.MAXCOVERAGE if colours == 256 else None).save(path, optimize=True)


def main():
    if sys.argv[1:2] == ["--tiles"]:
        np.savez(sys.argv[2], **tiles(NODES))
        return
    folder = ROOT / "docs" / "sheets"
    if len(sys.argv) > 1:
        before, after = earlier(sys.argv[1]), tiles(NODES)
        pairs = [[(f"{n}, before", before[n]), (f"{n}, after", after[n])] for n in NODES]
        sheet(
            folder / "nodes.png",
            [pairs[k] + (pairs[k + 1] if k + 1 < len(pairs) else []) for k in range(0, len(pairs), 2)],
        )
        examples(folder, sys.argv[1])
    lands = list(tiles(LANDS).items())
    sheet(folder / "lands.png", [lands[k : k + 4] for k in range(0, len(lands), 4)])
    forms(folder)


if __name__ == "__main__":
    forget_stale()  # figures and pictures are never of a mixture of old and new machine code
    main()
