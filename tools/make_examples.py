"""Writes the example recipes. Run: .venv/bin/python tools/make_examples.py"""

from dataclasses import replace
from pathlib import Path

from gelande.app.compose.layout import arrange
from gelande.core import control, graph
from gelande.core.graph import Deliverable, Recipe
from gelande.core.recipe import save
from gelande.core.site import Site

OUT = Path(__file__).parents[1] / "examples"


class Maker:
    """Builds a recipe step by step."""

    def __init__(self, site: Site, seed: int = 0):
        self.recipe = Recipe(site, seed)

    def add(self, kind: str, name: str, params=None, **inputs) -> str:
        """A node with links: input=node id, or (node id, output)."""
        self.recipe, node_id = graph.add(self.recipe, kind, params=params, name=name)
        for port, source in inputs.items():
            source, output = source if isinstance(source, tuple) else (source, self.recipe.nodes[source].spec.main.id)
            self.recipe = graph.link(self.recipe, source, output, node_id, port)
        for key, value in (params or {}).items():  # linking a mask turns Where; what was asked for stands
            self.recipe = graph.set_param(self.recipe, node_id, key, value)
        return node_id

    def publish(self, label: str, group: str, help: str, *targets, low=None, high=None):
        """A control over one or more (node, parameter[, times])."""
        made = control.Control(label, group, tuple(control.Target(*t) for t in targets), low, high, help)
        self.recipe = replace(self.recipe, controls=(*self.recipe.controls, control.checked_control(self.recipe, made)))

    def save(self, name: str):
        self.recipe = graph.move(self.recipe, arrange(self.recipe))
        save(self.recipe, OUT / f"{name}.gelande")


def varrowdale() -> Maker:
    m = Maker(Site("Varrowdale", 4096, 4096, sea_level=0), seed=0)
    fells = m.add("fractal_noise", "Fell mass", {"feature_size": 1900, "relief": 620, "octaves": 7, "gain": 0.42, "seed": 21})
    spurs = m.add("ridge_noise", "Spurs", {"feature_size": 1500, "relief": 420, "gain": 0.40, "sharpness": 1.2, "warp": 220, "seed": 5})
    body = m.add("mix", "Fells and spurs", {"way": "Percentage", "share": 0.32}, height=fells, second=spurs)
    trough = m.add("dome", "Dale", {"radius": 1700, "relief": -300, "stretch_along": 9.0, "turn": 24, "east": 0.47, "north": 0.5, "profile": "Bell"})
    fall = m.add("ramp", "Fall of the dale", {"direction": 24, "low": 0, "high": 150})
    dale = m.add("mix", "Cut the dale", {"way": "Add"}, height=body, second=trough)
    tilted = m.add("mix", "Tilt to the south", {"way": "Add"}, height=dale, second=fall)
    bent = m.add("warp", "Broken outline", {"distance": 340, "size": 1200, "octaves": 5, "seed": 9}, height=tilted)
    tops = m.add("curve", "Flat tops, broad floor", {"curve": ((0.0, 0.05), (0.25, 0.18), (0.55, 0.5), (0.8, 0.78), (1.0, 0.92))}, height=bent)
    rough = m.add("roughen", "Roughen", {"depth": 26, "size": 260, "octaves": 6, "seed": 4}, height=tops)
    rain = m.add("rain_erosion", "Gills", {"strength": 0.36, "gully_spacing": 85, "deposition": 0.5, "seed": 3}, height=rough)
    great = m.add("terrace", "Great scars", {"riser_height": 52, "sharpness": 0.66, "irregularity": 0.6, "follow": 0.25, "dip": 1.2,
                  "amount": 0.75, "where": "Height", "where_low": 190, "where_high": 1200, "where_falloff": 70, "seed": 2}, height=rain)
    lesser = m.add("terrace", "Lesser scars", {"riser_height": 14, "sharpness": 0.6, "irregularity": 0.5, "follow": 0.2, "dip": 1.2,
                   "amount": 0.7, "where": "Height", "where_low": 200, "where_high": 1200, "where_falloff": 60, "seed": 7}, height=great)
    ground = m.add("junction", "Ground", through=lesser)
    scars = m.add("slope_band", "Scars", {"low": 41, "high": 90, "falloff": 9, "baseline": 18}, height=ground)
    steep = m.add("slope_band", "Bracken slopes", {"low": 13, "high": 38, "falloff": 9, "baseline": 60}, height=ground)
    high = m.add("height_band", "Fell tops", {"low": 330, "high": 2000, "falloff": 90}, height=ground)
    level = m.add("slope_band", "Level ground", {"low": 0, "high": 9, "falloff": 7, "baseline": 60}, height=ground)
    peat_where = m.add("mask_mix", "Peat ground", {"way": "Multiply"}, first=high, second=level)
    becks = m.add("flow", "Becks", {"first": 130, "full": 1300, "softness": 14}, height=ground)
    banks = m.add("mask_edge", "Wet banks", {"way": "Blur", "distance": 26}, first=becks)
    grass = m.add("colour_ramp", "Pasture to fell", {"ramp": (
        (0.0, 0.45, 0.54, 0.26), (0.18, 0.50, 0.55, 0.28), (0.42, 0.58, 0.56, 0.32), (0.7, 0.63, 0.58, 0.38), (1.0, 0.68, 0.63, 0.47))}, driver=ground)
    bracken = m.add("colour_ramp", "Bracken", {"ramp": ((0.0, 0.46, 0.44, 0.22), (1.0, 0.55, 0.40, 0.21)), "where": "Mask", "amount": 0.72},
                    driver=steep, under=grass, mask=steep)
    peat = m.add("colour_ramp", "Peat and heather", {"ramp": ((0.0, 0.40, 0.33, 0.25), (1.0, 0.33, 0.26, 0.22)), "where": "Mask", "amount": 0.75},
                 driver=peat_where, under=bracken, mask=peat_where)
    wet = m.add("colour_ramp", "Rushes", {"ramp": ((0.0, 0.36, 0.44, 0.22), (1.0, 0.27, 0.37, 0.20)), "where": "Mask", "amount": 0.8},
                driver=banks, under=peat, mask=banks)
    rock = m.add("colour_ramp", "Limestone", {"ramp": ((0.0, 0.56, 0.54, 0.48), (1.0, 0.72, 0.71, 0.66)), "where": "Mask", "amount": 0.95},
                 driver=scars, under=wet, mask=scars)
    m.add("note", "About", {"text": "Varrowdale: a broad dale between flat-topped limestone fells. Set it by the control sheet."})
    m.publish("Seed", "Land", "Another number gives another dale of the same kind.", (control.RECIPE, "seed"), low=0, high=999_999)
    m.publish("Fell height", "Land", "Height of the fells over the dale before weather.", (fells, "relief"), (spurs, "relief", 0.68), low=350, high=1000)
    m.publish("Dale width", "Land", "From the middle of the dale to the foot of the fells.", (trough, "radius"), low=800, high=2600)
    m.publish("Scar height", "Rock", "Mean height of the great limestone scars.", (great, "riser_height"), (lesser, "riser_height", 0.26), low=25, high=110)
    m.publish("Scar strength", "Rock", "How much of the land is cut into scars.", (great, "amount"), low=0, high=1)
    m.publish("Gill strength", "Weather", "How deeply running water has cut the fell sides.", (rain, "strength"), low=0.05, high=0.8)
    m.publish("Gill spacing", "Weather", "Distance between gills on an even slope.", (rain, "gully_spacing"), low=35, high=160)
    m.publish("Bracken", "Ground", "How much bracken covers the slopes.", (bracken, "amount"), low=0, high=1)
    m.recipe = replace(m.recipe, deliverables=(
        Deliverable("Height", lesser, "height", "height_tiff32"), Deliverable("Height for engine", lesser, "height", "height_png16"),
        Deliverable("Scars", scars, "mask", "mask_png8"), Deliverable("Becks", becks, "mask", "mask_png16"),
        Deliverable("Deposit", rain, "deposit", "mask_png8"), Deliverable("Colour", rock, "colour", "colour_png8")))
    return m


if __name__ == "__main__":
    OUT.mkdir(exist_ok=True)
    varrowdale().save("varrowdale")
