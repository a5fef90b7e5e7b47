"""The demo recipe without a window: early and late sliders, builds."""

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from bench.table import row

EXAMPLE = Path(__file__).parents[1] / "examples" / "varrowdale.gelande"


def slider(evaluator, recipe, node, param, value, last, levels):
    """Seconds from a changed parameter to each level of the last node."""
    from gelande.core.evaluate.executor import Job
    from gelande.core.recipe import graph

    changed = graph.set_param(recipe, node, param, value)
    began, found = time.perf_counter(), []
    for level in levels:
        evaluator.run(Job(changed), last, level)
        found.append(time.perf_counter() - began)
    return found


def run():
    from gelande.core.evaluate.executor import Evaluator, Job
    from gelande.core.evaluate.query import last_node
    from gelande.core.recipe.recipefile import load

    recipe, evaluator = load(EXAMPLE), Evaluator()
    last = last_node(recipe)
    for level in (1, 2, 3):
        evaluator.run(Job(recipe), last, level)
    first, full = [], []
    for k in range(3):
        a, b = slider(evaluator, recipe, "fractal_noise_1", "relief", 500.0 + 20 * k, last, (1, 3))
        first.append(a)
        full.append(b)
    row("early slider to 129, computing only", min(first), 150)
    row("early slider to 513, by way of 129", min(full), 1500)
    late = [slider(evaluator, recipe, last, "amount", 0.9 - 0.05 * k, last, (3,))[0] for k in range(3)]
    row("last node's slider to 513", min(late), 200)
    for detail in (2049, 4097):
        with tempfile.TemporaryDirectory() as folder:
            began = time.perf_counter()
            done = subprocess.run(
                [
                    sys.executable,
                    "-c",
                    "import resource, sys; from gelande.cli.main import main; code = main(sys.argv[1:]); "
                    "print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6); sys.exit(code)",
                    "build",
                    str(EXAMPLE),
                    "--detail",
                    str(detail),
                    "--out",
                    folder,
                    "--quiet",
                ],
                capture_output=True,
                text=True,
                env=os.environ,
            )
            peak = done.stdout.strip().split("\n")[-1]
            row(f"gelande build at {detail}, 6 files, peak {float(peak):.1f} GB", time.perf_counter() - began, unit="s")
