"""What a pointer does on the graph, without a window: choosing, moving, linking, detaching, banding, sliding.

A press takes up a gesture, moves go to it, a release ends it and says what came of it. Each gesture is an object, so
that a new one is a new class.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from gelande.core.recipe.model import Recipe

from .sheet import LinkAt, PortAt, SheetModel

#: Pixels that a press may move before it becomes a drag.
STILL = 4.0


@dataclass(frozen=True)
class Chosen:
    """A node is to be the chosen one."""

    node: str


@dataclass(frozen=True)
class Edited:
    """The recipe is to be changed. otherwise: a change to try when that one is refused."""

    text: str
    change: Callable[[Recipe], Recipe]
    otherwise: tuple[str, Callable[[Recipe], Recipe]] | None = None


@dataclass(frozen=True)
class Wanted:
    """A link was let go over empty sheet: a node that fits its end is wanted there."""

    held: PortAt


Outcome = Chosen | Edited | Wanted | None


class Gesture:
    """One gesture. Places are on the sheet; far: how many pixels the pointer is from where it was pressed."""

    def __init__(self, sheet: SheetModel, x: float, y: float) -> None:
        self.sheet, self.x, self.y = sheet, x, y

    def move(self, x: float, y: float, far: float) -> Gesture:
        """Goes on; returns the gesture that it has become."""
        return self

    def slide(self, dx: float, dy: float) -> None:
        """The pointer moved by so many pixels."""

    def end(self, x: float, y: float, plain: bool) -> Outcome:
        """Ends the gesture and returns its outcome. plain: without a modifier key."""
        return None


class Slide(Gesture):
    """The sheet follows the pointer."""

    def slide(self, dx: float, dy: float) -> None:
        self.sheet.lens.slide(dx, dy)


class Press(Gesture):
    """A press on a card, which chooses it, or begins a move."""

    def __init__(self, sheet: SheetModel, x: float, y: float, locked: bool) -> None:
        super().__init__(sheet, x, y)
        self.locked = locked

    def move(self, x: float, y: float, far: float) -> Gesture:
        return Move(self.sheet, self.x, self.y).move(x, y, far) if far > STILL and not self.locked else self

    def end(self, x: float, y: float, plain: bool) -> Outcome:
        card = self.sheet.card_at(x, y)
        return Chosen(card) if plain and card else None


class Move(Gesture):
    """Cards follow the pointer from cell to cell; a single unlinked card dropped on a link is put into it. at: the
    pointer."""

    at = (0.0, 0.0)

    def move(self, x: float, y: float, far: float) -> Gesture:
        self.at = (x, y)
        self.sheet.drag(x - self.x, y - self.y)
        return self

    def end(self, x: float, y: float, plain: bool) -> Outcome:
        moved, onto = self.sheet.dropped(x, y)
        plainly = ("Move", self.sheet.moving(moved, None))
        return Edited("Insert", self.sheet.moving(moved, onto), plainly) if onto else Edited(*plainly)


class Link(Gesture):
    """A link is led from a port to another. held: the port that stays; detached: the input whose link was taken off."""

    def __init__(self, sheet: SheetModel, x: float, y: float, held: PortAt, detached: LinkAt | None) -> None:
        super().__init__(sheet, x, y)
        self.held, self.detached = held, detached
        self.landing: PortAt | None = None

    def move(self, x: float, y: float, far: float) -> Gesture:
        self.x, self.y = x, y
        self.landing = self.sheet.landing(self.held, x, y)
        return self

    def end(self, x: float, y: float, plain: bool) -> Outcome:
        landing = self.sheet.landing(self.held, x, y)
        if landing and self.detached == landing[:2]:
            return None
        if landing and self.detached and self.detached[0] == landing[0] and self.sheet.port_near(x, y) is None:
            landing = None  # let go over its own card: it is not meant for another port there
        if landing or self.detached:
            change = self.sheet.linking(self.held, landing, self.detached)
            return Edited("Link" if landing else "Unlink", change)
        return None if self.sheet.card_at(x, y) else Wanted(self.held)


class Band(Gesture):
    """A band that selects the cards it touches. box: left, top, right, bottom."""

    def __init__(self, sheet: SheetModel, x: float, y: float) -> None:
        super().__init__(sheet, x, y)
        self.box = (x, y, x, y)

    def move(self, x: float, y: float, far: float) -> Gesture:
        self.box = (min(self.x, x), min(self.y, y), max(self.x, x), max(self.y, y))
        self.sheet.selection = self.sheet.cards_in(*self.box)
        return self

    def end(self, x: float, y: float, plain: bool) -> Outcome:
        return Chosen(next(iter(self.sheet.selection))) if len(self.sheet.selection) == 1 else None


class Gestures:
    """The pointer on the graph. hot: the port under it; pointed: the card under it."""

    def __init__(self, sheet: SheetModel) -> None:
        self.sheet = sheet
        self.gesture: Gesture | None = None
        self.hot: PortAt | None = None
        self.pointed = ""

    def slide(self) -> None:
        """Takes the sheet."""
        self.gesture = Slide(self.sheet, 0.0, 0.0)

    def press(self, x: float, y: float, more: bool, keep: bool, locked: bool) -> str | None:
        """Takes up the gesture that fits what is pressed. more: the card is added to the selection or taken out of
        it; keep: a band leaves the selection. Returns the card that becomes the chosen one, or None."""
        port = self.sheet.port_near(x, y)
        if port and not locked:
            node_id, name, output = port
            source = self.sheet.recipe.nodes[node_id].inputs.get(name) if not output else None
            held, detached = ((*source, True), (node_id, name)) if source else (port, None)
            self.gesture = Link(self.sheet, x, y, held, detached)
            return None
        card = self.sheet.card_at(x, y)
        if not card:
            self.gesture = Band(self.sheet, x, y)
            if not keep:
                self.sheet.selection = set()
            return None
        self.gesture = Press(self.sheet, x, y, locked)
        selection = self.sheet.selection
        if more and card in selection:
            selection.discard(card)
            return None
        return card if more or card not in selection or len(selection) == 1 else None

    def move(self, x: float, y: float, far: float) -> bool:
        """Goes on with a gesture. Returns whether there was one."""
        if self.gesture is None:
            return False
        self.gesture = self.gesture.move(x, y, far)
        if isinstance(self.gesture, Link):
            self.hot = self.gesture.landing
        return True

    def release(self, x: float, y: float, plain: bool) -> Outcome:
        """Ends the gesture."""
        gesture, self.gesture = self.gesture, None
        if isinstance(gesture, Link):
            self.hot = None
        return gesture.end(x, y, plain) if gesture is not None else None

    def hover(self, x: float, y: float) -> bool:
        """Looks what is under the pointer. Returns whether that is something else than before."""
        before = (self.hot, self.pointed)
        self.hot = self.sheet.port_near(x, y)
        if self.hot is None:
            self.pointed = self.sheet.card_at(x, y)
        return before != (self.hot, self.pointed)
