"""How smooth what a pixel shows is at least: how much light may change within it."""

from __future__ import annotations

import numba
import numpy as np

from zeitbild.kernels import parallel_kernel
from zeitbild.render.shade.shading import has_textures
from zeitbild.render.visible.finer import ONE_UNLIT
from zeitbild.render.visible.triangle_setup import TILE
from zeitbild.snapshot.finish_row import COAT, COAT_ROUGHNESS, SHADING, TONE_BANDS, UNLIT

_TILE = TILE
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1
_SHADING, _COAT, _COAT_ROUGHNESS = SHADING, COAT, COAT_ROUGHNESS
_TONE_BANDS, _UNLIT = np.float32(TONE_BANDS), np.float32(UNLIT)
_ZERO, _ONE = np.float32(0), np.float32(1)
#: What stands for the roughness of tones, which change at once, and of textures.
_SOME = np.float32(0.3)
#: What stands where nothing is yet; where one finish is that nothing lights, ``ONE_UNLIT`` and its number.
_NOTHING, _ONE_UNLIT = np.float32(2), np.float32(ONE_UNLIT)


@parallel_kernel
def least_roughness(fragments, finish_of, finishes, rough):  # type: ignore[no-untyped-def]
    """The least roughness of the fragments of each pixel into rough [H, W], 1 where none is lit, and ``ONE_UNLIT`` or more where all of them
    are of one finish that is unlit: what lies in such a pixel is known as it is. finishes and finish_of [T] as in ``shading.shade``."""
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    pixel, triangle = fragments.pixel, fragments.triangle
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        rough[top : top + _TILE, left : min(left + _TILE, width)] = _NOTHING
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            finish = finish_of[triangle[f]]
            y, x = top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)
            if finishes[finish, _SHADING] == _UNLIT and finishes[finish, _COAT] <= _ZERO:
                alone = _ONE_UNLIT + np.float32(finish)
                rough[y, x] = alone if rough[y, x] == _NOTHING or rough[y, x] == alone else min(rough[y, x], _ONE)
                continue
            own = finishes[finish, 3]
            if finishes[finish, _COAT] > _ZERO:
                own = min(own, finishes[finish, _COAT_ROUGHNESS])
            if finishes[finish, _SHADING] == _TONE_BANDS or has_textures(finishes, finish):
                own = min(own, _SOME)
            rough[y, x] = min(rough[y, x], own, _ONE)
