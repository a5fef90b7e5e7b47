"""What nodes do to the form of a land: how far summits, the upper envelope and the lowest ground move, how far the land
is lowered, how much it stays like itself at large.

Run: PYTHONPATH=src .venv/bin/python -m bench form for every Shape and Weather node at its default, at half and at full
strength; -m bench.form rain [seed ...] for rain erosion alone, on all lands at four strengths, against its bounds.
"""

import sys

from gelande.core.evaluate.cache import Cache
from gelande.core.evaluate.executor import Evaluator
from gelande.core.evaluate.job import Job
from gelande.core.recipe import graph
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.node import registry
from gelande.core.recipe.param.numbers import Number
from gelande.core.recipe.site import GLOBAL_LEVEL, Site
from gelande.core.regenerate.formchange import form_change

LANDS = ("massif", "ridge_noise", "fractal_noise", "plateau", "tilted_slabs", "ring_wall", "dome", "cone", "valley")
#: Seeds that nothing was tuned on.
SEEDS = (101, 102)
#: Settings that say how much a node does.
MUCH = ("strength", "amount_broken", "contrast", "sharpness", "depth", "relief", "tall", "size", "radius")
STRENGTHS = (0.05, 0.2, 0.5, 0.8)
#: At those strengths, at most, as shares of the relief; and the likeness at least.
BOUNDS = {
    "summit": (0.01, 0.03, 0.08, 0.12),
    "envelope": (0.02, 0.04, 0.09, 0.14),
    "sunk": (0.03,) * 4,
    "lowered": (0.02, 0.06, 0.13, 0.18),
    "unlike": (0.005, 0.01, 0.03, 0.05),
    "walls": (0.02,) * 4,
}


def land(kind: str, seed: int, site: Site | None = None, blur: float = 0.0) -> tuple[Recipe, str]:
    """A recipe with one land. blur: metres over which it is smoothed."""
    recipe = Recipe(site or Site())
    recipe, node = graph.add(recipe, kind)
    if "seed" in recipe.nodes[node].params:
        recipe = graph.set_param(recipe, node, "seed", seed)
    if blur:
        recipe, last = graph.add(recipe, "smooth", params={"radius": blur})
        recipe, node = graph.link(recipe, node, "height", last, "height"), last
    return recipe, node


def judged(recipe: Recipe, node: str, kind: str, params: dict, level: int = GLOBAL_LEVEL):
    """(heights before and after a node that is put behind another one, figures)."""
    recipe, last = graph.add(recipe, kind, params=params)
    recipe = graph.link(recipe, node, "height", last, recipe.nodes[last].spec.inputs[0].id)
    engine = Evaluator(Cache(2_000_000_000))
    a, b = (engine.result(Job(recipe), k, level)["height"] for k in (node, last))
    return a, b, form_change(a, b, recipe.site.spacing(level))


def rained(lands=LANDS, seeds=SEEDS):
    """Prints rain erosion's figures on lands, with those outside their bounds marked."""
    print("| land, strength | " + " | ".join(f"{name} %" for name in BOUNDS) + " |")
    print("|---" * (len(BOUNDS) + 1) + "|")
    for kind in lands:
        for k, strength in enumerate(STRENGTHS):
            found = [judged(*land(kind, seed), "rain_erosion", {"strength": strength})[2] for seed in seeds]
            cells = []
            for name, bound in BOUNDS.items():
                values = [100 * getattr(one, name) for one in found]
                missed = sum(v > 100 * bound[k] for v in values)
                cells.append(f"{min(values):.1f} to {max(values):.1f}" + (f" (**{missed} missed**)" if missed else ""))
            print(f"| {kind.replace('_', ' ')} {strength} | " + " | ".join(cells) + " |", flush=True)


def strengths(kind: str) -> list[tuple[str, dict]]:
    """(what is said of it, settings) of a node at its default, at half and at full strength: the first of its settings
    that says how much, at the middle and the end of its slider."""
    own = {p.id: p for p in registry()[kind].params if isinstance(p, Number) and p.id != "seed"}
    name = next((k for k in MUCH if k in own), next(iter(own), None))
    if name is None:
        return [("default", {})]
    setting = own[name]
    low, high = setting.scaled_soft(Site().long_side)
    values = [setting.check(setting.rounded(v)) for v in ((low + high) / 2, high)]
    return [("default", {})] + [(f"{setting.label.lower()} {setting.text(v)}", {name: v}) for v in values]


def of_one_land(spec) -> bool:
    """Whether a node makes another land of one."""
    needed = [p for p in spec.inputs if not p.optional]
    makes = bool(spec.outputs) and spec.result.kind in ("height", "any")
    return spec.category in ("Shape", "Weather") and makes and len(needed) == 1 and needed[0].kind in ("height", "any")


def every_node(seed: int = 31, level: int = 2):
    """Prints what every Shape and Weather node does to a massif."""
    print("| node | " + " | ".join(f"{name} %" for name in BOUNDS) + " | by design |")
    print("|---" * (len(BOUNDS) + 2) + "|")
    for kind, spec in sorted(registry().items()):
        if not of_one_land(spec):
            continue
        for said, params in strengths(kind):
            found = judged(*land("massif", seed), kind, params, level)[2]
            cells = " | ".join(f"{100 * getattr(found, name):.1f}" for name in BOUNDS)
            print(f"| {spec.name}, {said} | {cells} | {'yes' if spec.reshapes else ''} |", flush=True)


def main():
    asked = sys.argv[1:]
    if asked[:1] == ["rain"]:
        rained(seeds=[int(a) for a in asked[1:]] or SEEDS)
    else:
        every_node()


if __name__ == "__main__":
    main()
