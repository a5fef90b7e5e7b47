"""Knife ridges and rills in banded clay, with pale floors between."""
# ruff: noqa: E501

from covers import HEIGHT, cover, layer

from gelande.core.recipe.site import Site

from .shared import finished, toned


def badlands(maker):
    """Knife ridges and rills in banded clay, with pale floors between."""
    m = maker(Site("Corvin breaks", 1600, 1600, bare="snow"), seed=5)
    hills = m.add("fractal_noise", "Hills", {"feature_size": 620, "relief": 420, "octaves": 6, "gain": 0.45, "seed": 2})
    ridges = m.add(
        "ridge_noise",
        "Ridges",
        {"feature_size": 420, "relief": 330, "octaves": 6, "gain": 0.45, "sharpness": 1.3, "warp": 60, "seed": 7},
    )
    body = m.add("mix", "Hills and ridges", {"way": "percentage", "share": 0.55}, height=hills, second=ridges)
    floor = m.add("curve", "Broad floors", {"curve": ((0.0, 0.03), (0.16, 0.07), (0.5, 0.55), (1.0, 1.0))}, height=body)
    rain = m.add(
        "rain_erosion",
        "Rills",
        {"strength": 0.85, "gully_spacing": 34, "ravines": 0.9, "deposition": 0.5},
        height=floor,
    )
    sharp = m.add("crests", "Knife ridges", {"radius": 30, "crests": 0.6}, height=rain)
    wash = m.add("silt", "Washed floors", {"filled": 0.3, "dished": 0.1, "thick_at": 2}, height=sharp)
    tone = toned(m, wash, rain, (rain, "flow"), flow_weight=0.2, size=30, noise_size=24)
    flat = m.add("slope_band", "Floors", {"low": 0, "high": 9, "falloff": 5}, height=wash)
    beds = "8f8578 b7a892 a4523d c7b79f 7d7468 d5c8b2 8a4434 b3a58f 6f6a62 cdb896"
    cover(
        m, "Ground cover",
        [
            layer("Banded clay", beds, along=HEIGHT, grain=0.12),
            layer("Washed clay", "b8aa92 c8bba3 d8ccb5 e3dac6", mask=flat, amount=0.9, broken=0.4, patch=30, thins=0.9, steep=14, grain=0.3),
            layer("Short grass", "6d6a40 7f7b4c 938e5c", mask=flat, amount=0.55, broken=0.9, patch=60, thins=1.0, steep=9, grain=0.5),
            layer("Shadow of the rills", "5c5148 70645a", mask=(rain, "flow"), amount=0.25, broken=0.3, patch=10, grain=0.2),
        ],
        wash, tone, grain_size=10, over=12, seed=4,
    )  # fmt: skip
    m.publish(
        "Height",
        "Form",
        "From the floors to the ridges.",
        (hills, "relief"),
        (ridges, "relief", 0.75),
        low=150,
        high=700,
    )
    m.publish("Size of the hills", "Form", "From hill to hill.", (hills, "feature_size"), low=300, high=1200)
    m.publish("Ridges or hills", "Form", "0 is rounded hills, 1 sharp ridges.", (body, "share"), low=0.0, high=1.0)
    m.publish("Rills", "Weather", "How deep rain has cut.", (rain, "strength"), low=0.2, high=1.0)
    m.publish("Space between rills", "Weather", "From one to the next.", (rain, "gully_spacing"), low=14, high=80)
    m.publish(
        "Hill form kept", "Weather", "How much of the hills' own form rain leaves.", (rain, "form"), low=0.2, high=1.0
    )
    m.publish("Knife ridges", "Weather", "How sharp the crests are.", (sharp, "crests"), low=0.0, high=1.0)
    m.publish("Washed floors", "Weather", "How far hollows are filled with clay.", (wash, "filled"), low=0.0, high=1.0)
    m.preset("As found", {})
    m.preset("Young", {"Rills": 0.4, "Space between rills": 50, "Knife ridges": 0.2})
    m.preset("Deep breaks", {"Height": 620, "Rills": 1.0})
    m.note("Clay gives way fast: much rain, gullies close beside each other, and crests sharpened after it.", rain)
    m.note("The bands are a ramp along the height: the same bed has the same colour on every hill.", wash)
    return finished(
        m,
        (
            ("Far", 0.1, -0.15, 350, 25, -20),
            ("Over the floor", 0.42, 0.42, 60, 20, -9),
            ("On the floor", 0.5, 0.3, 2, 20, 3),
        ),
        ("Rills", rain, "flow"),
        ("Floors", flat, "mask"),
    )
