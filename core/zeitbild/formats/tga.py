"""TGA with 8 bits a channel (TGA File Format Specification 2.0, from memory): straight alpha that says what it is, in its extension
area and footer. Written here, read back with OpenImageIO.
"""

from __future__ import annotations

import struct
from collections.abc import Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from zeitbild.formats._base import Format, Option, Options, Plane, ReadBack, Sharing, by_frame, each_frame, formats
from zeitbild.formats._coding import ALPHA, DITHER, UNDER, Coding
from zeitbild.formats._reading_back import read_laid
from zeitbild.formats._whole_numbers import codes

_HEADER = struct.Struct("<BBBHHBHHHHBB")
_EXTENSION_BYTES = 495
#: What the last byte of the extension area says of alpha: useful and straight, or multiplied with colour.
_STRAIGHT, _PREMULTIPLIED = 3, 4
#: Kinds of pictures: colours and greys as they are; 8 more where runs are told by their length.
_COLOURS, _GREYS, _RUNS = 2, 3, 8
#: First row at the top.
_FROM_TOP = 0x20
#: Pixels that a packet holds at most.
_MOST = 128


def _runs(row: NDArray[np.uint8]) -> bytes:
    """A row [W, C] in packets: runs of one pixel, and pixels as they are."""
    changes = np.flatnonzero((row[1:] != row[:-1]).any(axis=1)) + 1
    begins, ends = np.concatenate([[0], changes]), np.concatenate([changes, [len(row)]])
    long = ends - begins > 1
    out = bytearray()
    done = 0
    # The end is a run of nothing, so that what stands loose before it is written, too.
    for begin, end in [*zip(begins[long].tolist(), ends[long].tolist(), strict=True), (len(row), len(row))]:
        for at in range(done, begin, _MOST):
            some = row[at : min(at + _MOST, begin)]
            out.append(len(some) - 1)
            out.extend(some.tobytes())
        for at in range(begin, end, _MOST):
            out.append(0x80 | (min(_MOST, end - at) - 1))
            out.extend(row[begin].tobytes())
        done = end
    return bytes(out)


def tga_bytes(numbers: NDArray[np.uint8], *, premultiplied: bool, runs: bool) -> bytes:
    """A TGA of codes [H, W] or [H, W, 4] (red first)."""
    grey = numbers.ndim == 2
    height, width = numbers.shape[:2]
    pixels = numbers[..., None] if grey else numbers[..., [2, 1, 0, 3]]
    kind = (_GREYS if grey else _COLOURS) + (_RUNS if runs else 0)
    # The low four bits of the last number count bits of alpha.
    header = _HEADER.pack(0, 0, kind, 0, 0, 0, 0, 0, width, height, 8 if grey else 32, _FROM_TOP | (0 if grey else 8))
    body = b"".join(_runs(row) for row in np.ascontiguousarray(pixels)) if runs else pixels.tobytes()
    extension = bytearray(_EXTENSION_BYTES)
    struct.pack_into("<H", extension, 0, _EXTENSION_BYTES)
    extension[-1] = 0 if grey else _PREMULTIPLIED if premultiplied else _STRAIGHT
    footer = struct.pack("<II", len(header) + len(body), 0) + b"TRUEVISION-XFILE.\0"
    return header + body + bytes(extension) + footer


def _encode(planes: Sequence[Plane], sharing: Sharing, options: Options) -> bytes:
    (plane,) = planes
    coding = Coding.of(options)
    runs = options.get("compression", "runs") == "runs"
    return tga_bytes(codes(plane, 8, coding), premultiplied=coding.premultiplied, runs=runs)


def _read_back(path: Path, planes: Sequence[Plane], sharing: Sharing, options: Options) -> list[ReadBack]:
    (plane,) = planes
    return [read_laid(path, plane, 8, Coding.of(options))]


formats.register(
    Format(
        "tga",
        "TGA, 8 bits",
        "tga",
        "straight",
        "sRGB (IEC 61966-2-1)",
        {"colour": 8, "light": 8, "coverage": 8},
        by_frame(_encode),
        each_frame(_read_back),
        order=12,
        options=(
            ALPHA,
            UNDER,
            DITHER,
            Option("compression", "Compression, without loss", (("runs", "Run lengths"), ("none", "None"))),
        ),
        largest=65535,
    )
)
