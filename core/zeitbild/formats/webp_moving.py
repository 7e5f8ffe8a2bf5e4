"""Moving WebP (RFC 9649): all frames of a pass in one file, with alpha.

Each frame is a still by Pillow, whose chunks go into those of the animation here; read back with Pillow's decoder of animations. Stays
are whole milliseconds that add up.
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
from zeitbild.formats import _webp
from zeitbild.formats._base import Format, Option, Options, Plane, ReadBack, Sharing, formats
from zeitbild.formats._coding import DITHER, UNDER, Coding
from zeitbild.formats._measures import moving_measure
from zeitbild.formats._reading_back import compared, with_loss
from zeitbild.formats._spill import stays
from zeitbild.formats._whole_numbers import codes

_MILLISECONDS = 1000
#: Bits of the first chunk: it moves, and it has alpha.
_MOVES, _ALPHA = 0x02, 0x10
#: A frame takes the place of what was there instead of being laid over it.
_REPLACES = 0x02
#: Chunks of a still that hold the picture.
_PICTURE = (b"VP8 ", b"VP8L", b"ALPH")


def _chunk(kind: bytes, data: bytes) -> bytes:
    return kind + struct.pack("<I", len(data)) + data + b"\0" * (len(data) & 1)


def _chunks(still: bytes) -> Iterator[tuple[bytes, bytes]]:
    at = 12
    while at + 8 <= len(still):
        (length,) = struct.unpack_from("<I", still, at + 4)
        yield still[at : at + 4], still[at + 8 : at + 8 + length]
        at += 8 + length + (length & 1)


def _three(number: int) -> bytes:
    return struct.pack("<I", number)[:3]


class _Moving:
    """Frames go to the file as they come; a frame's stay is known when it comes, since rates are."""

    def __init__(self, path: Path, options: Options) -> None:
        self._file = path.open("wb")
        self._options = options
        self._count = 0
        self._size = (0, 0)

    def add(self, planes: Sequence[Plane]) -> None:
        (plane,) = planes
        numbers = codes(plane, 8, Coding.of(self._options))
        if numbers.ndim == 2:
            numbers = np.repeat(numbers[..., None], 3, axis=2)
        height, width = numbers.shape[:2]
        if not self._count:
            self._size = width, height
            self._file.write(b"RIFF\0\0\0\0WEBP")
            self._file.write(
                _chunk(b"VP8X", bytes([_MOVES | _ALPHA, 0, 0, 0]) + _three(width - 1) + _three(height - 1))
            )
            plays = 1 if self._options.get("plays") == "once" else 0
            self._file.write(_chunk(b"ANIM", struct.pack("<IH", 0, plays)))
        elif self._size != (width, height):
            raise ValueError("all frames of a moving picture have one size")
        still = io.BytesIO()
        Image.fromarray(np.ascontiguousarray(numbers)).save(still, "WEBP", **_webp.settings(self._options))
        picture = b"".join(_chunk(kind, data) for kind, data in _chunks(still.getvalue()) if kind in _PICTURE)
        stay = stays(self._count + 1, float(plane.rate or Fraction(24)), _MILLISECONDS)[-1]
        place = _three(0) + _three(0) + _three(width - 1) + _three(height - 1) + _three(stay) + bytes([_REPLACES])
        self._file.write(_chunk(b"ANMF", place + picture))
        self._count += 1

    def close(self) -> None:
        with self._file:
            if self._count:
                size = self._file.tell() - 8
                self._file.seek(4)
                self._file.write(struct.pack("<I", size))


def _read_back(
    path: Path, frames: Iterable[Sequence[Plane]], sharing: Sharing, options: Options
) -> Iterator[list[ReadBack]]:
    coding = Coding.of(options)
    found = 0
    try:
        with Image.open(path) as file:
            count, plays = getattr(file, "n_frames", 1), file.info.get("loop", 0)
            shown = 0
            for number, (plane,) in enumerate(frames):
                if number >= count:
                    raise StorageError(f"{path.name} holds {count} frames, fewer than were written")
                file.seek(number)
                pixels = np.asarray(file.convert("RGBA"))
                shown += file.info.get("duration", 0)
                found += 1
                end = (number + 1) / float(plane.rate or Fraction(24)) * _MILLISECONDS
                if count > 1 and abs(shown - end) > 0.5 + 1e-6:
                    raise StorageError(f"{path.name} shows its frame {number + 1} until {shown} ms, not {end:.1f}")
                if _webp.is_whole(options):
                    part = pixels[..., :1] if plane.role == "coverage" else pixels
                    yield [compared(part, 8, plane, 8, coding)]
                else:
                    yield [with_loss(pixels / 255, 8, plane, coding, _webp.ALLOWED)]
    except (OSError, SyntaxError, ValueError) as error:
        raise StorageError(f"{path.name} cannot be read back: {error}") from error
    if found != count or (count > 1 and plays != (1 if options.get("plays") == "once" else 0)):
        raise StorageError(f"{path.name} does not hold the frames that were written, or is not played as it should be")


formats.register(
    Format(
        "webp-moving",
        "Moving WebP, 8 bits",
        "webp",
        "straight",
        "sRGB (IEC 61966-2-1)",
        {"colour": 8, "light": 8, "coverage": 8},
        lambda path, sharing, options: _Moving(path, options),
        _read_back,
        order=72,
        container=True,
        measure=moving_measure,
        moves=True,
        reader="Pillow",
        options=(
            _webp.KEEPS,
            _webp.QUALITY,
            UNDER,
            DITHER,
            Option("plays", "Plays", (("for ever", "For ever"), ("once", "Once"))),
        ),
        largest=_webp.LARGEST,
    )
)
