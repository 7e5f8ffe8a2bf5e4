"""Highlights of flat lights: all of the light counts, not one place that stands for it."""

from __future__ import annotations

import math

import numpy as np

from zeitbild.kernels import kernel
from zeitbild.render.light import linear_lobes
from zeitbild.render.light.ggx import ggx_lobe
from zeitbild.render.light.lighting import POLYGON, ROUND, SQUARE, area_and_glow, edge_light, sideways
from zeitbild.render.light.reflectance import LINEAR, TABLE, dielectric_share

_ZERO, _ONE, _TWO, _THREE, _FOUR = (np.float32(value) for value in (0, 1, 2, 3, 4))
_PI, _TINY = np.float32(math.pi), np.float32(1e-12)
_ROUND, _POLYGON, _SQUARE = np.float32(ROUND), POLYGON, SQUARE
_STEPS, _LAST_CELL, _LINEAR = np.float32(TABLE - 1), TABLE - 2, LINEAR
_NUMBERS = linear_lobes.NUMBERS
_CELL = _NUMBERS * len(linear_lobes.STRAIGHT)
_ROW = _CELL * TABLE
#: From this share of a linear lobe in a light on its tails do not matter.
_MOST = np.float32(0.5)
#: Shares that rounding makes a good part of.
_LITTLE = np.float32(3e-4)
#: Places tell of all of a light where its facets are about as frequent in all of them; of the first value (most over least) they still do, of the
#: second no longer.
_ALIKE, _UNLIKE = np.float32(4), np.float32(16)
#: Places of a light that stand for it where lobes hardly change across it: Gauss's of a square; of a disc, on the circle that halves it.
_GAUSS, _HALVING = np.float32(1 / math.sqrt(3)), np.float32(0.5)
_PLACES = np.array([[1, 1], [-1, 1], [-1, -1], [1, -1]], np.float32)


@kernel
def _linear_lobe(table, n_v, rough, share):  # type: ignore[no-untyped-def]
    """Five numbers of ``linear_lobes`` at n.v and roughness, bilinear, of a lobe between a mirror's (share 0) and a dielectric's (1)."""
    down, across = math.sqrt(max(_ONE - n_v, _ZERO)) * _STEPS, min(max(rough, _ZERO), _ONE) * _STEPS
    row, column = min(int(down), _LAST_CELL), min(int(across), _LAST_CELL)
    f, g = down - np.float32(row), across - np.float32(column)
    at = _LINEAR + row * _ROW + column * _CELL
    a = b = c = d = e = _ZERO
    for corner in range(4):
        weight = (f if corner > 1 else _ONE - f) * (g if corner & 1 else _ONE - g)
        own = at + (_ROW if corner > 1 else 0) + (_CELL if corner & 1 else 0)
        for lobe in range(2):
            part = weight * (share if lobe == 1 else _ONE - share)
            k = own + lobe * _NUMBERS
            a, b, c = a + part * table[k], b + part * table[k + 1], c + part * table[k + 2]
            d, e = d + part * table[k + 3], e + part * table[k + 4]
    return a, b, c, d, e


@kernel
def _cut(corners, count, cut):  # type: ignore[no-untyped-def]
    """What of a polygon of so many corners [n, 3] lies above the plane z = 0, in cut, and how many corners that has."""
    kept = 0
    for k in range(count):
        m = k + 1 if k + 1 < count else 0
        z0, z1 = corners[k, 2], corners[m, 2]
        if z0 > _ZERO:
            for axis in range(3):
                cut[kept, axis] = corners[k, axis]
            kept += 1
        if (z0 > _ZERO) != (z1 > _ZERO):
            way = z0 / (z0 - z1)
            for axis in range(3):
                cut[kept, axis] = corners[k, axis] + way * (corners[m, axis] - corners[k, axis])
            cut[kept, 2] = _ZERO
            kept += 1
    return kept


@kernel
def _held(light, corners, point, along, aside, normal, lobe):  # type: ignore[no-untyped-def]
    """Share of a linear lobe that falls into what of a flat light is above the surface; the light's corners in units of its half extents.
    along, aside and normal are the axes of the lobe."""
    px, py, pz = point
    tx, ty, tz = along
    sx, sy, sz = aside
    nx, ny, nz = normal
    a, b, c, d, e = lobe
    flat = (a * e - b * d) / c
    count = corners.shape[0]
    # Each of two planes adds a corner at most.
    own, seen = np.empty((count + 2, 3), np.float32), np.empty((count + 2, 3), np.float32)
    for k in range(count):
        u, v = corners[k, 0], corners[k, 1]
        wx = light[1] + u * light[10] + v * light[13] - px
        wy = light[2] + u * light[11] + v * light[14] - py
        wz = light[3] + u * light[12] + v * light[15] - pz
        own[k, 0], own[k, 1] = wx * tx + wy * ty + wz * tz, wx * sx + wy * sy + wz * sz
        own[k, 2] = wx * nx + wy * ny + wz * nz
    count = _cut(own, count, seen)
    for k in range(count):
        # What M makes this of.
        q, r, s = seen[k, 0], seen[k, 1], seen[k, 2]
        x, y, z = e * q - b * s, flat * r, a * s - d * q
        scale = _ONE / math.sqrt(max(x * x + y * y + z * z, _TINY))
        seen[k, 0], seen[k, 1], seen[k, 2] = x * scale, y * scale, z * scale
    count = _cut(seen, count, own)
    total = _ZERO
    for k in range(count):
        m = k + 1 if k + 1 < count else 0
        total += edge_light(own[k, 0], own[k, 1], own[k, 2], own[m, 0], own[m, 1], own[m, 2], _ZERO, _ZERO, _ONE)
    return min(_ONE, abs(total) / (_TWO * _PI))


@kernel
def _by_places(light, point, normal, view, n_v, square, seen_root, area):  # type: ignore[no-untyped-def]
    """Four numbers, from four places of a flat light of an area: the lobe times the light's solid angle, the same times Schlick's fifth power;
    and how frequent facets are where they are rarest and where they are not, over the lobe's peak."""
    px, py, pz = point
    nx, ny, nz = normal
    vx, vy, vz = view
    half = _HALVING if light[0] == _ROUND else _GAUSS
    plain = fifths = most = _ZERO
    least = _ONE
    for k in range(4):
        u, v = half * _PLACES[k, 0], half * _PLACES[k, 1]
        lx = light[1] + u * light[10] + v * light[13] - px
        ly = light[2] + u * light[11] + v * light[14] - py
        lz = light[3] + u * light[12] + v * light[15] - pz
        far = max(lx * lx + ly * ly + lz * lz, _TINY)
        scale = _ONE / math.sqrt(far)
        lx, ly, lz = lx * scale, ly * scale, lz * scale
        hx, hy, hz = lx + vx, ly + vy, lz + vz
        scale = _ONE / math.sqrt(max(hx * hx + hy * hy + hz * hz, _TINY))
        n_h = min(_ONE, max(_ZERO, (hx * nx + hy * ny + hz * nz) * scale))
        # Of places below the surface, too, so that nothing leaps where one of them comes up.
        often = square / (n_h * n_h * (square - _ONE) + _ONE)
        least, most = min(least, often * often), max(most, often * often)
        tilt, n_l = -(lx * light[4] + ly * light[5] + lz * light[6]), lx * nx + ly * ny + lz * nz
        if tilt <= _ZERO or n_l <= _ZERO:
            continue
        rest = _ONE - min(_ONE, max(_ZERO, (hx * vx + hy * vy + hz * vz) * scale))
        own = ggx_lobe(n_l, n_v, n_h, square, seen_root) * n_l * (area / (_FOUR * _PI)) * tilt / far
        plain += own
        fifths += own * (rest * rest) * (rest * rest) * rest
    return plain, fifths, least, most


@kernel
def area_highlight(light, point, normal, view, square, rough, reflectance, straight, table):  # type: ignore[no-untyped-def]
    """(Lobe, Schlick's fifth power) of a flat light's row at a point, as ``metal_rough.highlight_lobe`` has it of a direction, times the
    light's strength; normal and view are unit vectors.

    square is roughness to the fourth; reflectance the scale and bias of ``reflectance.reflectance_table``; straight what the surface
    reflects straight ahead; table as in ``lighting.Shining``. Where a good part of the lobe falls into the light, the linear lobe
    tells how much; its tails are too weak: where lobes hardly change across the light, four places of that do.
    """
    px, py, pz = point
    nx, ny, nz = normal
    vx, vy, vz = view
    facing = nx * vx + ny * vy + nz * vz
    n_v = min(_ONE, max(facing, np.float32(1e-3)))
    front = (px - light[1]) * light[4] + (py - light[2]) * light[5] + (pz - light[3]) * light[6]
    if front <= _ZERO:
        return _ZERO, _ZERO
    scale, bias = reflectance
    tx, ty, tz = facing * nx - vx, facing * ny - vy, facing * nz - vz
    aside = tx * tx + ty * ty + tz * tz
    if aside > np.float32(1e-7):
        length = _ONE / math.sqrt(aside)
        tx, ty, tz = tx * length, ty * length, tz * length
    else:
        tx, ty, tz, _, _, _ = sideways(nx, ny, nz)
    across = ny * tz - nz * ty, nz * tx - nx * tz, nx * ty - ny * tx
    lobe = _linear_lobe(table, n_v, rough, dielectric_share(scale, bias, straight))
    corners = _POLYGON if light[0] == _ROUND else _SQUARE
    held = _held(light, corners, point, (tx, ty, tz), across, normal, lobe)
    area, glow = area_and_glow(light)
    plain, fifths = held * (scale + bias), held * bias
    if held < _MOST:
        seen_root = math.sqrt(n_v * n_v * (_ONE - square) + square)
        own, own_fifths, least, most = _by_places(light, point, normal, view, n_v, square, seen_root, area)
        # Of a small light the linear lobe's share is lost in rounding.
        if own > plain or held < _LITTLE:
            part = min(_ONE, max(_ZERO, (_UNLIKE * least - most) / ((_UNLIKE - _ALIKE) * least + _TINY)))
            part *= part * (_THREE - _TWO * part)
            plain, fifths = plain + part * (own - plain), fifths + part * (own_fifths - fifths)
    return plain * glow, fifths / plain if plain > _TINY else _ZERO
