"""The import sheet of a delivery: one page that says what to type into an engine's or a 3D package's importer."""

from __future__ import annotations

import base64
import html
import io
import warnings
from pathlib import Path

import numpy as np

from gelande.core.files.disk import write_text
from gelande.core.words import amount

from .formats.slopes import DOWN

#: Pixels a side of a picture, and files that one is looked at for.
PICTURE, MOST_PICTURES = 110, 24
PLAIN = ("Read as", "plain numbers, not as colours (no sRGB)")
STYLE = """
body { font-family: sans-serif; font-size: 10pt; color: #232c38; margin: 24px; max-width: 1000px; }
h1 { font-size: 16pt; margin: 0 0 2px 0; } h2 { font-size: 12pt; margin: 18px 0 4px 0; }
p { margin: 3px 0; } .quiet { color: #667; }
table { border-collapse: collapse; } td, th { text-align: left; vertical-align: top; padding: 3px 14px 3px 0; }
th { font-weight: normal; color: #667; } .number { font-family: monospace; }
"""


def sheet_name(site: str) -> str:
    """The name of the sheet, from a name of the manifest."""
    return site.replace("_manifest.json", "_import.html")


def _rows(pairs: list[tuple[str, str]]) -> str:
    lines = (f'<tr><th>{html.escape(a)}</th><td class="number">{html.escape(b)}</td></tr>' for a, b in pairs)
    return f"<table>{''.join(lines)}</table>"


def _picture(folder: Path, files: list[dict], whole: list[int]) -> str:
    """A small picture of an image, or of its tiles together; "" for what is none."""
    if Path(files[0]["file"]).suffix not in (".png", ".tif", ".jpg") or "levels" in files[0]:
        return ""
    import rasterio
    from PIL import Image

    whole = files[0].get("picture", whole)
    scale = PICTURE / max(whole)
    size = max(1, round(whole[1] * scale)), max(1, round(whole[0] * scale))
    out = None
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        for f in files:
            left, top = f.get("first_sample", (0, 0))
            a, b = round(top * scale), round(left * scale)
            shape = max(1, round(f["samples"][1] * scale)), max(1, round(f["samples"][0] * scale))
            with rasterio.open(folder / f["file"]) as file:
                data = file.read(out_shape=(file.count, *shape)).transpose(1, 2, 0)
            if out is None:
                out = np.zeros((*size, data.shape[2]), np.float64)
            part = data[: size[0] - a, : size[1] - b]
            out[a : a + part.shape[0], b : b + part.shape[1]] = part
    assert out is not None
    top = {"uint8": 255.0, "uint16": 65535.0}.get(str(data.dtype), 0.0)
    if files[0]["kind"] == "height" and out.shape[2] == 1 or not top:
        out = (out - out.min()) / max(float(np.ptp(out)), 1e-9) * 255
    else:
        out = out / top * 255
    image = Image.fromarray(np.clip(out if out.shape[2] > 1 else out[..., 0], 0, 255).astype(np.uint8))
    stream = io.BytesIO()
    image.convert("RGB").save(stream, "PNG")
    code = base64.b64encode(stream.getvalue()).decode("ascii")
    return f'<img width="{image.width}" height="{image.height}" src="data:image/png;base64,{code}"/>'


def _height(f: dict) -> list[tuple[str, str]]:
    m = f["meaning"]
    if "zero" not in m or m["unit"] != "m":
        return []
    span = m["full"] - m["zero"]
    if "16-bit" not in f["format"]:
        ends = [("Lowest", f"{m['zero']:.3f} m"), ("Highest", f"{m['full']:.3f} m")]
        return [("Numbers are", "heights in metres as they are"), *ends]
    return [
        ("Height of black (count 0)", f"{m['zero']:.3f} m"),
        ("Height of white (count 65535)", f"{m['full']:.3f} m"),
        ("Height span", f"{span:.3f} m"),
        ("Offset, or base height", f"{m['zero']:.3f} m"),
        ("One count", f"{m['step']:.7f} m"),
        ("Middle grey (count 32768)", f"{m['zero'] + m['step'] * 32768:.3f} m"),
    ]


def resampled_words(files: list[dict]) -> str:
    """Words on how far the samples of files are from the land's own, which are not as many."""
    first, factor, unit = files[0], *((1, "m") if files[0]["kind"] == "height" else (100, "%"))
    largest, usual = (
        factor * max(f["resampled"][what] for f in files) for what in ("largest_error", "root_mean_square_error")
    )
    return (
        f"{first['resampled']['from']} samples along the long side; drawn between, it is off there by {usual:.2g} "
        f"{unit} (root mean square), {largest:.2g} {unit} at most"
    )


def _thing(f: dict) -> list[tuple[str, str]]:
    """Facts of a mesh, of points or of lines."""
    m = f["meaning"]
    if "levels" in f:
        lines = [
            ("Units", "metres; import with scale 1"),
            ("Up", m["up"]),
            ("Origin", m["origin"].lower().replace("_", " ")),
        ]
        for k, level in enumerate(f["levels"]):
            words = f"{level['triangles']} triangles, heights within {level['height_error_m']:.3g} m"
            lines.append((f"Level of detail {k}", words))
        return lines
    if "points" in f:
        return [
            ("Columns", ", ".join(m["columns"])),
            ("East, north", "metres from the south-west corner, or in the reference system"),
            ("Turn", "degrees clockwise from north"),
            ("Size", "a factor"),
        ]
    if "picture" in f:
        return [("Picture", f"{f['picture'][0]} × {f['picture'][1]} pixels")]
    if "pages" in f:
        return [("Page", "pictures, figures and controls, for people")]
    if "lines" in f:
        return [("Lines every", f"{m['step']:g} m")]
    return []


def _read_as(f: dict) -> list[tuple[str, str]]:
    """Rules for reading the numbers of masks, colours and normal maps."""
    m = f["meaning"]
    if f["kind"] == "mask" and "zero" in m:
        first = [("Black is", "0 %, nothing"), ("White is", "100 %")]
        channels = [(f"Channel {slot}", source) for slot, source in {"red": f["name"], **f.get("channels", {})}.items()]
        return first + (channels if f.get("channels") else []) + [PLAIN]
    if m.get("unit") == "sRGB share":
        return [("Colours", "sRGB")]
    if m.get("unit") == "linear RGB":
        return [("Colours", "linear RGB, not sRGB")]
    if f["format_id"].startswith("normal"):
        green = "down (DirectX)" if f.get("options", {}).get("green") == DOWN else "up (OpenGL)"
        return [("Green points", green), PLAIN]
    return []


def _value(control: dict) -> str:
    """A control's value for people; what is drawn is only counted."""
    if "text" in control:
        return str(control["text"])
    value, unit = control["value"], control["unit"]
    if isinstance(value, (list, tuple, dict)):
        return f"{len(value)} pieces"
    if isinstance(value, float):
        value = f"{100 * value:.4g} %" if unit == "%" else f"{value:.6g} {unit}"
    return str(value).strip()


def page(block: dict, folder: Path) -> str:
    """The sheet as HTML. block: the manifest."""
    s = block["site"]
    columns, rows = block["samples"]
    groups: dict[str, list[dict]] = {}
    for f in block["files"]:
        groups.setdefault(f["name"], []).append(f)
    d = block.get("delivery", {})
    site = [
        ("Extent", f"{s['width_m']:g} m from west to east, {s['depth_m']:g} m from south to north"),
        ("Samples", f"{columns} × {rows}"),
        ("Metres between samples", f"{block['metres_per_sample']:.6g}"),
        ("Order", "first row is the north edge, first column the west edge; samples lie on the site's edges"),
        ("Sea level", f"{s['sea_level_m']:g} m" if s.get("sea", True) else "none"),
    ]
    if d.get("tile"):
        across = max((f["tile"][0] for f in block["files"] if "tile" in f), default=0) + 1
        down = max((f["tile"][1] for f in block["files"] if "tile" in f), default=0) + 1
        shared = "neighbours share the samples of their edges" if d.get("shared", True) else "edges are not shared"
        site.append(("Tiles", f"{across} × {down} of {d['tile']} samples; {shared}; x counts from west, y from north"))
    if d.get("epsg"):
        corner = f"{d.get('east_m', 0):.10g}, {d.get('north_m', 0):.10g}"
        site.append(("Reference system", f"EPSG:{d['epsg']}, south-west corner at {corner}"))
    parts = [
        f'<!DOCTYPE html><html lang="en"><head><meta charset="utf-8"/><title>{html.escape(s["name"])}</title>',
        f"<style>{STYLE}</style></head><body><h1>{html.escape(s['name'])}</h1>",
        f'<p class="quiet">Seed {block["recipe_seed"]}. What to type in where these files are imported.</p>',
        _rows(site),
    ]
    for k, (name, files) in enumerate(groups.items()):
        f = files[0]
        more = f" and {len(files) - 1} more tiles" if len(files) > 1 else ""
        size = amount(sum(one["bytes"] for one in files))
        lines = [("File", f["file"] + more), ("Format", f"{f['format']}, {size}")]
        lines += [("Made from", resampled_words(files))] if "resampled" in f else []
        lines += _height(f) if f["kind"] == "height" and not _thing(f) else []
        lines += [*_thing(f), *(_read_as(f) if not _thing(f) else [])]
        picture = _picture(folder, files, block["samples"]) if k < MOST_PICTURES else ""
        cells = f'<td width="{PICTURE + 14}">{picture}</td><td>{_rows(lines)}</td>'
        parts.append(f"<h2>{html.escape(name)}</h2><table><tr>{cells}</tr></table>")
    if block.get("controls"):
        values = [(label, _value(c)) for label, c in block["controls"].items()]
        parts.append(f"<h2>Controls</h2>{_rows(values)}")
    return "".join([*parts, "</body></html>\n"])


def write_sheet(block: dict, folder: Path, manifest: str) -> Path:
    """Writes the sheet beside the manifest. Raises OSError."""
    path = folder / sheet_name(manifest)
    write_text(path, page(block, folder), follow=False)
    return path
