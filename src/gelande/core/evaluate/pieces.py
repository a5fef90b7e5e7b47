"""Regions of a level for whoever asks for many of them: put together from fixed pieces, which are kept.

Two regions that overlap share what they have in common, and one that moves on costs only what is new. Pieces are the
same bytes as the whole, however they came about.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from gelande.kernels.grid_window import GridWindow

from .executor import Evaluator
from .job import Job
from .plan import is_whole

#: Samples along the side of a piece.
PIECE = 64


def runs(pieces: Iterable[GridWindow]) -> list[GridWindow]:
    """Frames without overlap that cover pieces of one size and no others: those side by side are one, and so are rows
    of them that begin and end alike."""
    rows: dict[int, list[GridWindow]] = {}
    for piece in sorted(pieces, key=lambda f: (f.top, f.left)):
        row = rows.setdefault(piece.top, [])
        if row and row[-1].left + row[-1].width == piece.left:
            row[-1] = row[-1].union(piece)
        else:
            row.append(piece)
    found: list[GridWindow] = []
    for row in rows.values():
        for run in row:
            above = next(
                (f for f in found if f.top + f.height == run.top and (f.left, f.width) == (run.left, run.width)), None
            )
            if above is not None:
                found[found.index(above)] = above.union(run)
            else:
                found.append(run)
    return found


def region(engine: Evaluator, job: Job, node: str, port: str, level: int, window: GridWindow) -> np.ndarray:
    """An output of a node on a window of a level. Raises NodeError, Stopped."""
    if is_whole(job.recipe.site, level, job.whole):
        return engine.result(job, node, level, window)[port]
    key = engine.keys(job.recipe, job.folder)[node]
    pieces = window.tiles(PIECE, PIECE)
    kept = {piece: engine.cache.get((key, level, "piece", piece[:4])) for piece in pieces}
    found = {piece: entry[0] for piece, entry in kept.items() if entry is not None}
    for part in runs(piece for piece in pieces if piece not in found):
        made = engine.result(job, node, level, part)
        for piece in part.tiles(PIECE, PIECE):
            found[piece] = {p: piece.cut(a, part) for p, a in made.items() if a.shape[:2] == part.shape}
            engine.cache.put((key, level, "piece", piece[:4]), found[piece], 0.0)
    some = found[pieces[0]][port]
    out = np.empty((*window.shape, *some.shape[2:]), some.dtype)
    for piece, arrays in found.items():
        window.paste(out, arrays[port], piece)
    out.flags.writeable = False
    return out
