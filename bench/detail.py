"""Same at every detail: the demo and every node, 513 against 2049 at shared points."""

import numpy as np

from bench.table import plain


def compare(a: np.ndarray, b: np.ndarray) -> tuple[float, float, float]:
    """(RMS, 99th percentile) as shares of the coarse one's range, and the mean difference; b is 4 times finer."""
    d = np.abs(a - b[::4, ::4])
    span = max(float(a.max() - a.min()), 1e-9)
    return (
        float(np.sqrt((d.astype(np.float64) ** 2).mean())) / span,
        float(np.percentile(d, 99)) / span,
        float(d.mean()),
    )


def nodes():
    """(kind, output, data kind, RMS, p99, mean) for every node in its default settings."""
    from gelande.core.evaluate.executor import Cache, Evaluator, Job
    from gelande.core.recipe.node import registry
    from gelande.samples import sample_recipe

    for kind, spec in sorted(registry().items()):
        if not spec.outputs or spec.reads_files or spec.category == "Order":
            continue
        recipe, node_id = sample_recipe(kind)
        evaluator = Evaluator(Cache(4_000_000_000))
        coarse, fine = (evaluator.result(Job(recipe), node_id, k) for k in (3, 5))
        for port in spec.outputs:
            yield kind, port.id, "height" if port.kind == "any" else port.kind, *compare(coarse[port.id], fine[port.id])


def run():
    from bench.demo import EXAMPLE
    from gelande.core.evaluate.executor import Cache, Evaluator, Job
    from gelande.core.recipe.recipefile import load

    recipe, evaluator = load(EXAMPLE), Evaluator(Cache(4_000_000_000))
    for d in recipe.deliverables:
        a, b = (evaluator.result(Job(recipe), d.node, k)[d.port] for k in (3, 5))
        rms, p99, mean = compare(a, b)
        if "height" in d.format:
            plain(
                f"demo: {d.name}",
                f"RMS {rms:.2%}, p99 {p99:.2%}",
                "1 %, 4 %",
                "met" if rms <= 0.01 and p99 <= 0.04 else "MISSED",
            )
        else:
            plain(f"demo: {d.name}", f"mean {mean:.2%}", "2 %", "met" if mean <= 0.02 else "MISSED")
    for kind, port, data, rms, p99, mean in nodes():
        good = mean <= 0.02 if data != "height" else rms <= 0.01 and p99 <= 0.04
        plain(
            f"{kind}.{port}",
            f"RMS {rms:.2%}, p99 {p99:.2%}" if data == "height" else f"mean {mean:.2%}",
            "1 %, 4 %" if data == "height" else "2 %",
            "met" if good else "MISSED",
        )
