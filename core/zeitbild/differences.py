"""How far apart two pictures are."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import kernel

_ONE = np.float32(1)


@cache
def _numbers() -> NDArray[np.float32]:
    """The number that each half float stands for, by its bits: numpy's own conversion takes ten times as long as looking there."""
    return np.arange(1 << 16, dtype=np.uint16).view(np.float16).astype(np.float32)


@kernel
def _add_up(bits, numbers, total):  # type: ignore[no-untyped-def]
    """Add half floats, by their bits [H, W], to total [H, W]."""
    for y in range(total.shape[0]):
        for x in range(total.shape[1]):
            total[y, x] += numbers[bits[y, x]]


@kernel
def _farther(bits, numbers, total, most):  # type: ignore[no-untyped-def]
    """The greater of most [H, W], in place, and how far total is from half floats; above white as a share."""
    for y in range(total.shape[0]):
        for x in range(total.shape[1]):
            whole = numbers[bits[y, x]]
            most[y, x] = max(most[y, x], abs(total[y, x] - whole) / max(abs(whole), _ONE))


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
    light: Sequence[Sequence[NDArray[np.float16]]],
    beauty: Sequence[NDArray[np.float16]],
    window: tuple[slice, slice] = (slice(0), slice(0)),
) -> Difference:
    """How far passes of light, each given by its channels [H, W], add up to something else than beauty's channels; window tells
    where in the picture these are."""
    most, total = np.zeros(beauty[0].shape, np.float32), np.empty(beauty[0].shape, np.float32)
    for k, channel in enumerate(beauty):
        total.fill(0)
        for one in light:
            _add_up(one[k].view(np.uint16), _numbers(), total)
        _farther(channel.view(np.uint16), _numbers(), total, most)
    y, x = divmod(int(most.argmax()), most.shape[1])
    top, left = window[0].start or 0, window[1].start or 0
    return Difference(round(float(most[y, x]), 7), left + x, top + y)
