"""Landscapes that one recognises at first glance: dressed, published and explained. Used by make_examples.py."""

from .badlands import badlands
from .canyon import canyon
from .dune_field import dune_field
from .ice_country import ice_country
from .moor import moor
from .old_volcano import old_volcano
from .river_plain import river_plain
from .shared import finished
from .tableland import tableland
from .valley_head import valley_head

__all__ = ["RECIPES", "finished"]

RECIPES = {
    "tableland": tableland,
    "old-volcano": old_volcano,
    "canyon": canyon,
    "dune-field": dune_field,
    "badlands": badlands,
    "moor": moor,
    "river-plain": river_plain,
    "valley-head": valley_head,
    "ice-country": ice_country,
}
