"""Where the samples of a file lie: on the delivery's grid, on the site, and in a reference system."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from gelande.core.evaluate.job import Stop
from gelande.core.recipe.deliverables import Deliverable, Delivery
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.site import Site
from gelande.kernels.grid_window import GridWindow

from .grid import Grid


@dataclass(frozen=True)
class Place:
    """site, level: of the delivery; window: of the file's samples on the delivery's grid; delivery: what all files have
    in common."""

    site: Site
    level: int
    window: GridWindow
    delivery: Delivery = Delivery()

    @property
    def grid(self) -> Grid:
        """The grid of all files."""
        return Grid.of(self.site, self.level, self.delivery)

    @property
    def dx(self) -> float:
        """Metres between samples."""
        return self.grid.dx

    @property
    def west(self) -> float:
        """Metres from the site's west edge to the first column."""
        return self.window.left * self.dx

    @property
    def north(self) -> float:
        """Metres from the site's south edge to the first row."""
        return self.site.depth - self.window.top * self.dx

    @property
    def origin(self) -> tuple[float, float]:
        """(easting, northing) of the first sample, the north-west one, in the reference system."""
        return self.delivery.east + self.west, self.delivery.north + self.north

    def crs(self):
        """The reference system, or None for local metres. Raises DeliveryError when there is none of that code or it is
        not in metres."""
        if not self.delivery.epsg:
            return None
        from rasterio import Env
        from rasterio.crs import CRS
        from rasterio.errors import CRSError

        from gelande.core.errors import DeliveryError

        try:
            with Env():  # which sends what the library says to the log, and not to the terminal
                found = CRS.from_epsg(self.delivery.epsg)
            fits = found.is_projected and found.linear_units.casefold() in ("metre", "meter", "m")
        except CRSError:
            raise DeliveryError(f"there is no reference system with EPSG code {self.delivery.epsg}") from None
        if not fits:
            raise DeliveryError(
                f"the reference system EPSG:{self.delivery.epsg} is not in metres; choose one with eastings and "
                "northings in metres"
            )
        return found


@dataclass
class Work:
    """A file being written: where it lies, the recipe, its stop, and where progress goes."""

    deliverable: Deliverable
    place: Place
    recipe: Recipe = field(default_factory=Recipe)
    stop: Stop = field(default_factory=Stop)
    tell: Callable[[float], None] = lambda fraction: None
