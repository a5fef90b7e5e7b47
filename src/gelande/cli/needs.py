"""What the window needs of the system: said in a sentence where it is lacking, before anything of Qt is loaded."""

from __future__ import annotations

import ctypes
import os

#: Libraries, and the packages that bring them on Debian (apt) and on Fedora (dnf).
ALWAYS = (
    ("libEGL.so.1", "libegl1", "libglvnd-egl"),
    ("libGL.so.1", "libgl1", "libglvnd-glx"),
    ("libfontconfig.so.1", "libfontconfig1", "fontconfig"),
    ("libdbus-1.so.3", "libdbus-1-3", "dbus-libs"),
    ("libglib-2.0.so.0", "libglib2.0-0", "glib2"),
    ("libxkbcommon.so.0", "libxkbcommon0", "libxkbcommon"),
)
#: Those of a window on X11.
X11 = (
    ("libxcb-cursor.so.0", "libxcb-cursor0", "xcb-util-cursor"),
    ("libxcb-icccm.so.4", "libxcb-icccm4", "xcb-util-wm"),
    ("libxcb-image.so.0", "libxcb-image0", "xcb-util-image"),
    ("libxcb-keysyms.so.1", "libxcb-keysyms1", "xcb-util-keysyms"),
    ("libxcb-render-util.so.0", "libxcb-render-util0", "xcb-util-renderutil"),
    ("libxcb-shape.so.0", "libxcb-shape0", "libxcb"),
    ("libxcb-xkb.so.1", "libxcb-xkb1", "libxcb"),
    ("libxkbcommon-x11.so.0", "libxkbcommon-x11-0", "libxkbcommon-x11"),
)


def _there(library: str) -> bool:
    try:
        ctypes.CDLL(library)
    except OSError:
        return False
    return True


def lacking() -> str:
    """Why no window can be opened, in one sentence with what to do; "" when one can."""
    platform = os.environ.get("QT_QPA_PLATFORM", "")
    if not platform and not os.environ.get("DISPLAY") and not os.environ.get("WAYLAND_DISPLAY"):
        return (
            "there is no display; start it on a desktop, or on a virtual one with xvfb-run, and see gelande --help for "
            "what works without a window."
        )
    on_x11 = platform.startswith("xcb") or not platform and not os.environ.get("WAYLAND_DISPLAY")
    wanted = ALWAYS + (X11 if on_x11 else ())
    missing = [one for one in wanted if not _there(one[0])]
    if not missing:
        return ""
    names, apt, dnf = (" ".join(dict.fromkeys(column)) for column in zip(*missing))
    return f"the window needs {names}; install with: apt install {apt} (or: dnf install {dnf})."
