"""What surfaces take directly from the lights of each group, all groups in one go: whatever else there is to know of a fragment is found out once."""

from __future__ import annotations

import numba
import numpy as np

from zeitbild.kernels import parallel_kernel
from zeitbild.render.shade import batch
from zeitbild.render.shade.batch import light_directly, place, prepare_light, take_finishes, take_spots
from zeitbild.render.shade.coat import coat_highlights
from zeitbild.render.shade.shading import STRETCHES, take_textures
from zeitbild.render.visible.triangle_setup import TILE
from zeitbild.snapshot.finish_row import COAT, METAL_ROUGH, SHADING

_ZERO, _ONE = np.float32(0), np.float32(1)
_TILE = TILE
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1
# Globals of this module, which kernels take as constants.
_SHADING, _COAT, _METAL_ROUGH = SHADING, COAT, np.float32(METAL_ROUGH)
_BATCH, _ROWS, _WHOLE_ROWS, _FRAGMENT, _FINISH = (
    batch.BATCH,
    batch.ROWS,
    batch.WHOLE_ROWS,
    batch.FRAGMENT,
    batch.FINISH,
)
_POINT, _NORMAL, _VIEW, _BEND, _METAL = batch.POINT, batch.NORMAL, batch.VIEW, batch.BEND, batch.METAL
_MATT, _HIGH = batch.MATT, batch.HIGH
# For each of them there is room behind the finishes.
_STRETCHES = STRETCHES


@parallel_kernel
def shade_groups(  # type: ignore[no-untyped-def]
    fragments, surfaces, finishes, shining, textures, found, eye, pixel_size, groups, weights, sides, light
):
    """Direct light of each group's lights, groups [G, L] uint8, on every fragment into its pixel of light [G, H, W, 3]: of ``shading.shade``
    what is diffuse and specular, but for tone bands, which no single light makes.

    All but groups and light is as ``shade`` takes it. Where sides has a length, pixels whose number there is 0 are left as they are.
    """
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    pixel, triangle, share, finish_of = fragments.pixel, fragments.triangle, fragments.share, surfaces.finish_of
    spots, lift_share, rayed = found
    columns = (width + _TILE - 1) // _TILE
    for stretch in numba.prange(_STRETCHES):
        rows, whole = np.zeros((_ROWS, _BATCH), np.float32), np.full((_WHOLE_ROWS, _BATCH), -1, np.int32)
        parts = np.zeros((2, _BATCH), np.float32)
        looks = shining.touched.shape[1] + stretch * _BATCH
        for turn in range(stretch * order.shape[0] // _STRETCHES, (stretch + 1) * order.shape[0] // _STRETCHES):
            tile = order[turn]
            top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
            if sides.shape[0] > 0 and counts[tile] == 0:
                continue
            for group in range(groups.shape[0]):
                for row in range(top, min(top + _TILE, light.shape[1])):
                    for column in range(left, min(left + _TILE, width)):
                        if sides.shape[0] == 0 or sides[row, column] > 0:
                            light[group, row, column, 0] = light[group, row, column, 1] = _ZERO
                            light[group, row, column, 2] = _ZERO
            next_fragment, last = firsts[tile], firsts[tile] + counts[tile]
            while next_fragment < last:
                used = 0
                while used < _BATCH and next_fragment < last:
                    f, finish = next_fragment, finish_of[triangle[next_fragment]]
                    next_fragment += 1
                    part = share[f] * weights[finish] if weights.shape[0] > 0 else share[f]
                    # What is unlit, in tone bands or shadow only takes no light that could be told apart (and has no coat).
                    if part < _ZERO or finishes[finish, _SHADING] != _METAL_ROUGH:
                        continue
                    whole[_FRAGMENT, used], whole[_FINISH, used] = f, finish
                    parts[0, used] = part
                    used += 1
                if used == 0:
                    continue
                if spots.shape[0] > 0:
                    take_spots(rows, whole, used, spots, lift_share, eye)
                else:
                    place(rows, whole, used, fragments, surfaces, eye, True)
                textured = take_textures(
                    rows, whole, used, looks, fragments, surfaces, finishes, textures, eye, pixel_size
                )
                take_finishes(rows, whole, used, textured, finishes, shining)
                for i in range(used):
                    own = share[whole[_FRAGMENT, i]]
                    # Highlights do not fade with a clear surface, but for metals.
                    parts[1, i] = own - (own - parts[0, i]) * rows[_METAL, i]
                prepare_light(rows, whole, used, shining.table)
                for group in range(groups.shape[0]):
                    light_directly(rows, whole, used, shining, rayed, groups[group])
                    for i in range(used):
                        f, finish = whole[_FRAGMENT, i], whole[_FINISH, i]
                        part, gloss = parts[0, i], parts[1, i]
                        red = part * rows[_MATT, i] + gloss * rows[_HIGH, i]
                        green = part * rows[_MATT + 1, i] + gloss * rows[_HIGH + 1, i]
                        blue = part * rows[_MATT + 2, i] + gloss * rows[_HIGH + 2, i]
                        if finishes[finish, _COAT] > _ZERO:
                            coat_r, coat_g, coat_b, mirrored = coat_highlights(
                                (rows[_POINT, i], rows[_POINT + 1, i], rows[_POINT + 2, i]),
                                (rows[_NORMAL, i], rows[_NORMAL + 1, i], rows[_NORMAL + 2, i]),
                                (rows[_VIEW, i], rows[_VIEW + 1, i], rows[_VIEW + 2, i]),
                                (rows[_BEND, i], rows[_BEND + 1, i], rows[_BEND + 2, i]),
                                finish,
                                finishes,
                                shining,
                                rayed,
                                f,
                                groups[group],
                            )
                            through = _ONE - mirrored
                            red = red * through + coat_r * share[f]
                            green = green * through + coat_g * share[f]
                            blue = blue * through + coat_b * share[f]
                        row, column = top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)
                        light[group, row, column, 0] += red
                        light[group, row, column, 1] += green
                        light[group, row, column, 2] += blue


@parallel_kernel
def take_light(found, sides, out):  # type: ignore[no-untyped-def]
    """Light found [H, W, 3] into out [H, W, 3]; where sides [H, W] is not 0, or everywhere if it has no length."""
    for y in numba.prange(out.shape[0]):
        for x in range(out.shape[1]):
            if sides.shape[0] == 0 or sides[y, x] > 0:
                for k in range(3):
                    out[y, x, k] = found[y, x, k]
