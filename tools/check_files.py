"""Delivers every format once, and lets readers that are not ours judge the files: gdalinfo, pngcheck, exrheader, and
the glTF validator from npm, as far as they are installed.

Run: PYTHONPATH=src:tests .venv/bin/python tools/check_files.py [FOLDER]; GLTF_VALIDATOR names the folder in which npm
installed the validator.
"""

import json
import os
import shutil
import subprocess
import sys
import tempfile
from dataclasses import replace
from pathlib import Path

from support import chain, linked

from gelande.core.evaluate.executor import Evaluator
from gelande.core.recipe.deliverables import Deliverable, Delivery
from gelande.core.recipe.site import Site
from gelande.deliver import build
from gelande.deliver.formats import FORMATS

#: Endings, and the program that reads such files.
READERS = {
    "gdalinfo": (".png", ".jpg", ".tif", ".asc"),
    "pngcheck": (".png",),
    "exrheader": (".exr",),
}
VALIDATE = """
const {validateBytes} = require('gltf-validator'), fs = require('fs');
(async () => { for (const f of process.argv.slice(1)) {
  const {issues} = await validateBytes(new Uint8Array(fs.readFileSync(f)));
  console.log(f, JSON.stringify({errors: issues.numErrors, warnings: issues.numWarnings}));
  if (issues.numErrors + issues.numWarnings) process.exitCode = 1;
} })()
"""


def deliver(folder: Path) -> list[str]:
    """Writes a file of every format. Returns what could not be written."""
    recipe, (_, rain) = chain("massif", "rain_erosion", site=Site.fitted("High Test", 2000, 1500))
    recipe, ramp = linked(recipe, "colour_ramp", rain, "height")
    sources = {"mask": (rain, "flow"), "height": (rain, "height"), "colour": (ramp, "colour")}
    more = {"colour": (("colour", ramp, "colour"),), "height": (("height", rain, "height"),)}
    orders = []
    for f in FORMATS.values():
        options = (("density", 300),) if f.group == "Points" else ()
        slots = tuple(slot for one in f.slots for slot in more.get(one.id, ()))
        orders.append(Deliverable(f.id, *sources[f.kind], f.id, options, slots))
    nodes = (("density", 20), ("kept", "nodes"))
    orders.append(Deliverable("Points as nodes", rain, "flow", "points_glb", nodes, more["height"]))
    placed = Delivery(epsg=25832, east=500_000.0, north=5_300_000.0)
    items = build.build(replace(recipe, deliverables=tuple(orders), delivery=placed), 2, folder, Evaluator())
    return [f"{i.deliverable.name}: {i.note}" for i in items if i.state != build.DONE]


def judge(folder: Path) -> list[str]:
    """What the readers say against the files."""
    found = []
    for reader, ends in READERS.items():
        if shutil.which(reader) is None:
            print(f"{reader} is not installed")
            continue
        for path in sorted(p for p in folder.iterdir() if p.suffix in ends):
            done = subprocess.run([reader, str(path)], capture_output=True, text=True)
            said = [line for line in (done.stdout + done.stderr).splitlines() if line.startswith(("ERROR", "Warning"))]
            if done.returncode or said:
                found.append(f"{reader} {path.name}: {said or done.stderr.strip()}")
    modules = os.environ.get("GLTF_VALIDATOR")
    if modules and shutil.which("node"):
        command = ["node", "-e", VALIDATE, *map(str, sorted(folder.glob("*.glb")))]
        done = subprocess.run(command, capture_output=True, text=True, cwd=modules)
        print(done.stdout.strip())
        if done.returncode:
            found.append(f"glTF validator: {done.stderr.strip() or 'errors or warnings'}")
    else:
        print("the glTF validator is not installed")
    return found


if __name__ == "__main__":
    target = Path(sys.argv[1]) if len(sys.argv) > 1 else Path(tempfile.mkdtemp())
    faults = [*deliver(target), *judge(target)]
    print(json.dumps(faults, indent=1) if faults else f"{len(list(target.iterdir()))} files, nothing said against any")
    sys.exit(bool(faults))
