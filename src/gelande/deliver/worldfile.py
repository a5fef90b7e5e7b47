"""Files that say where a raster lies whose format has no room for it: world files and reference systems."""

from __future__ import annotations

from pathlib import Path
from xml.sax.saxutils import escape

from gelande.core.recipe.deliverables import Delivery

from .formats import Writer
from .place import Place

#: Ends of files that lie beside those of an end: a world file, and what holds the reference system as GDAL reads it.
#: A grid in text knows its place.
ENDS = {".png": (".pgw", ".png.aux.xml"), ".jpg": (".jgw", ".jpg.aux.xml"), ".asc": (".prj",)}


def names(writer: Writer, stem: str, delivery: Delivery) -> list[str]:
    """Files that stand beside one of this format: none without a reference system, and none beside pictures of the
    land that are no rasters of it."""
    if not delivery.epsg or writer.whole:
        return []
    return [stem + end for end in ENDS.get(writer.extension, ())]


def write(folder: Path, writer: Writer, stem: str, place: Place) -> None:
    """Writes them: the six numbers of a world file belong to the middle of the first pixel, which is a sample. Raises
    DeliveryError, OSError."""
    for name in names(writer, stem, place.delivery):
        if name.endswith(".prj"):
            text = place.crs().to_wkt(version="WKT1_ESRI") + "\n"
        elif name.endswith(".aux.xml"):
            text = f"<PAMDataset>\n  <SRS>{escape(place.crs().to_wkt())}</SRS>\n</PAMDataset>\n"
        else:
            east, north = place.origin
            text = "".join(f"{v:.12g}\n" for v in (place.dx, 0.0, 0.0, -place.dx, east, north))
        (folder / name).write_text(text, encoding="utf-8", newline="\n")
