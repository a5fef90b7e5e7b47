"""Which tool draws which kind of setting on the land."""

from __future__ import annotations

from gelande.core.recipe import param as P

from .marks import Tool
from .pieces import OutlinesTool, ShapesTool
from .tools import LineTool, StrokesTool

TOOLS: dict[type[P.Param], type[Tool]] = {
    P.Line: LineTool,
    P.Strokes: StrokesTool,
    P.Outlines: OutlinesTool,
    P.Shapes: ShapesTool,
}
