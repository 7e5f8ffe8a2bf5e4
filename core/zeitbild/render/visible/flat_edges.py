"""How much of a pixel each of several flat surfaces takes: exact areas.

What is flat has even colours: where two of them meet, their shares are all that the edge looks like. So the pixel is cut by the edges of
triangles, from the nearest to the farthest, into convex cells (Sutherland and Hodgman 1974, Reentrant Polygon Clipping): what lies in a
triangle is that one's, and the rest goes on to those behind it. Pixels beside such that several surfaces are seen in are looked at, too:
there may be a corner of one that no sample sees.
"""

from __future__ import annotations

import numba
import numpy as np

from zeitbild.kernels import kernel, parallel_kernel
from zeitbild.render.visible.edge_kernel import ADDED
from zeitbild.render.visible.triangle_setup import TILE

_TILE = TILE
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1
#: Triangles and surfaces of a pixel that are told apart at most, cells of it and corners of each, and fragments that a tile may get.
_MOST, _SURFACES, _CELLS, _CORNERS, _MORE = 96, 12, 96, 16, 256
#: Entries of lists of triangles that a tile has room for; a tile that needs more keeps the shares of its samples.
_ENTRIES = 1 << 16
#: Parts that a pixel is cut into at most where surfaces reach through one another.
_PARTS = 16
#: Areas below the first are nothing, and below the second no fragment: an eighth of a level of 255.
_NOTHING, _LEAST = 1e-9, 0.0005
#: Triangles whose nearness differs by less (as a share) lie in one plane; and areas that differ by less are the same.
_ONE_PLANE, _ALIKE = 1e-8, 0.004
#: What covers more of a pixel covers all of it.
_ALL = 1 - 1e-4
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
    """Into shared [H, W] 1 for pixels in which several flat surfaces are seen, or may be, as they are beside them; 2 for those in
    which nothing is seen and flat ones are beside them, 3 for flat ones that take only a part of a pixel, or lie beside such, 4 for
    what is 1 and 3. alpha [H, W] is the
    area that is covered."""
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
def _cut(xs, ys, many, v, f, g, in_x, in_y, out_x, out_y):  # type: ignore[no-untyped-def]
    """Cut a convex polygon where v + f x + g y is 0: how many corners lie, or come to lie, where it is more, and where it is less."""
    inside = outside = 0
    for i in range(many):
        j = i + 1 if i + 1 < many else 0
        here, there = v + f * xs[i] + g * ys[i], v + f * xs[j] + g * ys[j]
        if here >= 0.0:
            in_x[inside], in_y[inside] = xs[i], ys[i]
            inside += 1
        else:
            out_x[outside], out_y[outside] = xs[i], ys[i]
            outside += 1
        if (here >= 0.0) != (there >= 0.0):
            share = here / (here - there)
            x, y = xs[i] + share * (xs[j] - xs[i]), ys[i] + share * (ys[j] - ys[i])
            in_x[inside], in_y[inside] = x, y
            out_x[outside], out_y[outside] = x, y
            inside += 1
            outside += 1
    return inside, outside


@kernel
def _measure(xs, ys, many):  # type: ignore[no-untyped-def]
    """Area of a convex polygon, and that times the place of its middle."""
    area, across, down = 0.0, 0.0, 0.0
    for i in range(1, many - 1):
        part = (xs[i] - xs[0]) * (ys[i + 1] - ys[0]) - (xs[i + 1] - xs[0]) * (ys[i] - ys[0])
        area += part
        across += part * (xs[0] + xs[i] + xs[i + 1])
        down += part * (ys[0] + ys[i] + ys[i + 1])
    if area < 0.0:
        area, across, down = -area, -across, -down
    return area / 2, across / 6, down / 6


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
def _those_near(entry, lists, x, y, scaled, which, height, reach):  # type: ignore[no-untyped-def]
    """The triangles that may be seen in a pixel, of those in its list from an entry on, from near to far by its middle, into which [_MOST]; how
    near they are there into height, and how much more or less elsewhere into reach. Gives how many there are; 0 for too many."""
    _, _, following, listed = lists
    behind, many, f = -1.0, 0, np.int64(entry)
    while f >= 0:
        t = np.int64(listed[f])
        f = np.int64(following[f])
        a, b = scaled[t, 9], scaled[t, 10]
        middle, spread = a * (x + 0.5) + b * (y + 0.5) + scaled[t, 11], 0.5 * (abs(a) + abs(b))
        # What lies behind all of something that fills the pixel is not seen.
        if middle + spread < behind:
            continue
        whole = True
        for e in range(3):
            a, b = scaled[t, 3 * e], scaled[t, 3 * e + 1]
            whole = whole and a * x + b * y + scaled[t, 3 * e + 2] + min(a, 0.0) + min(b, 0.0) >= 0.0
        if whole and middle - spread > behind:
            behind = middle - spread
            while many > 0 and height[many - 1] + reach[many - 1] < behind:
                many -= 1
        if many == _MOST:
            return 0
        j = many
        while j > 0 and height[j - 1] < middle:
            which[j], height[j], reach[j] = which[j - 1], height[j - 1], reach[j - 1]
            j -= 1
        which[j], height[j], reach[j] = t, middle, spread
        many += 1
    return many


@kernel
def _cut_where_they_cross(many, which, patches, x, y, scaled, parts, work):  # type: ignore[no-untyped-def]
    """Cut a pixel into parts (xs and ys [_PARTS + 1, _CORNERS], corners [_PARTS + 1]) in each of which of any two of its triangles one is before the
    other. Gives how many there are; 0 for too many."""
    xs, ys, corners = parts
    xs[0, 0], xs[0, 1], xs[0, 2], xs[0, 3] = 0.0, 1.0, 1.0, 0.0
    ys[0, 0], ys[0, 1], ys[0, 2], ys[0, 3] = 0.0, 0.0, 1.0, 1.0
    corners[0] = 4
    count = 1
    for k in range(1, many):
        t = which[k]
        for j in range(k):
            other = which[j]
            a, b = scaled[t, 9] - scaled[other, 9], scaled[t, 10] - scaled[other, 10]
            value = a * x + b * y + scaled[t, 11] - scaled[other, 11]
            if patches[t] == patches[other] or abs(value + 0.5 * (a + b)) >= 0.5 * (abs(a) + abs(b)):
                continue
            for part in range(count):
                if count == _PARTS or corners[part] + 2 >= _CORNERS:
                    return 0
                kept, cut = _cut(xs[part], ys[part], corners[part], value, a, b, work[0], work[1], work[2], work[3])
                # A line that runs along another one cuts nothing off.
                if (
                    kept < 3
                    or cut < 3
                    or _measure(work[0], work[1], kept)[0] < _NOTHING
                    or _measure(work[2], work[3], cut)[0] < _NOTHING
                ):
                    continue
                xs[part, :kept], ys[part, :kept], corners[part] = work[0, :kept], work[1, :kept], kept
                xs[count, :cut], ys[count, :cut], corners[count] = work[2, :cut], work[3, :cut], cut
                count += 1
    return count


@kernel
def _share_out(many, which, patches, x, y, scaled, names, slots, found, cells, work):  # type: ignore[no-untyped-def]
    """Areas that surfaces take of a convex part of a pixel (the first of cells), of triangles from near to far: added to found [_SURFACES, 5],
    area, that times the place in the pixel of its middle, the triangle that has most of it and how much. names [_SURFACES] are theirs, of which
    there are so many slots. Gives how many there are then; 0 if that cannot be told."""
    xs, ys, corners = cells
    # From one half of the room for cells into the other.
    own, other, count = 0, 1, 1
    for k in range(many):
        t = which[k]
        patch = patches[t]
        slot = 0
        while slot < slots and names[slot] != patch:
            slot += 1
        if slot == _SURFACES:
            return 0
        area, across, down, left = 0.0, 0.0, 0.0, 0
        for cell in range(count):
            inside = corners[own, cell]
            work[0, :inside], work[1, :inside] = xs[own, cell, :inside], ys[own, cell, :inside]
            at = 0
            for e in range(3):
                if left == _CELLS or inside + 1 >= _CORNERS:
                    return 0
                a, b = scaled[t, 3 * e], scaled[t, 3 * e + 1]
                kept, cut = _cut(
                    work[at],
                    work[at + 1],
                    inside,
                    a * x + b * y + scaled[t, 3 * e + 2],
                    a,
                    b,
                    work[2 - at],
                    work[3 - at],
                    xs[other, left],
                    ys[other, left],
                )
                inside, at = kept, 2 - at
                if cut > 2 and _measure(xs[other, left], ys[other, left], cut)[0] > _NOTHING:
                    corners[other, left] = cut
                    left += 1
                if inside < 3:
                    break
            if inside > 2:
                own_area, own_across, own_down = _measure(work[at], work[at + 1], inside)
                area, across, down = area + own_area, across + own_across, down + own_down
        if area > _NOTHING:
            if slot == slots:
                names[slots] = patch
                found[slots, :] = 0.0
                slots += 1
            found[slot, 0] += area
            found[slot, 1] += across
            found[slot, 2] += down
            if area > found[slot, 4]:
                found[slot, 3], found[slot, 4] = t, area
            own, other, count = other, own, left
            if count == 0:
                break
    return slots


@kernel
def _add_up(many, which, patches, x, y, scaled, names, slots, found, work):  # type: ignore[no-untyped-def]
    """``_share_out`` of a whole pixel to triangles that lie side by side: what each has of it."""
    for k in range(many):
        t = which[k]
        slot = 0
        while slot < slots and names[slot] != patches[t]:
            slot += 1
        if slot == _SURFACES:
            return 0
        work[0, 0], work[0, 1], work[0, 2], work[0, 3] = 0.0, 1.0, 1.0, 0.0
        work[1, 0], work[1, 1], work[1, 2], work[1, 3] = 0.0, 0.0, 1.0, 1.0
        inside, at = 4, 0
        for e in range(3):
            a, b = scaled[t, 3 * e], scaled[t, 3 * e + 1]
            value = a * x + b * y + scaled[t, 3 * e + 2]
            if value + min(a, 0.0) + min(b, 0.0) >= 0.0:
                continue
            inside, _ = _cut(work[at], work[at + 1], inside, value, a, b, work[2 - at], work[3 - at], work[4], work[5])
            at = 2 - at
            if inside < 3:
                break
        if inside < 3:
            continue
        area, across, down = _measure(work[at], work[at + 1], inside)
        if area <= _NOTHING:
            continue
        if slot == slots:
            names[slots] = patches[t]
            found[slots, :] = 0.0
            slots += 1
        found[slot, 0] += area
        found[slot, 1] += across
        found[slot, 2] += down
        if area > found[slot, 4]:
            found[slot, 3], found[slot, 4] = t, area
    return slots


@kernel
def _measure_out(  # type: ignore[no-untyped-def]
    many, which, height, patches, x, y, scaled, names, slots, found, parts, cells, work, expected
):
    """``_share_out`` of a whole pixel, whose triangles may reach through one another; which and height as in ``_those_near``, in another order
    afterwards. expected is the area that is known to be covered, 0 if none is."""
    found[:slots, :] = 0.0
    if height[0] - height[many - 1] <= _ONE_PLANE * abs(height[0]):
        # All in one plane, mostly of one mesh, and side by side: unless more is covered than there is.
        there = _add_up(many, which, patches, x, y, scaled, names, slots, found, work)
        total = 0.0
        for slot in range(there):
            total += found[slot, 0]
        if there > 0 and total <= 1.0 + _ALIKE and (expected == 0.0 or abs(total - expected) < _ALIKE):
            return there
        found[:slots, :] = 0.0
    count = _cut_where_they_cross(many, which, patches, x, y, scaled, parts, work)
    for part in range(count):
        corners = parts[2][part]
        cells[0][0, 0, :corners], cells[1][0, 0, :corners] = parts[0][part, :corners], parts[1][part, :corners]
        cells[2][0, 0] = corners
        if count > 1:
            area, across, down = _measure(parts[0][part], parts[1][part], corners)
            for k in range(many):
                t, j = which[k], k
                z = scaled[t, 9] * (x + across / area) + scaled[t, 10] * (y + down / area) + scaled[t, 11]
                while j > 0 and height[j - 1] < z:
                    which[j], height[j] = which[j - 1], height[j - 1]
                    j -= 1
                which[j], height[j] = t, z
        slots = _share_out(many, which, patches, x, y, scaled, names, slots, found, cells, work)
        if slots == 0:
            return 0
    return slots if count > 0 else 0


@parallel_kernel
def even_out(fragments, patches, shared, bins, alpha, depth, marks):  # type: ignore[no-untyped-def]
    """Give fragments of shared pixels [H, W] the shares that their surfaces have of them, in place; surfaces that no sample saw get fragments
    there, if their tile has room for them. alpha [H, W] becomes the area that is covered; where nothing was seen depth [H, W] is told, and
    marks [H, W] that it was ADDED (``edge_kernel``). If they have no length, all of a pixel together have as much as before."""
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    pixel, triangle, share, where = fragments.pixel, fragments.triangle, fragments.share, fragments.where
    scaled = bins.scaled
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        below, beyond = min(top + _TILE, shared.shape[0]), min(left + _TILE, width)
        if not shared[top:below, left:beyond].any():
            continue
        lists = (
            np.empty((_TILE, _TILE), np.int32),
            np.empty((_TILE, _TILE), np.int32),
            np.empty(_ENTRIES, np.int32),
            np.empty(_ENTRIES, np.int32),
        )
        wanted = np.zeros((_TILE, _TILE), np.bool_)
        again = alpha.shape[0] == 0
        if not again:
            wanted[: below - top, : beyond - left] = shared[top:below, left:beyond] == _BESIDE
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            y, x = pixel[f] >> _SHIFT, pixel[f] & _MASK
            wanted[y, x] = shared[top + y, left + x] != _NOT_SHARED
        if not _sort_into_pixels(tile, top, left, below, beyond, bins, wanted, lists):
            continue
        first_in = lists[0]
        which, height, reach = np.empty(_MOST, np.int64), np.empty(_MOST), np.empty(_MOST)
        names, sums, found = np.empty(_SURFACES, np.int32), np.empty(_SURFACES), np.empty((_SURFACES, 5))
        cells = (
            np.empty((2, _CELLS + 1, _CORNERS)),
            np.empty((2, _CELLS + 1, _CORNERS)),
            np.empty((2, _CELLS + 1), np.int64),
        )
        parts = np.empty((_PARTS + 1, _CORNERS)), np.empty((_PARTS + 1, _CORNERS)), np.empty(_PARTS + 1, np.int64)
        work = np.empty((6, _CORNERS))
        more_of, more_share = np.empty((_MORE, 2), np.int32), np.empty((_MORE, 3), np.float32)
        more, last, end = 0, firsts[tile] + counts[tile], firsts[tile]
        room = firsts[tile + 1] - last
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
                    if slot == seen and seen < _SURFACES:
                        names[seen], sums[seen] = own, 0.0
                        seen += 1
                    measured = slot < seen
                    if measured:
                        sums[slot] += share[end]
                end += 1
            if not measured:
                continue
            many = _those_near(first_in[y - top, x - left], lists, x, y, scaled, which, height, reach)
            # One surface alone takes what there is.
            # How much that is, is known, but where samples see all of a pixel at a rim covered.
            alone = seen == 1 and (again or shared[y, x] == _MIXED or alpha[y, x] < _ONE)
            for k in range(many):
                alone = alone and patches[which[k]] == names[0]
            if alone or many == 0:
                continue
            covered = 0.0
            for slot in range(seen):
                covered += sums[slot]
            slots = _measure_out(
                many, which, height, patches, x, y, scaled, names, seen, found, parts, cells, work, covered
            )
            before, now = 0.0, 0.0
            for slot in range(slots):
                before += sums[slot] if slot < seen else 0.0
                now += found[slot, 0]
            if slots == 0 or now <= _NOTHING:
                continue
            if alpha.shape[0] > 0:
                # Between triangles that fill it next to nothing is lost.
                before = now if now < _ALL else 1.0
                alpha[y, x] = np.float32(before)
            for f in range(begin, end):
                for slot in range(seen):
                    if names[slot] == patches[triangle[f]] and sums[slot] > 0:
                        share[f] *= np.float32(found[slot, 0] / now * before / sums[slot])
            for slot in range(seen, slots):
                part = found[slot, 0] / now * before
                if part > _LEAST and more < min(_MORE, room):
                    more_of[more, 0], more_of[more, 1] = p, np.int32(found[slot, 3])
                    more_share[more, 0] = np.float32(part)
                    more_share[more, 1] = np.float32(x + found[slot, 1] / found[slot, 0])
                    more_share[more, 2] = np.float32(y + found[slot, 2] / found[slot, 0])
                    more += 1
        # Each after those of its pixel, from behind, so that nothing is written over.
        to, at = last + more - 1, more - 1
        for f in range(last - 1, firsts[tile] - 1, -1):
            while at >= 0 and more_of[at, 0] == pixel[f]:
                pixel[to], triangle[to], share[to] = more_of[at, 0], more_of[at, 1], more_share[at, 0]
                where[to, 0], where[to, 1] = more_share[at, 1], more_share[at, 2]
                to, at = to - 1, at - 1
            if at < 0:
                break
            pixel[to], triangle[to], share[to] = pixel[f], triangle[f], share[f]
            where[to, 0], where[to, 1] = where[f, 0], where[f, 1]
            to -= 1
        counts[tile] += np.int32(more)
        if alpha.shape[0] == 0:
            continue
        used = firsts[tile] + counts[tile]
        for y in range(top, below):
            for x in range(left, beyond):
                if shared[y, x] != _BESIDE or used + _SURFACES > firsts[tile + 1]:
                    continue
                many = _those_near(first_in[y - top, x - left], lists, x, y, scaled, which, height, reach)
                if many == 0:
                    continue
                slots = _measure_out(
                    many, which, height, patches, x, y, scaled, names, 0, found, parts, cells, work, 0.0
                )
                covered = 0.0
                for slot in range(slots):
                    if found[slot, 0] <= _LEAST:
                        continue
                    t, part = np.int64(found[slot, 3]), found[slot, 0]
                    at_x, at_y = x + found[slot, 1] / part, y + found[slot, 2] / part
                    nearness = scaled[t, 9] * at_x + scaled[t, 10] * at_y + scaled[t, 11]
                    if nearness <= 0.0:
                        continue
                    pixel[used] = np.int32(((y - top) << _SHIFT) + x - left)
                    triangle[used], share[used] = np.int32(t), np.float32(part)
                    where[used, 0], where[used, 1] = np.float32(at_x), np.float32(at_y)
                    depth[y, x] = (
                        min(depth[y, x], np.float32(1.0 / nearness)) if covered > 0 else np.float32(1.0 / nearness)
                    )
                    covered += part
                    used += 1
                if covered > 0.0:
                    alpha[y, x], marks[y, x] = np.float32(min(covered, 1.0)), _ADDED
        counts[tile] = np.int32(used - firsts[tile])
