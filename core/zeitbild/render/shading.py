"""Light that leaves a surface towards the camera: metal-rough model of glTF 2.0, appendix B.

Conventions: a directional light of strength 1 and colour white makes a white matt surface that faces it radiate 1.
Ambient light arrives evenly from all directions; the environment arrives from its blurred pictures.
"""

from __future__ import annotations

import math

import numba
import numpy as np

from zeitbild.kernels import inlined_kernel, kernel, parallel_kernel
from zeitbild.render.environment import LEVELS, SIZE
from zeitbild.render.triangle_setup import TILE

#: Reflectance of dielectrics at normal incidence (glTF 2.0, appendix B.3.3).
DIELECTRIC = 0.04
#: Smallest squared roughness, so that a mirror's highlight keeps a finite peak.
_MIN_ALPHA = 0.0016
_PI = math.pi
_SIZE = SIZE
_TILE = TILE
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1
_LEVEL_COUNT = len(LEVELS)
#: A shading normal leaning away further than this (cosine) shows the surface from behind.
_TURNED_AWAY = -0.2


@kernel
def ggx_lobe(n_l, n_v, n_h, alpha):  # type: ignore[no-untyped-def]
    """D times V: GGX distribution and height-correlated Smith visibility; alpha is roughness squared; in 1/sr."""
    square = alpha * alpha
    spread = n_h * n_h * (square - 1.0) + 1.0
    distribution = square / (_PI * spread * spread)
    visibility = 0.5 / (
        n_l * math.sqrt(n_v * n_v * (1.0 - square) + square) + n_v * math.sqrt(n_l * n_l * (1.0 - square) + square)
    )
    return distribution * visibility


@inlined_kernel
def _look_up(maps, level, x, y, z):  # type: ignore[no-untyped-def]
    """Bilinear value (three numbers) of one octahedral picture in a direction of any length."""
    total = abs(x) + abs(y) + abs(z)
    u, v = x / total, z / total
    if y < 0.0:
        u, v = (1.0 - abs(v)) * (1.0 if u >= 0.0 else -1.0), (1.0 - abs(u)) * (1.0 if v >= 0.0 else -1.0)
    # Texel middles stand half a texel inside; the border shifts them by one.
    column = (u + 1.0) * 0.5 * _SIZE + 0.5
    row = (v + 1.0) * 0.5 * _SIZE + 0.5
    c = np.uint64(min(max(int(column), 0), _SIZE))
    r = np.uint64(min(max(int(row), 0), _SIZE))
    fc, fr = column - c, row - r
    c1, r1 = c + np.uint64(1), r + np.uint64(1)
    w00, w01 = (1.0 - fc) * (1.0 - fr), fc * (1.0 - fr)
    w10, w11 = (1.0 - fc) * fr, fc * fr
    picture = maps[level]
    return (
        picture[r, c, 0] * w00 + picture[r, c1, 0] * w01 + picture[r1, c, 0] * w10 + picture[r1, c1, 0] * w11,
        picture[r, c, 1] * w00 + picture[r, c1, 1] * w01 + picture[r1, c, 1] * w10 + picture[r1, c1, 1] * w11,
        picture[r, c, 2] * w00 + picture[r, c1, 2] * w01 + picture[r1, c, 2] * w10 + picture[r1, c1, 2] * w11,
    )


@kernel
def directional_light(nx, ny, nz, vx, vy, vz, lx, ly, lz, n_v, alpha):  # type: ignore[no-untyped-def]
    """(n.l, lobe times pi, Schlick's fifth power) of a unit light direction; n.l is 0 where it does not reach."""
    n_l = nx * lx + ny * ly + nz * lz
    hx, hy, hz = lx + vx, ly + vy, lz + vz
    square = hx * hx + hy * hy + hz * hz
    if n_l <= 0.0 or square < 1e-12:
        return 0.0, 0.0, 0.0
    scale = 1.0 / math.sqrt(square)
    n_h = min(1.0, max(0.0, (nx * hx + ny * hy + nz * hz) * scale))
    rest = 1.0 - min(1.0, max(0.0, (vx * hx + vy * hy + vz * hz) * scale))
    return n_l, ggx_lobe(n_l, n_v, n_h, alpha) * _PI, rest * rest * rest * rest * rest


@inlined_kernel
def _table_entry(table, n_v, rough):  # type: ignore[no-untyped-def]
    """Scale and bias of the reflectance at n.v and roughness, bilinear."""
    cell_v = min(max(n_v * 32.0 - 0.5, 0.0), 31.0)
    cell_r = min(max(rough * 32.0 - 0.5, 0.0), 31.0)
    v, r = min(int(cell_v), 30), min(int(cell_r), 30)
    fv, fr = cell_v - v, cell_r - r
    w00, w01, w10, w11 = (1.0 - fv) * (1.0 - fr), (1.0 - fv) * fr, fv * (1.0 - fr), fv * fr
    return (
        table[v, r, 0] * w00 + table[v, r + 1, 0] * w01 + table[v + 1, r, 0] * w10 + table[v + 1, r + 1, 0] * w11,
        table[v, r, 1] * w00 + table[v, r + 1, 1] * w01 + table[v + 1, r, 1] * w10 + table[v + 1, r + 1, 1] * w11,
    )


@inlined_kernel
def surface_radiance(nx, ny, nz, vx, vy, vz, base_r, base_g, base_b, rough, metal, suns, ambient, maps, table):  # type: ignore[no-untyped-def]
    """Radiance (three numbers, linear) of a surface point.

    Normal n and view v are unit vectors, the view towards the eye; base is linear; rough and metal in 0..1; suns
    [L, 6] direction towards the light, then colour times strength; ambient [3]; maps and table from ``environment``.
    """
    n_v = min(1.0, max(nx * vx + ny * vy + nz * vz, 1e-3))
    alpha = max(rough * rough, _MIN_ALPHA)
    rest = 1.0 - metal
    f0_r = DIELECTRIC * rest + base_r * metal
    f0_g = DIELECTRIC * rest + base_g * metal
    f0_b = DIELECTRIC * rest + base_b * metal
    red, green, blue = 0.0, 0.0, 0.0
    for light in range(suns.shape[0]):
        n_l, lobe, fifth = directional_light(
            nx, ny, nz, vx, vy, vz, suns[light, 0], suns[light, 1], suns[light, 2], n_v, alpha
        )
        if n_l > 0.0:
            # The dielectric's matt share is what its own Fresnel term lets in; metal has none.
            matt = rest * (1.0 - DIELECTRIC - (1.0 - DIELECTRIC) * fifth)
            red += (base_r * matt + (f0_r + (1.0 - f0_r) * fifth) * lobe) * n_l * suns[light, 3]
            green += (base_g * matt + (f0_g + (1.0 - f0_g) * fifth) * lobe) * n_l * suns[light, 4]
            blue += (base_b * matt + (f0_b + (1.0 - f0_b) * fifth) * lobe) * n_l * suns[light, 5]
    scale, bias = _table_entry(table, n_v, rough)
    twice = 2.0 * n_v
    rx, ry, rz = twice * nx - vx, twice * ny - vy, twice * nz - vz
    place = rough * (_LEVEL_COUNT - 1)
    level = min(int(place), _LEVEL_COUNT - 2)
    blend = place - level
    sharp_r, sharp_g, sharp_b = _look_up(maps, level, rx, ry, rz)
    soft_r, soft_g, soft_b = _look_up(maps, level + 1, rx, ry, rz)
    red += (sharp_r + (soft_r - sharp_r) * blend + ambient[0]) * (f0_r * scale + bias)
    green += (sharp_g + (soft_g - sharp_g) * blend + ambient[1]) * (f0_g * scale + bias)
    blue += (sharp_b + (soft_b - sharp_b) * blend + ambient[2]) * (f0_b * scale + bias)
    if rest > 0.0:
        soft_r, soft_g, soft_b = _look_up(maps, _LEVEL_COUNT, nx, ny, nz)
        kept = rest * (1.0 - (DIELECTRIC * scale + bias))
        red += base_r * kept * (soft_r + ambient[0])
        green += base_g * kept * (soft_g + ambient[1])
        blue += base_b * kept * (soft_b + ambient[2])
    return red, green, blue


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
    normals,
    finish_of,
    finishes,
    ray_x,
    ray_y,
    ray_0,
    suns,
    ambient,
    maps,
    table,
    alpha,
    beauty,
):
    """Shade every fragment into its pixel of beauty [H, W, 4]; every pixel is written, its last value is alpha [H, W].

    A tile owns its pixels, so the sum's order never depends on threads. The ray through pixel coordinates (x, y) is
    ray_0 + x ray_x + y ray_y. normals [T, 3, 3] world; finish_of [T]; finishes [F, 5] base colour, roughness, metal.
    """
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        columns = (width + _TILE - 1) // _TILE
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        for row in range(top, min(top + _TILE, beauty.shape[0])):
            for column in range(left, min(left + _TILE, width)):
                beauty[row, column, 0] = beauty[row, column, 1] = beauty[row, column, 2] = np.float32(0.0)
                beauty[row, column, 3] = alpha[row, column]
        for f in range(tile * room, tile * room + counts[tile]):
            t = np.uint64(triangle[f])
            x, y = where[f, 0], where[f, 1]
            a = edges[t, 0] * x + edges[t, 1] * y + edges[t, 2]
            b = edges[t, 3] * x + edges[t, 4] * y + edges[t, 5]
            c = edges[t, 6] * x + edges[t, 7] * y + edges[t, 8]
            # The mean of several triangles' samples may lie just outside this one.
            total = 1.0 / (a + b + c)
            a, b, c = max(0.0, a * total), max(0.0, b * total), max(0.0, c * total)
            nx = a * normals[t, 0, 0] + b * normals[t, 1, 0] + c * normals[t, 2, 0]
            ny = a * normals[t, 0, 1] + b * normals[t, 1, 1] + c * normals[t, 2, 1]
            nz = a * normals[t, 0, 2] + b * normals[t, 1, 2] + c * normals[t, 2, 2]
            length = 1.0 / math.sqrt(max(nx * nx + ny * ny + nz * nz, 1e-30))
            vx = -(ray_0[0] + x * ray_x[0] + y * ray_y[0])
            vy = -(ray_0[1] + x * ray_x[1] + y * ray_y[1])
            vz = -(ray_0[2] + x * ray_x[2] + y * ray_y[2])
            near = 1.0 / math.sqrt(vx * vx + vy * vy + vz * vz)
            nx, ny, nz, vx, vy, vz = nx * length, ny * length, nz * length, vx * near, vy * near, vz * near
            if nx * vx + ny * vy + nz * vz < _TURNED_AWAY:
                nx, ny, nz = -nx, -ny, -nz
            finish = finish_of[t]
            red, green, blue = surface_radiance(
                nx,
                ny,
                nz,
                vx,
                vy,
                vz,
                finishes[finish, 0],
                finishes[finish, 1],
                finishes[finish, 2],
                finishes[finish, 3],
                finishes[finish, 4],
                suns,
                ambient,
                maps,
                table,
            )
            row, column = top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)
            beauty[row, column, 0] += np.float32(share[f] * red)
            beauty[row, column, 1] += np.float32(share[f] * green)
            beauty[row, column, 2] += np.float32(share[f] * blue)
