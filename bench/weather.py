"""Weather nodes: speed, growth with detail, overlap of water and snow, drainage figures, and flow against
fastscapelib."""

import time

import numpy as np

from bench.table import best, plain, row

KINDS = ("rain_erosion", "scree", "stream_channels", "lakes", "silt", "sea", "snow", "wind", "boulders", "pitting")
OVERLAP = {"lakes": "water", "sea": "water", "snow": "snow", "stream_channels": "channel"}


def peer():
    """Flood, receivers and drainage area against fastscapelib's sink resolver, router and accumulation."""
    import fastscapelib as fs

    from gelande.kernels.flow import network
    from gelande.kernels.noise import fractal

    h = np.ascontiguousarray(fractal((1025, 1025), (0.0, 4096.0), 4.0, 1400.0, 8) * np.float32(250))
    grid = fs.RasterGrid(list(h.shape), [4.0, 4.0], fs.NodeStatus.FIXED_VALUE)  # the graph does not keep it alive
    graph = fs.FlowGraph(grid, [fs.PFloodSinkResolver(), fs.SingleFlowRouter()])
    heights = h.astype(np.float64)

    def theirs():
        graph.update_routes(heights)
        graph.accumulate(1.0)

    row(
        "depression filling and flow accumulation, 1025²",
        best(lambda: network(h, 4.0)),
        None,
        ("fastscapelib", best(theirs)),
    )


def nodes():
    from bench.demo import EXAMPLE
    from gelande.core.evaluate.executor import Cache, Evaluator, Job
    from gelande.core.recipe import graph
    from gelande.core.recipe.recipefile import load

    base_recipe = load(EXAMPLE)
    base = next(n for n, s in base_recipe.nodes.items() if s.name == "Hollows left by ice")
    engine = Evaluator(Cache(6_000_000_000))
    for k in range(1, 7):
        engine.result(Job(base_recipe), base, k)
    for kind in KINDS:
        recipe, node = graph.add(base_recipe, kind, params={"level": 90.0} if kind == "sea" else None)
        recipe = graph.link(recipe, base, "height", node, "height")
        for k in (1, 2):
            engine.result(Job(recipe), node, k)
        spent, outs = {}, {}
        for k in (3, 4, 5, 6):
            began = time.perf_counter()
            outs[k] = engine.result(Job(recipe), node, k)
            spent[k] = time.perf_counter() - began
        own = sum(spent[k] for k in (3, 4, 5, 6)) / spent[3] / 64
        row(
            f"{kind}, 513 to 1025² (513: {spent[3] * 1000:.0f} ms; 4097: {sum(spent.values()):.1f} s; growth "
            f"{own:.2f})",
            spent[3] + spent[4],
        )
        if kind in OVERLAP:
            a, b = outs[3][OVERLAP[kind]] > 0.5, outs[5][OVERLAP[kind]][::4, ::4] > 0.5
            overlap = float((a & b).sum()) / max(1, int((a | b).sum()))
            plain(
                f"{kind}.{OVERLAP[kind]}, overlap of 513 and 2049",
                f"{overlap:.3f}",
                "≥ 0.9",
                "met" if overlap >= 0.9 else "MISSED",
            )
        for key, _ in engine.cache.entries():
            if key[0] == engine.keys(recipe)[node]:
                engine.cache.forget(key)


def figures():
    """What real land has, on eroded noise of three seeds."""
    from gelande.core.evaluate.executor import Evaluator, Job
    from gelande.core.regenerate import drainage, mass

    for seed in (1, 2, 3):
        recipe, b = _rained(seed=seed)
        engine = Evaluator()
        height = engine.result(Job(recipe), b, 3)["height"]
        for name, text, land, inside in drainage.drainage_of(height, recipe.site.spacing(3)).rows():
            plain(f"seed {seed}: {name}", text, land, "met" if inside else "MISSED")
        found = mass.balance(engine.raw(Job(recipe), b, 3), None, recipe.site.spacing(3) ** 2)
        plain(
            f"seed {seed}: mass balance", f"{found.fault:.4%}", "≤ 0.1 %", "met" if found.fault <= 0.001 else "MISSED"
        )


def _rained(kinds=("fractal_noise",), seed=None, **params):
    """A recipe of nodes in a row with rain erosion at the end, and its id."""
    from gelande.core.recipe import graph, model

    recipe, last = model.Recipe(), None
    for kind in (*kinds, "rain_erosion"):
        recipe, node = graph.add(
            recipe, kind, params=params if kind == "rain_erosion" else {"seed": seed} if seed else None
        )
        recipe = graph.link(recipe, last, "height", node, "height") if last else recipe
        last = node
    return recipe, last


def land():
    """Drainage figures of twelve seeds and of finer levels, mass over many cases, what lies at the foot of a
    plateau, and the slopes that scree lies at."""
    from gelande.core.evaluate.executor import Cache, Evaluator, Job
    from gelande.core.regenerate import drainage, mass

    for level, seeds in ((3, 12), (4, 3), (5, 3)):
        found, same = [], []
        for seed in range(1, seeds + 1):
            recipe, b = _rained(seed=seed)
            height, dx = (
                Evaluator(Cache(4_000_000_000)).result(Job(recipe), b, level)["height"],
                recipe.site.spacing(level),
            )
            found.append(drainage.drainage_of(height, dx))
            same.append(drainage.drainage_of(height, dx, recipe.site.spacing(3)))
        for label, figures in (("", found), (", channels of 513", same))[: 1 if level == 3 else 2]:
            for name, key, low, high in drainage.Drainage.BOUNDS:
                values = sorted(getattr(f, key) for f in figures)
                plain(
                    f"{name}, {seeds} seeds at {recipe.site.samples(level)}{label}",
                    f"{sum(low <= v <= high for v in values)} of {seeds} within; {values[0]:.3f} to {values[-1]:.3f}",
                    f"{low:g} to {high:g}",
                )
    faults = []
    for kind in ("fractal_noise", "massif", "ridge_noise", "tilted_slabs"):
        for strength in (0.05, 0.2, 0.5, 0.9):
            (recipe, b), engine = _rained((kind,), strength=strength), Evaluator(Cache(2_000_000_000))
            faults += [
                mass.balance(engine.raw(Job(recipe), b, k), None, recipe.site.spacing(k) ** 2).fault
                for k in (1, 2, 3, 4)
            ]
    plain(
        "mass balance of rain, 64 cases",
        f"{min(faults):.4%} to {max(faults):.4%}; {sum(f > 0.001 for f in faults)} over",
        "≤ 0.1 %",
    )
    for deposition in (0.0, 0.45, 0.8):
        recipe, b = _rained(("plateau", "surface_noise"), deposition=deposition)
        engine, cell = Evaluator(Cache(2_000_000_000)), recipe.site.spacing(3) ** 2
        plain(
            f"plateau on a plain, deposition {deposition:.0%}",
            mass.balance(engine.raw(Job(recipe), b, 3), None, cell).text(),
        )
    _scree_slopes()


def _scree_slopes():
    from bench.demo import EXAMPLE
    from gelande.core.evaluate.executor import Cache, Evaluator, Job
    from gelande.core.recipe import graph
    from gelande.core.recipe.recipefile import load

    recipe = load(EXAMPLE)
    recipe, node = graph.add(recipe, "scree", params={"repose": 34.0, "amount_broken": 9.0, "stone": 0.0})
    recipe = graph.link(
        recipe, next(n for n, s in recipe.nodes.items() if s.name == "Lesser cliffs"), "height", node, "height"
    )
    engine = Evaluator(Cache(4_000_000_000))
    for level in (3, 5):
        height = engine.result(Job(recipe), node, level)["height"]
        south, east = np.gradient(height, recipe.site.spacing(level))
        slope = np.degrees(np.arctan(np.hypot(south, east)))[engine.raw(Job(recipe), node, level)["_loose"] > 2.0]
        plain(
            f"scree of 34° at {recipe.site.samples(level)}, where over 2 m thick",
            f"median {np.median(slope):.1f}°, nine tenths under {np.percentile(slope, 90):.1f}°",
        )


def run():
    peer()
    figures()
    nodes()
