"""Flat surfaces that share pixels: how much of each they take, whatever their samples saw.

What is flat has even colours: where two of them meet, their shares are all that the edge looks like. So shares of such pixels are exact areas
(``flat_areas``). Pixels beside those in which several surfaces are seen are looked at, too: there may be a corner of one that no sample sees.
"""

from __future__ import annotations

import numba
import numpy as np

from zeitbild.kernels import kernel, parallel_kernel
from zeitbild.render.visible.edge_kernel import ADDED
from zeitbild.render.visible.flat_areas import MOST_SURFACES, NOTHING, make_room, measure_out, put_in_order
from zeitbild.render.visible.triangle_setup import TILE

_TILE = TILE
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1
_SURFACES, _NOTHING = MOST_SURFACES, NOTHING
#: Fragments that a tile may get, and entries of lists of triangles that it has room for: one that needs more keeps the shares of its samples.
_MORE, _ENTRIES = 256, 1 << 16
#: What takes less of a pixel gets no fragment, an eighth of a level of 255; what covers more of one covers all of it.
_LEAST, _ALL = 0.0005, 1 - 1e-4
#: What is seen of a pixel: nothing, several flat surfaces, something that is not flat.
_NONE, _OTHER, _SEVERAL, _ABOVE = np.int32(-1), np.int32(-2), np.int32(1 << 30), np.int32((1 << 30) + 1)
_NOT_SHARED, _MIXED, _BESIDE, _RIM, _MIXED_RIM = (np.uint8(kind) for kind in range(5))
_ZERO, _ONE, _ADDED = np.float32(0), np.float32(1), np.uint8(ADDED)
#: Parts that rows are worked on in.
_STRETCHES = 32


@parallel_kernel
def tell_flat(fragments, patches, flat, seen):  # type: ignore[no-untyped-def]
    """Into seen [H, W] the patch of pixels in which one flat surface is seen, or why there is none. flat [T] tells which triangles are."""
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    pixel, triangle = fragments.pixel, fragments.triangle
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            y, x = top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)
            own = patches[triangle[f]]
            if flat[triangle[f]] == 0:
                seen[y, x] = _OTHER
            elif seen[y, x] == _NONE:
                seen[y, x] = own
            elif seen[y, x] >= 0 and seen[y, x] != own:
                seen[y, x] = _SEVERAL


@parallel_kernel
def find_shared(seen, alpha, shared):  # type: ignore[no-untyped-def]
    """Into shared [H, W] which pixels flat surfaces share, or may: those in which several are seen, or as they are beside them (MIXED); those in
    which nothing is seen, and flat ones are beside them (BESIDE); those of which one takes a part, or that lie beside such (RIM); and both
    (MIXED_RIM). alpha [H, W] is the area that is covered."""
    height, width = seen.shape
    for stretch in numba.prange(_STRETCHES):
        # Of each column of three, least and greatest number of what is flat, and least area: by vector instructions.
        low, high = np.empty(width + 2, np.int32), np.empty(width + 2, np.int32)
        area = np.empty(width + 2, np.float32)
        for y in range(stretch * height // _STRETCHES, (stretch + 1) * height // _STRETCHES):
            up, down = max(0, y - 1), min(height - 1, y + 1)
            for x in range(width):
                a, b, c = seen[up, x], seen[y, x], seen[down, x]
                high[x + 1] = max(max(a, b), c)
                a, b, c = a if a >= 0 else _ABOVE, b if b >= 0 else _ABOVE, c if c >= 0 else _ABOVE
                low[x + 1] = min(min(a, b), c)
                area[x + 1] = min(min(alpha[up, x], alpha[y, x]), alpha[down, x])
            # What is outside of the picture nobody knows.
            for x in (0, width + 1):
                low[x], high[x], area[x] = _ABOVE, _NONE, _ZERO
            at_border = y == 0 or y == height - 1
            for x in range(width):
                own = seen[y, x]
                most = max(max(high[x], high[x + 1]), high[x + 2])
                least = min(min(low[x], low[x + 1]), low[x + 2])
                smallest = min(min(area[x], area[x + 1]), area[x + 2])
                flat = own >= 0
                mixed = (own == _SEVERAL) | (flat & ((most > own) | (least < own)))
                rim = flat & (own != _SEVERAL) & (at_border | (smallest < _ONE))
                beside = (own == _NONE) & (most >= 0)
                kind = _MIXED_RIM if mixed else _RIM
                shared[y, x] = kind if rim else _MIXED if mixed else _BESIDE if beside else _NOT_SHARED


@kernel
def _sort_into_pixels(tile, top, left, below, beyond, bins, wanted, lists):  # type: ignore[no-untyped-def]
    """Lists of the triangles that reach into the wanted pixels [TILE, TILE] of a tile, in their order: lists are the first and last entry of
    each pixel [TILE, TILE] (-1: none), and of each entry [_ENTRIES] the next one and its triangle. Gives whether there was room for all."""
    first, last, following, which = lists
    scaled, boxes, starts, members = bins
    first[:] = np.int32(-1)
    used = 0
    for k in range(starts[tile], starts[tile + 1]):
        t = members[k]
        a0, b0, c0 = scaled[t, 0], scaled[t, 1], scaled[t, 2]
        a1, b1, c1 = scaled[t, 3], scaled[t, 4], scaled[t, 5]
        a2, b2, c2 = scaled[t, 6], scaled[t, 7], scaled[t, 8]
        most_0, most_1 = max(a0, 0.0) + max(b0, 0.0), max(a1, 0.0) + max(b1, 0.0)
        most_2 = max(a2, 0.0) + max(b2, 0.0)
        for y in range(max(boxes[t, 1], top), min(boxes[t, 3] + 1, below)):
            for x in range(max(boxes[t, 0], left), min(boxes[t, 2] + 1, beyond)):
                if not wanted[y - top, x - left]:
                    continue
                if (
                    a0 * x + b0 * y + c0 + most_0 <= 0.0
                    or a1 * x + b1 * y + c1 + most_1 <= 0.0
                    or a2 * x + b2 * y + c2 + most_2 <= 0.0
                ):
                    continue
                if used == _ENTRIES:
                    return False
                which[used], following[used] = np.int32(t), np.int32(-1)
                row, column = y - top, x - left
                if first[row, column] < 0:
                    first[row, column] = np.int32(used)
                else:
                    following[last[row, column]] = np.int32(used)
                last[row, column] = np.int32(used)
                used += 1
    return True


@kernel
def _those_near(entry, lists, near, x, y, scaled):  # type: ignore[no-untyped-def]
    """Triangles of a pixel's list, from an entry on, that may be seen in it, into near; gives how many, 0 for too many."""
    _, _, following, listed = lists
    behind, many, f = -1.0, 0, np.int64(entry)
    while f >= 0:
        many, behind = put_in_order(near, many, np.int64(listed[f]), scaled, x, y, behind)
        if many < 0:
            return 0
        f = np.int64(following[f])
    return many


@kernel
def _put_in(fragments, tile, last, more_of, more_share, more):  # type: ignore[no-untyped-def]
    """Put further fragments among those of a tile, which end at ``last``, each after those of its pixel: more_of [more, 2] pixel and triangle,
    more_share [more, 3] share and where, in the order of their pixels."""
    pixel, triangle, share, where = fragments.pixel, fragments.triangle, fragments.share, fragments.where
    # From behind, so that nothing is written over.
    to, at = last + more - 1, more - 1
    for f in range(last - 1, fragments.firsts[tile] - 1, -1):
        while at >= 0 and more_of[at, 0] == pixel[f]:
            pixel[to], triangle[to], share[to] = more_of[at, 0], more_of[at, 1], more_share[at, 0]
            where[to, 0], where[to, 1] = more_share[at, 1], more_share[at, 2]
            to, at = to - 1, at - 1
        if at < 0:
            break
        pixel[to], triangle[to], share[to] = pixel[f], triangle[f], share[f]
        where[to, 0], where[to, 1] = where[f, 0], where[f, 1]
        to -= 1


@parallel_kernel
def even_out(fragments, patches, shared, bins, alpha, depth, marks):  # type: ignore[no-untyped-def]
    """Give fragments of shared pixels [H, W] (``find_shared``) the shares that their surfaces, told apart by patches [T], have of them, in place;
    surfaces that no sample saw get fragments there, if their tile has room for them. alpha [H, W] becomes the area that is covered; where
    nothing was seen depth [H, W] is told, and marks [H, W] that it was ADDED (``edge_kernel``). If they have no length, all of a pixel together
    have as much as before."""
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    pixel, triangle, share, where = fragments.pixel, fragments.triangle, fragments.share, fragments.where
    scaled, again = bins.scaled, alpha.shape[0] == 0
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        below, beyond = min(top + _TILE, shared.shape[0]), min(left + _TILE, width)
        if not shared[top:below, left:beyond].any():
            continue
        wanted = np.zeros((_TILE, _TILE), np.bool_)
        if not again:
            wanted[: below - top, : beyond - left] = shared[top:below, left:beyond] == _BESIDE
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            y, x = pixel[f] >> _SHIFT, pixel[f] & _MASK
            wanted[y, x] = shared[top + y, left + x] != _NOT_SHARED
        lists = (
            np.empty((_TILE, _TILE), np.int32),
            np.empty((_TILE, _TILE), np.int32),
            np.empty(_ENTRIES, np.int32),
            np.empty(_ENTRIES, np.int32),
        )
        if not _sort_into_pixels(tile, top, left, below, beyond, bins, wanted, lists):
            continue
        first_in = lists[0]
        near, shares, room = make_room()
        names, areas, acrosses, downs, triangles, _ = shares
        sums = np.empty(_SURFACES)
        more_of, more_share = np.empty((_MORE, 2), np.int32), np.empty((_MORE, 3), np.float32)
        more, last, end = 0, firsts[tile] + counts[tile], firsts[tile]
        most_more = min(_MORE, firsts[tile + 1] - last)
        while end < last:
            begin, p, seen = end, pixel[end], 0
            x, y = left + (p & _MASK), top + (p >> _SHIFT)
            measured = wanted[y - top, x - left]
            # All fragments of a pixel follow one another.
            while end < last and pixel[end] == p:
                if measured:
                    own, slot = patches[triangle[end]], 0
                    while slot < seen and names[slot] != own:
                        slot += 1
                    measured = slot < _SURFACES
                    if slot == seen and measured:
                        names[seen], sums[seen] = own, 0.0
                        seen += 1
                    if measured:
                        sums[slot] += share[end]
                end += 1
            if not measured:
                continue
            many = _those_near(first_in[y - top, x - left], lists, near, x, y, scaled)
            # One surface alone takes what there is: that is known, but where samples see all of a pixel at a rim covered.
            alone = seen == 1 and (again or shared[y, x] == _MIXED or alpha[y, x] < _ONE)
            for k in range(many):
                alone = alone and patches[near.which[k]] == names[0]
            if alone or many == 0:
                continue
            before, now = 0.0, 0.0
            for slot in range(seen):
                before += sums[slot]
            slots = measure_out(many, near, patches, x, y, scaled, shares, seen, room, before)
            for slot in range(slots):
                now += areas[slot]
            if now <= _NOTHING:
                continue
            if not again:
                # Between triangles that fill it next to nothing is lost.
                before = now if now < _ALL else 1.0
                alpha[y, x] = np.float32(before)
            for f in range(begin, end):
                for slot in range(seen):
                    if names[slot] == patches[triangle[f]] and sums[slot] > 0:
                        share[f] *= np.float32(areas[slot] / now * before / sums[slot])
            for slot in range(seen, slots):
                area = areas[slot]
                if area / now * before > _LEAST and more < most_more:
                    more_of[more, 0], more_of[more, 1] = p, np.int32(triangles[slot])
                    more_share[more, 0] = np.float32(area / now * before)
                    more_share[more, 1] = np.float32(x + acrosses[slot] / area)
                    more_share[more, 2] = np.float32(y + downs[slot] / area)
                    more += 1
        _put_in(fragments, tile, last, more_of, more_share, more)
        used = last + more
        for y in range(top, below):
            for x in range(left, beyond):
                if again or shared[y, x] != _BESIDE or used + _SURFACES > firsts[tile + 1]:
                    continue
                many = _those_near(first_in[y - top, x - left], lists, near, x, y, scaled)
                slots = measure_out(many, near, patches, x, y, scaled, shares, 0, room, 0.0) if many > 0 else 0
                covered, closest = 0.0, 0.0
                for slot in range(slots):
                    t, area = triangles[slot], areas[slot]
                    if area <= _LEAST:
                        continue
                    at_x, at_y = x + acrosses[slot] / area, y + downs[slot] / area
                    nearness = scaled[t, 9] * at_x + scaled[t, 10] * at_y + scaled[t, 11]
                    if nearness <= 0.0:
                        continue
                    pixel[used] = np.int32(((y - top) << _SHIFT) + x - left)
                    triangle[used], share[used] = np.int32(t), np.float32(area)
                    where[used, 0], where[used, 1] = np.float32(at_x), np.float32(at_y)
                    covered, closest = covered + area, max(closest, nearness)
                    used += 1
                if covered > 0.0:
                    alpha[y, x], depth[y, x] = np.float32(min(covered, 1.0)), np.float32(1.0 / closest)
                    marks[y, x] = _ADDED
        counts[tile] = np.int32(used - firsts[tile])
