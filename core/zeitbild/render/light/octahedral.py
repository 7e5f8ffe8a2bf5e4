"""Directions on a square: the octahedral map (Cigolini and others 1994; Engelhardt and Dachsbacher 2008).

No trigonometry, no poles. Pictures carry a border of one texel, folded over as the map's edges are, so that bilinear
look-ups need no special cases. Kernels take pictures as one row of numbers, three to a texel.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import inlined_kernel

_ZERO, _HALF, _ONE = np.float32(0), np.float32(0.5), np.float32(1)
_NONE, _BORDERS = np.int32(0), np.int32(2)
#: Steps in a row of numbers: to the next one or two, and to the next texel.
_I, _II, _NEXT = np.uint64(1), np.uint64(2), np.uint64(3)


def texel_directions(size: int) -> NDArray[np.float64]:
    """Unit directions [size + 2, size + 2, 3] of the texel middles, border included. y is up."""
    inner = (np.arange(size) + 0.5) / size * 2 - 1
    v, u = np.meshgrid(inner, inner, indexing="ij")
    y = 1 - np.abs(u) - np.abs(v)
    fold = np.maximum(-y, 0)
    x = u - np.sign(u) * fold
    z = v - np.sign(v) * fold
    directions = np.stack([x, y, z], axis=2)
    directions /= np.linalg.norm(directions, axis=2, keepdims=True)
    bordered = np.empty((size + 2, size + 2, 3))
    bordered[1:-1, 1:-1] = directions
    bordered[0, 1:-1], bordered[-1, 1:-1] = directions[0, ::-1], directions[-1, ::-1]
    bordered[1:-1, 0], bordered[1:-1, -1] = directions[::-1, 0], directions[::-1, -1]
    bordered[0, 0] = bordered[0, -1] = bordered[-1, 0] = bordered[-1, -1] = (0.0, -1.0, 0.0)
    return bordered


def texel_solid_angles(size: int) -> NDArray[np.float64]:
    """Solid angle [size, size] in steradians of each inner texel; they add up to 4 pi within 1e-12.

    The map stretches by (|p|_2)^-3 where p is the point on the octahedron.
    """
    inner = (np.arange(size) + 0.5) / size * 2 - 1
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
def texel_place(side, start, u, v):  # type: ignore[no-untyped-def]
    """(number of the upper left texel, fraction to the right, fraction down) of a place of ``unfold`` on a picture of so
    many texels a side that begins at start."""
    # Texel middles stand half a texel inside; the border shifts them by one.
    half = np.float32(side) * _HALF
    column, row = (u + _ONE) * half + _HALF, (v + _ONE) * half + _HALF
    c, r = min(max(np.int32(column), _NONE), side), min(max(np.int32(row), _NONE), side)
    return np.int32(start + r * np.int32(side + _BORDERS) + c), column - np.float32(c), row - np.float32(r)


@inlined_kernel
def mixed_texels(maps, place, side, fc, fr):  # type: ignore[no-untyped-def]
    """Bilinear value (three numbers) at a place of ``texel_place``; maps is all texels' numbers in one row."""
    a = np.uint64(3 * place)
    b, d = a + _NEXT, a + np.uint64(3 * (side + 2))
    e = d + _NEXT
    w00, w01 = (_ONE - fc) * (_ONE - fr), fc * (_ONE - fr)
    w10, w11 = (_ONE - fc) * fr, fc * fr
    return (
        maps[a] * w00 + maps[b] * w01 + maps[d] * w10 + maps[e] * w11,
        maps[a + _I] * w00 + maps[b + _I] * w01 + maps[d + _I] * w10 + maps[e + _I] * w11,
        maps[a + _II] * w00 + maps[b + _II] * w01 + maps[d + _II] * w10 + maps[e + _II] * w11,
    )
