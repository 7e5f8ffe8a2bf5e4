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
from zeitbild.kernels import kernel

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


@kernel
def _pack(pixels, out):  # type: ignore[no-untyped-def]
    """Rows of pixels [H, W, C] in packets, none of which goes from one row into the next: runs of one pixel, and pixels as they are. Gives how many
    bytes of out that took."""
    height, width, channels = pixels.shape
    done = 0
    for y in range(height):
        row = pixels[y]
        loose = at = 0
        while at < width:
            end = at + 1
            while end < width:
                same = True
                for k in range(channels):
                    same = same and row[end, k] == row[at, k]
                if not same:
                    break
                end += 1
            if end - at == 1 and end < width:
                at = end
                continue
            # What stands loose before a run, and at the end of the row.
            upto = at if end - at > 1 else end
            while loose < upto:
                count = min(_MOST, upto - loose)
                out[done] = count - 1
                done += 1
                for x in range(loose, loose + count):
                    for k in range(channels):
                        out[done] = row[x, k]
                        done += 1
                loose += count
            while loose < end:
                count = min(_MOST, end - loose)
                out[done] = 0x80 | (count - 1)
                done += 1
                for k in range(channels):
                    out[done] = row[at, k]
                    done += 1
                loose += count
            at = end
    return done


def _packed(pixels: NDArray[np.uint8]) -> bytes:
    height, width, channels = pixels.shape
    # As much as nothing but loose pixels would take.
    out = np.empty(height * (width * channels + -(-width // _MOST) + width), np.uint8)
    return out[: _pack(np.ascontiguousarray(pixels), out)].tobytes()


def tga_bytes(numbers: NDArray[np.uint8], *, premultiplied: bool, runs: bool) -> bytes:
    """A TGA of codes [H, W] or [H, W, 4] (red first)."""
    grey = numbers.ndim == 2
    height, width = numbers.shape[:2]
    pixels = numbers[..., None] if grey else numbers[..., [2, 1, 0, 3]]
    kind = (_GREYS if grey else _COLOURS) + (_RUNS if runs else 0)
    # The low four bits of the last number count bits of alpha.
    header = _HEADER.pack(0, 0, kind, 0, 0, 0, 0, 0, width, height, 8 if grey else 32, _FROM_TOP | (0 if grey else 8))
    body = _packed(pixels) if runs else pixels.tobytes()
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
