"""Triangles over a flat area with short seams: every pixel that a seam crosses is drawn by more than one triangle."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import kernel

#: Areas (as a share of the square of what is filled) below which a triangle counts as nothing; and how much shorter a seam has to become.
_NOTHING, _SHORTER = 1e-12, 1 - 1e-9
#: Flips for each triangle at most: each makes seams shorter, so there is an end, but it may be far.
_MOST_FLIPS = 50


@kernel
def _flip(points, triangles, other, least):  # type: ignore[no-untyped-def]
    """``shortened`` in place; other [3 T] is the half edge on the other side of each, or -1."""
    corners, halves = triangles.reshape(-1), other.shape[0]
    waiting, queued = np.empty(halves, np.int64), np.ones(halves, np.bool_)
    for half in range(halves):
        waiting[half] = half
    # A ring: no half edge waits twice.
    first, count, flips = 0, halves, 0
    while count > 0 and flips < _MOST_FLIPS * triangles.shape[0]:
        half = waiting[first]
        first = (first + 1) % halves
        count -= 1
        queued[half] = False
        across = other[half]
        if across < 0:
            continue
        after, before = half - half % 3 + (half + 1) % 3, half - half % 3 + (half + 2) % 3
        beyond, back = across - across % 3 + (across + 1) % 3, across - across % 3 + (across + 2) % 3
        # From a to b the seam is now, from c to d it would be.
        a, b, c, d = corners[half], corners[after], corners[before], corners[back]
        ax, ay, bx, by = points[a, 0], points[a, 1], points[b, 0], points[b, 1]
        cx, cy, dx, dy = points[c, 0], points[c, 1], points[d, 0], points[d, 1]
        now = (bx - ax) * (bx - ax) + (by - ay) * (by - ay)
        then = (dx - cx) * (dx - cx) + (dy - cy) * (dy - cy)
        if then >= now * _SHORTER:
            continue
        if (ax - cx) * (dy - cy) - (ay - cy) * (dx - cx) <= least:
            continue
        if (dx - cx) * (by - cy) - (dy - cy) * (bx - cx) <= least:
            continue
        # Triangles a b c and b a d become a d c and d b c.
        beside, outside = other[after], other[beyond]
        corners[after], corners[beyond] = d, c
        other[half], other[across] = outside, beside
        other[after], other[beyond] = beyond, after
        if outside >= 0:
            other[outside] = half
        if beside >= 0:
            other[beside] = across
        flips += 1
        for near in (half, before, across, back):
            if not queued[near]:
                queued[near] = True
                waiting[(first + count) % halves] = near
                count += 1


def shortened(points: NDArray[np.float64], triangles: NDArray[np.int64]) -> NDArray[np.int64]:
    """Triangles [T, 3], anticlockwise over points [n, 2], with the seams between two of them turned where that makes them shorter: they
    fill the same with the same number of triangles, and their rim stays."""
    if len(triangles) < 2:
        return triangles
    ends = np.stack([triangles, np.roll(triangles, -1, axis=1)], axis=2).reshape(-1, 2)
    keys = ends.min(axis=1) * (int(triangles.max()) + 1) + ends.max(axis=1)
    order = np.argsort(keys, kind="stable")
    ranked = keys[order]
    starts = np.flatnonzero(np.concatenate([[True], ranked[1:] != ranked[:-1]]))
    # Those that exactly two have, each in its own direction.
    pairs = starts[np.diff(np.append(starts, len(ranked))) == 2]
    one, two = order[pairs], order[pairs + 1]
    facing = ends[one, 0] == ends[two, 1]
    other = np.full(len(keys), -1, np.int64)
    other[one[facing]], other[two[facing]] = two[facing], one[facing]
    extent = float(np.ptp(points[triangles.reshape(-1)], axis=0).max())
    turned = np.array(triangles, np.int64, order="C")
    _flip(np.ascontiguousarray(points), turned, other, _NOTHING * extent * extent)
    return turned
