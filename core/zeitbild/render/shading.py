"""Fragments shaded into their pixels, each by its finish: metal-rough and coated, in tone bands, or unlit."""

from __future__ import annotations

import math

import numba
import numpy as np

from zeitbild.kernels import inlined_kernel, parallel_kernel
from zeitbild.render.coat import coat_light
from zeitbild.render.finish_row import COAT, MAPS, METAL_ROUGH, SHADING, TONE_BANDS
from zeitbild.render.metal_rough import direct_light, light_around
from zeitbild.render.surface import surface_at
from zeitbild.render.texturing import apply_textures
from zeitbild.render.tones import tones_across
from zeitbild.render.triangle_setup import TILE

_ZERO, _ONE = np.float32(0), np.float32(1)
_TILE = TILE
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1
# Globals of this module, which kernels take as constants.
_SHADING, _COAT, _MAPS = SHADING, COAT, MAPS
_METAL_ROUGH, _TONE_BANDS = np.float32(METAL_ROUGH), np.float32(TONE_BANDS)

#: Columns of the planes beside beauty, each weighted by coverage.
DIFFUSE, SPECULAR, AROUND, EMISSION, NORMAL, POSITION, OPENNESS, LIT = 0, 3, 6, 9, 12, 15, 18, 19
#: Pixels to the right and down until the next frame (``identity.mark``), and the normal to the camera's right, up and
#: towards it.
MOTION, CAMERA_NORMAL = 20, 22
PLANES = 25


@inlined_kernel
def has_textures(finishes, finish):  # type: ignore[no-untyped-def]
    """Whether any texture lies on a finish."""
    return (
        finishes[finish, _MAPS]
        + finishes[finish, _MAPS + 1]
        + finishes[finish, _MAPS + 2]
        + finishes[finish, _MAPS + 3]
        + finishes[finish, _MAPS + 4]
        > _ZERO
    )


@parallel_kernel
def shade(  # type: ignore[no-untyped-def]
    order,
    pixel,
    triangle,
    share,
    where,
    counts,
    room,
    width,
    edges,
    triangles,
    vertices,
    normals,
    finish_of,
    finishes,
    eye,
    lights,
    touched,
    ambients,
    maps,
    table,
    spots,
    lift_share,
    rayed,
    bounced,
    hard,
    weights,
    pixel_size,
    spaces,
    texels,
    texel_table,
    alpha,
    beauty,
    planes,
):
    """Shade every fragment into its pixel of beauty [H, W, 4]; every pixel is written, its last value is alpha [H, W],
    or, if there are weights [F] (else of no length), what fragments cover times the weight of their finish.

    A tile owns its pixels, so the sum's order never depends on threads. vertices [V, 3] float32 and normals [T, 3, 3]
    world; finish_of [T]; eye [4] from
    ``stage.viewpoint``. spots, lift_share and rayed as ``secondary.cast_rays`` gives them, or of no length: then
    nothing is in shadow; bounced tells if rayed holds what mirrors show. hard: tones have no
    borders between pixels. pixel_size is that of a pixel at distance 1, or anywhere in a parallel view; spaces, texels and
    their table from ``texturing``, for which finishes has a row for each tile. planes [H, W, PLANES]
    or of no length: then only beauty is wanted.
    """
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        columns = (width + _TILE - 1) // _TILE
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        for row in range(top, min(top + _TILE, beauty.shape[0])):
            for column in range(left, min(left + _TILE, width)):
                beauty[row, column, 0] = beauty[row, column, 1] = beauty[row, column, 2] = _ZERO
                beauty[row, column, 3] = alpha[row, column] if weights.shape[0] == 0 else _ZERO
                if planes.shape[0] > 0:
                    planes[row, column, :] = _ZERO
        for f in range(tile * room, tile * room + counts[tile]):
            t = np.uint64(triangle[f])
            part = share[f]
            if weights.shape[0] > 0:
                part *= weights[finish_of[t]]
                if part == _ZERO:
                    continue
                beauty[top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK), 3] += part
            if spots.shape[0] > 0:
                nx, ny, nz = spots[f, 3], spots[f, 4], spots[f, 5]
                vx, vy, vz = spots[f, 9], spots[f, 10], spots[f, 11]
                px, py, pz = spots[f, 0], spots[f, 1], spots[f, 2]
                # Back from where rays start to the surface.
                lift = lift_share
                if eye[3] > _ZERO:
                    dx, dy, dz = px - eye[0], py - eye[1], pz - eye[2]
                    lift *= math.sqrt(dx * dx + dy * dy + dz * dz)
                px, py, pz = px - spots[f, 6] * lift, py - spots[f, 7] * lift, pz - spots[f, 8] * lift
            else:
                px, py, pz, nx, ny, nz, vx, vy, vz = surface_at(
                    edges, triangles, vertices, normals, t, where[f, 0], where[f, 1], eye
                )
            finish = finish_of[t]
            if has_textures(finishes, finish):
                footprint = pixel_size
                if eye[3] > _ZERO:
                    dx, dy, dz = px - eye[0], py - eye[1], pz - eye[2]
                    footprint *= math.sqrt(dx * dx + dy * dy + dz * dz)
                look = touched.shape[1] + turn
                nx, ny, nz = apply_textures(
                    look,
                    finish,
                    px,
                    py,
                    pz,
                    nx,
                    ny,
                    nz,
                    vx,
                    vy,
                    vz,
                    footprint,
                    finishes,
                    spaces,
                    texels,
                    texel_table,
                )
                finish = look
            openness = rayed[f, lights.shape[0]] if rayed.shape[0] > 0 else _ONE
            first = lights.shape[0] + 1 if bounced else 0
            glow_r, glow_g, glow_b = finishes[finish, 5], finishes[finish, 6], finishes[finish, 7]
            high_r = high_g = high_b = around_r = around_g = around_b = _ZERO
            shading = finishes[finish, _SHADING]
            if shading == _METAL_ROUGH:
                matt_r, matt_g, matt_b, high_r, high_g, high_b = direct_light(
                    px, py, pz, nx, ny, nz, vx, vy, vz, finish, finishes, lights, touched, rayed, f
                )
                around_r, around_g, around_b = light_around(
                    nx,
                    ny,
                    nz,
                    vx,
                    vy,
                    vz,
                    finish,
                    finishes,
                    ambients,
                    maps,
                    table,
                    openness,
                    rayed,
                    f,
                    first,
                )
                if finishes[finish, _COAT] > _ZERO:
                    coat_r, coat_g, coat_b, mirror_r, mirror_g, mirror_b, through = coat_light(
                        px,
                        py,
                        pz,
                        nx,
                        ny,
                        nz,
                        vx,
                        vy,
                        vz,
                        finish,
                        finishes,
                        lights,
                        touched,
                        ambients,
                        maps,
                        table,
                        rayed,
                        f,
                        openness,
                    )
                    matt_r, matt_g, matt_b = matt_r * through, matt_g * through, matt_b * through
                    high_r, high_g, high_b = (
                        high_r * through + coat_r,
                        high_g * through + coat_g,
                        high_b * through + coat_b,
                    )
                    around_r = around_r * through + mirror_r
                    around_g = around_g * through + mirror_g
                    around_b = around_b * through + mirror_b
                    glow_r, glow_g, glow_b = glow_r * through, glow_g * through, glow_b * through
            elif shading == _TONE_BANDS:
                matt_r, matt_g, matt_b = tones_across(
                    edges,
                    triangles,
                    vertices,
                    normals,
                    t,
                    where[f, 0],
                    where[f, 1],
                    eye,
                    finish,
                    finishes,
                    lights,
                    touched,
                    ambients,
                    rayed,
                    f,
                    openness,
                    hard,
                )
            else:
                matt_r = matt_g = matt_b = _ZERO
                glow_r += finishes[finish, 0]
                glow_g += finishes[finish, 1]
                glow_b += finishes[finish, 2]
            row, column = top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)
            beauty[row, column, 0] += part * (matt_r + high_r + around_r + glow_r)
            beauty[row, column, 1] += part * (matt_g + high_g + around_g + glow_g)
            beauty[row, column, 2] += part * (matt_b + high_b + around_b + glow_b)
            if planes.shape[0] > 0:
                lit = _ONE
                if rayed.shape[0] > 0 and lights.shape[0] > 0:
                    lit = _ZERO
                    for number in range(lights.shape[0]):
                        lit += rayed[f, number] / np.float32(lights.shape[0])
                own = planes[row, column]
                own[0], own[1], own[2] = own[0] + part * matt_r, own[1] + part * matt_g, own[2] + part * matt_b
                own[3], own[4], own[5] = own[3] + part * high_r, own[4] + part * high_g, own[5] + part * high_b
                own[6], own[7], own[8] = own[6] + part * around_r, own[7] + part * around_g, own[8] + part * around_b
                own[9], own[10], own[11] = own[9] + part * glow_r, own[10] + part * glow_g, own[11] + part * glow_b
                own[12], own[13], own[14] = own[12] + part * nx, own[13] + part * ny, own[14] + part * nz
                own[15], own[16], own[17] = own[15] + part * px, own[16] + part * py, own[17] + part * pz
                own[18] += part * openness
                own[19] += part * lit
