"""More places for pixels that one place for each surface does not do justice: highlights, mirrors, edges between them.

A picture is first shaded at one place for each pixel and surface. Where neighbouring pixels then differ by more than an eye
overlooks, the pixel is cut into cells, and what stands in each is shaded and mirrors by itself; shadows and occlusion are those
found for the whole surface in the pixel. Where the cells still disagree as only chance makes them, they are cut again.
"""

from __future__ import annotations

import math

import numba
import numpy as np

from zeitbild.kernels import parallel_kernel
from zeitbild.render.visible.edge_kernel import ADDED
from zeitbild.render.visible.triangle_setup import TILE

_TILE = TILE
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1
_ADDED = np.uint8(ADDED)
_ZERO, _HALF, _ONE = np.float32(0), np.float32(0.5), np.float32(1)
#: From this "roughness" on a pixel is one unlit finish, which is known as it is.
ONE_UNLIT = 10.0
_UNLIT = np.float32(ONE_UNLIT)
#: One surface, leaning the same way: four for that, and the cosine between its faces.
_SAME = np.float32(4.99)
#: What counts as the ground where a pixel is covered in part: a middle grey.
_GROUND = np.float32(0.18)
#: Halves that differ by so many times more than allowed ask for the finest cells at once.
_FAR_OFF = np.float32(6)
#: Roughness up to which light changes most within a pixel, and from which on it hardly does; how many times the limit a pixel of what is
#: matt may bend; and by how much one of what is glossy, or nearly matt, has to bend to be cut to the finest at once.
_GLOSSY, _MATT, _CALM = np.float32(0.1), np.float32(0.5), np.float32(3)
_STEEP, _STEEP_MATT, _NEVER = np.float32(0.15), np.float32(0.4), np.float32(9)
#: The same where the set is mirrored: there each place has a ray.
_STEEP_MIRRORS = np.float32(0.3)
#: Before they are cut to the finest, halves may differ by more: that takes four times as long, and halves the difference.
_TWICE = np.float32(2)


@parallel_kernel
def tones_of(beauty, low_tones):  # type: ignore[no-untyped-def]
    """How bright channels look [H, W, 3]: the root of beauty [H, W, 4] over a middle grey, which is near to what screens
    encode, cut off at white."""
    for row in numba.prange(beauty.shape[0]):
        for column in range(beauty.shape[1]):
            ground = (_ONE - beauty[row, column, 3]) * _GROUND
            for k in range(3):
                low_tones[row, column, k] = math.sqrt(min(_ONE, max(_ZERO, beauty[row, column, k] + ground)))


@parallel_kernel
def bends_of(tones, bends):  # type: ignore[no-untyped-def]
    """How far the tones [H, W, 3] of a pixel are from the mean of two opposite neighbours: the most of four directions and three
    channels, into bends [H, W]; 0 in the first and last column. An even slope is none: one place in the middle stands for it."""
    height, width = bends.shape
    for y in numba.prange(height):
        up, down = max(0, y - 1), min(height - 1, y + 1)
        above, own, below = tones[up].reshape(-1), tones[y].reshape(-1), tones[down].reshape(-1)
        line = np.zeros(3 * width, np.float32)
        # Counted from 0, so that it becomes vector instructions.
        for i in range(3 * width - 6):
            middle = own[i + 3]
            a = abs(middle - (own[i] + own[i + 6]) * _HALF)
            b = abs(middle - (above[i + 3] + below[i + 3]) * _HALF)
            c = abs(middle - (above[i] + below[i + 6]) * _HALF)
            d = abs(middle - (above[i + 6] + below[i]) * _HALF)
            line[i + 3] = max(max(a, b), max(c, d))
        for x in range(width):
            bends[y, x] = max(max(line[3 * x], line[3 * x + 1]), line[3 * x + 2])


@parallel_kernel
def find_busy(bends, tones, alpha, marks, doubt, limit, first, rough, mirrors, done, sides):  # type: ignore[no-untyped-def]
    """Into how many cells a side each pixel is to be cut now: sides [H, W], 0 where it is good as it is.

    For the first time those that bend by more than ``limit`` (of 1); again those whose halves differ (doubt [H, W], see
    ``shading.shade``) by more than that in how bright they look. done [H, W] is what they were cut into before. What no
    sample saw, and what is one unlit finish, is left out. Nothing was done before if ``first``. rough [H, W] is that of
    ``gloss.least_roughness``; where the set is mirrored (mirrors) it says nothing else: a mirror ray shows one thing of many that its place
    mirrors, and so few as of a rough surface would agree by chance.
    """
    for y in numba.prange(alpha.shape[0]):
        for x in range(alpha.shape[1]):
            sides[y, x] = np.uint8(0)
            if alpha[y, x] == _ZERO or marks[y, x] == _ADDED or rough[y, x] >= _UNLIT:
                continue
            if first or done[y, x] == 0:
                cells, calm, steep = np.uint8(4), _ONE, _STEEP_MIRRORS
                if not mirrors:
                    # Within the facets of what is matt light changes little: what bends are their borders.
                    smooth = min(max((_MATT - rough[y, x]) / (_MATT - _GLOSSY), _ZERO), _ONE)
                    calm = _CALM + smooth * (_ONE - _CALM)
                    steep = _STEEP_MATT + smooth * (_STEEP - _STEEP_MATT) if smooth > _ZERO else _NEVER
                    cells = np.uint8(4) if smooth > _ZERO else np.uint8(2)
                if bends[y, x] > calm * limit:
                    sides[y, x] = np.uint8(8) if bends[y, x] > steep else cells
            elif done[y, x] < 8:
                # Two halves may agree by chance; those of the pixels around as well do not.
                off, count = _ZERO, _ZERO
                for v in range(max(0, y - 1), min(alpha.shape[0], y + 2)):
                    for u in range(max(0, x - 1), min(alpha.shape[1], x + 2)):
                        if done[v, u] > 0:
                            # The root of light changes by half of light's own change over itself.
                            tone = max(max(tones[v, u, 0], tones[v, u, 1]), np.float32(0.05))
                            weight = np.float32(3) if v == y and u == x else _ONE
                            off += weight * abs(doubt[v, u]) * _HALF / tone
                            count += weight
                off /= count
                if done[y, x] > 2:
                    sides[y, x] = np.uint8(8) if off > _TWICE * limit else np.uint8(0)
                elif off > limit:
                    sides[y, x] = np.uint8(8) if off > _FAR_OFF * limit else np.uint8(4)


@parallel_kernel
def note_done(sides, done):  # type: ignore[no-untyped-def]
    """Remember in done [H, W] how many cells a side pixels were cut into."""
    for y in numba.prange(sides.shape[0]):
        for x in range(sides.shape[1]):
            if sides[y, x] > 0:
                done[y, x] = sides[y, x]


@parallel_kernel
def fit_shares(fragments, finish_of, weights, alpha):  # type: ignore[no-untyped-def]
    """Scale shares so that those of a pixel whose finish weighs 0 or more (weights [F]; of no length: all) add up to its alpha [H, W]."""
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    pixel, triangle, share = fragments.pixel, fragments.triangle, fragments.share
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        if counts[tile] == 0:
            continue
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        total = np.zeros(_TILE * _TILE, np.float32)
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            if weights.shape[0] == 0 or weights[finish_of[triangle[f]]] >= _ZERO:
                total[pixel[f]] += share[f]
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            # What is not there at all stays so.
            if total[pixel[f]] > _ZERO:
                share[f] *= alpha[top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)] / total[pixel[f]]


@parallel_kernel
def inherit(fragments, whole, patches, facing, values, taken, calm, rayed, known):  # type: ignore[no-untyped-def]
    """Take over what was found for a pixel's surfaces: the first ``taken`` columns of values into rayed, for each fragment those of
    that of the whole picture whose surface is most like its own; of calm ones [n] all of them, if that is the same surface: then known [n]
    is 1, else 0."""
    order, counts, firsts = fragments.order, fragments.counts, fragments.firsts
    pixel, triangle = fragments.pixel, fragments.triangle
    whole_pixel, whole_triangle = whole.pixel, whole.triangle
    whole_counts, whole_firsts = whole.counts, whole.firsts
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        if counts[tile] == 0:
            continue
        head = np.full(_TILE * _TILE, -1, np.int32)
        base, last = whole_firsts[tile], whole_firsts[tile] + whole_counts[tile]
        for g in range(last - 1, base - 1, -1):
            head[whole_pixel[g]] = np.int32(g - base)
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            t = triangle[f]
            best, nearest = np.float32(-9), -1
            g = base + head[pixel[f]]
            while g >= base and g < last and whole_pixel[g] == pixel[f]:
                u = whole_triangle[g]
                like = facing[t, 0] * facing[u, 0] + facing[t, 1] * facing[u, 1] + facing[t, 2] * facing[u, 2]
                like += np.float32(4) if patches[t] == patches[u] else _ZERO
                if like > best:
                    best, nearest = like, g
                g += 1
            known[f] = np.uint8(1) if calm[f] != 0 and best > _SAME else np.uint8(0)
            for c in range(rayed.shape[1] if known[f] != 0 else taken):
                rayed[f, c] = values[nearest, c] if nearest >= 0 else _ONE
