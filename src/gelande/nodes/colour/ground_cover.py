"""Ground cover: the whole stack of what lies on the ground, layer by layer, with a weight for each."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache, partial

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import INDEX, SHARE, Port, colour_in, colour_out, height_in, mask_in, node
from gelande.core.recipe.param import Values
from gelande.core.recipe.ramps import find
from gelande.core.recipe.raster import MASK
from gelande.core.recipe.site import GLOBAL_LEVEL, Site
from gelande.kernels.cover import COLOURS, Layer, covered
from gelande.kernels.curves import ramp_table, to_linear
from gelande.kernels.measure import rise, slope_degrees
from gelande.kernels.noise import UNFADED, fractal
from gelande.kernels.oklab import adjusted
from gelande.kernels.relief import facing_fraction
from gelande.nodes.shared import banded, blurred

RAMP, PLAIN, LINKED = "ramp", "plain", "linked"
TONE, HEIGHT, SLOPE, GRAIN = "ground_tone", "height", "slope", "grain"
EVERYWHERE, AT_HEIGHT, AT_SLOPE, FACING = "everywhere", "heights", "slopes", "facing"
#: How much lighter and darker grain makes a plain colour at most.
GRAINS = 0.12
#: Degrees beside the sector over which facing fades, and slope from which ground faces somewhere.
SIDES, LEAST = 40.0, 4.0


def _stops(name: str) -> tuple:
    return find(name)[0].stops


PIECE = (
    P.text("name", "Name", "Layer", "What the layer is called, and its ports."),
    P.toggle("on", "On", True, "Off: it lies nowhere."),
    P.toggle("solo", "Solo", False, "Shows the layers that are solo in colour and the others in grey."),
    P.choice("tone", "Colour from", RAMP, (RAMP, PLAIN, LINKED), "A ramp, one colour, or a colour that is linked."),
    P.ramp("ramp", "Ramp", _stops("Sheep pasture"), "The layer's colours.", shown_when=("tone", (RAMP,))),
    P.colour("plain", "Colour", (0.52, 0.49, 0.45), "The layer's colour.", shown_when=("tone", (PLAIN,))),
    P.choice(
        "along",
        "Runs along",
        GRAIN,
        (TONE, HEIGHT, SLOPE, GRAIN),
        "What drives the ramp: the linked ground tone, height, slope to 60°, or fine noise alone.",
        shown_when=("tone", (RAMP,)),
    ),
    P.fraction(
        "grain", "Grain", 0.5, "How far fine noise moves the colour along its ramp.", shown_when=("tone", (RAMP, PLAIN))
    ),
    P.choice(
        "lies",
        "Lies",
        EVERYWHERE,
        (EVERYWHERE, AT_HEIGHT, AT_SLOPE, FACING),
        "Where it lies; its mask, where one is linked, counts as well.",
    ),
    P.metres(
        "low",
        "From height",
        200,
        "Lowest height at which it covers in full.",
        (-100_000, 100_000),
        (-200, 1500),
        0,
        shown_when=("lies", (AT_HEIGHT,)),
        scales=True,
    ),
    P.metres(
        "high",
        "To height",
        2000,
        "Greatest height at which it covers in full.",
        (-100_000, 100_000),
        (-200, 2000),
        0,
        shown_when=("lies", (AT_HEIGHT,)),
        scales=True,
    ),
    P.metres(
        "fade",
        "Height falloff",
        80,
        "Height over which it fades.",
        (0, 100_000),
        (0, 400),
        0,
        shown_when=("lies", (AT_HEIGHT,)),
        scales=True,
    ),
    P.degrees("from_slope", "From slope", 30, "Gentlest slope it covers in full.", shown_when=("lies", (AT_SLOPE,))),
    P.degrees("to_slope", "To slope", 90, "Steepest slope it covers in full.", shown_when=("lies", (AT_SLOPE,))),
    P.degrees("slope_fade", "Slope falloff", 8, "Degrees over which it fades.", shown_when=("lies", (AT_SLOPE,))),
    P.degrees(
        "facing", "Direction", 0, "Where the ground faces: 180° is south.", (0, 360), shown_when=("lies", (FACING,))
    ),
    P.degrees("width", "Width", 120, "Sector of directions.", (0, 360), (10, 180), shown_when=("lies", (FACING,))),
    P.fraction("amount", "Amount", 1.0, "How much of the ground it covers where it lies."),
    P.metres(
        "soft",
        "Soft edge",
        0,
        "Metres over which the edge of its linked mask fades.",
        (0, 20_000),
        (0, 200),
        0,
        scales=True,
    ),
    P.fraction("broken", "Broken edge", 0.4, "How far noise breaks its fading edge into patches."),
    P.metres("patch", "Patches", 70, "Size of the patches.", (0.5, 20_000), (12, 600), 0, log=True, scales=True),
    P.fraction("thins", "Thins out", 0.0, "How much of it is gone from steep ground."),
    P.degrees("steep", "Thins out from", 38, "Slope from which it thins out."),
)
DEFAULT = (
    {"name": "Grass", "ramp": _stops("Green bracken"), "grain": 0.4},
    {
        "name": "Heath",
        "ramp": _stops("Burnt moor"),
        "grain": 0.4,
        "lies": AT_HEIGHT,
        "low": 320,
        "fade": 160,
        "broken": 0.8,
        "patch": 120,
    },
    {"name": "Rock", "ramp": _stops("Grey scar"), "lies": AT_SLOPE, "from_slope": 28, "slope_fade": 10, "grain": 0.7},
)
LAYERS = P.layers("layers", "Layers", PIECE, DEFAULT, "What lies on the ground, from the ground up.")
BESIDE = (
    height_in(),
    mask_in("tone", "Ground tone", True, "The grey that a layer's ramp may run along."),
    colour_in("under", "Under", True, "Colour that shows where the node itself is restricted."),
)


@dataclass(frozen=True)
class _One:
    """A layer with its settings, and its number."""

    p: Values
    number: int

    @property
    def mask(self) -> str:
        return f"mask_{self.number}"

    @property
    def colour(self) -> str:
        return f"colour_{self.number}"


def _layers(params: dict) -> list[_One]:
    return [_One(Values(LAYERS.values(one)), one[-1]) for one in params.get("layers", LAYERS.default)]


def _ports(params: dict, face=None) -> tuple:
    """A mask a layer, a colour where it is linked, and a weight each."""
    layers = _layers(params)
    return _ports_of(tuple((one.number, one.p.name, one.p.tone) for one in layers))


@lru_cache(512)
def _ports_of(layers: tuple) -> tuple:
    """Ports of layers: (number, name, where the colour is from), from the ground up."""
    ins, outs = list(BESIDE), []
    for number, name, tone in reversed(layers):  # as they lie, the topmost first
        ins.append(mask_in(f"mask_{number}", name, True, "White where this layer may lie."))
        if tone == LINKED:
            ins.append(colour_in(f"colour_{number}", f"{name} colour"))
        outs.append(Port(f"weight_{number}", f"{name} weight", MASK, role=SHARE))
    return tuple(ins), (colour_out(), *outs, Port("first", "Strongest layer", MASK, role=INDEX))


def _lying(params: dict) -> list[_One]:
    """The layers that are on, from the ground up; the lowest when none is."""
    layers = _layers(params)
    return [one for one in layers if one.p.on] or layers[:1]


def _asks(p: Values, site: Site, level: int) -> tuple[str, ...]:
    """Inputs that are looked at; not the masks of layers that are off, or take all that is left."""
    lying = _lying(p.values)
    masks = [one.mask for one in lying[1:] if one.p.soft <= 0]
    return ("height", "tone", *masks, *(one.colour for one in lying if one.p.tone == LINKED))


def _wide(p: Values, site: Site) -> dict:
    """Radii of the filters on masks whose edge is soft."""
    return {one.mask: one.p.soft / 2 for one in _lying(p.values)[1:] if one.p.soft > 0}


def _alone(params: dict) -> str:
    """Why the colour is not what will be delivered, or ""."""
    names = [one.p.name for one in _lying(params) if one.p.solo]
    return f"only {', '.join(names)} {'is' if len(names) == 1 else 'are'} in colour; end Solo" if names else ""


@node(
    "ground_cover",
    "Ground cover",
    "Colour",
    "Lays grass, rock, scree, snow and whatever else on the ground, layer on layer, with a weight for each.",
    inputs=_ports({})[0],
    ports=_ports,
    outputs=_ports({})[1],
    params=(
        LAYERS,
        P.metres(
            "grain_size",
            "Grain size",
            45,
            "Size of the largest grain.",
            (0.1, 20_000),
            (8, 400),
            0,
            log=True,
            scales=True,
        ),
        P.metres(
            "over",
            "Slope over",
            32,
            "Distance over which slopes and facing are measured.",
            (0.1, 5000),
            (24, 160),
            0,
            log=True,
            scales=True,
        ),
        P.seed(),
    ),
    base="under",
    footprint=lambda p, site: Footprint(
        halo=max(p.over / 2, site.spacing(GLOBAL_LEVEL)),
        asks=partial(_asks, p, site),
        low_passed=_wide(p, site),
        ranged=("height",) if any(one.p.along == HEIGHT for one in _lying(p.values)) else (),
    ),
    unfinished=_alone,
    figure="{layers}",
    keywords=("splat", "weights", "material", "texture", "biome", "layers", "stack", "paint", "surface", "vegetation"),
    starting_points=(
        ("Hill farm", {}),
        (
            "High mountain",
            {
                "layers": LAYERS.made(
                    {"name": "Turf", "ramp": _stops("Bent and fescue")},
                    {"name": "Scree", "ramp": _stops("Moor tor"), "lies": AT_SLOPE, "from_slope": 24, "broken": 0.7},
                    {"name": "Rock", "ramp": _stops("Blue boss"), "lies": AT_SLOPE, "from_slope": 36},
                    {
                        "name": "Snow",
                        "ramp": _stops("Fresh snow"),
                        "lies": AT_HEIGHT,
                        "low": 420,
                        "fade": 200,
                        "broken": 0.8,
                        "thins": 0.9,
                    },
                )
            },
        ),
        (
            "Dry canyon",
            {
                "layers": LAYERS.made(
                    {"name": "Wash", "ramp": _stops("Ochre wash")},
                    {
                        "name": "Benches",
                        "ramp": _stops("Red bench"),
                        "along": HEIGHT,
                        "lies": AT_SLOPE,
                        "from_slope": 16,
                    },
                    {"name": "Cliffs", "ramp": _stops("Desert varnish"), "lies": AT_SLOPE, "from_slope": 34},
                )
            },
        ),
    ),
)
def ground_cover(ctx: Context) -> Arrays:
    """From the top down each layer takes its amount of what the layers above it leave, and the lowest takes the rest,
    so that all weights together are 1. Weights are multiples of 2^-24, which add up exactly. The index of the
    strongest layer counts from the ground, 0 first, in steps of 1/255: the counts of an 8-bit file."""
    layers, maps = _lying(ctx.p.values), _Maps(ctx)
    made = [maps.layer(one, k == 0) for k, one in enumerate(layers)]
    colour, first, weights = covered(made, ctx.shape, ctx.stop)
    place = {one.number: k for k, one in enumerate(_layers(ctx.p.values))}
    steps = np.array([place[one.number] / 255 for one in layers], np.float32)
    out = {f"weight_{n}": np.zeros(ctx.shape, np.float32) for n in place}
    out.update({f"weight_{one.number}": weight for one, weight in zip(layers, weights)})
    return {"colour": colour, "first": banded(ctx, lambda a: steps[a], first), **out}


class _Maps:
    """Maps that layers look at, each made once."""

    def __init__(self, ctx: Context) -> None:
        self.ctx: Context = ctx
        self.found: dict = {}
        self.solo = bool(_alone(ctx.p.values))

    def once(self, name: str | tuple[str, float], make: Callable) -> np.ndarray:
        if name not in self.found:
            self.ctx.check()
            self.found[name] = make()
        return self.found[name]

    def slope(self) -> np.ndarray:
        ctx = self.ctx
        return self.once("slope", lambda: slope_degrees(ctx.input("height"), ctx.dx, ctx.p.over, ctx.stop, ctx.window))

    def facing(self, direction: float, width: float) -> np.ndarray:
        ctx = self.ctx
        fall = self.once("rise", lambda: rise(ctx.input("height"), ctx.dx, ctx.p.over, ctx.stop, ctx.window))
        return facing_fraction(*fall, direction, width, SIDES, LEAST, ctx.stop)

    def noise(self, size: float, seed: int) -> np.ndarray:
        """Octave noise, about -0.5 to 0.5, the same at every detail."""
        ctx = self.ctx
        place = (ctx.window, (0.0, ctx.site.depth), ctx.dx, size, 3)
        return fractal(*place, gain=0.6, seed=ctx.seed + seed, stop=ctx.stop, fine=UNFADED)

    def even(self, size: float) -> np.ndarray:
        """Noise from 0 to 1, of which each value is about as frequent as any other."""
        ctx = self.ctx

        def make() -> np.ndarray:
            return banded(ctx, lambda n: 1 / (1 + np.exp(np.float32(-8) * n)), self.noise(size, 101))

        return self.once(("even", size), make)

    def grain(self) -> np.ndarray:
        ctx = self.ctx

        def make() -> np.ndarray:
            return banded(ctx, lambda n: np.float32(0.5) + np.float32(1.1) * n, self.noise(ctx.p.grain_size, 0))

        return self.once("grain", make)

    def layer(self, one: _One, lowest: bool) -> Layer:
        """Data of a layer for the kernel; nothing of where it lies when it takes all that is left."""
        found = self.coloured(one)
        return found if lowest else self.placed(one, found)

    def placed(self, one: _One, layer: Layer) -> Layer:
        """The layer with where it lies."""
        ctx, p = self.ctx, one.p
        layer.amount = p.amount
        layer.mask = blurred(ctx, one.mask, p.soft) if ctx.has(one.mask) else None
        if p.lies == AT_HEIGHT:
            layer.by, layer.band = ctx.input("height"), (min(p.low, p.high), max(p.low, p.high), p.fade)
        elif p.lies == AT_SLOPE:
            low, high = sorted((p.from_slope, p.to_slope))
            layer.by, layer.band = self.slope(), (low, high, p.slope_fade)
        elif p.lies == FACING:
            faces = self.facing(p.facing, p.width)
            layer.mask = faces if layer.mask is None else banded(ctx, lambda a, b: a * b, layer.mask, faces)
        if p.thins > 0:
            layer.slope, layer.steep, layer.thins = self.slope(), p.steep, p.thins
        if p.broken > 0:
            layer.rough, layer.broken = self.even(p.patch), p.broken
        return layer

    def coloured(self, one: _One) -> Layer:
        """A layer with its colour."""
        ctx, p = self.ctx, one.p
        if self.solo and not p.solo:
            return Layer(table=np.full((2, 3), 0.18, np.float32))
        if p.tone == LINKED:
            return Layer(colour=ctx.input(one.colour))
        grain = {"grain": self.grain(), "grainy": p.grain} if p.grain > 0 else {}
        if p.tone == PLAIN:
            return Layer(table=_shades(p.plain), **grain)
        table = ramp_table(p.ramp, COLOURS)
        if p.along == TONE and ctx.has("tone"):
            return Layer(table=table, along=ctx.input("tone"), **grain)
        if p.along == HEIGHT:
            return Layer(table=table, along=ctx.input("height"), span=ctx.range("height"), **grain)
        if p.along == SLOPE:
            return Layer(table=table, along=self.slope(), span=(0.0, 60.0), **grain)
        return Layer(table=table, **grain)


def _shades(tone) -> np.ndarray:
    """A table from darker to lighter shades of one colour."""
    light = np.repeat(to_linear(np.array(tone, np.float32))[None, None], COLOURS, 1)
    steps = [adjusted(light[:, k : k + 1], lighter=v) for k, v in enumerate(np.linspace(-GRAINS, GRAINS, 33))]
    ends = np.concatenate(steps, 1)[0]
    at = np.linspace(0, 32, COLOURS)
    return np.stack([np.interp(at, np.arange(33), ends[:, k]) for k in range(3)], 1).astype(np.float32)
