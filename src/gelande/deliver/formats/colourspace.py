"""What files say of their colours: sRGB in pictures (IEC 61966-2-1), its primaries without the curve in OpenEXR."""

from __future__ import annotations

import struct
from functools import lru_cache
from typing import Any

#: Red, green, blue and white, x and y of CIE 1931 (ITU-R BT.709).
PRIMARIES = (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290)
#: The same day in every profile: the same colours are the same bytes.
DAY = struct.pack(">6H", 2026, 1, 1, 0, 0, 0)


def png_chunks() -> tuple[tuple[bytes, bytes], ...]:
    """Chunks of a PNG that say sRGB, and its usual exponent for readers that do not know that one."""
    return (b"sRGB", b"\x00"), (b"gAMA", struct.pack(">I", 45455))


def srgb_info() -> Any:
    """The same as Pillow takes it."""
    from PIL.PngImagePlugin import PngInfo

    info = PngInfo()
    for kind, data in png_chunks():
        info.add(kind, data)
    return info


@lru_cache(1)
def srgb_profile() -> bytes:
    """An ICC profile of sRGB."""
    from PIL import ImageCms

    data = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    return data[:24] + DAY + data[36:]
