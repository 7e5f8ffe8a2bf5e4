"""Footage of any kind opened, in a reading process, which keeps what it read last open: pictures in their order need no search."""

from __future__ import annotations

import time
from collections import Counter
from fractions import Fraction
from pathlib import Path
from typing import Protocol

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from zeitbild.errors import PictureError
from zeitbild.footage import animations, movies
from zeitbild.footage.alpha_guess import guess_alpha
from zeitbild.footage.plain import Footage, Reading
from zeitbild.footage.sequences import SequenceOfPictures
from zeitbild.stills import Raw, ending_of, read_still, size_of

#: Seconds for looking through all pictures of a piece when it is brought.
_LOOK_THROUGH = 15.0
#: Pieces that a process keeps open.
_OPEN = 3


class _Piece(Protocol):
    @property
    def label(self) -> str: ...
    @property
    def count(self) -> int: ...
    @property
    def width(self) -> int: ...
    @property
    def height(self) -> int: ...
    @property
    def shape(self) -> float: ...
    @property
    def rate(self) -> Fraction | None: ...
    @property
    def notes(self) -> list[str]: ...

    def picture(self, number: int) -> Raw: ...


class _Still:
    """A single picture as a piece of one."""

    def __init__(self, path: Path, label: str) -> None:
        self.label, self.count, self.rate, self.notes = label, 1, None, list[str]()
        self.width, self.height = size_of(path, label)
        self.shape, self._path = self.height / self.width, path

    def picture(self, number: int) -> Raw:
        return read_still(self._path, self.label)


_open: LRUCache[tuple[str, int], tuple[str, _Piece]] = LRUCache(_OPEN)


def _piece(path: str, label: str) -> tuple[str, _Piece]:
    """What kind a file is, and it opened."""
    place = Path(path)
    key = path, place.stat().st_size
    found = _open.get(key)
    if found is not None:
        return found
    with place.open("rb") as file:
        head = file.read(18)
    kind: str
    piece: _Piece
    if head.startswith(b"PK\x03\x04"):
        sequence = SequenceOfPictures(place, label)
        kind, piece = ("sequence" if sequence.count > 1 else "still"), sequence
    elif movies.container_of(head):
        kind, piece = "movie", movies.Movie(place, label)
    elif ending_of(head) in (".gif", ".webp", ".png", ".avif") and animations.moves(place):
        kind, piece = "animation", animations.Animation(place, label)
    elif ending_of(head):
        kind, piece = "still", _Still(place, label)
    else:
        raise PictureError(
            f"{label} is no picture or movie that Zeitbild reads: PNG, JPEG, TIFF, TGA, BMP, EXR, HDR, WebP, AVIF, GIF and APNG are, MOV, "
            "MP4 and WebM, and a ZIP of numbered pictures"
        )
    _open[key] = kind, piece
    return kind, piece


def _as_numbers(raw: Raw) -> NDArray[np.float32]:
    """A picture's values as the file has them, 0 to 1 (light may be more)."""
    most = {1: 255, 2: 65535}.get(raw.pixels.dtype.itemsize, 1)
    return np.asarray(raw.pixels, np.float32) / np.float32(most)


def _alpha(piece: _Piece, told: str, samples: list[Raw]) -> tuple[Reading, str, str]:
    """How its alpha is meant, the colour that it is over, and why."""
    with_alpha = [one for one in samples if one.pixels.shape[2] == 4]
    if not with_alpha:
        return "ignored", "", "it has no alpha"
    if told == "premultiplied":
        return "premultiplied", "", "files of this kind say so"
    found = guess_alpha([_as_numbers(one) for one in with_alpha])
    if found[0] == "ignored" and piece.count > len(samples):
        # Others may have some.
        return "straight", "", f"it is 1 in the {len(samples)} of its pictures that were looked at"
    return found


def footage_in(path: str, label: str, *, thorough: bool) -> Footage:
    """What a file holds. Its first, middle and last pictures are read, or, ``thorough``, as many as there is time for."""
    kind, piece = _piece(path, label)
    at = sorted({0, piece.count // 2, piece.count - 1})
    samples = {number: piece.picture(number) for number in at}
    notes = list(piece.notes)
    depths: Counter[str] = Counter()
    until = time.monotonic() + _LOOK_THROUGH
    for number in range(piece.count) if thorough else at:
        if time.monotonic() > until:
            break
        raw = samples.get(number) or piece.picture(number)
        depths[f"{raw.bits}{', alpha' if raw.pixels.shape[2] == 4 else ''}"] += 1
    bits = depths.most_common(1)[0][0] if depths else next(iter(samples.values())).bits
    if len(depths) > 1:
        others = ", ".join(f"{count} with {what}" for what, count in depths.most_common()[1:])
        notes.append(f"its pictures are not all alike: most have {bits}, {others}")
    spaces = sorted({raw.came_from for raw in samples.values() if raw.came_from})
    if spaces:
        notes.append(f"its colours are those of {' and '.join(spaces)}: they are shown in sRGB, as near as it can")
    first = samples[0]
    reading, matte, why = _alpha(piece, first.told, list(samples.values()))
    return Footage(
        kind, piece.count, piece.width, piece.height, piece.shape, piece.rate, bits, reading, matte, why, tuple(notes)
    )


def picture_in(path: str, label: str, number: int) -> Raw:
    """One picture of a file, from 0 on."""
    _, piece = _piece(path, label)
    if not 0 <= number < piece.count:
        raise PictureError(f"{label} has {piece.count} pictures; there is no number {number + 1}")
    return piece.picture(number)
