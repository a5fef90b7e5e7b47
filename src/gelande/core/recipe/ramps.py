"""The ramp library: our own colours of ground, from dark or low to light or high, grouped by what they are of."""

from __future__ import annotations

from functools import cache
from typing import NamedTuple

import numpy as np

from gelande.kernels.curves import to_linear
from gelande.kernels.oklab import lab_of

Stops = tuple[tuple[float, float, float, float], ...]

#: Group -> name -> colours at equal distances, as sRGB in hexadecimal.
_LIBRARY = {
    "Limestone": {
        "Grey scar": "5b5a55 7d7b74 9c9a92 b9b6ad d4d1c8",
        "Weathered clints": "4e504b 6f7068 8f8f85 b3b1a5 cfcbbd",
        "Cream beds": "7a6f5c 9b8d74 b9ab8f d3c7ab e8dfc7",
        "Lichened wall": "50544a 6e7462 8c9079 aaa98d c7c2a6",
        "Wet cave mouth": "2f322f 464a45 62655d 817f73 a19a88",
    },
    "Granite": {
        "Moor tor": "4a4746 6a6564 8a8380 a99f99 c6bcb3",
        "Rose granite": "5a4742 7d625a 9f8075 bd9f91 d8c0b0",
        "Blue boss": "3d434a 585f68 757c85 959aa0 b8babc",
        "Rusted slabs": "4c3b30 6d5340 8e6f53 a98d6c c0a98b",
        "Quarry face": "565453 757270 969290 b6b1ad d1ccc7",
    },
    "Sandstone": {
        "Red bench": "5c2f20 813f29 a55637 c27450 d8987a",
        "Honey cliff": "6b4a24 8f6633 b18547 cba468 e0c290",
        "Banded buff": "74573c 937150 b08c66 caa883 dfc6a6",
        "Violet beds": "4f3b42 6e5259 8d6e71 ab8d8a c7aea5",
        "Desert varnish": "2b201b 4a342a 704d3b 976b50 ba8e6f",
    },
    "Basalt": {
        "Fresh flow": "17181a 292a2c 3e3f40 565554 716d69",
        "Columns": "24272b 3a3e42 52565a 6e7071 8d8b88",
        "Red cinder": "2a1613 48221b 6c3425 914b35 b06a50",
        "Mossed lava": "1f2320 343b31 4c5642 677156 86906f",
    },
    "Clay and mud": {
        "Grey badland": "53524c 6d6a60 8a8475 a69d8b c0b6a3",
        "Blue clay": "3c444a 535d63 6d777a 8a9190 aaaba5",
        "Ochre wash": "5c4422 7e5f2f a07d42 bd9b60 d5ba87",
        "Mud flat": "3b342c 524a3e 6c6252 887d69 a49a84",
        "Brick earth": "4f2f22 6d4330 8c5c44 a8795e c19a80",
    },
    "Sand": {
        "Shell beach": "a48d6c bba581 cfbd9a e0d2b4 efe6cf",
        "Grey dune": "6e6a61 88837a a39d92 bcb6ab d3cdc2",
        "Golden erg": "8a5a2b aa763c c69352 dcb074 eccd9b",
        "Rose sand": "7d5546 9c7060 b88d7a d0aa97 e4c8b7",
        "Black strand": "1f2022 323335 494949 63615f 827e79",
    },
    "Soil and peat": {
        "Peat hag": "1b1511 2c221b 413328 5a4939 776450",
        "Ploughland": "3a2a1f 52402f 6d5742 897259 a69077",
        "Dark loam": "241c15 382c21 50402f 6b5842 897559",
        "Loess": "6f5a38 8b744b a68e62 bfa87e d5c29e",
        "Terra rossa": "3f1b12 5f2a1a 803d27 9f563a b97656",
    },
    "Grass": {
        "Sheep pasture": "3f5226 566b34 708446 8b9b5d a6b17a",
        "Bent and fescue": "56592f 70713f 8b8a54 a5a16e beb98c",
        "Lush meadow": "2c4a1e 3f6329 577d38 73964d 92ad69",
        "Dry steppe": "6f6234 8a7b46 a5955d beae79 d4c698",
        "Machair": "4b6a3a 668450 849c66 a4b07e c2c39b",
    },
    "Moor and heath": {
        "Heather": "3b2a2f 543b41 6f5157 8b6c70 a78b8b",
        "Bracken autumn": "472a17 683f20 8a592c a7773f c09859",
        "Green bracken": "2f4322 455a2f 5d723f 788a54 95a16f",
        "Cotton grass": "4f4a38 6c664f 8b846a aca487 cdc5aa",
        "Burnt moor": "1d1a18 302b27 48403a 655a50 857869",
    },
    "Forest": {
        "Spruce": "15231b 203428 2f4836 415d46 577359",
        "Birch": "3b4a28 546437 6f7e4a 8c9762 aaaf7f",
        "Oak canopy": "24361c 374d28 4d6536 677d49 849561",
        "Pine barrens": "2a3424 3f4a33 576246 727a5b 908f72",
        "Olive grove": "3d4330 565c43 717559 8d8f72 aaa98e",
    },
    "Autumn": {
        "Larch gold": "5e3f12 84601c a98128 c7a040 debd66",
        "Maple": "4a1712 712418 973a20 b85a30 d08149",
        "Rowan": "55231a 7a3a24 9c5730 b97943 d09d62",
        "Fallen leaves": "3b2417 573722 744e31 916a46 ad8a62",
    },
    "Snow and ice": {
        "Fresh snow": "b9c4d0 cdd6df dde4ea ebeff3 f8fafb",
        "Old firn": "8f98a0 a8b0b6 c0c6ca d6dadb e9ebea",
        "Glacier blue": "2f5f7d 4f83a0 78a6bf a7c7d8 d9e8ee",
        "Dirty ice": "4d4f50 6b6e6f 8b8f90 adb1b1 d0d3d2",
        "Snow patches": "5a5a4e 83847a adb0aa d2d6d5 f2f4f5",
    },
    "Shallow water": {
        "Tarn": "1e2b2c 2c3f3f 3f5653 58706a 768b82",
        "Lagoon": "0f5a66 2a808a 52a3a5 84c1bb bfded2",
        "Peat pool": "140d08 24180e 3a2817 553d25 745739",
        "Silty bay": "4f4a39 69644f 867f68 a49c84 c1baa3",
    },
    "Deep water": {
        "Fjord": "07141d 0e2432 19384a 295064 406b7f",
        "Open sea": "061a2c 0c2d47 174462 285f7e 45809c",
        "Green sea": "08211f 0f3633 1d4f49 316c62 4f8b7d",
        "Winter sea": "11171c 1e272e 303b43 47545c 647179",
    },
    "Burnt and bare": {
        "Ash field": "2b2a29 454341 63605c 85817b aaa59e",
        "Charred": "0f0d0c 1e1a18 322b27 4b413a 685b51",
        "Salt pan": "8d857a a79f94 c0b9ae d8d3ca efece6",
        "Sulphur ground": "5c4f22 86762e b19e3d d2c25c ebe092",
        "Iron crust": "2d1510 4a231a 6d3826 8f5436 ac7750",
    },
    "Invented": {
        "Copper hills": "123a37 24615a 4a8c7d 8bb39a d4cfae",
        "Violet dusk": "1d1533 3a2a5c 63488a 9671ae cda9cc",
        "Bone and ink": "12151c 3c3f47 74746f b1aa97 ebe1c6",
        "Ember land": "180a0a 4a1710 8c3415 cc6a22 f2b65c",
        "Mint salt": "2c4f4b 56807a 8bb0a6 bfd6cb eef4ec",
        "Slate and moss": "23292e 3d4a45 5f6f54 8c9568 c0bd8f",
    },
}


class NamedRamp(NamedTuple):
    """One ramp of the library."""

    group: str
    name: str
    stops: Stops


def stops_of(colours: str) -> Stops:
    """Colour stops at equal distances from colours in hexadecimal, with spaces between."""
    tones = colours.split()
    found = []
    for n, c in enumerate(tones):
        red, green, blue = (round(int(c[k : k + 2], 16) / 255, 4) for k in (0, 2, 4))
        found.append((n / (len(tones) - 1), red, green, blue))
    return tuple(found)


def ramp_along(colours: np.ndarray, most: int = 12, close: float = 0.012) -> Stops:
    """A ramp along a line of colours: as few stops as follow them by straight pieces in OKLab, each piece set where the
    line is farthest from them (after Douglas and Peucker 1973).

    colours: (n, 3) sRGB 0-1, n at least 2; most: stops at most; close: how near is near enough."""
    light = to_linear(np.asarray(colours, np.float32))
    lab = np.array([lab_of(*map(float, tone)) for tone in light])
    t = np.linspace(0, 1, len(lab))
    kept = [0, len(lab) - 1]
    while len(kept) < most:
        kept.sort()
        straight = np.stack([np.interp(t, t[kept], lab[kept, k]) for k in range(3)], 1)
        away = np.hypot(np.hypot(*(lab - straight).T[:2]), (lab - straight)[:, 2])
        if float(away.max()) <= close:
            break
        kept.append(int(away.argmax()))
    return tuple((float(t[k]), *(float(round(v, 4)) for v in np.asarray(colours)[k])) for k in sorted(kept))  # type: ignore[misc]


@cache
def library() -> tuple[NamedRamp, ...]:
    """All ramps, group by group."""
    return tuple(NamedRamp(g, name, stops_of(text)) for g, ramps in _LIBRARY.items() for name, text in ramps.items())


def find(words: str) -> list[NamedRamp]:
    """Ramps whose name or group has all the words, in any case; all of them when there are none."""
    wanted = words.lower().split()
    return [r for r in library() if all(w in f"{r.group} {r.name}".lower() for w in wanted)]
