"""File formats of deliverables, by id."""

from __future__ import annotations

from gelande.core.errors import DeliveryError
from gelande.core.recipe.raster import COLOUR, HEIGHT, MASK

from .exr import Exr
from .geo import AsciiGrid, GeoTiff
from .images import Jpeg, Png
from .lines import line_formats
from .mesh import mesh_formats
from .packed import CHANNELS, Packed
from .points import point_formats
from .raw import Npy, Raw
from .slopes import slope_formats
from .views import WATER, view_formats
from .writer import SPAN, File, Meaning, Slot, Writer

__all__ = ["FORMATS", "WATER", "File", "Meaning", "Slot", "Writer", "format_of", "formats_for"]

_PACKED = tuple(Slot(c, c.capitalize(), MASK) for c in CHANNELS)

FORMATS: dict[str, Writer] = {
    f.id: f
    for f in (
        GeoTiff("height_tiff32", "GeoTIFF, 32-bit float", HEIGHT, ".tif", 32, floats=True),
        Png("height_png16", "PNG, 16-bit", HEIGHT, ".png", 16, SPAN),
        Raw("height_raw16", "Raw, 16-bit little endian", HEIGHT, ".r16", 16, SPAN),
        Raw("height_raw16_big", "Raw, 16-bit big endian", HEIGHT, ".r16", 16, SPAN, order=">"),
        Raw("height_raw32", "Raw, 32-bit float", HEIGHT, ".r32", 32, floats=True),
        Exr("height_exr32", "OpenEXR, 32-bit float", HEIGHT, ".exr", 32, floats=True),
        Exr("height_exr16", "OpenEXR, half", HEIGHT, ".exr", 16, floats=True),
        AsciiGrid("height_asc", "ASCII grid", HEIGHT, ".asc", 32, floats=True),
        Npy("height_npy", "NumPy array", HEIGHT, ".npy", 32, floats=True),
        Png("mask_png8", "PNG, 8-bit", MASK, ".png", 8),
        Png("mask_png16", "PNG, 16-bit", MASK, ".png", 16),
        GeoTiff("mask_tiff8", "GeoTIFF, 8-bit", MASK, ".tif", 8),
        GeoTiff("mask_tiff16", "GeoTIFF, 16-bit", MASK, ".tif", 16),
        GeoTiff("mask_tiff32", "GeoTIFF, 32-bit float", MASK, ".tif", 32, floats=True),
        Exr("mask_exr32", "OpenEXR, 32-bit float", MASK, ".exr", 32, floats=True),
        Exr("mask_exr16", "OpenEXR, half", MASK, ".exr", 16, floats=True),
        Packed("masks_png8", "Up to four masks in one PNG, 8-bit", MASK, ".png", 8, slots=_PACKED),
        Png("colour_png8", "PNG, 8-bit sRGB", COLOUR, ".png", 8),
        Png("colour_png16", "PNG, 16-bit sRGB", COLOUR, ".png", 16),
        Jpeg("colour_jpeg", "JPEG, sRGB", COLOUR, ".jpg", 8),
        Exr("colour_exr16", "OpenEXR, half, linear", COLOUR, ".exr", 16, floats=True),
        Exr("colour_exr32", "OpenEXR, 32-bit float, linear", COLOUR, ".exr", 32, floats=True),
        GeoTiff("colour_tiff8", "GeoTIFF, 8-bit sRGB", COLOUR, ".tif", 8),
        *slope_formats(),
        *line_formats(),
        *mesh_formats(),
        *point_formats(),
        *view_formats(),
    )
}


def formats_for(kind: str) -> list[Writer]:
    """Formats that hold a kind of data, the usual one first."""
    return [f for f in FORMATS.values() if f.kind == kind]


def format_of(format_id: str) -> Writer:
    """A format by id. Raises DeliveryError naming those there are."""
    try:
        return FORMATS[format_id]
    except KeyError:
        raise DeliveryError(f"There is no format called {format_id}; known are {', '.join(FORMATS)}.") from None
