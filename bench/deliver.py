"""Deliveries: memory of a build, meshes beside a public simplifier, workers, regions asked for one by one.

The demo at 16385 samples takes long and is run by itself: python -m bench.deliver large. So can meshes, workers and
regions be."""

import random
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from bench.table import plain, row, show

EXAMPLE = Path(__file__).parents[1] / "examples" / "varrowdale.gelande"
#: Regions of many that lie on ground that nobody has asked for.
FRESH = 30
RUN = (
    "import resource, sys; from gelande.cli.main import main; code = main(sys.argv[1:]); "
    "print('PEAK', resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6); sys.exit(code)"
)


def build(detail, *more):
    """(seconds, peak GB) of a delivery in a process of its own."""
    with tempfile.TemporaryDirectory() as folder:
        began = time.perf_counter()
        words = [sys.executable, "-c", RUN, "build", str(EXAMPLE), "--detail", str(detail), "--out", folder, "--quiet"]
        done = subprocess.run([*words, *more], capture_output=True, text=True, check=True)
        seconds = time.perf_counter() - began
    return seconds, float(done.stdout.rsplit("PEAK", 1)[1])


def run():
    """All but the largest."""
    seconds, peak = build(4097)
    row("demo at 4097, nine files", seconds, unit="s")
    plain("its peak memory", f"{peak:.2f} GB", "≤ 3 GB", "met" if peak <= 3 else "MISSED")
    meshes()
    workers()
    regions()


def meshes():
    """The demo's land as meshes."""
    import fast_simplification

    from gelande import api
    from gelande.kernels.insertion import inserted
    from gelande.kernels.triangles import mesh_error, regular

    land = api.open(EXAMPLE, 4)
    height = land.height(2049)
    inserted(height[:65, :65].copy(), 1.0)
    began = time.perf_counter()
    points, triangles, error = inserted(height, 0.5)
    seconds = time.perf_counter() - began
    full = 2 * (height.shape[0] - 1) * (height.shape[1] - 1)
    ids = (points[:, 0] * height.shape[1] + points[:, 1])[triangles]
    row("adaptive mesh of the demo at 2049, 0.5 m", seconds, 8, unit="s")
    fraction = len(triangles) / full
    plain(
        "its triangles",
        f"{len(triangles)}, {fraction:.1%} of regular",
        "≤ 10 %",
        "met" if fraction <= 0.1 else "MISSED",
    )
    plain("its largest height error, measured", f"{mesh_error(height, ids):.4f} m (said {error:.4f})", "≤ 0.5 m", "")
    small = height[:1025, :1025].copy()
    dx = land.site.spacing(land.site.level_of(2049))
    r, c = np.divmod(np.arange(small.size), small.shape[1])
    grid = np.stack([c * dx, r * dx, small.ravel()], -1).astype(np.float32)
    faces = regular(small.shape).astype(np.int32)
    began = time.perf_counter()
    _, own, off = inserted(small, 0.5)
    mine = time.perf_counter() - began
    began = time.perf_counter()
    corners, found = fast_simplification.simplify(grid, faces, target_count=len(own))
    other = time.perf_counter() - began
    row("a quarter of it", mine, unit="s", peer=("quadric simplifier", other))
    theirs = vertical(small, corners, found, dx)
    plain("at as many triangles", f"{len(own)}: {off:.3f} m; simplifier {len(found)}: {theirs:.3f} m")
    files(land)


def vertical(height, corners, faces, dx):
    """The largest height error of a free mesh at the samples that lie inside its triangles."""
    at, z = corners[:, [1, 0]].astype(np.float64) / dx, corners[:, 2].astype(np.float64)
    worst = 0.0
    for t in faces:
        (ar, ac), (br, bc), (pr, pc) = at[t]
        area = (br - ar) * (pc - ac) - (bc - ac) * (pr - ar)
        rows = np.arange(np.ceil(min(ar, br, pr)), np.floor(max(ar, br, pr)) + 1)
        columns = np.arange(np.ceil(min(ac, bc, pc)), np.floor(max(ac, bc, pc)) + 1)
        if abs(area) < 1e-9 or not rows.size or not columns.size:
            continue
        r, c = rows[:, None], columns[None]
        u = ((r - ar) * (pc - ac) - (c - ac) * (pr - ar)) / area
        v = ((br - ar) * (c - ac) - (bc - ac) * (r - ar)) / area
        inside = (u >= 0) & (v >= 0) & (u + v <= 1)
        if inside.any():
            plane = z[t[0]] + u * (z[t[1]] - z[t[0]]) + v * (z[t[2]] - z[t[0]])
            there = height[rows.astype(int)[:, None], columns.astype(int)[None]]
            worst = max(worst, float(np.abs(plane - there)[inside].max()))
    return worst


def files(land):
    """Mesh files of a regular mesh at 1025."""
    for name, kind in (("glTF", "mesh_glb"), ("OBJ", "mesh_obj")):
        one = land.variants("seed", (land.seed, land.seed))[0][1]
        one.order("Mesh", "snow_1", "height", kind, {"colour": ("water_colour_1", "colour")}, corners="regular")
        one.only("Mesh")
        one.height(1025)
        one.colour(1025)
        with tempfile.TemporaryDirectory() as folder:
            began = time.perf_counter()
            (file,) = one.deliver(folder, 1025)
            assert file.done, file.note
            row(f"{name} of a regular mesh at 1025, written and read back", time.perf_counter() - began, 5, unit="s")


def workers():
    """Eight variants by one worker of one thread, and by two."""
    from gelande import api

    seconds = []
    for count in (1, 2):
        land = api.open(EXAMPLE)
        with tempfile.TemporaryDirectory() as folder:
            began = time.perf_counter()
            found = api.deliver_all(land.variants("seed", (1, 8)), folder, 1025, workers=count)
            seconds.append(time.perf_counter() - began)
            assert all(file.done for files in found.values() for file in files)
    row("eight variants at 1025 by one worker", seconds[0], unit="s")
    row("by two", seconds[1], unit="s")
    gain = seconds[0] / seconds[1]
    plain("two against one", f"{gain:.2f} times", "≥ 1.6", "met" if gain >= 1.6 else "MISSED")


def regions(count=1000):
    """Regions of 257 samples at 2049, at random."""
    from gelande import api

    land = api.open(EXAMPLE, 3)
    land.height(513)  # what is found on the whole site; the rest is computed region by region
    draw, times = random.Random(3), []
    size = 256 * land.site.spacing(land.site.level_of(2049))
    for _ in range(count):
        east, north = draw.uniform(0, land.site.width), draw.uniform(0, land.site.depth)
        began = time.perf_counter()
        land.height(2049, api.Region.around(east, north, size))
        times.append(time.perf_counter() - began)
    row(f"{count} regions of 257 samples at 2049, the middle one", statistics.median(times), 60)
    row("all of them, on average", statistics.mean(times))
    row(f"the first {FRESH}, where nearly all ground is new, the middle one", statistics.median(times[:FRESH]))
    row("the slowest", max(times))


def large():
    """The demo at 16385 in tiles of 2049, beside 4097."""
    small, _ = build(4097)
    seconds, peak = build(16385, "--tiles", "2049")
    row("demo at 16385 in tiles of 2049", seconds, unit="s")
    plain("its peak memory", f"{peak:.2f} GB", "≤ 6 GB", "met" if peak <= 6 else "MISSED")
    growth = seconds / small / 16
    plain("against 16 times that of 4097", f"{growth:.2f}", "≤ 1.2", "met" if growth <= 1.2 else "MISSED")


if __name__ == "__main__":
    parts = {"meshes": meshes, "workers": workers, "regions": regions, "large": large}
    for name in sys.argv[1:]:
        parts[name]()
    if len(sys.argv) == 1:
        run()
    show("deliver")
