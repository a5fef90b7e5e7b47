"""The colours of the three landscapes: layers of ground cover over what made the land. Used by make_examples.py."""
# ruff: noqa: E501

from gelande.core.recipe import graph
from gelande.core.recipe.ramps import stops_of
from gelande.nodes.colour.ground_cover import AT_HEIGHT, AT_SLOPE, FACING, HEIGHT, LAYERS, LINKED, PLAIN, TONE

__all__ = ["AT_HEIGHT", "AT_SLOPE", "FACING", "HEIGHT", "LINKED", "PLAIN", "cover", "layer", "of_layer"]


def layer(name: str, colours: str = "", mask=None, colour=None, **settings) -> tuple:
    """(settings, mask, colour) of a layer; colours: hexadecimal, along the ground tone."""
    ramp = {"ramp": stops_of(colours), "along": TONE} if colours else {}
    tone = {"tone": LINKED} if colour else {}
    return {"name": name, **ramp, **tone, **settings}, mask, colour


def cover(m, name: str, layers, height, tone=None, **settings) -> str:
    """A Ground cover node with these layers, from the ground up, and what is linked to them."""
    node = m.add(
        "ground_cover", name, {"layers": LAYERS.made(*(one for one, _, _ in layers)), **settings}, height=height
    )
    links = {"tone": tone} if tone else {}
    for k, (_, mask, colour) in enumerate(layers):
        links.update({f"{port}_{k + 1}": source for port, source in (("mask", mask), ("colour", colour)) if source})
    for port, source in links.items():
        source, output = source if isinstance(source, tuple) else (source, m.recipe.nodes[source].spec.main.id)
        m.recipe = graph.link(m.recipe, source, output, node, port)
    return node


def of_layer(m, node: str, name: str, setting: str) -> str:
    """How a layer's setting is called among the node's."""
    one = next(one for one in m.recipe.nodes[node].params["layers"] if LAYERS.of(one, "name") == name)
    return LAYERS.path(one[-1], setting)


def limestone_dale(m, ground, scree, lakes, snow, peat, wet, banks) -> tuple[str, str]:
    """(cover, colour) of Varrowdale. peat, wet, banks: masks of peat ground, wet ground and its banks."""
    tone = m.add(
        "ground_tone", "Tone of the ground",
        {"height_weight": 0.15, "slope_weight": 0.25, "bulge_weight": 0.45, "open_weight": 0.3, "flow_weight": -0.3, "noise_weight": 0.3, "size": 90, "noise_size": 70, "seed": 12},
        height=ground,
        flow=wet,
    )  # fmt: skip
    made = cover(
        m, "Ground cover",
        [
            layer("Pasture", "3f4c27 55602f 6a713a 7f8247 93915a", grain=0.3),
            layer("Hill grass", "57562f 6d6839 847a47 998b56 ab9c69", lies=AT_HEIGHT, low=210, fade=170, broken=0.7, patch=150, grain=0.35),
            layer("Bracken", "3a3822 52482a 6a5633 82683f 978055", lies=AT_SLOPE, from_slope=13, to_slope=38, slope_fade=9, amount=0.72, broken=0.75, patch=110, thins=0.6, steep=30, grain=0.4),
            layer("Peat and heather", "241d19 382c27 4c3c38 5e4b49 70605c", mask=peat, amount=0.9, broken=0.65, patch=130, grain=0.45),
            layer("Rushes", "2b3a20 3b4a29 4b5932 5b673d", mask=banks, amount=0.85, broken=0.5, patch=40, grain=0.4),
            layer("Limestone", "67665f 83817a 9b9992 b2afa7 c6c3ba", lies=AT_SLOPE, from_slope=38, slope_fade=9, broken=0.55, patch=30, grain=0.35),
            layer("Stones", "6a6760 7d7a72 918d84 a39f96", mask=(scree, "scree"), amount=0.85, broken=0.7, patch=26, grain=0.8),
            layer("Snow", "b7c2cf cfd8e1 e3e9ee f3f5f7", mask=(snow, "snow"), broken=0.25, patch=30, grain=0.25),
        ],
        ground, tone, grain_size=34, over=48, seed=4,
    )  # fmt: skip
    water = m.add(
        "water_colour", "Tarns",
        {"ramp": stops_of("5c6a58 41574f 2c4648 1b333a"), "clear": 0.4, "wet": 0.4, "foam": 0.0},
        under=made, water=(lakes, "water"), depth=(lakes, "depth"), shore=(lakes, "shore"),
    )  # fmt: skip
    return made, water


def drowned_coast(m, sea, rain) -> str:
    """Skerrin Sound: weed and bare rock at the tide's edge, short grass behind the beach, heath and peat above."""
    flow = m.add("flow", "Burns", {"first": 90, "full": 900, "softness": 10}, height=sea)
    wet = m.add("mask_edge", "Wet ground", {"way": "blur", "distance": 30}, first=flow)
    tone = m.add(
        "ground_tone", "Tone of the ground",
        {"height_weight": 0.1, "slope_weight": 0.3, "bulge_weight": 0.5, "open_weight": 0.35, "flow_weight": -0.3,
         "cut_weight": 0.2, "fill_weight": -0.2, "noise_weight": 0.3, "size": 90, "noise_size": 70, "seed": 2},
        height=sea, flow=(rain, "flow"), cut=(rain, "cut"), fill=(rain, "fill"),
    )  # fmt: skip
    return cover(
        m, "Ground cover",
        [
            layer("Sea bed", "1e2a2c 2b3a39 3b4a45 515c50 6a6f5c", along=HEIGHT, grain=0.3),
            layer("Moor grass", "3c4527 505832 676b3f 7f7d4c 94905f", lies=AT_HEIGHT, low=6, fade=5, broken=0.4, patch=60, grain=0.4),
            layer("Heath", "2f2626 443736 594a45 6d5f56 827466", lies=AT_HEIGHT, low=230, fade=170, amount=0.8, broken=0.8, patch=190, grain=0.45),
            layer("Shore turf", "465a2f 5b6c3b 70804a 858f5b 9a9e70", lies=AT_HEIGHT, low=7, high=60, fade=70, broken=0.5, patch=90, thins=0.8, steep=24, grain=0.35),
            layer("Peat", "1f1915 2f2620 40352c 53473c", mask=wet, amount=0.8, broken=0.5, patch=60, grain=0.4),
            layer("Gneiss", "44433e 5d5a53 777368 928d7f aea898", lies=AT_SLOPE, from_slope=41, slope_fade=10, broken=0.6, patch=40, grain=0.5),
            layer("Wave-washed rock", "3a3734 4f4a44 676057 807768", lies=AT_HEIGHT, low=-6, high=5, fade=4, broken=0.45, patch=30, grain=0.5),
            layer("Weed", "26230f 38331a 4b4423 5d5530", lies=AT_HEIGHT, low=-4, high=1.2, fade=1.6, amount=0.85, broken=0.7, patch=22, grain=0.5),
            layer("Sand", "9c8d6b b4a582 cabd9b ddd2b5", mask=(sea, "shore"), amount=0.9, broken=0.4, patch=40, thins=0.9, steep=14, grain=0.3),
        ],
        sea, tone, grain_size=36, seed=6,
    )  # fmt: skip


def loess_plateau(m, steps, gullies, gentle) -> str:
    """Oru: fields on the steps, dry grass on the rims, bare loess in the cuts, scrub on the gullies' floors."""
    cells = m.add(
        "cell_noise", "Parcels", {"what": "cell_value", "size": 150, "jitter": 0.8, "metric": "manhattan", "seed": 5}
    )
    bent = m.add(
        "warp", "Parcels along the steps", {"distance": 60, "size": 300, "octaves": 3, "seed": 3}, height=cells
    )
    value = m.add("height_as_mask", "Which crop", {}, height=bent)
    even = m.add(
        "colour_ramp", "Crops",
        {"ramp": steps_of("8d7a4c a48e5c 6f6e45 b59f6b 9a8453 616a40 ab9562 87764e c0ab7a 7d7f50")}, driver=value,
    )  # fmt: skip
    crops = m.add("smooth", "Field edges", {"radius": 7}, height=even)
    flow = m.add("flow", "Gully floors", {"first": 70, "full": 700, "softness": 8}, height=steps)
    banks = m.add("mask_edge", "Damp ground", {"way": "blur", "distance": 28}, first=flow)
    # on level ground water finds no one way: nothing is cut there, and it is farmed
    sloping = m.add("slope_band", "Not level", {"low": 2, "high": 90, "falloff": 2, "baseline": 90}, height=steps)
    banks = m.add("mask_mix", "Damp gullies", {"way": "multiply"}, first=banks, second=sloping)
    level = m.add("slope_band", "All farmed ground", {"low": 0, "high": 20, "falloff": 5, "baseline": 60}, height=steps)
    tone = m.add(
        "ground_tone", "Tone of the ground",
        {"height_weight": 0.2, "slope_weight": 0.3, "bulge_weight": 0.5, "open_weight": 0.35, "flow_weight": -0.2,
         "cut_weight": 0.25, "fill_weight": -0.2, "noise_weight": 0.3, "size": 90, "noise_size": 80, "seed": 7},
        height=steps, flow=(gullies, "flow"), cut=(gullies, "cut"), fill=(gullies, "fill"),
    )  # fmt: skip
    return cover(
        m, "Ground cover",
        [
            layer("Dry grass", "685c3a 7d6f46 928256 a69569 b8a87d", grain=0.4),
            layer("Bare loess", "7d6039 98774a b28f5e c8a776 d8bd90", lies=AT_SLOPE, from_slope=15, slope_fade=9, broken=0.6, patch=70, grain=0.35),
            layer("Fields", mask=level, colour=crops, amount=0.9, broken=0.35, patch=60, thins=1.0, steep=13),
            layer("Silt", "8d7a52 a18d62 b5a275 c5b48a", mask=(gullies, "fill"), amount=0.45, broken=0.5, patch=80, grain=0.3),
            layer("Thorn scrub", "2f3520 414628 555632 69673e", mask=banks, amount=0.9, broken=0.75, patch=34, grain=0.6),
            layer("Shaded scrub", "3a3e25 4a4c2d 5d5b37 706b45", lies=FACING, facing=0, width=110, amount=0.5, broken=0.85, patch=50, thins=0.5, steep=34, grain=0.5),
        ],
        steps, tone, grain_size=34, seed=3,
    )  # fmt: skip


def steps_of(colours: str) -> tuple:
    """A ramp of one even colour after another."""
    stops, n = stops_of(colours), len(colours.split())
    found = []
    for k, (_, *tone) in enumerate(stops):
        found += [(k / n, *tone), ((k + 0.999) / n, *tone)]
    return tuple(found)
