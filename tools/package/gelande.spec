# The program with its own interpreter, for PyInstaller; run by tools/package.sh.
from pathlib import Path

from PyInstaller.utils.hooks import collect_data_files, collect_submodules, copy_metadata

ROOT = Path(SPECPATH).parents[1]
LEFT_OUT = [
    *("tkinter", "matplotlib", "IPython", "pytest", "hypothesis", "mypy", "ruff", "jsonschema", "nbformat", "meshio", "setuptools"),
    *("pip", "wheel", "dask", "distributed", "pandas", "tornado", "pyfastnoiselite", "fastscapelib", "pypdf", "tifffile"),
    *("PyQt6.QtQml", "PyQt6.QtQuick", "PyQt6.QtBluetooth", "PyQt6.QtMultimedia", "PyQt6.QtDesigner", "PyQt6.QtPdf", "pygltflib"),
]
PARTS = ("numpy", "scipy", "numba", "PyQt6", "rasterio", "pyogrio", "Pillow", "OpenEXR", "trimesh", "gelande")

metadata = []
for name in PARTS:
    try:
        metadata += copy_metadata(name)
    except Exception:
        pass

analysis = Analysis(
    [str(ROOT / "tools" / "package" / "start.py")],
    pathex=[str(ROOT / "src")],
    datas=[
        *((str(ROOT / "src" / "gelande" / "app" / part), f"gelande/app/{part}") for part in ("fonts", "icons", "gallery", "desktop")),
        (str(ROOT / "src" / "gelande" / "listing.json"), "gelande"),
        (str(ROOT / "examples"), "gelande/examples"),
        (str(ROOT / "docs"), "gelande/docs"),
        (str(ROOT / "LICENSE"), "."),
        *collect_data_files("rasterio"),
        *collect_data_files("pyogrio"),
        *metadata,
    ],
    hiddenimports=[*collect_submodules("gelande"), *collect_submodules("rasterio"), "pyogrio._geometry", "scipy._cyutility"],
    excludes=LEFT_OUT,
    # sources as files: Numba finds the machine code of a kernel by them
    module_collection_mode={"gelande": "py"},
)
archive = PYZ(analysis.pure)
program = EXE(archive, analysis.scripts, [], exclude_binaries=True, name="gelande", console=True, strip=False, upx=False)
COLLECT(program, analysis.binaries, analysis.datas, strip=False, upx=False, name="gelande")
