"""Alpha of pixels that are covered in part, from so many samples that no eye and no 8-bit file tells it from exact.

They are a hundredth of a picture, and it is judged by them. Only coverage is counted: which surface is in front has been
found before, and its share of the pixel is scaled.
"""

from __future__ import annotations

import numba
import numpy as np

from zeitbild.kernels import parallel_kernel
from zeitbild.render.sampling import sample_offsets
from zeitbild.render.triangle_setup import TILE

EDGE_SAMPLES = 1024
_COUNT = EDGE_SAMPLES
_ACROSS, _DOWN = (np.ascontiguousarray(sample_offsets(EDGE_SAMPLES)[:, axis], dtype=np.float32) for axis in (0, 1))
_TILE = TILE
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1
_ZERO, _SLACK, _TINY = np.float32(0), np.float32(1e-4), np.float32(1.4e-45)
_IN, _OUT = np.uint8(1), np.uint8(0)


@parallel_kernel
def sharpen_edges(order, scaled, boxes, starts, members, room, pixel, share, counts, marks, alpha):  # type: ignore[no-untyped-def]
    """Alpha [H, W] anew where marks [H, W] is 1, and shares scaled to it; see ``visibility.rasterise`` for the rest.

    A pixel that turns out to be covered nowhere keeps what it had.
    """
    height, width = alpha.shape
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        if counts[tile] == 0:
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
        covered = np.zeros((marked, _COUNT), np.uint8)
        full = np.zeros(marked, np.uint8)
        for k in range(starts[tile], starts[tile + 1]):
            t = members[k]
            a0, b0, c0 = scaled[t, 0], scaled[t, 1], scaled[t, 2]
            a1, b1, c1 = scaled[t, 3], scaled[t, 4], scaled[t, 5]
            a2, b2, c2 = scaled[t, 6], scaled[t, 7], scaled[t, 8]
            f0, g0, f1, g1 = np.float32(a0), np.float32(b0), np.float32(a1), np.float32(b1)
            f2, g2 = np.float32(a2), np.float32(b2)
            least_0, most_0 = min(f0, _ZERO) + min(g0, _ZERO), max(f0, _ZERO) + max(g0, _ZERO)
            least_1, most_1 = min(f1, _ZERO) + min(g1, _ZERO), max(f1, _ZERO) + max(g1, _ZERO)
            least_2, most_2 = min(f2, _ZERO) + min(g2, _ZERO), max(f2, _ZERO) + max(g2, _ZERO)
            # The same rule for samples on an edge as in ``tile_kernel``.
            t0 = -_TINY if (a0 > 0 or (a0 == 0 and b0 > 0)) else _ZERO
            t1 = -_TINY if (a1 > 0 or (a1 == 0 and b1 > 0)) else _ZERO
            t2 = -_TINY if (a2 > 0 or (a2 == 0 and b2 > 0)) else _ZERO
            for y in range(max(boxes[t, 1], y0), min(boxes[t, 3], y1 - 1) + 1):
                for x in range(max(boxes[t, 0], x0), min(boxes[t, 2], x1 - 1) + 1):
                    slot = slots[y - y0, x - x0]
                    if slot < 0 or full[slot] != 0:
                        continue
                    v0 = np.float32(a0 * x + b0 * y + c0)
                    v1 = np.float32(a1 * x + b1 * y + c1)
                    v2 = np.float32(a2 * x + b2 * y + c2)
                    if v0 + most_0 < _ZERO or v1 + most_1 < _ZERO or v2 + most_2 < _ZERO:
                        continue
                    in_0, in_1, in_2 = v0 + least_0 > _SLACK, v1 + least_1 > _SLACK, v2 + least_2 > _SLACK
                    if in_0 and in_1 and in_2:
                        full[slot] = _IN
                        continue
                    own = covered[slot]
                    if (in_1 and in_2) or (in_0 and in_2) or (in_0 and in_1):
                        # Most pixels are crossed by one edge alone.
                        v, fs, gs, limit = v2, f2, g2, t2
                        if in_1 and in_2:
                            v, fs, gs, limit = v0, f0, g0, t0
                        elif in_0 and in_2:
                            v, fs, gs, limit = v1, f1, g1, t1
                        for s in range(_COUNT):
                            own[s] |= _IN if v + (fs * _ACROSS[s] + gs * _DOWN[s]) > limit else _OUT
                        continue
                    for s in range(_COUNT):
                        sx, sy = _ACROSS[s], _DOWN[s]
                        inside = (
                            (v0 + (f0 * sx + g0 * sy) > t0)
                            & (v1 + (f1 * sx + g1 * sy) > t1)
                            & (v2 + (f2 * sx + g2 * sy) > t2)
                        )
                        own[s] |= _IN if inside else _OUT
        scale = np.ones(marked, np.float32)
        for y in range(y0, y1):
            for x in range(x0, x1):
                slot = slots[y - y0, x - x0]
                if slot < 0:
                    continue
                found = np.int32(_COUNT)
                if full[slot] == 0:
                    found = np.int32(0)
                    for s in range(_COUNT):
                        found += np.int32(covered[slot, s])
                if found > 0:
                    exact = np.float32(found / _COUNT)
                    scale[slot] = exact / alpha[y, x]
                    alpha[y, x] = exact
        for f in range(tile * room, tile * room + counts[tile]):
            slot = slots[pixel[f] >> _SHIFT, pixel[f] & _MASK]
            if slot >= 0:
                share[f] *= scale[slot]
