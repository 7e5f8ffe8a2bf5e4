"""JPEG (ITU-T T.81, JFIF): no alpha, laid over a ground; some loss. Written with Pillow, read back with OpenImageIO."""

from __future__ import annotations

import io
from collections.abc import Sequence
from pathlib import Path

import numpy as np
from PIL import Image

from zeitbild.formats._base import Format, Option, Options, Plane, ReadBack, Sharing, by_frame, each_frame, formats
from zeitbild.formats._coding import Coding
from zeitbild.formats._reader import read_raw
from zeitbild.formats._reading_back import with_loss
from zeitbild.formats._tiff import srgb_profile
from zeitbild.formats._whole_numbers import codes

#: Mean and worst place in levels of 255 that are let through at quality 50; there is no alpha to be lost.
_ALLOWED = 6.0, 32.0, 0.0


def _encode(planes: Sequence[Plane], sharing: Sharing, options: Options) -> bytes:
    (plane,) = planes
    numbers = codes(plane, 8)
    target = io.BytesIO()
    grey = numbers.ndim == 2
    image = Image.fromarray(numbers if grey else np.ascontiguousarray(numbers[..., :3]))
    # Every pixel keeps a colour of its own: halves would smear red lettering.
    image.save(
        target,
        "JPEG",
        quality=int(float(options.get("quality", "92"))),
        subsampling=0,
        icc_profile=None if grey else srgb_profile(),
    )
    return target.getvalue()


def _read_back(path: Path, planes: Sequence[Plane], sharing: Sharing, options: Options) -> list[ReadBack]:
    (plane,) = planes
    raw = read_raw(path)
    found = raw.pixels.astype(np.float64) / 255
    return [with_loss(found[..., 0] if found.shape[2] == 1 else found, raw.bits, plane, Coding(), _ALLOWED)]


formats.register(
    Format(
        "jpeg",
        "JPEG, without alpha",
        "jpg",
        "none",
        "sRGB (IEC 61966-2-1)",
        {"colour": 8, "light": 8, "coverage": 8},
        by_frame(_encode),
        each_frame(_read_back),
        order=50,
        options=(Option("quality", "Quality", low=50, high=100, initial="92", kind="number", smaller="lower"),),
        lossy="Fine detail is blurred a little, the more the lower the quality.",
        largest=65535,
    )
)
