"""What nodes that move material have worn, laid down and lost over the site's edge."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gelande.kernels.measure import volume

#: Names under which nodes keep what they wore and laid down in their raw results, in metres a sample.
WORN, LAID = ("_cut", "_worn"), ("_fill", "_loose")


@dataclass(frozen=True)
class Mass:
    """worn, laid, left, risen: volumes in m³; fault: as a share of worn, the larger of how far the land's own change of
    volume is from laid + risen - worn, and how far worn is from laid + left. What left is counted where it leaves the
    site, not taken from the others; what rose is rock that came up while it was worn and kept the land's form."""

    worn: float
    laid: float
    left: float
    fault: float
    risen: float = 0.0

    def text(self) -> str:
        """One line for people."""
        if self.worn < 1e-6:
            return "Nothing was moved."
        size, unit = next(
            ((self.worn / u, name) for u, name in ((1e9, "km³"), (1e6, "million m³")) if self.worn >= u),
            (self.worn, "m³"),
        )
        left = max(0.0, self.left / self.worn)
        end = f"{left:.0%} left the site" if left >= 0.005 else "nothing left the site"
        rose = self.risen / self.worn
        rise = f"; {rose:.0%} rose from below to keep the form" if rose >= 0.005 else ""
        return f"Worn {size:.3g} {unit}: {self.laid / self.worn:.0%} laid down, {end}{rise}."


def earthworks(raw: dict, cell: float) -> str:
    """What earthworks cut and filled, in a sentence. raw: a node's raw result; cell: m² a sample."""
    moved = raw["_earth"]
    cut, fill = (float(volume(np.maximum(sign * moved, 0)) * cell) for sign in (-1, 1))
    more = "left over" if cut >= fill else "to be brought"
    return f"Cut {_cubic(cut)}, filled {_cubic(fill)}: {_cubic(abs(cut - fill))} {more}."


def _cubic(m3: float) -> str:
    """A volume for people."""
    size, unit = next(((m3 / u, name) for u, name in ((1e9, "km³"), (1e6, "million m³")) if m3 >= u), (m3, "m³"))
    return f"{size:,.0f} {unit}" if unit == "m³" and m3 >= 10 else f"{size:.3g} {unit}"


def _sum(a: np.ndarray) -> float:
    return float(a.sum(dtype=np.float64))


def balance(raw: dict, change: np.ndarray | None, cell: float) -> Mass | None:
    """The balance of a node's raw result, or None when it moves nothing. change: height after less before, metres;
    cell: m² a sample.

    Nodes tell in m³ what left the site as ``_left``, what rose as ``_risen``, and what of that stands above the land
    from before as ``_raised``; nothing does where they do not. The rest of what rose was worn again, and their maps of
    what was worn, which are of the land from before, do not have it."""
    worn = next((raw[k] for k in WORN if k in raw), None)
    laid = next((raw[k] for k in LAID if k in raw), None)
    if worn is None or laid is None:
        return None
    # Water carries over areas, which half belong to samples on an edge; slides hand on from sample to sample, wherever
    # these lie.
    total = volume if "_left" in raw else _sum
    w, d = (total(a) * cell for a in (worn, laid))
    moved = raw.get("_change", change)
    gained = total(moved) * cell if moved is not None else d - w
    left, risen, raised = (float(raw[k][0]) if k in raw else 0.0 for k in ("_left", "_risen", "_raised"))
    w += risen - raised
    fault = max(abs(gained - (d + risen - w)), abs(w - d - left))
    return Mass(w, d, left, fault / max(w, 1e-9), risen)
