"""Triangles of what closed contours fill."""

from __future__ import annotations

from collections.abc import Sequence

import manifold3d
import mapbox_earcut
import numpy as np
from numpy.typing import NDArray

from zeitbild.geometry.around import after_each, areas_of, around
from zeitbild.geometry.curves import Points

#: How far the triangles' area may be off that of the contours, as a share.
_EXACT = 1e-9
#: Share of the square of its length that a contour surrounds at least, if it is more than a line there and back.
_LINE = 1e-7


def filled(contours: Sequence[Points]) -> NDArray[np.int64]:
    """Triangles [T, 3] over contours [n, 2] that do not cross, holes clockwise; points are numbered through all contours, and each is a corner.

    The fast way, piece by piece, leaves out points on straight lines, and may stumble where contours touch: what it finds is counted and
    measured, and where that is wrong, the slow way goes.
    """
    found = _by_pieces(contours)
    return _slowly(contours) if found is None else found


def _slowly(contours: Sequence[Points]) -> NDArray[np.int64]:
    return np.asarray(manifold3d.triangulate(list(contours), allow_convex=False), np.int64).reshape(-1, 3)


def _by_pieces(contours: Sequence[Points]) -> NDArray[np.int64] | None:
    lengths = np.array([len(one) for one in contours])
    ends = np.cumsum(lengths)
    points = np.concatenate(contours)
    areas = areas_of(points, ends)
    way = np.add.reduceat(np.hypot(*(points[after_each(ends)] - points).T), ends - lengths)
    if lengths.min() < 3 or (np.abs(areas) < _LINE * way**2).any():
        return None
    outer = around(contours)
    # What lies around holes comes before them.
    order = np.argsort(2 * outer + (outer != np.arange(len(outer))), kind="stable")
    found = []
    for group in np.split(order, np.flatnonzero(np.diff(outer[order])) + 1):
        numbers = np.concatenate([np.arange(ends[one] - lengths[one], ends[one]) for one in group])
        piece = _piece(points[numbers], lengths[group], float(areas[group].sum()))
        if piece is None:
            return None
        found.append(numbers[piece])
    return np.concatenate(found)


def _piece(points: Points, lengths: NDArray[np.int64], area: float) -> NDArray[np.int64] | None:
    """Triangles of one piece of an area: of contours one after the other, the one around them first."""
    ends = np.cumsum(lengths)
    found = mapbox_earcut.triangulate_float64(points, ends.astype(np.uint32)).reshape(-1, 3).astype(np.int64)
    own = _twice(points, found)
    if len(found) == len(points) + 2 * len(lengths) - 4 and abs(np.abs(own).sum() / 2 - area) <= _EXACT * area:
        turned: NDArray[np.int64] = np.where((own < 0)[:, None], found[:, ::-1], found)
        return turned
    found = _slowly(np.split(points, ends[:-1]))
    return found if abs(_twice(points, found).sum() / 2 - area) <= _EXACT * area else None


def _twice(points: Points, triangles: NDArray[np.int64]) -> NDArray[np.float64]:
    """Twice the area of each triangle, less than zero of those that run clockwise."""
    a, b, c = (points[triangles[:, corner]] for corner in range(3))
    found: NDArray[np.float64] = (b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]
    return found
