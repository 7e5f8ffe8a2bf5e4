"""Contours of curves, and the polylines that stand for them, with the directions of the true curve at every point.

The points of a polyline stand a little outside the curve's bend, so that it encloses the very area of the curve: pixels
along the outline are then covered as the curve covers them. At the ends of a curve they stand on it.
"""

from __future__ import annotations

import math
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
        along = np.roll(points, -1, axis=0) - points
        length = np.maximum(np.hypot(along[:, 0], along[:, 1]), 1e-300)[:, None]
        flat = np.column_stack([along[:, 1], -along[:, 0]]) / length
        before = np.roll(flat, 1, axis=0)
        smooth = ((flat * before).sum(axis=1) > _CREASE_COSINE)[:, None]
        mean = flat + before
        mean /= np.maximum(np.hypot(mean[:, 0], mean[:, 1]), 1e-12)[:, None]
        at_start = np.where(smooth, mean, flat)
        at_end = np.where(np.roll(smooth, -1, axis=0), np.roll(mean, -1, axis=0), flat)
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
        points, normals = [], []
        for curve, straight in zip(self.curves, self.straight, strict=True):
            own, facing = _line(curve) if straight else _cut(curve, tolerance)
            points.append(own)
            normals.append(facing)
        return Contour(np.concatenate(points), np.concatenate(normals))


def _right_of(direction: Points) -> Points:
    length = np.maximum(np.hypot(direction[..., 0], direction[..., 1]), 1e-300)[..., None]
    right: Points = np.stack([direction[..., 1], -direction[..., 0]], axis=-1) / length
    return right


def _line(curve: Points) -> tuple[Points, Points]:
    normal = _right_of(curve[3] - curve[0])
    return curve[:1], np.stack([normal, normal])[None]


def _cut(curve: Points, tolerance: float) -> tuple[Points, Points]:
    """All points of the polyline but the last, and the directions at both ends of its edges."""
    a, b, c, d = curve
    # A chord over a parameter step h is off by at most h^2 / 8 times the second derivative, which for a cubic is at
    # most 6 times its largest second difference: pieces = sqrt(6/8 bend / tolerance).
    bend = max(math.hypot(*(a - 2 * b + c)), math.hypot(*(b - 2 * c + d)))
    pieces = int(min(max(math.ceil(math.sqrt(0.75 * bend / tolerance)), 1), MAX_PIECES))
    t = np.arange(pieces + 1)[:, None] / pieces
    s = 1 - t
    points = s**3 * a + 3 * s * s * t * b + 3 * s * t * t * c + t**3 * d
    tangent = 3 * (s * s * (b - a) + 2 * s * t * (c - b) + t * t * (d - c))
    # Where a control point lies on the curve's end, the next one tells the direction.
    if not np.any(np.abs(tangent[0]) > 1e-9):
        tangent[0] = c - a if np.any(c != a) else d - a
    if not np.any(np.abs(tangent[-1]) > 1e-9):
        tangent[-1] = d - b if np.any(d != b) else d - a
    normal = _right_of(tangent)
    if pieces > 1:
        second = 6 * (s * (a - 2 * b + c) + t * (b - 2 * c + d))
        across = (second * normal).sum(axis=1, keepdims=True) * normal
        points[1:-1] -= _MEAN_SAGITTA / (8 * pieces * pieces) * across[1:-1]
    return points[:-1], np.stack([normal[:-1], normal[1:]], axis=1)
