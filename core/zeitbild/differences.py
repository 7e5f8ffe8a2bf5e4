"""How far apart two pictures are."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import inlined_kernel, kernel

_ONE, _ZERO = np.float32(1), np.float32(0)
#: 2^112, by which exponents of single floats and of half ones differ.
_SCALE = np.float32(2.0**112)
_SIGN, _REST = np.uint32(0x8000), np.uint32(0x7FFF)


@inlined_kernel
def _widen(halves, bits):  # type: ignore[no-untyped-def]
    """The bits of half floats, a row of them, as those of single floats that are 2^112 times too small."""
    for x in range(bits.shape[0]):
        half = np.uint32(halves[x])
        bits[x] = ((half & _REST) << np.uint32(13)) | ((half & _SIGN) << np.uint32(16))


@kernel
def _farther(light, whole, most):  # type: ignore[no-untyped-def]
    """The greater of most [H, W], in place, and how far the sum of light is from whole; above white as a share. Each is half floats, by
    their bits [H, W]."""
    width = whole.shape[1]
    total, bits = np.empty(width, np.float32), np.empty(width, np.uint32)
    number = bits.view(np.float32)
    for y in range(whole.shape[0]):
        for x in range(width):
            total[x] = _ZERO
        for one in light:
            _widen(one[y], bits)
            for x in range(width):
                total[x] += number[x] * _SCALE
        _widen(whole[y], bits)
        far = most[y]
        for x in range(width):
            own = number[x] * _SCALE
            far[x] = max(far[x], abs(total[x] - own) / max(abs(own), _ONE))


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
    most = np.zeros(beauty[0].shape, np.float32)
    for k, channel in enumerate(beauty):
        _farther(tuple(one[k].view(np.uint16) for one in light), channel.view(np.uint16), most)
    y, x = divmod(int(most.argmax()), most.shape[1])
    top, left = window[0].start or 0, window[1].start or 0
    return Difference(round(float(most[y, x]), 7), left + x, top + y)
