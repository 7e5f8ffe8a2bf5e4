"""Vector-animation JSON (Lottie animation format, 1.0): every frame is a picture inside the file, on a layer of its own that lasts one
frame. Read back with Python's JSON and Pillow.
"""

from __future__ import annotations

import base64
import io
import json
from collections.abc import Iterable, Iterator, Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from zeitbild.errors import StorageError
from zeitbild.formats._base import Format, Options, Plane, ReadBack, Sharing, formats
from zeitbild.formats._coding import UNDER, Coding
from zeitbild.formats._png import encode_png
from zeitbild.formats._reading_back import compared

#: A layer of a picture.
_PICTURE = 2
_AHEAD = "data:image/png;base64,"


def _layer(number: int) -> dict[str, Any]:
    """Layer of the frame ``number``: there from it to before the next (``op`` is exclusive)."""
    still: dict[str, Any] = {name: {"a": 0, "k": value} for name, value in (("o", 100), ("r", 0))}
    still |= {
        name: {"a": 0, "k": value} for name, value in (("p", [0, 0, 0]), ("a", [0, 0, 0]), ("s", [100, 100, 100]))
    }
    return {
        "ty": _PICTURE,
        "ind": number + 1,
        "nm": f"frame {number}",
        "refId": f"f{number}",
        "ip": number,
        "op": number + 1,
        "st": 0,
        "sr": 1,
        "ks": still,
    }


class _Animation:
    """Pictures go to the file as they come; layers and length stand at its end."""

    def __init__(self, path: Path, options: Options) -> None:
        self._file = path.open("w", encoding="ascii")
        self._options = options
        self._count = 0
        self._head: dict[str, Any] = {}

    def add(self, planes: Sequence[Plane]) -> None:
        (plane,) = planes
        height, width = plane.pixels.shape[:2]
        if not self._count:
            rate = plane.rate or Fraction(24)
            self._head = {"v": "5.7.0", "nm": plane.layer, "fr": float(rate), "w": width, "h": height, "ddd": 0}
            self._file.write('{"assets":[')
        png = encode_png([plane], "pass", self._options, 8)
        asset = {"id": f"f{self._count}", "w": width, "h": height, "u": "", "e": 1}
        asset["p"] = _AHEAD + base64.b64encode(png).decode()
        self._file.write(("," if self._count else "") + json.dumps(asset, separators=(",", ":")))
        self._count += 1

    def close(self) -> None:
        with self._file:
            if not self._count:
                return
            rest = {**self._head, "ip": 0, "op": self._count, "layers": [_layer(at) for at in range(self._count)]}
            self._file.write("]," + json.dumps(rest, separators=(",", ":"))[1:])


def _read_back(
    path: Path, frames: Iterable[Sequence[Plane]], sharing: Sharing, options: Options
) -> Iterator[list[ReadBack]]:
    try:
        read = json.loads(path.read_text(encoding="ascii"))
        pictures = {one["id"]: one["p"] for one in read["assets"]}
        by_frame = {layer["ip"]: layer for layer in read["layers"] if layer["op"] == layer["ip"] + 1}
        count = read["op"] - read["ip"]
        found = 0
        for number, (plane,) in enumerate(frames):
            layer = by_frame.get(number)
            if layer is None or abs(read["fr"] - float(plane.rate or 24)) > 1e-9:
                raise StorageError(f"{path.name} has no frame {number + 1}, or another rate")
            with Image.open(io.BytesIO(base64.b64decode(pictures[layer["refId"]].removeprefix(_AHEAD)))) as file:
                pixels = np.asarray(file)
            found += 1
            yield [compared(pixels if pixels.ndim == 3 else pixels[..., None], 8, plane, 8, Coding.of(options))]
        if found != count:
            raise StorageError(f"{path.name} lasts {count} frames, not {found}")
    except (OSError, KeyError, ValueError) as error:
        raise StorageError(f"{path.name} cannot be read back: {error}") from error


def _measure(path: Path) -> tuple[int, int, int]:
    try:
        read = json.loads(path.read_text(encoding="ascii"))
        return read["w"], read["h"], read["op"] - read["ip"]
    except (OSError, KeyError, ValueError) as error:
        raise StorageError(f"{path.name} cannot be read: {error}") from error


formats.register(
    Format(
        "lottie",
        "Lottie JSON of pictures, 8 bits",
        "json",
        "straight",
        "sRGB (IEC 61966-2-1)",
        {"colour": 8, "light": 8, "coverage": 8},
        lambda path, sharing, options: _Animation(path, options),
        _read_back,
        order=74,
        container=True,
        measure=_measure,
        moves=True,
        reader="Python's JSON and Pillow",
        options=(UNDER,),
    )
)
