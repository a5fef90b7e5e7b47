"""The graph as it is laid out and pointed at: what stands where, how links run, what lies under a place, what is
chosen.

No Qt: numbers in, numbers out. The canvas paints it, and the hand (hand.py) says what gestures do with it.

"""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass

from gelande.core.recipe import graph, group
from gelande.core.recipe.convert import can_link_through, linked_through
from gelande.core.recipe.model import NodeState, Recipe
from gelande.core.recipe.node import GROUND_PORT

from . import layout, routing

#: A port of a card: node, port, whether it is an output.
PortAt = tuple[str, str, bool]
#: The input that a link ends at: node, port.
LinkAt = tuple[str, str]


@dataclass
class Lens:
    """From the sheet to the widget: widget = (sheet - (x, y)) * zoom."""

    zoom: float = 1.0
    x: float = 0.0
    y: float = 0.0

    NEAREST, FARTHEST, WHOLE = 1.8, 0.25, 0.25
    #: A recipe opens at its natural size where its width allows it, and never smaller than this.
    OPENING = 0.75
    #: Below this a card shows its picture and its name only.
    BRIEF = 0.6
    #: Pixels around the sheet that may be scrolled to, and that stay free around what is revealed.
    AROUND, CLEAR = 40.0, 22.0

    def to_sheet(self, x: float, y: float) -> tuple[float, float]:
        """A place in the widget on the sheet."""
        return x / self.zoom + self.x, y / self.zoom + self.y

    def to_widget(self, x: float, y: float) -> tuple[float, float]:
        """A place on the sheet in the widget."""
        return (x - self.x) * self.zoom, (y - self.y) * self.zoom

    def slide(self, dx: float, dy: float) -> None:
        """Moves the sheet by so many pixels."""
        self.x, self.y = self.x - dx / self.zoom, self.y - dy / self.zoom

    def scale(self, factor: float, x: float, y: float) -> None:
        """Scales about a place in the widget, which stays where it is."""
        before = self.to_sheet(x, y)
        self.zoom = max(self.FARTHEST, min(self.NEAREST, self.zoom * factor))
        after = self.to_sheet(x, y)
        self.x, self.y = self.x + before[0] - after[0], self.y + before[1] - after[1]

    def fit(self, size: tuple[float, float], width: float, height: float, head: float) -> None:
        """Shows a sheet of a size whole, at most at its natural size; head: pixels at the top that stay free."""
        self.zoom = max(self.WHOLE, min(1.0, width / size[0], (height - head) / size[1]))
        self.x, self.y = min(0.0, (size[0] - width / self.zoom) / 2), -head / self.zoom

    def open(self, size: tuple[float, float], width: float, head: float = 0.0) -> None:
        """Shows a sheet from its top, as wide as it is."""
        self.zoom = max(self.OPENING, min(1.0, width / size[0]))
        self.x, self.y = 0.0, -head / self.zoom

    def reveal(self, card: tuple[float, float, float, float], width: float, height: float, head: float) -> None:
        """Slides the sheet as little as it takes to show a card (x, y, width, height) in a pane; head: pixels at its
        top that are covered."""
        x, y, w, h = card
        clear, head = self.CLEAR / self.zoom, head / self.zoom
        self.x = min(max(self.x, x + w + clear - width / self.zoom), max(0.0, x - clear))
        self.y = min(max(self.y, y + h + clear - height / self.zoom), y - clear - head)

    def keep_in(self, size: tuple[float, float], width: float, height: float, head: float = 0.0) -> None:
        """Keeps a part of the sheet in the pane."""
        around = self.AROUND / self.zoom
        self.x = max(min(0.0, -around), min(self.x, max(0.0, size[0] - width / self.zoom) + around))
        self.y = max(-head / self.zoom, min(self.y, max(0.0, size[1] - height / self.zoom + around)))


class SheetModel:
    """The graph of a recipe, without Qt: all of it, or the inside of a group."""

    def __init__(self, recipe: Recipe) -> None:
        self.whole, self.inside = recipe, ""
        self.scene = group.scene(recipe)
        self.lens = Lens()
        self.rects = routing.Sheet()
        self.moved: dict[str, tuple[float, float]] = {}
        self._resting = self.rects  # as it lay before a drag
        self.selection: set[str] = set()
        self.chosen = self.landed = ""
        self.relayout()

    @property
    def recipe(self) -> Recipe:
        """The cards and links that show from where the graph stands."""
        return self.scene.recipe

    @property
    def routes(self) -> dict[LinkAt, list]:
        """Corners of all links by (target, input)."""
        return self.rects.routes

    # -- what is shown --------------------------------------------------------------------------------
    def show(self, recipe: Recipe) -> bool:
        """Takes a changed recipe. Returns whether cards or links stand otherwise now."""
        before, self.whole = self.whole, recipe
        if self.inside and self.inside not in recipe.nodes:
            self.inside = ""
        self.scene = group.scene(recipe, self.inside)
        self.selection &= set(self.recipe.nodes)
        if _layout_of(before) == _layout_of(recipe):
            return False
        self._lay_out()
        return True

    def enter(self, group_id: str) -> None:
        """Shows what is in a group, or the whole recipe for ""."""
        self.inside, self.selection = group_id, set()
        self.relayout()

    def relayout(self) -> None:
        """Lays cards and links out anew."""
        self.scene = group.scene(self.whole, self.inside)
        self._lay_out()

    def _lay_out(self) -> None:
        self.rects = self._resting = routing.sheet(self.recipe)

    def choose(self, node_id: str, keep: bool = False) -> bool:
        """Makes a node the chosen one; keep: beside those that are selected. Returns whether it was another before."""
        if not keep:
            self.selection = {node_id} if node_id else set()
        elif node_id:
            self.selection.add(node_id)
        changed, self.chosen = node_id != self.chosen, node_id
        return changed

    # -- what lies where ------------------------------------------------------------------------------
    def port_place(self, node_id: str, port: str, output: bool) -> tuple[float, float]:
        """Place of a port on the sheet."""
        x, y, w, h = self.rects.cards[node_id]
        return self.rects.ports.get((node_id, port, output), (x + w / 2, y + (h if output else 0.0)))

    def place_at(self, recipe: Recipe, node_id: str, x: float, y: float) -> tuple[float, float]:
        """The wish of a node whose card is to stand at a place on the sheet, in its own lane."""
        lane = layout.LANES.index(layout.lane_of(recipe, node_id))
        return layout.at_of(layout.Cell(lane, *self.rects.cell_at(x, y - layout.CARD_H / 2, lane)))

    def card_at(self, x: float, y: float) -> str:
        """The card under a place, or ""."""
        for node_id, (left, top, w, h) in reversed(list(self.rects.cards.items())):
            if left <= x <= left + w and top <= y <= top + h:
                return node_id
        return ""

    def cards_in(self, left: float, top: float, right: float, bottom: float) -> set[str]:
        """The cards that a rectangle touches."""
        cards = self.rects.cards.items()
        return {n for n, (x, y, w, h) in cards if x < right and left < x + w and y < bottom and top < y + h}

    def port_near(self, x: float, y: float, reach: float = 9.0) -> PortAt | None:
        """The port near a place."""
        best: tuple[float, PortAt] | None = None
        for node_id, (left, top, w, h) in self.rects.cards.items():
            if not (left - reach <= x <= left + w + reach and top - reach <= y <= top + h + reach):
                continue
            if node_id not in self.rects.cells:
                continue
            for port, output in layout.port_spots(self.recipe, node_id, self.rects.cells[node_id].lane):
                px, py = self.port_place(node_id, port, output)
                away = abs(px - x) + abs(py - y)
                if away < reach and (best is None or away < best[0]):
                    best = (away, (node_id, port, output))
        return best[1] if best else None

    def link_near(self, x: float, y: float, reach: float = 5.0, ignore: str = "") -> LinkAt | None:
        """The link near a place, by its target and input. ignore: a node whose links do not count."""
        for (target, port), route in self._resting.routes.items():
            if ignore and ignore in (target, self.recipe.nodes[target].inputs[port][0]):
                continue
            for (x1, y1), (x2, y2) in zip(route, route[1:]):
                beside = min(x1, x2) - reach <= x <= max(x1, x2) + reach
                if beside and min(y1, y2) - reach <= y <= max(y1, y2) + reach:
                    return target, port
        return None

    def resting_route(self, link: LinkAt) -> list[tuple[float, float]]:
        """Corners of a link as it lay before the drag."""
        return self._resting.routes[link]

    def next_card(self, dx: int, dy: int) -> str:
        """The card nearest to the chosen one in a direction, the first one when none is chosen, "" when there is
        none."""
        cards = self.rects.cards
        if self.chosen not in cards:
            return next(iter(cards), "")
        x, y = cards[self.chosen][:2]
        ahead = [
            (abs(a - x) * (1 if dx else 2.5) + abs(b - y) * (1 if dy else 2.5), n)
            for n, (a, b, _, _) in cards.items()
            if (a - x) * dx + (b - y) * dy > 8
        ]
        return min(ahead)[1] if ahead else ""

    # -- what is dragged ------------------------------------------------------------------------------
    def drag(self, dx: float, dy: float) -> None:
        """Moves what is selected, and what stands in selected frames, by so much from where it lay, to the nearest
        free cells of its lane; what stands there makes room."""
        cells, moved = self._resting.cells, {}
        for n, s in self.recipe.nodes.items():
            if n in cells and n != self.inside and (n in self.selection or s.frame and s.frame in self.selection):
                x, y = self._resting.cards[n][:2]
                column, row = self._resting.cell_at(x + dx, y + dy, cells[n].lane)
                moved[n] = layout.at_of(layout.Cell(cells[n].lane, column, row))
        if moved != self.moved:
            self.moved = moved
            others = {n: layout.at_of(cell) for n, cell in cells.items() if n not in moved}
            self.rects = routing.sheet(self.recipe, {**others, **moved}, moved)

    def dropped(self, x: float, y: float) -> tuple[dict[str, tuple[float, float]], LinkAt | None]:
        """Ends a drag: where all cards stand now, and the link that a single unlinked card was dropped on."""
        only, onto = self.dropping(x, y)
        moved, self.moved = self.moved, {}
        places = {n: layout.at_of(cell) for n, cell in self.rects.cells.items() if n != self.inside} if moved else {}
        self.relayout()
        self.landed = only
        return places, onto

    def dropping(self, x: float, y: float) -> tuple[str, LinkAt | None]:
        """The single card that is dragged, and the link that it would be put into if it were let go here."""
        only = next(iter(self.moved)) if len(self.moved) == 1 else ""
        alone = only and not self.recipe.nodes[only].inputs
        if not alone or any(s == only for s, _, _, _ in self.recipe.links()):
            return only, None
        return only, self.link_near(x, y, 10.0, only)

    def landing(self, held: PortAt, x: float, y: float) -> PortAt | None:
        """The port that a link dragged from another one would end at: the one near a place, or the first that fits
        on the card there."""
        node_id, port, output = held
        near = self.port_near(x, y, 12.0)
        if near and near[2] != output and near[0] != node_id:
            return near
        card = self.card_at(x, y)
        if not card or card == node_id:
            return None
        ins, outs = layout.port_kinds(self.recipe, card)
        spec = self.recipe.nodes[card].spec
        base = spec.base if spec else ""
        names = [p[0] for p in (sorted(ins, key=lambda p: p[0] != base) if output else outs)]
        taken = self.recipe.nodes[card].inputs
        free = [n for n in names if not output or n not in taken and (card, n) not in self.scene.flags]
        fits = [n for n in free if not graph.can_link(self.whole, *self.ends(held, card, n))]
        # else by way of a node that converts, into the main port only; a ground for Where is what is meant least
        main = [n for n in names[:1] if n in free and can_link_through(self.whole, *self.ends(held, card, n))]
        fits = [n for n in fits if n != GROUND_PORT.id] + main + [n for n in fits if n == GROUND_PORT.id]
        return (card, fits[0], not output) if fits else None

    def ends(self, held: PortAt, other: str, name: str) -> tuple[str, str, str, str]:
        """(source, output, target, input) in the recipe of a link between two ports of cards."""
        node_id, port, output = held
        if output:
            return (node_id, port, *self.scene.input_end(other, name))
        return (other, name, *self.scene.input_end(node_id, port))

    # -- edits ----------------------------------------------------------------------------------------
    def linking(self, held: PortAt, landing: PortAt | None, detached: LinkAt | None) -> Callable[[Recipe], Recipe]:
        """The edit that takes the end of a link off and leads it to where it landed."""

        def change(recipe: Recipe) -> Recipe:
            if detached:
                recipe = graph.unlink(recipe, *self.scene.input_end(*detached))
            if landing is None:
                return recipe
            recipe, between = linked_through(recipe, *self.ends(held, landing[0], landing[1]))
            return made_room(recipe, self.inside) if between else recipe

        return change

    def moving(self, moved: dict, onto: LinkAt | None) -> Callable[[Recipe], Recipe]:
        """The edit that moves cards, and puts the single one that was dropped into a link."""
        only = self.landed

        def change(recipe: Recipe) -> Recipe:
            if not onto:
                return graph.move(recipe, moved)
            target = self._resting.cells[onto[0]]
            recipe = graph.move(recipe, {**moved, only: layout.at_of(target)})
            return made_room(graph.insert(recipe, only, *self.scene.input_end(*onto)), self.inside, (only,))

        return change


def made_room(recipe: Recipe, inside: str, first: Collection[str] = ()) -> Recipe:
    """The recipe with every card that shows in a group where it comes to stand; first: those that others make room
    for."""
    cells = layout.settle(group.scene(recipe, inside).recipe, None, first)
    return graph.move(recipe, {n: layout.at_of(cell) for n, cell in cells.items() if n != inside})


def place_for(recipe: Recipe, inside: str, node_id: str, beside: str = "", above: bool = False) -> tuple[float, float]:
    """The wish of a node that is to stand below another one in its lane (or in its place), or in the same row of
    another lane."""
    shown = group.scene(recipe, inside).recipe
    cell = layout.settle(shown).get(beside)
    if cell is None:
        return recipe.nodes[node_id].at
    same = layout.lane_of(shown, node_id) == layout.LANES[cell.lane]
    row = cell.row + (0 if above or not same else cell.span)
    return layout.at_of(layout.Cell(cell.lane, cell.column if same else 0, row))


def _layout_of(recipe: Recipe) -> list:
    """Everything that card places and roads depend on: a slider's move changes none of it."""
    return [(n, s.kind, s.at, s.inputs, s.group, s.frame, s.face, _own_ports(s)) for n, s in recipe.nodes.items()]


def _own_ports(state: NodeState) -> tuple:
    """The ports of a node whose settings say which it has."""
    return (state.spec.inputs, state.spec.outputs) if state.spec is not None and state.spec.ports is not None else ()
