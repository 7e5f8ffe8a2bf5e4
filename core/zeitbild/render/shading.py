"""Light that leaves a surface towards the camera: metal-rough model of glTF 2.0, appendix B.

Conventions: a directional light of strength 1 and colour white makes a white matt surface that faces it radiate 1.
Ambient light arrives evenly from all directions; the environment arrives from its blurred pictures.
"""

from __future__ import annotations

import math

import numba
import numpy as np

from zeitbild.kernels import kernel, parallel_kernel
from zeitbild.render.environment import LEVELS, SIZE

#: Reflectance of dielectrics at normal incidence (glTF 2.0, appendix B.3.3).
DIELECTRIC = 0.04
#: Smallest squared roughness, so that a mirror's highlight keeps a finite peak.
_MIN_ALPHA = 0.0016
_PI = math.pi
_SIZE = SIZE
_LEVELS = tuple(float(level) for level in LEVELS)
_LEVEL_COUNT = len(_LEVELS)


@kernel
def fresnel(cosine, at_normal):  # type: ignore[no-untyped-def]
    """Schlick's approximation: reflectance at an angle from the one at normal incidence, both in 0..1."""
    rest = 1.0 - cosine
    square = rest * rest
    return at_normal + (1.0 - at_normal) * square * square * rest


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


@kernel
def _look_up(maps, level, x, y, z, out):  # type: ignore[no-untyped-def]
    """Bilinear value of one octahedral picture in a unit direction; adds nothing, writes out [3]."""
    total = abs(x) + abs(y) + abs(z)
    u, v = x / total, z / total
    if y < 0.0:
        u, v = (1.0 - abs(v)) * (1.0 if u >= 0.0 else -1.0), (1.0 - abs(u)) * (1.0 if v >= 0.0 else -1.0)
    # Texel middles stand half a texel inside; the border shifts them by one.
    column = (u + 1.0) * 0.5 * _SIZE + 0.5
    row = (v + 1.0) * 0.5 * _SIZE + 0.5
    c = min(max(int(column), 0), _SIZE)
    r = min(max(int(row), 0), _SIZE)
    fc, fr = column - c, row - r
    for k in range(3):
        top = maps[level, r, c, k] * (1.0 - fc) + maps[level, r, c + 1, k] * fc
        bottom = maps[level, r + 1, c, k] * (1.0 - fc) + maps[level, r + 1, c + 1, k] * fc
        out[k] = top * (1.0 - fr) + bottom * fr


@kernel
def surface_radiance(normal, view, base, rough, metal, suns, ambient, maps, table, scratch, out):  # type: ignore[no-untyped-def]
    """Radiance out [3] of a surface point.

    normal, view [3] unit vectors, view towards the eye; base [3] linear; rough, metal in 0..1; suns [L, 6] direction
    towards the light and irradiance over pi; ambient [3]; maps and table from ``environment``; scratch [2, 3].
    """
    n_v = normal[0] * view[0] + normal[1] * view[1] + normal[2] * view[2]
    n_v = min(1.0, max(n_v, 1e-3))
    alpha = max(rough * rough, _MIN_ALPHA)
    for k in range(3):
        out[k] = 0.0
    for light in range(suns.shape[0]):
        lx, ly, lz = suns[light, 0], suns[light, 1], suns[light, 2]
        n_l = normal[0] * lx + normal[1] * ly + normal[2] * lz
        if n_l <= 0.0:
            continue
        hx, hy, hz = lx + view[0], ly + view[1], lz + view[2]
        length = math.sqrt(hx * hx + hy * hy + hz * hz)
        if length < 1e-6:
            continue
        n_h = min(1.0, max(0.0, (normal[0] * hx + normal[1] * hy + normal[2] * hz) / length))
        v_h = min(1.0, max(0.0, (view[0] * hx + view[1] * hy + view[2] * hz) / length))
        lobe = ggx_lobe(n_l, n_v, n_h, alpha) * _PI
        for k in range(3):
            at_normal = DIELECTRIC * (1.0 - metal) + base[k] * metal
            reflected = fresnel(v_h, at_normal)
            # The dielectric's matt share is what its own Fresnel term lets in; metal has none.
            matt = base[k] * (1.0 - metal) * (1.0 - fresnel(v_h, DIELECTRIC))
            out[k] += (matt + reflected * lobe) * n_l * suns[light, 3 + k]
    cell_v = min(max(n_v * 32.0 - 0.5, 0.0), 31.0)
    cell_r = min(max(rough * 32.0 - 0.5, 0.0), 31.0)
    iv, ir = min(int(cell_v), 30), min(int(cell_r), 30)
    fv, fr = cell_v - iv, cell_r - ir
    scale = (table[iv, ir, 0] * (1 - fr) + table[iv, ir + 1, 0] * fr) * (1 - fv) + (
        table[iv + 1, ir, 0] * (1 - fr) + table[iv + 1, ir + 1, 0] * fr
    ) * fv
    bias = (table[iv, ir, 1] * (1 - fr) + table[iv, ir + 1, 1] * fr) * (1 - fv) + (
        table[iv + 1, ir, 1] * (1 - fr) + table[iv + 1, ir + 1, 1] * fr
    ) * fv
    twice = 2.0 * n_v
    rx, ry, rz = twice * normal[0] - view[0], twice * normal[1] - view[1], twice * normal[2] - view[2]
    level = 0
    while level < _LEVEL_COUNT - 2 and rough > _LEVELS[level + 1]:
        level += 1
    blend = min(1.0, max(0.0, (rough - _LEVELS[level]) / (_LEVELS[level + 1] - _LEVELS[level])))
    sharp, soft = scratch[0], scratch[1]
    _look_up(maps, level, rx, ry, rz, sharp)
    _look_up(maps, level + 1, rx, ry, rz, soft)
    for k in range(3):
        at_normal = DIELECTRIC * (1.0 - metal) + base[k] * metal
        mirrored = sharp[k] * (1.0 - blend) + soft[k] * blend + ambient[k]
        out[k] += mirrored * (at_normal * scale + bias)
    _look_up(maps, _LEVEL_COUNT, normal[0], normal[1], normal[2], soft)
    kept = (1.0 - metal) * (1.0 - (DIELECTRIC * scale + bias))
    for k in range(3):
        out[k] += base[k] * kept * (soft[k] + ambient[k])


@parallel_kernel
def shade(  # type: ignore[no-untyped-def]
    pixel, triangle, share, where, counts, room, width, edges, triangles, normals, finish_of, finishes, eye,
    ray_x, ray_y, ray_0, suns, ambient, maps, table, beauty,
):
    """Shade every fragment and add it to its pixel of beauty [H, W, 4], whose colour must be zero before.

    A tile owns its pixels, so the sum's order never depends on threads. The ray through pixel coordinates (x, y) is
    ray_0 + x ray_x + y ray_y. normals [T, 3, 3] world; finish_of [T]; finishes [F, 5] base colour, roughness, metal.
    """
    for tile in numba.prange(counts.shape[0]):
        normal, view = np.empty(3), np.empty(3)
        base, out, scratch = np.empty(3), np.empty(3), np.empty((2, 3))
        for f in range(tile * room, tile * room + counts[tile]):
            t = triangle[f]
            x, y = where[f, 0], where[f, 1]
            weight_a = edges[t, 0] * x + edges[t, 1] * y + edges[t, 2]
            weight_b = edges[t, 3] * x + edges[t, 4] * y + edges[t, 5]
            weight_c = edges[t, 6] * x + edges[t, 7] * y + edges[t, 8]
            total = weight_a + weight_b + weight_c
            # The mean of several triangles' samples may lie just outside this one.
            weight_a = max(0.0, weight_a / total)
            weight_b = max(0.0, weight_b / total)
            weight_c = max(0.0, weight_c / total)
            length = 0.0
            far = 0.0
            for k in range(3):
                normal[k] = weight_a * normals[t, 0, k] + weight_b * normals[t, 1, k] + weight_c * normals[t, 2, k]
                length += normal[k] * normal[k]
                view[k] = -(ray_0[k] + x * ray_x[k] + y * ray_y[k])
                far += view[k] * view[k]
            length, far = 1.0 / math.sqrt(max(length, 1e-30)), 1.0 / math.sqrt(far)
            facing = 0.0
            for k in range(3):
                normal[k] *= length
                view[k] *= far
                facing += normal[k] * view[k]
            if facing < -0.2:
                for k in range(3):
                    normal[k] = -normal[k]
            finish = finish_of[t]
            for k in range(3):
                base[k] = finishes[finish, k]
            surface_radiance(
                normal, view, base, finishes[finish, 3], finishes[finish, 4], suns, ambient, maps, table, scratch, out
            )
            row, column = pixel[f] // width, pixel[f] % width
            for k in range(3):
                beauty[row, column, k] += np.float32(share[f] * out[k])
