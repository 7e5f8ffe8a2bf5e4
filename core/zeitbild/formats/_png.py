"""PNG (W3C PNG, ISO/IEC 15948): straight alpha, sRGB-encoded colour; coverage and depth grey, data as colours that are none.

Written with OpenCV, read back with OpenImageIO.
"""

from __future__ import annotations

import struct
import zlib
from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from zeitbild.errors import StorageError
from zeitbild.formats._base import Options, Plane, ReadBack, Sharing
from zeitbild.formats._coding import Coding
from zeitbild.formats._expected import allowed_by, difference
from zeitbild.formats._reader import read_raw
from zeitbild.formats._whole_numbers import bits_of, codes

# About a seventh of the possible effort is the normal trade between time and size (common practice).
_EFFORT = 2
_SIGNATURE_AND_HEADER = 8 + 25
#: Rendering intent 0, perceptual (W3C PNG, 11.3.2.5).
_SRGB_CHUNK = struct.pack(">I", 1) + b"sRGB\0" + struct.pack(">I", zlib.crc32(b"sRGB\0"))
#: Channels of a role, and of the picture that the writer takes, which wants blue first.
_BLUE_FIRST = {3: [2, 1, 0], 4: [2, 1, 0, 3]}


def png_of(numbers: NDArray[Any], *, srgb: bool) -> bytes:
    """The bytes of a PNG of numbers [H, W] or [H, W, 3 or 4], red first."""
    if numbers.ndim == 3:
        numbers = np.ascontiguousarray(numbers[..., _BLUE_FIRST[numbers.shape[2]]])
    done, buffer = cv2.imencode(".png", numbers, [cv2.IMWRITE_PNG_COMPRESSION, _EFFORT])
    if not done:
        raise StorageError("the PNG writer failed")
    data = buffer.tobytes()
    return data[:_SIGNATURE_AND_HEADER] + _SRGB_CHUNK + data[_SIGNATURE_AND_HEADER:] if srgb else data


def encode_png(planes: Sequence[Plane], sharing: Sharing, options: Options, bits: int) -> bytes:
    """The bytes of a PNG of a plane."""
    (plane,) = planes
    return png_of(codes(plane, bits, Coding.of(options)), srgb=plane.role in ("colour", "light"))


def read_back_png(path: Path, planes: Sequence[Plane], sharing: Sharing, options: Options, bits: int) -> list[ReadBack]:
    """Compare a file on disk with the plane, by another library."""
    (plane,) = planes
    raw = read_raw(path)
    bits, coding = bits_of(plane.role, bits), Coding.of(options)
    found = np.asarray(raw.pixels)
    height, width = found.shape[:2]
    worst, stray = float("inf"), 0
    channels = {"colour": 4, "light": 4, "data": 3}.get(plane.role, 1)
    if found.shape[:2] == plane.pixels.shape[:2] and found.shape[2] == channels and raw.bits == bits:
        worst, stray = difference(found, plane, (1 << bits) - 1, coding)
    return [ReadBack(width, height, "".join(raw.channels), raw.bits, worst, allowed_by(coding), stray)]


def png_functions(bits: int) -> tuple[Any, Any]:
    """Writer and reader for one depth of PNG."""
    return partial(encode_png, bits=bits), partial(read_back_png, bits=bits)
