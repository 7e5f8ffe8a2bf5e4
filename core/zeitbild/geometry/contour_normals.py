"""Outward directions of flat contours: smooth along curves, split at corners."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import kernel

#: Two edges of a contour that turn by less than this belong to one curve.
CREASE_DEGREES = 32.0
_CREASE_COSINE = math.cos(math.radians(CREASE_DEGREES))
#: Cells of the search grid along the longer side of a contour set.
_GRID = 96


def edge_normals(contours: list[NDArray[np.float64]]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Edges of closed contours and the outward directions at their ends.

    Returns edges [E, 2, 2] (start and end point) and normals [E, 2, 2] (direction at start and end, unit length),
    contour after contour, in the order of the contours' points. Contours run anticlockwise around ink.
    """
    edges, normals = [], []
    for points in contours:
        ends = np.roll(points, -1, axis=0)
        along = ends - points
        length = np.maximum(np.hypot(along[:, 0], along[:, 1]), 1e-300)[:, None]
        flat = np.column_stack([along[:, 1], -along[:, 0]]) / length
        before = np.roll(flat, 1, axis=0)
        smooth = (flat * before).sum(axis=1) > _CREASE_COSINE
        mean = flat + before
        mean /= np.maximum(np.hypot(mean[:, 0], mean[:, 1]), 1e-12)[:, None]
        at_start = np.where(smooth[:, None], mean, flat)
        at_end = np.where(np.roll(smooth, -1)[:, None], np.roll(mean, -1, axis=0), flat)
        edges.append(np.stack([points, ends], axis=1))
        normals.append(np.stack([at_start, at_end], axis=1))
    return np.concatenate(edges), np.concatenate(normals)


@kernel
def _fill_cells(edges, reach, x0, y0, cell, columns, rows, starts, members, count_only):  # type: ignore[no-untyped-def]
    """List for each grid cell the edges within ``reach`` of it; first pass counts into starts, second fills members."""
    for e in range(edges.shape[0]):
        low_x = min(edges[e, 0, 0], edges[e, 1, 0]) - reach
        high_x = max(edges[e, 0, 0], edges[e, 1, 0]) + reach
        low_y = min(edges[e, 0, 1], edges[e, 1, 1]) - reach
        high_y = max(edges[e, 0, 1], edges[e, 1, 1]) + reach
        first_column = max(0, int((low_x - x0) / cell))
        last_column = min(columns - 1, int((high_x - x0) / cell))
        first_row = max(0, int((low_y - y0) / cell))
        last_row = min(rows - 1, int((high_y - y0) / cell))
        for row in range(first_row, last_row + 1):
            for column in range(first_column, last_column + 1):
                at = row * columns + column
                if count_only:
                    starts[at + 1] += 1
                else:
                    members[starts[at]] = e
                    starts[at] += 1


@kernel
def _directions(corners, edges, normals, x0, y0, cell, columns, rows, starts, members, out):  # type: ignore[no-untyped-def]
    """Outward direction at each corner, taken from the outline edge nearest to its triangle's centroid.

    Beyond an end of that edge (in the fan inside a re-entrant corner) it points from the corner to the end point.
    """
    for t in range(corners.shape[0]):
        cx = (corners[t, 0, 0] + corners[t, 1, 0] + corners[t, 2, 0]) / 3
        cy = (corners[t, 0, 1] + corners[t, 1, 1] + corners[t, 2, 1]) / 3
        column = min(columns - 1, max(0, int((cx - x0) / cell)))
        row = min(rows - 1, max(0, int((cy - y0) / cell)))
        at = row * columns + column
        best, nearest, where = 1e300, -1, 0.0
        for k in range(starts[at], starts[at + 1]):
            e = members[k]
            ax, ay = edges[e, 0, 0], edges[e, 0, 1]
            dx, dy = edges[e, 1, 0] - ax, edges[e, 1, 1] - ay
            square = dx * dx + dy * dy
            s = ((cx - ax) * dx + (cy - ay) * dy) / square if square > 0 else 0.0
            clamped = min(1.0, max(0.0, s))
            gx, gy = cx - ax - clamped * dx, cy - ay - clamped * dy
            distance = gx * gx + gy * gy
            if distance < best:
                best, nearest, where = distance, e, s
        if nearest < 0:
            for corner in range(3):
                out[t, corner, 0], out[t, corner, 1] = 0.0, 0.0
            continue
        ax, ay = edges[nearest, 0, 0], edges[nearest, 0, 1]
        dx, dy = edges[nearest, 1, 0] - ax, edges[nearest, 1, 1] - ay
        square = dx * dx + dy * dy
        for corner in range(3):
            px, py = corners[t, corner, 0], corners[t, corner, 1]
            if where < -1e-6 or where > 1.000001:
                qx, qy = (ax, ay) if where < 0 else (ax + dx, ay + dy)
                nx, ny = qx - px, qy - py
                if nx * nx + ny * ny < 1e-10:
                    nx, ny = qx - cx, qy - cy
            else:
                s = ((px - ax) * dx + (py - ay) * dy) / square if square > 0 else 0.0
                s = min(1.0, max(0.0, s))
                nx = (1 - s) * normals[nearest, 0, 0] + s * normals[nearest, 1, 0]
                ny = (1 - s) * normals[nearest, 0, 1] + s * normals[nearest, 1, 1]
            length = math.sqrt(nx * nx + ny * ny)
            out[t, corner, 0] = nx / length if length > 0 else 0.0
            out[t, corner, 1] = ny / length if length > 0 else 0.0


class OutwardField:
    """Outward directions near an outline: the gradient of the distance to it, smoothed along curves."""

    def __init__(self, contours: list[NDArray[np.float64]], reach: float) -> None:
        """``reach`` is the largest distance from the outline that will be asked for, in units."""
        self._edges, self._normals = edge_normals(contours)
        low, high = self._edges.min(axis=(0, 1)), self._edges.max(axis=(0, 1))
        self._x0, self._y0 = float(low[0]), float(low[1])
        self._cell = max(float((high - low).max()) / _GRID, 1e-9)
        self._columns, self._rows = (int(size / self._cell) + 1 for size in (high - low))
        counts = np.zeros(self._columns * self._rows + 1, np.int64)
        grid = (self._x0, self._y0, self._cell, self._columns, self._rows)
        empty = np.empty(0, np.int32)
        # A centroid lies up to one flattening error deeper than the bevel is wide; 10 % and a cell cover that.
        within = reach * 1.1 + 1e-6
        _fill_cells(self._edges, within, *grid, counts, empty, True)
        self._starts = np.cumsum(counts)
        self._members = np.empty(int(self._starts[-1]), np.int32)
        _fill_cells(self._edges, within, *grid, self._starts[:-1].copy(), self._members, False)

    def at(self, corners: NDArray[np.float64]) -> NDArray[np.float64]:
        """Directions [T, 3, 2] at the corners [T, 3, 2] of triangles that lie on the bevel."""
        out = np.empty_like(corners)
        _directions(
            corners,
            self._edges,
            self._normals,
            self._x0,
            self._y0,
            self._cell,
            self._columns,
            self._rows,
            self._starts,
            self._members,
            out,
        )
        return out
