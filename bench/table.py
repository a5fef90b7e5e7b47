"""The table that the benchmarks fill."""

import time

from rich.console import Console
from rich.table import Table

ROWS: list[tuple] = []


def best(run, times=3):
    """Shortest of a few runs, seconds (after one to warm up)."""
    run()
    found = []
    for _ in range(times):
        began = time.perf_counter()
        run()
        found.append(time.perf_counter() - began)
    return min(found)


def row(what, seconds, target=None, peer=None, unit="ms"):
    """Adds a line. target: in the same unit, at most; peer: (name, seconds)."""
    scale = {"ms": 1000, "s": 1}[unit]
    digits = 0 if unit == "ms" else 2
    ROWS.append(
        (
            what,
            f"{seconds * scale:.{digits}f} {unit}",
            f"≤ {target:g} {unit}" if target else "",
            "" if target is None else ("met" if seconds * scale <= target else "MISSED"),
            f"{peer[1] / seconds:.2f}× {peer[0]}" if peer else "",
        )
    )


def plain(what, value, target="", verdict=""):
    """Adds a line that is not a time."""
    ROWS.append((what, value, target, verdict, ""))


def show(title):
    table = Table(title=title)
    for head in ("what", "measured", "target", "", "against a peer (above 1: we are faster)"):
        table.add_column(head)
    for line in ROWS:
        table.add_row(*line)
    Console(width=150).print(table)
    ROWS.clear()
