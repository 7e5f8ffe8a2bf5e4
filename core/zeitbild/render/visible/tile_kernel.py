"""The kernel that draws tiles: samples seen, and fragments gathered from them."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

from zeitbild.kernels import parallel_kernel
from zeitbild.render.visible.sampling import SAMPLE_COUNTS, sample_offsets
from zeitbild.render.visible.triangle_setup import BELOW, ENDLESS, TILE

#: Parts that the tiles are worked on in; more than there will be threads, so that all are busy to the end.
_STRETCHES = 32
#: Samples that a block has at least: two vectors of eight.
VECTOR = 16
#: Samples whose triangles lean apart by less (cosine) and belong to one patch are shaded together.
_SAME_SURFACE = np.float32(0.97)
#: At the fewest samples, where speed counts, bends are shaded as one up to here.
_SAME_SURFACE_ROUGH = np.float32(0.8)


#: Cells a side that a pixel may be cut into.
CELLS = (2, 4, 8)


def _rasteriser(samples: int, again: bool = False, deep: bool = False) -> Any:
    """The tile kernel for one number of samples: constants, so that the loops over samples become vector instructions.

    The kernel that draws ``again`` takes only the pixels of which more places are wanted: as many cells a side as
    sides [H, W] says, 0 for none; each cell gives fragments of its own. It leaves alpha, depth and marks as they are.

    The ``deep`` one draws of some triangles, own [T] (not 0), what each sample would see if so many surfaces of them, passed, were
    taken away before it one after the other; of all others what is nearest.

    A block is a pixel, or at few samples a square of pixels, so that the samples of a block always fill whole vectors.
    It captures only numbers and arrays and calls nothing compiled: numba does not cache closures that call closures.
    """
    count = samples
    side = 2 if samples < VECTOR else 1
    corners = side * side
    lanes, tile_side, stretches = samples * corners, TILE, _STRETCHES
    row_of_blocks = tile_side // side
    blocks = row_of_blocks * row_of_blocks
    tiny, zero, reach = np.float32(1.4e-45), np.float32(0.0), np.float32(side)
    # Room for rounding when a whole block is taken for inside.
    slack = np.float32(1e-4)
    # The same, in blocks, where columns are left out that an edge cannot reach.
    margin = 1e-3
    below, endless = np.float32(BELOW), np.float32(ENDLESS)
    no, yes = np.uint8(0), np.uint8(1)
    few = samples < VECTOR
    none, one = np.int32(0), np.int32(1)
    empty, single, sampled = np.uint8(0), np.uint8(1), np.uint8(2)
    # Of the triangles shaded together, the one nearest to the pixel's middle stands for all: the first, in this order.
    offsets = sample_offsets(samples)
    offsets = offsets[((offsets - 0.5) ** 2).sum(axis=1).argsort(kind="stable")]
    # Whole steps of half a cell, whose sums are exact in any order.
    step_x, step_y = np.ascontiguousarray((2 * samples * offsets).round().astype(np.int32).T)
    step = 0.5 / samples
    turns, all_samples = np.arange(samples, dtype=np.int32), np.int32(samples)
    corner_y, corner_x = np.divmod(np.arange(corners), side)
    across = (corner_x[:, None] + offsets[:, 0]).reshape(-1).astype(np.float32)
    down = (corner_y[:, None] + offsets[:, 1]).reshape(-1).astype(np.float32)
    within = np.zeros((max(CELLS) + 1, count), np.int32)
    for cells in CELLS:
        within[cells] = (offsets[:, 1] * cells).astype(np.int32) * cells + (offsets[:, 0] * cells).astype(np.int32)
    most_cells = max(CELLS) ** 2
    same = _SAME_SURFACE if samples > SAMPLE_COUNTS[0] else _SAME_SURFACE_ROUGH

    def rasterise(  # type: ignore[no-untyped-def]
        fragments, bins, patches, facing, near, marks, alpha, depth, sides, own_ones, passed
    ):  # type: ignore[no-untyped-def]
        order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
        pixel, triangle, share, where = fragments.pixel, fragments.triangle, fragments.share, fragments.where
        scaled, boxes, starts, members = bins
        height, columns = alpha.shape[0], (width + tile_side - 1) // tile_side
        # Buffers are made once for a stretch of tiles: making them for each tile costs more than drawing it.
        for stretch in numba.prange(stretches):
            nearness = np.empty((blocks, lanes), np.float32)
            bits = nearness.view(np.int32)
            seen = np.empty((blocks, lanes), np.int32)
            ceiling = np.empty((blocks if deep else 1, lanes), np.float32)
            # A block that one triangle fills and no other comes near is kept without its samples: that is most of them,
            # and what they cost does not depend on the number of samples.
            state = np.empty(blocks, np.uint8)
            sole = np.empty(blocks, np.int32)
            low, high = np.empty(blocks, np.float32), np.empty(blocks, np.float32)
            lead, size = np.empty(count, np.int32), np.empty(count, np.int32)
            wanted = np.zeros(blocks, np.uint8)
            head, chained = np.empty(most_cells, np.int32), np.empty(count, np.int32)
            recent, recent_group = np.empty(most_cells, np.int32), np.empty(most_cells, np.int32)
            sum_x, sum_y = np.empty(count, np.int32), np.empty(count, np.int32)
            for turn in range(stretch * order.shape[0] // stretches, (stretch + 1) * order.shape[0] // stretches):
                tile = order[turn]
                counts[tile] = 0
                first, last = starts[tile], starts[tile + 1]
                x0, y0 = (tile % columns) * tile_side, (tile // columns) * tile_side
                x1, y1 = min(width, x0 + tile_side), min(height, y0 + tile_side)
                if again:
                    if first == last or firsts[tile] == firsts[tile + 1]:
                        continue
                    box_left, box_right, box_top, box_bottom = tile_side, 0, tile_side, 0
                    for y in range(y0, y1):
                        for x in range(x0, x1):
                            wanted[(y - y0) * tile_side + x - x0] = sides[y, x]
                            if sides[y, x] > 0:
                                box_left, box_right = min(box_left, x - x0), max(box_right, x - x0)
                                box_top, box_bottom = min(box_top, y - y0), max(box_bottom, y - y0)
                else:
                    # Row by row, of which whole vectors are written: most of a picture is empty.
                    for y in range(y0, y1):
                        alpha[y, x0:x1] = zero
                        depth[y, x0:x1] = np.float32(1e10)
                        marks[y, x0:x1] = no
                    if first == last:
                        continue
                state[:] = empty
                farthest = np.float32(1.0 / near)
                for turn_of_members in range((passed + 2) * (last - first) if deep else last - first):
                    k = first + turn_of_members % (last - first)
                    t = members[k]
                    own = np.int32(t)
                    if deep:
                        layer = turn_of_members // (last - first)
                        if k == first and layer > 0:
                            # Behind what is seen so far; what is not of them may stand anywhere.
                            for p in range(blocks):
                                if state[p] == sampled:
                                    for s in range(lanes):
                                        ceiling[p, s] = nearness[p, s] * below if layer <= passed else endless
                                        if layer <= passed:
                                            nearness[p, s] = zero
                                            seen[p, s] = np.int32(-1)
                        if (own_ones[t] != 0) != (layer <= passed):
                            continue
                    a0, b0, c0 = scaled[t, 0], scaled[t, 1], scaled[t, 2]
                    a1, b1, c1 = scaled[t, 3], scaled[t, 4], scaled[t, 5]
                    a2, b2, c2 = scaled[t, 6], scaled[t, 7], scaled[t, 8]
                    az, bz, cz = scaled[t, 9], scaled[t, 10], scaled[t, 11]
                    f0, g0, f1, g1 = np.float32(a0), np.float32(b0), np.float32(a1), np.float32(b1)
                    f2, g2, fz, gz = np.float32(a2), np.float32(b2), np.float32(az), np.float32(bz)
                    # Least and greatest that an edge function changes by within a block.
                    least_0, most_0 = reach * (min(f0, zero) + min(g0, zero)), reach * (max(f0, zero) + max(g0, zero))
                    least_1, most_1 = reach * (min(f1, zero) + min(g1, zero)), reach * (max(f1, zero) + max(g1, zero))
                    least_2, most_2 = reach * (min(f2, zero) + min(g2, zero)), reach * (max(f2, zero) + max(g2, zero))
                    # The same of nearness.
                    least_z, most_z = reach * (min(fz, zero) + min(gz, zero)), reach * (max(fz, zero) + max(gz, zero))
                    exact = False
                    # A sample exactly on an edge belongs to the triangle on its left, or above if the edge is level.
                    t0 = -tiny if (a0 > 0 or (a0 == 0 and b0 > 0)) else zero
                    t1 = -tiny if (a1 > 0 or (a1 == 0 and b1 > 0)) else zero
                    t2 = -tiny if (a2 > 0 or (a2 == 0 and b2 > 0)) else zero
                    left, right = (max(boxes[t, 0], x0) - x0) // side, (min(boxes[t, 2], x1 - 1) - x0) // side
                    top, bottom = (max(boxes[t, 1], y0) - y0) // side, (min(boxes[t, 3], y1 - 1) - y0) // side
                    if again:
                        left, right = max(left, box_left), min(right, box_right)
                        top, bottom = max(top, box_top), min(bottom, box_bottom)
                    wide = right - left > 3
                    # Divided once for all rows.
                    inverse_0, inverse_1, inverse_2 = 1.0 / a0, 1.0 / a1, 1.0 / a2
                    for row in range(top, bottom + 1):
                        y = y0 + row * side
                        begin, end = left, right
                        row_0, row_1, row_2, row_z = b0 * y + c0, b1 * y + c1, b2 * y + c2, bz * y + cz
                        if wide:
                            # Columns where each edge function can be positive anywhere in the row's blocks.
                            for e in range(3):
                                a = a0 if e == 0 else (a1 if e == 1 else a2)
                                b = b0 if e == 0 else (b1 if e == 1 else b2)
                                c = c0 if e == 0 else (c1 if e == 1 else c2)
                                inverse = inverse_0 if e == 0 else (inverse_1 if e == 1 else inverse_2)
                                best = b * y + c + max(b * side, 0.0)
                                if a > 1e-12:
                                    limit = (-best * inverse - x0) / side - margin
                                    if limit > begin:
                                        begin = int(min(limit, 1e8))
                                elif a < -1e-12:
                                    limit = (-best * inverse - x0) / side + margin
                                    if limit < end:
                                        end = int(max(limit, -1.0))
                                elif best < -1e-6:
                                    end = -1
                        for column in range(begin, end + 1):
                            if again and wanted[row * row_of_blocks + column] == 0:
                                continue
                            x = x0 + column * side
                            v0 = np.float32(a0 * x + row_0)
                            v1 = np.float32(a1 * x + row_1)
                            v2 = np.float32(a2 * x + row_2)
                            if v0 + most_0 < zero or v1 + most_1 < zero or v2 + most_2 < zero:
                                continue
                            vz = np.float32(az * x + row_z)
                            p = row * row_of_blocks + column
                            if state[p] == single and vz + most_z <= low[p]:
                                continue
                            whole = v0 + least_0 > slack and v1 + least_1 > slack and v2 + least_2 > slack
                            if deep and state[p] == empty:
                                for s in range(lanes):
                                    nearness[p, s] = zero
                                    seen[p, s] = np.int32(-1)
                                    # What is first met behind something was not met before it.
                                    ceiling[p, s] = endless if layer == 0 or layer > passed else zero
                                state[p] = sampled
                            if state[p] != sampled:
                                if whole and not exact:
                                    # At the very samples: rounding keeps order. Few triangles ever need it.
                                    exact = True
                                    least_z = most_z = fz * across[0] + gz * down[0]
                                    for s in range(1, lanes):
                                        z = fz * across[s] + gz * down[s]
                                        least_z, most_z = min(least_z, z), max(most_z, z)
                                nearest, furthest = vz + most_z, vz + least_z
                                if whole and nearest <= farthest and (state[p] == empty or furthest > high[p]):
                                    state[p], sole[p], low[p], high[p] = single, own, furthest, nearest
                                    continue
                                if state[p] == empty:
                                    for s in range(lanes):
                                        nearness[p, s] = zero
                                        seen[p, s] = np.int32(-1)
                                else:
                                    only = sole[p]
                                    kept_z = np.float32(scaled[only, 9] * x + (scaled[only, 10] * y + scaled[only, 11]))
                                    kept_f, kept_g = np.float32(scaled[only, 9]), np.float32(scaled[only, 10])
                                    for s in range(lanes):
                                        nearness[p, s] = kept_z + (kept_f * across[s] + kept_g * down[s])
                                        seen[p, s] = only
                                state[p] = sampled
                            if whole and not deep:
                                for s in range(lanes):
                                    held, behind = seen[p, s], nearness[p, s]
                                    z = vz + (fz * across[s] + gz * down[s])
                                    inside = (z > behind) & (z <= farthest)
                                    nearness[p, s] = z if inside else behind
                                    seen[p, s] = own if inside else held
                            else:
                                for s in range(lanes):
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
                                    if deep:
                                        inside &= z < ceiling[p, s]
                                    nearness[p, s] = z if inside else behind
                                    seen[p, s] = own if inside else held
                used = 0
                base = firsts[tile]
                room = firsts[tile + 1] - base
                for p in range(blocks):
                    if state[p] == empty:
                        continue
                    if again:
                        cells = np.int32(wanted[p])
                        y, x = y0 + p // tile_side, x0 + p % tile_side
                        if cells == 0 or y >= y1 or x >= x1:
                            continue
                        if state[p] == single:
                            part = np.float32(1.0) / np.float32(cells * cells)
                            for cell in range(cells * cells):
                                if used < room:
                                    pixel[base + used], triangle[base + used] = p, sole[p]
                                    share[base + used] = part
                                    where[base + used, 0] = np.float32(x + (cell % cells + 0.5) / cells)
                                    where[base + used, 1] = np.float32(y + (cell // cells + 0.5) / cells)
                                used += 1
                            continue
                        groups = none
                        for cell in range(cells * cells):
                            head[cell] = recent[cell] = np.int32(-1)
                        for s in range(count):
                            t = seen[p, s]
                            if t < 0:
                                continue
                            cell = within[cells, s]
                            if recent[cell] == t:
                                g = recent_group[cell]
                                size[g] += one
                                sum_x[g] += step_x[s]
                                sum_y[g] += step_y[s]
                                continue
                            g = head[cell]
                            while g >= 0:
                                other = lead[g]
                                if other == t or (
                                    patches[other] == patches[t]
                                    and facing[other, 0] * facing[t, 0]
                                    + facing[other, 1] * facing[t, 1]
                                    + facing[other, 2] * facing[t, 2]
                                    > same
                                ):
                                    break
                                g = chained[g]
                            if g < 0:
                                g = groups
                                lead[g], size[g], sum_x[g], sum_y[g] = t, none, none, none
                                chained[g] = head[cell]
                                head[cell] = g
                                groups += one
                            recent[cell], recent_group[cell] = t, g
                            size[g] += one
                            sum_x[g] += step_x[s]
                            sum_y[g] += step_y[s]
                        for g in range(groups):
                            if used < room:
                                pixel[base + used], triangle[base + used] = p, lead[g]
                                share[base + used] = np.float32(size[g] / count)
                                where[base + used, 0] = np.float32(x + step * sum_x[g] / size[g])
                                where[base + used, 1] = np.float32(y + step * sum_y[g] / size[g])
                            used += 1
                        continue
                    top, left = (p // row_of_blocks) * side, (p % row_of_blocks) * side
                    for corner in range(corners):
                        row, column = top + corner // side, left + corner % side
                        y, x = y0 + row, x0 + column
                        if y >= y1 or x >= x1:
                            continue
                        from_lane = corner * count
                        place = row * tile_side + column
                        if state[p] == single:
                            closest = high[p]
                            if side > 1:
                                closest = zero
                                only = sole[p]
                                fz, gz = np.float32(scaled[only, 9]), np.float32(scaled[only, 10])
                                vz = np.float32(
                                    scaled[only, 9] * (x0 + left) + (scaled[only, 10] * (y0 + top) + scaled[only, 11])
                                )
                                for s in range(from_lane, from_lane + count):
                                    closest = max(closest, vz + (fz * across[s] + gz * down[s]))
                            depth[y, x] = np.float32(1.0) / closest
                            alpha[y, x] = np.float32(1.0)
                            if used < room:
                                pixel[base + used], triangle[base + used] = place, sole[p]
                                share[base + used] = np.float32(1.0)
                                where[base + used, 0] = np.float32(x + 0.5)
                                where[base + used, 1] = np.float32(y + 0.5)
                            used += 1
                            continue
                        # Nearness is never negative, so its bits read as whole numbers keep the order; the greatest of
                        # whole numbers is found by vector instructions, that of floats, which may be NaN, is not.
                        most = np.int32(0)
                        only = lowest = highest = seen[p, from_lane]
                        for s in range(from_lane, from_lane + count):
                            most = max(most, bits[p, s])
                            lowest, highest = min(lowest, seen[p, s]), max(highest, seen[p, s])
                        if highest < 0:
                            continue
                        depth[y, x] = np.float32(1.0) / np.int32(most).view(np.float32)
                        alike = lowest == highest
                        if few and lowest >= 0 and not alike:
                            # Of so few samples it costs less to compare all first.
                            alike = True
                            for s in range(from_lane + 1, from_lane + count):
                                t = seen[p, s]
                                if t != only and (
                                    patches[only] != patches[t]
                                    or facing[only, 0] * facing[t, 0]
                                    + facing[only, 1] * facing[t, 1]
                                    + facing[only, 2] * facing[t, 2]
                                    <= same
                                ):
                                    alike = False
                        if alike:
                            alpha[y, x] = np.float32(1.0)
                            if used < room:
                                pixel[base + used], triangle[base + used] = place, only
                                share[base + used] = np.float32(1.0)
                                where[base + used, 0] = np.float32(x + 0.5)
                                where[base + used, 1] = np.float32(y + 0.5)
                            used += 1
                            continue
                        # One triangle after the other is taken off the samples, the nearest to the middle first.
                        groups, covered, following = none, none, none
                        while following < count and seen[p, from_lane + following] < 0:
                            following += one
                        while following < count:
                            t = seen[p, from_lane + following]
                            own_size, own_x, own_y, following = none, none, none, all_samples
                            for s in range(count):
                                held = seen[p, from_lane + s]
                                mine = held == t
                                own_size += one if mine else none
                                own_x += step_x[s] if mine else none
                                own_y += step_y[s] if mine else none
                                seen[p, from_lane + s] = np.int32(-1) if mine else held
                                following = min(following, turns[s] if not mine and held >= 0 else all_samples)
                            covered += own_size
                            g = 0
                            while g < groups:
                                other = lead[g]
                                if (
                                    patches[other] == patches[t]
                                    and facing[other, 0] * facing[t, 0]
                                    + facing[other, 1] * facing[t, 1]
                                    + facing[other, 2] * facing[t, 2]
                                    > same
                                ):
                                    break
                                g += 1
                            if g == groups:
                                lead[g], size[g], sum_x[g], sum_y[g] = t, none, none, none
                                groups += one
                            size[g] += own_size
                            sum_x[g] += own_x
                            sum_y[g] += own_y
                        alpha[y, x] = np.float32(covered / count)
                        if covered < count:
                            marks[y, x] = yes
                        for g in range(groups):
                            if used < room:
                                pixel[base + used], triangle[base + used] = place, lead[g]
                                share[base + used] = np.float32(size[g] / count)
                                where[base + used, 0] = np.float32(x + step * sum_x[g] / size[g])
                                where[base + used, 1] = np.float32(y + step * sum_y[g] / size[g])
                            used += 1
                counts[tile] = used

    return parallel_kernel(rasterise)


#: The tile kernel for each number of samples.
RASTERISERS = {samples: _rasteriser(samples) for samples in SAMPLE_COUNTS}
#: The same for what lies behind surfaces of the same body.
RASTERISERS_DEEP = {samples: _rasteriser(samples, deep=True) for samples in SAMPLE_COUNTS}
RASTERISERS_DEEP_AGAIN = {
    samples: _rasteriser(samples, again=True, deep=True) for samples in SAMPLE_COUNTS if samples >= VECTOR
}
#: The same, drawing again pixels that want more places; for samples enough to fill the cells.
RASTERISERS_AGAIN = {samples: _rasteriser(samples, again=True) for samples in SAMPLE_COUNTS if samples >= VECTOR}
