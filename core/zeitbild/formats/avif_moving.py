"""Moving AVIF (AV1 Image File Format 1.1, image sequences): all frames of a pass in one file, with alpha; some loss. Written with Pillow,
read back with FFmpeg's libraries. Stays are whole milliseconds that add up.
"""

from __future__ import annotations

import io
from collections.abc import Iterable, Iterator, Sequence
from fractions import Fraction
from pathlib import Path

import numpy as np
from PIL import Image

from zeitbild.errors import StorageError
from zeitbild.formats import _avif
from zeitbild.formats._base import Format, Options, Plane, ReadBack, Sharing, formats
from zeitbild.formats._coding import Coding
from zeitbild.formats._measures import moving_measure
from zeitbild.formats._reading_back import with_loss
from zeitbild.formats._spill import Spill, stays
from zeitbild.formats._whole_numbers import codes

_MILLISECONDS = 1000


class _Moving:
    """The writer wants to know all frames: they are kept until it does."""

    def __init__(self, path: Path, options: Options) -> None:
        self._path, self._options = path, options
        self.spill = Spill()
        self._rate = Fraction(24)

    def add(self, planes: Sequence[Plane]) -> None:
        (plane,) = planes
        self._rate = plane.rate or self._rate
        numbers = codes(plane, 8, Coding.of(_avif.BLED))
        self.spill.add(np.repeat(numbers[..., None], 3, axis=2) if numbers.ndim == 2 else numbers)

    def close(self) -> None:
        spill = self.spill
        try:
            if spill.count:
                rest = (Image.fromarray(spill.frame(number)) for number in range(1, spill.count))
                target = io.BytesIO()
                Image.fromarray(spill.frame(0)).save(
                    target,
                    "AVIF",
                    save_all=True,
                    append_images=rest,
                    duration=stays(spill.count, float(self._rate), _MILLISECONDS),
                    **_avif.settings(self._options),
                )
                self._path.write_bytes(_avif.timeless(target.getvalue()))
        finally:
            spill.close()


def _read_back(
    path: Path, frames: Iterable[Sequence[Plane]], sharing: Sharing, options: Options
) -> Iterator[list[ReadBack]]:
    found = _avif.frames_in(path)
    for number, (plane,) in enumerate(frames, 1):
        pixels, ends = next(found, (None, 0.0))
        if pixels is None:
            raise StorageError(f"{path.name} holds {number - 1} frames, fewer than were written")
        wanted = number / float(plane.rate or Fraction(24))
        if number > 1 and abs(ends - wanted) * _MILLISECONDS > 0.5 + 1e-3:
            raise StorageError(
                f"{path.name} shows its frame {number} until {1000 * ends:.1f} ms, not {1000 * wanted:.1f}"
            )
        yield [with_loss(pixels, 8, plane, Coding.of(_avif.BLED), _avif.allowed(options))]
    if next(found, None) is not None:
        raise StorageError(f"{path.name} holds more frames than were written")


formats.register(
    Format(
        "avif-moving",
        "Moving AVIF, 8 bits",
        "avif",
        "straight",
        "sRGB (IEC 61966-2-1)",
        {"colour": 8, "light": 8, "coverage": 8},
        lambda path, sharing, options: _Moving(path, options),
        _read_back,
        order=73,
        container=True,
        measure=moving_measure,
        moves=True,
        options=(_avif.QUALITY,),
        lossy=_avif.LOSSY,
        largest=_avif.LARGEST,
        reader="FFmpeg's libraries",
    )
)
