"""PNG with a palette (W3C PNG, PLTE and tRNS), for pixel looks: every colour is kept, so there must be few of them.

Written with Pillow, read back with OpenImageIO.
"""

from __future__ import annotations

import io
from collections.abc import Sequence
from pathlib import Path

import numpy as np
from PIL import Image

from zeitbild.errors import InputError
from zeitbild.formats._base import Format, Options, Plane, ReadBack, Sharing, by_frame, each_frame, formats
from zeitbild.formats._coding import Coding
from zeitbild.formats._reader import read_raw
from zeitbild.formats._reading_back import compared
from zeitbild.formats._whole_numbers import codes

_MOST = 256


def _encode(planes: Sequence[Plane], sharing: Sharing, options: Options) -> bytes:
    (plane,) = planes
    numbers = codes(plane, 8)
    if numbers.ndim == 2:
        grey = np.repeat(numbers[..., None], 3, axis=2)
        numbers = np.concatenate([grey, np.full_like(grey[..., :1], 255)], axis=2)
    height, width = numbers.shape[:2]
    colours, places = np.unique(np.ascontiguousarray(numbers).view(np.uint32).reshape(-1), return_inverse=True)
    if len(colours) > _MOST:
        raise InputError(
            f"frame {plane.frame} of {plane.layer or 'the layer'} has {len(colours):,} colours ({plane.name or 'beauty'}), and a "
            f"palette holds {_MOST}; give the layer a pixel look with a palette, or choose PNG with 8 bits",
            "recipe",
        )
    entries = np.ascontiguousarray(colours).view(np.uint8).reshape(-1, 4)
    image = Image.fromarray(places.reshape(height, width).astype(np.uint8), "P")
    image.putpalette(entries[:, :3].tobytes())
    target = io.BytesIO()
    image.save(target, "PNG", transparency=entries[:, 3].tobytes(), optimize=False, compress_level=9)
    return target.getvalue()


def _read_back(path: Path, planes: Sequence[Plane], sharing: Sharing, options: Options) -> list[ReadBack]:
    (plane,) = planes
    raw = read_raw(path)
    pixels = raw.pixels
    if plane.role == "coverage":
        pixels = pixels[..., :1]
    elif pixels.shape[2] == 3:
        pixels = np.concatenate([pixels, np.full((*pixels.shape[:2], 1), 255, np.uint8)], axis=2)
    return [compared(pixels, raw.bits, plane, 8, Coding(), "".join(raw.channels))]


formats.register(
    Format(
        "png-palette",
        "PNG with a palette",
        "png",
        "straight",
        "sRGB (IEC 61966-2-1), at most 256 colours",
        {"colour": 8, "light": 8, "coverage": 8},
        by_frame(_encode),
        each_frame(_read_back),
        order=1,
    )
)
