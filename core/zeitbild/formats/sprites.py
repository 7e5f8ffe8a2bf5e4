"""Sprite sheet: all frames on one PNG, and beside it a JSON that says where each of them is (``docs/formats/sprites.md``).

Read back with OpenImageIO and Python's JSON.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Iterator, Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.errors import InputError, StorageError
from zeitbild.formats._base import Format, Option, Options, Plane, ReadBack, Sharing, formats
from zeitbild.formats._coding import UNDER, Coding
from zeitbild.formats._packing import in_grid, packed
from zeitbild.formats._png import png_of
from zeitbild.formats._reader import read_raw
from zeitbild.formats._reading_back import compared
from zeitbild.formats._spill import Spill
from zeitbild.formats._whole_numbers import codes

#: A side of a sheet at most: what graphics cards take (common practice).
_LARGEST = 8192
#: Shares of a frame's width and height at which it stands.
_PIVOTS = {"middle": (0.5, 0.5), "bottom": (0.5, 1.0)}


def _box(frame: NDArray[np.uint8]) -> tuple[int, int, int, int]:
    """Left, top, width and height of what is seen; one pixel if nothing is."""
    seen = frame[..., 3] > 0 if frame.ndim == 3 else frame > 0
    rows, columns = np.flatnonzero(seen.any(axis=1)), np.flatnonzero(seen.any(axis=0))
    if not len(rows):
        return 0, 0, 1, 1
    left, top = int(columns[0]), int(rows[0])
    return left, top, int(columns[-1]) + 1 - left, int(rows[-1]) + 1 - top


class _Sprites:
    """Frames are kept until all of them are known."""

    def __init__(self, path: Path, options: Options) -> None:
        self._path, self._options = path, options
        self.spill = Spill()
        self._numbers: list[int] = []
        self._rate = Fraction(24)
        #: What stands beside the file when it is closed, by ending.
        self.beside: dict[str, bytes] = {}

    def add(self, planes: Sequence[Plane]) -> None:
        (plane,) = planes
        self._rate = plane.rate or self._rate
        self._numbers.append(plane.frame)
        self.spill.add(codes(plane, 8, Coding.of(self._options)))

    def close(self) -> None:
        try:
            if self.spill.count:
                self._write()
        finally:
            self.spill.close()

    def _write(self) -> None:
        spill, options = self.spill, self._options
        height, width = spill.shape[:2]
        trims = options.get("layout", "packed") == "packed"
        between = int(float(options.get("between", "2")))
        # Frames that are the same have one place.
        own: dict[bytes, int] = {}
        boxes: list[tuple[int, int, int, int]] = []
        which: list[int] = []
        firsts: list[int] = []
        for number, frame in enumerate(spill):
            digest = hashlib.sha256(frame.tobytes()).digest()
            if digest not in own:
                own[digest] = len(boxes)
                boxes.append(_box(frame) if trims else (0, 0, width, height))
                firsts.append(number)
            which.append(own[digest])
        if trims:
            sheet = packed([(wide, high) for _, _, wide, high in boxes], between)
        else:
            sheet = in_grid(len(boxes), width, height, between)
        wide, high = sheet.width, sheet.height
        if options.get("sides", "as needed") == "powers of two":
            wide, high = (1 << (side - 1).bit_length() for side in (wide, high))
        if max(wide, high) > _LARGEST:
            raise InputError(
                f"{len(boxes)} frames of {width} x {height} make a sheet of {wide} x {high}, and graphics cards take {_LARGEST} a "
                "side; give it a smaller width, or fewer frames",
                "options.width",
            )
        picture = np.zeros((high, wide, *spill.shape[2:]), np.uint8)
        for first, (left, top, across, down), (x, y) in zip(firsts, boxes, sheet.places, strict=True):
            picture[y : y + down, x : x + across] = spill.frame(first)[top : top + down, left : left + across]
        self._path.write_bytes(png_of(picture, srgb=picture.ndim == 3))
        pivot = _PIVOTS[options.get("pivot", "middle")]
        rows = [
            {
                "frame": number,
                "on_sheet": _place(*sheet.places[at], *boxes[at][2:]),
                "in_picture": {"x": boxes[at][0], "y": boxes[at][1]},
            }
            for number, at in zip(self._numbers, which, strict=True)
        ]
        told: dict[str, Any] = {
            "sheet": {"width": wide, "height": high},
            "picture": {"width": width, "height": height},
            "pivot": {"x": pivot[0] * width, "y": pivot[1] * height},
            "rate": {"frames": self._rate.numerator, "seconds": self._rate.denominator},
            "frames": rows,
        }
        self.beside["json"] = (json.dumps(told, indent=1) + "\n").encode()


def _place(x: int, y: int, width: int, height: int) -> dict[str, int]:
    return {"x": x, "y": y, "width": width, "height": height}


def _read_back(
    path: Path, frames: Iterable[Sequence[Plane]], sharing: Sharing, options: Options
) -> Iterator[list[ReadBack]]:
    raw = read_raw(path)
    sheet = np.asarray(raw.pixels)
    try:
        told = json.loads(path.with_suffix(".json").read_text(encoding="ascii"))
        rows = iter(told["frames"])
        for (plane,) in frames:
            row = next(rows)
            size = told["picture"]["height"], told["picture"]["width"]
            if row["frame"] != plane.frame or size != plane.pixels.shape[:2]:
                raise StorageError(f"{path.name}: its JSON does not tell of frame {plane.frame} as it should")
            at, into = row["on_sheet"], row["in_picture"]
            found = np.zeros((*size, sheet.shape[2]), np.uint8)
            part = sheet[at["y"] : at["y"] + at["height"], at["x"] : at["x"] + at["width"]]
            found[into["y"] : into["y"] + part.shape[0], into["x"] : into["x"] + part.shape[1]] = part
            # What was cut off is clear, whatever colour was bled into it.
            coding = Coding.of({name: value for name, value in options.items() if name != "under"})
            if options.get("under") == "bled" and found.shape[2] == 4:
                found[found[..., 3] == 0] = 0
            yield [compared(found, raw.bits, plane, 8, coding)]
        if next(rows, None) is not None:
            raise StorageError(f"{path.name} tells of more frames than were written")
    except (OSError, KeyError, ValueError, StopIteration) as error:
        raise StorageError(f"{path.name} and its JSON cannot be read back: {error}") from error


formats.register(
    Format(
        "sprites",
        "Sprite sheet",
        "png",
        "straight",
        "sRGB (IEC 61966-2-1)",
        {"colour": 8, "light": 8, "coverage": 8},
        lambda path, sharing, options: _Sprites(path, options),
        _read_back,
        order=76,
        container=True,
        measure=None,
        moves=True,
        reader="OpenImageIO and Python's JSON",
        options=(
            Option(
                "layout", "Frames", (("packed", "Cut to what is seen, close together"), ("grid", "Whole, in a grid"))
            ),
            Option("between", "Between them", low=0, high=64, initial="2", kind="number", unit="px"),
            Option("sides", "Sides of the sheet", (("as needed", "As needed"), ("powers of two", "Powers of two"))),
            Option(
                "pivot",
                "It stands on",
                (("middle", "The middle of the picture"), ("bottom", "The middle of its lower edge")),
            ),
            UNDER,
        ),
    )
)
