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
