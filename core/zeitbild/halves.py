"""Half floats (IEEE 754, binary16) from single ones, as numpy rounds them but many times faster, and back."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import inlined_kernel, kernel

#: The largest half float, and its bits.
LARGEST = 65504
_LARGEST_BITS = np.uint16(0x7BFF)
#: Bits of 65520, from which on rounding would give infinity; of 2^-14, below which half floats are not normal; and of what the
#: exponents of the two differ by (127 - 15).
_TOO_LARGE, _SMALLEST_NORMAL, _BIAS = np.uint32(0x477FF000), np.uint32(0x38800000), np.uint32(112 << 23)
#: 2^24, in which steps of what is not normal are counted; adding and taking away 2^23 rounds to the nearest, ties to even.
_STEPS, _ROUNDER = np.float32(1 << 24), np.float32(1 << 23)
_SIGN, _REST = np.uint32(0x8000), np.uint32(0x7FFFFFFF)
#: Bits of infinity, of both, and by what a half float is too small if its bits are taken for those of a single one.
_ENDLESS, _AS_SINGLE, _TOO_SMALL = np.uint32(0x7C00), np.uint32(0x7F800000), np.float32(2.0**112)


@inlined_kernel
def _nearest(value, bits):  # type: ignore[no-untyped-def]
    """The bits of the half float nearest to a value float32, whose bits are these; beyond the largest it stays at that."""
    whole = bits & _REST
    odd = (whole >> np.uint32(13)) & np.uint32(1)
    half = (whole - _BIAS + np.uint32(0xFFF) + odd) >> np.uint32(13)
    # Chosen, not branched to: so that many are worked out at once.
    half = np.uint32(_LARGEST_BITS) if whole >= _TOO_LARGE else half
    steps = (abs(value) * _STEPS + _ROUNDER) - _ROUNDER
    half = np.uint32(np.int32(min(steps, _ROUNDER))) if whole < _SMALLEST_NORMAL else half
    return np.uint16(half | ((bits >> np.uint32(16)) & _SIGN))


@kernel
def _round(values, bits, least_zero, out):  # type: ignore[no-untyped-def]
    """out [H, W] uint16, the bits of the half floats nearest to values [H, W] float32, whose bits are bits [H, W]. least_zero: what is
    below zero becomes zero."""
    for y in range(values.shape[0]):
        for x in range(values.shape[1]):
            half = _nearest(values[y, x], bits[y, x])
            out[y, x] = np.uint16(0) if least_zero and half >= _SIGN else half


@kernel
def _take_columns(values, columns, halves, floats):  # type: ignore[no-untyped-def]
    """Columns of values [H, W, C] float32 into planes of their own: the first as halves [n, H, W] uint16, the rest as floats [m, H, W]. Row by
    row: one stays at hand until all is taken from it."""
    rounded, width = halves.shape[0], values.shape[1]
    row = np.empty(width, np.float32)
    bits = row.view(np.uint32)
    for y in range(values.shape[0]):
        for n in range(rounded + floats.shape[0]):
            column = columns[n]
            if n < rounded:
                for x in range(width):
                    row[x] = values[y, x, column]
                half = halves[n, y]
                for x in range(width):
                    half[x] = _nearest(row[x], bits[x])
            else:
                plane = floats[n - rounded, y]
                for x in range(width):
                    plane[x] = values[y, x, column]


def columns_of(
    values: NDArray[np.float32], halves: Sequence[int], floats: Sequence[int] = ()
) -> dict[int, NDArray[np.float16] | NDArray[np.float32]]:
    """Columns of values [H, W, C], each by its number in an array [H, W] of its own: some as half floats, as ``as_half`` rounds, some as they
    are."""
    size = values.shape[:2]
    rounded, kept = np.empty((len(halves), *size), np.uint16), np.empty((len(floats), *size), np.float32)
    _take_columns(values, np.array([*halves, *floats], np.int64), rounded, kept)
    found: dict[int, NDArray[np.float16] | NDArray[np.float32]] = dict(zip(floats, kept, strict=True))
    return found | dict(zip(halves, rounded.view(np.float16), strict=True))


def as_half(values: NDArray[np.float32], *, least_zero: bool = False) -> NDArray[np.float16]:
    """Values [H, W] as half floats in an array of their own; beyond the largest (65504) they stay at it, and with ``least_zero``
    what is below zero becomes zero."""
    out = np.empty(values.shape, np.uint16)
    _round(values, values.view(np.uint32), least_zero, out)
    return out.view(np.float16)


@kernel
def _widen(bits, top, left, out):  # type: ignore[no-untyped-def]
    """Half floats by their bits [h, w, C] into out [H, W, C] float32, from a row and a column on."""
    channels = bits.shape[2]
    for y in range(bits.shape[0]):
        row, wide = bits[y].reshape(-1), out[top + y].reshape(-1)
        values = wide[left * channels : left * channels + row.shape[0]]
        whole = values.view(np.uint32)
        for i in range(row.shape[0]):
            own = np.uint32(row[i])
            rest = own & np.uint32(0x7FFF)
            # Chosen, not branched to: so that many are worked out at once.
            endless = _AS_SINGLE if rest >= _ENDLESS else np.uint32(0)
            whole[i] = (rest << np.uint32(13)) | endless | ((own & _SIGN) << np.uint32(16))
        for i in range(row.shape[0]):
            values[i] *= _TOO_SMALL


def widened(
    halves: NDArray[np.float16], size: tuple[int, int] | None = None, corner: tuple[int, int] = (0, 0)
) -> NDArray[np.float32]:
    """Half floats [h, w, C] as single ones; or in an array [H, W, C] of a size (rows, columns), from a corner (row, column) on, with zero
    around them."""
    rows, columns = size or halves.shape[:2]
    make = np.empty if (rows, columns) == halves.shape[:2] else np.zeros
    out: NDArray[np.float32] = make((rows, columns, halves.shape[2]), np.float32)
    _widen(np.ascontiguousarray(halves).view(np.uint16), *corner, out)
    return out
