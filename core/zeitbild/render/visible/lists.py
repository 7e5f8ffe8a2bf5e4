"""Fragments of see-through surfaces, all of a pixel's in a list, and how much of each is seen through those before it.

What is opaque is drawn first, sample by sample; of see-through triangles each pixel gets a fragment with the samples (a mask) in which
it stands before that. Over of Porter and Duff 1984, from near to far, is then a sum of what fragments give, each weighted by what
those before it leave of its samples. So any number of surfaces, beside, behind and through one another, cost what their fragments cost.
"""

from __future__ import annotations

from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import inlined_kernel, kernel, parallel_kernel
from zeitbild.render.picture import NO_DEPTH
from zeitbild.render.visible.sampling import sample_offsets
from zeitbild.render.visible.triangle_setup import BELOW, TILE

_TILE = TILE
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1
#: Parts that the tiles are worked on in; more than there will be threads, so that all are busy to the end.
_STRETCHES = STRETCHES = 32
_PIXELS = PIXELS = TILE * TILE
_ZERO, _HALF, _ONE = np.float32(0), np.float32(0.5), np.float32(1)
#: Room for rounding when a whole pixel is taken for inside; and the least number, for samples on an edge.
_SLACK, _TINY = np.float32(1e-4), np.float32(1.4e-45)
#: Two surfaces of one body that lie closer together (as a share of their nearness) lie in one place, and the first is seen.
_ONE_PLACE = np.float32(1 - BELOW)
_NO_DEPTH = np.float32(NO_DEPTH)
_NO_BIT, _BIT = np.uint64(0), np.uint64(1)
#: Fragments of which less than this share of a pixel is seen are left out.
_LEAST = np.float32(1 / 4096)
#: Triangles that lean apart by less (cosine) and belong to one patch are shaded together, as in ``tile_kernel``; and with the fewest samples.
_TOGETHER, _TOGETHER_ROUGH = np.float32(0.97), np.float32(0.8)
#: Lists up to here are sorted by putting one after the other in its place.
_SHORT = 24
#: So many places before and behind its own a fragment's surface is looked for among those of another pixel: it lies behind about as many
#: others there.
ABOUT = 2
#: So many of the surfaces before it are looked at for one that a triangle belongs to.
_LOOKED_BACK = 8


class Samples(NamedTuple):
    """Places of samples in a pixel, from the middle outwards: across and down [S], and the mask in which all are."""

    across: NDArray[np.float32]
    down: NDArray[np.float32]
    every: np.uint64

    @staticmethod
    def of(count: int) -> Samples:
        """Those of which there are so many (``sampling.SAMPLE_COUNTS``)."""
        offsets = sample_offsets(count)
        offsets = offsets[((offsets - 0.5) ** 2).sum(axis=1).argsort(kind="stable")].astype(np.float32)
        across, down = np.ascontiguousarray(offsets.T)
        return Samples(across, down, np.uint64(2**count - 1))


class Lists(NamedTuple):
    """What tells of see-through fragments, one for each triangle and pixel: masks [n], and in which pixels they are.

    first [rows, pixels] is the last one found in each pixel of a tile, or -1, following [n] the one found before it; solid [rows, pixels]
    is the mask of the samples in which something opaque is.
    """

    masks: NDArray[np.uint64]
    first: NDArray[np.int32]
    following: NDArray[np.int32]
    solid: NDArray[np.uint64]


class Surfacing(NamedTuple):
    """What tells fragments apart: patches [T] and facing [T, 3], of which triangles are shaded together; of each finish [F] its body and its
    opacity, and in gives [K, F] whether it is shown in each of some layers."""

    patches: NDArray[np.int32]
    facing: NDArray[np.float32]
    finish_of: NDArray[np.int32]
    bodies: NDArray[np.int64]
    opacity: NDArray[np.float32]
    gives: NDArray[np.bool_]


class Runs(NamedTuple):
    """Where the fragments of a pixel are, that lie one after the other: the first [H, W] (-1: none) and how many [H, W], and how far away
    each is [n]. All of no length: nobody asks."""

    first: NDArray[np.int32]
    many: NDArray[np.int32]
    away: NDArray[np.float32]


class Left(NamedTuple):
    """What see-through surfaces leave of what is behind them [H, W]: of what is opaque, and of other things where nothing is. And of
    each layer [K, H, W] the area in which anything stands, and the depth of the nearest."""

    solid: NDArray[np.float32]
    open: NDArray[np.float32]
    covered: NDArray[np.float32]
    depth: NDArray[np.float32]


@kernel
def _count(mask):  # type: ignore[no-untyped-def]
    """How many samples are in a mask."""
    v = mask - ((mask >> np.uint64(1)) & np.uint64(0x5555555555555555))
    v = (v & np.uint64(0x3333333333333333)) + ((v >> np.uint64(2)) & np.uint64(0x3333333333333333))
    v = (v + (v >> np.uint64(4))) & np.uint64(0x0F0F0F0F0F0F0F0F)
    return np.int32((v * np.uint64(0x0101010101010101)) >> np.uint64(56))


@parallel_kernel
def count_room(order, bins, own, width, height, room):  # type: ignore[no-untyped-def]
    """How many fragments of own triangles [T] (not 0) a tile can have at most, room [tiles]."""
    _, boxes, starts, members = bins
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        x0, y0 = (tile % columns) * _TILE, (tile // columns) * _TILE
        x1, y1 = min(width, x0 + _TILE), min(height, y0 + _TILE)
        total = 0
        for k in range(starts[tile], starts[tile + 1]):
            t = members[k]
            if own[t] != 0:
                wide = min(x1, boxes[t, 2] + 1) - max(x0, boxes[t, 0])
                high = min(y1, boxes[t, 3] + 1) - max(y0, boxes[t, 1])
                total += max(wide, 0) * max(high, 0)
        room[tile] = total


@kernel
def _list_tile(tile, row, base, room, fragments, lists, bins, own, height, farthest, samples, working):  # type: ignore[no-untyped-def]
    """Put fragments of own triangles [T] (not 0) of a tile, as far as those of others, which are opaque, do not hide them, into
    fragments and lists from ``base`` on, where there is ``room`` for so many, their pixels into a row of lists.

    farthest is the nearness that nothing drawn exceeds; triangles cover samples as in ``tile_kernel``. working are arrays to work in:
    nearness [pixels, S] of what is opaque, of each pixel the least and the greatest of them, and how many fragments it has. Gives how
    many fragments there are, those for which there was no room too, and how many in one pixel at most.
    """
    nearness, low, high, many = working
    masks, first_of, following, solid = lists
    pixel, triangle = fragments.pixel, fragments.triangle
    share, where, width = fragments.share, fragments.where, fragments.width
    across, down, every = samples
    scaled, boxes, starts, members = bins
    columns, count = (width + _TILE - 1) // _TILE, across.shape[0]
    all_of = np.float32(count)
    x0, y0 = (tile % columns) * _TILE, (tile // columns) * _TILE
    x1, y1 = min(width, x0 + _TILE), min(height, y0 + _TILE)
    used, deepest = base, 0
    low[:] = _ZERO
    high[:] = _ZERO
    first_of[row] = np.int32(-1)
    many[:] = 0
    for clear in range(2):
        for k in range(starts[tile], starts[tile + 1]):
            t = members[k]
            if (own[t] != 0) != (clear == 1):
                continue
            a0, b0, c0 = scaled[t, 0], scaled[t, 1], scaled[t, 2]
            a1, b1, c1 = scaled[t, 3], scaled[t, 4], scaled[t, 5]
            a2, b2, c2 = scaled[t, 6], scaled[t, 7], scaled[t, 8]
            az, bz, cz = scaled[t, 9], scaled[t, 10], scaled[t, 11]
            f0, g0, f1, g1 = np.float32(a0), np.float32(b0), np.float32(a1), np.float32(b1)
            f2, g2, fz, gz = np.float32(a2), np.float32(b2), np.float32(az), np.float32(bz)
            # Least and greatest that a function changes by within a pixel.
            least_0, most_0 = min(f0, _ZERO) + min(g0, _ZERO), max(f0, _ZERO) + max(g0, _ZERO)
            least_1, most_1 = min(f1, _ZERO) + min(g1, _ZERO), max(f1, _ZERO) + max(g1, _ZERO)
            least_2, most_2 = min(f2, _ZERO) + min(g2, _ZERO), max(f2, _ZERO) + max(g2, _ZERO)
            least_z, most_z = min(fz, _ZERO) + min(gz, _ZERO), max(fz, _ZERO) + max(gz, _ZERO)
            # A sample exactly on an edge belongs to the triangle on its left, or above if the edge is level.
            t0 = -_TINY if (a0 > 0 or (a0 == 0 and b0 > 0)) else _ZERO
            t1 = -_TINY if (a1 > 0 or (a1 == 0 and b1 > 0)) else _ZERO
            t2 = -_TINY if (a2 > 0 or (a2 == 0 and b2 > 0)) else _ZERO
            for y in range(max(y0, boxes[t, 1]), min(y1, boxes[t, 3] + 1)):
                begin, end = max(x0, boxes[t, 0]), min(x1, boxes[t, 2] + 1)
                row_0, row_1, row_2, row_z = b0 * y + c0, b1 * y + c1, b2 * y + c2, bz * y + cz
                if end - begin > 3:
                    # Columns where each edge function can be positive anywhere in the row's pixels.
                    for e in range(3):
                        slope = scaled[t, 3 * e]
                        best = scaled[t, 3 * e + 1] * y + scaled[t, 3 * e + 2] + max(scaled[t, 3 * e + 1], 0.0)
                        if slope > 1e-12:
                            begin = max(begin, int(min(-best / slope - 1.001, 1e8)))
                        elif slope < -1e-12:
                            end = min(end, int(max(-best / slope + 1.001, -1.0)) + 1)
                        elif best < -1e-6:
                            end = begin
                for x in range(begin, end):
                    v0, v1, v2 = (
                        np.float32(a0 * x + row_0),
                        np.float32(a1 * x + row_1),
                        np.float32(a2 * x + row_2),
                    )
                    if v0 + most_0 < _ZERO or v1 + most_1 < _ZERO or v2 + most_2 < _ZERO:
                        continue
                    vz = np.float32(az * x + row_z)
                    p = (y - y0) * _TILE + x - x0
                    if vz + most_z <= low[p]:
                        continue
                    if clear == 0:
                        if high[p] == _ZERO:
                            nearness[p, :] = _ZERO
                        closest, rest = _ZERO, farthest
                        for s in range(count):
                            sx, sy, held = across[s], down[s], nearness[p, s]
                            z = vz + (fz * sx + gz * sy)
                            inside = (
                                (v0 + (f0 * sx + g0 * sy) > t0)
                                & (v1 + (f1 * sx + g1 * sy) > t1)
                                & (v2 + (f2 * sx + g2 * sy) > t2)
                                & (z > held)
                                & (z <= farthest)
                            )
                            held = z if inside else held
                            nearness[p, s] = held
                            closest, rest = max(closest, held), min(rest, held)
                        low[p], high[p] = rest, closest
                        continue
                    whole = v0 + least_0 > _SLACK and v1 + least_1 > _SLACK and v2 + least_2 > _SLACK
                    if whole and vz + least_z > high[p] and vz + most_z <= farthest:
                        mask, part = every, _ONE
                        mean_x, mean_y = np.float32(x) + _HALF, np.float32(y) + _HALF
                    else:
                        mask, inside_of = _NO_BIT, 0
                        sum_x, sum_y = _ZERO, _ZERO
                        hidden = high[p] > _ZERO
                        for s in range(count):
                            sx, sy = across[s], down[s]
                            z = vz + (fz * sx + gz * sy)
                            if (
                                v0 + (f0 * sx + g0 * sy) > t0
                                and v1 + (f1 * sx + g1 * sy) > t1
                                and v2 + (f2 * sx + g2 * sy) > t2
                                and z > (nearness[p, s] if hidden else _ZERO)
                                and z <= farthest
                            ):
                                mask |= _BIT << np.uint64(s)
                                inside_of += 1
                                sum_x += sx
                                sum_y += sy
                        if inside_of == 0:
                            continue
                        part = np.float32(inside_of) / all_of
                        mean_x = np.float32(x) + sum_x / np.float32(inside_of)
                        mean_y = np.float32(y) + sum_y / np.float32(inside_of)
                    if used - base >= room:
                        used += 1
                        continue
                    pixel[used], triangle[used], share[used], masks[used] = p, t, part, mask
                    where[used, 0], where[used, 1] = mean_x, mean_y
                    following[used] = first_of[row, p]
                    first_of[row, p] = np.int32(used)
                    many[p] += 1
                    deepest = max(deepest, many[p])
                    used += 1
    for y in range(y0, y1):
        for x in range(x0, x1):
            p = (y - y0) * _TILE + x - x0
            mask = _NO_BIT
            if low[p] > _ZERO:
                mask = every
            elif high[p] > _ZERO:
                for s in range(count):
                    if nearness[p, s] > _ZERO:
                        mask |= _BIT << np.uint64(s)
            solid[row, p] = mask
    return used - base, deepest


class Pixel(NamedTuple):
    """Fragments of one pixel from near to far, room to work in: which they are, their triangles, nearness at the pixel's middle, masks,
    how much of each surface is there, how much of what is behind it that stops, and how much of it is seen. The last two are for sorting."""

    which: NDArray[np.int64]
    triangle: NDArray[np.int64]
    z: NDArray[np.float32]
    mask: NDArray[np.uint64]
    there: NDArray[np.float32]
    stops: NDArray[np.float32]
    seen: NDArray[np.float32]
    other_z: NDArray[np.float32]
    other: NDArray[np.int64]


@inlined_kernel
def _nearness_aside(scaled, t, x, y):  # type: ignore[no-untyped-def]
    """How much nearer a triangle is at a place of a pixel than at its middle."""
    return np.float32(scaled[t, 9]) * (x - _HALF) + np.float32(scaled[t, 10]) * (y - _HALF)


@inlined_kernel
def _sort(pixel, total):  # type: ignore[no-untyped-def]
    """Put fragments in order, from near to far; of those that are equally near the first comes first."""
    which, _, z, _, _, _, _, other_z, other = pixel
    if total <= _SHORT:
        for i in range(1, total):
            own_z, f, j = z[i], which[i], i
            while j > 0 and z[j - 1] < own_z:
                z[j], which[j] = z[j - 1], which[j - 1]
                j -= 1
            z[j], which[j] = own_z, f
        return
    turns = np.argsort(-z[:total], kind="mergesort")
    for i in range(total):
        other_z[i], other[i] = z[turns[i]], which[turns[i]]
    for i in range(total):
        z[i], which[i] = other_z[i], other[i]


@inlined_kernel
def _part(pixel, total, scaled, finish_of, bodies):  # type: ignore[no-untyped-def]
    """Leave of surfaces of one body that lie in one place only the first. Tells whether any may reach through the one before it."""
    _, triangle, z, mask, _, _, _, _, _ = pixel
    may_cross = False
    for i in range(1, total):
        t = triangle[i]
        j = i - 1
        while j >= 0 and z[j] - z[i] <= _ONE_PLACE * z[j]:
            if bodies[finish_of[t]] == bodies[finish_of[triangle[j]]]:
                mask[i] &= ~mask[j]
            j -= 1
        before = triangle[i - 1]
        lean = abs(scaled[t, 9] - scaled[before, 9]) + abs(scaled[t, 10] - scaled[before, 10])
        may_cross = may_cross or z[i - 1] - z[i] < np.float32(0.5 * lean)
    return may_cross


@inlined_kernel
def _see(pixel, total, every, clear):  # type: ignore[no-untyped-def]
    """How much is seen of fragments in their order, and of what is behind them in each sample, clear [S]."""
    _, _, _, mask, there, stops, seen, _, _ = pixel
    all_of = np.float32(clear.shape[0])
    even, through = True, _ONE
    for i in range(total):
        if even and mask[i] == every:
            seen[i] = through * there[i]
            through *= _ONE - stops[i]
            continue
        if even:
            even = False
            clear[:] = through
        mine = _ZERO
        for s in range(clear.shape[0]):
            if (mask[i] >> np.uint64(s)) & _BIT != _NO_BIT:
                mine += clear[s]
                clear[s] *= _ONE - stops[i]
        seen[i] = mine / all_of * there[i]
    if even:
        clear[:] = through


@inlined_kernel
def _see_by_sample(pixel, total, scaled, samples, clear):  # type: ignore[no-untyped-def]
    """The same in the order that fragments have in each sample."""
    _, triangle, z, mask, there, stops, seen, own_z, order = pixel
    all_of = np.float32(clear.shape[0])
    for i in range(total):
        seen[i] = _ZERO
    for s in range(clear.shape[0]):
        found = 0
        for i in range(total):
            if (mask[i] >> np.uint64(s)) & _BIT == _NO_BIT:
                continue
            at = z[i] + _nearness_aside(scaled, triangle[i], samples.across[s], samples.down[s])
            # Those of the middle are nearly in order here, too.
            j = found
            while j > 0 and own_z[j - 1] < at:
                own_z[j], order[j] = own_z[j - 1], order[j - 1]
                j -= 1
            own_z[j], order[j] = at, i
            found += 1
        rest = _ONE
        for k in range(found):
            i = order[k]
            seen[i] += rest * there[i] / all_of
            rest *= _ONE - stops[i]
        clear[s] = rest


@inlined_kernel
def _stand(pixel, total, crosses, scaled, finish_of, gives, samples, behind):  # type: ignore[no-untyped-def]
    """The area in which those that a layer gives [F] or what is opaque (in the samples ``behind``) stand, and the greatest nearness of those;
    0 for both if there are none."""
    _, triangle, z, mask, there, _, _, _, _ = pixel
    all_of = np.float32(samples.across.shape[0])
    whole, loose, nearest = behind, _ONE, _ZERO
    for i in range(total):
        t = triangle[i]
        if not gives[finish_of[t]] or there[i] <= _ZERO or mask[i] == _NO_BIT:
            continue
        if there[i] < _ONE:
            loose *= _ONE - there[i] * np.float32(_count(mask[i] & ~whole)) / all_of
        else:
            whole |= mask[i]
        if mask[i] == samples.every:
            # As where something opaque fills a pixel: at its nearest corner. What is behind that is no nearer, unless it crosses it.
            if nearest == _ZERO or crosses:
                nearest = max(nearest, z[i] + np.float32(0.5 * (abs(scaled[t, 9]) + abs(scaled[t, 10]))))
            continue
        for s in range(samples.across.shape[0]):
            if (mask[i] >> np.uint64(s)) & _BIT != _NO_BIT:
                nearest = max(nearest, z[i] + _nearness_aside(scaled, t, samples.across[s], samples.down[s]))
    if nearest == _ZERO:
        return _ZERO, _ZERO
    return _ONE - (_ONE - np.float32(_count(whole)) / all_of) * loose, nearest


@kernel
def _weigh_tile(tile, row, most, listed, lists, scaled, surfacing, samples, base, found, runs, left):  # type: ignore[no-untyped-def]
    """Fragments of a tile's listed ones of which anything is seen, with what is seen of them as their share: into found (``Fragments``)
    from ``base`` on, runs and left (which hold what there is where nothing is). Gives how many there are.

    Each pixel's are sorted by their nearness at its middle; where surfaces reach through one another within it, each sample's are by theirs.
    Triangles that are shaded together become one. most is how long lists are at most, scaled as in ``Bins``. Shares of
    listed may have been made smaller since (``coverage.cut_out``): so much less of a surface is there.
    """
    masks, first_of, following, solid = lists
    pixel, triangle, share, where, width = found.pixel, found.triangle, found.share, found.where, found.width
    patches, facing, finish_of, bodies, opacity, gives = surfacing
    first_in, many_in, away = runs
    told = away.shape[0] > 0
    of_solid, of_open, covered, depth = left
    every, count, layers = samples.every, samples.across.shape[0], gives.shape[0]
    all_of = np.float32(count)
    height, columns = of_solid.shape[0], (width + _TILE - 1) // _TILE
    same = _TOGETHER_ROUGH if count < 16 else _TOGETHER
    which, triangles, z = np.empty(most, np.int64), np.empty(most, np.int64), np.empty(most, np.float32)
    own, there = np.empty(most, np.uint64), np.empty(most, np.float32)
    stops, seen = np.empty(most, np.float32), np.empty(most, np.float32)
    here = Pixel(which, triangles, z, own, there, stops, seen, np.empty(most, np.float32), np.empty(most, np.int64))
    leads, parts, group = np.empty(most, np.int64), np.empty(most, np.float32), np.empty(most, np.uint64)
    sum_x, sum_y = np.empty(most, np.float32), np.empty(most, np.float32)
    clear = np.empty(count, np.float32)
    x0, y0 = (tile % columns) * _TILE, (tile // columns) * _TILE
    x1, y1 = min(width, x0 + _TILE), min(height, y0 + _TILE)
    used = base
    for y in range(y0, y1):
        for x in range(x0, x1):
            p = (y - y0) * _TILE + x - x0
            f = np.int64(first_of[row, p])
            if f < 0:
                continue
            total = 0
            while f >= 0:
                total += 1
                f = np.int64(following[f])
            # The last that was found comes first.
            f, all_whole = np.int64(first_of[row, p]), True
            for i in range(total - 1, -1, -1):
                t = listed.triangle[f]
                which[i] = f
                z[i] = np.float32(scaled[t, 9] * (x + 0.5) + scaled[t, 10] * (y + 0.5) + scaled[t, 11])
                all_whole = all_whole and masks[f] == every
                f = np.int64(following[f])
            if total > 1:
                _sort(here, total)
            for i in range(total):
                f = which[i]
                triangles[i], own[i], there[i] = listed.triangle[f], masks[f], listed.share[f]
                if own[i] != every:
                    there[i] = min(there[i] * all_of / np.float32(_count(own[i])), _ONE)
                stops[i] = opacity[finish_of[triangles[i]]] * there[i]
            crosses = total > 1 and _part(here, total, scaled, finish_of, bodies)
            for layer in range(layers):
                area, nearest = _stand(here, total, crosses, scaled, finish_of, gives[layer], samples, solid[row, p])
                if nearest > _ZERO:
                    covered[layer, y, x], depth[layer, y, x] = area, _ONE / nearest
            first = used
            if all_whole and not crosses:
                # By far the most frequent: each fills the pixel.
                through = _ONE
                for i in range(total):
                    if own[i] == _NO_BIT:
                        continue
                    mine = through * there[i]
                    through *= _ONE - stops[i]
                    if mine < _LEAST:
                        continue
                    f = which[i]
                    pixel[used], triangle[used], share[used] = np.int32(p), triangles[i], mine
                    where[used, 0], where[used, 1] = listed.where[f, 0], listed.where[f, 1]
                    if told:
                        away[used] = _ONE / z[i]
                    used += 1
                of_solid[y, x] = of_open[y, x] = through
                if told and used > first:
                    first_in[y, x], many_in[y, x] = np.int32(first), np.int32(used - first)
                continue
            if crosses:
                _see_by_sample(here, total, scaled, samples, clear)
            else:
                _see(here, total, every, clear)
            in_solid, in_open, inside_of = _ZERO, _ZERO, 0
            for s in range(count):
                if (solid[row, p] >> np.uint64(s)) & _BIT != _NO_BIT:
                    in_solid += clear[s]
                    inside_of += 1
                else:
                    in_open += clear[s]
            # Of each is told what the other is where there is none of it.
            rest = (in_solid + in_open) / all_of
            of_solid[y, x] = in_solid / np.float32(inside_of) if inside_of > 0 else rest
            of_open[y, x] = in_open / np.float32(count - inside_of) if inside_of < count else rest
            groups = 0
            for i in range(total):
                if own[i] == _NO_BIT or seen[i] * all_of < _LEAST * np.float32(_count(own[i])):
                    continue
                t = triangles[i]
                g, oldest = groups - 1, max(0, groups - _LOOKED_BACK)
                while g >= oldest:
                    other = listed.triangle[leads[g]]
                    if (
                        patches[other] == patches[t]
                        and group[g] & own[i] == _NO_BIT
                        and facing[other, 0] * facing[t, 0]
                        + facing[other, 1] * facing[t, 1]
                        + facing[other, 2] * facing[t, 2]
                        > same
                    ):
                        break
                    g -= 1
                if g < oldest:
                    g = groups
                    groups += 1
                    leads[g], parts[g], group[g] = which[i], _ZERO, _NO_BIT
                    sum_x[g] = sum_y[g] = _ZERO
                parts[g] += seen[i]
                group[g] |= own[i]
                # Counted from the pixel's corner, so that nothing is rounded away in a large picture.
                sum_x[g] += seen[i] * (listed.where[which[i], 0] - np.float32(x))
                sum_y[g] += seen[i] * (listed.where[which[i], 1] - np.float32(y))
            for g in range(groups):
                t = listed.triangle[leads[g]]
                pixel[used], triangle[used], share[used] = np.int32(p), t, parts[g]
                at_x, at_y = np.float32(x) + sum_x[g] / parts[g], np.float32(y) + sum_y[g] / parts[g]
                where[used, 0], where[used, 1] = at_x, at_y
                if told:
                    own_z = scaled[t, 9] * at_x + scaled[t, 10] * at_y + scaled[t, 11]
                    away[used] = np.float32(1.0 / max(own_z, 1e-9))
                used += 1
            if told and groups > 0:
                first_in[y, x], many_in[y, x] = np.int32(first), np.int32(groups)
    return used - base


@parallel_kernel
def list_fragments(fragments, lists, rooms, bins, own, height, farthest, samples, most):  # type: ignore[no-untyped-def]
    """``_list_tile`` for all tiles, whose rows of lists have their numbers and which have rooms [tiles]. Counts of fragments become how many
    there are, with room or without; most [tiles] the most fragments that a pixel has."""
    order, counts, firsts = fragments.order, fragments.counts, fragments.firsts
    for stretch in numba.prange(_STRETCHES):
        nearness = np.empty((_PIXELS, samples.across.shape[0]), np.float32)
        low, high, many = np.empty(_PIXELS, np.float32), np.empty(_PIXELS, np.float32), np.empty(_PIXELS, np.int32)
        working = nearness, low, high, many
        for turn in range(stretch * order.shape[0] // _STRETCHES, (stretch + 1) * order.shape[0] // _STRETCHES):
            tile = order[turn]
            base, room = firsts[tile], rooms[tile]
            counts[tile], most[tile] = _list_tile(
                tile, tile, base, room, fragments, lists, bins, own, height, farthest, samples, working
            )


@parallel_kernel
def join(listed, lists, surfacing, wanted):  # type: ignore[no-untyped-def]
    """Make triangles of wanted finishes [F] that would be shaded together one fragment in each pixel, in place, after
    ``list_fragments``: what a picture says of a pixel it says of its middle, into however many triangles that was cut."""
    order, pixels = listed.order, lists.first.shape[1]
    triangle, share, where = listed.triangle, listed.share, listed.where
    masks, first_of, following, _ = lists
    patches, facing, finish_of = surfacing.patches, surfacing.facing, surfacing.finish_of
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        for p in range(pixels):
            f, last = np.int64(first_of[tile, p]), np.int64(-1)
            while f >= 0:
                after, t, joined = np.int64(following[f]), triangle[f], False
                g = np.int64(first_of[tile, p]) if wanted[finish_of[t]] else f
                while g != f:
                    other = triangle[g]
                    lean = facing[other, 0] * facing[t, 0] + facing[other, 1] * facing[t, 1]
                    lean += facing[other, 2] * facing[t, 2]
                    if patches[other] == patches[t] and masks[g] & masks[f] == _NO_BIT and lean > _TOGETHER:
                        many, more = np.float32(_count(masks[g])), np.float32(_count(masks[f]))
                        for k in range(2):
                            where[g, k] = (many * where[g, k] + more * where[f, k]) / (many + more)
                        # Samples are sorted from the middle outwards: the triangle that is nearest to it stands for both.
                        if masks[f] & (~masks[f] + _BIT) < masks[g] & (~masks[g] + _BIT):
                            triangle[g] = t
                        masks[g] |= masks[f]
                        share[g] += share[f]
                        joined = True
                        break
                    g = np.int64(following[g])
                if joined:
                    following[last] = np.int32(after)
                else:
                    last = f
                f = after


@parallel_kernel
def weigh(found, listed, lists, scaled, surfacing, samples, most, runs, left):  # type: ignore[no-untyped-def]
    """``_weigh_tile`` for all tiles of ``list_fragments``."""
    order, counts, firsts = found.order, found.counts, found.firsts
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        counts[tile] = _weigh_tile(
            tile, tile, most[tile], listed, lists, scaled, surfacing, samples, firsts[tile], found, runs, left
        )


@parallel_kernel
def list_and_weigh(  # type: ignore[no-untyped-def]
    found, listed, lists, rooms, most_room, bins, own, farthest, surfacing, samples, runs, left, needed
):
    """Both, one tile after the other, so that lists need not leave a processor's own memory: listed and lists have room for so many
    in each of STRETCHES parts. needed [tiles] gets how many fragments there are; where that is more than rooms [tiles], none is found."""
    order, counts, firsts = found.order, found.counts, found.firsts
    height = left.solid.shape[0]
    for stretch in numba.prange(_STRETCHES):
        nearness = np.empty((_PIXELS, samples.across.shape[0]), np.float32)
        low, high, many = np.empty(_PIXELS, np.float32), np.empty(_PIXELS, np.float32), np.empty(_PIXELS, np.int32)
        working = nearness, low, high, many
        base = stretch * most_room
        for turn in range(stretch * order.shape[0] // _STRETCHES, (stretch + 1) * order.shape[0] // _STRETCHES):
            tile = order[turn]
            total, most = _list_tile(
                tile, stretch, base, rooms[tile], listed, lists, bins, own, height, farthest, samples, working
            )
            needed[tile] = total
            counts[tile] = 0
            if total <= rooms[tile]:
                counts[tile] = _weigh_tile(
                    tile, stretch, most, listed, lists, bins.scaled, surfacing, samples, firsts[tile], found, runs, left
                )


@parallel_kernel
def pack(order, found, runs, packed, own_runs):  # type: ignore[no-untyped-def]
    """Fragments and runs in the places that packed (``Fragments``, whose counts are known) has for them; own_runs are runs but for how far
    away they are."""
    # Unpacked first: what is written to by its name in a record is left out as if nobody would read it.
    own_first, _, own_away = own_runs
    pixel, triangle, share, where = packed.pixel, packed.triangle, packed.share, packed.where
    columns = (found.width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        base, own = found.firsts[tile], packed.firsts[tile]
        for y in range(top, min(top + _TILE, runs.first.shape[0])):
            for x in range(left, min(left + _TILE, found.width)):
                if runs.first[y, x] >= 0:
                    own_first[y, x] = np.int32(runs.first[y, x] - base + own)
        for k in range(found.counts[tile]):
            f, g = base + k, own + k
            pixel[g], triangle[g], share[g] = found.pixel[f], found.triangle[f], found.share[f]
            where[g, 0], where[g, 1] = found.where[f, 0], found.where[f, 1]
            own_away[g] = runs.away[f]


@parallel_kernel
def hold(fragments, finish_of, amounts, held):  # type: ignore[no-untyped-def]
    """What fragments hide of each pixel, held [H, W]: their shares times amounts [F]."""
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            row, column = top + (fragments.pixel[f] >> _SHIFT), left + (fragments.pixel[f] & _MASK)
            held[row, column] += fragments.share[f] * amounts[finish_of[fragments.triangle[f]]]


@parallel_kernel
def put_through(order, left, number, upper, hidden, lower, held, covered, depth, touched):  # type: ignore[no-untyped-def]
    """Put what see-through surfaces give of a layer, upper [H, W, 4] (or of no length: nothing), over lower [H, W, 4] (or of no length: it is
    there already), in place.

    hidden is what they hide of each pixel, held what else does, covered the area in which anything stands (all [H, W], or of no length), and depth
    [H, W] that of the nearest; touched [H, W] gets where something changes.
    """
    width = depth.shape[1]
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        y0, x0 = (tile // columns) * _TILE, (tile % columns) * _TILE
        for y in range(y0, min(y0 + _TILE, depth.shape[0])):
            for x in range(x0, min(x0 + _TILE, width)):
                rest = left.solid[y, x]
                is_there = rest != _ONE
                for k in range(4 if upper.shape[0] > 0 else 0):
                    is_there = is_there or upper[y, x, k] != _ZERO
                touched[y, x] = is_there
                if held.shape[0] > 0:
                    held[y, x] = held[y, x] * rest + (hidden[y, x] if hidden.shape[0] > 0 else _ZERO)
                depth[y, x] = min(depth[y, x], left.depth[number, y, x])
                if covered.shape[0] > 0:
                    covered[y, x] = max(covered[y, x], left.covered[number, y, x])
                if not is_there:
                    continue
                for k in range(4 if lower.shape[0] > 0 else 0):
                    lower[y, x, k] *= rest
                for k in range(4 if upper.shape[0] > 0 else 0):
                    lower[y, x, k] += upper[y, x, k]
