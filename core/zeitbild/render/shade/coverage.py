"""How much of a surface is there: as the alpha of a picture says, or as light is kept from it (what is shadow only).

Shares of fragments are made smaller before anything is added up, so that the rest of the way knows nothing of it: what is not there
covers nothing.
"""

from __future__ import annotations

import numba
import numpy as np

from zeitbild.kernels import kernel, parallel_kernel
from zeitbild.render.light.environment import LEVEL_COUNT, level_value
from zeitbild.render.light.lighting import reach
from zeitbild.render.light.octahedral import unfold
from zeitbild.render.shade.texturing import alpha_at, footprint_at, span_of
from zeitbild.render.visible.surface import surface_at
from zeitbild.render.visible.triangle_setup import TILE
from zeitbild.snapshot.finish_row import ALPHA_MAP, SHADING, SHADOW_ONLY

_ZERO, _ONE, _SMALL = np.float32(0), np.float32(1), np.float32(1e-12)
_TILE = TILE
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1
_ALPHA_MAP, _SHADING, _SHADOW_ONLY = ALPHA_MAP, SHADING, np.float32(SHADOW_ONLY)
_LEVEL_COUNT = LEVEL_COUNT
_surface_at = kernel(surface_at.py_func)
_level_value, _unfold = kernel(level_value.py_func), kernel(unfold.py_func)
_reach = kernel(reach.py_func)


@kernel
def _luminance(red, green, blue):  # type: ignore[no-untyped-def]
    """ITU-R BT.709."""
    return np.float32(0.2126) * red + np.float32(0.7152) * green + np.float32(0.0722) * blue


@parallel_kernel
def cut_out(fragments, surfaces, finishes, textures, eye, pixel_size, alpha, gone):  # type: ignore[no-untyped-def]
    """Shares of fragments times how much of their surface is there, in place; what goes is taken from alpha and added to gone [H, W], or
    neither if they have no length. The rest as ``shading.shade`` takes it."""
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    pixel, triangle, share = fragments.pixel, fragments.triangle, fragments.share
    where, edges = fragments.where, fragments.edges
    places, normals, finish_of = surfaces
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            t = np.uint64(triangle[f])
            finish = finish_of[t]
            if finishes[finish, _ALPHA_MAP] < _ONE:
                continue
            px, py, pz, nx, ny, nz, vx, vy, vz = _surface_at(edges, places, normals, t, where[f, 0], where[f, 1], eye)
            footprint = footprint_at(px, py, pz, eye, pixel_size)
            span = span_of(
                edges,
                places,
                t,
                where[f, 0],
                where[f, 1],
                share[f],
                (nx, ny, nz),
                (vx, vy, vz),
                footprint,
                textures.finely,
                textures.at_rest,
            )
            facing = nx * vx + ny * vy + nz * vz
            there = alpha_at(finish, t, (px, py, pz), facing, footprint, span, finishes, textures)
            lost = share[f] * (_ONE - min(max(there, _ZERO), _ONE))
            share[f] -= lost
            if alpha.shape[0] > 0:
                row, column = top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)
                alpha[row, column] = max(alpha[row, column] - lost, _ZERO)
                gone[row, column] += lost


@parallel_kernel
def catch_shadows(fragments, surfaces, finishes, shining, eye, rayed, alpha, seen, gone):  # type: ignore[no-untyped-def]
    """Shares of fragments that are shadow only times the part of their matt light that is kept from them, and what they mirror of the
    set over that, in place; what goes is taken from alpha and seen and added to gone [H, W], or none of it if they have no length. Mirrored
    light (rayed, in place) becomes what it is of such a share.

    Light is counted by its luminance: of each light what reaches the place unless something stands before it (rayed), of what is
    around what would if all were open. rayed as ``secondary.cast_rays`` gives it: of no length, then nothing is kept from anything.
    """
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    pixel, triangle, share = fragments.pixel, fragments.triangle, fragments.share
    where, edges = fragments.where, fragments.edges
    places, normals, finish_of = surfaces
    lights, touched, ambients, maps = shining.rows, shining.touched, shining.ambients, shining.maps
    columns = (width + _TILE - 1) // _TILE
    count = lights.shape[0]
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            t = np.uint64(triangle[f])
            finish = finish_of[t]
            if finishes[finish, _SHADING] != _SHADOW_ONLY:
                continue
            dark = _ZERO
            if rayed.shape[0] > 0:
                px, py, pz, nx, ny, nz, _, _, _ = _surface_at(edges, places, normals, t, where[f, 0], where[f, 1], eye)
                u, v = _unfold(nx, ny, nz)
                red, green, blue = _level_value(maps, _LEVEL_COUNT, u, v)
                whole = _luminance(red + ambients[finish, 0], green + ambients[finish, 1], blue + ambients[finish, 2])
                kept = whole * rayed[f, count]
                for number in range(count):
                    if touched[number, finish] == 0:
                        continue
                    light = lights[number]
                    diffuse, _, _, _, _, _ = _reach(light, px, py, pz, nx, ny, nz)
                    own = max(diffuse, _ZERO) * _luminance(light[7], light[8], light[9])
                    whole += own
                    kept += own * rayed[f, number]
                if whole > _SMALL:
                    dark = min(max(_ONE - kept / whole, _ZERO), _ONE)
                strength = finishes[finish, 4]
                if strength > _ZERO:
                    # What is met is laid over the shadow (Porter and Duff 1984).
                    met = strength * min(max(rayed[f, count + 4], _ZERO), _ONE)
                    dark += met - dark * met
                    scale = strength / max(dark, _SMALL)
                    for k in range(3):
                        rayed[f, count + 1 + k] *= scale
            lost = share[f] * (_ONE - dark)
            share[f] -= lost
            row, column = top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)
            if alpha.shape[0] > 0:
                alpha[row, column] = max(alpha[row, column] - lost, _ZERO)
                gone[row, column] += lost
            if seen.shape[0] > 0:
                seen[row, column] = max(seen[row, column] - lost, _ZERO)
