"""Which of some closed contours lies around which."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from numpy.typing import NDArray

from zeitbild.geometry.curves import Points


def after_each(ends: NDArray[np.int64]) -> NDArray[np.int64]:
    """Number of the point after each, in its contour, of contours that end before ``ends``, one after the other."""
    after = np.arange(1, int(ends[-1]) + 1)
    after[ends - 1] = np.concatenate([[0], ends[:-1]])
    return after


def areas_of(points: Points, ends: NDArray[np.int64]) -> NDArray[np.float64]:
    """What contours [.., 2] that end before ``ends``, one after the other, surround: less than zero of those that run clockwise."""
    firsts, after = np.concatenate([[0], ends[:-1]]), after_each(ends)
    # About the first of each, so that small ones far away lose nothing.
    x, y = (points - np.repeat(points[firsts], ends - firsts, axis=0)).T
    found: NDArray[np.float64] = np.add.reduceat(x * y[after] - x[after] * y, firsts) / 2
    return found


def around(contours: Sequence[Points]) -> NDArray[np.int64]:
    """Number of the contour around each of some that do not cross [n, 2], of those that run anticlockwise, around what is filled, their own;
    of a hole in nothing, too. They may touch, and each surrounds something."""
    lengths = np.array([len(one) for one in contours])
    points = np.concatenate(contours)
    areas = areas_of(points, np.cumsum(lengths))
    outer, holes = np.flatnonzero(areas > 0), np.flatnonzero(areas <= 0)
    found = np.arange(len(contours))
    if not len(holes) or not len(outer):
        return found
    shapes = shapely.polygons(shapely.linearrings(points, indices=np.repeat(np.arange(len(contours)), lengths)))
    # A place inside of the hole: where it begins others may touch it.
    hole, about = shapely.STRtree(shapes[outer]).query(shapely.point_on_surface(shapes[holes]), predicate="intersects")
    hole, about = holes[hole], outer[about]
    # Islands in the hole are smaller than it is.
    larger = areas[about] > -areas[hole]
    hole, about = hole[larger], about[larger]
    # The smallest comes last, and stays.
    order = np.argsort(-areas[about], kind="stable")
    found[hole[order]] = about[order]
    return found
