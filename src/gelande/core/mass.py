"""What nodes that move material have worn, laid down and lost over the site's edge."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

#: Names under which nodes keep what they wore and laid down in their raw results, in metres a sample.
WORN, LAID = ("_wear", "_worn"), ("_deposit", "_loose")


@dataclass(frozen=True)
class Mass:
    """worn, laid, left: volumes in m³; fault: how far the land's own change of volume is from laid - worn, as a share of worn."""

    worn: float
    laid: float
    left: float
    fault: float

    def text(self) -> str:
        """One line for people."""
        if self.worn < 1e-6:
            return "Nothing was moved."
        size, unit = (self.worn / 1e6, "million m³") if self.worn >= 1e6 else (self.worn, "m³")
        left = max(0.0, self.left / self.worn)
        end = f"{left:.0%} left the site" if left >= 0.005 else "nothing left the site"
        return f"Worn {size:.3g} {unit}: {self.laid / self.worn:.0%} laid down, {end}."


def balance(raw: dict, change: np.ndarray | None, cell: float) -> Mass | None:
    """The balance of a node's raw result, or None when it moves nothing. change: height after less before; cell: m² a sample."""
    worn = next((raw[k] for k in WORN if k in raw), None)
    laid = next((raw[k] for k in LAID if k in raw), None)
    if worn is None or laid is None:
        return None
    w, d = (float(a.sum(dtype=np.float64)) * cell for a in (worn, laid))
    moved = raw.get("_change", change)
    volume = float(moved.sum(dtype=np.float64)) * cell if moved is not None else d - w
    return Mass(w, d, w - d, abs(volume - (d - w)) / max(w, 1e-9))
