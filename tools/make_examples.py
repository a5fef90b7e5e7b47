"""Writes the example recipes. Run: .venv/bin/python tools/make_examples.py"""

from dataclasses import replace
from pathlib import Path

import colour_examples
import covers
import landscapes
import mask_examples

from gelande.app.compose.layout import arrange
from gelande.core.recipe import cameras, control, graph, group
from gelande.core.recipe.choices import FigureChoice
from gelande.core.recipe.deliverables import Deliverable
from gelande.core.recipe.model import ROW, NamedCamera, Recipe
from gelande.core.recipe.recipefile import save
from gelande.core.recipe.site import Site
from gelande.core.regenerate import preset
from gelande.prepare import forget_stale

OUT = Path(__file__).parents[1] / "examples"
#: What stands in the demo.
BIRCHES = {"thing": "broadleaved_tree", "density": 16, "least": 8, "smallest": 0.5, "largest": 1.0}
FALLEN_BLOCKS = {"thing": "boulder", "density": 160, "least": 5, "largest": 2.4, "pattern": 2}


class Maker:
    """Builds a recipe step by step."""

    def __init__(self, site: Site, seed: int = 0):
        self.recipe = Recipe(site, seed)
        self.lower: list[tuple[int, tuple]] = []  # so many rows lower than they would stand, nodes

    def add(self, kind: str, name: str, params=None, **inputs) -> str:
        """A node with links: input=node id, or (node id, output)."""
        self.recipe, node_id = graph.add(self.recipe, kind, params=params, name=name)
        for port, source in inputs.items():
            source, output = source if isinstance(source, tuple) else (source, self.recipe.nodes[source].spec.main.id)
            self.recipe = graph.link(self.recipe, source, output, node_id, port)
        for key, value in (params or {}).items():  # linking a mask turns Where; what was asked for stands
            self.recipe = graph.set_param(self.recipe, node_id, key, value)
        return node_id

    def publish(self, label: str, group: str, help: str, *targets, low=None, high=None, step=None):
        """A control over one or more (node, parameter[, times[, (from, to), curve]])."""
        made = control.Control(label, group, tuple(control.Target(*t) for t in targets), low, high, help, step)
        self.recipe = replace(self.recipe, controls=(*self.recipe.controls, control.checked_control(self.recipe, made)))

    def restrict(self, node: str, mask: str) -> None:
        """A node works where a mask is white."""
        self.recipe = graph.link(self.recipe, mask, self.recipe.nodes[mask].spec.main.id, node, "mask")
        self.recipe = graph.set_param(self.recipe, node, "where", "mask")

    def preset(self, name: str, values: dict) -> None:
        """A preset with these values of controls, the rest as they are."""
        usual, recipe = preset.capture_preset(self.recipe), self.recipe
        for label, value in values.items():
            recipe = control.set_control(recipe, control.find(recipe, label), float(value))
        self.recipe = preset.apply_preset(preset.with_preset(recipe, name), usual)[0]

    def note(self, text: str, beside: str) -> None:
        """Words that explain a node."""
        self.add("note", f"About {self.recipe.nodes[beside].name}", {"text": text})

    def placed(self) -> Recipe:
        """The recipe with its cards laid out."""
        places = arrange(self.recipe)
        places.update({n: (x, y + row * ROW) for row, nodes in self.lower for n in nodes for x, y in (places[n],)})
        return graph.move(self.recipe, places)

    def save(self, name: str):
        self.recipe = self.placed()
        save(self.recipe, OUT / f"{name}.gelande")


def varrowdale() -> Maker:
    m = Maker(Site("Varrowdale", 4096, 4096, sea_level=0), seed=0)
    hills = m.add(
        "fractal_noise", "Hill mass", {"feature_size": 1900, "relief": 620, "octaves": 7, "gain": 0.42, "seed": 31}
    )
    spurs = m.add(
        "ridge_noise",
        "Spurs",
        {"feature_size": 1500, "relief": 420, "gain": 0.40, "sharpness": 1.2, "warp": 220, "seed": 5},
    )
    body = m.add("mix", "Hills and spurs", {"way": "percentage", "share": 0.32}, height=hills, second=spurs)
    valley = m.add(
        "valley",
        "Valley",
        {
            "floor_width": 360,
            "side_width": 1000,
            "depth": 190,
            "trough": 0.35,
            "fall": 30,
            "irregularity": 0.45,
            "seed": 8,
            "line": ((2900, 4090), (2640, 3330), (2200, 2480), (1740, 1420), (1300, 10)),
        },
        height=body,
    )
    bent = m.add(
        "warp",
        "Broken outline",
        {
            "distance": 340,
            "size": 1200,
            "octaves": 5,
            "seed": 9,
            "stretch": True,
            "stretch_low": 30,
            "stretch_high": 460,
        },
        height=valley,
    )
    tops = m.add(
        "curve",
        "Flat tops, broad floor",
        {"curve": ((0.0, 0.05), (0.25, 0.18), (0.55, 0.5), (0.8, 0.78), (1.0, 0.92))},
        height=bent,
    )
    rough = m.add("surface_noise", "Surface noise", {"depth": 26, "size": 260, "octaves": 6, "seed": 4}, height=tops)
    kept = m.add("keep_area", "Kept ground", through=rough)
    rain = m.add(
        "rain_erosion",
        "Gullies",
        {"strength": 0.25, "gully_spacing": 85, "deposition": 0.6, "hollows": 0.9, "seed": 3},
        height=kept,
    )
    great = m.add(
        "terrace",
        "Great cliffs",
        {
            "riser_height": 52,
            "sharpness": 0.66,
            "irregularity": 0.6,
            "follow": 0.25,
            "dip": 1.2,
            "amount": 0.75,
            "where": "height",
            "where_low": 190,
            "where_high": 1200,
            "where_falloff": 70,
            "seed": 2,
        },
        height=rain,
    )
    lesser = m.add(
        "terrace",
        "Lesser cliffs",
        {
            "riser_height": 14,
            "sharpness": 0.6,
            "irregularity": 0.5,
            "follow": 0.2,
            "dip": 1.2,
            "amount": 0.7,
            "where": "height",
            "where_low": 200,
            "where_high": 1200,
            "where_falloff": 60,
            "seed": 7,
        },
        height=great,
    )
    scree = m.add(
        "scree", "Scree under the cliffs", {"repose": 35, "amount_broken": 7, "stone": 5, "seed": 5}, height=lesser
    )
    hollows = m.add(
        "brushed_height",
        "Hollows left by ice",
        {
            "strokes": (
                (190, -15, 0.2, ((1690, 1130), (1740, 1290), (1760, 1400))),
                (120, -11, 0.3, ((1800, 1330), (1860, 1420))),
                (150, -13, 0.2, ((1840, 1900), (1870, 2030))),
                (110, -10, 0.3, ((2250, 1800), (2310, 1890))),
                (150, -12, 0.2, ((2800, 3180), (2830, 3300))),
                (60, -6, 0.3, ((2750, 3260), (2880, 3220))),
                (120, -11, 0.2, ((1780, 2690), (1800, 2780))),
                (130, -10, 0.2, ((3770, 2040), (3830, 2110))),
                (110, -9, 0.3, ((1560, 600), (1600, 700))),
            )
        },
        height=scree,
    )
    streams = m.add(
        "stream_channels",
        "Streams",
        {"first": 330, "full": 2000, "width": 15, "deep": 3.2, "bank": 22, "stands": False},
        height=hollows,
    )
    lakes = m.add("lakes", "Lakes", {"least_depth": 1.5, "least_width": 70, "shore_width": 18}, height=streams)
    ground = m.add("cairn", "Ground", through=lakes)
    snow = m.add(
        "snow",
        "Winter snow",
        {"snow_line": 230, "transition": 140, "fall": 2.4, "melt": 0.75, "amount": 0.0, "drift": 0.7, "seed": 6},
        height=lakes,
    )
    high = m.add("height_band", "Hill tops", {"low": 330, "high": 2000, "falloff": 90}, height=ground)
    level = m.add("slope_band", "Level ground", {"low": 0, "high": 9, "falloff": 7, "baseline": 60}, height=ground)
    peat_where = m.add("mask_mix", "Peat ground", {"way": "multiply"}, first=high, second=level)
    wet_ground = m.add("flow", "Wet ground", {"first": 130, "full": 1300, "softness": 14}, height=ground)
    banks = m.add("mask_edge", "Wet banks", {"way": "blur", "distance": 26}, first=wet_ground)
    ground_cover, colour = covers.limestone_dale(m, ground, scree, lakes, snow, peat_where, wet_ground, banks)
    m.lower.append((8, (ground_cover, colour)))
    birches, *_ = (
        m.add("things", name, settings, where=where, without=(lakes, "water"))
        for name, where, settings in (
            ("Birches", (ground_cover, "weight_3"), BIRCHES),
            ("Junipers", (ground_cover, "weight_2"), {"thing": "bush", "density": 8, "least": 8, "pattern": 1}),
            ("Fallen blocks", (scree, "scree"), FALLEN_BLOCKS),
        )
    )
    m.add(
        "note",
        "About",
        {"text": "Varrowdale: a broad valley between flat-topped limestone hills. Set it by the control sheet."},
    )
    m.publish(
        "Seed",
        "Land",
        "Another number gives another valley of the same kind.",
        (control.RECIPE, "seed"),
        low=0,
        high=999_999,
    )
    m.publish(
        "Hill height",
        "Land",
        "Height of the hill tops before weather.",
        (bent, "stretch_high"),
        low=300,
        high=800,
        step=5,
    )
    m.publish("Valley width", "Land", "Width of the valley's floor.", (valley, "floor_width"), low=150, high=1100)
    m.publish(
        "Lake hollows",
        "Land",
        "Where ice has left hollows in which lakes stand: brush more of them, or take some away.",
        (hollows, "strokes"),
    )
    m.publish(
        "Cliff height",
        "Rock",
        "Mean height of the great limestone cliffs.",
        (great, "riser_height"),
        (lesser, "riser_height", 0.26),
        low=25,
        high=110,
    )
    m.publish("Cliff strength", "Rock", "How much of the land is cut into cliffs.", (great, "amount"), low=0, high=1)
    m.publish(
        "Weathering",
        "Rock",
        "How long the weather has been at the cliffs: their edges soften, and more scree lies below them.",
        (great, "sharpness", 1.0, (0.86, 0.46), "Straight"),
        (lesser, "sharpness", 1.0, (0.8, 0.4), "Straight"),
        (scree, "amount", 1.0, (0.4, 1.0), "Fast start"),
        low=0,
        high=1,
    )
    m.publish(
        "Gully strength",
        "Weather",
        "How deeply running water has cut the fell sides.",
        (rain, "strength"),
        low=0.02,
        high=0.8,
    )
    m.publish(
        "Gully spacing",
        "Weather",
        "Distance between gullies on an even slope.",
        (rain, "gully_spacing"),
        low=35,
        high=160,
    )
    m.publish("Stream width", "Weather", "Full width of the streams.", (streams, "width"), low=5, high=40)
    m.publish("Winter", "Weather", "How much of the winter's snow lies.", (snow, "amount"), low=0, high=1)
    m.publish("Snow line", "Weather", "Height above which snow lies in winter.", (snow, "snow_line"), low=60, high=420)
    m.publish(
        "Bracken",
        "Ground",
        "How much bracken covers the slopes.",
        (ground_cover, covers.of_layer(m, ground_cover, "Bracken", "amount")),
        low=0,
        high=1,
    )
    m.publish("Birches", "Ground", "Trees on a hectare where they grow best.", (birches, "density"), low=0.1, high=80)
    m.recipe = _chosen(m.recipe)
    for name, east, north, height, heading, pitch in (
        ("Over the dale", 700, -900, 1250, 22, -18),
        ("By the tarn", 2707, 3206, 203.5, 135, -2),
        ("Below the cliffs", 1880, 2764, 186, 225, -2),
    ):
        kept = NamedCamera(name, float(east), float(north), float(height), float(heading), float(pitch))
        m.recipe = cameras.keep(m.recipe, kept)
    m.recipe = replace(
        m.recipe,
        deliverables=(
            Deliverable("Height", snow, "height", "height_tiff32"),
            Deliverable("Height for engine", snow, "height", "height_png16"),
            Deliverable("Cliffs", ground_cover, "weight_6", "mask_png8"),
            Deliverable("Streams", streams, "channel", "mask_png16"),
            Deliverable("Lakes", lakes, "water", "mask_png8"),
            Deliverable("Scree", scree, "scree", "mask_png8"),
            Deliverable("Snow", snow, "snow", "mask_png8"),
            Deliverable("Fill", rain, "fill", "mask_png8"),
            Deliverable("Colour", colour, "colour", "colour_png8"),
        ),
    )
    for title, ids in (
        ("The big form", (hills, spurs, body, valley, bent)),
        ("Water and snow", (streams, lakes, snow)),
    ):
        m.recipe, _ = group.frame(m.recipe, ids, title)
    return m


def _chosen(recipe: Recipe) -> Recipe:
    """Presets, figures with limits, and who made it."""
    recipe = control.set_control(recipe, control.find(recipe, "Weathering"), 0.5)
    usual = preset.capture_preset(recipe)
    for name, values in (
        ("Green summer", {}),
        ("White winter", {"Winter": 1.0, "Snow line": 140.0, "Bracken": 0.3}),
        ("Broad valley", {"Valley width": 900.0, "Hill height": 380.0, "Cliff height": 34.0, "Weathering": 0.8}),
    ):
        for label, value in values.items():
            recipe = control.set_control(recipe, control.find(recipe, label), value)
        recipe = preset.apply_preset(preset.with_preset(recipe, name), usual)[0]
    figures = (
        FigureChoice("relief"),
        FigureChoice("walkable", low=0.75),
        FigureChoice("area"),
        FigureChoice("flat", low=150.0),
        FigureChoice("water"),
        FigureChoice("stream"),
    )
    return replace(recipe, figures=figures, author="the makers of Gelande")


def varrowdale_winter() -> Maker:
    """The demo's winter: the same recipe with the snow lying."""
    m = varrowdale()
    m.recipe = control.set_control(m.recipe, next(c for c in m.recipe.controls if c.label == "Winter"), 1.0)
    return m


def pavement() -> Maker:
    m = Maker(Site("Clint pavement", 400, 400))
    ground = m.add("fractal_noise", "Bare limestone", {"feature_size": 220, "relief": 26, "gain": 0.38, "octaves": 5})
    steps = m.add(
        "terrace",
        "Bedding steps",
        {"riser_height": 5, "sharpness": 0.8, "irregularity": 0.5, "follow": 0.35},
        height=ground,
    )
    low = m.add("slope_band", "Level beds", {"low": 0, "high": 9, "falloff": 8, "baseline": 6}, height=steps)
    m.add(
        "blocks",
        "Clints and grikes",
        {
            "size": 11,
            "stretch_north": 2.2,
            "tall": 2.2,
            "gap": 0.13,
            "jitter": 0.55,
            "jitter_up": 0.35,
            "tilt": 2,
            "layers": 2,
            "turn": 28,
            "where": "mask",
        },
        height=steps,
        gaps=low,
        mask=low,
    )
    return m


def rubble() -> Maker:
    m = Maker(Site("Rubble field", 300, 300))
    ground = m.add("fractal_noise", "Slope", {"feature_size": 260, "relief": 34, "octaves": 5})
    big = m.add(
        "blocks",
        "Great stones",
        {"size": 16, "tall": 9, "gap": 0.06, "jitter": 1.0, "jitter_up": 1.0, "tilt": 24, "layers": 3, "seed": 4},
        height=ground,
    )
    m.add(
        "blocks",
        "Small stones",
        {
            "size": 5,
            "tall": 2.4,
            "gap": 0.05,
            "jitter": 1.0,
            "jitter_up": 1.0,
            "tilt": 26,
            "layers": 2,
            "seed": 9,
            "amount": 0.8,
        },
        height=big,
    )
    return m


def cracked_ground() -> Maker:
    m = Maker(Site("Cracked ground", 200, 200))
    ground = m.add("fractal_noise", "Dry bed", {"feature_size": 150, "relief": 5, "octaves": 4, "gain": 0.35})
    wide = m.add("cracks", "Great cracks", {"size": 22, "width": 2.2, "depth": 1.6, "bend": 0.5}, height=ground)
    m.add("cracks", "Fine cracks", {"size": 6, "width": 0.7, "depth": 0.5, "bend": 0.4, "seed": 5}, height=wide)
    return m


def columns() -> Maker:
    m = Maker(Site("Columns", 240, 240))
    hill = m.add("dome", "Old flow", {"radius": 110, "relief": 46, "profile": "flat_topped"})
    rough = m.add("surface_noise", "Uneven front", {"depth": 12, "size": 60, "octaves": 3}, height=hill)
    m.add(
        "blocks",
        "Columns",
        {"size": 7, "tall": 11, "gap": 0.05, "jitter": 0.75, "jitter_up": 1.0, "tilt": 2, "layers": 1, "turn": 0},
        height=rough,
    )
    return m


def debris() -> Maker:
    """Blocks, bent, repeated and laid on a slope."""
    m = Maker(Site("Debris slope", 600, 600))
    stones = m.add(
        "blocks",
        "Stones",
        {"size": 40, "tall": 14, "gap": 0.12, "jitter": 1.0, "jitter_up": 1.0, "tilt": 25, "layers": 2},
    )
    bent = m.add("warp", "Broken up", {"distance": 22, "size": 90, "octaves": 3}, height=stones)
    tiles = m.add("repeat", "All over", {"east": 2, "north": 2, "shrink": True, "seam": 0.15}, height=bent)
    slope = m.add("ramp", "Slope", {"direction": 30, "low": 0, "high": 260, "profile": "hollow"})
    rough = m.add("surface_noise", "Uneven slope", {"depth": 24, "size": 180, "octaves": 4}, height=slope)
    m.add("drape", "Debris on the slope", {"radius": 0, "strength": 0.9, "along": 0.9}, height=rough, detail=tiles)
    return m


def skerrin_sound() -> Maker:
    m = Maker(Site("Skerrin Sound", 6000, 4500, sea_level=0), seed=7)
    land = m.add(
        "massif",
        "Old land",
        {"character": "worn", "radius": 2900, "relief": 520, "ridge_spacing": 1300, "east": 0.62, "north": 0.6},
    )
    # old valleys across the land: where the sea comes into them are the sounds
    valleys = m.add("fractal_noise", "Old valleys", {"feature_size": 2100, "relief": 520, "octaves": 6, "gain": 0.42})
    bent = m.add("warp", "Bent coast", {"distance": 900, "size": 3600, "octaves": 3}, height=land)
    joined = m.add("mix", "Land with valleys", {"way": "percentage", "share": 0.5}, height=bent, second=valleys)
    skerries = m.add("billow_noise", "Skerries", {"feature_size": 700, "relief": 120, "octaves": 5})
    sunk = m.add("levels", "Sunk", {"in_low": 0, "in_high": 80, "out_low": -85, "out_high": 46}, height=skerries)
    drowned = m.add(
        "levels",
        "Drowned",
        {"in_low": 90, "in_high": 470, "out_low": -110, "out_high": 410, "bend": 1.1},
        height=joined,
    )
    coast = m.add("mix", "Coast", {"way": "higher", "seam": 24}, height=drowned, second=sunk)
    rain = m.add(
        "rain_erosion",
        "Burns",
        {
            "strength": 0.28,
            "gully_spacing": 110,
            "where": "height",
            "where_low": 0,
            "where_high": 2000,
            "where_falloff": 30,
        },
        height=coast,
    )
    cliffs = m.add(
        "strata",
        "Cliff beds",
        {"thickness": 26, "contrast": 0.7, "dip": 6, "where": "slope", "where_slope_low": 16, "where_slope_falloff": 8},
        height=rain,
    )
    sea = m.add("sea", "The sound", {"level": 0, "beach": 3, "cliff": 26, "broken": 0.8}, height=cliffs)
    dressed = covers.drowned_coast(m, sea, rain)
    beds = covers.of_layer(m, dressed, "Heath", "amount")
    m.publish(
        "Land height", "Land", "Height of the old land before it was drowned.", (drowned, "out_high"), low=200, high=700
    )
    m.publish("Size of the island", "Land", "From its middle to its shore.", (land, "radius"), low=1600, high=4200)
    m.publish("Ridges", "Land", "From ridge to ridge.", (land, "ridge_spacing"), low=700, high=2400)
    m.publish("Skerries", "Coast", "How high the small rocks in the sea stand.", (sunk, "out_high"), low=5, high=90)
    m.publish("Size of skerries", "Coast", "From rock to rock.", (skerries, "feature_size"), low=350, high=1400)
    m.publish("Sea cliffs", "Coast", "How high the sea has cut.", (sea, "cliff"), low=0, high=70)
    m.publish("Beach", "Coast", "How high sand lies in the bays.", (sea, "beach"), low=0, high=12)
    m.publish("Broken shore", "Coast", "How far the shore is broken into coves.", (sea, "broken"), low=0, high=1)
    m.publish("Burns", "Weather", "How deeply water has cut the land.", (rain, "strength"), low=0, high=0.9)
    m.publish("Heath", "Ground", "How much heath grows on the heights.", (dressed, beds), low=0, high=1)
    m.preset("As found", {})
    m.preset("Outer rocks", {"Land height": 240, "Size of the island": 1900, "Skerries": 80})
    m.preset("High island", {"Land height": 660, "Sea cliffs": 60, "Burns": 0.6})
    m.note("Old land and skerries are both lowered under the sea; the higher of the two is the coast.", coast)
    m.note("The sea cuts cliffs where waves reach, and lays sand in the bays.", sea)
    views = (
        ("Far", 0.05, -0.25, 900, 30, -18),
        ("Over the skerries", 0.2, 0.15, 70, 40, -6),
        ("On the shore", 0.279, 0.808, 2.5, 180, -2),
    )
    return landscapes.finished(m, views, ("Shore", sea, "shore"), ("Water", sea, "water"))


def oru() -> Maker:
    m = Maker(Site("Oru", 5000, 5000))
    plain = m.add("fractal_noise", "Loess plateau", {"feature_size": 2600, "relief": 260, "gain": 0.32, "octaves": 6})
    high = m.add(
        "levels",
        "High and level",
        {"in_low": 40, "in_high": 210, "out_low": 40, "out_high": 330, "bend": 0.6},
        height=plain,
    )
    rough = m.add("surface_noise", "Surface noise", {"depth": 10, "size": 160}, height=high)
    gullies = m.add("rain_erosion", "Gullies", {"strength": 0.6, "gully_spacing": 90, "deposition": 0.3}, height=rough)
    gentle = m.add("slope_band", "Farmed slopes", {"low": 4, "high": 20, "falloff": 5, "baseline": 60}, height=gullies)
    steps = m.add(
        "terrace",
        "Farmed steps",
        {"riser_height": 7, "sharpness": 0.85, "follow": 0.1, "irregularity": 0.15, "where": "mask"},
        height=gullies,
        mask=gentle,
    )
    dressed = covers.loess_plateau(m, steps, gullies, gentle)
    parcels = next(n for n, state in m.recipe.nodes.items() if state.kind == "cell_noise")
    damp = next(n for n, state in m.recipe.nodes.items() if state.name == "Damp gullies")
    poplars = {"thing": "broadleaved_tree", "density": 42, "least": 8, "smallest": 0.6, "largest": 1.2}
    poplars = m.add("things", "Poplars in the gullies", poplars, where=damp)
    farms = {"thing": "hut", "density": 0.5, "least": 60, "smallest": 0.9, "largest": 1.4}
    m.add("things", "Farms", farms, where=gentle)
    m.publish("Gully strength", "Weather", "How deeply the plateau is cut.", (gullies, "strength"), low=0.1, high=1.0)
    m.publish("Gully spacing", "Weather", "From gully to gully.", (gullies, "gully_spacing"), low=50, high=260)
    m.publish("Height of the plateau", "Land", "Over the gullies' floors.", (high, "out_high"), low=160, high=520)
    m.publish("Size of the plateau", "Land", "From valley to valley.", (plain, "feature_size"), low=1300, high=4500)
    m.publish("Step height", "Fields", "From field to field down a slope.", (steps, "riser_height"), low=3, high=18)
    m.publish("Even steps", "Fields", "0 wanders, 1 is as drawn by a rule.", (steps, "sharpness"), low=0.3, high=1.0)
    m.publish("Steepest farmed slope", "Fields", "Steeper ground is left bare.", (gentle, "high"), low=10, high=32)
    m.publish("Size of the fields", "Fields", "From edge to edge.", (parcels, "size"), low=60, high=420)
    amount = covers.of_layer(m, dressed, "Thorn scrub", "amount")
    m.publish("Scrub", "Ground", "How much scrub grows on the gullies' floors.", (dressed, amount), low=0, high=1)
    m.publish("Poplars", "Ground", "Trees on a hectare of the gullies.", (poplars, "density"), low=0.1, high=90)
    m.preset("As found", {})
    m.preset("Cut to pieces", {"Gully strength": 1.0, "Gully spacing": 60, "Height of the plateau": 460})
    m.preset("Wide fields", {"Gully strength": 0.25, "Size of the fields": 360, "Step height": 12})
    m.note("Loess stands steep and gives way fast: strong rain, gullies close beside each other.", gullies)
    m.note("People make steps where slopes are gentle: the same mask makes the steps and the fields.", gentle)
    views = (
        ("Far", 0.1, -0.15, 800, 25, -18),
        ("Over the fields", 0.35, 0.3, 120, 30, -10),
        ("Above a gully", 0.228, 0.572, 3, 315, -3),
    )
    return landscapes.finished(m, views, ("Fields", gentle, "mask"), ("Gullies", gullies, "cut"))


def bedded_scarps() -> Maker:
    m = Maker(Site("Bedded scarps", 4000, 4000))
    ground = m.add("fractal_noise", "Upland", {"feature_size": 1700, "relief": 520, "gain": 0.4})
    valley = m.add(
        "valley",
        "Valley",
        {"floor_width": 260, "side_width": 700, "depth": 230, "trough": 0.5, "winding": 0.6, "direction": 150},
        height=ground,
    )
    gorge = m.add(
        "valley",
        "Side valley",
        {"floor_width": 90, "side_width": 420, "depth": 170, "trough": 0.3, "winding": 0.7, "direction": 60, "seed": 5},
        height=valley,
    )
    rough = m.add("surface_noise", "Surface noise", {"depth": 40, "size": 240, "octaves": 5}, height=gorge)
    rock = m.add("rock_beds", "Rock", {"thickness": 58, "dip": 4, "contrast": 0.85, "irregularity": 0.6})
    rain = m.add(
        "rain_erosion",
        "Rain spares the hard beds",
        {"strength": 0.45, "gully_spacing": 150, "ravines": 0.1},
        height=rough,
        beds_from=rock,
    )
    scree = m.add("scree", "Scree", {"repose": 34, "amount_broken": 6}, height=rain, beds_from=rock)
    m.publish("Dip", "Rock", "How far the beds are tilted.", (rock, "dip"), low=0, high=14)
    m.add("stream_channels", "Streams", {"width": 12, "deep": 3}, height=scree)
    return m


RECIPES = {
    "varrowdale": varrowdale,
    "varrowdale-winter": varrowdale_winter,
    "clint-pavement": pavement,
    "rubble-field": rubble,
    "cracked-ground": cracked_ground,
    "columns": columns,
    "debris-slope": debris,
    "skerrin-sound": skerrin_sound,
    "oru": oru,
    "bedded-scarps": bedded_scarps,
}


if __name__ == "__main__":
    forget_stale()  # figures and pictures are never of a mixture of old and new machine code
    OUT.mkdir(exist_ok=True)
    for name, make in RECIPES.items():
        make().save(name)
    for name, make in (landscapes.RECIPES | mask_examples.RECIPES | colour_examples.RECIPES).items():
        make(Maker).save(name)
