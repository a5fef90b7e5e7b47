"""Kinds of things: how large they are, and their pictures, put together from ellipsoids.

A picture is drawn once, from the front, in several forms; it is as wide as it is tall, and stretched to its size."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np
from PIL import Image

from gelande.core.recipe.things import SIZES
from gelande.kernels.curves import to_linear
from gelande.kernels.things import TEXEL, ellipsoids

#: Forms of each kind, and texels of the finest picture; each level has half of them.
FORMS, FINEST, LEVELS = 4, 128, 6

Rows = list[tuple[float, ...]]
Rng = np.random.Generator


@dataclass(frozen=True)
class ThingKind:
    """A kind of things. parts: its ellipsoids (kernels/things.py); crown: its normals are mostly those of a round
    crown."""

    parts: Callable[[Rng], Rows]
    crown: bool = False


def _varied(rng: Rng, colour: tuple[float, float, float], by: float) -> tuple[float, ...]:
    return tuple(float(c) for c in np.array(colour) * (1 + by * (rng.random() - 0.5)))


def _conifer(rng: Rng) -> Rows:
    found: Rows = [
        (0, 0.06, 0, 0.018, 0.08, 0.018, 0.10, 0.07, 0.045),
        (0, 0.97, 0, 0.012, 0.03, 0.012, 0.03, 0.05, 0.02),
    ]
    for y in np.arange(0.09, 0.98, 0.033):
        reach = 0.43 * (1 - y) ** 0.85 * rng.uniform(0.82, 1.18)
        for k in range(count := max(3, int(21 * (1 - y)))):
            a, q = 2 * math.pi * (k + rng.random()) / count, reach * rng.uniform(0.55, 1.05)
            place = (math.cos(a) * q, y - 0.12 * q + 0.01 * rng.random(), math.sin(a) * q)
            found.append((*place, 0.055 + 0.05 * q, 0.014 + 0.02 * q, 0.05, *_varied(rng, (0.030, 0.047, 0.018), 0.8)))
    return found


def _leaves(rng: Rng, place: tuple[float, float, float], radius: float, colour: tuple, count: int) -> Rows:
    """A lump of leaves, dark inside and lighter above."""
    x, y, z = place
    found: Rows = [(x, y, z, 0.82 * radius, 0.7 * radius, 0.8 * radius, *(0.3 * c for c in colour))]
    for _ in range(count):
        d = rng.standard_normal(3)
        d /= np.linalg.norm(d)
        q, s = radius * rng.uniform(0.75, 1.1), rng.uniform(0.012, 0.028)
        light = 0.55 + 0.5 * (d[1] * 0.5 + 0.5) + 0.3 * (y + d[1] * radius)
        tone = _varied(rng, tuple(c * light for c in colour), 0.7)
        found.append((x + d[0] * q, max(0.01, y + 0.85 * d[1] * q), z + d[2] * q, s, 0.8 * s, s, *tone))
    return found


def _broadleaf(rng: Rng) -> Rows:
    found: Rows = [(0, 0.16, 0, 0.022, 0.2, 0.022, 0.09, 0.07, 0.05)]
    for _ in range(17):
        a, q, h = 2 * math.pi * rng.random(), rng.random() ** 0.6, rng.random()
        reach = q * 0.35 * math.sin(math.pi * (0.15 + 0.75 * h))
        place = (math.cos(a) * reach, 0.34 + 0.52 * h, math.sin(a) * reach)
        found += _leaves(rng, place, rng.uniform(0.09, 0.15), (0.062, 0.082, 0.021), 66)
    return found


def _bush(rng: Rng) -> Rows:
    found: Rows = []
    for _ in range(14):
        a, q, h = 2 * math.pi * rng.random(), rng.random() ** 0.6, rng.random()
        reach = q * 0.36 * math.sqrt(max(0.05, 1 - h * h))
        place = (math.cos(a) * reach, 0.10 + 0.6 * h, math.sin(a) * reach)
        found += _leaves(rng, place, rng.uniform(0.09, 0.16), (0.085, 0.087, 0.031), 66)
    return found


def _blades(rng: Rng, count: int, spread: float, lean: float, thin: float, foot: tuple, tip: tuple) -> Rows:
    """Blades that rise from a foot and bend outwards; foot, tip: colours."""
    found: Rows = []
    for _ in range(count):
        x = float(np.clip(spread * rng.standard_normal(), -0.3, 0.3))
        bend, h, low = 1.1 * x + lean * rng.standard_normal(), rng.uniform(0.35, 0.95), 0.1 * rng.random() + 0.5 * x * x
        for j in range(11):
            f = j / 11
            place = (x + 0.45 * bend * f * f, low + h * f * (1 - 0.2 * abs(bend) * f), 0.1 * rng.random())
            tone = _varied(rng, tuple(a + (b - a) * f for a, b in zip(foot, tip)), 0.4)
            found.append((*place, thin * (1.15 - f), h / 15, 0.02, *tone))
    return found


def _tuft(rng: Rng) -> Rows:
    return _blades(rng, 60, 0.13, 0.35, 0.009, (0.10, 0.10, 0.045), (0.20, 0.17, 0.05))


def _reed(rng: Rng) -> Rows:
    found = _blades(rng, 34, 0.14, 0.1, 0.007, (0.07, 0.09, 0.035), (0.16, 0.15, 0.06))
    for _ in range(9):
        x, y = float(np.clip(0.15 * rng.standard_normal(), -0.32, 0.32)), rng.uniform(0.7, 0.95)
        found.append((x, y, 0.12, 0.013, 0.045, 0.013, *_varied(rng, (0.10, 0.055, 0.03), 0.3)))
    return found


def _boulder(rng: Rng) -> Rows:
    found: Rows = [(0, 0.3, 0, 0.44, 0.52, 0.4, 0.22, 0.21, 0.19)]
    for _ in range(22):
        a, q = 2 * math.pi * rng.random(), 0.3 * rng.random() ** 0.5
        place = (math.cos(a) * q, rng.uniform(0.22, 0.67), rng.uniform(0.15, 0.35))
        radii = (rng.uniform(0.1, 0.22), rng.uniform(0.1, 0.24), 0.16)
        found.append((*place, *radii, *_varied(rng, (0.23, 0.22, 0.2), 0.3)))
    return found


def _branch(rng: Rng, found: Rows, start: tuple[float, float], angle: float, length: float, thick: float) -> None:
    """A bare branch with smaller ones. angle: from upright, radians."""
    x, y = start
    for _ in range(steps := 9):
        found.append(
            (x, y, 0.2 * thick, thick, max(thick, 0.6 * length / steps), thick, *_varied(rng, (0.16, 0.14, 0.12), 0.3))
        )
        x, y = x + math.sin(angle) * length / steps, y + math.cos(angle) * length / steps
        angle += 0.12 * rng.standard_normal()
        if length > 0.12 and rng.random() < 0.5:
            _branch(rng, found, (x, y), angle + rng.choice((-1, 1)) * rng.uniform(0.5, 1.0), 0.5 * length, 0.55 * thick)


def _dead_tree(rng: Rng) -> Rows:
    found: Rows = []
    _branch(rng, found, (0.0, 0.0), 0.05 * rng.standard_normal(), 0.8, 0.026)
    return found


def _column(rng: Rng) -> Rows:
    """A ribbed column with arms, as in deserts."""

    def stem(x: float, low: float, high: float, radius: float) -> Rows:
        ribs = []
        for y in np.arange(low, high, 0.02):
            for k in range(9):
                a = math.pi * (k + 0.5) / 9
                tone = (0.055, 0.085, 0.04) if k % 2 else (0.085, 0.12, 0.06)
                place = (x + math.cos(a) * radius, float(y), math.sin(a) * radius)
                ribs.append((*place, 0.35 * radius, 0.022, 0.35 * radius, *_varied(rng, tone, 0.15)))
        return ribs

    found = stem(0.0, 0.02, 0.96, 0.1)
    for side in (-1, 1):
        if rng.random() < 0.75:
            at, up = rng.uniform(0.35, 0.55), rng.uniform(0.15, 0.32)
            for x in np.arange(0.1, 0.27, 0.015):
                found.append((side * x, at, 0.06, 0.03, 0.055, 0.05, 0.075, 0.105, 0.05))
            found += stem(side * 0.28, at, at + up, 0.065)
    return found


def _hut(rng: Rng) -> Rows:
    found: Rows = []
    for y in np.arange(0.02, 0.52, 0.03):
        for x in np.arange(-0.4, 0.41, 0.03):
            door = -0.06 < x < 0.08 and y < 0.36
            tone = (0.03, 0.025, 0.02) if door else (0.20, 0.17, 0.14)
            found.append((float(x), float(y), 0.1, 0.022, 0.02, 0.022, *_varied(rng, tone, 0.35)))
    for f in np.arange(0.0, 1.0, 0.03):
        wide = 0.47 * (1 - f) + 0.03
        for x in np.arange(-wide, wide, 0.025):
            found.append(
                (
                    float(x),
                    0.52 + 0.45 * f,
                    0.12 + 0.2 * (1 - f),
                    0.022,
                    0.022,
                    0.03,
                    *_varied(rng, (0.12, 0.095, 0.06), 0.5),
                )
            )
    return found


def _post(rng: Rng) -> Rows:
    lean = 0.04 * rng.standard_normal()
    return [
        (lean * y, float(y), 0, 0.3, 0.03, 0.3, *_varied(rng, (0.19, 0.16, 0.13), 0.3))
        for y in np.arange(0, 0.98, 0.02)
    ]


def _person(rng: Rng) -> Rows:
    skin, coat, legs, hair = (0.36, 0.22, 0.15), (0.42, 0.06, 0.03), (0.035, 0.04, 0.06), (0.03, 0.02, 0.015)
    found: Rows = [(0, 0.925, 0.02, 0.085, 0.062, 0.06, *skin), (0, 0.955, 0, 0.092, 0.045, 0.07, *hair)]
    found += [(0, float(y), 0, 0.17 + 0.2 * (y - 0.56), 0.05, 0.1, *coat) for y in np.linspace(0.56, 0.8, 9)]
    for side in (-1, 1):
        for f in np.linspace(0, 1, 9):
            arm = coat if f < 0.92 else skin
            found.append((side * (0.22 + 0.07 * f), 0.79 - 0.31 * f, 0.02 * f, 0.055 - 0.012 * f, 0.04, 0.05, *arm))
            found.append((side * (0.09 + 0.05 * f), 0.54 - 0.5 * f, 0, 0.085 - 0.03 * f, 0.05, 0.06, *legs))
        found.append((side * 0.15, 0.02, 0.04, 0.075, 0.022, 0.08, 0.05, 0.03, 0.02))
    return found


#: In the order of their names (core/recipe/things.py).
KINDS = (
    *(ThingKind(_conifer, True), ThingKind(_broadleaf, True), ThingKind(_bush, True)),
    *(ThingKind(f) for f in (_tuft, _reed, _boulder, _dead_tree, _column, _hut, _post, _person)),
)
#: Metres tall and wide of each at size 1.
TALL_WIDE = np.array(SIZES)


@dataclass(frozen=True)
class Atlas:
    """Pictures of all kinds. texels: uint8 in one piece; at: (kind times forms, level) where each begins; dims: texels
    along a side of each level; mean: red, green, blue and alpha of each kind; sizes: metres tall and wide at size
    1."""

    texels: np.ndarray
    at: np.ndarray
    dims: np.ndarray
    mean: np.ndarray
    sizes: np.ndarray


def _drawn(kind: ThingKind, rng: Rng) -> np.ndarray:
    """A form at twice the finest level: (texels, texels, 7) alpha, normal and colour, both times alpha."""
    n = 2 * FINEST
    alpha, normal, colour = np.zeros((n, n)), np.zeros((n, n, 3)), np.zeros((n, n, 3))
    ellipsoids(np.array(kind.parts(rng), np.float64), alpha, normal, colour)
    there = alpha[..., None]
    if kind.crown:  # single leaves would only sparkle
        y, x = np.mgrid[0:n, 0:n] / n - 0.5
        normal = 0.6 * normal + 0.55 * np.stack([2 * x, 0.2 - 1.1 * y, np.full_like(x, 0.6)], -1)
    return np.concatenate([there, normal * there, colour * there], -1)


def _levels(stack: np.ndarray) -> list[np.ndarray]:
    """Texels of each level of a form that is given at twice the finest."""
    found = []
    for _ in range(LEVELS):
        side = len(stack) // 2
        stack = stack.reshape(side, 2, side, 2, TEXEL).mean((1, 3))
        alpha = stack[..., :1]
        normal = stack[..., 1:4] / np.maximum(np.linalg.norm(stack[..., 1:4], axis=-1, keepdims=True), 1e-6)
        colour = np.sqrt(np.clip(stack[..., 4:] / np.maximum(alpha, 1e-6), 0, 1))
        texels = np.concatenate([alpha * 255, normal * 127 + 128, colour * 255], -1)
        found.append(texels.round().clip(0, 255).astype(np.uint8).ravel())
    return found


def _mean(stack: np.ndarray) -> np.ndarray:
    """Red, green, blue and alpha of a form."""
    whole = stack.mean((0, 1))
    return np.array([*(whole[4:] / max(whole[0], 1e-6)), whole[0]])


@cache
def atlas() -> Atlas:
    """The pictures of our own kinds, made when they are first asked for: about 5 MB."""
    parts: list[np.ndarray] = []
    at, begin, mean = np.zeros((len(KINDS) * FORMS, LEVELS), np.int64), 0, np.zeros((len(KINDS), 4))
    for k, kind in enumerate(KINDS):
        for form in range(FORMS):
            stack = _drawn(kind, np.random.default_rng(1000 * k + form))
            for level, texels in enumerate(_levels(stack)):
                at[k * FORMS + form, level] = begin
                parts.append(texels)
                begin += texels.size
            mean[k] += _mean(stack) / FORMS
    dims = np.array([FINEST >> level for level in range(LEVELS)], np.int64)
    return Atlas(np.concatenate(parts), at, dims, mean, TALL_WIDE)


#: How bright a picture of one's own is taken to be: light falls on it again.
UNLIT = 0.55


def _cutout(picture: np.ndarray) -> np.ndarray:
    """A picture (rows, columns, 4) of one's own as a form: lit as something round."""
    n = 2 * FINEST
    solid = picture[..., 3]
    linear = to_linear(np.ascontiguousarray(picture[..., :3], np.float32)) * UNLIT * solid[..., None]
    images = (Image.fromarray(np.ascontiguousarray(a, np.float32)) for a in (solid, *np.moveaxis(linear, -1, 0)))
    alpha, *colour = (np.asarray(image.resize((n, n), Image.Resampling.BOX)) for image in images)
    y, x = np.mgrid[0:n, 0:n] / n - 0.5
    normal = np.stack([1.4 * x, 0.35 - 0.5 * y, np.full_like(x, 0.8)], -1)
    normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
    return np.concatenate([alpha[..., None], normal * alpha[..., None], np.stack(colour, -1)], -1)


def with_pictures(pictures: Sequence[tuple[np.ndarray, float]]) -> Atlas:
    """The atlas, and after our own kinds one for each of some pictures: (rows, columns, 4), and metres tall."""
    own = atlas()
    if not pictures:
        return own
    parts, begin = [own.texels], own.texels.size
    at, mean, sizes = [own.at], [own.mean], [own.sizes]
    for picture, tall in pictures:
        stack, starts = _cutout(picture), []
        for texels in _levels(stack):
            starts.append(begin)
            parts.append(texels)
            begin += texels.size
        at.append(np.array([starts] * FORMS))
        mean.append(_mean(stack)[None])
        sizes.append(np.array([[tall, tall * picture.shape[1] / picture.shape[0]]]))
    return Atlas(np.concatenate(parts), np.concatenate(at), own.dims, np.concatenate(mean), np.concatenate(sizes))
