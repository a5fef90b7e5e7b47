"""Land looked into: figures, how long each node takes, what edits compute again, what moved, how natural it looks."""

from __future__ import annotations

import numpy as np

from .core.errors import NodeError, RecipeError, stops_told
from .core.evaluate import query
from .core.evaluate.retrace import Retraced, computed_again, edits_of
from .core.recipe import walk
from .core.recipe.choices import FigureChoice
from .core.recipe.raster import HEIGHT
from .core.regenerate import drainage as D
from .core.regenerate import mass
from .core.regenerate.figures import USUAL, Figures, figures_of, label_of
from .heightfiles import rows_of
from .keeping import Keeping


class Measuring(Keeping):
    """The part of a land that is measured."""

    def _height_of(self, node: str, detail: int) -> np.ndarray:
        port = self._recipe.nodes[node].declared.result.id
        return self._evaluator.result(self._job(), node, self.site.level_of(detail))[port]

    # -- looking into it ------------------------------------------------------------------------------
    @stops_told()
    def profile(self, detail: int = 513) -> tuple[list[tuple[str, str, float, float, int]], list[str]]:
        """Computes every node; (name, kind, own seconds over all levels, own seconds at this one, bytes) of each,
        the slowest first, and a sentence for each that failed."""
        level, failed = self.site.level_of(detail), []
        for node_id in walk.in_order(self._recipe):
            spec = self._recipe.nodes[node_id].spec
            if spec is None or spec.outputs:
                try:
                    self._evaluator.result(self._job(), node_id, level)
                except NodeError as error:
                    failed.append(str(error))
        rows = []
        for n, state in self._recipe.nodes.items():
            seconds, size = self._evaluator.cost(self._recipe, n, self._folder)
            here = self._evaluator.seconds(self._recipe, n, level, self._folder)
            rows.append((state.name, state.kind, seconds, here, size))
        return sorted(rows, key=lambda row: -row[2]), failed

    @stops_told()
    def retraced(self, node: str = "", detail: int = 513) -> list[Retraced]:
        """Units computed again after each kind of edit of a node; of the one that took longest when none is
        named. Computes the recipe once, and none of the edits."""
        level = self.site.level_of(detail)
        job = self._job()
        if not node:
            self._evaluator.result(job, query.last_node(self._recipe), level)
            work = {n: self._evaluator.cost(self._recipe, n, self._folder)[0] for n in self._recipe.nodes}
            node = max((n for n, s in self._recipe.nodes.items() if s.spec and s.spec.outputs), key=lambda n: work[n])
        return computed_again(self._evaluator, job, edits_of(self._recipe, node), level)

    @stops_told()
    def moved(self, detail: int = 513) -> list[tuple[str, str, float]]:
        """Mass balance of each node that moves material: name, a sentence, and how far the balance is out
        as a share of what was worn."""
        level, found = self.site.level_of(detail), []
        cell = self.site.spacing(level) ** 2
        for n in walk.in_order(self._recipe):
            spec = self._recipe.nodes[n].spec
            if spec and spec.weathers and spec.result.kind == HEIGHT:
                raw = self._evaluator.raw(self._job(), n, level)
                balance = mass.balance(raw, None, cell)
                if balance:
                    found.append((self._recipe.nodes[n].name, balance.text(), balance.fault))
        return found

    def drainage(self, detail: int = 513) -> list[tuple[str, str, str, bool]]:
        """Figures of the last land's drainage: name, value, what real land has, and whether it is inside that."""
        node = query.last_land(self._recipe)
        if not node:
            raise RecipeError("The recipe has no height to measure.")
        return D.drainage_of(self._height_of(node, detail), self.site.spacing(self.site.level_of(detail))).rows()

    def likeness(self, detail: int = 513) -> list[tuple[str, str, str, bool]]:
        """Figures of how natural the last land looks, as drainage has them."""
        node = query.last_land(self._recipe)
        if not node:
            raise RecipeError("The recipe has no height to measure.")
        dx = self.site.spacing(self.site.level_of(detail))
        return rows_of(self._height_of(node, detail), dx, self._recipe.site.name)

    def last_land(self) -> str:
        """The name of the node whose height is measured."""
        return self._recipe.nodes[node].name if (node := query.last_land(self._recipe)) else ""

    @property
    def figure_choices(self) -> tuple[FigureChoice, ...]:
        """The figures that the recipe shows, with their limits; the usual ones when it names none."""
        return self._recipe.figures or USUAL

    def figure_label(self, figure: str) -> str:
        """A figure's name, with the slope that it goes by."""
        return label_of(figure, self._recipe.measures)

    @stops_told()
    def figures(self, detail: int = 129) -> Figures:
        """Figures that tell whether the land works in a game, by their names; see figure_names."""
        at = query.last_output(self._recipe, HEIGHT)
        level = self.site.level_of(detail)
        job = self._job()
        under, water = query.ground_under(self._evaluator, job, *at, level)
        return figures_of(under, self.site, level, water, self._recipe.measures)
