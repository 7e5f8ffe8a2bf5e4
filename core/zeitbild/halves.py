"""Half floats (IEEE 754, binary16) from single ones, as numpy rounds them but many times faster."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import kernel

#: The largest half float, and its bits.
LARGEST = 65504
_LARGEST_BITS = np.uint16(0x7BFF)
#: Bits of 65520, from which on rounding would give infinity; of 2^-14, below which half floats are not normal; and of what the
#: exponents of the two differ by (127 - 15).
_TOO_LARGE, _SMALLEST_NORMAL, _BIAS = np.uint32(0x477FF000), np.uint32(0x38800000), np.uint32(112 << 23)
#: 2^24, in which steps of what is not normal are counted; adding and taking away 2^23 rounds to the nearest, ties to even.
_STEPS, _ROUNDER = np.float32(1 << 24), np.float32(1 << 23)
_SIGN, _REST = np.uint32(0x8000), np.uint32(0x7FFFFFFF)


@kernel
def _round(values, bits, least_zero, out):  # type: ignore[no-untyped-def]
    """out [H, W] uint16, the bits of the half floats nearest to values [H, W] float32, whose bits are bits [H, W]; beyond the
    largest they stay at it. least_zero: what is below zero becomes zero."""
    for y in range(values.shape[0]):
        for x in range(values.shape[1]):
            whole = bits[y, x] & _REST
            sign = (bits[y, x] >> np.uint32(16)) & _SIGN
            if least_zero and sign > 0:
                out[y, x] = np.uint16(0)
                continue
            if whole >= _TOO_LARGE:
                half = np.uint32(_LARGEST_BITS)
            elif whole < _SMALLEST_NORMAL:
                half = np.uint32((abs(values[y, x]) * _STEPS + _ROUNDER) - _ROUNDER)
            else:
                odd = (whole >> np.uint32(13)) & np.uint32(1)
                half = (whole - _BIAS + np.uint32(0xFFF) + odd) >> np.uint32(13)
            out[y, x] = np.uint16(half | sign)


def as_half(values: NDArray[np.float32], *, least_zero: bool = False) -> NDArray[np.float16]:
    """Values [H, W] as half floats in an array of their own; beyond the largest (65504) they stay at it, and with ``least_zero``
    what is below zero becomes zero."""
    out = np.empty(values.shape, np.uint16)
    _round(values, values.view(np.uint32), least_zero, out)
    return out.view(np.float16)
