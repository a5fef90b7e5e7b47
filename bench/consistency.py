"""Writes docs/consistency.md: every node in its defaults and in random settings, 513 samples against 2049 at shared
points.

Run: PYTHONPATH=src .venv/bin/python -m bench.consistency [settings a node, 20] [node kind ...]

"""

import random
import sys
from pathlib import Path

from bench.detail import compare

OUT = Path(__file__).parents[1] / "docs" / "consistency.md"
HEAD = """# Same at every detail

Every node in its defaults and in {count} random settings within its sliders' ranges, on a 4.1 km site: the result at
513 samples against the one at 2049 at the same points. Heights: RMS and 99th percentile of the difference in per cent
of the relief (the aim is 1 % and 4 %). Masks and colours: mean difference (the aim is 2 %). Made by `PYTHONPATH=src
.venv/bin/python -m bench.consistency`.

A random setting may ask for features smaller than four samples of the coarse grid (32 m here). What cannot be shown
at 513 samples is left out there by rule, and counts as a difference. The last column names the worst setting that
missed the aim.

| node | output | default | median of {count} | worst of {count} | kept | worst setting that missed |
|---|---|---|---|---|---|---|
"""


def settings(kind: str, count: int):
    """The default and ``count`` random settings of a node: (recipe, node id)."""
    from gelande.core.recipe import graph
    from gelande.samples import sample_recipe

    recipe, node_id = sample_recipe(kind)
    yield recipe, node_id
    for k in range(count):
        yield graph.shuffle(recipe, node_id, random.Random(f"{kind} {k}")), node_id


def measure(kind: str, count: int, levels=(3, 5)):
    """{output: [(measure, aim kept, setting)]} of a node: RMS and p99 shares for heights, mean difference else."""
    from gelande.core.evaluate.executor import Cache, Evaluator, Job
    from gelande.core.recipe.node import spec_of

    spec, evaluator = spec_of(kind), Evaluator(Cache(2_500_000_000))
    found = {p.id: [] for p in spec.outputs}
    for recipe, node_id in settings(kind, count):
        coarse, fine = (evaluator.result(Job(recipe), node_id, k) for k in levels)
        state = recipe.nodes[node_id]
        words = ", ".join(
            f"{p.label.lower()} {p.text(state.params[p.id])}" for p in spec.params if p.numeric or p.kind == "choice"
        )
        for port in spec.outputs:
            a, b = coarse[port.id], fine[port.id]
            rms, p99, mean = compare(a, b)
            if port.kind in ("height", "any"):
                if float(a.max() - a.min()) < 1e-3:
                    rms = p99 = 0.0
                found[port.id].append(((rms, p99), rms <= 0.01 and p99 <= 0.04, words))
            else:
                found[port.id].append(((mean,), mean <= 0.02, words))
    return found


def line(kind: str, port: str, found: list) -> str:
    """One row of the table."""

    def text(m):
        return " / ".join(f"{v * 100:.2f}" for v in m)

    drawn = sorted(found[1:], key=lambda f: f[0]) or found
    missed = [f for f in drawn if not f[1]]
    n = len(drawn)
    return (
        f"| {kind} | {port} | {text(found[0][0])} | {text(drawn[n // 2][0])} | {text(drawn[-1][0])} | "
        f"{n - len(missed)} of {n} | "
        f"{missed[-1][2] if missed else ''} |"
    )


def main():
    from gelande.core.recipe.node import registry

    count = int(sys.argv[1]) if len(sys.argv) > 1 else 20
    kinds = sys.argv[2:] or [
        k for k, s in sorted(registry().items()) if s.outputs and not s.reads_files and s.category != "Order"
    ]
    rows = []
    for kind in kinds:
        for port, found in measure(kind, count).items():
            rows.append(line(kind, port, found))
            print(rows[-1], flush=True)
    if not sys.argv[2:]:
        OUT.write_text(HEAD.format(count=count) + "\n".join(rows) + "\n")
        print("wrote", OUT)


if __name__ == "__main__":
    main()
