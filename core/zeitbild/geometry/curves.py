"""Contours of curves, and the polylines that stand for them, with the directions of the true curve at every point.

The points of a polyline stand a little outside the curve's bend, so that it encloses the very area of the curve: pixels
along the outline are then covered as the curve covers them. At the ends of a curve they stand on it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

#: Most pieces that one curve is cut into.
MAX_PIECES = 512
#: A parabola's chord encloses two thirds of its sagitta too little in the mean.
_MEAN_SAGITTA = 2 / 3
#: Edges of a polyline that turn by less than this belong to one curve, if nothing else is known of them.
CREASE_DEGREES = 32.0
_CREASE_COSINE = math.cos(math.radians(CREASE_DEGREES))

Points = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class Contour:
    """A closed polyline.

    points [n, 2]; edge k goes from point k to the next. normals [n, 2, 2]: unit directions to the right of edge k's
    curve at its start and at its end (outwards if ink lies to the left).
    """

    points: Points
    normals: Points

    @classmethod
    def of_polyline(cls, points: Points) -> Contour:
        """A polyline of which nothing but its points [n, 2] is known: bends of less than CREASE_DEGREES are smooth."""
        along = after_each(points) - points
        length = np.maximum(np.hypot(along[:, 0], along[:, 1]), 1e-300)[:, None]
        flat = np.column_stack([along[:, 1], -along[:, 0]]) / length
        before = before_each(flat)
        smooth = ((flat * before).sum(axis=1) > _CREASE_COSINE)[:, None]
        mean = flat + before
        mean /= np.maximum(np.hypot(mean[:, 0], mean[:, 1]), 1e-12)[:, None]
        at_start = np.where(smooth, mean, flat)
        at_end = np.where(after_each(smooth), after_each(mean), flat)
        return cls(points, np.stack([at_start, at_end], axis=1))

    def moved(self, x: float, y: float, scale: float) -> Contour:
        """The contour moved and then scaled (by more than 0)."""
        return Contour((self.points + (x, y)) * scale, self.normals)


@dataclass(frozen=True, slots=True, eq=False)
class CurvedContour:
    """A closed contour of cubic Bezier curves [k, 4, 2], each beginning where the one before it ends.

    straight [k] tells which of them are lines.
    """

    curves: Points
    straight: NDArray[np.bool_]

    def flattened(self, tolerance: float) -> Contour:
        """The polyline that stays within ``tolerance`` (in the curves' units) of the curves."""
        return flattened([self], tolerance)[0]


def flattened(contours: Sequence[CurvedContour], tolerance: float) -> list[Contour]:
    """The polylines of contours that stay within ``tolerance`` of them, each as if it were alone: many small ones together take a tenth of
    the time. All have curves."""
    curves, straight = (
        np.concatenate([one.curves for one in contours]),
        np.concatenate([one.straight for one in contours]),
    )
    a, b, c, d = curves.swapaxes(0, 1)
    # A chord over a parameter step h is off by at most h^2 / 8 times the second derivative, which for a cubic is at
    # most 6 times its largest second difference: pieces = sqrt(6/8 bend / tolerance).
    bend = np.maximum(_length(a - 2 * b + c), _length(b - 2 * c + d))
    wanted = np.where(straight, 1, np.ceil(np.sqrt(0.75 * bend / tolerance)))
    pieces = np.clip(wanted, 1, MAX_PIECES).astype(np.int64)
    # All edges of all curves at once: which curve each is of, and which piece of it.
    of = np.repeat(np.arange(len(pieces)), pieces)
    number = np.arange(len(of)) - (np.cumsum(pieces) - pieces)[of]
    a, b, c, d, count, line = a[of], b[of], c[of], d[of], pieces[of], straight[of]
    t = (number / count)[:, None]
    s = 1 - t
    points = s**3 * a + 3 * s * s * t * b + 3 * s * t * t * c + t**3 * d
    start, after = _tangent(a, b, c, d, t), _tangent(a, b, c, d, ((number + 1) / count)[:, None])
    # Where a control point lies on the curve's end, the next one tells the direction.
    first, last = number == 0, number == count - 1
    stands = first & ~(np.abs(start) > 1e-9).any(axis=1)
    start[stands] = np.where((c != a).any(axis=1, keepdims=True), c - a, d - a)[stands]
    stands = last & ~(np.abs(after) > 1e-9).any(axis=1)
    after[stands] = np.where((d != b).any(axis=1, keepdims=True), d - b, d - a)[stands]
    start[line] = after[line] = (d - a)[line]
    normals = _right_of(np.stack([start, after], axis=1))
    # Points lie a little outside, so that the polyline has the area of the curve.
    inner = ~first
    second = 6 * (s * (a - 2 * b + c) + t * (b - 2 * c + d))
    across = (second * normals[:, 0]).sum(axis=1, keepdims=True) * normals[:, 0]
    points[inner] -= (_MEAN_SAGITTA / (8 * count * count))[inner, None] * across[inner]
    # The edges of each contour's curves.
    ends = np.cumsum(np.add.reduceat(pieces, np.cumsum([0, *(len(one.curves) for one in contours[:-1])])))[:-1]
    return [Contour(*own) for own in zip(np.split(points, ends), np.split(normals, ends), strict=True)]


def after_each(points: Points) -> Points:
    """The next of each of a ring's points. (``np.roll`` takes twenty times as long for short ones.)"""
    return np.concatenate([points[1:], points[:1]])


def before_each(points: Points) -> Points:
    """The one before each of a ring's points."""
    return np.concatenate([points[-1:], points[:-1]])


def _length(direction: Points) -> Points:
    found: Points = np.hypot(direction[..., 0], direction[..., 1])
    return found


def _tangent(a: Points, b: Points, c: Points, d: Points, t: Points) -> Points:
    s = 1 - t
    found: Points = 3 * (s * s * (b - a) + 2 * s * t * (c - b) + t * t * (d - c))
    return found


def _right_of(direction: Points) -> Points:
    length = np.maximum(_length(direction), 1e-300)[..., None]
    right: Points = np.stack([direction[..., 1], -direction[..., 0]], axis=-1) / length
    return right
