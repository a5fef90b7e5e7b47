"""Which numbers of samples a delivery can have: those of the levels, and those that programs ask for."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal

from gelande.core.recipe.model import Recipe
from gelande.deliver.grid import offered

from ..switches import Pick


class DetailBox(Pick):
    """The grids of a site, the coarsest first. picked: one was chosen."""

    picked = pyqtSignal(object)

    def __init__(self, parent=None) -> None:
        super().__init__("Detail of the delivery", parent)
        self.activated.connect(lambda i: self.picked.emit(self.itemData(i)))

    def show_grids(self, recipe: Recipe, level: int) -> None:
        """Shows the grids that a recipe can have, and the one of a level and of its delivery."""
        self.clear()
        for grid in offered(recipe.site, recipe.delivery):
            rows, columns = grid.shape
            words = f"{columns} × {rows} · {grid.dx:.3g} m per sample"
            if grid.resampled:
                words += f" · made from {recipe.site.samples(grid.level)}"
            self.addItem(words, grid)
            if (grid.level, grid.size) == (level, recipe.delivery.size):
                self.setCurrentIndex(self.count() - 1)
