"""Rays shared across a surface: what sixteen neighbouring pixels found out is averaged where they see one surface.

The window is 4 x 4 pixels, so that it holds every stretch of the ray pattern (``tracing``) exactly once.
"""

from __future__ import annotations

import numba
import numpy as np

from zeitbild.kernels import parallel_kernel
from zeitbild.render.triangle_setup import TILE

_TILE = TILE
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1
_ZERO, _ONE = np.float32(0), np.float32(1)
#: Neighbours whose triangles lean apart by more (cosine) are another surface.
_SAME = np.float32(0.9)
#: Neighbours farther away in depth than so many times the size of a pixel there are another surface.
_STEPS = np.float32(8)
#: Mirrors smoother than this keep their own rays.
_SHARP = np.float32(0.12)


@parallel_kernel
def smooth(  # type: ignore[no-untyped-def]
    order,
    pixel,
    triangle,
    counts,
    room,
    width,
    patches,
    facing,
    finish_of,
    finishes,
    depth,
    pixel_angle,
    parallel,
    main,
    shared,
    mirror_from,
    rayed,
    smoothed,
):
    """Mean of rayed [fragments, C] over the window into smoothed; see ``tracing.trace`` for what is shared with it.

    depth [H, W]; pixel_angle the size of a pixel at depth 1, or at any depth if parallel; shared holds the numbers of the columns that are averaged,
    the rest are copied; from column mirror_from on, sharp mirrors keep their own.
    """
    columns = (width + _TILE - 1) // _TILE
    wide = rayed.shape[1]
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        for f in range(tile * room, tile * room + counts[tile]):
            t = triangle[f]
            row, column = top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)
            for c in range(wide):
                smoothed[f, c] = rayed[f, c]
            if main[row, column] != f:
                continue
            reach = _STEPS * pixel_angle * (_ONE if parallel else depth[row, column])
            near = depth[row, column]
            found = 1
            for y in range(max(0, row - 1), min(main.shape[0], row + 3)):
                for x in range(max(0, column - 1), min(width, column + 3)):
                    g = main[y, x]
                    if g < 0 or g == f:
                        continue
                    o = triangle[g]
                    if (
                        patches[o] != patches[t]
                        or abs(depth[y, x] - near) > reach
                        or facing[o, 0] * facing[t, 0] + facing[o, 1] * facing[t, 1] + facing[o, 2] * facing[t, 2]
                        < _SAME
                    ):
                        continue
                    found += 1
                    for c in shared:
                        smoothed[f, c] += rayed[g, c]
            scale = _ONE / np.float32(found)
            sharp = finishes[finish_of[t], 3] < _SHARP
            for c in shared:
                smoothed[f, c] = rayed[f, c] if c >= mirror_from and sharp else smoothed[f, c] * scale
