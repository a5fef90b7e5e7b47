"""Writes tests/golden.json: figures of every node kind's defaults, whole and near. Changed ones need a new version.

Run: PYTHONPATH=src .venv/bin/python tools/make_golden.py [kind ...]"""

import json
import sys
from pathlib import Path

import numpy as np

from gelande.core.evaluate.executor import Evaluator, Job
from gelande.core.recipe.node import registry
from gelande.kernels.grid_window import GridWindow
from gelande.prepare import forget_stale
from gelande.samples import sample_recipe

GOLDEN = Path(__file__).parents[1] / "tests" / "golden.json"
LEVEL = 2
#: 2049 samples, and the region of them: row, column, rows and columns.
FINE, NEAR = 6, (760, 840, 320, 320)
#: Kinds that make nothing by themselves: their results are those of what is put into them.
WITHOUT = {"entry", "group"}


def figures(kind: str) -> dict:
    """Version, and mean, spread, extremes, median and mean step to the next sample of every output: of the whole site,
    and of a region at a detail at which constants act that coarse details never meet."""
    recipe, node = sample_recipe(kind)
    found: dict = {"version": registry()[kind].version}
    near = GridWindow(*NEAR, *recipe.site.shape(FINE))
    for job, level, window, where in (
        (Job(recipe), LEVEL, None, ""),
        (Job(recipe, whole=1), FINE, near, " near"),
    ):
        made = Evaluator().result(job, node, level, window)
        for port in registry()[kind].outputs:
            a = made[port.id].astype(np.float64)
            values = (a.mean(), a.std(), a.min(), a.max(), np.median(a), np.abs(np.diff(a, axis=0)).mean())
            found[port.id + where] = [float(f"{v:.6g}") for v in values]
    return found


def kinds() -> list[str]:
    """All kinds that have figures."""
    return [k for k, spec in sorted(registry().items()) if spec.outputs and not spec.reads_files and k not in WITHOUT]


if __name__ == "__main__":
    forget_stale()  # figures and pictures are never of a mixture of old and new machine code
    block = json.loads(GOLDEN.read_text()) if GOLDEN.exists() else {}
    for kind in sys.argv[1:] or kinds():
        block[kind] = figures(kind)
    block = {k: block[k] for k in sorted(block) if k in registry()}
    rows = (f"  {json.dumps(k)}: {json.dumps(v)}" for k, v in block.items())
    GOLDEN.write_text("{\n" + ",\n".join(rows) + "\n}\n")
    print(f"wrote {GOLDEN.relative_to(Path.cwd())}: {len(block)} kinds")
