"""The land as it is seen: a picture of Relief at any size, and one page of site, figures and controls."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from gelande.core.errors import DeliveryError
from gelande.core.recipe import param as P
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.raster import COLOUR, HEIGHT
from gelande.core.recipe.site import Site

from ..place import Work
from ..samples import InMemory, Samples
from .colourspace import png_chunks
from .png import PngFile
from .writer import Slot, Writer, bands_of

if TYPE_CHECKING:
    from gelande.scene.relief import Scene

#: Samples along the long side of the land that is looked at, at most; and that figures are measured on.
DETAIL, MEASURED = 2049, 513
#: The slot of the water over the land.
WATER = "water"
#: Pixels of a picture along a side.
PIXELS = (64, 8192)
LIGHT = (
    P.degrees("sun", "Sun stands in", 318, "Clockwise from north.", (0, 360), (0, 360)),
    P.degrees("sun_height", "Sun's height", 34, "Above the horizon.", (2, 90), (5, 80)),
    P.number("times", "Heights times", 1, "How much higher than it is the land is drawn.", (0.1, 20), (0.5, 5)),
)
COLOURS = (Slot("colour", "Colour", COLOUR, usual=True),)


@dataclass(frozen=True)
class View(Writer):
    """Picture drawn from a height, its colours and its water; the whole site, whatever the tiles."""

    slots: tuple[Slot, ...] = COLOURS
    group: str = "Picture"
    whole = True
    water = True

    def fixed(self, slot: str, site: Site, level: int, options: dict) -> int | None:
        return min(level, site.finest_within(DETAIL))

    def scene(self, samples: dict[str, Samples], work: Work, options: dict) -> Scene:
        """The lit land."""
        from gelande.scene.relief import Look, Scene

        height = samples[""].all()
        colour, water = (samples[s].all() if s in samples else None for s in ("colour", WATER))
        value: dict[str, Any] = {p.id: self.option(options, p.id) for p in self.params}
        site = work.place.site
        look = Look(
            value.get("sun", 318.0),
            value.get("sun_height", 34.0),
            value.get("contour", 0.0),
            times=value["times"],
            bare=site.bare,
        )
        return Scene(height, site.long_side / (max(height.shape) - 1), colour, look, water)


@dataclass(frozen=True)
class ReliefPicture(View):
    """A picture of the land from a kept view, or of the whole site."""

    params: tuple[P.Param, ...] = field(
        default=(
            P.count("width", "Width in pixels", 1920, "Of the picture.", PIXELS, (640, 4096)),
            P.count("height", "Height in pixels", 1080, "Of the picture.", PIXELS, (480, 4096)),
            P.text("view", "Kept view", "", "Name of a view that was kept in Relief; empty for the whole site."),
            P.degrees("heading", "Looking towards", 28, "On the whole site, clockwise from north.", (0, 360), (0, 360)),
            P.degrees("down", "Looking down", 29, "On the whole site.", (0, 88), (5, 88)),
            *LIGHT,
            P.metres("contour", "Contour lines every", 0, "0 draws none.", (0, 10_000), (0, 200)),
        )
    )

    def rests_on(self, recipe: Recipe) -> list:
        return [recipe.site.bare, *(vars(camera) for camera in recipe.cameras)]

    def make(self, folder: Path, stem: str, samples: dict[str, Samples], work: Work, options: dict, span) -> dict:
        from gelande.scene.camera import Camera
        from gelande.scene.picture import pictured, whole_site

        value: dict[str, Any] = {p.id: self.option(options, p.id) for p in self.params}
        size, name = (int(value["width"]), int(value["height"])), str(value["view"]).strip()
        kept = next((c for c in work.recipe.cameras if c.name.casefold() == name.casefold()), None) if name else None
        if name and kept is None:
            there = ", ".join(c.name for c in work.recipe.cameras) or "none"
            raise DeliveryError(f"no view called {name} is kept; there are: {there}")
        if kept is not None:
            options = {**options, "times": kept.times}  # its eye stands in the land as it was drawn then
        scene = self.scene(samples, work, options)
        if kept is not None:
            camera = Camera(kept.east, kept.north, kept.height, kept.heading, kept.pitch)
        else:
            camera = whole_site(scene, size, float(value["heading"]), -float(value["down"]))
        work.tell(0.2)
        image = pictured(scene, camera, size, work.stop.flag)
        path = folder / self.names(stem, options)[0]
        file = PngFile(path, image.shape, 8, png_chunks())
        try:
            file.write(image)
            file.finish()
        finally:
            file.close()
        back = np.concatenate(list(bands_of(path, "PNG")))
        if not np.array_equal(back, image):
            raise DeliveryError(f"{path.name} does not read back as it was written; nothing was kept.")
        return {
            "samples": list(size),
            "metres_per_sample": scene.dx,
            "meaning": {"unit": "picture", "of_samples": max(samples[""].shape)},
            **({"options": options} if options else {}),
            "picture": list(size),
            "largest_rounding_error": 0.0,
            "read_back": "identical",
        }


@dataclass(frozen=True)
class SitePage(View):
    """One page about the site: pictures, figures and controls."""

    params: tuple[P.Param, ...] = LIGHT

    def rests_on(self, recipe: Recipe) -> list:
        from ..sitepage import facts_of

        return [recipe.site.bare, facts_of(recipe), [vars(f) for f in recipe.figures], vars(recipe.measures)]

    def make(self, folder: Path, stem: str, samples: dict[str, Samples], work: Work, options: dict, span) -> dict:
        from ..sitepage import page, text_of

        ground, water = samples[""], samples.get(WATER)
        step = max(1, (max(ground.shape) - 1) // (MEASURED - 1))
        every = (slice(None, None, step), slice(None, None, step))
        level = work.place.site.level_of(max(ground.all()[every].shape))
        measured = InMemory(np.ascontiguousarray(ground.all()[every]))
        wet = np.ascontiguousarray(water.all()[every]) if water is not None else None
        path = folder / self.names(stem, options)[0]
        wanted = page(path, work, self.scene(samples, work, options), measured.data, wet, level)
        found = text_of(path)
        lacking = next((words for words in wanted if words not in found), None)
        if lacking is not None:
            raise DeliveryError(f"{path.name} does not read back as it was written: {lacking} is not there.")
        return {
            "samples": list(reversed(ground.shape[:2])),
            "metres_per_sample": work.place.dx,
            "meaning": {"unit": "page", "measured_at": work.place.site.samples(level)},
            **({"options": options} if options else {}),
            "pages": 1,
            "largest_rounding_error": 0.0,
            "read_back": f"one page, all {len(wanted)} lines of its text are there",
        }


def view_formats() -> tuple[Writer, ...]:
    """All of them."""
    return (
        ReliefPicture("relief_png", "Picture of Relief, PNG", HEIGHT, ".png", 8),
        SitePage("site_pdf", "Page of site and figures, PDF", HEIGHT, ".pdf", 8),
    )
