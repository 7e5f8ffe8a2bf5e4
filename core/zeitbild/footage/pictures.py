"""Pictures of footage as light and alpha, kept while they are used; here, since what comes from the reading process is plain numbers."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.caching import SizedCache
from zeitbild.colour import decode, decode_hex, encode
from zeitbild.footage.plain import Footage
from zeitbild.footage.reading import look_at, picture_of

_Floats = NDArray[np.float32]
#: Bytes of pictures that are kept as their files have them.
_ROOM = 160 << 20
_pictures = SizedCache[dict[str, Any]](_ROOM, lambda picture: int(picture["pixels"].nbytes))
#: Pieces that are known.
_footage = SizedCache[Footage](2000, lambda _: 1)


def _looked_up(table: _Floats, numbers: NDArray[Any]) -> _Floats:
    """The values of a table [256 or 65536] by whole numbers [H, W, 3]."""
    if len(table) > 256:
        large: _Floats = table[numbers]
        return large
    import cv2  # a quarter of a second at the start; five times as fast for so few

    found: _Floats = np.asarray(cv2.LUT(np.ascontiguousarray(numbers), table), np.float32)
    return found


def footage_at(path: Path, label: str, *, thorough: bool = False) -> Footage:
    """What a file holds, known from when it was asked for first; ``thorough``: with a look at its pictures, as when it is brought.
    PictureError for what is no footage or broken."""
    return _footage.get((str(path), thorough), lambda: Footage.of(look_at(str(path), label, thorough)))


def cutout(path: Path, label: str, number: int, reading: str, matte: str) -> tuple[_Floats, _Floats | None]:
    """Premultiplied linear light [H, W, 3] and alpha [H, W] (none: all of it is there) of a picture of a file, from 0 on.

    ``straight`` colours are multiplied here; those that are ``premultiplied`` or ``over a colour`` (matte, ``#rrggbb``) were multiplied as
    they are encoded, so that is undone first. PictureError as ``reading`` raises it.
    """
    raw = _pictures.get((str(path), number), lambda: picture_of(str(path), label, number))
    pixels, encoded = raw["pixels"], bool(raw["encoded"])
    whole = pixels.dtype == np.float32
    steps = 1.0 if whole else float(np.iinfo(pixels.dtype).max)
    with_alpha = pixels.shape[2] == 4 and reading != "ignored"
    alpha = np.asarray(pixels[..., 3], np.float32) / np.float32(steps) if with_alpha else None
    if alpha is not None and reading in ("premultiplied", "over a colour"):
        values = np.asarray(pixels[..., :3], np.float32) / np.float32(steps)
        if reading == "over a colour":
            ground = decode_hex(matte)
            under = np.array(encode(np.array(ground)) if encoded else ground, np.float32)
            values = np.maximum(values - (1 - alpha[..., None]) * under, 0)
        if not encoded:
            return np.ascontiguousarray(values, np.float32), alpha
        share = np.maximum(alpha, 1 / 255)[..., None]
        light = decode(np.clip(values / share, 0, 1)).astype(np.float32)
    elif whole and not encoded:
        light = np.ascontiguousarray(pixels[..., :3], np.float32)
    else:
        table = decode(np.arange(int(steps) + 1, dtype=np.float32) / np.float32(steps)).astype(np.float32)
        light = _looked_up(table, pixels[..., :3])
    if alpha is None:
        return light, None
    return np.ascontiguousarray(light * alpha[..., None]), alpha
