"""Triangles made ready for drawing: edge functions, pixel boxes, and which tiles each touches."""

from __future__ import annotations

from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import parallel_kernel

#: Side of a tile in pixels; a power of two.
TILE = 32
#: Surfaces of one body whose nearness differs by less than this share lie in one place; and a nearness that nothing has.
BELOW, ENDLESS = 1 - 1e-5, 3e38
#: Slopes of edges are whole multiples of 2^-36, what they are away from the corner of the picture of 2^-28 pixels: two meshes that share an edge
#: find the same line for it, whose samples belong to one of them, and not to none since both were rounded another way. Adding these
#: and taking them away rounds to that, halves to even, and so the same whichever way an edge runs.
_SLOPES, _AWAY = 1.5 * 2.0**16, 1.5 * 2.0**24
#: Parts in which triangles are sorted into tiles, side by side.
STRETCHES = 8


class Bins(NamedTuple):
    """Triangles sorted into tiles, as kernels take them: scaled [T, 12] and boxes [T, 4] as ``set_up`` makes them; the triangles of tile t are
    members[starts[t] : starts[t + 1]]."""

    scaled: NDArray[np.float64]
    boxes: NDArray[np.int32]
    starts: NDArray[np.int64]
    members: NDArray[np.int32]


@parallel_kernel
def set_up(which, corners, order, triangles, cull, near, width, height, edges, scaled, boxes):  # type: ignore[no-untyped-def]
    """Edge functions, depth function and pixel box of some triangles, which [n] int32; an empty box for what cannot be seen.

    corners [V, 3] homogeneous pixel coordinates; order [V] what depths go by, divided by w (``camera.DepthScale``); near
    the w below which corners are behind the camera; cull [T] int8 is 1 where triangles that face away are left out, -1 where those
    that face the camera are, else 0. edges [T, 9], not negative inside, scaled [T, 12] = three edges scaled to pixel
    distances, then the order. boxes [T, 4] int32: first column, first row, last column, last row.
    """
    for k in numba.prange(which.shape[0]):
        t = which[k]
        boxes[t, 0], boxes[t, 1], boxes[t, 2], boxes[t, 3] = 0, 0, -1, -1
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ax, ay, aw = corners[a, 0], corners[a, 1], corners[a, 2]
        bx, by, bw = corners[b, 0], corners[b, 1], corners[b, 2]
        cx, cy, cw = corners[c, 0], corners[c, 1], corners[c, 2]
        if aw <= near and bw <= near and cw <= near:
            continue
        # Rows of the adjugate: e0 = b x c, e1 = c x a, e2 = a x b.
        e00, e01, e02 = by * cw - bw * cy, bw * cx - bx * cw, bx * cy - by * cx
        e10, e11, e12 = cy * aw - cw * ay, cw * ax - cx * aw, cx * ay - cy * ax
        e20, e21, e22 = ay * bw - aw * by, aw * bx - ax * bw, ax * by - ay * bx
        determinant = ax * e00 + ay * e01 + aw * e02
        # Anticlockwise in the world turns clockwise on a picture whose rows run down: negative is towards us.
        if determinant == 0.0 or determinant * cull[t] > 0.0:
            continue
        low_x, low_y, high_x, high_y = 1e30, 1e30, -1e30, -1e30
        # Divided once for each corner, and not once for each number: dividing is what takes longest here.
        for side in range(3):
            if side == 0:
                px, py, pw, qx, qy, qw = ax, ay, aw, bx, by, bw
            elif side == 1:
                px, py, pw, qx, qy, qw = bx, by, bw, cx, cy, cw
            else:
                px, py, pw, qx, qy, qw = cx, cy, cw, ax, ay, aw
            if pw > near:
                inverse = 1.0 / pw
                x, y = px * inverse, py * inverse
                low_x, high_x = min(low_x, x), max(high_x, x)
                low_y, high_y = min(low_y, y), max(high_y, y)
            if (pw > near) != (qw > near):
                s = (near - pw) / (qw - pw)
                x, y = (px + s * (qx - px)) / near, (py + s * (qy - py)) / near
                low_x, high_x = min(low_x, x), max(high_x, x)
                low_y, high_y = min(low_y, y), max(high_y, y)
        if high_x <= 0.0 or high_y <= 0.0 or low_x >= width or low_y >= height:
            continue
        boxes[t, 0], boxes[t, 1] = int(max(0.0, low_x)), int(max(0.0, low_y))
        boxes[t, 2], boxes[t, 3] = min(width - 1, int(min(high_x, 1e9))), min(height - 1, int(min(high_y, 1e9)))
        sign = 1.0 if determinant > 0.0 else -1.0
        edges[t, 0], edges[t, 1], edges[t, 2] = sign * e00, sign * e01, sign * e02
        edges[t, 3], edges[t, 4], edges[t, 5] = sign * e10, sign * e11, sign * e12
        edges[t, 6], edges[t, 7], edges[t, 8] = sign * e20, sign * e21, sign * e22
        for side in range(3):
            size = max(abs(edges[t, 3 * side]), abs(edges[t, 3 * side + 1]))
            scale = 1.0 / size if size > 0.0 else 1.0
            for j in range(2):
                scaled[t, 3 * side + j] = (edges[t, 3 * side + j] * scale + _SLOPES) - _SLOPES
            scaled[t, 3 * side + 2] = (edges[t, 3 * side + 2] * scale + _AWAY) - _AWAY
        inverse = 1.0 / abs(determinant)
        for j in range(3):
            scaled[t, 9 + j] = inverse * (
                order[a] * edges[t, j] + order[b] * edges[t, 3 + j] + order[c] * edges[t, 6 + j]
            )


@parallel_kernel
def count_bins(which, boxes, columns, counts):  # type: ignore[no-untyped-def]
    """How many of some triangles, which [n] in rising order, of each stretch touch each tile: counts [tiles, stretches], 0 before."""
    stretches = counts.shape[1]
    for stretch in numba.prange(stretches):
        for k in range(stretch * which.shape[0] // stretches, (stretch + 1) * which.shape[0] // stretches):
            t = which[k]
            for row in range(boxes[t, 1] // TILE, boxes[t, 3] // TILE + 1 if boxes[t, 3] >= 0 else 0):
                for column in range(boxes[t, 0] // TILE, boxes[t, 2] // TILE + 1):
                    counts[row * columns + column, stretch] += 1


@parallel_kernel
def fill_bins(which, boxes, columns, at, members):  # type: ignore[no-untyped-def]
    """List those triangles of each tile in rising order; ``at`` [tiles, stretches] holds each stretch's next free place."""
    stretches = at.shape[1]
    for stretch in numba.prange(stretches):
        for k in range(stretch * which.shape[0] // stretches, (stretch + 1) * which.shape[0] // stretches):
            t = which[k]
            for row in range(boxes[t, 1] // TILE, boxes[t, 3] // TILE + 1 if boxes[t, 3] >= 0 else 0):
                for column in range(boxes[t, 0] // TILE, boxes[t, 2] // TILE + 1):
                    tile = row * columns + column
                    members[at[tile, stretch]] = t
                    at[tile, stretch] += 1
