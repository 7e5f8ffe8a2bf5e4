"""How far apart two pictures are."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray


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


def sum_difference(
    light: Sequence[Sequence[NDArray[Any]]],
    beauty: Sequence[NDArray[Any]],
    window: tuple[slice, slice] = (slice(0), slice(0)),
) -> Difference:
    """How far passes of light, each given by its channels [H, W], add up to something else than beauty's channels; window tells
    where in the picture these are."""
    most = np.zeros(beauty[0].shape, np.float32)
    for k, channel in enumerate(beauty):
        whole, total = channel.astype(np.float32), np.zeros(channel.shape, np.float32)
        for one in light:
            total += one[k]
        off = np.abs(np.subtract(total, whole, out=total), out=total)
        off /= np.maximum(np.abs(whole, out=whole), np.float32(1), out=whole)
        np.maximum(most, off, out=most)
    y, x = divmod(int(most.argmax()), most.shape[1])
    top, left = window[0].start or 0, window[1].start or 0
    return Difference(round(float(most[y, x]), 7), left + x, top + y)
