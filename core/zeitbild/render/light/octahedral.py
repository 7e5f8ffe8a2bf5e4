"""Directions on a square: the octahedral map (Cigolini and others 1994; Engelhardt and Dachsbacher 2008).

No trigonometry, no poles. A picture of so many cells a side has its values at their corners, so that the map's creases (where it is folded from
an octahedron: along both middles and the edges) lie on values, are kept by bilinear look-ups, and the edges need no special cases.
Kernels take pictures as one row of numbers, three to a corner.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import inlined_kernel

_ZERO, _HALF, _ONE = np.float32(0), np.float32(0.5), np.float32(1)
_NONE, _NEXT_ONE = np.int32(0), np.int32(1)
#: Steps in a row of numbers: to the next one or two, and to the next corner.
_I, _II, _NEXT = np.uint64(1), np.uint64(2), np.uint64(3)


def _directions(places: NDArray[np.float64]) -> NDArray[np.float64]:
    """Unit directions [n, n, 3] of places on the map, -1 to 1, taken as rows and as columns. y is up."""
    v, u = np.meshgrid(places, places, indexing="ij")
    y = 1 - np.abs(u) - np.abs(v)
    fold = np.maximum(-y, 0)
    directions = np.stack([u - np.sign(u) * fold, y, v - np.sign(v) * fold], axis=2)
    directions /= np.linalg.norm(directions, axis=2, keepdims=True)
    return directions


def corner_directions(side: int) -> NDArray[np.float64]:
    """Unit directions [side + 1, side + 1, 3] of the corners of so many cells a side, an even number."""
    return _directions(np.arange(side + 1) / side * 2 - 1)


def cell_directions(side: int) -> NDArray[np.float64]:
    """Unit directions [side, side, 3] of the middles of so many cells a side."""
    return _directions((np.arange(side) + 0.5) / side * 2 - 1)


def cell_solid_angles(side: int) -> NDArray[np.float64]:
    """Solid angle [side, side] in steradians of each cell; they add up to 4 pi within 1e-12.

    The map stretches by (|p|_2)^-3 where p is the point on the octahedron.
    """
    inner = (np.arange(side) + 0.5) / side * 2 - 1
    v, u = np.meshgrid(inner, inner, indexing="ij")
    y = 1 - np.abs(u) - np.abs(v)
    fold = np.maximum(-y, 0)
    x, z = np.abs(u) - fold, np.abs(v) - fold
    weight = (x * x + y * y + z * z) ** -1.5
    weights: NDArray[np.float64] = weight * (4 * np.pi / weight.sum())
    return weights


@inlined_kernel
def unfold(x, y, z):  # type: ignore[no-untyped-def]
    """Place (two numbers, -1 to 1) on the octahedral map of a direction of any length."""
    scale = _ONE / (abs(x) + abs(y) + abs(z))
    u, v = x * scale, z * scale
    if y < _ZERO:
        u, v = (_ONE - abs(v)) * (_ONE if u >= _ZERO else -_ONE), (_ONE - abs(u)) * (_ONE if v >= _ZERO else -_ONE)
    return u, v


@inlined_kernel
def corner_place(side, start, u, v):  # type: ignore[no-untyped-def]
    """(number of the upper left corner, fraction to the right, fraction down) of a place of ``unfold`` on a picture of so
    many cells a side that begins at start."""
    half = np.float32(side) * _HALF
    column, row = (u + _ONE) * half, (v + _ONE) * half
    last = np.int32(side - _NEXT_ONE)
    c, r = min(max(np.int32(column), _NONE), last), min(max(np.int32(row), _NONE), last)
    return np.int32(start + r * np.int32(side + _NEXT_ONE) + c), column - np.float32(c), row - np.float32(r)


@inlined_kernel
def mixed_corners(maps, place, side, fc, fr):  # type: ignore[no-untyped-def]
    """Bilinear value (three numbers) at a place of ``corner_place``; maps is all values in one row."""
    a = np.uint64(3 * place)
    b, d = a + _NEXT, a + np.uint64(3 * (side + 1))
    e = d + _NEXT
    w00, w01 = (_ONE - fc) * (_ONE - fr), fc * (_ONE - fr)
    w10, w11 = (_ONE - fc) * fr, fc * fr
    return (
        maps[a] * w00 + maps[b] * w01 + maps[d] * w10 + maps[e] * w11,
        maps[a + _I] * w00 + maps[b + _I] * w01 + maps[d + _I] * w10 + maps[e + _I] * w11,
        maps[a + _II] * w00 + maps[b + _II] * w01 + maps[d + _II] * w10 + maps[e + _II] * w11,
    )
