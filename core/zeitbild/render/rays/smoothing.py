"""Rays shared across a surface: what sixteen neighbouring pixels found out is averaged where they see one surface.

The window is 4 x 4 pixels, so that it holds every stretch of the ray pattern (``tracing``) exactly once; at final one pixel more, of which the
rim counts half, so that it lies about its pixel.

Shadows of lights without a size have no soft border, and are shared only among pixels whose shares are alike: what see-through bodies stop of
their rays differs a little from pixel to pixel. Behind several of them it differs by more: there the whole window counts where most of it is
neither lit nor in shadow.

At final, borders of shadows stay as narrow as they are and where they are (``soften``): there pixels have more rays of their own.
"""

from __future__ import annotations

import math

import numba
import numpy as np

from zeitbild.kernels import inlined_kernel, kernel, parallel_kernel
from zeitbild.render.light.lighting import SHADOWS, has_borders, light_point
from zeitbild.render.visible.lists import ABOUT
from zeitbild.render.visible.triangle_setup import TILE
from zeitbild.snapshot.finish_row import SHADING, SHADOW_ONLY, TONE_BANDS

_TILE = TILE
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1
_ZERO, _ONE = np.float32(0), np.float32(1)
_SHADING, _SHADOW_ONLY, _TONE_BANDS = SHADING, np.float32(SHADOW_ONLY), np.float32(TONE_BANDS)
_ABOUT, _SHADOWS = ABOUT, SHADOWS
#: Neighbours whose normals lean apart by more (cosine) see something else.
_SAME = np.float32(0.8)
#: So do neighbours farther off the plane of the triangle than so many pixels' size, or farther away than so many times
#: that.
_STEPS = np.float32(2)
_FAR = np.float32(20)
#: Half of the pixels of five times five around one: each has one opposite.
_HALF_AROUND = np.array([(y, x) for y in range(3) for x in range(-2, 3) if y > 0 or x > 0])
_HALF, _TWO = np.float32(0.5), np.float32(2)
#: Bits of what is known of a place: a shadow's border is there (``tracing.find_borders``), and its neighbours can tell little of it.
BORDER, NARROW = 1, 2
_NARROW = np.uint8(NARROW)
#: Where the share of a light changes by more than this from pixel to pixel, or differs by more from an even slope (root mean square, of the
#: square; chance leaves 0.04 of sixteen rays), neighbours tell too little of it; so they do where there are fewer of them.
_STEEP, _UNEVEN, _FEW = np.float32(1 / 24), np.float32(0.055 * 0.055), 18
#: Radiance (of all three colours) that one pixel's mirror rays may have met more than so many times what those of the window met in the mean: a
#: glint of which one in sixteen tells would else be a square of sixteen pixels.
_GLARE, _TIMES = np.float32(6), np.float32(4)


@inlined_kernel
def _radiance(rayed, f, first):  # type: ignore[no-untyped-def]
    """The sum of what fragment f's mirror rays met, which is the three columns of rayed [fragments, C] from the first on."""
    return rayed[f, first] + rayed[f, first + 1] + rayed[f, first + 2]


@inlined_kernel
def _reach(f, depth, away, pixel_angle, parallel):  # type: ignore[no-untyped-def]
    """How far off the plane of fragment f's triangle its neighbours may lie, in units: a few times the size of its pixel. depth is that of its pixel, which
    away [fragments] tells better where several are seen; see ``smooth``."""
    return _STEPS * pixel_angle * (_ONE if parallel else depth if away.shape[0] == 0 else away[f])


@kernel
def _beside(f, row, column, y, x, spots, main, many, reach):  # type: ignore[no-untyped-def]
    """The fragment of pixel (y, x), another than f, that is of the same surface as fragment f in pixel (row, column); -1 if there is none.

    reach is how far it may lie off the plane of f's triangle; spots from ``tracing.locate``; main and many of ``lists.Runs``.
    """
    if y < 0 or x < 0 or y >= main.shape[0] or x >= main.shape[1]:
        return np.int64(-1)
    first, last = main[y, x], main[y, x] + 1
    if many.shape[0] > 0:
        # A surface lies behind about as many others in the next pixel as in this one.
        rank = f - main[row, column]
        last = first + min(many[y, x], rank + _ABOUT + 1)
        first += max(rank - _ABOUT, 0)
    for g in range(first, last):
        if g < 0 or g == f:
            continue
        dx, dy, dz = spots[g, 0] - spots[f, 0], spots[g, 1] - spots[f, 1], spots[g, 2] - spots[f, 2]
        lean = spots[g, 3] * spots[f, 3] + spots[g, 4] * spots[f, 4] + spots[g, 5] * spots[f, 5]
        off = abs(dx * spots[f, 6] + dy * spots[f, 7] + dz * spots[f, 8])
        # Seen at a slant, neighbouring pixels lie farther apart on one surface.
        if lean >= _SAME and off <= reach and dx * dx + dy * dy + dz * dz <= _FAR * _FAR * reach * reach:
            return np.int64(g)
    return np.int64(-1)


@parallel_kernel
def borrow(fragments, spots, runs, depth, pixel_angle, parallel, lights, tally, rayed):  # type: ignore[no-untyped-def]
    """Give places that no ray could start from the share of a light that those around them see: their triangle faces away from a light towards
    which the surface that it stands for is turned, which is so where a curved thing's own shadow begins.

    lights [L] as ``lighting.Shining.rows``, tally [fragments, L + 1, 2] from ``tracing.trace``, rayed [fragments, C] its shares; see ``smooth`` for
    the rest. Where nobody around knows, all of the light is seen.
    """
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    pixel = fragments.pixel
    columns = (width + _TILE - 1) // _TILE
    main, many, away = runs
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            own = spots[f]
            for number in range(lights.shape[0]):
                if lights[number, _SHADOWS] == _ZERO or tally[f, number, 0] > 0:
                    continue
                lx, ly, lz, _ = light_point(lights[number], own[0], own[1], own[2], _ZERO, _ZERO)
                if lx * own[3] + ly * own[4] + lz * own[5] <= _ZERO:
                    continue
                row, column = top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)
                reach = _reach(f, depth[row, column], away, pixel_angle, parallel)
                cast, clear = 0, 0
                for y in range(row - 2, row + 3):
                    for x in range(column - 2, column + 3):
                        g = _beside(f, row, column, y, x, spots, main, many, reach)
                        if g >= 0:
                            cast += tally[g, number, 0]
                            clear += tally[g, number, 1]
                if cast > 0:
                    rayed[f, number] = np.float32(clear) / np.float32(cast)


@parallel_kernel
def smooth(  # type: ignore[no-untyped-def]
    fragments,
    finish_of,
    finishes,
    spots,
    runs,
    depth,
    pixel_angle,
    parallel,
    shared,
    veiled,
    alike_within,
    mirror_from,
    sharp,
    centred,
    rayed,
    smoothed,
):
    """Mean of rayed [fragments, C] over the window into smoothed; see ``tracing.trace`` for what is shared with it.

    spots from ``tracing.locate``; runs (``lists.Runs``) tell which fragments a pixel shows to its neighbours; depth [H, W], where runs do
    not tell it; pixel_angle the size of a pixel at depth 1, or at any depth if parallel;
    shared holds the numbers of the columns that are averaged, veiled those that are only where they are
    alike (differ by less than alike_within), the rest are copied; from
    column mirror_from on (three of radiance, and a share), mirrors smoother than ``sharp`` keep their own, and of what others met the brightest
    counts for no more than ``_GLARE`` and ``_TIMES`` say. If it is centred, the window is five times five pixels, of which those at
    its rim count half: each stretch of the pattern still counts once, and nothing is moved by half a pixel.
    """
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    pixel, triangle = fragments.pixel, fragments.triangle
    columns = (width + _TILE - 1) // _TILE
    wide = rayed.shape[1]
    main, many, away = runs
    before = 2 if centred else 1
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        met, every, partly = np.empty(wide, np.float32), np.empty(wide, np.float32), np.empty(wide, np.float32)
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            row, column = top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)
            for c in veiled:
                met[c], every[c] = _ONE, rayed[f, c]
                partly[c] = _ONE if rayed[f, c] > _ZERO and rayed[f, c] < _ONE else _ZERO
            for c in range(wide):
                smoothed[f, c] = rayed[f, c]
            reach = _reach(f, depth[row, column], away, pixel_angle, parallel)
            own = spots[f]
            rough = finishes[finish_of[triangle[f]], 3]
            # How much there is of what is shadow only is decided here, and by no more places.
            own_sharp = sharp if finishes[finish_of[triangle[f]], _SHADING] != _SHADOW_ONLY else _ZERO
            lobe = rough * rough
            found = mirrors = _ONE
            # Of all that counts the brightest that a mirror ray met.
            glares, glare, glare_part = f, _radiance(rayed, f, mirror_from), _ONE
            for y in range(max(0, row - before), min(main.shape[0], row + 3)):
                for x in range(max(0, column - before), min(width, column + 3)):
                    part = _ONE
                    if centred:
                        part = (_HALF if abs(y - row) == 2 else _ONE) * (_HALF if abs(x - column) == 2 else _ONE)
                    g = _beside(f, row, column, y, x, spots, main, many, reach)
                    if g < 0:
                        continue
                    found += part
                    # Mirrors show the same only where their normals lean apart by less than their lobe is wide.
                    lean_x, lean_y, lean_z = spots[g, 3] - own[3], spots[g, 4] - own[4], spots[g, 5] - own[5]
                    alike = lean_x * lean_x + lean_y * lean_y + lean_z * lean_z < lobe * lobe
                    mirrors += part if alike else _ZERO
                    if alike:
                        own_glare = _radiance(rayed, g, mirror_from)
                        if own_glare > glare:
                            glares, glare, glare_part = g, own_glare, part
                    for c in shared:
                        smoothed[f, c] += part * rayed[g, c] if c < mirror_from or alike else _ZERO
                    for c in veiled:
                        share = rayed[g, c]
                        every[c] += part * share
                        partly[c] += part if share > _ZERO and share < _ONE else _ZERO
                        if abs(share - rayed[f, c]) < alike_within:
                            smoothed[f, c] += part * share
                            met[c] += part
            if glare > _GLARE and mirrors > glare_part:
                rest = (_radiance(smoothed, f, mirror_from) - glare_part * glare) / (mirrors - glare_part)
                too_much = max(_ZERO, _ONE - (_GLARE + _TIMES * rest) / glare) * glare_part
                for c in range(mirror_from, mirror_from + 3):
                    smoothed[f, c] -= too_much * rayed[glares, c]
            scale, mirror_scale = _ONE / found, _ONE / mirrors
            for c in veiled:
                # Light that comes through several bodies differs by several rays: where most of the window is neither lit nor in shadow, all
                # of it counts.
                if _TWO * partly[c] > found:
                    smoothed[f, c] = every[c] / found
                else:
                    smoothed[f, c] /= met[c]
            for c in shared:
                if c < mirror_from:
                    smoothed[f, c] *= scale
                else:
                    smoothed[f, c] = rayed[f, c] if rough < own_sharp else smoothed[f, c] * mirror_scale


@parallel_kernel
def find_narrow(  # type: ignore[no-untyped-def]
    fragments, finish_of, finishes, spots, runs, depth, pixel_angle, parallel, lights, tally, wanted, narrow
):
    """Put ``NARROW`` in narrow [fragments, L + 1], of what is marked in wanted (``tracing.find_borders``), where the share of a light that is seen of one
    surface goes from lit to dark within few pixels, or not evenly: pixels around can tell little of it.

    Of lights [L] (``lighting.Shining.rows``) without a size all borders are narrow; of those on tone bands, too, which part where there is a
    little less light. Of the half sphere, last, none is. tally [fragments, L + 1, 2] from ``tracing.trace``; see ``smooth`` for the rest.
    """
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    pixel, triangle = fragments.pixel, fragments.triangle
    main, many, away = runs
    count = lights.shape[0]
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        around = np.empty(25, np.int64)
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            banded = finishes[finish_of[triangle[f]], _SHADING] == _TONE_BANDS
            asks = False
            narrow[f, count] = np.uint8(0)
            for number in range(count):
                narrow[f, number] = _NARROW if wanted[f, number] != 0 else np.uint8(0)
                asks |= wanted[f, number] != 0 and has_borders(lights[number])
            if banded or not asks:
                continue
            row, column = top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)
            reach = _reach(f, depth[row, column], away, pixel_angle, parallel)
            for k in range(25):
                around[k] = f
                if k != 12:
                    around[k] = _beside(f, row, column, row + k // 5 - 2, column + k % 5 - 2, spots, main, many, reach)
            for number in range(count):
                if wanted[f, number] == 0 or not has_borders(lights[number]):
                    continue
                found = 0
                every = square = by_x = by_y = all_x = all_y = far_x = far_y = _ZERO
                for k in range(25):
                    g = around[k]
                    if g < 0 or tally[g, number, 0] == 0:
                        continue
                    share = np.float32(tally[g, number, 1]) / np.float32(tally[g, number, 0])
                    x, y = np.float32(k % 5 - 2), np.float32(k // 5 - 2)
                    found, every, square = found + 1, every + share, square + share * share
                    all_x, all_y, by_x, by_y = all_x + x, all_y + y, by_x + x * share, by_y + y * share
                    far_x, far_y = far_x + x * x, far_y + y * y
                if found < _FEW:
                    continue
                # A straight plane through them: how it rises across and down, and what of them lies off it.
                part = _ONE / np.float32(found)
                across, down = far_x - all_x * all_x * part, far_y - all_y * all_y * part
                rise_x, rise_y = (by_x - all_x * every * part) / across, (by_y - all_y * every * part) / down
                off = square - every * every * part - rise_x * rise_x * across - rise_y * rise_y * down
                if abs(rise_x) < _STEEP and abs(rise_y) < _STEEP and off * part < _UNEVEN:
                    narrow[f, number] = np.uint8(0)


@parallel_kernel
def soften(fragments, spots, runs, depth, pixel_angle, parallel, soft, within, wanted, rayed, smoothed):  # type: ignore[no-untyped-def]
    """Shares of lights, the columns ``soft`` of rayed [fragments, C], into smoothed where a shadow has a border (wanted [fragments, L + 1], of ``BORDER``
    and ``NARROW``): the mean with those of opposite pixels of five times five, less the more their own mean differs from it
    (within: the deviations where it is wide and where it is narrow).

    Two opposite ones leave an even slope as it is. See ``smooth`` for the rest.
    """
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    pixel = fragments.pixel
    columns = (width + _TILE - 1) // _TILE
    main, many, away = runs
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        total, met = np.empty(rayed.shape[1], np.float32), np.empty(rayed.shape[1], np.float32)
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            bordered = False
            for c in soft:
                bordered |= wanted[f, c] != 0
                total[c], met[c] = rayed[f, c], _ONE
            if not bordered:
                continue
            row, column = top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)
            reach = _reach(f, depth[row, column], away, pixel_angle, parallel)
            for k in range(_HALF_AROUND.shape[0]):
                y, x = _HALF_AROUND[k, 0], _HALF_AROUND[k, 1]
                # Two to either side is the same place of the pattern: each of the sixteen counts as much as the others.
                part = (_HALF if y == 2 else _ONE) * (_HALF if abs(x) == 2 else _ONE)
                one = _beside(f, row, column, row + y, column + x, spots, main, many, reach)
                other = _beside(f, row, column, row - y, column - x, spots, main, many, reach)
                if one < 0 and other < 0:
                    continue
                for c in soft:
                    # Beside the surface's end there is one of them only: it counts if it is nearly the same.
                    first = rayed[one if one >= 0 else other, c]
                    second = rayed[other if other >= 0 else one, c]
                    both = one >= 0 and other >= 0
                    near = within[1] if wanted[f, c] & _NARROW else within[0]
                    off = ((first + second) / _TWO - rayed[f, c]) / (near if both else near / _TWO)
                    # Little by little: what chance set apart from all around it is drawn to them all the same.
                    weight = part * np.float32(math.exp(-off * off / _TWO))
                    total[c] += weight * (first + second if both else first)
                    met[c] += weight * (_TWO if both else _ONE)
            for c in soft:
                smoothed[f, c] = total[c] / met[c]
