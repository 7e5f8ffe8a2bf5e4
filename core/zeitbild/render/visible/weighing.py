"""How much of each fragment of see-through surfaces is seen through those before it, and what they leave of what is behind them.

Over of Porter and Duff 1984, from near to far, is a sum of what fragments give, each weighted by what those before it leave of its samples.
"""

from __future__ import annotations

from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import inlined_kernel, kernel, parallel_kernel
from zeitbild.render.visible.lists import MOST_OPAQUE, PIXELS, STRETCHES, TOGETHER, count_samples, list_tile, opaque_at
from zeitbild.render.visible.triangle_setup import BELOW, TILE

_TILE = TILE
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1
_STRETCHES, _PIXELS = STRETCHES, PIXELS
_ZERO, _HALF, _ONE = np.float32(0), np.float32(0.5), np.float32(1)
#: Two surfaces of one body that lie closer together (as a share of their nearness) lie in one place, and the first is seen.
_ONE_PLACE = np.float32(1 - BELOW)
_NO_BIT, _BIT = np.uint64(0), np.uint64(1)
#: Fragments of which less than this share of a pixel is seen are left out.
_LEAST = np.float32(1 / 4096)
#: Triangles of one patch that lean apart by less (cosine) are shaded together, as in ``tile_kernel``; and with the fewest samples.
_TOGETHER, _TOGETHER_ROUGH = TOGETHER, np.float32(0.8)
#: Lists up to here are sorted by putting one after the other in its place.
_SHORT = 24
#: Opaque surfaces of a pixel are told apart where what is left of its samples differs by more.
_UNLIKE = np.float32(1 / 512)
#: So many of the surfaces before it are looked at for one that a triangle belongs to.
_LOOKED_BACK = 8


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
            loose *= _ONE - there[i] * np.float32(count_samples(mask[i] & ~whole)) / all_of
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
    return _ONE - (_ONE - np.float32(count_samples(whole)) / all_of) * loose, nearest


@kernel
def _tell_opaque(seen, clear, surfacing, same, samples, found):  # type: ignore[no-untyped-def]
    """Of the opaque triangles seen [S] in the samples of a pixel, of which surfaces before them leave clear [S]: those that are shaded together
    as one, into found [MOST_OPAQUE, 4]: a triangle, how much of it is seen in the whole pixel, and where in the mean. Gives how many there are;
    0 if they are too many."""
    patches, facing = surfacing.patches, surfacing.facing
    groups = 0
    for s in range(seen.shape[0]):
        t = seen[s]
        if t < 0:
            continue
        g = 0
        while g < groups:
            other = np.int64(found[g, 0])
            lean = facing[other, 0] * facing[t, 0] + facing[other, 1] * facing[t, 1] + facing[other, 2] * facing[t, 2]
            if patches[other] == patches[t] and lean > same:
                break
            g += 1
        if g == groups:
            if groups == MOST_OPAQUE:
                return 0
            found[g, 0], found[g, 1], found[g, 2], found[g, 3] = t, 0.0, 0.0, 0.0
            groups += 1
        found[g, 1] += clear[s]
        found[g, 2] += clear[s] * samples.across[s]
        found[g, 3] += clear[s] * samples.down[s]
    for g in range(groups):
        if found[g, 1] > 0.0:
            found[g, 2] /= found[g, 1]
            found[g, 3] /= found[g, 1]
        found[g, 1] /= seen.shape[0]
    return groups


@inlined_kernel
def _put(places, away, scaled, f, p, t, part, x, y):  # type: ignore[no-untyped-def]
    """A fragment f of a pixel p: of a triangle, in a part of it, at a place of the picture; away [n] (or of no length) how far it is there."""
    pixel, triangle, share, where = places
    pixel[f], triangle[f], share[f] = np.int32(p), t, np.float32(part)
    where[f, 0], where[f, 1] = x, y
    if away.shape[0] > 0:
        nearness = scaled[t, 9] * x + scaled[t, 10] * y + scaled[t, 11]
        away[f] = np.float32(1.0 / max(nearness, 1e-9))


@kernel
def _weigh_tile(  # type: ignore[no-untyped-def]
    tile, row, most, listed, lists, bins, own_ones, farthest, surfacing, samples, base, found, runs, left
):
    """Fragments of a tile's listed ones of which anything is seen, with what is seen of them as their share: into found (``Fragments``)
    from ``base`` on, runs and left (which hold what there is where nothing is). Gives how many there are.

    Each pixel's are sorted by their nearness at its middle; where surfaces reach through one another within it, each sample's are by theirs.
    Triangles that are shaded together become one. most is how long lists are at most. Shares of
    listed may have been made smaller since (``coverage.cut_out``): so much less of a surface is there. Where surfaces leave unlike parts of
    several opaque ones, those are among what is found, and nothing of them is left.
    """
    masks, first_of, following, solid, several = lists
    scaled = bins.scaled
    pixel, triangle, share, where, width = found.pixel, found.triangle, found.share, found.where, found.width
    places = pixel, triangle, share, where
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
    clear, nearness, opaque = np.empty(count, np.float32), np.empty(count, np.float32), np.empty(count, np.int32)
    of_opaque = np.empty((MOST_OPAQUE, 4), np.float64)
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
                    there[i] = min(there[i] * all_of / np.float32(count_samples(own[i])), _ONE)
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
            least_left, most_left = _ONE, _ZERO
            for s in range(count):
                if (solid[row, p] >> np.uint64(s)) & _BIT != _NO_BIT:
                    in_solid += clear[s]
                    least_left, most_left = min(least_left, clear[s]), max(most_left, clear[s])
                    inside_of += 1
                else:
                    in_open += clear[s]
            # Of each is told what the other is where there is none of it.
            rest = (in_solid + in_open) / all_of
            of_solid[y, x] = in_solid / np.float32(inside_of) if inside_of > 0 else rest
            of_open[y, x] = in_open / np.float32(count - inside_of) if inside_of < count else rest
            groups = 0
            for i in range(total):
                if own[i] == _NO_BIT or seen[i] * all_of < _LEAST * np.float32(count_samples(own[i])):
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
                at_x, at_y = np.float32(x) + sum_x[g] / parts[g], np.float32(y) + sum_y[g] / parts[g]
                _put(places, away, scaled, used, p, listed.triangle[leads[g]], parts[g], at_x, at_y)
                used += 1
            if several[row, p] != 0 and most_left - least_left > _UNLIKE:
                opaque_at(tile, x, y, bins, own_ones, farthest, samples, nearness, opaque)
                there_are = _tell_opaque(opaque, clear, surfacing, same, samples, of_opaque)
                if there_are > 1:
                    of_solid[y, x] = _ZERO
                for g in range(there_are if there_are > 1 else 0):
                    if of_opaque[g, 1] < _LEAST:
                        continue
                    at_x, at_y = np.float32(x) + of_opaque[g, 2], np.float32(y) + of_opaque[g, 3]
                    _put(places, away, scaled, used, p, np.int32(of_opaque[g, 0]), of_opaque[g, 1], at_x, at_y)
                    used += 1
            if told and used > first:
                first_in[y, x], many_in[y, x] = np.int32(first), np.int32(used - first)
    return used - base


@parallel_kernel
def weigh(found, listed, lists, bins, own, farthest, surfacing, samples, most, runs, left):  # type: ignore[no-untyped-def]
    """``_weigh_tile`` for all tiles of ``list_fragments``."""
    order, counts, firsts = found.order, found.counts, found.firsts
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        counts[tile] = _weigh_tile(
            tile,
            tile,
            most[tile],
            listed,
            lists,
            bins,
            own,
            farthest,
            surfacing,
            samples,
            firsts[tile],
            found,
            runs,
            left,
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
        working = nearness, low, high, many, np.empty(_PIXELS, np.int32)
        base, patches = stretch * most_room, surfacing.patches
        for turn in range(stretch * order.shape[0] // _STRETCHES, (stretch + 1) * order.shape[0] // _STRETCHES):
            tile = order[turn]
            total, most, more = list_tile(
                tile, stretch, base, rooms[tile], listed, lists, bins, own, patches, height, farthest, samples, working
            )
            needed[tile] = total + more
            counts[tile] = 0
            if needed[tile] <= rooms[tile]:
                counts[tile] = _weigh_tile(
                    tile,
                    stretch,
                    most,
                    listed,
                    lists,
                    bins,
                    own,
                    farthest,
                    surfacing,
                    samples,
                    firsts[tile],
                    found,
                    runs,
                    left,
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
