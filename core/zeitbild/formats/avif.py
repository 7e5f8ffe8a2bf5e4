"""AVIF stills with alpha (AV1 Image File Format 1.1): very small, with some loss. Written with Pillow, read back with FFmpeg's libraries."""

from __future__ import annotations

import io
from collections.abc import Sequence
from pathlib import Path

import numpy as np
from PIL import Image

from zeitbild.errors import StorageError
from zeitbild.formats import _avif
from zeitbild.formats._base import Format, Options, Plane, ReadBack, Sharing, by_frame, each_frame, formats
from zeitbild.formats._coding import Coding
from zeitbild.formats._measures import moving_measure
from zeitbild.formats._reading_back import with_loss
from zeitbild.formats._whole_numbers import codes


def _encode(planes: Sequence[Plane], sharing: Sharing, options: Options) -> bytes:
    (plane,) = planes
    numbers = codes(plane, 8, Coding.of(_avif.BLED))
    target = io.BytesIO()
    Image.fromarray(np.repeat(numbers[..., None], 3, axis=2) if numbers.ndim == 2 else numbers).save(
        target, "AVIF", **_avif.settings(options)
    )
    return target.getvalue()


def _read_back(path: Path, planes: Sequence[Plane], sharing: Sharing, options: Options) -> list[ReadBack]:
    (plane,) = planes
    found = [pixels for pixels, _ in _avif.frames_in(path)]
    if len(found) != 1:
        raise StorageError(f"{path.name} holds {len(found)} pictures, not one")
    return [with_loss(found[0], 8, plane, Coding.of(_avif.BLED), _avif.allowed(options))]


formats.register(
    Format(
        "avif",
        "AVIF stills, 8 bits",
        "avif",
        "straight",
        "sRGB (IEC 61966-2-1)",
        {"colour": 8, "light": 8, "coverage": 8},
        by_frame(_encode),
        each_frame(_read_back),
        order=16,
        options=(_avif.QUALITY,),
        lossy=_avif.LOSSY,
        measure=moving_measure,
        largest=_avif.LARGEST,
        reader="FFmpeg's libraries",
    )
)
