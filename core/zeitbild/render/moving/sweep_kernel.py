"""The kernel that draws a stretch of open shutter: every sample of a pixel has a moment of its own.

Moving edges are seen at as many moments as there are. Rays are cast once for each pixel and surface of the stretch (its
fragments); what it looks like is worked out for each of several slices of time and for each way it faces (its places), where
the middle one of the samples met it.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import inlined_kernel, parallel_kernel
from zeitbild.render.shade.shading import has_textures
from zeitbild.render.visible.surface import bend_over
from zeitbild.render.visible.triangle_setup import BELOW, ENDLESS, TILE

#: Samples of a pixel in a stretch at most.
LANES = 64
#: Parts that the tiles are worked on in; more than there will be threads, so that all are busy to the end.
_STRETCHES = 32
_ZERO, _HALF, _ONE, _TINY = np.float32(0), np.float32(0.5), np.float32(1), np.float32(1.4e-45)
_BELOW, _ENDLESS = np.float32(BELOW), np.float32(ENDLESS)
#: Cosine of what a place's own normal may lean from the mean of those at both of its ends; how far beyond its triangle an end may be seen, in
#: shares of its corners.
_NEAR, _BEYOND_IT = np.float32(0.8), _HALF
#: Radians that the normal turns while a place is seen, at most.
_MOST_BEND = np.float32(0.5)
_LANES, _TILE = LANES, TILE
#: Columns from which on it is worked out which of a row a triangle can reach; what is nearly level is not asked. Room for rounding, in pixels;
#: and farther than any column.
_NARROW, _LEVEL, _SPARE, _BEYOND = 6, np.float32(1e-4), np.float32(0.02), np.float32(4 * TILE)
#: Slices of a stretch that are shaded on their own at most.
MOST_SLICES = 16
_MOST_SLICES = MOST_SLICES
#: Slots of a table of groups, twice as many as there can be, and what spreads keys over them (Knuth 1973, section 6.4).
_SLOTS, _SPREAD = 128, 2654435761


class Stood(NamedTuple):
    """Of each place of a stretch: parent [m] the fragment that it belongs to, time [m] when in the stretch (0 to 1) it was met, ends [m, 2]
    the triangles that its first and last sample met, end_times [m, 2] when it begins and ends, end_shares [m, 2, 2] the shares of those
    triangles' second and third corner that the pixel's middle shows then, or, where that is far beyond them, the sample."""

    parent: NDArray[np.int32]
    time: NDArray[np.float32]
    ends: NDArray[np.int32]
    end_times: NDArray[np.float32]
    end_shares: NDArray[np.float32]


class Drawn(NamedTuple):
    """The triangles of each moment of a stretch set up and sorted into tiles: scaled [M, T, 12] and boxes [M, T, 4] from
    ``triangle_setup``; starts [M, tiles + 1] those of members, where each moment's triangles of a tile stand; corners [M, V, 3]
    their homogeneous corners, which triangles [T, 3] number."""

    scaled: NDArray[np.float64]
    boxes: NDArray[np.int32]
    starts: NDArray[np.int64]
    members: NDArray[np.int32]
    corners: NDArray[np.float32]
    triangles: NDArray[np.int32]


class Sampling(NamedTuple):
    """Where in the pixel samples lie, earliest first: across and down [S]; varied [S, 2] the same differently in every stretch, for what
    patterns go by."""

    across: NDArray[np.float32]
    down: NDArray[np.float32]
    varied: NDArray[np.float32]


class Telling(NamedTuple):
    """Which samples of a pixel are one: keys [T] are the same for what takes rays as one surface, fine_keys [T] for what is shaded as one in
    each of so many slices of time (up to MOST_SLICES) if the triangle is moving [T]."""

    keys: NDArray[np.int64]
    fine_keys: NDArray[np.int64]
    moving: NDArray[np.bool_]
    slices: int


class Middle(NamedTuple):
    """The picture at the middle of a stretch: edges [T, 9] and sizes [T] (their determinants); forward [4] gives w of a point."""

    edges: NDArray[np.float64]
    sizes: NDArray[np.float64]
    forward: NDArray[np.float32]


def _directions() -> NDArray[np.int64]:
    """Direction numbers [3, 6] of the first three dimensions of Sobol's sequence, as whole 64ths.

    Sobol 1967, On the distribution of points in a cube; first numbers 1 / 1 / 1, 3 of the polynomials x + 1 and
    x^2 + x + 1 (Joe and Kuo 2003).
    """
    plain = [1 << (5 - k) for k in range(6)]
    second, third = [1], [1, 3]
    while len(second) < 6:
        second.append(2 * second[-1] ^ second[-1])
    while len(third) < 6:
        third.append(2 * third[-1] ^ 4 * third[-2] ^ third[-2])
    return np.array([plain, *([m << (5 - k) for k, m in enumerate(row)] for row in (second, third))])


def sample_times(count: int) -> NDArray[np.float64]:
    """Position in the pixel and time [count, 3], each in 0..1 and evenly spread, earliest first; count a power of two."""
    points = np.zeros((count, 3), np.int64)
    for row, numbers in enumerate(_directions()):
        for bit, number in enumerate(numbers):
            points[:, row] ^= np.where(np.arange(count) >> bit & 1, number, 0)
    spread: NDArray[np.float64] = points[points[:, 2].argsort()] / LANES + 0.5 / count
    return spread


@inlined_kernel
def _held(share):  # type: ignore[no-untyped-def]
    """A share of a corner, not far beyond its triangle."""
    return min(max(share, -_BEYOND_IT), _ONE + _BEYOND_IT)


@inlined_kernel
def _is_near(second, third):  # type: ignore[no-untyped-def]
    """Whether shares of a triangle's corners are those of a point of it, or of one not far beyond."""
    least = min(second, third, _ONE - second - third)
    return least >= -_BEYOND_IT


@inlined_kernel
def _shares_at(corners, triangles, m, t, u, v):  # type: ignore[no-untyped-def]
    """The shares of triangle t's second and third corner that is seen at (u, v) at moment m, wherever that is on its plane."""
    a, b, c = corners[m, triangles[t, 0]], corners[m, triangles[t, 1]], corners[m, triangles[t, 2]]
    # Seen from there, so that single precision does.
    ax, ay, bx, by = a[0] - u * a[2], a[1] - v * a[2], b[0] - u * b[2], b[1] - v * b[2]
    cx, cy = c[0] - u * c[2], c[1] - v * c[2]
    e0, e1, e2 = bx * cy - by * cx, cx * ay - cy * ax, ax * by - ay * bx
    total = e0 + e1 + e2
    scale = _ONE / total if total != _ZERO else _ZERO
    return e1 * scale, e2 * scale


@parallel_kernel
def sweep(fragments, places, stood, drawn, sampling, telling, near, alpha, depth, own_ones, passed):  # type: ignore[no-untyped-def]
    """Fragments of a stretch, and the places at which they are shaded, both ``visibility.Fragments`` of which where [n, 2] are the shares of
    a triangle's second and third corner in the place that stands for one, and at [n, 2] of fragments its pixel and ``varied``.

    The other records are those of this module. A pixel has S samples, each moment S / M of them; both are powers of two, S at most LANES.
    Of the triangles of own_ones [T] (not 0) samples see what is behind so many surfaces, passed, as in ``tile_kernel``.
    """
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    pixel, triangle, share = fragments.pixel, fragments.triangle, fragments.share
    where, at = fragments.where, fragments.at
    fine_firsts, fine_counts, fine_pixel = places.firsts, places.counts, places.pixel
    fine_triangle, fine_share, fine_where = places.triangle, places.share, places.where
    parent, time, ends, end_times, end_shares = stood
    scaled, boxes, starts, members, corners, triangles = drawn
    across, down, varied = sampling
    keys, fine_keys, moving, slices = telling
    height, columns = alpha.shape[0], (width + _TILE - 1) // _TILE
    moments, lanes = scaled.shape[0], across.shape[0]
    each, bits = lanes // moments, 0
    while 1 << bits < each:
        bits += 1
    for stretch in numba.prange(_STRETCHES):
        # One moment after the other, each in little memory; kept of it is what its samples saw.
        nearness = np.empty(_TILE * _TILE * each, np.float32)
        ceiling = np.full(_TILE * _TILE * each if passed > 0 else 1, _ENDLESS, np.float32)
        # Rows a little longer than a power of two, or all moments of a pixel would share a few lines of the cache.
        seen = np.empty((moments, _TILE * _TILE * each + 48), np.int32)
        closest = np.empty(_TILE * _TILE, np.float32)
        size, met, group_of = np.empty(_LANES, np.int32), np.empty(_LANES, np.int32), np.empty(_LANES, np.int32)
        # Groups of a pixel by the keys of their surfaces; what other pixels left is told apart by their number.
        used_by, key_of, entry = np.full(_SLOTS, -1, np.int64), np.empty(_SLOTS, np.int64), np.empty(_SLOTS, np.int64)
        fine_used_by, fine_key_of = np.full(_SLOTS, -1, np.int64), np.empty(_SLOTS, np.int64)
        fine_entry, place_of = np.empty(_SLOTS, np.int64), np.empty(_LANES, np.int32)
        fine_size, fine_met = np.empty(_LANES, np.int32), np.empty(_LANES, np.int32)
        lane_from, lane_to = np.empty(_LANES, np.int32), np.empty(_LANES, np.int32)
        for turn in range(stretch * order.shape[0] // _STRETCHES, (stretch + 1) * order.shape[0] // _STRETCHES):
            tile = order[turn]
            counts[tile] = 0
            x0, y0 = (tile % columns) * _TILE, (tile // columns) * _TILE
            x1, y1 = min(width, x0 + _TILE), min(height, y0 + _TILE)
            empty = True
            for m in range(moments):
                if starts[m, tile] < starts[m, tile + 1]:
                    empty = False
            for y in range(y0, y1):
                alpha[y, x0:x1] = _ZERO
                depth[y, x0:x1] = np.float32(1e10)
            if empty:
                continue
            closest[:] = _ZERO
            farthest = np.float32(1.0 / near)
            for m in range(moments):
                first_lane = m * each
                nearness[:] = _ZERO
                found = seen[m]
                found[:] = np.int32(-1)
                first, last = starts[m, tile], starts[m, tile + 1]
                ceiling[:] = _ENDLESS
                for turn_of_members in range((passed + 2 if passed > 0 else 1) * (last - first)):
                    k = first + turn_of_members % (last - first)
                    t = members[k]
                    own = np.int32(t)
                    if passed > 0:
                        layer = turn_of_members // (last - first)
                        if k == first and layer > 0:
                            if layer <= passed:
                                ceiling[:] = nearness * _BELOW
                                nearness[:] = _ZERO
                                found[:] = np.int32(-1)
                            else:
                                ceiling[:] = _ENDLESS
                        if (own_ones[t] != 0) != (layer <= passed):
                            continue
                    a0, b0, c0 = scaled[m, t, 0], scaled[m, t, 1], scaled[m, t, 2]
                    a1, b1, c1 = scaled[m, t, 3], scaled[m, t, 4], scaled[m, t, 5]
                    a2, b2, c2 = scaled[m, t, 6], scaled[m, t, 7], scaled[m, t, 8]
                    az, bz, cz = scaled[m, t, 9], scaled[m, t, 10], scaled[m, t, 11]
                    f0, g0, f1, g1 = np.float32(a0), np.float32(b0), np.float32(a1), np.float32(b1)
                    f2, g2, fz, gz = np.float32(a2), np.float32(b2), np.float32(az), np.float32(bz)
                    # The same rule for samples on an edge as in ``tile_kernel``.
                    t0 = -_TINY if (a0 > 0 or (a0 == 0 and b0 > 0)) else _ZERO
                    t1 = -_TINY if (a1 > 0 or (a1 == 0 and b1 > 0)) else _ZERO
                    t2 = -_TINY if (a2 > 0 or (a2 == 0 and b2 > 0)) else _ZERO
                    left, right = max(boxes[m, t, 0], x0) - x0, min(boxes[m, t, 2], x1 - 1) - x0
                    # From the tile's corner on single precision does, and negative edges are exact negatives still.
                    corner_0, corner_1 = np.float32(a0 * x0 + b0 * y0 + c0), np.float32(a1 * x0 + b1 * y0 + c1)
                    corner_2, corner_z = np.float32(a2 * x0 + b2 * y0 + c2), np.float32(az * x0 + bz * y0 + cz)
                    wide = right - left > _NARROW
                    inverse_0, inverse_1, inverse_2 = _ONE / f0, _ONE / f1, _ONE / f2
                    for own_lane in range(each):
                        sx, sy = across[first_lane + own_lane], down[first_lane + own_lane]
                        v0, v1 = corner_0 + f0 * sx, corner_1 + f1 * sx
                        v2, vz = corner_2 + f2 * sx, corner_z + fz * sx
                        for row in range(max(boxes[m, t, 1], y0) - y0, min(boxes[m, t, 3], y1 - 1) - y0 + 1):
                            y = np.float32(row) + sy
                            row_0, row_1, row_2, row_z = v0 + g0 * y, v1 + g1 * y, v2 + g2 * y, vz + gz * y
                            from_place = (own_lane * _TILE + row) * _TILE
                            begin, end = left, right
                            if wide:
                                # Columns where each edge function can be positive.
                                for e in range(3):
                                    f = f0 if e == 0 else (f1 if e == 1 else f2)
                                    v = row_0 if e == 0 else (row_1 if e == 1 else row_2)
                                    inverse = inverse_0 if e == 0 else (inverse_1 if e == 1 else inverse_2)
                                    limit = min(max(-v * inverse, -_BEYOND), _BEYOND)
                                    if f > _LEVEL:
                                        begin = max(begin, int(limit - _SPARE))
                                    elif f < -_LEVEL:
                                        end = min(end, math.floor(limit + _SPARE))
                            for column in range(begin, end + 1):
                                x, place = np.float32(column), from_place + column
                                z = row_z + fz * x
                                inside = (row_0 + f0 * x > t0) & (row_1 + f1 * x > t1) & (row_2 + f2 * x > t2)
                                inside &= (z > nearness[place]) & (z <= farthest)
                                if passed > 0:
                                    inside &= z < ceiling[place]
                                if inside:
                                    nearness[place] = z
                                    found[place] = own
                for own_lane in range(each):
                    for p in range(_TILE * _TILE):
                        closest[p] = max(closest[p], nearness[own_lane * _TILE * _TILE + p])
            used = fine_used = 0
            base, fine_base = firsts[tile], fine_firsts[tile]
            room, fine_room = firsts[tile + 1] - base, fine_firsts[tile + 1] - fine_base
            for p in range(_TILE * _TILE):
                if closest[p] == _ZERO:
                    continue
                y, x = y0 + p // _TILE, x0 + p % _TILE
                groups, spots, covered, mine = 0, 0, 0, tile * _TILE * _TILE + p
                last_t, last_slice, last_g, last_place = np.int32(-1), -1, 0, 0
                for s in range(lanes):
                    t = seen[s >> bits, (s & (each - 1)) * _TILE * _TILE + p]
                    group_of[s] = np.int32(-1)
                    if t < 0:
                        continue
                    covered += 1
                    slice_of = (s * slices) // lanes if moving[t] else 0
                    if t != last_t or slice_of != last_slice:
                        slot = (keys[t] * _SPREAD >> 20) & (_SLOTS - 1)
                        while used_by[slot] == mine and key_of[slot] != keys[t]:
                            slot = (slot + 1) & (_SLOTS - 1)
                        if used_by[slot] != mine:
                            used_by[slot], key_of[slot], entry[slot] = mine, keys[t], groups
                            size[groups], met[groups] = np.int32(0), np.int32(0)
                            groups += 1
                        fine = fine_keys[t] * _MOST_SLICES + slice_of
                        at_slot = (fine * _SPREAD >> 20) & (_SLOTS - 1)
                        while fine_used_by[at_slot] == mine and fine_key_of[at_slot] != fine:
                            at_slot = (at_slot + 1) & (_SLOTS - 1)
                        if fine_used_by[at_slot] != mine:
                            fine_used_by[at_slot], fine_key_of[at_slot], fine_entry[at_slot] = mine, fine, spots
                            fine_size[spots], fine_met[spots] = np.int32(0), np.int32(0)
                            lane_from[spots] = np.int32(s)
                            spots += 1
                        last_t, last_slice, last_g, last_place = t, slice_of, entry[slot], fine_entry[at_slot]
                    group_of[s], place_of[s] = np.int32(last_g), np.int32(last_place)
                    size[last_g] += np.int32(1)
                    fine_size[last_place] += np.int32(1)
                    lane_to[last_place] = np.int32(s)
                alpha[y, x] = np.float32(covered / lanes)
                depth[y, x] = _ONE / closest[p]
                if used + groups > room or fine_used + spots > fine_room:
                    used += groups
                    fine_used += spots
                    continue
                for s in range(lanes):
                    g = group_of[s]
                    if g < 0:
                        continue
                    h = place_of[s]
                    # The middle one in time stands for all.
                    fine_stands = fine_met[h] == fine_size[h] // 2
                    met[g] += np.int32(1)
                    # The first place from the middle on stands for the fragment too.
                    stands = met[g] > 0 and ((fine_stands and 2 * met[g] > size[g]) or met[g] == size[g])
                    fine_met[h] += np.int32(1)
                    if not (stands or fine_stands):
                        continue
                    if stands:
                        met[g] = np.int32(-_LANES)
                    m = s >> bits
                    t = seen[m, (s & (each - 1)) * _TILE * _TILE + p]
                    u, v = np.float32(x) + across[s], np.float32(y) + down[s]
                    second, third = _shares_at(corners, triangles, m, t, u, v)
                    if stands:
                        f = base + used + g
                        pixel[f], triangle[f] = np.int32(p), t
                        share[f] = np.float32(size[g] / lanes)
                        where[f, 0], where[f, 1] = second, third
                        at[f, 0], at[f, 1] = np.float32(x) + varied[s, 0], np.float32(y) + varied[s, 1]
                    if fine_stands:
                        f = fine_base + fine_used + h
                        fine_pixel[f], fine_triangle[f] = np.int32(p), t
                        fine_share[f] = np.float32(fine_size[h] / lanes)
                        fine_where[f, 0], fine_where[f, 1] = second, third
                        parent[f] = np.int32(base + used + g)
                        time[f] = np.float32((m + 0.5) / moments)
                        for end in range(2):
                            lane = lane_to[h] if end else lane_from[h]
                            own_m = lane >> bits
                            t = seen[own_m, (lane & (each - 1)) * _TILE * _TILE + p]
                            ends[f, end] = t
                            end_times[f, end] = np.float32((own_m + end) / moments)
                            # At the end of the moment, which has a step of its own to the next one, or from the one before.
                            other = own_m + (1 if end else -1)
                            way = _HALF
                            if other < 0 or other >= moments:
                                other, way = own_m - (1 if end else -1), -_HALF
                            # The middle of the pixel tells how normals turn without chance; what is narrower was met where the sample is.
                            u, v = np.float32(x) + _HALF, np.float32(y) + _HALF
                            second, third = _shares_at(corners, triangles, own_m, t, u, v)
                            if not _is_near(second, third):
                                u, v = np.float32(x) + across[lane], np.float32(y) + down[lane]
                                second, third = _shares_at(corners, triangles, own_m, t, u, v)
                            if 0 <= other < moments:
                                next_second, next_third = _shares_at(corners, triangles, other, t, u, v)
                                second += way * (next_second - second)
                                third += way * (next_third - third)
                            end_shares[f, end, 0], end_shares[f, end, 1] = second, third
                used += groups
                fine_used += spots
            counts[tile], fine_counts[tile] = used, fine_used


@parallel_kernel
def find_runs(fragments, first, many):  # type: ignore[no-untyped-def]
    """Where the fragments of each pixel begin and how many they are: first and many [H, W] of ``lists.Runs``."""
    order, counts, firsts, pixel, width = (
        fragments.order,
        fragments.counts,
        fragments.firsts,
        fragments.pixel,
        fragments.width,
    )
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        for row in range(top, min(top + _TILE, first.shape[0])):
            for column in range(left, min(left + _TILE, width)):
                first[row, column], many[row, column] = np.int32(-1), np.int32(0)
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            row, column = top + pixel[f] // _TILE, left + pixel[f] % _TILE
            if many[row, column] == 0:
                first[row, column] = np.int32(f)
            many[row, column] += np.int32(1)


@parallel_kernel
def take_over(fragments, surfaces, middle, stood, finishes, ways, eye, spots, values, rayed):  # type: ignore[no-untyped-def]
    """What was found out about a surface of a pixel, for its places (``fragments``): values [n, C] into rayed [m, C]; and spots [m, SPOT],
    which are those of the stretch's middle, moved to each place's own time (ways as in ``tracing.trace``; eye from
    ``stage.viewpoint``), with how far the normal turns while the place is seen: from what the middle of the pixel showed when it began to what
    it showed when it ended, and over its pixel, as in the picture at the stretch's middle.

    Textured surfaces stay where they are: their textures are laid on as at the middle.
    """
    order, counts, firsts = fragments.order, fragments.counts, fragments.firsts
    triangle, where = fragments.triangle, fragments.where
    places, normals, finish_of = surfaces
    parent, time, ends, end_times, end_shares = stood
    edges, sizes, forward = middle
    moves, way_of = ways
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            if rayed.shape[0] > 0:
                for c in range(rayed.shape[1]):
                    rayed[f, c] = values[parent[f], c]
            finish = finish_of[triangle[f]]
            spot = spots[f]
            if has_textures(finishes, finish):
                spot[12] = spot[13] = spot[14] = _ZERO
                continue
            move = moves[way_of[triangle[f]], 0 if time[f] < _HALF else 1]
            far = abs(np.float32(2) * time[f] - _ONE)
            for first in (0, 3, 6):
                x, y, z = spot[first], spot[first + 1], spot[first + 2]
                along = far if first == 0 else _ZERO
                spot[first] = x + far * (move[0] * x + move[1] * y + move[2] * z) + along * move[3]
                spot[first + 1] = y + far * (move[4] * x + move[5] * y + move[6] * z) + along * move[7]
                spot[first + 2] = z + far * (move[8] * x + move[9] * y + move[10] * z) + along * move[11]
            vx, vy, vz = eye[0] - eye[3] * spot[0], eye[1] - eye[3] * spot[1], eye[2] - eye[3] * spot[2]
            scale = _ONE / math.sqrt(max(vx * vx + vy * vy + vz * vz, np.float32(1e-30)))
            spot[9], spot[10], spot[11] = vx * scale, vy * scale, vz * scale
            nx, ny, nz = spot[3], spot[4], spot[5]
            scale = _ONE / math.sqrt(max(nx * nx + ny * ny + nz * nz, np.float32(1e-30)))
            nx, ny, nz = nx * scale, ny * scale, nz * scale
            spot[3], spot[4], spot[5] = nx, ny, nz
            bx, by, bz = _ZERO, _ZERO, _ZERO
            mx, my, mz = _ZERO, _ZERO, _ZERO
            for end in range(2):
                at_end = end_times[f, end]
                t = ends[f, end]
                turn_by = moves[way_of[t], 0 if at_end < _HALF else 1]
                far = abs(np.float32(2) * at_end - _ONE)
                second, third = _held(end_shares[f, end, 0]), _held(end_shares[f, end, 1])
                rest = _ONE - second - third
                x = rest * normals[t, 0, 0] + second * normals[t, 1, 0] + third * normals[t, 2, 0]
                y = rest * normals[t, 0, 1] + second * normals[t, 1, 1] + third * normals[t, 2, 1]
                z = rest * normals[t, 0, 2] + second * normals[t, 1, 2] + third * normals[t, 2, 2]
                x, y, z = (
                    x + far * (turn_by[0] * x + turn_by[1] * y + turn_by[2] * z),
                    y + far * (turn_by[4] * x + turn_by[5] * y + turn_by[6] * z),
                    z + far * (turn_by[8] * x + turn_by[9] * y + turn_by[10] * z),
                )
                scale = _ONE / math.sqrt(max(x * x + y * y + z * z, np.float32(1e-30)))
                # Towards the side that is seen, as the place's own.
                scale = scale if x * nx + y * ny + z * nz > _ZERO else -scale
                x, y, z = x * scale, y * scale, z * scale
                sign = _ONE if end else -_ONE
                bx, by, bz = bx + sign * x, by + sign * y, bz + sign * z
                mx, my, mz = mx + x, my + y, mz + z
            # Halfway between both is the middle of what is seen; one sample is anywhere in it.
            length = math.sqrt(mx * mx + my * my + mz * mz)
            if mx * nx + my * ny + mz * nz > _NEAR * length:
                nx, ny, nz = mx / length, my / length, mz / length
                spot[3], spot[4], spot[5] = nx, ny, nz
            along = bx * nx + by * ny + bz * nz
            bx, by, bz = bx - along * nx, by - along * ny, bz - along * nz
            t = triangle[f]
            wb, wc = where[f, 0], where[f, 1]
            wa = _ONE - wb - wc
            px = wa * places[t, 0, 0] + wb * places[t, 1, 0] + wc * places[t, 2, 0]
            py = wa * places[t, 0, 1] + wb * places[t, 1, 1] + wc * places[t, 2, 1]
            pz = wa * places[t, 0, 2] + wb * places[t, 1, 2] + wc * places[t, 2, 2]
            w = forward[0] * px + forward[1] * py + forward[2] * pz + forward[3]
            ox = wa * normals[t, 0, 0] + wb * normals[t, 1, 0] + wc * normals[t, 2, 0]
            oy = wa * normals[t, 0, 1] + wb * normals[t, 1, 1] + wc * normals[t, 2, 1]
            oz = wa * normals[t, 0, 2] + wb * normals[t, 1, 2] + wc * normals[t, 2, 2]
            inverse = np.float64(w) / max(sizes[t], 1e-300)
            sx, sy, sz = bend_over(edges, normals, np.uint64(t), inverse, wa, wb, wc, ox, oy, oz, _ONE)
            square, other = bx * bx + by * by + bz * bz, sx * sx + sy * sy + sz * sz
            if other > square:
                bx, by, bz = sx, sy, sz
            longer = math.sqrt((square + other) / max(max(square, other), np.float32(1e-30)))
            bx, by, bz, square = bx * longer, by * longer, bz * longer, square + other
            scale = _MOST_BEND / math.sqrt(square) if square > _MOST_BEND * _MOST_BEND else _ONE
            spot[12], spot[13], spot[14] = bx * scale, by * scale, bz * scale


@parallel_kernel
def follow(fragments, before, moved, fragments_moved, stood):  # type: ignore[no-untyped-def]
    """Move what ``areas.drop_hidden`` left of a stretch's places (``fragments``), of which each tile had ``before``, and tell them
    the new numbers of the fragments they belong to."""
    order, firsts = fragments.order, fragments.firsts
    parent, time, ends, end_times, end_shares = stood
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        for f in range(firsts[tile], firsts[tile] + before[tile]):
            g = moved[f]
            if g >= 0:
                parent[g], time[g] = fragments_moved[parent[f]], time[f]
                for end in range(2):
                    ends[g, end], end_times[g, end] = ends[f, end], end_times[f, end]
                    for k in range(2):
                        end_shares[g, end, k] = end_shares[f, end, k]
