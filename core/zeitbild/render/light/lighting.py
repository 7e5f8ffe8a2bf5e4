"""Lights as rows of numbers, how much of each reaches a point, and where on it shadow rays go.

Direct light is what would arrive if nothing stood between; shadow rays then tell which share of the light is seen.
Diffuse light of flat lights is exact (Lambert's formula for polygons: Johann Heinrich Lambert, Photometria 1760; as
printed in Arvo 1995, Analytic Methods for Simulated Light Transport, equation 2.11), so is that of balls and suns, cut off at the horizon. The
highlights of all that has a size are in ``area_highlights``.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import inlined_kernel, kernel
from zeitbild.snapshot.lights import LightSource

#: Columns of a light's row.
KIND, POSITION, DIRECTION, COLOUR, ACROSS, UP, SIZE, INNER, OUTER, REACH2, SHADOWS = (
    0,
    1,
    4,
    7,
    10,
    13,
    16,
    17,
    18,
    19,
    20,
)
ROW = 21
SUN, BALL, FLAT, ROUND = 0.0, 1.0, 2.0, 3.0
_SHAPES = {"sun": SUN, "sphere": BALL, "rectangle": FLAT, "disc": ROUND}
_SUN, _BALL, _FLAT, _ROUND = np.float32(SUN), np.float32(BALL), np.float32(FLAT), np.float32(ROUND)

_ZERO, _QUARTER, _ONE, _TWO, _THREE = (np.float32(value) for value in (0, 0.25, 1, 2, 3))
#: Sine of the angle that a ball of light fills at most: to whom stands inside.
_WIDEST = np.float32(0.999)
_PI, _TINY, _FAR = np.float32(math.pi), np.float32(1e-12), np.float32(1e30)
#: Corners of the polygon of the same area that stands for a disc.
_CORNERS = 16
_turn = 2 * np.pi * (np.arange(_CORNERS) + 0.5) / _CORNERS
_DISC_SCALE = math.sqrt(math.pi / (_CORNERS / 2 * math.sin(2 * math.pi / _CORNERS)))
POLYGON = (np.stack([np.cos(_turn), np.sin(_turn)], axis=1) * _DISC_SCALE).astype(np.float32)
SQUARE = np.array([[1, 1], [-1, 1], [-1, -1], [1, -1]], np.float32)


class Shining(NamedTuple):
    """What shines on surfaces, as kernels take it.

    rows [L, ROW] of ``light_rows``; touched [L, F] uint8 tells which finishes a light lights; ambients [F, 3]; maps and table of
    ``environment``, each in one row.
    """

    rows: NDArray[np.float32]
    touched: NDArray[np.uint8]
    ambients: NDArray[np.float32]
    maps: NDArray[np.float32]
    table: NDArray[np.float32]


def light_rows(sources: Sequence[LightSource]) -> NDArray[np.float32]:
    """One row [L, ROW] for each light but the ambient ones, in their order."""
    standing = [source for source in sources if source.shape != "ambient"]
    rows = np.zeros((len(standing), ROW), np.float32)
    for row, source in zip(rows, standing, strict=True):
        row[KIND] = _SHAPES[source.shape]
        row[POSITION : POSITION + 3] = source.position
        row[DIRECTION : DIRECTION + 3] = source.direction
        row[COLOUR : COLOUR + 3] = source.colour
        row[ACROSS : ACROSS + 3], row[UP : UP + 3] = source.across, source.up
        if source.shape == "sun":
            # Half extents of its disc as seen one unit away, so that shadow rays treat it like any flat light.
            basis = np.array(sideways(*(np.float32(value) for value in source.direction))) * math.tan(source.size)
            row[ACROSS : ACROSS + 3], row[UP : UP + 3] = basis[:3], basis[3:]
        row[SIZE] = source.size
        row[INNER], row[OUTER] = source.cone
        row[REACH2] = source.reach**2
        row[SHADOWS] = source.shadows
    return rows


@kernel
def polygon_light(px, py, pz, nx, ny, nz, light, corners):  # type: ignore[no-untyped-def]
    """Share of a matt surface's half sphere that a flat light fills, weighted by the cosine: its form factor, 0..1.

    Point p, unit normal n, the light's row, its corners in units of its half extents; what lies below the horizon is cut.
    """
    total = _ZERO
    count = corners.shape[0]
    entry_x = entry_y = entry_z = _ZERO
    exit_x = exit_y = exit_z = _ZERO
    cut = 0
    for k in range(count):
        u0, v0 = corners[k, 0], corners[k, 1]
        u1, v1 = corners[(k + 1) % count, 0], corners[(k + 1) % count, 1]
        ax = light[1] + u0 * light[10] + v0 * light[13] - px
        ay = light[2] + u0 * light[11] + v0 * light[14] - py
        az = light[3] + u0 * light[12] + v0 * light[15] - pz
        bx = light[1] + u1 * light[10] + v1 * light[13] - px
        by = light[2] + u1 * light[11] + v1 * light[14] - py
        bz = light[3] + u1 * light[12] + v1 * light[15] - pz
        height_a, height_b = ax * nx + ay * ny + az * nz, bx * nx + by * ny + bz * nz
        if height_a <= _ZERO and height_b <= _ZERO:
            continue
        if height_a < _ZERO or height_b < _ZERO:
            share = height_a / (height_a - height_b)
            mx, my, mz = ax + share * (bx - ax), ay + share * (by - ay), az + share * (bz - az)
            cut += 1
            if height_a < _ZERO:
                ax, ay, az = mx, my, mz
                entry_x, entry_y, entry_z = mx, my, mz
            else:
                bx, by, bz = mx, my, mz
                exit_x, exit_y, exit_z = mx, my, mz
        total += edge_light(ax, ay, az, bx, by, bz, nx, ny, nz)
    if cut == 2:
        total += edge_light(exit_x, exit_y, exit_z, entry_x, entry_y, entry_z, nx, ny, nz)
    return abs(total) / (_TWO * _PI)


@kernel
def edge_light(ax, ay, az, bx, by, bz, nx, ny, nz):  # type: ignore[no-untyped-def]
    """Angle between two directions times the cosine between the normal and the plane that they span."""
    cx, cy, cz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
    length = math.sqrt(cx * cx + cy * cy + cz * cz)
    if length <= _TINY:
        return _ZERO
    angle = math.atan2(length, ax * bx + ay * by + az * bz)
    return np.float32(angle * (cx * nx + cy * ny + cz * nz) / length)


@kernel
def disc_share(cosine, sine):  # type: ignore[no-untyped-def]
    """Diffuse light of a disc of even radiance, as seen: of the angular radius whose sine is given, about a direction whose cosine with the normal
    is given; over what it gives from straight above. What lies below the horizon is cut off (a circular segment's integral: Lagarde
    and de Rousiers, SIGGRAPH 2014 course on physically based shading, section on sphere lights)."""
    if cosine >= sine:
        return cosine
    if cosine <= -sine:
        return _ZERO
    aside, far = math.sqrt(max(_ONE - cosine * cosine, _TINY)), math.sqrt(max(_ONE / (sine * sine) - _ONE, _TINY))
    y = min(_ONE, max(-_ONE, -far * cosine / aside))
    chord = aside * math.sqrt(_ONE - y * y)
    return max(_ZERO, (cosine * math.acos(y) - far * chord + math.atan(chord / far) / (sine * sine)) / _PI)


@kernel
def reach(light, px, py, pz, nx, ny, nz):  # type: ignore[no-untyped-def]
    """Unshadowed light of one row at a point p of unit normal n: (diffuse, arriving, x, y, z, half2).

    ``diffuse`` is what a white matt surface radiates for a white light of strength 1; (x, y, z) the unit direction of the light's middle.
    Of suns and balls ``arriving`` is what one that faced them would radiate, half2 the square of half of the angle's sine from
    their middle to their border; of flat lights both are 0.
    """
    kind = light[0]
    if kind == _SUN:
        lx, ly, lz = -light[4], -light[5], -light[6]
        cosine = nx * lx + ny * ly + nz * lz
        sine = math.sin(light[16])
        return (
            disc_share(cosine, sine) if sine > _ZERO else max(_ZERO, cosine),
            _ONE,
            lx,
            ly,
            lz,
            _QUARTER * sine * sine,
        )
    lx, ly, lz = light[1] - px, light[2] - py, light[3] - pz
    square = max(lx * lx + ly * ly + lz * lz, _TINY)
    distance = math.sqrt(square)
    lx, ly, lz = lx / distance, ly / distance, lz / distance
    if kind == _BALL:
        fading = light[19] / square
        if light[18] > -_ONE:
            leaning = -(lx * light[4] + ly * light[5] + lz * light[6])
            inside = (leaning - light[18]) / max(light[17] - light[18], np.float32(1e-6))
            inside = min(_ONE, max(_ZERO, inside))
            fading *= inside * inside * (_THREE - _TWO * inside)
        if fading <= _ZERO:
            return _ZERO, _ZERO, lx, ly, lz, _ZERO
        cosine = nx * lx + ny * ly + nz * lz
        sine = min(light[16] / distance, _WIDEST)
        diffuse = disc_share(cosine, sine) if sine > _ZERO else max(_ZERO, cosine)
        return diffuse * fading, fading, lx, ly, lz, _QUARTER * sine * sine
    # Flat lights shine from their front only.
    front = -(lx * light[4] + ly * light[5] + lz * light[6]) * distance
    if front <= _ZERO:
        return _ZERO, _ZERO, lx, ly, lz, _ZERO
    _, glow = area_and_glow(light)
    factor = polygon_light(px, py, pz, nx, ny, nz, light, POLYGON if kind == _ROUND else SQUARE)
    return factor * glow, _ZERO, lx, ly, lz, _ZERO


@inlined_kernel
def half_extents2(light):  # type: ignore[no-untyped-def]
    """Squares of both half extents of a flat light's row (square units)."""
    across2 = light[10] * light[10] + light[11] * light[11] + light[12] * light[12]
    return across2, light[13] * light[13] + light[14] * light[14] + light[15] * light[15]


@kernel
def area_and_glow(light):  # type: ignore[no-untyped-def]
    """Area (square units) and radiance of a flat light's row, such that on its axis, far away, the light falls to 1 at its reach."""
    across2, up2 = half_extents2(light)
    area = _PI * across2 if light[0] == _ROUND else np.float32(4) * math.sqrt(across2 * up2)
    return area, _PI * light[19] / area


@inlined_kernel
def light_point(light, px, py, pz, a, b):  # type: ignore[no-untyped-def]
    """(x, y, z, distance): where a shadow ray goes from p; a and b in -1..1 choose a place on the light (``spread``)."""
    if light[0] == _SUN:
        lx = a * light[10] + b * light[13] - light[4]
        ly = a * light[11] + b * light[14] - light[5]
        lz = a * light[12] + b * light[15] - light[6]
        scale = _ONE / math.sqrt(lx * lx + ly * ly + lz * lz)
        return lx * scale, ly * scale, lz * scale, _FAR
    lx, ly, lz = light[1] - px, light[2] - py, light[3] - pz
    if light[0] == _BALL:
        if light[16] > _ZERO:
            scale = _ONE / math.sqrt(max(lx * lx + ly * ly + lz * lz, _TINY))
            ax, ay, az, bx, by, bz = sideways(lx * scale, ly * scale, lz * scale)
            a, b = a * light[16], b * light[16]
            lx, ly, lz = lx + a * ax + b * bx, ly + a * ay + b * by, lz + a * az + b * bz
    else:
        lx = lx + a * light[10] + b * light[13]
        ly = ly + a * light[11] + b * light[14]
        lz = lz + a * light[12] + b * light[15]
    distance = math.sqrt(max(lx * lx + ly * ly + lz * lz, _TINY))
    scale = _ONE / distance
    return lx * scale, ly * scale, lz * scale, distance


@inlined_kernel
def has_borders(light):  # type: ignore[no-untyped-def]
    """Whether a light's row is of one with a size that casts shadows: parts of it may be seen."""
    return light[20] > _ZERO and (light[0] >= _FLAT or light[16] > _ZERO)


def with_borders(rows: NDArray[np.float32]) -> NDArray[np.bool_]:
    """``has_borders`` of each of some rows [L]."""
    bordered: NDArray[np.bool_] = (rows[:, SHADOWS] > 0) & ((rows[:, KIND] >= FLAT) | (rows[:, SIZE] > 0))
    return bordered


@kernel
def angle_filled(light, px, py, pz):  # type: ignore[no-untyped-def]
    """About what solid angle (sr) a light that has a size fills, seen from p."""
    if light[0] == _SUN:
        sine = np.float32(math.sin(light[16]))
        return _PI * sine * sine
    wx, wy, wz = light[1] - px, light[2] - py, light[3] - pz
    square = max(wx * wx + wy * wy + wz * wz, _TINY)
    if light[0] == _BALL:
        return _PI * min(light[16] * light[16] / square, _ONE)
    area, _ = area_and_glow(light)
    facing = abs(wx * light[4] + wy * light[5] + wz * light[6]) / math.sqrt(square)
    # Of one that is near not all is as near as its middle.
    return area * facing / (square + area / _PI)


@kernel
def distance_to(light, px, py, pz, lx, ly, lz):  # type: ignore[no-untyped-def]
    """How far from p a ray along the unit vector l meets a light that has a size, 0 if it does not: the places that ``light_point`` chooses."""
    if light[0] == _SUN:
        wx, wy, wz = -light[4], -light[5], -light[6]
    else:
        wx, wy, wz = light[1] - px, light[2] - py, light[3] - pz
    if light[0] == _BALL:
        far = wx * lx + wy * ly + wz * lz
        off2 = wx * wx + wy * wy + wz * wz - far * far
        return far if far > _ZERO and off2 < light[16] * light[16] else _ZERO
    ax, ay, az, bx, by, bz = light[10], light[11], light[12], light[13], light[14], light[15]
    gx, gy, gz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
    into = gx * lx + gy * ly + gz * lz
    across2, up2 = half_extents2(light)
    if into == _ZERO or across2 <= _ZERO or up2 <= _ZERO:
        return _ZERO
    far = (gx * wx + gy * wy + gz * wz) / into
    if far <= _ZERO:
        return _ZERO
    x, y, z = far * lx - wx, far * ly - wy, far * lz - wz
    u, v = (x * ax + y * ay + z * az) / across2, (x * bx + y * by + z * bz) / up2
    inside = max(abs(u), abs(v)) <= _ONE if light[0] == _FLAT else u * u + v * v <= _ONE
    if not inside:
        return _ZERO
    return _FAR if light[0] == _SUN else far


def on_disc(points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Points [n, 2] of the unit square in the unit disc, area for area (Shirley and Chiu 1997, A Low Distortion Map
    Between Disk and Square)."""
    a, b = (2 * points - 1).T
    steep = np.abs(a) > np.abs(b)
    radius = np.where(steep, a, b)
    with np.errstate(divide="ignore", invalid="ignore"):
        turn = np.where(steep, math.pi / 4 * b / a, math.pi / 2 - math.pi / 4 * a / b)
    turn = np.where(radius == 0, 0, turn)
    return np.column_stack([radius * np.cos(turn), radius * np.sin(turn)])


@kernel
def sideways(x, y, z):  # type: ignore[no-untyped-def]
    """Two unit vectors square to a unit vector and to each other (Duff and others 2017, Building an Orthonormal Basis)."""
    sign = _ONE if z >= _ZERO else -_ONE
    a = -_ONE / (sign + z)
    b = x * y * a
    return _ONE + sign * x * x * a, sign * b, -sign * x, b, sign + y * y * a, -y
