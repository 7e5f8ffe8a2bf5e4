"""Alpha of pixels at edges: the exact area that triangles cover of them, so that no eye and no file tells it from the truth.

They are a hundredth of a picture, and it is judged by them. Triangles that lie side by side, as those of one surface do,
cover the sum of what each covers. Where they lie over one another, which a few samples tell, coverage is counted from many
samples. Which surface is in front has been found before, and its share of the pixel is scaled.
"""

from __future__ import annotations

import numba
import numpy as np

from zeitbild.kernels import parallel_kernel
from zeitbild.render.visible.polygons import clipped_area, half_plane
from zeitbild.render.visible.sampling import sample_offsets
from zeitbild.render.visible.triangle_setup import TILE

EDGE_SAMPLES = 1024
_COUNT = EDGE_SAMPLES
_ACROSS, _DOWN = (np.ascontiguousarray(sample_offsets(EDGE_SAMPLES)[:, axis], dtype=np.float32) for axis in (0, 1))
_TILE = TILE
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1
_ZERO, _SLACK, _TINY = np.float32(0), np.float32(1e-4), np.float32(1.4e-45)
_IN, _OUT, _BESIDE = np.uint8(1), np.uint8(0), np.uint8(2)
#: Mark of a pixel that no sample saw.
ADDED = 3
_ADDED = np.uint8(ADDED)
_NEARLY_NONE, _NEARLY_ALL, _NO_BITS, _ONE_BITS = (np.float32(value).view(np.int32) for value in (0.25, 0.75, 0.0, 1.0))
#: Parts that rows are worked on in.
_STRETCHES = 32
#: Places at which it is found out whether triangles lie over one another.
_FEW = 64
_FEW_ACROSS, _FEW_DOWN = (np.ascontiguousarray(sample_offsets(_FEW)[:, axis], dtype=np.float32) for axis in (0, 1))
#: What covers less of a pixel that no sample saw is left out: an eighth of a level of 255.
_LEAST = 0.0005


@parallel_kernel
def spread_marks(bits, marks):  # type: ignore[no-untyped-def]
    """Mark in marks [H, W] (1: a part is covered) also, by 2, what samples may have missed beside it.

    A pixel that seems full may be cut at a corner, across which next to nothing is covered; of one that seems empty a
    corner may be covered if nearly all is beyond it. bits [H, W] int32 are those of alpha: it is never negative, so as
    whole numbers they keep the order, and least and greatest are found by vector instructions.
    """
    height, width = bits.shape
    for stretch in numba.prange(_STRETCHES):
        low, high = np.empty(width + 2, np.int32), np.empty(width + 2, np.int32)
        for y in range(stretch * height // _STRETCHES, (stretch + 1) * height // _STRETCHES):
            up, down = max(0, y - 1), min(height - 1, y + 1)
            for x in range(width):
                a, b, c = bits[up, x], bits[y, x], bits[down, x]
                least, most = a if a < b else b, a if a > b else b
                low[x + 1], high[x + 1] = least if least < c else c, most if most > c else c
            low[0], high[0], low[width + 1], high[width + 1] = low[1], high[1], low[width], high[width]
            for x in range(width):
                least, most = (
                    low[x] if low[x] < low[x + 1] else low[x + 1],
                    high[x] if high[x] > high[x + 1] else high[x + 1],
                )
                least, most = least if least < low[x + 2] else low[x + 2], most if most > high[x + 2] else high[x + 2]
                seen = bits[y, x]
                missed = ((seen == _ONE_BITS) & (least < _NEARLY_NONE)) | ((seen == _NO_BITS) & (most > _NEARLY_ALL))
                marks[y, x] = _BESIDE if missed else marks[y, x]


@parallel_kernel
def sharpen_edges(fragments, bins, marks, alpha, depth):  # type: ignore[no-untyped-def]
    """Alpha [H, W] anew where marks [H, W] is not 0, and shares scaled to it; see ``visibility.rasterise`` for the rest.

    A pixel of which no sample saw anything gets a fragment, and ADDED as its mark, if something covers a part of it.
    """
    order, counts, firsts = fragments.order, fragments.counts, fragments.firsts
    pixel, triangle, share, where = fragments.pixel, fragments.triangle, fragments.share, fragments.where
    scaled, boxes, starts, members = bins
    height, width = alpha.shape
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        if starts[tile] == starts[tile + 1]:
            continue
        x0, y0 = (tile % columns) * _TILE, (tile // columns) * _TILE
        x1, y1 = min(width, x0 + _TILE), min(height, y0 + _TILE)
        slots = np.empty((_TILE, _TILE), np.int32)
        marked = 0
        for y in range(y0, y1):
            for x in range(x0, x1):
                slots[y - y0, x - x0] = np.int32(-1)
                if marks[y, x] != 0:
                    slots[y - y0, x - x0] = np.int32(marked)
                    marked += 1
        if marked == 0:
            continue
        full = np.zeros(marked, np.uint8)
        area, largest, middle = np.zeros(marked), np.zeros(marked), np.empty((marked, 2))
        widest = np.full(marked, -1, np.int32)
        layers = np.zeros((marked, _FEW), np.uint8)
        ring, other = np.empty((8, 2)), np.empty((8, 2))
        for k in range(starts[tile], starts[tile + 1]):
            t = members[k]
            a0, b0, c0 = scaled[t, 0], scaled[t, 1], scaled[t, 2]
            a1, b1, c1 = scaled[t, 3], scaled[t, 4], scaled[t, 5]
            a2, b2, c2 = scaled[t, 6], scaled[t, 7], scaled[t, 8]
            most_0, most_1, most_2 = (
                max(a0, 0.0) + max(b0, 0.0),
                max(a1, 0.0) + max(b1, 0.0),
                max(a2, 0.0) + max(b2, 0.0),
            )
            least_0, least_1 = min(a0, 0.0) + min(b0, 0.0), min(a1, 0.0) + min(b1, 0.0)
            least_2 = min(a2, 0.0) + min(b2, 0.0)
            for y in range(max(boxes[t, 1], y0), min(boxes[t, 3], y1 - 1) + 1):
                for x in range(max(boxes[t, 0], x0), min(boxes[t, 2], x1 - 1) + 1):
                    slot = slots[y - y0, x - x0]
                    if slot < 0 or full[slot] != 0:
                        continue
                    v0, v1, v2 = a0 * x + b0 * y + c0, a1 * x + b1 * y + c1, a2 * x + b2 * y + c2
                    if v0 + most_0 <= 0.0 or v1 + most_1 <= 0.0 or v2 + most_2 <= 0.0:
                        continue
                    if v0 + least_0 >= 0.0 and v1 + least_1 >= 0.0 and v2 + least_2 >= 0.0:
                        full[slot] = _IN
                        continue
                    own_layers = layers[slot]
                    f0, g0, f1, g1 = np.float32(a0), np.float32(b0), np.float32(a1), np.float32(b1)
                    f2, g2, w0, w1, w2 = np.float32(a2), np.float32(b2), np.float32(v0), np.float32(v1), np.float32(v2)
                    for s in range(_FEW):
                        sx, sy = _FEW_ACROSS[s], _FEW_DOWN[s]
                        inside = (
                            (w0 + (f0 * sx + g0 * sy) > _ZERO)
                            & (w1 + (f1 * sx + g1 * sy) > _ZERO)
                            & (w2 + (f2 * sx + g2 * sy) > _ZERO)
                        )
                        own_layers[s] += _IN if inside else _OUT
                    in_0, in_1, in_2 = v0 + least_0 >= 0.0, v1 + least_1 >= 0.0, v2 + least_2 >= 0.0
                    if alpha[y, x] > _ZERO and ((in_1 and in_2) or (in_0 and in_2) or (in_0 and in_1)):
                        # Most are cut by one line alone.
                        if not in_0:
                            area[slot] += half_plane(v0, a0, b0)
                        elif not in_1:
                            area[slot] += half_plane(v1, a1, b1)
                        else:
                            area[slot] += half_plane(v2, a2, b2)
                        continue
                    own, mx, my = clipped_area(v0, a0, b0, v1, a1, b1, v2, a2, b2, ring, other)
                    area[slot] += own
                    if own > largest[slot]:
                        largest[slot], widest[slot] = own, np.int32(t)
                        middle[slot, 0], middle[slot, 1] = mx, my
        doubtful = 0
        places = np.full(marked, -1, np.int32)
        for y in range(y0, y1):
            for x in range(x0, x1):
                slot = slots[y - y0, x - x0]
                if slot >= 0 and full[slot] == 0 and area[slot] > 0.0:
                    most = _OUT
                    for s in range(_FEW):
                        most = max(most, layers[slot, s])
                    if most > _IN or area[slot] > 1.0 + 1e-6:
                        places[slot] = np.int32(doubtful)
                        doubtful += 1
        if doubtful > 0:
            covered = np.zeros((doubtful, _COUNT), np.uint8)
            for k in range(starts[tile], starts[tile + 1]):
                t = members[k]
                a0, b0, c0 = scaled[t, 0], scaled[t, 1], scaled[t, 2]
                a1, b1, c1 = scaled[t, 3], scaled[t, 4], scaled[t, 5]
                a2, b2, c2 = scaled[t, 6], scaled[t, 7], scaled[t, 8]
                f0, g0, f1, g1 = np.float32(a0), np.float32(b0), np.float32(a1), np.float32(b1)
                f2, g2 = np.float32(a2), np.float32(b2)
                far_0, near_0 = max(f0, _ZERO) + max(g0, _ZERO), min(f0, _ZERO) + min(g0, _ZERO)
                far_1, near_1 = max(f1, _ZERO) + max(g1, _ZERO), min(f1, _ZERO) + min(g1, _ZERO)
                far_2, near_2 = max(f2, _ZERO) + max(g2, _ZERO), min(f2, _ZERO) + min(g2, _ZERO)
                # The same rule for samples on an edge as in ``tile_kernel``.
                t0 = -_TINY if (a0 > 0 or (a0 == 0 and b0 > 0)) else _ZERO
                t1 = -_TINY if (a1 > 0 or (a1 == 0 and b1 > 0)) else _ZERO
                t2 = -_TINY if (a2 > 0 or (a2 == 0 and b2 > 0)) else _ZERO
                for y in range(max(boxes[t, 1], y0), min(boxes[t, 3], y1 - 1) + 1):
                    for x in range(max(boxes[t, 0], x0), min(boxes[t, 2], x1 - 1) + 1):
                        slot = slots[y - y0, x - x0]
                        if slot < 0 or places[slot] < 0:
                            continue
                        w0 = np.float32(a0 * x + b0 * y + c0)
                        w1 = np.float32(a1 * x + b1 * y + c1)
                        w2 = np.float32(a2 * x + b2 * y + c2)
                        if w0 + far_0 < _ZERO or w1 + far_1 < _ZERO or w2 + far_2 < _ZERO:
                            continue
                        in_0, in_1, in_2 = w0 + near_0 > _SLACK, w1 + near_1 > _SLACK, w2 + near_2 > _SLACK
                        hits = covered[places[slot]]
                        if (in_1 and in_2) or (in_0 and in_2) or (in_0 and in_1):
                            # Most pixels are crossed by one edge alone.
                            v, fs, gs, limit = w2, f2, g2, t2
                            if in_1 and in_2:
                                v, fs, gs, limit = w0, f0, g0, t0
                            elif in_0 and in_2:
                                v, fs, gs, limit = w1, f1, g1, t1
                            for s in range(_COUNT):
                                hits[s] |= _IN if v + (fs * _ACROSS[s] + gs * _DOWN[s]) > limit else _OUT
                            continue
                        for s in range(_COUNT):
                            sx, sy = _ACROSS[s], _DOWN[s]
                            inside = (
                                (w0 + (f0 * sx + g0 * sy) > t0)
                                & (w1 + (f1 * sx + g1 * sy) > t1)
                                & (w2 + (f2 * sx + g2 * sy) > t2)
                            )
                            hits[s] |= _IN if inside else _OUT
            for slot in range(marked):
                if places[slot] >= 0:
                    found = np.int32(0)
                    for s in range(_COUNT):
                        found += np.int32(covered[places[slot], s])
                    area[slot] = found / _COUNT
        scale = np.ones(marked, np.float32)
        used = counts[tile]
        for y in range(y0, y1):
            for x in range(x0, x1):
                slot = slots[y - y0, x - x0]
                if slot < 0:
                    continue
                exact = np.float32(1.0 if full[slot] != 0 else min(area[slot], 1.0))
                seen = alpha[y, x]
                if seen > _ZERO:
                    if exact > _ZERO:
                        scale[slot] = exact / seen
                        alpha[y, x] = exact
                elif exact > _LEAST and widest[slot] >= 0 and used < firsts[tile + 1] - firsts[tile]:
                    t = widest[slot]
                    px, py = x + middle[slot, 0], y + middle[slot, 1]
                    nearness = scaled[t, 9] * px + scaled[t, 10] * py + scaled[t, 11]
                    if nearness <= 0.0:
                        continue
                    f = firsts[tile] + used
                    pixel[f] = np.int32((y - y0) * _TILE + x - x0)
                    triangle[f], share[f] = t, exact
                    where[f, 0], where[f, 1] = np.float32(px), np.float32(py)
                    alpha[y, x], depth[y, x] = exact, np.float32(1.0 / nearness)
                    marks[y, x] = _ADDED
                    used += 1
                    # It has its share already.
                    slots[y - y0, x - x0] = np.int32(-1)
        counts[tile] = used
        for f in range(firsts[tile], firsts[tile] + used):
            slot = slots[pixel[f] >> _SHIFT, pixel[f] & _MASK]
            if slot >= 0:
                share[f] *= scale[slot]
