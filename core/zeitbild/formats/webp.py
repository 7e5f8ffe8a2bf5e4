"""WebP stills with alpha: without loss, or far smaller. Written with Pillow, read back with OpenImageIO."""

from __future__ import annotations

import io
from collections.abc import Sequence
from pathlib import Path

import numpy as np
from PIL import Image

from zeitbild.formats import _webp
from zeitbild.formats._base import Format, Options, Plane, ReadBack, Sharing, by_frame, each_frame, formats
from zeitbild.formats._coding import DITHER, UNDER, Coding
from zeitbild.formats._reader import read_raw
from zeitbild.formats._reading_back import compared, with_loss
from zeitbild.formats._whole_numbers import codes


def _encode(planes: Sequence[Plane], sharing: Sharing, options: Options) -> bytes:
    (plane,) = planes
    numbers = codes(plane, 8, Coding.of(options))
    if numbers.ndim == 2:
        numbers = np.repeat(numbers[..., None], 3, axis=2)
    target = io.BytesIO()
    Image.fromarray(numbers).save(target, "WEBP", **_webp.settings(options))
    return target.getvalue()


def _read_back(path: Path, planes: Sequence[Plane], sharing: Sharing, options: Options) -> list[ReadBack]:
    (plane,) = planes
    raw = read_raw(path)
    coding = Coding.of(options)
    pixels = raw.pixels
    if pixels.shape[2] == 3 and plane.role in ("colour", "light"):
        # What is opaque all over is kept without alpha.
        pixels = np.concatenate([pixels, np.full((*pixels.shape[:2], 1), 255, np.uint8)], axis=2)
    if not _webp.is_whole(options):
        return [with_loss(pixels.astype(np.float64) / 255, raw.bits, plane, coding, _webp.ALLOWED)]
    if plane.role == "coverage":
        pixels = pixels[..., :1]
    return [compared(pixels, raw.bits, plane, 8, coding, "".join(raw.channels))]


formats.register(
    Format(
        "webp",
        "WebP stills, 8 bits",
        "webp",
        "straight",
        "sRGB (IEC 61966-2-1)",
        {"colour": 8, "light": 8, "coverage": 8},
        by_frame(_encode),
        each_frame(_read_back),
        order=14,
        options=(_webp.KEEPS, _webp.QUALITY, UNDER, DITHER),
        largest=_webp.LARGEST,
    )
)
