"""Where cards stand. No Qt: numbers in, numbers out.

The recipe reads downwards in three lanes side by side, one for each kind of data. A lane is a grid of columns and
rows: a card takes a cell, and stands below everything in its lane that it is made from. A node's ``at`` is its wish
(x from the lane's left, y from the top, in steps of model.COLUMN and model.ROW); what stands in the way is pushed down.

"""

from __future__ import annotations

import heapq
import math
from collections.abc import Collection, Mapping
from functools import lru_cache
from typing import NamedTuple

from gelande.core.recipe import kinds
from gelande.core.recipe.model import COLUMN, ROW, NodeState, Recipe
from gelande.core.recipe.node import CAIRN, ENTRY, FRAME, GROUP, JUNCTION, NOTE, NodeSpec
from gelande.core.recipe.raster import COLOUR, HEIGHT, MASK
from gelande.core.recipe.walk import in_order

LANES = (HEIGHT, MASK, COLOUR)
CARD_W, CARD_H = 155.0, 46.0
#: Where the main ports sit from a card's left, and how far the next ones are from them.
MAIN_X, PORT_STEP = 23.0, 24.0
PLATE_H = 26.0
#: Ports at the side of a card that it has room for; how far they are apart, below its words, on a taller one.
MOST_BESIDE, PORT_ROW = 8, 10.0
#: Letters in a line of a note, and lines that are shown of it.
NOTE_LETTERS, NOTE_LINES = 25, 8
#: Columns that a lane may have.
MOST_COLUMNS = 6

TOP, BOTTOM, LEFT, RIGHT = "top", "bottom", "left", "right"


class Cell(NamedTuple):
    """A card's place: lane, column in the lane, row, and how many rows it takes."""

    lane: int
    column: int
    row: int
    span: int = 1


class PortSpot(NamedTuple):
    """A port on its card: at which edge, how far from the left (top, bottom) or at which share of the way down."""

    edge: str
    along: float

    def place(self, box: tuple[float, float, float, float]) -> tuple[float, float]:
        """Its place on a card (x, y, width, height)."""
        x, y, w, h = box
        if self.edge in (TOP, BOTTOM):
            return x + self.along, y + (h if self.edge == BOTTOM else 0.0)
        return x + (w if self.edge == RIGHT else 0.0), y + h * self.along


def lane_of(recipe: Recipe, node_id: str) -> str:
    """The lane of a node: its main output's kind; notes and unknown nodes stand with the heights, and a plate of
    outputs with the first of them."""
    spec = recipe.nodes[node_id].spec
    if spec is None or not spec.outputs:
        kind = spec.inputs[0].kind if spec is not None and spec.inputs else HEIGHT
    else:
        kind = kinds.kind_at(recipe, node_id, spec.result.id)
    return kind if kind in LANES else HEIGHT


def is_plate(state: NodeState) -> bool:
    """True when it is the plate of a group's outputs, seen from inside."""
    return state.role == GROUP and not state.spec.outputs and bool(state.spec.inputs)


def card_box(state: NodeState) -> tuple[float, float, float, float]:
    """(x, y, width, height) of a card in its cell."""
    if state.role == JUNCTION:
        return MAIN_X - 13.0, 10.0, 26.0, 26.0
    if state.role == NOTE:
        lines = sum(1 + len(line) // NOTE_LETTERS for line in str(state.params.get("text", "")).splitlines())
        return 0.0, 0.0, CARD_W, max(CARD_H, min(lines, NOTE_LINES) * 15.0 + 14.0)
    if state.role in (ENTRY, CAIRN):
        return 0.0, (CARD_H - PLATE_H) / 2, CARD_W, PLATE_H
    if is_plate(state):
        return 0.0, 0.0, CARD_W, max(CARD_H, 18.0 * len(state.spec.inputs) + 10.0)
    beside = _ports_beside(state.spec) if state.spec is not None else 0
    return 0.0, 0.0, CARD_W, CARD_H + (PORT_ROW * (beside + 0.5) if beside > MOST_BESIDE else 0.0)


@lru_cache(4096)
def _ports_beside(spec: NodeSpec) -> int:
    """Number of ports are of another kind than the node's main output, and sit at the side of its card."""
    ports = (*spec.all_inputs, *spec.outputs)
    return sum(p.kind not in (spec.result.kind, "any") for p in ports) if spec.outputs else 0


def span_of(state: NodeState, lane: int) -> int:
    """Number of rows a card takes. Only in the last lane, across which no link runs to another one, may a tall card
    stand beside several rows; elsewhere its row is as tall as it is."""
    return math.ceil((card_box(state)[3] + ROW - CARD_H) / ROW) if lane == len(LANES) - 1 else 1


def port_kinds(recipe: Recipe, node_id: str) -> tuple[list, list]:
    """(inputs, outputs) of a node as [(id, kind, label)], with a junction's kind resolved."""
    state = recipe.nodes[node_id]
    spec = state.spec
    if spec is None:
        used = sorted({o for s, o, _, _ in recipe.links() if s == node_id})
        return [(p, "any", p) for p in state.inputs], [(o, "any", o) for o in used]
    outs = [(p.id, kinds.kind_at(recipe, node_id, p.id), p.label) for p in spec.outputs]
    ins = [(p.id, outs[0][1] if p.kind == "any" and outs else p.kind, p.label) for p in spec.all_inputs]
    return ins, outs


def port_spots(recipe: Recipe, node_id: str, lane: int) -> dict[tuple[str, bool], PortSpot]:
    """Places of the ports (id, is output) on a card of a lane: what the lane carries comes in on top and goes out
    below, the main port first; other kinds sit at the side of their lane, inputs above outputs."""
    state, (ins, outs) = recipe.nodes[node_id], port_kinds(recipe, node_id)
    main = state.spec.base or (state.spec.inputs[0].id if state.spec.inputs else "") if state.spec else ""
    return _spots(tuple(p[:2] for p in ins), tuple(p[:2] for p in outs), main, lane, *card_box(state)[2:])


@lru_cache(4096)
def _spots(ins: tuple, outs: tuple, main: str, lane: int, w: float, h: float) -> dict[tuple[str, bool], PortSpot]:
    """The same from ports (id, kind), the main input and the card's size."""
    edges: dict[str, list[tuple[str, bool]]] = {TOP: [], BOTTOM: [], LEFT: [], RIGHT: []}
    for ports, output in ((sorted(ins, key=lambda p: p[0] != main), False), (outs, True)):
        for port, kind in ports:
            own = LANES.index(kind) if kind in LANES else lane
            edge = (BOTTOM if output else TOP) if own == lane else LEFT if own < lane else RIGHT
            edges[edge].append((port, output))
    first = min(MAIN_X, w / 2)
    spots = {}
    for edge, ports in edges.items():
        n = len(ports)
        step = min(PORT_STEP, (w - 2 * first) / (n - 1)) if n > 1 else 0.0
        for k, port in enumerate(ports):
            if edge in (TOP, BOTTOM):
                along = first + k * step
            elif n > MOST_BESIDE and h > CARD_H:  # below picture and words, where their names have room
                along = (CARD_H + (k + 0.5) * PORT_ROW) / h
            else:
                along = (k + 1) / (n + 1)
            spots[port] = PortSpot(edge, along)
    return spots


def cell_at_place(at: tuple[float, float]) -> tuple[int, int]:
    """(column, row) that a node's ``at`` asks for."""
    return min(MOST_COLUMNS - 1, max(0, round(at[0] / COLUMN))), max(0, round(at[1] / ROW))


def at_of(cell: Cell) -> tuple[float, float]:
    """The ``at`` that asks for a cell."""
    return cell.column * COLUMN, cell.row * ROW


def settle(
    recipe: Recipe, moved: Mapping[str, tuple[float, float]] | None = None, first: Collection[str] = ()
) -> dict[str, Cell]:
    """Cells of all cards. Each has its wish, or the next free cell below it that is under all that it is made from in
    its lane.

    moved: other wishes; first: nodes that come before others that wish for the same cell."""
    cards = [n for n, s in recipe.nodes.items() if s.role != FRAME]
    lanes = {n: LANES.index(lane_of(recipe, n)) for n in cards}
    wanted = {n: cell_at_place((moved or {}).get(n, recipe.nodes[n].at)) for n in cards}
    # only sources in the same lane push a card down; others lie beside it
    before: dict[str, set[str]] = {
        n: {s for s, _ in recipe.nodes[n].inputs.values() if lanes.get(s) == lanes[n]} for n in cards
    }
    after: dict[str, list[str]] = {n: [] for n in cards}
    for n, sources in before.items():
        for s in sources:
            after[s].append(n)
    left, place = {n: len(s) for n, s in before.items()}, {n: k for k, n in enumerate(cards)}
    # cards whose sources have their cells, the topmost wish first
    ready = [(wanted[n][1], n not in first, place[n], n) for n in cards if not left[n]]
    heapq.heapify(ready)
    spans = {n: span_of(recipe.nodes[n], lanes[n]) for n in cards}
    taken: dict[tuple[int, int], set[int]] = {}
    kept: dict[int, set[int]] = {}  # rows beside a card of several, under which links to other columns would cross it
    cells: dict[str, Cell] = {}
    while ready:
        n = heapq.heappop(ready)[3]
        column, row = wanted[n]
        used, beside = taken.setdefault((lanes[n], column), set()), kept.setdefault(lanes[n], set())
        # below everything that it is made from
        row = max([row, *(cells[s].row + cells[s].span for s in before[n])])
        while not _fits(range(row, row + spans[n]), used, beside, spans[n] > 1 and _others(taken, lanes[n], column)):
            row += 1
        used.update(range(row, row + spans[n]))
        if spans[n] > 1:
            # links to other columns would run through a tall card
            beside.update(range(row, row + spans[n]))
        cells[n] = Cell(lanes[n], column, row, spans[n])
        for t in after[n]:
            left[t] -= 1
            if not left[t]:
                heapq.heappush(ready, (wanted[t][1], t not in first, place[t], t))
    return {n: cells[n] for n in cards}


def _others(taken: dict[tuple[int, int], set[int]], lane: int, column: int) -> set[int]:
    """Rows that are taken in other columns of a lane."""
    return set().union(*(rows for (k, c), rows in taken.items() if k == lane and c != column))


def _fits(rows: range, used: set[int], beside: set[int], others: bool) -> bool:
    """True when a card may take rows: free in its column, not beside a card of several rows, and, when it takes several
    itself, with nothing beside it."""
    return not any(r in used or r in beside or others and r in others for r in rows)


def reading_order(recipe: Recipe) -> list[str]:
    """Nodes so that each comes after what it is made from. Of what goes into a node the longest way comes first, so
    that short side branches stand directly above it; notes stand on top."""
    depth: dict[str, int] = {}
    used: set[str] = set()
    for n in in_order(recipe):
        sources = [s for s, _ in recipe.nodes[n].inputs.values() if s in recipe.nodes]
        used.update(sources)
        depth[n] = 1 + max((depth.get(s, 0) for s in sources), default=0)
    # the longest chain first: what is short is set beside it
    ends = sorted((n for n in depth if n not in used), key=lambda n: (recipe.nodes[n].role != NOTE, -depth[n]))
    order: dict[str, None] = {}
    for end in ends:
        stack = [(end, False)]
        while stack:
            n, done = stack.pop()
            if done or n in order:
                order.setdefault(n)
                continue
            stack.append((n, True))
            sources = {s for s, _ in recipe.nodes[n].inputs.values() if s in depth and s not in order}
            stack += [(s, False) for s in sorted(sources, key=lambda s: (depth[s], s))]  # the longest is taken first
    return list(order)


def arrange(recipe: Recipe) -> dict[str, tuple[float, float]]:
    """Wishes for every node that lay the whole graph out: each lane one column, in reading order."""
    rows, places = [0, 0, 0], {}
    for n in reading_order(recipe):
        if recipe.nodes[n].role == FRAME:
            continue
        lane = LANES.index(lane_of(recipe, n))
        places[n] = (0.0, rows[lane] * ROW)
        rows[lane] += span_of(recipe.nodes[n], lane)
    return places
