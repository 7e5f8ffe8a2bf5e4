"""Light that leaves a surface towards the camera: metal-rough model of glTF 2.0, appendix B.

Conventions: a sun of strength 1 and colour white makes a white matt surface that faces it radiate 1. Ambient light
arrives evenly from all directions; the environment arrives from its blurred pictures. Single precision throughout: a
literal without ``np.float32`` would make numba compute in double precision, at half the speed.
"""

from __future__ import annotations

import math

import numba
import numpy as np

from zeitbild.kernels import inlined_kernel, kernel, parallel_kernel
from zeitbild.render.environment import LEVELS, OFFSETS, SIDES
from zeitbild.render.finish_row import (
    COAT,
    COAT_ROUGHNESS,
    COLOURS,
    MAPS,
    METAL_ROUGH,
    OWNER,
    SHADING,
    SOFTNESS,
    STARTS,
    TONE_BANDS,
    TONES,
    UNLIT,
)
from zeitbild.render.lighting import reach
from zeitbild.render.texturing import apply_textures
from zeitbild.render.triangle_setup import TILE

#: Reflectance of dielectrics at normal incidence (glTF 2.0, appendix B.3.3).
DIELECTRIC = np.float32(0.04)
#: Smallest squared roughness, so that a mirror's highlight keeps a finite peak.
_MIN_ALPHA = np.float32(0.0016)
_PI = np.float32(math.pi)
_ZERO, _HALF, _ONE, _TWO = np.float32(0), np.float32(0.5), np.float32(1), np.float32(2)
_LEAST_COSINE = np.float32(1e-3)
_SIDES, _OFFSETS = SIDES, OFFSETS
_TILE = TILE
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1
_LEVEL_COUNT = len(LEVELS)
_LAST_LEVEL = np.float32(_LEVEL_COUNT - 1)
_CELLS = np.float32(32)
#: The exponent 2^(-16 a - 1) of a reflection's occlusion, written for exp.
_LOG_2 = np.float32(math.log(2))
_OPEN_SLOPE = np.float32(-16 * math.log(2))
#: A shading normal leaning away further than this (cosine) shows the surface from behind.
_TURNED_AWAY = np.float32(-0.2)

# Globals of this module, which kernels take as constants.
_SHADING, _COAT, _COAT_ROUGHNESS, _MAPS, _OWNER = SHADING, COAT, COAT_ROUGHNESS, MAPS, OWNER
_TONES, _SOFTNESS, _STARTS, _COLOURS = TONES, SOFTNESS, STARTS, COLOURS
_METAL_ROUGH, _TONE_BANDS, _UNLIT = np.float32(METAL_ROUGH), np.float32(TONE_BANDS), np.float32(UNLIT)

#: Columns of the planes beside beauty, each weighted by coverage.
DIFFUSE, SPECULAR, AROUND, EMISSION, NORMAL, POSITION, OPENNESS, LIT = 0, 3, 6, 9, 12, 15, 18, 19
#: Pixels to the right and down until the next frame (``identity.mark``), and the normal to the camera's right, up and
#: towards it.
MOTION, CAMERA_NORMAL = 20, 22
PLANES = 25


@kernel
def ggx_lobe(n_l, n_v, n_h, alpha):  # type: ignore[no-untyped-def]
    """D times V: GGX distribution and height-correlated Smith visibility; alpha is roughness squared; in 1/sr."""
    square = alpha * alpha
    spread = n_h * n_h * (square - _ONE) + _ONE
    distribution = square / (_PI * spread * spread)
    visibility = _HALF / (
        n_l * math.sqrt(n_v * n_v * (_ONE - square) + square) + n_v * math.sqrt(n_l * n_l * (_ONE - square) + square)
    )
    return distribution * visibility


@inlined_kernel
def _look_up(maps, level, x, y, z):  # type: ignore[no-untyped-def]
    """Bilinear value (three numbers) of one level's octahedral picture in a direction of any length."""
    total = abs(x) + abs(y) + abs(z)
    u, v = x / total, z / total
    if y < _ZERO:
        u, v = (_ONE - abs(v)) * (_ONE if u >= _ZERO else -_ONE), (_ONE - abs(u)) * (_ONE if v >= _ZERO else -_ONE)
    # Texel middles stand half a texel inside; the border shifts them by one.
    size = _SIDES[level]
    side = np.float32(size)
    column = (u + _ONE) * _HALF * side + _HALF
    row = (v + _ONE) * _HALF * side + _HALF
    c, r = min(max(int(column), 0), size), min(max(int(row), 0), size)
    fc, fr = column - np.float32(c), row - np.float32(r)
    a = np.uint64(_OFFSETS[level] + r * (size + 2) + c)
    b, d = a + np.uint64(1), a + np.uint64(size + 2)
    e = d + np.uint64(1)
    w00, w01 = (_ONE - fc) * (_ONE - fr), fc * (_ONE - fr)
    w10, w11 = (_ONE - fc) * fr, fc * fr
    return (
        maps[a, 0] * w00 + maps[b, 0] * w01 + maps[d, 0] * w10 + maps[e, 0] * w11,
        maps[a, 1] * w00 + maps[b, 1] * w01 + maps[d, 1] * w10 + maps[e, 1] * w11,
        maps[a, 2] * w00 + maps[b, 2] * w01 + maps[d, 2] * w10 + maps[e, 2] * w11,
    )


@kernel
def highlight_lobe(nx, ny, nz, vx, vy, vz, lx, ly, lz, n_v, alpha):  # type: ignore[no-untyped-def]
    """(lobe times pi and n.l, Schlick's fifth power) for light from the unit direction l; 0 from below the surface."""
    n_l = nx * lx + ny * ly + nz * lz
    hx, hy, hz = lx + vx, ly + vy, lz + vz
    square = hx * hx + hy * hy + hz * hz
    if n_l <= _ZERO or square < np.float32(1e-12):
        return _ZERO, _ZERO
    scale = _ONE / math.sqrt(square)
    n_h = min(_ONE, max(_ZERO, (nx * hx + ny * hy + nz * hz) * scale))
    rest = _ONE - min(_ONE, max(_ZERO, (vx * hx + vy * hy + vz * hz) * scale))
    squared = rest * rest
    return ggx_lobe(n_l, n_v, n_h, alpha) * _PI * n_l, squared * squared * rest


@inlined_kernel
def _table_entry(table, n_v, rough):  # type: ignore[no-untyped-def]
    """Scale and bias of the reflectance at n.v and roughness, bilinear."""
    cell_v = min(max(n_v * _CELLS - _HALF, _ZERO), _CELLS - _ONE)
    cell_r = min(max(rough * _CELLS - _HALF, _ZERO), _CELLS - _ONE)
    v, r = min(int(cell_v), 30), min(int(cell_r), 30)
    fv, fr = cell_v - np.float32(v), cell_r - np.float32(r)
    w00, w01, w10, w11 = (_ONE - fv) * (_ONE - fr), (_ONE - fv) * fr, fv * (_ONE - fr), fv * fr
    return (
        table[v, r, 0] * w00 + table[v, r + 1, 0] * w01 + table[v + 1, r, 0] * w10 + table[v + 1, r + 1, 0] * w11,
        table[v, r, 1] * w00 + table[v, r + 1, 1] * w01 + table[v + 1, r, 1] * w10 + table[v + 1, r + 1, 1] * w11,
    )


@inlined_kernel
def direct_light(px, py, pz, nx, ny, nz, vx, vy, vz, finish, finishes, lights, touched, rayed, f):  # type: ignore[no-untyped-def]
    """Six numbers: diffuse and highlight radiance of all lights at a point.

    Point p, unit normal n and view v (towards the eye); finish the row in finishes [F, FINISH_ROW]; lights [L, ROW];
    touched [L, F] uint8; rayed [fragments, >= L] share of each light that reaches fragment f, or of no length: all does.
    """
    owner = int(finishes[finish, _OWNER])
    base_r, base_g, base_b = finishes[finish, 0], finishes[finish, 1], finishes[finish, 2]
    rough, metal = finishes[finish, 3], finishes[finish, 4]
    facing = nx * vx + ny * vy + nz * vz
    n_v = min(_ONE, max(facing, _LEAST_COSINE))
    rx, ry, rz = _TWO * facing * nx - vx, _TWO * facing * ny - vy, _TWO * facing * nz - vz
    alpha = max(rough * rough, _MIN_ALPHA)
    rest = _ONE - metal
    f0_r, f0_g, f0_b = (
        DIELECTRIC * rest + base_r * metal,
        DIELECTRIC * rest + base_g * metal,
        DIELECTRIC * rest + base_b * metal,
    )
    matt_r = matt_g = matt_b = _ZERO
    high_r = high_g = high_b = _ZERO
    for number in range(lights.shape[0]):
        if touched[number, owner] == 0:
            continue
        light = lights[number]
        if light[0] == _ZERO and light[16] == _ZERO:
            # A sun without a size, by far the most frequent light.
            lx, ly, lz = -light[4], -light[5], -light[6]
            diffuse = max(_ZERO, nx * lx + ny * ly + nz * lz)
            strength = _ONE
        else:
            diffuse, strength, lx, ly, lz = reach(light, px, py, pz, nx, ny, nz, rx, ry, rz, alpha)
        if rayed.shape[0] > 0:
            share = rayed[f, number]
            diffuse, strength = diffuse * share, strength * share
        if diffuse <= _ZERO and (strength <= _ZERO or nx * lx + ny * ly + nz * lz <= _ZERO):
            continue
        lobe, fifth = highlight_lobe(nx, ny, nz, vx, vy, vz, lx, ly, lz, n_v, alpha)
        # The dielectric's matt share is what its own Fresnel term lets in; metal has none.
        matt = rest * (_ONE - DIELECTRIC - (_ONE - DIELECTRIC) * fifth) * diffuse
        lobe *= strength
        matt_r += base_r * matt * light[7]
        matt_g += base_g * matt * light[8]
        matt_b += base_b * matt * light[9]
        high_r += (f0_r + (_ONE - f0_r) * fifth) * lobe * light[7]
        high_g += (f0_g + (_ONE - f0_g) * fifth) * lobe * light[8]
        high_b += (f0_b + (_ONE - f0_b) * fifth) * lobe * light[9]
    return matt_r, matt_g, matt_b, high_r, high_g, high_b


@inlined_kernel
def mirror_light(nx, ny, nz, vx, vy, vz, finish, finishes, ambients, maps, table):  # type: ignore[no-untyped-def]
    """Eight numbers: radiance that a point's mirror direction sees of environment and ambient light; the share of it that
    the surface reflects (red, green, blue); and that share's scale and bias. Arguments as in ``light_around``."""
    owner = int(finishes[finish, _OWNER])
    base_r, base_g, base_b = finishes[finish, 0], finishes[finish, 1], finishes[finish, 2]
    rough, metal = finishes[finish, 3], finishes[finish, 4]
    n_v = min(_ONE, max(nx * vx + ny * vy + nz * vz, _LEAST_COSINE))
    rest = _ONE - metal
    scale, bias = _table_entry(table, n_v, rough)
    twice = _TWO * n_v
    rx, ry, rz = twice * nx - vx, twice * ny - vy, twice * nz - vz
    place = rough * _LAST_LEVEL
    level = min(int(place), _LEVEL_COUNT - 2)
    blend = place - np.float32(level)
    sharp_r, sharp_g, sharp_b = _look_up(maps, level, rx, ry, rz)
    soft_r, soft_g, soft_b = _look_up(maps, level + 1, rx, ry, rz)
    return (
        sharp_r + (soft_r - sharp_r) * blend + ambients[owner, 0],
        sharp_g + (soft_g - sharp_g) * blend + ambients[owner, 1],
        sharp_b + (soft_b - sharp_b) * blend + ambients[owner, 2],
        (DIELECTRIC * rest + base_r * metal) * scale + bias,
        (DIELECTRIC * rest + base_g * metal) * scale + bias,
        (DIELECTRIC * rest + base_b * metal) * scale + bias,
        scale,
        bias,
    )


@inlined_kernel
def light_around(nx, ny, nz, vx, vy, vz, finish, finishes, ambients, maps, table, openness, rayed, f, first):  # type: ignore[no-untyped-def]
    """Three numbers: radiance of a point by ambient light and the environment.

    ambients [F, 3]; maps and table from ``environment``; openness the share of the half sphere that is open; from column
    first of rayed on stand the radiance that fragment f's mirror rays met and the share of them that met something; first
    is 0 where none were cast.
    """
    red, green, blue, share_r, share_g, share_b, scale, bias = mirror_light(
        nx, ny, nz, vx, vy, vz, finish, finishes, ambients, maps, table
    )
    owner = int(finishes[finish, _OWNER])
    rough, rest = finishes[finish, 3], _ONE - finishes[finish, 4]
    if first > 0:
        clear = _ONE - rayed[f, first + 3]
        red = red * clear + rayed[f, first]
        green = green * clear + rayed[f, first + 1]
        blue = blue * clear + rayed[f, first + 2]
    elif openness < _ONE:
        # What a corner keeps away from a reflection (Lagarde and de Rousiers 2014, Moving Frostbite to Physically
        # Based Rendering, listing 26, from memory).
        n_v = min(_ONE, max(nx * vx + ny * vy + nz * vz, _LEAST_COSINE))
        power = math.exp(math.log(n_v + openness) * math.exp(_OPEN_SLOPE * rough * rough - _LOG_2))
        kept = min(_ONE, max(_ZERO, np.float32(power) - _ONE + openness))
        red, green, blue = red * kept, green * kept, blue * kept
    red, green, blue = red * share_r, green * share_g, blue * share_b
    if rest > _ZERO:
        soft_r, soft_g, soft_b = _look_up(maps, _LEVEL_COUNT, nx, ny, nz)
        kept = rest * (_ONE - (DIELECTRIC * scale + bias)) * openness
        red += finishes[finish, 0] * kept * (soft_r + ambients[owner, 0])
        green += finishes[finish, 1] * kept * (soft_g + ambients[owner, 1])
        blue += finishes[finish, 2] * kept * (soft_b + ambients[owner, 2])
    return red, green, blue


@inlined_kernel
def edges_at(edges, t, x, y):  # type: ignore[no-untyped-def]
    """Edge functions of triangle t at picture coordinates; none is negative inside."""
    return (
        edges[t, 0] * x + edges[t, 1] * y + edges[t, 2],
        edges[t, 3] * x + edges[t, 4] * y + edges[t, 5],
        edges[t, 6] * x + edges[t, 7] * y + edges[t, 8],
    )


@kernel
def onto_triangle(edges, t, x, y, a, b, c):  # type: ignore[no-untyped-def]
    """The place on triangle t nearest to (x, y) outside it, where its edge functions are a, b, c.

    The mean of several triangles' samples may lie outside the one that stands for them. Cutting off negative shares
    would lead far along a triangle that is seen edge-on.
    """
    for _ in range(2):
        across, down, worst = 0.0, 0.0, 1e-12
        for k in range(3):
            value = a if k == 0 else (b if k == 1 else c)
            if value >= 0.0:
                continue
            gx, gy = edges[t, 3 * k], edges[t, 3 * k + 1]
            steep = gx * gx + gy * gy
            if value * value > worst * steep:
                worst = value * value / steep
                across, down = -value * gx / steep, -value * gy / steep
        if across == 0.0 and down == 0.0:
            break
        x, y = x + across, y + down
        a, b, c = edges_at(edges, t, x, y)
    return x, y


@inlined_kernel
def surface_at(edges, triangles, vertices, normals, t, x, y, eye):  # type: ignore[no-untyped-def]
    """Nine numbers: position, unit normal and unit view of triangle t under picture coordinates (x, y)."""
    a, b, c = edges_at(edges, t, x, y)
    if a < 0.0 or b < 0.0 or c < 0.0:
        x, y = onto_triangle(edges, t, x, y, a, b, c)
        a, b, c = edges_at(edges, t, x, y)
        a, b, c = max(0.0, a), max(0.0, b), max(0.0, c)
    # The shares must make one, or the point leaves the surface.
    total = 1.0 / max(a + b + c, 1e-300)
    wa, wb, wc = np.float32(a * total), np.float32(b * total), np.float32(c * total)
    nx = wa * normals[t, 0, 0] + wb * normals[t, 1, 0] + wc * normals[t, 2, 0]
    ny = wa * normals[t, 0, 1] + wb * normals[t, 1, 1] + wc * normals[t, 2, 1]
    nz = wa * normals[t, 0, 2] + wb * normals[t, 1, 2] + wc * normals[t, 2, 2]
    length = _ONE / math.sqrt(max(nx * nx + ny * ny + nz * nz, np.float32(1e-30)))
    i, j, k = triangles[t, 0], triangles[t, 1], triangles[t, 2]
    px = wa * vertices[i, 0] + wb * vertices[j, 0] + wc * vertices[k, 0]
    py = wa * vertices[i, 1] + wb * vertices[j, 1] + wc * vertices[k, 1]
    pz = wa * vertices[i, 2] + wb * vertices[j, 2] + wc * vertices[k, 2]
    # The last number is 1 for an eye that stands somewhere, 0 for a direction.
    vx, vy, vz = eye[0] - eye[3] * px, eye[1] - eye[3] * py, eye[2] - eye[3] * pz
    near = _ONE / math.sqrt(max(vx * vx + vy * vy + vz * vz, np.float32(1e-30)))
    nx, ny, nz, vx, vy, vz = nx * length, ny * length, nz * length, vx * near, vy * near, vz * near
    if nx * vx + ny * vy + nz * vz < _TURNED_AWAY:
        nx, ny, nz = -nx, -ny, -nz
    return px, py, pz, nx, ny, nz, vx, vy, vz


_surface_at = kernel(surface_at.py_func)


@kernel
def light_amount(px, py, pz, nx, ny, nz, owner, lights, touched, ambients, rayed, f, openness):  # type: ignore[no-untyped-def]
    """Three numbers: the amount of matt light where sharp shadows fall, where they do not, and the share that is lit.

    1 is a white sun of strength 1 that shines straight on. A pixel on the border of a sharp shadow has a share between 0
    and 1; elsewhere both amounts are the same.
    """
    dark = bright = mean = (
        np.float32(0.2126) * ambients[owner, 0]
        + np.float32(0.7152) * ambients[owner, 1]
        + np.float32(0.0722) * ambients[owner, 2]
    ) * openness
    for number in range(lights.shape[0]):
        if touched[number, owner] == 0:
            continue
        light = lights[number]
        diffuse, _, _, _, _ = reach(light, px, py, pz, nx, ny, nz, nx, ny, nz, _ONE)
        amount = diffuse * (
            np.float32(0.2126) * light[7] + np.float32(0.7152) * light[8] + np.float32(0.0722) * light[9]
        )
        share = rayed[f, number] if rayed.shape[0] > 0 else _ONE
        mean += share * amount
        if light[16] == _ZERO and light[0] <= _ONE:
            dark += amount if share >= _ONE else _ZERO
            bright += amount if share > _ZERO else _ZERO
        else:
            dark, bright = dark + share * amount, bright + share * amount
    lit = (mean - dark) / (bright - dark) if bright > dark else _ONE
    return dark, bright, lit


@kernel
def tone_at(amount, width, finish, finishes):  # type: ignore[no-untyped-def]
    """Colour of tone bands at an amount of light; width is how far the amount goes across a pixel, which borders fill."""
    row = finishes[finish]
    wide = max(row[_SOFTNESS], width)
    red, green, blue = row[_COLOURS], row[_COLOURS + 1], row[_COLOURS + 2]
    for tone in range(1, int(row[_TONES])):
        above = amount - row[_STARTS + tone - 1]
        if wide > _ZERO:
            blend = min(_ONE, max(_ZERO, above / wide + _HALF))
        else:
            blend = _ONE if above >= _ZERO else _ZERO
        at = _COLOURS + 3 * tone
        red += (row[at] - red) * blend
        green += (row[at + 1] - green) * blend
        blue += (row[at + 2] - blue) * blend
    return red, green, blue


@kernel
def tones_across(  # type: ignore[no-untyped-def]
    edges,
    triangles,
    vertices,
    normals,
    t,
    x,
    y,
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
):
    """Colour of tone bands in a pixel about (x, y); hard takes the tone of its middle alone. See ``shade``."""
    px, py, pz, nx, ny, nz, _, _, _ = _surface_at(edges, triangles, vertices, normals, t, x, y, eye)
    dark, bright, lit = light_amount(px, py, pz, nx, ny, nz, finish, lights, touched, ambients, rayed, f, openness)
    if hard:
        return tone_at(bright if lit >= _HALF else dark, _ZERO, finish, finishes)
    square = _ZERO
    for axis in range(2):
        px, py, pz, nx, ny, nz, _, _, _ = _surface_at(
            edges,
            triangles,
            vertices,
            normals,
            t,
            x + np.float32(0.5 * (1 - axis)),
            y + np.float32(0.5 * axis),
            eye,
        )
        _, other, _ = light_amount(px, py, pz, nx, ny, nz, finish, lights, touched, ambients, rayed, f, openness)
        square += (_TWO * (other - bright)) * (_TWO * (other - bright))
    width = math.sqrt(square)
    red, green, blue = tone_at(bright, width, finish, finishes)
    if lit < _ONE:
        dark_r, dark_g, dark_b = tone_at(dark, width, finish, finishes)
        red, green, blue = (
            red * lit + dark_r * (_ONE - lit),
            green * lit + dark_g * (_ONE - lit),
            blue * lit + dark_b * (_ONE - lit),
        )
    return red, green, blue


@kernel
def coat_light(  # type: ignore[no-untyped-def]
    px, py, pz, nx, ny, nz, vx, vy, vz, finish, finishes, lights, touched, ambients, maps, table, rayed, f, openness
):
    """Seven numbers: highlights of a clear coat, what it mirrors of the surroundings, and the share it lets through.

    glTF 2.0, extension KHR_materials_clearcoat: a dielectric lobe on top, weighted by the Fresnel term along the view.
    """
    owner = int(finishes[finish, _OWNER])
    coat, rough = finishes[finish, _COAT], finishes[finish, _COAT_ROUGHNESS]
    facing = nx * vx + ny * vy + nz * vz
    n_v = min(_ONE, max(facing, _LEAST_COSINE))
    rx, ry, rz = _TWO * facing * nx - vx, _TWO * facing * ny - vy, _TWO * facing * nz - vz
    alpha = max(rough * rough, _MIN_ALPHA)
    high_r = high_g = high_b = _ZERO
    for number in range(lights.shape[0]):
        if touched[number, owner] == 0:
            continue
        light = lights[number]
        _, strength, lx, ly, lz = reach(light, px, py, pz, nx, ny, nz, rx, ry, rz, alpha)
        lobe, fifth = highlight_lobe(nx, ny, nz, vx, vy, vz, lx, ly, lz, n_v, alpha)
        lobe *= strength * coat * (DIELECTRIC + (_ONE - DIELECTRIC) * fifth)
        if rayed.shape[0] > 0:
            lobe *= rayed[f, number]
        high_r, high_g, high_b = high_r + lobe * light[7], high_g + lobe * light[8], high_b + lobe * light[9]
    scale, bias = _table_entry(table, n_v, rough)
    share = coat * (DIELECTRIC * scale + bias)
    place = rough * _LAST_LEVEL
    level = min(int(place), _LEVEL_COUNT - 2)
    blend = place - np.float32(level)
    twice = _TWO * n_v
    rx, ry, rz = twice * nx - vx, twice * ny - vy, twice * nz - vz
    sharp_r, sharp_g, sharp_b = _look_up(maps, level, rx, ry, rz)
    soft_r, soft_g, soft_b = _look_up(maps, level + 1, rx, ry, rz)
    weight = share * openness
    return (
        high_r,
        high_g,
        high_b,
        weight * (sharp_r + (soft_r - sharp_r) * blend + ambients[owner, 0]),
        weight * (sharp_g + (soft_g - sharp_g) * blend + ambients[owner, 1]),
        weight * (sharp_b + (soft_b - sharp_b) * blend + ambients[owner, 2]),
        _ONE - share,
    )


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
