"""The buttons over the view: ways to look, what is laid over the land, light, height, cameras."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QActionGroup
from PyQt6.QtWidgets import QMenu, QPushButton

from gelande.core.recipe.site import BARE
from gelande.scene.things import Things

from ..switches import Switch
from .base import View
from .compare import WAYS
from .sundial import SunDial

#: Times that heights may be drawn.
EXAGGERATIONS = (1.0, 1.5, 2.0, 3.0, 4.0, 5.0)
#: Names of the tones of land without colours, as site.BARE.
BARE_NAMES = ("Grass and stone", "Sand and rust", "Ash and moss", "Snow and slate")
STEEP_NAME = "Too steep for the samples"


class Bar:
    """Buttons that lie over a ViewWidget. tools: whether it has more than the ways to look."""

    def __init__(self, view: View, tools: bool) -> None:
        self.view, self.tools = view, tools
        self.modes: dict[str, QPushButton] = {}
        for name, mode in view.modes.items():
            button = self.modes[name] = self._button(name, mode.tip, lambda _=False, n=name: view.set_mode(n), True)
            button.setChecked(mode is view.mode)
        self.section = self._button(
            "Section", "The land cut along a line: heights in metres, up to four nodes over each other.",
            lambda on: view.section.set_on(on), True,
        )  # fmt: skip
        self.compare = self._button(
            "Compare", "C. Before and after of the selected node, or held against selected.", None, True
        )
        self.ways = QMenu(self.compare)
        self.way_actions: dict[str, QAction] = {}
        for way, (name, tip) in WAYS.items():
            action = self.way_actions[way] = self.ways.addAction(name, lambda w=way: view.comparison.set_way(w))
            action.setCheckable(True)
            action.setToolTip(tip)
        self.compare.clicked.connect(self._compare_clicked)
        self.contours = self._button("Contours", "Lines of equal height", view.set_contours, True)
        self.dial = SunDial(view)
        self.light = self._button("Light", "", lambda: self.dial.open(self.light))
        self.colours = self._button(
            "Colours", "Lays the recipe's ground colours over the height shown.", view.drape_asked.emit, True
        )
        self.masks = self._button("Masks", "Masks in colours with a legend, and how strong a tint is", self._open_masks)
        self.more = self._button("View", "Mesh, steepness, sea, height, cameras", None)
        self._build_menu()
        self.say_light()
        for b in (self.section, self.compare, self.contours, self.light, self.colours, self.masks):
            b.setVisible(tools)

    def _button(self, name: str, tip: str, run: Callable | None, checkable: bool = False) -> QPushButton:
        button = (Switch if checkable else QPushButton)(name, self.view)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.setToolTip(tip)
        if run is not None:
            button.clicked.connect(run)
        return button

    def _build_menu(self) -> None:
        view, menu = self.view, QMenu(self.more)
        self.mesh = menu.addAction("Mesh", view.set_overlays)
        self.mesh.setToolTip("The samples that the land is made of; every second, fourth ... where they would crowd.")
        self.steep = menu.addAction(STEEP_NAME, view.set_overlays)
        self.steep.setToolTip(
            "Hatches faces that are steeper than 68°: there one sample steps to the next, and shows as a step."
        )
        self.sea = menu.addAction("Sea", view.set_sea)
        self.sea.setToolTip("Water up to the site's sea level")
        self.sea.setChecked(True)
        self.things = menu.addAction("Things", view.redraw)
        self.grain = menu.addAction("Grain", view.redraw)
        self.grain.setToolTip("Uneven colour between the samples shows how near the ground is; no height changes.")
        self.air = menu.addAction("Air and mirrors", view.redraw)
        self.air.setToolTip(
            "Haze and a sky with its sun around somebody who stands in the land, still water that mirrors, evenings "
            "exposed for longer. Masks, contours, mesh and comparisons are always drawn without."
        )
        self.near = menu.addAction("Finer near by", view.redraw)
        self.near.setToolTip("What is looked at from near is computed at finer detail while the camera rests.")
        for action in (self.mesh, self.steep, self.sea, self.things, self.grain, self.air, self.near):
            action.setCheckable(True)
        self.sea.setChecked(True)
        self.sea.setVisible(False)
        self.things.setChecked(True)
        self.grain.setChecked(True)
        self.air.setChecked(True)
        self.near.setChecked(True)
        self.near.setVisible(self.tools)
        self.things.setVisible(False)
        self.steep.setVisible(self.tools)
        self.mesh.setVisible(self.tools)
        self.person = menu.addAction("Person for scale  (P)", view.things.toggle_person)
        self.person.setToolTip("A person of 1.8 m. P puts it where the pointer is.")
        self.person.setCheckable(True)
        self.rule = menu.addAction("Rule  (R)", lambda: view.rule.set_on(self.rule.isChecked()))
        self.rule.setToolTip("How far two places are apart, how much one is higher, how steep it is between them.")
        self.rule.setCheckable(True)
        menu.addSeparator()
        heights = menu.addMenu("Heights drawn")
        group = QActionGroup(heights)
        self.times: dict[float, QAction] = {}
        for times in EXAGGERATIONS:
            action = heights.addAction(f"× {times:g}", lambda t=times: view.set_exaggeration(t))
            action.setCheckable(True)
            action.setChecked(times == 1.0)
            group.addAction(action)
            self.times[times] = action
        self._build_bare(menu)
        self.cameras = menu.addMenu("Cameras")
        self.cameras.menuAction().setVisible(self.tools)
        self.pictures = menu.addMenu("Save picture")
        self.pictures.menuAction().setVisible(self.tools)
        menu.addAction("Light from the next side", self.dial.next)
        menu.addAction("Whole land  (H)", view.home)
        menu.addAction("Stand on the ground  (G)", view.stand)
        menu.setToolTipsVisible(True)
        self.ways.setToolTipsVisible(True)
        self.more.setMenu(menu)

    def _build_bare(self, menu: QMenu) -> None:
        """Tones of land that has no colours; they belong to the site."""
        self.bare = menu.addMenu("Land without colours")
        group = QActionGroup(self.bare)
        self.bare_as: dict[str, QAction] = {}
        for tones, name in zip(BARE, BARE_NAMES):
            action = self.bare_as[tones] = self.bare.addAction(name, lambda t=tones: self.view.bare_asked.emit(t))
            action.setCheckable(True)
            group.addAction(action)
        self.bare.menuAction().setVisible(self.tools)
        self.bare.aboutToShow.connect(lambda: self.bare_as[self.view.look.bare].setChecked(True))

    def _compare_clicked(self, on: bool) -> None:
        """A click asks in which way, or ends comparing."""
        if not on:
            self.view.comparison.set_way("")
            return
        self.compare.setChecked(False)
        self.ways.popup(self.view.mapToGlobal(self.compare.geometry().bottomLeft()))

    def _open_masks(self) -> None:
        self.view.masks.open(self.view.mapToGlobal(self.masks.geometry().bottomLeft()))

    def say_things(self, things: Things) -> None:
        """The menu tells how many there are; it has no word for a land on which nothing stands."""
        self.things.setVisible(bool(things.layers))
        self.things.setText(f"Things  ({len(things.rows):,})")
        left = [layer.left for layer in things.layers if layer.left]
        self.things.setToolTip(left[0] if left else "What stands on the land: the same places as in a delivery")

    def say_light(self) -> None:
        azimuth, elevation = self.view.look.azimuth, self.view.look.elevation
        self.light.setText(f"Light {azimuth:g}°/{elevation:g}°")
        self.light.setToolTip("Where the sun stands: direction and height. Click for a dial of the sky.")

    def place(self) -> None:
        """Puts the buttons along the top: ways to look from the left, the rest from the right."""
        x = 12
        for b in (*self.modes.values(), self.section, self.compare):
            if not b.isHidden():
                b.adjustSize()
                b.move(x, 10)
                x += b.width() + 6
        left, x, y = x + 4, self.view.width() - 12, 10
        for b in (self.more, self.masks, self.colours, self.contours, self.light):
            if not b.isHidden():
                b.adjustSize()
                if x - b.width() < left:  # in a narrow view the last ones stand in a row below
                    left, x, y = 12, self.view.width() - 12, y + b.height() + 6
                x -= b.width()
                b.move(x, y)
                x -= 6
