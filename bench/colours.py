"""Colours: every colour node's own time at 1025 samples."""

from bench.masks import own_seconds
from bench.table import row

#: Milliseconds at 1025 samples.
TARGETS = {
    "plain_colour": 40,
    "colour_ramp": 40,
    "colour_mix": 40,
    "colour_adjust": 40,
    "water_colour": 40,
    "ground_tone": 250,
    "baked_light": 600,
}


def run():
    from gelande.samples import sample_recipe

    for kind, target in TARGETS.items():
        row(kind, own_seconds(*sample_recipe(kind)), target)
    row("ground_cover, 8 layers", own_seconds(*eight_layers()), 250)


def eight_layers():
    """A recipe with a Ground cover of eight layers of all kinds, one with a linked mask. Returns (recipe, node id)."""
    from gelande.core.recipe import graph
    from gelande.nodes.colour.ground_cover import LAYERS
    from gelande.samples import sample_recipe

    recipe, node = sample_recipe("ground_cover")
    lies = ("Everywhere", "Heights", "Slopes", "Facing", "Heights", "Everywhere", "Slopes", "Heights")
    more = [{"name": f"Layer {k}", "lies": one, "low": 100.0 * k, "thins": 0.5 * (k % 2)} for k, one in enumerate(lies)]
    recipe = graph.set_param(recipe, node, "layers", LAYERS.made(*more))
    ground, _ = recipe.nodes[node].inputs["height"]
    recipe, band = graph.add(recipe, "height_band")
    recipe = graph.link(recipe, ground, "height", band, "height")
    recipe = graph.link(recipe, band, "mask", node, "mask_6")
    return graph.set_param(recipe, node, LAYERS.path(6, "soft"), 60.0), node
