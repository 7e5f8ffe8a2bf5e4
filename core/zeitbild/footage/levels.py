"""Pictures with alpha in halved sizes, as surfaces take them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_Floats = NDArray[np.float32]
#: Alpha below which a colour is not known well enough to be divided by it.
_LEAST, _NOTHING = 1e-4, 1e-3


def cut_levels(
    light: _Floats, alpha: _Floats | None, largest: int, most: int
) -> tuple[list[_Floats], list[_Floats] | None]:
    """The colours of premultiplied light [H, W, 3] at most ``largest`` pixels a side and up to ``most`` halves of it, by area, down to one
    pixel; and those of its alpha [H, W], three times over (none: all of it is there).

    Colours are those of what is there alone: means are weighted by alpha, and where nothing is they go on from beside it, so that
    no edge darkens.
    """
    shrink = largest / max(light.shape[:2])
    size = light.shape[1], light.shape[0]
    if shrink < 1:
        size = max(1, round(size[0] * shrink)), max(1, round(size[1] * shrink))
        light, alpha = _resized(light, *size), None if alpha is None else _resized(alpha, *size)
    lights, alphas = [light], [alpha]
    while max(size) > 1 and len(lights) < most:
        size = max(1, size[0] // 2), max(1, size[1] // 2)
        lights.append(_resized(lights[-1], *size))
        before = alphas[-1]
        alphas.append(None if before is None else _resized(before, *size))
    if alpha is None:
        return lights, None
    found: list[_Floats] = []
    shares = [one for one in alphas if one is not None]
    for premultiplied, share in zip(reversed(lights), reversed(shares), strict=True):
        own = premultiplied / np.maximum(share, _LEAST)[..., None]
        if found:
            coarser = _resized(found[-1], share.shape[1], share.shape[0], between=True)
            own = np.where((share < _NOTHING)[..., None], coarser, own)
        found.append(np.ascontiguousarray(own, np.float32))
    return found[::-1], [np.repeat(one[..., None], 3, axis=2) for one in shares]


def alpha_cells(alpha: _Floats, columns: int, rows: int) -> tuple[_Floats, _Floats, _Floats]:
    """Least, greatest and mean alpha [rows, columns] in cells of a grid over alpha [H, W], each a pixel wider on all sides."""
    height, width = alpha.shape
    tops = np.arange(rows) * height // rows
    lefts = np.arange(columns) * width // columns
    bottoms, rights = -(-(np.arange(rows) + 1) * height // rows), -(-(np.arange(columns) + 1) * width // columns)
    found = np.empty((3, rows, columns), np.float32)
    for row in range(rows):
        band = alpha[max(0, tops[row] - 1) : bottoms[row] + 1]
        low, high, total = band.min(axis=0), band.max(axis=0), band.mean(axis=0, dtype=np.float64)
        for column in range(columns):
            own = slice(max(0, lefts[column] - 1), rights[column] + 1)
            found[:, row, column] = low[own].min(), high[own].max(), total[own].mean()
    return found[0], found[1], found[2]


def _resized(pixels: _Floats, width: int, height: int, *, between: bool = False) -> _Floats:
    """A picture in another size, by area, or larger by what lies between its pixels."""
    import cv2  # a quarter of a second at the start, which few pictures need

    small = cv2.resize(pixels, (width, height), interpolation=cv2.INTER_LINEAR if between else cv2.INTER_AREA)
    return np.ascontiguousarray(small, dtype=np.float32).reshape(height, width, *pixels.shape[2:])
