"""One editor for each kind of parameter; a new kind needs an entry here and nowhere else in the window."""

from __future__ import annotations

from gelande.core.recipe import param as P

from .base import DOT, Row
from .drawn import ColourRow, CurveRow, LineRow, OutlinesRow, PointsRow, RampRow, ShapesRow, StrokesRow
from .numbers import CountRow, NumberRow, SeedRow
from .words import ChoiceRow, PathRow, TextRow, ToggleRow

__all__ = ["DOT", "NumberRow", "PointsRow", "Row", "make_row"]

EDITORS: dict[type[P.Param], type[Row]] = {
    P.Number: NumberRow,
    P.Count: CountRow,
    P.Seed: SeedRow,
    P.Choice: ChoiceRow,
    P.Toggle: ToggleRow,
    P.Text: TextRow,
    P.Path: PathRow,
    P.Ramp: RampRow,
    P.Colour: ColourRow,
    P.Curve: CurveRow,
    P.Line: LineRow,
    P.Strokes: StrokesRow,
    P.Outlines: OutlinesRow,
    P.Shapes: ShapesRow,
}


def make_row(param: P.Param, value, low: float | None = None, high: float | None = None, default=None, **more) -> Row:
    """The editor of a parameter. low, high, default: of numbers, the parameter's own when left out."""
    editor = EDITORS[type(param)]
    if not param.numeric:
        return editor(param, value, **more)
    low, high = param.soft if low is None else (low, high)
    return editor(param, value, low, high, param.default if default is None else default, **more)
