"""Fragments of see-through surfaces, all of a pixel's in a list.

What is opaque is drawn first, sample by sample; of see-through triangles each pixel gets a fragment with the samples (a mask) in which
it stands before that. How much is seen of each: ``weighing.py``. So any number of surfaces, beside, behind and through one another,
cost what their fragments cost.
"""

from __future__ import annotations

from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import kernel, parallel_kernel
from zeitbild.render.visible.sampling import sample_offsets
from zeitbild.render.visible.triangle_setup import TILE

_TILE = TILE
#: Parts that the tiles are worked on in; more than there will be threads, so that all are busy to the end.
_STRETCHES = STRETCHES = 32
_PIXELS = PIXELS = TILE * TILE
_ZERO, _HALF, _ONE = np.float32(0), np.float32(0.5), np.float32(1)
#: Room for rounding when a whole pixel is taken for inside; and the least number, for samples on an edge.
_SLACK, _TINY = np.float32(1e-4), np.float32(1.4e-45)
_NO_BIT, _BIT = np.uint64(0), np.uint64(1)
#: Triangles that lean apart by less (cosine) and belong to one patch are shaded together, as in ``tile_kernel``.
_TOGETHER = TOGETHER = np.float32(0.97)
#: So many places before and behind its own a fragment's surface is looked for among those of another pixel: it lies behind about as many
#: others there.
ABOUT = 2
#: Opaque surfaces of one pixel that are told apart at most.
MOST_OPAQUE = 4


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
    is the mask of the samples in which something opaque is, and several [rows, pixels] whether that is of more than one patch.
    """

    masks: NDArray[np.uint64]
    first: NDArray[np.int32]
    following: NDArray[np.int32]
    solid: NDArray[np.uint64]
    several: NDArray[np.uint8]


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
def count_samples(mask):  # type: ignore[no-untyped-def]
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
def list_tile(  # type: ignore[no-untyped-def]
    tile, row, base, room, fragments, lists, bins, own, patches, height, farthest, samples, working
):
    """Put fragments of own triangles [T] (not 0) of a tile, as far as those of others, which are opaque, do not hide them, into
    fragments and lists from ``base`` on, where there is ``room`` for so many, their pixels into a row of lists.

    farthest is the nearness that nothing drawn exceeds; triangles cover samples as in ``tile_kernel``. working are arrays to work in:
    nearness [pixels, S] of what is opaque, of each pixel the least and the greatest of them, how many fragments it has and what patch was
    seen last. patches [T] tells which triangles are one surface. Gives how
    many fragments there are, those for which there was no room too, how many in one pixel at most, and how many opaque ones may
    come to them.
    """
    nearness, low, high, many, seen_last = working
    masks, first_of, following, solid, several = lists
    pixel, triangle = fragments.pixel, fragments.triangle
    share, where, width = fragments.share, fragments.where, fragments.width
    across, down, every = samples
    scaled, boxes, starts, members = bins
    columns, count = (width + _TILE - 1) // _TILE, across.shape[0]
    all_of = np.float32(count)
    x0, y0 = (tile % columns) * _TILE, (tile // columns) * _TILE
    x1, y1 = min(width, x0 + _TILE), min(height, y0 + _TILE)
    used, deepest, more = base, 0, 0
    low[:] = _ZERO
    high[:] = _ZERO
    first_of[row] = np.int32(-1)
    many[:] = 0
    several[row] = np.uint8(0)
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
                        closest, rest, taken = _ZERO, farthest, 0
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
                            taken += 1 if inside else 0
                            nearness[p, s] = held
                            closest, rest = max(closest, held), min(rest, held)
                        if taken > 0:
                            if high[p] == _ZERO or taken == count:
                                several[row, p] = np.uint8(0)
                            elif seen_last[p] != patches[t]:
                                several[row, p] = np.uint8(1)
                            seen_last[p] = patches[t]
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
            if first_of[row, p] < 0:
                several[row, p] = np.uint8(0)
            more += MOST_OPAQUE * several[row, p]
    return used - base, deepest, more


@kernel
def opaque_at(tile, x, y, bins, own, farthest, samples, nearness, seen):  # type: ignore[no-untyped-def]
    """The triangle that is seen in each sample of a pixel of a tile, of those that are not own [T] (0), into seen [S], -1 for none; nearness
    [S] is to work in."""
    scaled, boxes, starts, members = bins
    across, down, _ = samples
    nearness[:] = _ZERO
    seen[:] = np.int32(-1)
    for k in range(starts[tile], starts[tile + 1]):
        t = members[k]
        if own[t] != 0 or boxes[t, 0] > x or boxes[t, 2] < x or boxes[t, 1] > y or boxes[t, 3] < y:
            continue
        a0, b0, c0 = scaled[t, 0], scaled[t, 1], scaled[t, 2]
        a1, b1, c1 = scaled[t, 3], scaled[t, 4], scaled[t, 5]
        a2, b2, c2 = scaled[t, 6], scaled[t, 7], scaled[t, 8]
        az, bz, cz = scaled[t, 9], scaled[t, 10], scaled[t, 11]
        f0, g0, f1, g1 = np.float32(a0), np.float32(b0), np.float32(a1), np.float32(b1)
        f2, g2, fz, gz = np.float32(a2), np.float32(b2), np.float32(az), np.float32(bz)
        # As in ``list_tile``.
        t0 = -_TINY if (a0 > 0 or (a0 == 0 and b0 > 0)) else _ZERO
        t1 = -_TINY if (a1 > 0 or (a1 == 0 and b1 > 0)) else _ZERO
        t2 = -_TINY if (a2 > 0 or (a2 == 0 and b2 > 0)) else _ZERO
        v0, v1 = np.float32(a0 * x + (b0 * y + c0)), np.float32(a1 * x + (b1 * y + c1))
        v2, vz = np.float32(a2 * x + (b2 * y + c2)), np.float32(az * x + (bz * y + cz))
        for s in range(across.shape[0]):
            sx, sy = across[s], down[s]
            z = vz + (fz * sx + gz * sy)
            if (
                v0 + (f0 * sx + g0 * sy) > t0
                and v1 + (f1 * sx + g1 * sy) > t1
                and v2 + (f2 * sx + g2 * sy) > t2
                and z > nearness[s]
                and z <= farthest
            ):
                nearness[s], seen[s] = z, np.int32(t)


@parallel_kernel
def list_fragments(  # type: ignore[no-untyped-def]
    fragments, lists, rooms, bins, own, patches, height, farthest, samples, most, more
):
    """``list_tile`` for all tiles, whose rows of lists have their numbers and which have rooms [tiles]. Counts of fragments become how many
    there are, with room or without; most [tiles] the most fragments that a pixel has, and more [tiles] those that may come to them."""
    order, counts, firsts = fragments.order, fragments.counts, fragments.firsts
    for stretch in numba.prange(_STRETCHES):
        nearness = np.empty((_PIXELS, samples.across.shape[0]), np.float32)
        low, high, many = np.empty(_PIXELS, np.float32), np.empty(_PIXELS, np.float32), np.empty(_PIXELS, np.int32)
        working = nearness, low, high, many, np.empty(_PIXELS, np.int32)
        for turn in range(stretch * order.shape[0] // _STRETCHES, (stretch + 1) * order.shape[0] // _STRETCHES):
            tile = order[turn]
            base, room = firsts[tile], rooms[tile]
            counts[tile], most[tile], more[tile] = list_tile(
                tile, tile, base, room, fragments, lists, bins, own, patches, height, farthest, samples, working
            )


@parallel_kernel
def join(listed, lists, surfacing, wanted):  # type: ignore[no-untyped-def]
    """Make triangles of wanted finishes [F] that would be shaded together one fragment in each pixel, in place, after
    ``list_fragments``: what a picture says of a pixel it says of its middle, into however many triangles that was cut."""
    order, pixels = listed.order, lists.first.shape[1]
    triangle, share, where = listed.triangle, listed.share, listed.where
    masks, first_of, following, _, _ = lists
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
                        many, more = np.float32(count_samples(masks[g])), np.float32(count_samples(masks[f]))
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
