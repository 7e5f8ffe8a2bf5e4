"""Rays shared across a surface: what sixteen neighbouring pixels found out is averaged where they see one surface.

The window is 4 x 4 pixels, so that it holds every stretch of the ray pattern (``tracing``) exactly once.

Shadows of lights without a size have no soft border, and are shared only among pixels whose shares are alike: what see-through bodies stop of
their rays differs a little from pixel to pixel. Behind several of them it differs by more: there the whole window counts where most of it is
neither lit nor in shadow.
"""

from __future__ import annotations

import numba
import numpy as np

from zeitbild.kernels import parallel_kernel
from zeitbild.render.visible.lists import ABOUT
from zeitbild.render.visible.triangle_setup import TILE
from zeitbild.snapshot.finish_row import SHADING, SHADOW_ONLY

_TILE = TILE
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1
_ZERO, _ONE = np.float32(0), np.float32(1)
_SHADING, _SHADOW_ONLY = SHADING, np.float32(SHADOW_ONLY)
_ABOUT = ABOUT
#: Neighbours whose normals lean apart by more (cosine) see something else.
_SAME = np.float32(0.8)
#: So do neighbours farther off the plane of the triangle than so many pixels' size, or farther away than so many times
#: that.
_STEPS = np.float32(2)
_FAR = np.float32(20)


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
    rayed,
    smoothed,
):
    """Mean of rayed [fragments, C] over the window into smoothed; see ``tracing.trace`` for what is shared with it.

    spots from ``tracing.locate``; runs (``lists.Runs``) tell which fragments a pixel shows to its neighbours; depth [H, W], where runs do
    not tell it; pixel_angle the size of a pixel at depth 1, or at any depth if parallel;
    shared holds the numbers of the columns that are averaged, veiled those that are only where they are
    alike (differ by less than alike_within), the rest are copied; from
    column mirror_from on, mirrors smoother than ``sharp`` keep their own.
    """
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    pixel, triangle = fragments.pixel, fragments.triangle
    columns = (width + _TILE - 1) // _TILE
    wide = rayed.shape[1]
    main, many, away = runs
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        met, every, partly = np.empty(wide, np.float32), np.empty(wide, np.float32), np.empty(wide, np.int32)
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            row, column = top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)
            for c in veiled:
                met[c], every[c] = _ONE, rayed[f, c]
                partly[c] = 1 if rayed[f, c] > _ZERO and rayed[f, c] < _ONE else 0
            for c in range(wide):
                smoothed[f, c] = rayed[f, c]
            own_depth = depth[row, column] if away.shape[0] == 0 else away[f]
            reach = _STEPS * pixel_angle * (_ONE if parallel else own_depth)
            # Seen at a slant, neighbouring pixels lie farther apart on one surface.
            wide_reach = _FAR * _FAR * reach * reach
            own = spots[f]
            rough = finishes[finish_of[triangle[f]], 3]
            # How much there is of what is shadow only is decided here, and by no more places.
            own_sharp = sharp if finishes[finish_of[triangle[f]], _SHADING] != _SHADOW_ONLY else _ZERO
            lobe = rough * rough
            found = mirrors = 1
            for y in range(max(0, row - 1), min(main.shape[0], row + 3)):
                for x in range(max(0, column - 1), min(width, column + 3)):
                    first, last = main[y, x], main[y, x] + 1
                    if many.shape[0] > 0:
                        # A surface lies behind about as many others in the next pixel as in this one.
                        rank = f - main[row, column]
                        last = first + min(many[y, x], rank + _ABOUT + 1)
                        first += max(rank - _ABOUT, 0)
                    for g in range(first, last):
                        if g < 0 or g == f:
                            continue
                        spot = spots[g]
                        dx, dy, dz = spot[0] - own[0], spot[1] - own[1], spot[2] - own[2]
                        if (
                            spot[3] * own[3] + spot[4] * own[4] + spot[5] * own[5] < _SAME
                            or abs(dx * own[6] + dy * own[7] + dz * own[8]) > reach
                            or dx * dx + dy * dy + dz * dz > wide_reach
                        ):
                            continue
                        found += 1
                        # Mirrors show the same only where their normals lean apart by less than their lobe is wide.
                        lean_x, lean_y, lean_z = spot[3] - own[3], spot[4] - own[4], spot[5] - own[5]
                        alike = lean_x * lean_x + lean_y * lean_y + lean_z * lean_z < lobe * lobe
                        mirrors += 1 if alike else 0
                        for c in shared:
                            smoothed[f, c] += rayed[g, c] if c < mirror_from or alike else _ZERO
                        for c in veiled:
                            share = rayed[g, c]
                            every[c] += share
                            partly[c] += 1 if share > _ZERO and share < _ONE else 0
                            if abs(share - rayed[f, c]) < alike_within:
                                smoothed[f, c] += share
                                met[c] += _ONE
                        # Of a pixel's fragments one belongs to this surface.
                        break
            scale, mirror_scale = _ONE / np.float32(found), _ONE / np.float32(mirrors)
            for c in veiled:
                # Light that comes through several bodies differs by several rays: where most of the window is neither lit nor in shadow, all
                # of it counts.
                if 2 * partly[c] > found:
                    smoothed[f, c] = every[c] / np.float32(found)
                else:
                    smoothed[f, c] /= met[c]
            for c in shared:
                if c < mirror_from:
                    smoothed[f, c] *= scale
                else:
                    smoothed[f, c] = rayed[f, c] if rough < own_sharp else smoothed[f, c] * mirror_scale
