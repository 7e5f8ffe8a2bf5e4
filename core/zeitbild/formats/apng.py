"""A moving PNG (APNG; W3C PNG, third edition): all frames of a pass in one file, 8 bits, straight alpha, without loss.

Each frame is a PNG of its own, whose data go into the chunks of the animation; read back with Pillow.
"""

from __future__ import annotations

import io
import struct
from collections.abc import Iterable, Iterator, Sequence
from fractions import Fraction
from pathlib import Path

import numpy as np
from PIL import Image

from zeitbild.errors import StorageError
from zeitbild.formats._base import Format, Option, Options, Plane, ReadBack, Sharing, formats
from zeitbild.formats._expected import ALLOWED, difference
from zeitbild.formats._measures import moving_measure
from zeitbild.formats._png import SIGNATURE, chunk, encode_png

_BITS = 8
#: Both parts of the fraction of a second that a frame stays are 16-bit numbers.
_MOST = 0xFFFF
#: Bytes of a chunk beside its data: length, kind and checksum.
_AROUND = 12


def _chunks(png: bytes) -> Iterator[tuple[bytes, bytes]]:
    at = len(SIGNATURE)
    while at < len(png):
        (length,) = struct.unpack_from(">I", png, at)
        yield png[at + 4 : at + 8], png[at + 8 : at + 8 + length]
        at += length + _AROUND


def stay_of(rate: Fraction) -> Fraction:
    """Seconds that a frame stays, as near as two 16-bit numbers say it: exact for all rates that are usual."""
    stay = 1 / rate
    return stay if max(stay.as_integer_ratio()) <= _MOST else stay.limit_denominator(_MOST)


class _Moving:
    """Chunks go to the file as frames come; how many there were is written at the end into the place that was kept for it."""

    def __init__(self, path: Path, sharing: Sharing, options: Options) -> None:
        self._file = path.open("wb")
        self._plays = 1 if options.get("plays") == "once" else 0
        self._header = b""
        self._frames = self._numbered = 0
        self._count_at = 0

    def add(self, planes: Sequence[Plane]) -> None:
        (plane,) = planes
        chunks = list(_chunks(encode_png([plane], "pass", {}, _BITS)))
        header = next(data for kind, data in chunks if kind == b"IHDR")
        if not self._frames:
            self._header = header
            self._file.write(SIGNATURE)
            for kind, data in chunks:
                if kind == b"IDAT":
                    break
                self._file.write(chunk(kind, data))
            self._count_at = self._file.tell()
            self._file.write(self._control())
        elif header != self._header:
            raise ValueError("all frames of a moving picture have one size and one kind of numbers")
        stay = stay_of(plane.rate or Fraction(24))
        width, height = struct.unpack_from(">II", header)
        place = struct.pack(">IIIII", self._number(), width, height, 0, 0)
        # Each frame replaces all of the one before.
        self._file.write(chunk(b"fcTL", place + struct.pack(">HHBB", *stay.as_integer_ratio(), 0, 0)))
        for data in (data for kind, data in chunks if kind == b"IDAT"):
            if not self._frames:
                self._file.write(chunk(b"IDAT", data))
            else:
                self._file.write(chunk(b"fdAT", struct.pack(">I", self._number()) + data))
        self._frames += 1

    def _number(self) -> int:
        self._numbered += 1
        return self._numbered - 1

    def _control(self) -> bytes:
        return chunk(b"acTL", struct.pack(">II", self._frames, self._plays))

    def close(self) -> None:
        with self._file:
            if self._frames:
                self._file.write(chunk(b"IEND", b""))
                self._file.seek(self._count_at)
                self._file.write(self._control())


def _read_back(
    path: Path, frames: Iterable[Sequence[Plane]], sharing: Sharing, options: Options
) -> Iterator[list[ReadBack]]:
    try:
        with Image.open(io.BytesIO(path.read_bytes())) as file:
            count = getattr(file, "n_frames", 1)
            plays = file.info.get("loop", 0)
            found = 0
            for number, (plane,) in enumerate(frames):
                if number >= count:
                    raise StorageError(f"{path.name} holds {count} frames, fewer than were written")
                file.seek(number)
                found += 1
                stay = float(stay_of(plane.rate or Fraction(24)))
                right = abs(file.info.get("duration", 0) / 1000 - stay) < 1e-6 or count == 1
                yield [_compared(np.asarray(file), plane, right)]
    except (OSError, SyntaxError, ValueError) as error:
        raise StorageError(f"{path.name} cannot be read back: {error}") from error
    if found != count or (count > 1 and plays != (1 if options.get("plays") == "once" else 0)):
        raise StorageError(f"{path.name} does not hold the frames that were written, or is not played as it should be")


def _compared(pixels: np.ndarray, plane: Plane, right: bool) -> ReadBack:  # type: ignore[type-arg]
    numbers = pixels[..., None] if pixels.ndim == 2 else pixels
    channels = {"colour": "RGBA", "light": "RGBA"}.get(plane.role, "Y")
    worst, stray = float("inf"), 0
    fits = numbers.shape == (*plane.pixels.shape[:2], len(channels)) and numbers.dtype == np.uint8
    if fits and right:
        worst, stray = difference(numbers, plane, (1 << _BITS) - 1)
    height, width = numbers.shape[:2]
    return ReadBack(width, height, channels, 8 * numbers.dtype.itemsize, worst, ALLOWED, stray)


formats.register(
    Format(
        "apng",
        "Moving PNG, 8 bits",
        "png",
        "straight",
        "sRGB (IEC 61966-2-1)",
        {"colour": _BITS, "light": _BITS, "coverage": _BITS},
        _Moving,
        _read_back,
        order=1,
        container=True,
        measure=moving_measure,
        reader="Pillow",
        options=(Option("plays", "Plays", (("for ever", "For ever"), ("once", "Once"))),),
    )
)
