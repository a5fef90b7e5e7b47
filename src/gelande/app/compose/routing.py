"""How links run between cards: down from card to card, in the margins of lanes and in the gutters between them.

No Qt: numbers in, numbers out. First each link's way is found in words of channels: levels, which lie above each row
of cards, and aisles, which lie beside each column. No channel holds a card, so no link crosses one. Then every stretch
gets a track in its channel; stretches from one source share it. Channels are as wide as their tracks need.

"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NamedTuple

from gelande.core.recipe.model import COLUMN, ROW, Recipe
from gelande.core.recipe.node import FRAME

from . import layout
from .layout import BOTTOM, LEFT, RIGHT, TOP, Cell, PortSpot

#: Pixels from track to track, and the least widths of margins, gutters and levels.
TRACK, MARGIN, GUTTER, LEVEL = 4.5, 9.0, 13.0, 16.0
#: Widest that tracks may make a channel; more of them lie closer.
WIDEST = 90.0
HEAD, FOOT, FRAME_HEAD, EMPTY_LANE = 24.0, 40.0, 15.0, 74.0
#: Shares of a row's nominal height, to tell which stretches meet before anything is measured.
NOMINAL = 1000.0


class Stretch(NamedTuple):
    """A straight piece in a channel. level: whether it runs along a level (else down an aisle); ends: of the piece, in
    nominal places."""

    level: bool
    channel: int
    low: float
    high: float


class Turn(NamedTuple):
    """A corner of a way: what gives its x and its y. aisle, level: the channel, or None for the port's own place."""

    aisle: int | None
    level: int | None
    port: int  # 0: the source's place, 1: the target's, where a channel does not say


@dataclass
class Sheet:
    """The graph laid out, in sheet units. cards: node -> (x, y, width, height); lanes: kind -> (left, width); frames:
    as cards; cells: node -> cell; ports: (node, port, is output) -> (x, y); roads: (target, input) -> corners."""

    cards: dict[str, tuple[float, float, float, float]] = field(default_factory=dict)
    lanes: dict[str, tuple[float, float]] = field(default_factory=dict)
    frames: dict[str, tuple[float, float, float, float]] = field(default_factory=dict)
    cells: dict[str, Cell] = field(default_factory=dict)
    ports: dict[tuple[str, str, bool], tuple[float, float]] = field(default_factory=dict)
    routes: dict[tuple[str, str], list[tuple[float, float]]] = field(default_factory=dict)
    columns: dict[tuple[int, int], float] = field(default_factory=dict)
    rows: list[float] = field(default_factory=list)
    size: tuple[float, float] = (400.0, 300.0)

    def cell_at(self, x: float, y: float, lane: int) -> tuple[int, int]:
        """(column, row) of a lane's grid that is nearest to a card's corner at a place."""
        own = {column: left for (k, column), left in self.columns.items() if k == lane}
        own[max(own) + 1] = own[max(own)] + COLUMN
        column, tops = min(own, key=lambda c: abs(own[c] - x)), self.rows
        if y >= tops[-1]:
            return column, len(tops) - 1 + round((y - tops[-1]) / ROW)
        return column, min(range(len(tops)), key=lambda r: abs(tops[r] - y))


class Grid:
    """Columns and aisles of all lanes from left to right. Aisle 0 is the first lane's margin; before each column
    stands an aisle, and a gutter after each lane."""

    def __init__(self, cells: dict[str, Cell]) -> None:
        self.counts = [1 + max((c.column for c in cells.values() if c.lane == k), default=0) for k in range(3)]
        self.order: dict[tuple[int, int], int] = {}  # (lane, column) -> its aisle to the left
        self.gutters: list[int] = []
        aisle = 0
        for lane, count in enumerate(self.counts):
            for column in range(count):
                self.order[lane, column] = aisle
                aisle += 1
            self.gutters.append(aisle)
            aisle += 1
        self.aisles = aisle
        self.taken = {(c.lane, c.column, c.row + k) for c in cells.values() for k in range(c.span)}
        self.several = [c for c in cells.values() if c.span > 1]
        self.margins = {self.order[k, 0] for k in range(3)}

    def x(self, cell: Cell, spot: PortSpot) -> float:
        """Nominal place of a port across."""
        return (self.order[cell.lane, cell.column] + 0.5) * NOMINAL + (
            spot.along if spot.edge in (TOP, BOTTOM) else 0.0
        )

    @staticmethod
    def y(cell: Cell, spot: PortSpot) -> float:
        """Nominal place of a port down."""
        tall = 300.0 + NOMINAL * (cell.span - 1)
        return cell.row * NOMINAL + 300.0 + tall * (spot.along if spot.edge in (LEFT, RIGHT) else 0.0)

    def beside(self, cell: Cell, edge: str) -> int:
        """The aisle that a side port leads to: outside a lane's first and last column it is a gutter."""
        if edge == RIGHT:
            return (
                self.gutters[cell.lane]
                if cell.column == self.counts[cell.lane] - 1
                else self.order[cell.lane, cell.column + 1]
            )
        if cell.column == 0 and cell.lane > 0:
            return self.gutters[cell.lane - 1]
        return self.order[cell.lane, cell.column]

    def between(self, source: Cell, target: Cell) -> int:
        """The aisle in which a link changes rows on its way: a gutter to another lane, a margin in its own."""
        if source.lane < target.lane:
            return self.gutters[target.lane - 1]
        if source.lane > target.lane:
            return self.gutters[target.lane]
        return self.order[source.lane, max(source.column, target.column)]

    def free_down(self, cell: Cell, until: int) -> bool:
        """True when no card stands below a cell before a row."""
        return not any((cell.lane, cell.column, r) in self.taken for r in range(cell.row + cell.span, until))

    def open_level(self, level: int, source: Cell, aisle: int) -> bool:
        """True when no card of several rows stands across a level between a cell and an aisle."""
        here = self.order[source.lane, source.column]
        low, high = min(here, aisle), max(here, aisle)
        return not any(
            c.row < level < c.row + c.span and low <= self.order[c.lane, c.column] < high for c in self.several
        )

    def free_across(self, row: int, source: Cell, aisle: int) -> bool:
        """True when no card stands in a row between a cell's side and an aisle."""
        here = self.order[source.lane, source.column]
        for (lane, column), place in self.order.items():
            inside = here < place < aisle if aisle > here else aisle <= place < here
            if inside and (lane, column, row) in self.taken:
                return False
        return True


def way(grid: Grid, source: Cell, out: PortSpot, target: Cell, into: PortSpot) -> list[Turn]:
    """The corners of one link's way, without its two ends."""
    side = [grid.beside(c, s.edge) if s.edge in (LEFT, RIGHT) else None for c, s in ((source, out), (target, into))]
    below, above = source.row + source.span, target.row
    if side[0] is None and side[1] is None:
        return _down(grid, source, out, target, into)
    through = grid.between(source, target)
    first: list[Turn]
    last: list[Turn]
    if side[0] is None:  # from below a card to another one's side
        lane_side = side[1] in grid.gutters or above >= below and grid.open_level(below, source, side[1])
        if lane_side:
            return [Turn(None, below, 0), Turn(side[1], below, 0), Turn(side[1], None, 1)]
        first = [Turn(None, below, 0), Turn(through, below, 0)]
    elif side[0] == side[1]:
        return [Turn(side[0], None, 0), Turn(side[0], None, 1)]
    elif side[0] in grid.gutters:
        if side[1] is None:
            return [Turn(side[0], None, 0), Turn(side[0], above, 0), Turn(None, above, 1)]
        if side[1] in grid.gutters:
            if all(grid.free_across(source.row + k, source, side[1]) for k in range(source.span)):
                return [Turn(side[1], None, 0), Turn(side[1], None, 1)]
            level = below if target.row > source.row else source.row
            return [Turn(side[0], None, 0), Turn(side[0], level, 0), Turn(side[1], level, 0), Turn(side[1], None, 1)]
        return [Turn(side[0], None, 0), Turn(side[0], above, 0), Turn(side[1], above, 0), Turn(side[1], None, 1)]
    else:  # out of a lane's middle: down to the level below, and out
        first = [Turn(side[0], None, 0), Turn(side[0], below, 0), Turn(through, below, 0)]
    if side[1] is None:
        last = [Turn(through, above, 0), Turn(None, above, 1)]
    elif side[1] == through:
        last = [Turn(through, None, 1)]
    else:
        last = [Turn(through, above, 0), Turn(side[1], above, 0), Turn(side[1], None, 1)]
    return [*first, *last]


def _down(grid: Grid, source: Cell, out: PortSpot, target: Cell, into: PortSpot) -> list[Turn]:
    """From below a card to the top of another: straight where nothing stands between, else through an aisle."""
    below, above = source.row + source.span, target.row
    same = source.lane == target.lane
    if same and source.column == target.column and grid.free_down(source, above):
        return [] if abs(out.along - into.along) < 0.5 else [Turn(None, above, 0), Turn(None, above, 1)]
    if below == above:
        return [Turn(None, below, 0), Turn(None, above, 1)]
    aisle = grid.between(source, target)
    return [Turn(None, below, 0), Turn(aisle, below, 0), Turn(aisle, above, 0), Turn(None, above, 1)]


def stretches(grid: Grid, turns: list[Turn], ends: tuple[tuple[float, float], tuple[float, float]]) -> list[Stretch]:
    """The pieces of a way that lie in channels, in nominal places. ends: nominal places of the two ports."""
    places = []
    for t in turns:
        x = ends[t.port][0] if t.aisle is None else t.aisle * NOMINAL
        places.append((x, ends[t.port][1] if t.level is None else t.level * NOMINAL))
    found = []
    for a, b, (ax, ay), (bx, by) in zip(turns, turns[1:], places, places[1:]):
        if a.level is not None and a.level == b.level:
            found.append(Stretch(True, a.level, min(ax, bx), max(ax, bx)))
        elif a.aisle is not None and a.aisle == b.aisle:
            found.append(Stretch(False, a.aisle, min(ay, by), max(ay, by)))
    return found


Source = tuple[str, str]
Channel = tuple[bool, int]


def tracks(pieces: dict[Channel, dict[Source, tuple[float, float]]]) -> dict[Channel, dict[Source, int]]:
    """Track of each source's stretch in a channel: stretches that meet lie side by side."""
    found: dict[Channel, dict[Source, int]] = {}
    for channel, sources in pieces.items():
        ends: list[float] = []
        given = found[channel] = {}
        for source, (low, high) in sorted(sources.items(), key=lambda item: (item[1][0], -item[1][1], item[0])):
            k = next((k for k, end in enumerate(ends) if end < low), len(ends))
            ends[k : k + 1] = [high]
            given[source] = k
    return found


def lay(recipe: Recipe, cells: dict[str, Cell]) -> Sheet:
    """Places of cards, ports and roads for cells."""
    grid, sheet = Grid(cells), Sheet(cells=cells)
    spots = {n: layout.port_spots(recipe, n, cell.lane) for n, cell in cells.items()}
    ways: dict[tuple[str, str], tuple[Source, list[Turn]]] = {}
    pieces: dict[Channel, dict[Source, tuple[float, float]]] = {}
    for source, output, target, port in recipe.links():
        out = spots.get(source, {}).get((output, True))
        into = spots.get(target, {}).get((port, False))
        if out is None or into is None:
            continue
        a, b, key = cells[source], cells[target], (source, output)
        turns = way(grid, a, out, b, into)
        ways[target, port] = key, turns
        for piece in stretches(grid, turns, ((grid.x(a, out), grid.y(a, out)), (grid.x(b, into), grid.y(b, into)))):
            held = pieces.setdefault((piece.level, piece.channel), {})
            low, high = held.get(key, (piece.low, piece.high))
            held[key] = min(low, piece.low), max(high, piece.high)
    given = tracks(pieces)
    measure = Measure(grid, given, _framed_rows(recipe, cells), _row_heights(recipe, cells))
    _place(recipe, sheet, measure, spots)
    for (target, port), (key, turns) in ways.items():
        ends = (sheet.ports[(*key, True)], sheet.ports[target, port, False])
        corners = [
            (
                ends[t.port][0]
                if t.aisle is None
                else measure.aisle_x(t.aisle, given.get((False, t.aisle), {}).get(key)),
                ends[t.port][1]
                if t.level is None
                else measure.level_y(t.level, given.get((True, t.level), {}).get(key)),
            )
            for t in turns
        ]
        sheet.routes[target, port] = _tidy([ends[0], *corners, ends[1]])
    return sheet


def _tidy(points: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """Corners without those that lie on a straight line or on one another."""
    kept = points[:1]
    for here, after in zip(points[1:], [*points[2:], None]):
        last = kept[-1]
        if abs(here[0] - last[0]) + abs(here[1] - last[1]) < 0.01 and after is not None:
            continue
        if after is not None and (
            abs(last[0] - here[0]) < 0.01 > abs(here[0] - after[0])
            or abs(last[1] - here[1]) < 0.01 > abs(here[1] - after[1])
        ):
            continue
        kept.append(here)
    return kept


def _row_heights(recipe: Recipe, cells: dict[str, Cell]) -> list[float]:
    """Height of each row: as its tallest card."""
    tall = [layout.CARD_H] * (1 + max((c.row + c.span - 1 for c in cells.values()), default=-1))
    for n, cell in cells.items():
        _, y, _, h = layout.card_box(recipe.nodes[n])
        if cell.span == 1:
            tall[cell.row] = max(tall[cell.row], y + h)
    return tall


def _framed_rows(recipe: Recipe, cells: dict[str, Cell]) -> set[int]:
    """Rows above which a frame's title stands."""
    tops: dict[str, int] = {}
    for n, cell in cells.items():
        frame = recipe.nodes[n].frame
        if frame:
            tops[frame] = min(tops.get(frame, cell.row), cell.row)
    return set(tops.values())


class Measure:
    """Widths of channels and places of columns and rows, in sheet units."""

    def __init__(
        self, grid: Grid, given: dict[Channel, dict[Source, int]], framed: set[int], rows: list[float]
    ) -> None:
        self.grid = grid
        counts = {channel: 1 + max(t.values()) for channel, t in given.items() if t}
        self.counts = counts
        self.step: dict[Channel, float] = {c: min(TRACK, WIDEST / k) for c, k in counts.items()}
        self.aisles: list[tuple[float, float]] = []
        self.columns: dict[tuple[int, int], float] = {}
        behind = {aisle: key for key, aisle in grid.order.items()}
        x = 0.0
        for aisle in range(grid.aisles):
            least = MARGIN if aisle in grid.margins else GUTTER
            width = max(least, (counts.get((False, aisle), 0) + 1) * self.step.get((False, aisle), 0.0) + 4.0)
            self.aisles.append((x, width))
            x += width
            if aisle in behind:
                lane, column = behind[aisle]
                self.columns[lane, column] = x
                x += layout.CARD_W if self._holds(lane) else EMPTY_LANE
        self.width = x
        self.levels: list[tuple[float, float]] = []
        self.rows: list[float] = []
        y = HEAD
        for row, height in enumerate([*rows, 0.0]):
            n = counts.get((True, row), 0)
            tall = max(LEVEL, (n + 1) * self.step.get((True, row), 0.0) + 4.0) + (FRAME_HEAD if row in framed else 0.0)
            self.levels.append((y, tall))
            self.rows.append(y + tall)
            y += tall + height
        self.height = y + FOOT

    def busy(self, aisle: int) -> bool:
        """True when links run in an aisle."""
        return (False, aisle) in self.counts

    def _holds(self, lane: int) -> bool:
        return any(k == lane for k, _, _ in self.grid.taken)

    def aisle_x(self, aisle: int, track: int | None) -> float:
        """Horizontal place of a track in an aisle."""
        left, width = self.aisles[aisle]
        return left + width / 2 if track is None else left + 4.0 + (track + 0.5) * self.step[False, aisle]

    def level_y(self, level: int, track: int | None) -> float:
        """Vertical place of a track in a level."""
        top, _ = self.levels[level]
        return top + LEVEL / 2 if track is None else top + 4.0 + (track + 0.5) * self.step[True, level]


def _place(recipe: Recipe, sheet: Sheet, measure: Measure, spots: dict) -> None:
    """Writes cards, ports, lanes and frames into a sheet."""
    for n, cell in sheet.cells.items():
        dx, dy, w, h = layout.card_box(recipe.nodes[n])
        x, y = measure.columns[cell.lane, cell.column] + dx, measure.rows[cell.row] + dy
        sheet.cards[n] = x, y, w, h
        for (port, output), spot in spots[n].items():
            sheet.ports[n, port, output] = spot.place(sheet.cards[n])
    for k, lane in enumerate(layout.LANES):
        left = measure.aisles[measure.grid.order[k, 0]][0]
        sheet.lanes[lane] = left, measure.aisles[measure.grid.gutters[k]][0] - left
    for n, state in recipe.nodes.items():
        if state.role == FRAME:
            box = _frame_box([sheet.cards[m] for m, s in recipe.nodes.items() if s.frame == n and m in sheet.cards])
            sheet.frames[n] = box
            sheet.cards = {n: (box[0], box[1], box[2], FRAME_HEAD), **sheet.cards}
    right = max((x + w for x, _, w, _ in sheet.cards.values()), default=measure.width) + MARGIN
    last = measure.aisles[-1]
    sheet.rows = measure.rows
    sheet.size = (max(right, last[0] + (last[1] if measure.busy(len(measure.aisles) - 1) else 0.0)), measure.height)
    sheet.columns = measure.columns


def _frame_box(cards: list) -> tuple[float, float, float, float]:
    """The box around a frame's cards, with its title on top."""
    if not cards:
        return 0.0, 0.0, layout.CARD_W, FRAME_HEAD
    left, top = min(c[0] for c in cards) - 4, min(c[1] for c in cards) - FRAME_HEAD
    return left, top, max(c[0] + c[2] for c in cards) + 4 - left, max(c[1] + c[3] for c in cards) + 6 - top


def sheet(recipe: Recipe, moved=None, first: tuple = ()) -> Sheet:
    """A recipe laid out. moved: wishes of cards that are being dragged; first: cards that come before others."""
    return lay(recipe, layout.settle(recipe, moved, first))
