"""What each sample of each pixel sees: triangles rasterised by homogeneous edge functions.

Olano and Greer 1997, Triangle Scan Conversion using 2D Homogeneous Coordinates: edge functions come from cross
products of homogeneous corners, so triangles that reach behind the camera need no clipping, and the functions of an
edge shared by two triangles are exact negatives of each other, so that no sample falls between them.

The result is a list of fragments for each tile: one for each pixel and surface seen there, with the share of the
pixel's samples it covers. Shading works on fragments, so it does not depend on the number of samples.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import kernel, parallel_kernel
from zeitbild.render.sampling import SAMPLE_COUNTS, sample_offsets

#: Side of a tile in pixels; a power of two.
TILE = 32
#: Parts that the tiles are worked on in; more than there will be threads, so that all are busy to the end.
_STRETCHES = 32
#: Fragments that a tile has room for at first, per pixel; doubled when a tile needs more.
_ROOM = 2
#: Samples whose triangles lean apart by less (cosine) and belong to one patch are shaded together.
_SAME_SURFACE = np.float32(0.97)
#: At the fewest samples, where speed counts, bends are shaded as one up to here.
_SAME_SURFACE_ROUGH = np.float32(0.8)


@dataclass(frozen=True, slots=True, eq=False)
class Fragments:
    """Fragments of all tiles, good until the next ``rasterise``. Tile t owns entries t * room to t * room + counts[t] of each array.

    pixel    [n] int32, place in the tile, row * TILE + column
    triangle [n] int32
    share    [n] float32, covered share of the pixel in (0, 1]
    where    [n, 2] float32, mean position of the covered samples in pixels from the picture's corner
    counts   [tiles] int32
    order    [tiles] int64, in which order threads should take the tiles to be equally busy
    edges    [T, 9] float64, homogeneous edge functions (three coefficients for each corner), for interpolation
    """

    pixel: NDArray[np.int32]
    triangle: NDArray[np.int32]
    share: NDArray[np.float32]
    where: NDArray[np.float32]
    counts: NDArray[np.int32]
    order: NDArray[np.int64]
    room: int
    edges: NDArray[np.float64]


@parallel_kernel
def _set_up(corners, triangles, cull, near, width, height, edges, scaled, boxes):  # type: ignore[no-untyped-def]
    """Edge functions, inverse-depth function and pixel box of each triangle; an empty box for what cannot be seen.

    corners [V, 3] homogeneous pixel coordinates. edges [T, 9] raw, scaled [T, 12] = three edges scaled to pixel
    distances, then 1/w. boxes [T, 4] int32: first column, first row, last column, last row.
    """
    for t in numba.prange(triangles.shape[0]):
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
        if determinant == 0.0 or (cull[t] and determinant > 0.0):
            continue
        low_x, low_y, high_x, high_y = 1e30, 1e30, -1e30, -1e30
        for k in range(3):
            if k == 0:
                px, py, pw, qx, qy, qw = ax, ay, aw, bx, by, bw
            elif k == 1:
                px, py, pw, qx, qy, qw = bx, by, bw, cx, cy, cw
            else:
                px, py, pw, qx, qy, qw = cx, cy, cw, ax, ay, aw
            if pw > near:
                x, y = px / pw, py / pw
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
        edges[t, 0], edges[t, 1], edges[t, 2] = e00, e01, e02
        edges[t, 3], edges[t, 4], edges[t, 5] = e10, e11, e12
        edges[t, 6], edges[t, 7], edges[t, 8] = e20, e21, e22
        sign = 1.0 if determinant > 0.0 else -1.0
        for k in range(3):
            size = max(abs(edges[t, 3 * k]), abs(edges[t, 3 * k + 1]))
            scale = sign / size if size > 0.0 else sign
            for j in range(3):
                scaled[t, 3 * k + j] = edges[t, 3 * k + j] * scale
        for j in range(3):
            scaled[t, 9 + j] = (edges[t, j] + edges[t, 3 + j] + edges[t, 6 + j]) / determinant


@kernel
def _count_bins(boxes, columns, starts):  # type: ignore[no-untyped-def]
    """How many triangles touch each tile, written one place to the right for the running sum."""
    for t in range(boxes.shape[0]):
        for row in range(boxes[t, 1] // TILE, boxes[t, 3] // TILE + 1 if boxes[t, 3] >= 0 else 0):
            for column in range(boxes[t, 0] // TILE, boxes[t, 2] // TILE + 1):
                starts[row * columns + column + 1] += 1


@kernel
def _fill_bins(boxes, columns, at, members):  # type: ignore[no-untyped-def]
    """List the triangles of each tile in rising order; ``at`` holds each tile's next free place."""
    for t in range(boxes.shape[0]):
        for row in range(boxes[t, 1] // TILE, boxes[t, 3] // TILE + 1 if boxes[t, 3] >= 0 else 0):
            for column in range(boxes[t, 0] // TILE, boxes[t, 2] // TILE + 1):
                tile = row * columns + column
                members[at[tile]] = t
                at[tile] += 1


def _rasteriser(samples: int) -> Any:
    """The tile kernel for one number of samples: a constant, so that the sample loop becomes vector instructions.

    It captures only numbers and calls nothing compiled, since numba does not cache closures that call closures.
    """
    count = samples
    tile_side, stretches = TILE, _STRETCHES
    tiny, zero = np.float32(1.4e-45), np.float32(0.0)
    # Room for rounding when a whole pixel is taken for inside.
    slack = np.float32(1e-4)
    same = _SAME_SURFACE if samples > 4 else _SAME_SURFACE_ROUGH

    def rasterise(  # type: ignore[no-untyped-def]
        order,
        scaled,
        boxes,
        offsets,
        gaps,
        across,
        down,
        starts,
        members,
        patches,
        facing,
        near,
        width,
        height,
        columns,
        room,
        pixel,
        triangle,
        share,
        where,
        counts,
        alpha,
        depth,
    ):  # type: ignore[no-untyped-def]
        # Buffers are made once for a stretch of tiles: making them for each tile costs more than drawing it.
        for stretch in numba.prange(stretches):
            nearness = np.empty((tile_side * tile_side, count), np.float32)
            seen = np.empty((tile_side * tile_side, count), np.int32)
            touched = np.empty(tile_side * tile_side, np.uint8)
            lead, size, chosen = np.empty(count, np.int32), np.empty(count, np.int32), np.empty(count, np.int32)
            sum_x, sum_y, shortest = np.empty(count), np.empty(count), np.empty(count)
            for turn in range(stretch * order.shape[0] // stretches, (stretch + 1) * order.shape[0] // stretches):
                tile = order[turn]
                counts[tile] = 0
                first, last = starts[tile], starts[tile + 1]
                x0, y0 = (tile % columns) * tile_side, (tile // columns) * tile_side
                x1, y1 = min(width, x0 + tile_side), min(height, y0 + tile_side)
                if first == last:
                    for y in range(y0, y1):
                        for x in range(x0, x1):
                            alpha[y, x] = np.float32(0.0)
                            depth[y, x] = np.float32(1e10)
                    continue
                touched[:] = 0
                farthest = np.float32(1.0 / near)
                for k in range(first, last):
                    t = members[k]
                    own = np.int32(t)
                    a0, b0, c0 = scaled[t, 0], scaled[t, 1], scaled[t, 2]
                    a1, b1, c1 = scaled[t, 3], scaled[t, 4], scaled[t, 5]
                    a2, b2, c2 = scaled[t, 6], scaled[t, 7], scaled[t, 8]
                    az, bz, cz = scaled[t, 9], scaled[t, 10], scaled[t, 11]
                    f0, g0, f1, g1 = np.float32(a0), np.float32(b0), np.float32(a1), np.float32(b1)
                    f2, g2, fz, gz = np.float32(a2), np.float32(b2), np.float32(az), np.float32(bz)
                    # Least and greatest that an edge function changes by within a pixel.
                    least_0, most_0 = min(f0, zero) + min(g0, zero), max(f0, zero) + max(g0, zero)
                    least_1, most_1 = min(f1, zero) + min(g1, zero), max(f1, zero) + max(g1, zero)
                    least_2, most_2 = min(f2, zero) + min(g2, zero), max(f2, zero) + max(g2, zero)
                    # A sample exactly on an edge belongs to the triangle on its left, or above if the edge is level.
                    t0 = -tiny if (a0 > 0 or (a0 == 0 and b0 > 0)) else zero
                    t1 = -tiny if (a1 > 0 or (a1 == 0 and b1 > 0)) else zero
                    t2 = -tiny if (a2 > 0 or (a2 == 0 and b2 > 0)) else zero
                    left, right = max(boxes[t, 0], x0), min(boxes[t, 2], x1 - 1)
                    top, bottom = max(boxes[t, 1], y0), min(boxes[t, 3], y1 - 1)
                    wide = right - left > 3
                    for y in range(top, bottom + 1):
                        begin, end = left, right
                        if wide:
                            # Columns where each edge function can be positive anywhere in the row's pixels.
                            for e in range(3):
                                a = a0 if e == 0 else (a1 if e == 1 else a2)
                                b = b0 if e == 0 else (b1 if e == 1 else b2)
                                c = c0 if e == 0 else (c1 if e == 1 else c2)
                                best = b * y + c + max(b, 0.0)
                                if a > 1e-12:
                                    limit = -best / a - 1.0
                                    if limit > begin:
                                        begin = int(min(limit, 1e8))
                                elif a < -1e-12:
                                    limit = -best / a + 1.0
                                    if limit < end:
                                        end = int(max(limit, -1.0))
                                elif best < -1e-6:
                                    end = -1
                        for x in range(begin, end + 1):
                            v0 = np.float32(a0 * x + b0 * y + c0)
                            v1 = np.float32(a1 * x + b1 * y + c1)
                            v2 = np.float32(a2 * x + b2 * y + c2)
                            if v0 + most_0 < zero or v1 + most_1 < zero or v2 + most_2 < zero:
                                continue
                            p = (y - y0) * tile_side + (x - x0)
                            if touched[p] == 0:
                                touched[p] = 1
                                for s in range(count):
                                    nearness[p, s] = zero
                                    seen[p, s] = np.int32(-1)
                            vz = np.float32(az * x + bz * y + cz)
                            if v0 + least_0 > slack and v1 + least_1 > slack and v2 + least_2 > slack:
                                for s in range(count):
                                    held, behind = seen[p, s], nearness[p, s]
                                    z = vz + (fz * across[s] + gz * down[s])
                                    inside = (z > behind) & (z <= farthest)
                                    nearness[p, s] = z if inside else behind
                                    seen[p, s] = own if inside else held
                            else:
                                for s in range(count):
                                    held, behind = seen[p, s], nearness[p, s]
                                    sx, sy = across[s], down[s]
                                    z = vz + (fz * sx + gz * sy)
                                    inside = (
                                        (v0 + (f0 * sx + g0 * sy) > t0)
                                        & (v1 + (f1 * sx + g1 * sy) > t1)
                                        & (v2 + (f2 * sx + g2 * sy) > t2)
                                        & (z > behind)
                                        & (z <= farthest)
                                    )
                                    nearness[p, s] = z if inside else behind
                                    seen[p, s] = own if inside else held
                used = 0
                base = tile * room
                for y in range(y0, y1):
                    for x in range(x0, x1):
                        p = (y - y0) * tile_side + (x - x0)
                        if touched[p] == 0:
                            alpha[y, x] = zero
                            depth[y, x] = np.float32(1e10)
                            continue
                        only = seen[p, 0]
                        differing = 0
                        closest = np.float32(0.0)
                        for s in range(count):
                            differing += 1 if seen[p, s] != only else 0
                            closest = max(closest, nearness[p, s])
                        depth[y, x] = np.float32(1.0) / closest if closest > 0 else np.float32(1e10)
                        if differing == 0:
                            alpha[y, x] = np.float32(1.0) if only >= 0 else np.float32(0.0)
                            if only >= 0:
                                if used < room:
                                    pixel[base + used], triangle[base + used] = p, only
                                    share[base + used] = np.float32(1.0)
                                    where[base + used, 0] = np.float32(x + 0.5)
                                    where[base + used, 1] = np.float32(y + 0.5)
                                used += 1
                            continue
                        groups, covered, last_seen, last_group = 0, 0, -1, 0
                        for s in range(count):
                            t = seen[p, s]
                            if t < 0:
                                continue
                            covered += 1
                            g = last_group
                            if t != last_seen:
                                g = 0
                                while g < groups:
                                    other = lead[g]
                                    if other == t or (
                                        patches[other] == patches[t]
                                        and facing[other, 0] * facing[t, 0]
                                        + facing[other, 1] * facing[t, 1]
                                        + facing[other, 2] * facing[t, 2]
                                        > same
                                    ):
                                        break
                                    g += 1
                                if g == groups:
                                    lead[g], size[g], sum_x[g], sum_y[g], shortest[g] = t, 0, 0.0, 0.0, 9.0
                                    groups += 1
                                last_seen, last_group = t, g
                            size[g] += 1
                            sum_x[g] += offsets[s, 0]
                            sum_y[g] += offsets[s, 1]
                            if gaps[s] < shortest[g]:
                                shortest[g], chosen[g] = gaps[s], t
                        alpha[y, x] = np.float32(covered / count)
                        for g in range(groups):
                            if used < room:
                                pixel[base + used], triangle[base + used] = p, chosen[g]
                                share[base + used] = np.float32(size[g] / count)
                                where[base + used, 0] = np.float32(x + sum_x[g] / size[g])
                                where[base + used, 1] = np.float32(y + sum_y[g] / size[g])
                            used += 1
                counts[tile] = used

    return parallel_kernel(rasterise)


_RASTERISERS = {samples: _rasteriser(samples) for samples in SAMPLE_COUNTS}


#: Fragments up to which their arrays are kept from one picture to the next (20 bytes each).
_KEPT = 4_000_000
_kept: dict[int, tuple[Any, Any, Any, Any]] = {}


def _room_for(total: int) -> tuple[Any, Any, Any, Any]:
    """Arrays for fragments. Fresh memory costs as much as filling it, so those of the last pictures are used again."""
    if total in _kept:
        return _kept[total]
    made = (
        np.empty(total, np.int32),
        np.empty(total, np.int32),
        np.empty(total, np.float32),
        np.empty((total, 2), np.float32),
    )
    if total <= _KEPT:
        while len(_kept) >= 2:
            _kept.pop(next(iter(_kept)))
        _kept[total] = made
    return made


def _spread(count: int) -> NDArray[np.int64]:
    """Numbers below ``count`` in steps of the golden section: any stretch of them samples the whole picture evenly.

    Threads get stretches of equal length; without this one thread would get the full half of a picture.
    """
    step = max(1, int(count * 0.618))
    while math.gcd(step, count) > 1:
        step += 1
    return np.arange(count, dtype=np.int64) * step % count


def rasterise(
    corners: NDArray[np.float64],
    triangles: NDArray[np.int32],
    cull: NDArray[np.bool_],
    patches: NDArray[np.int32],
    facing: NDArray[np.float32],
    *,
    near: float,
    width: int,
    height: int,
    samples: int,
) -> tuple[Fragments, NDArray[np.float32], NDArray[np.float32]]:
    """Fragments, alpha [H, W] in 0..1 and depth [H, W] of triangles over homogeneous corners [V, 3].

    cull [T] tells which triangles are left out when they face away; patches [T] and facing [T, 3] (unit normals)
    tell which samples share a shading. Hold ``kernels.PARALLEL``. Float32 outputs; depth as in ``Picture``.
    """
    offsets = sample_offsets(samples)
    # Of the triangles shaded together, the one nearest to the pixel's middle stands for all.
    gaps = ((offsets - 0.5) ** 2).sum(axis=1)
    across, down = (np.ascontiguousarray(offsets[:, axis], dtype=np.float32) for axis in (0, 1))
    count = len(triangles)
    edges, scaled = np.empty((count, 9)), np.empty((count, 12))
    boxes = np.empty((count, 4), np.int32)
    _set_up(corners, triangles, cull, near, width, height, edges, scaled, boxes)
    columns, rows = -(-width // TILE), -(-height // TILE)
    starts = np.zeros(columns * rows + 1, np.int64)
    _count_bins(boxes, columns, starts)
    starts = np.cumsum(starts)
    members = np.empty(int(starts[-1]), np.int32)
    _fill_bins(boxes, columns, starts[:-1].copy(), members)
    alpha, depth = np.empty((height, width), np.float32), np.empty((height, width), np.float32)
    counts = np.empty(columns * rows, np.int32)
    order = _spread(columns * rows)
    room = TILE * TILE * _ROOM
    while True:
        pixel, triangle, share, where = _room_for(columns * rows * room)
        _RASTERISERS[samples](
            order,
            scaled,
            boxes,
            offsets,
            gaps,
            across,
            down,
            starts,
            members,
            patches,
            facing,
            near,
            width,
            height,
            columns,
            room,
            pixel,
            triangle,
            share,
            where,
            counts,
            alpha,
            depth,
        )
        most = int(counts.max(initial=0))
        if most <= room:
            return Fragments(pixel, triangle, share, where, counts, order, room, edges), alpha, depth
        room = max(2 * room, most)
