"""Highlights of lights with a size, flat ones and discs as suns and balls show: all of the light counts, not one place that stands for it."""

from __future__ import annotations

import math

import numpy as np

from zeitbild.kernels import inlined_kernel, kernel
from zeitbild.render.light import linear_lobes
from zeitbild.render.light.ggx import ggx_lobe, shadowing
from zeitbild.render.light.lighting import (
    POLYGON,
    ROUND,
    ROW,
    SQUARE,
    area_and_glow,
    edge_light,
    half_extents2,
    sideways,
)
from zeitbild.render.light.reflectance import LINEAR, TABLE, dielectric_share

_ZERO, _ONE, _TWO, _THREE, _FOUR = (np.float32(value) for value in (0, 1, 2, 3, 4))
_PI, _TINY = np.float32(math.pi), np.float32(1e-12)
_ROUND, _POLYGON, _SQUARE, _LIGHT_ROW = np.float32(ROUND), POLYGON, SQUARE, ROW
_STEPS, _LAST_CELL, _LINEAR = np.float32(TABLE - 1), TABLE - 2, LINEAR
_NUMBERS = linear_lobes.NUMBERS
_CELL = _NUMBERS * len(linear_lobes.STRAIGHT)
_ROW = _CELL * TABLE
#: From this share of a linear lobe in a light on its tails do not matter; over one, how far below that they begin to.
_MOST, _INTO_MOST = np.float32(0.5), np.float32(10)
#: Shares that rounding makes a good part of: of a small light the linear lobe's is lost in it.
_LITTLE = np.float32(3e-4)
#: Places of a light tell of all of it where facets are about as frequent in all of them. The most over the least of what is frequent: up to the
#: first value they do, from the second on they do not.
#: Without asking the linear lobe; if the lobe's peak does not lie between them, which these tell (its over the most).
_EVEN, _UNEVEN, _MET, _MISSED = (np.float32(value) for value in (2, 4, 1.1, 1.3))
#: Where they tell of more than the linear lobe; where they tell of less, at a slant, where that is too wide.
_ALIKE, _UNLIKE, _SAME, _OTHER = (np.float32(value) for value in (4, 16, 2, 6))
#: The cosine of the view that begins a slant, and one over how far below it is a full one.
_STEEP, _INTO_STEEP = np.float32(0.64), np.float32(1 / 0.3)
#: Places do not tell of less of what is as wide as this (half of its extent over its distance, squared; one over how far below), nor of what stands low
#: (one over the cosine).
_LARGE, _INTO_LARGE, _LOW = np.float32(0.3), np.float32(1 / 0.2), np.float32(10)
#: Over one, how far both are apart (a share) where one may stand for the other.
_APART = np.float32(3)
#: Where the disc is seen from that stands for a sun or a ball (``disc_of``).
ORIGIN = (np.float32(0), np.float32(0), np.float32(0))
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
def _nearest_place(light, point, mirrored):  # type: ignore[no-untyped-def]
    """The place of a flat light, in units of its half extents, that a unit direction from a point meets, or comes nearest to in its plane."""
    px, py, pz = point
    rx, ry, rz = mirrored
    wx, wy, wz = light[1] - px, light[2] - py, light[3] - pz
    into, off = rx * light[4] + ry * light[5] + rz * light[6], wx * light[4] + wy * light[5] + wz * light[6]
    # A direction that leaves the plane passes it far away.
    far = off / min(into, np.float32(-1e-3))
    x, y, z = far * rx - wx, far * ry - wy, far * rz - wz
    across2, up2 = half_extents2(light)
    u = (x * light[10] + y * light[11] + z * light[12]) / max(across2, _TINY)
    v = (x * light[13] + y * light[14] + z * light[15]) / max(up2, _TINY)
    if light[0] == _ROUND:
        beyond = max(_ONE, math.sqrt(u * u + v * v))
        return u / beyond, v / beyond
    return min(_ONE, max(-_ONE, u)), min(_ONE, max(-_ONE, v))


@kernel
def _by_places(light, point, normal, view, n_v, square, area):  # type: ignore[no-untyped-def]
    """Six numbers, from some places of a flat light of an area: the lobe times the light's solid angle, the same times Schlick's fifth power; how
    frequent facets are in the place where they are rarest, in that where they are not, and in that nearest to the mirror direction,
    over the lobe's peak; the least cosine of the normal and the way to a place."""
    px, py, pz = point
    nx, ny, nz = normal
    vx, vy, vz = view
    half = _HALVING if light[0] == _ROUND else _GAUSS
    seen_root = shadowing(n_v, square)
    plain = fifths = most = nearest = _ZERO
    least = lowest = _ONE
    facing = nx * vx + ny * vy + nz * vz
    mirrored = _TWO * facing * nx - vx, _TWO * facing * ny - vy, _TWO * facing * nz - vz
    for k in range(5):
        if k < 4:
            u, v = half * _PLACES[k, 0], half * _PLACES[k, 1]
        else:
            u, v = _nearest_place(light, point, mirrored)
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
        often *= often
        if k == 4:
            nearest = often
            continue
        least, most = min(least, often), max(most, often)
        tilt, n_l = -(lx * light[4] + ly * light[5] + lz * light[6]), lx * nx + ly * ny + lz * nz
        lowest = min(lowest, n_l)
        if tilt <= _ZERO or n_l <= _ZERO:
            continue
        rest = _ONE - min(_ONE, max(_ZERO, (hx * vx + hy * vy + hz * vz) * scale))
        own = ggx_lobe(n_l, n_v, n_h, square, seen_root) * n_l * (area / (_FOUR * _PI)) * tilt / far
        plain += own
        fifths += own * (rest * rest) * (rest * rest) * rest
    return plain, fifths, least, most, nearest, lowest


@inlined_kernel
def _alike(least, most, still, no_longer):  # type: ignore[no-untyped-def]
    """How alike the least and the most of something are: 1 where one is so many times the other at most, 0 from so many times on, smoothly."""
    part = min(_ONE, max(_ZERO, (no_longer * least - most) / ((no_longer - still) * least + _TINY)))
    return part * part * (_THREE - _TWO * part)


@kernel
def area_highlight(light, point, normal, view, square, rough, reflectance, straight, table):  # type: ignore[no-untyped-def]
    """(Lobe, Schlick's fifth power) of a flat light's row at a point, as ``metal_rough.highlight_lobe`` has it of a direction, times the
    light's strength; normal and view are unit vectors.

    square is roughness to the fourth; reflectance the scale and bias of ``reflectance.reflectance_table``; straight what the surface
    reflects straight ahead; table as in ``lighting.Shining``. Where lobes hardly change across the light, four places of it tell of all;
    else the linear lobe does, but for its tails, which are too weak.
    """
    px, py, pz = point
    nx, ny, nz = normal
    vx, vy, vz = view
    facing = nx * vx + ny * vy + nz * vz
    n_v = min(_ONE, max(facing, np.float32(1e-3)))
    front = (px - light[1]) * light[4] + (py - light[2]) * light[5] + (pz - light[3]) * light[6]
    if front <= _ZERO:
        return _ZERO, _ZERO
    area, glow = area_and_glow(light)
    own, own_fifths, least, most, nearest, lowest = _by_places(light, point, normal, view, n_v, square, area)
    # The peak may lie between the places.
    peak = max(most, nearest)
    wx, wy, wz = light[1] - px, light[2] - py, light[3] - pz
    across2, up2 = half_extents2(light)
    wide = max(across2, up2) / max(wx * wx + wy * wy + wz * wz, _TINY)
    sure = min(_ONE, max(_ZERO, (_LARGE - wide) * _INTO_LARGE)) * min(_ONE, max(_ZERO, _LOW * lowest))
    even = sure * _alike(least, most, _EVEN, _UNEVEN) * _alike(most, peak, _MET, _MISSED)
    if even >= _ONE:
        return own * glow, own_fifths / own if own > _TINY else _ZERO
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
    plain, fifths = held * (scale + bias), held * bias
    if held < _MOST:
        # Nothing leaps where one becomes more than the other: Schlick's fifth powers differ there.
        apart = _APART * (own - plain) / max(plain, _TINY)
        steep = sure * min(_ONE, max(_ZERO, (_STEEP - n_v) * _INTO_STEEP))
        more = max(min(apart, _ONE), min(_TWO - held / _LITTLE, _ONE)) * _alike(least, most, _ALIKE, _UNLIKE)
        less = min(-apart, _ONE) * steep * _alike(least, peak, _SAME, _OTHER)
        part = max(max(more, less), even)
        part *= min(_ONE, (_MOST - held) * _INTO_MOST)
        plain, fifths = plain + part * (own - plain), fifths + part * (own_fifths - fifths)
    return plain * glow, fifths / plain if plain > _TINY else _ZERO


@kernel
def disc_of(towards, arriving, half2):  # type: ignore[no-untyped-def]
    """The row of a disc that looks as a sun or a ball of light does from where that is seen (``ORIGIN``): the unit direction of its middle, arriving and
    half2 as in ``lighting.reach``."""
    lx, ly, lz = towards
    # The disc of the same border that stands one unit away.
    sine2 = _FOUR * half2
    wide = math.sqrt(sine2 / (_ONE - sine2))
    ax, ay, az, ux, uy, uz = sideways(lx, ly, lz)
    disc = np.zeros(_LIGHT_ROW, np.float32)
    disc[0] = _ROUND
    disc[1], disc[2], disc[3] = lx, ly, lz
    disc[4], disc[5], disc[6] = -lx, -ly, -lz
    disc[10], disc[11], disc[12] = wide * ax, wide * ay, wide * az
    disc[13], disc[14], disc[15] = wide * ux, wide * uy, wide * uz
    # From straight above it gives what arrives.
    disc[19] = arriving / (_ONE - sine2)
    return disc
