"""How far apart two pictures are."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import kernel
from zeitbild.render.shade.shading import PARTS


@dataclass(frozen=True, slots=True)
class Difference:
    """The largest difference of two pictures, and the pixel where it is. Above white it counts as a share of the light there."""

    largest: float = 0.0
    x: int = 0
    y: int = 0

    def inside(self, margin: int) -> Difference:
        """The same, counted from the corner of the raster where pictures have a margin around it."""
        return Difference(self.largest, self.x - margin, self.y - margin) if margin else self


def difference(one: NDArray[np.float32], other: NDArray[np.float32]) -> Difference:
    """How far apart two pictures [H, W, C] are."""
    off = np.abs(one - other)
    np.divide(off, np.maximum(np.abs(other), 1), out=off)
    most = off.max(axis=2)
    at = int(most.argmax())
    y, x = divmod(at, most.shape[1])
    return Difference(round(float(most[y, x]), 7), x, y)


@kernel
def _sum_off(planes, parts, beauty, off):  # type: ignore[no-untyped-def]
    """The largest difference of each pixel into off [H, W]; see ``sum_difference``."""
    for y in range(off.shape[0]):
        for x in range(off.shape[1]):
            most = np.float32(0)
            for k in range(3):
                total = np.float32(0)
                for first in parts:
                    total += planes[y, x, first + k]
                light = beauty[y, x, k]
                most = max(most, abs(total - light) / max(abs(light), np.float32(1)))
            off[y, x] = most


def sum_difference(
    planes: NDArray[np.float32], beauty: NDArray[np.float32], window: tuple[slice, slice] = (slice(0), slice(0))
) -> Difference:
    """How far the passes of light among the planes [H, W, PLANES] of a picture are from its beauty [H, W, 4]; window tells where in
    the picture these are."""
    off = np.empty(beauty.shape[:2], np.float32)
    _sum_off(planes, np.array(PARTS), beauty, off)
    y, x = divmod(int(off.argmax()), off.shape[1])
    top, left = window[0].start or 0, window[1].start or 0
    return Difference(round(float(off[y, x]), 7), left + x, top + y)
