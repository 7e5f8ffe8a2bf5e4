"""How much of a pixel each of several flat surfaces takes, to half a step of 255 in the mean.

What is flat has even colours: where two of them meet, their shares are all that the edge looks like. Samples that only tell what is seen are too few
for that, so those pixels are measured by themselves. What none of those samples saw, less than two hundredths of a pixel, stays unseen.
"""

from __future__ import annotations

import numba
import numpy as np

from zeitbild.kernels import parallel_kernel
from zeitbild.render.visible.sampling import sample_offsets
from zeitbild.render.visible.triangle_setup import TILE

_TILE = TILE
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1
#: Places in a pixel that are looked at; and triangles and finishes in one that are told apart at most.
_SAMPLES, _MOST, _FINISHES = 1024, 96, 12
_ACROSS, _DOWN = (np.ascontiguousarray(sample_offsets(_SAMPLES)[:, axis], dtype=np.float32) for axis in (0, 1))
_ZERO = np.float32(0)


@parallel_kernel
def even_out(fragments, finish_of, flat, bins):  # type: ignore[no-untyped-def]
    """Give fragments of pixels in which flat surfaces of several finishes meet, and nothing else, the shares that those have: in place, all of a pixel
    together as much as before. flat [T] tells which triangles are."""
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    pixel, triangle, share = fragments.pixel, fragments.triangle, fragments.share
    scaled, boxes, starts, members = bins
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        if counts[tile] == 0:
            continue
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        nearness, seen = np.empty(_SAMPLES, np.float32), np.empty(_SAMPLES, np.int32)
        near, slot_of = np.empty(_MOST, np.int32), np.empty(_MOST, np.int32)
        names, sums, found = (
            np.empty(_FINISHES, np.int32),
            np.empty(_FINISHES, np.float64),
            np.empty(_FINISHES, np.int64),
        )
        last = firsts[tile] + counts[tile]
        end = firsts[tile]
        while end < last:
            begin, p = end, pixel[end]
            slots, good = 0, True
            # All fragments of a pixel follow one another.
            while end < last and pixel[end] == p:
                own = finish_of[triangle[end]]
                good = good and flat[triangle[end]] != 0
                slot = 0
                while slot < slots and names[slot] != own:
                    slot += 1
                if slot == slots:
                    if slots < _FINISHES:
                        names[slots], sums[slots], found[slots] = own, 0.0, 0
                        slots += 1
                    else:
                        good = False
                if good:
                    sums[slot] += share[end]
                end += 1
            if not good or slots < 2:
                continue
            x, y = left + (p & _MASK), top + (p >> _SHIFT)
            many = 0
            for k in range(starts[tile], starts[tile + 1]):
                t = members[k]
                if boxes[t, 0] > x or boxes[t, 2] < x or boxes[t, 1] > y or boxes[t, 3] < y:
                    continue
                away = False
                for e in range(3):
                    a, b, c = scaled[t, 3 * e], scaled[t, 3 * e + 1], scaled[t, 3 * e + 2]
                    away = away or a * x + b * y + c + max(a, 0.0) + max(b, 0.0) < 0
                if away:
                    continue
                if many < _MOST:
                    near[many], slot_of[many] = t, -1
                    for slot in range(slots):
                        if names[slot] == finish_of[t]:
                            slot_of[many] = slot
                many += 1
            if many > _MOST:
                continue
            for s in range(_SAMPLES):
                nearness[s], seen[s] = _ZERO, -1
            for k in range(many):
                t, own = near[k], slot_of[k]
                v0 = np.float32(scaled[t, 0] * x + (scaled[t, 1] * y + scaled[t, 2]))
                v1 = np.float32(scaled[t, 3] * x + (scaled[t, 4] * y + scaled[t, 5]))
                v2 = np.float32(scaled[t, 6] * x + (scaled[t, 7] * y + scaled[t, 8]))
                vz = np.float32(scaled[t, 9] * x + (scaled[t, 10] * y + scaled[t, 11]))
                f0, g0 = np.float32(scaled[t, 0]), np.float32(scaled[t, 1])
                f1, g1 = np.float32(scaled[t, 3]), np.float32(scaled[t, 4])
                f2, g2 = np.float32(scaled[t, 6]), np.float32(scaled[t, 7])
                fz, gz = np.float32(scaled[t, 9]), np.float32(scaled[t, 10])
                for s in range(_SAMPLES):
                    sx, sy, behind = _ACROSS[s], _DOWN[s], nearness[s]
                    z = vz + (fz * sx + gz * sy)
                    inside = (
                        (v0 + (f0 * sx + g0 * sy) >= _ZERO)
                        & (v1 + (f1 * sx + g1 * sy) >= _ZERO)
                        & (v2 + (f2 * sx + g2 * sy) >= _ZERO)
                        & (z > behind)
                    )
                    nearness[s] = z if inside else behind
                    seen[s] = own if inside else seen[s]
            for s in range(_SAMPLES):
                if seen[s] >= 0:
                    found[seen[s]] += 1
            before, now = 0.0, 0
            for slot in range(slots):
                before += sums[slot]
                now += found[slot]
            if now == 0:
                continue
            for f in range(begin, end):
                for slot in range(slots):
                    if names[slot] == finish_of[triangle[f]] and sums[slot] > 0:
                        share[f] *= np.float32(found[slot] / now * before / sums[slot])
