"""Textures as numbers: their levels, and all of them in one list for the kernels."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL
from zeitbild.snapshot.texture import HARD, ONCE, TEXTURE_ROW, Texture


@dataclass(frozen=True, slots=True, eq=False)
class Texels:
    """All textures of a picture as the kernels take them.

    values [n, 3] the texels of all levels of all textures; table [T, TEXTURE_ROW] int64 (``snapshot.texture``).
    """

    values: NDArray[np.float32]
    table: NDArray[np.int64]


_none = Texels(np.zeros((0, 3), np.float32), np.zeros((0, TEXTURE_ROW), np.int64))
_last: dict[tuple[Texture, ...], Texels] = {}


def texels_of(textures: tuple[Texture, ...]) -> Texels:
    """The textures in one list; that of the last call, if they are the same."""
    if not textures:
        return _none
    with PARALLEL:
        found = _last.get(textures)
        if found is None:
            table = np.zeros((len(textures), TEXTURE_ROW), np.int64)
            at, parts = 0, []
            for row, texture in zip(table, textures, strict=True):
                row[0], row[ONCE], row[HARD] = len(texture.levels), texture.once, texture.hard
                for number, level in enumerate(texture.levels):
                    height, width = level.shape[:2]
                    row[1 + 3 * number : 4 + 3 * number] = at, width, height
                    parts.append(level.reshape(-1, 3))
                    at += width * height
            _last.clear()
            found = _last[textures] = Texels(np.concatenate(parts), table)
        return found
