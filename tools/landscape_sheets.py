"""Sheets of the landscapes: as a whole, from near, and on the ground. Run: PYTHONPATH=src .venv/bin/python
tools/landscape_sheets.py"""

import tempfile
from pathlib import Path

from PIL import Image, ImageDraw, ImageFont

import gelande
from gelande.app.welcome import LANDSCAPES
from gelande.places import examples_folder
from gelande.prepare import forget_stale

ROOT = Path(__file__).parents[1]
OUT = ROOT / "docs" / "sheets"
FONT = sorted((ROOT / "src" / "gelande" / "app" / "fonts").glob("*Condensed*.ttf"))[0]
SIZE, COLUMNS, LINE = (320, 212), 4, 22
#: Names of the sheets, and which of a recipe's cameras they are seen by; none sees the whole land.
SHEETS = (("landscapes", None), ("landscapes-near", 1), ("landscapes-ground", 2))
#: Where somebody stands on lands that keep no camera.
STAND = "2000,1500,30"


def main():
    found: dict[str, list] = {name: [] for name, _ in SHEETS}
    with tempfile.TemporaryDirectory() as folder:
        for stem, words in LANDSCAPES.items():
            land = gelande.open(examples_folder() / f"{stem}.gelande")
            kept = land._recipe.cameras
            for name, number in SHEETS:
                camera = "" if number is None else kept[number].name if number < len(kept) else STAND
                path = Path(folder) / f"{stem}_{name}.png"
                land.picture(path, SIZE, camera, 513, passes=8)
                found[name].append((Image.open(path).convert("RGB"), words))
            print(words, flush=True)
        font = ImageFont.truetype(str(FONT), 15)
        for name, tiles in found.items():
            rows = -(-len(tiles) // COLUMNS)
            sheet = Image.new("RGB", (COLUMNS * SIZE[0], rows * (SIZE[1] + LINE)), (250, 249, 245))
            draw = ImageDraw.Draw(sheet)
            for k, (picture, words) in enumerate(tiles):
                x, y = k % COLUMNS * SIZE[0], k // COLUMNS * (SIZE[1] + LINE)
                sheet.paste(picture, (x, y))
                draw.text((x + 6, y + SIZE[1] + 3), words, (34, 48, 58), font)
            sheet.save(OUT / f"{name}.png")
            print("wrote", OUT / f"{name}.png")


if __name__ == "__main__":
    forget_stale()
    main()
