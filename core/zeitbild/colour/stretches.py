"""Rows of pixels in which most are the same as their left neighbour: what is to be worked out, and what is taken over."""

from __future__ import annotations

import numpy as np

from zeitbild.kernels import kernel

#: Pixels that are looked at together.
BLOCK = 32
# Indexes without a sign: with one, kernels would look at each whether it counts from the end.
_U = np.uint64
_BLOCK, _ONE, _NONE = np.uint64(BLOCK), np.uint64(1), np.uint64(0)


def room_for(width: int) -> int:
    """How many stretches a row of so many pixels has at most."""
    return width // (2 * BLOCK) + 2


@kernel
def take_over(ends, number, count, out):  # type: ignore[no-untyped-def]
    """Give all pixels between stretch ``number`` of ``count`` and the next (or the end of the row) the channels of its last one: out [C, W]."""
    end = ends[number, 1]
    after = ends[number + 1, 0] if number + 1 < count else _U(out.shape[1])
    for k in range(out.shape[0]):
        line = out[k]
        same = line[end - _ONE]
        for x in range(end, after):
            line[x] = same


@kernel
def find_stretches(row, ends):  # type: ignore[no-untyped-def]
    """Of a row [W, 4] of 32-bit floats the stretches (first and end, into ends [``room_for(W)``, 2], uint64) of whole blocks in which some
    pixel is not, bit by bit, the one on its left, and how many they are. All others are as the pixel before them. The first block is always
    one."""
    width = _U(row.shape[0])
    pairs = row.reshape(-1).view(np.uint64).reshape(row.shape[0], 2)
    count, first, inside = 0, _NONE, False
    while first < width:
        end = min(first + _BLOCK, width)
        off = _ONE if first == _NONE else _NONE
        if first > _NONE:
            for x in range(first, end):
                off |= (pairs[x, 0] ^ pairs[x - _ONE, 0]) | (pairs[x, 1] ^ pairs[x - _ONE, 1])
        if off != _NONE and not inside:
            ends[count, 0], inside = first, True
        elif off == _NONE and inside:
            ends[count, 1], inside = first, False
            count += 1
        first = end
    if inside:
        ends[count, 1] = width
        count += 1
    return count
