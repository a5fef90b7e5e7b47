"""Where cards stand and how links run. No Qt: numbers in, numbers out.

Cards stand in lanes by the kind of their main output; a card's y is relative to its lane, so a lane that grows
moves the ones below it. Links run in straight horizontal and vertical pieces.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from gelande.core import graph
from gelande.core.graph import Recipe
from gelande.core.raster import COLOUR, HEIGHT, MASK

LANES = (HEIGHT, MASK, COLOUR)
CARD_W, CARD_H = 142.0, 50.0
STEP_X, STEP_Y = 174.0, 66.0
#: Columns of a lane before it goes on below.
WRAP = 5
FRAME_HEAD = 15.0
LANE_HEAD, LANE_FOOT, LANE_LEAST = 24.0, 16.0, 92.0


def lane_of(recipe: Recipe, node_id: str) -> str:
    """The lane of a node: its main output's kind; notes and unknown nodes stand with the heights."""
    spec = recipe.nodes[node_id].spec
    if spec is None or not spec.outputs:
        return HEIGHT
    kind = graph.output_port(recipe, node_id, spec.main.id).kind
    return kind if kind in LANES else HEIGHT


@dataclass
class Sheet:
    """The graph laid out: rectangles of cards and of lanes, in sheet units."""

    cards: dict = field(default_factory=dict)
    lanes: dict = field(default_factory=dict)
    lane_of: dict = field(default_factory=dict)
    frames: dict = field(default_factory=dict)

    @property
    def size(self) -> tuple[float, float]:
        right = max((x + w for x, _, w, _ in self.cards.values()), default=400.0)
        return right + 60.0, max((top + tall for top, tall in self.lanes.values()), default=300.0)


def card_size(recipe: Recipe, node_id: str) -> tuple[float, float]:
    state = recipe.nodes[node_id]
    if state.kind == "junction":
        return 26.0, 26.0
    if state.kind == "note":
        return 168.0, 64.0
    if state.kind in ("entry", "cairn"):
        return 112.0, 26.0
    if state.kind == "group" and not state.spec.outputs and state.spec.inputs:  # the plate of outputs, seen from inside
        return 118.0, max(CARD_H, 20.0 * len(state.spec.inputs))
    return CARD_W, CARD_H


def sheet(recipe: Recipe, moved: dict | None = None) -> Sheet:
    """Rectangles (x, y, width, height) of all cards. moved: places being dragged, as (x, y in the lane)."""
    result = Sheet(lane_of={n: lane_of(recipe, n) for n, s in recipe.nodes.items() if s.kind != "frame"})
    places = {n: (moved or {}).get(n, recipe.nodes[n].at) for n in recipe.nodes}
    top = 0.0
    for lane in LANES:
        members = [n for n, k in result.lane_of.items() if k == lane]
        tall = max((max(0.0, places[n][1]) + card_size(recipe, n)[1] for n in members), default=0.0)
        head = LANE_HEAD + (FRAME_HEAD if any(recipe.nodes[n].frame for n in members) else 0.0)  # titles clear the lane's name
        result.lanes[lane] = (top, max(LANE_LEAST, head + tall + LANE_FOOT))
        for n in members:
            result.cards[n] = (places[n][0], top + head + max(0.0, places[n][1]), *card_size(recipe, n))
        top += result.lanes[lane][1]
    for n, state in recipe.nodes.items():
        if state.kind == "frame":
            box = _frame_box([result.cards[m] for m, s in recipe.nodes.items() if s.frame == n and m in result.cards], state.at)
            result.frames[n] = box
            result.cards = {n: (box[0], box[1], box[2], FRAME_HEAD), **result.cards}
    return result


def _frame_box(cards: list, at) -> tuple[float, float, float, float]:
    """The box around a frame's cards, with its title on top."""
    if not cards:
        return at[0], at[1], CARD_W, FRAME_HEAD
    left, top = min(c[0] for c in cards) - 7, min(c[1] for c in cards) - FRAME_HEAD
    return left, top, max(c[0] + c[2] for c in cards) + 7 - left, max(c[1] + c[3] for c in cards) + 8 - top


def port_place(recipe: Recipe, rects: Sheet, node_id: str, port: str, output: bool) -> tuple[float, float]:
    """Where a port sits on its card: inputs at the left edge, outputs at the right, evenly spread."""
    x, y, w, h = rects.cards[node_id]
    spec = recipe.nodes[node_id].spec
    ids = [p.id for p in (spec.outputs if output else spec.all_inputs)] if spec else [port]
    if port not in ids:
        ids = [*ids, port]
    k = ids.index(port)
    return x + (w if output else 0.0), y + h * (k + 1) / (len(ids) + 1)


def free_place(recipe: Recipe, kind_lane: str, x: float, y: float, ignore=()) -> tuple[float, float]:
    """The nearest place at or below (x, y in the lane) that no card covers."""
    taken = [s.at for n, s in recipe.nodes.items() if s.kind != "frame" and lane_of(recipe, n) == kind_lane and n not in ignore]
    y = max(0.0, y)
    for _ in range(200):
        if not any(abs(x - a) < CARD_W + 14 and abs(y - b) < CARD_H + 8 for a, b in taken):
            break
        y += STEP_Y
    return x, y


def _columns(recipe: Recipe, members: list[str]) -> dict[str, int]:
    """Columns within one lane: the longest path through the lane; what nothing in the lane feeds stands just before its target."""
    inside, column = set(members), {}
    for node_id in members:
        sources = [column[s] for s, _ in recipe.nodes[node_id].inputs.values() if s in column]
        column[node_id] = 1 + max(sources) if sources else 0
    for source, _, target, _ in recipe.links():
        if source in inside and target in inside and not any(s in inside for s, _ in recipe.nodes[source].inputs.values()):
            first = min(column[t] for s, _, t, _ in recipe.links() if s == source and t in inside)
            column[source] = max(0, first - 1)
    return column


def arrange(recipe: Recipe, wrap: int = WRAP) -> dict[str, tuple[float, float]]:
    """Places for every node: each lane runs left to right by longest path and goes on below after ``wrap`` columns.

    Rows within a column follow the mean row of what feeds them."""
    places: dict[str, tuple[float, float]] = {}
    order = graph.in_order(recipe)
    for lane in LANES:
        members = [n for n in order if recipe.nodes[n].kind != "frame" and lane_of(recipe, n) == lane]
        column = _columns(recipe, members)
        row: dict[str, int] = {}
        top = 0
        for band in range(max(column.values(), default=-1) // wrap + 1):
            taken: set = set()
            for node_id in sorted((n for n in members if column[n] // wrap == band), key=lambda n: column[n]):
                rows = [row[s] for s, _ in recipe.nodes[node_id].inputs.values() if s in row and column[s] // wrap == band]
                at = round(sum(rows) / len(rows)) if rows else 0
                while (column[node_id], at) in taken:
                    at += 1
                taken.add((column[node_id], at))
                row[node_id] = at
                w, h = card_size(recipe, node_id)
                x = 16.0 + (column[node_id] % wrap) * STEP_X + max(0.0, (CARD_W - w) / 2)
                places[node_id] = (x, (top + at) * STEP_Y + max(0.0, (CARD_H - h) / 2))
            top += 1 + max((at for _, at in taken), default=-1)
    return places


def _hits(boxes: np.ndarray, x1, y1, x2, y2) -> int:
    """How many boxes (x0, y0, x1, y1) a horizontal or vertical piece crosses."""
    left, right, top, bottom = min(x1, x2), max(x1, x2), min(y1, y2), max(y1, y2)
    return int(((boxes[:, 0] < right) & (boxes[:, 2] > left) & (boxes[:, 1] < bottom) & (boxes[:, 3] > top)).sum())


def route(a, b, boxes: np.ndarray, lanes, offset: float = 0.0) -> list[tuple[float, float]]:
    """A road from a to b: the one of a few candidates that crosses fewest cards, bends least and is shortest."""
    (ax, ay), (bx, by) = a, b
    out, into = ax + 10.0 + offset, bx - 10.0 - offset
    roads = []
    if into >= out - 1:
        if abs(ay - by) < 0.5:
            roads.append([a, b])
        roads += [[a, (x, ay), (x, by), b] for x in (into, out, (out + into) / 2)]
    corridors = {ay - 34.0 - offset, ay + 34.0 + offset, by - 34.0 - offset, by + 34.0 + offset, (ay + by) / 2}
    corridors |= {top + 10.0 + offset for top, _ in lanes}
    roads += [[a, (out, ay), (out, y), (into, y), (into, by), b] for y in corridors]

    def cost(road):
        length = sum(abs(p[0] - q[0]) + abs(p[1] - q[1]) for p, q in zip(road, road[1:]))
        crossed = sum(_hits(boxes, *p, *q) for p, q in zip(road, road[1:]))
        return 400 * crossed + 26 * len(road) + length

    return min(roads, key=cost)


def routes(recipe: Recipe, rects: Sheet) -> dict[tuple[str, str], list]:
    """Roads of all links by (target, input)."""
    boxes = np.array([(x + 3, y + 3, x + w - 3, y + h - 3) for n, (x, y, w, h) in rects.cards.items() if n not in rects.frames],
                     float).reshape(-1, 4)
    found = {}
    for source, output, target, port in recipe.links():
        if source not in rects.cards:
            continue
        a = port_place(recipe, rects, source, output, True)
        b = port_place(recipe, rects, target, port, False)
        spec = recipe.nodes[target].spec
        ids = [p.id for p in spec.all_inputs] if spec else [port]
        offset = 4.0 * (ids.index(port) if port in ids else 0)
        found[target, port] = route(a, b, boxes, list(rects.lanes.values()), offset)
    return found
