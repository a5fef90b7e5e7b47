"""Long dunes, level pans between them, and islands of dark rock."""
# ruff: noqa: E501

from covers import AT_SLOPE, cover, layer

from gelande.core.recipe.site import Site

from .shared import finished, toned


def dune_field(maker):
    """Long dunes, level pans between them, and islands of dark rock."""
    m = maker(Site("Ummar sands", 6000, 6000, bare="sand"), seed=4)
    long = m.add(
        "dunes",
        "Long dunes",
        {
            "kind": "lengthwise",
            "spacing": 620,
            "relief": 85,
            "wind": 62,
            "lee": 0.5,
            "irregularity": 0.55,
            "swell": 20,
            "seed": 3,
        },
    )
    cross = m.add(
        "dunes",
        "Cross dunes",
        {
            "kind": "transverse",
            "spacing": 170,
            "relief": 9,
            "wind": 152,
            "lee": 0.35,
            "irregularity": 0.8,
            "swell": 6,
            "seed": 5,
        },
    )
    sand = m.add("mix", "Dunes on dunes", {"way": "add", "unit": 1}, height=long, second=cross)
    pans = m.add("clip", "Pans between", {"floor": 40, "ceiling": 500, "edge": "rounded", "rounding": 8}, height=sand)
    one = m.add(
        "massif",
        "Rock island",
        {
            "character": "jagged",
            "radius": 950,
            "relief": 520,
            "ridge_spacing": 480,
            "east": 0.3,
            "north": 0.64,
            "seed": 6,
        },
    )
    two = m.add(
        "massif",
        "Lesser island",
        {
            "character": "jagged",
            "radius": 520,
            "relief": 330,
            "ridge_spacing": 260,
            "east": 0.76,
            "north": 0.4,
            "seed": 8,
        },
    )
    both = m.add("mix", "Two islands", {"way": "higher", "seam": 20}, height=one, second=two)
    moved = m.add("warp", "Islands elsewhere", {"distance": 1600, "size": 11000, "octaves": 1}, height=both)
    worn = m.add("rain_erosion", "Worn rock", {"strength": 0.35, "gully_spacing": 90, "ravines": 0.5}, height=moved)
    land = m.add("mix", "Rock in the sand", {"way": "higher", "seam": 16}, height=pans, second=worn)
    wind = m.add(
        "wind",
        "Ripples",
        {"wind": 62, "spacing": 60, "relief": 1.6, "ripple_spacing": 16, "ripple_relief": 0.4},
        height=land,
    )
    bare = m.add("mix", "Rock over sand", {"way": "difference", "unit": 1}, height=land, second=pans)
    rocky = m.add("height_as_mask", "Where rock is", {"range": "given_heights", "low": 0.5, "high": 12}, height=bare)
    low = m.add("height_band", "Pans", {"low": -100, "high": 44, "falloff": 5}, height=wind)
    tone = toned(m, wind, bulge_weight=0.55, slope_weight=-0.25, noise_weight=0.15)
    cover(
        m, "Ground cover",
        [
            layer("Sand", "a06a38 b57c45 c99258 dba96e e9c18a", grain=0.15),
            layer("Slip faces", "8c5a30 a06b3c b37d4b", lies=AT_SLOPE, from_slope=24, slope_fade=6, amount=0.7, broken=0.2, patch=60, grain=0.15),
            layer("Pans", "9b8a70 b0a085 c6b79d d8ccb5", mask=low, amount=0.85, broken=0.45, patch=140, thins=0.9, steep=8, grain=0.35),
            layer("Dark rock", "2b201b 3c2d25 4f3c31 64503f", mask=rocky, broken=0.35, patch=24, grain=0.6),
            layer("Sand on ledges", "a87542 be8b55 d3a46e", mask=rocky, amount=0.6, broken=0.8, patch=60, thins=1.0, steep=20, grain=0.2),
        ],
        wind, tone, grain_size=22, over=24, seed=2,
    )  # fmt: skip
    m.publish("Height of the dunes", "Dunes", "From trough to crest.", (long, "relief"), low=25, high=180)
    m.publish("Distance of the dunes", "Dunes", "From crest to crest.", (long, "spacing"), low=280, high=1200)
    m.publish("Wind from", "Dunes", "Where the wind comes from.", (long, "wind"), (wind, "wind"), low=0, high=345)
    m.publish(
        "Uneven dunes", "Dunes", "How far crests wander, fork and end.", (long, "irregularity"), low=0.0, high=1.0
    )
    m.publish(
        "Cross dunes", "Dunes", "How high the small dunes on the large ones are.", (cross, "relief"), low=0, high=24
    )
    m.publish("Pans", "Dunes", "Height up to which the ground between is level.", (pans, "floor"), low=10, high=80)
    m.publish("Rock island", "Rock", "How high it stands.", (one, "relief"), low=60, high=700)
    m.publish("Worn rock", "Rock", "How far rain has worn it.", (worn, "strength"), low=0.0, high=0.9)
    m.preset("As found", {})
    m.preset("Low sands", {"Height of the dunes": 40, "Cross dunes": 5, "Pans": 34})
    m.preset("Great sands", {"Height of the dunes": 160, "Distance of the dunes": 950, "Pans": 10})
    m.note(
        "Two sets of dunes by one wind: long ones, and small ones over them. What lies below the pans' height is level.",
        long,
    )
    m.note("Rock is worn before it is set into the sand, so that rain leaves the dunes alone.", worn)
    return finished(
        m,
        (
            ("Far", 0.1, -0.15, 900, 25, -18),
            ("Island", 0.2, 0.45, 90, 25, -3),
            ("On a crest", 0.661, 0.694, 2, 270, -2),
        ),
        ("Rock", rocky, "mask"),
        ("Pans", low, "mask"),
    )
