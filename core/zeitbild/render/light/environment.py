"""The environment, generated or a picture, and what surfaces take from it: blurred reflections and diffuse light.

Reflections are kept blurred for a row of roughnesses (the split-sum approximation: Karis, SIGGRAPH 2013 course
on physically based shading, with the view along the normal) as octahedral pictures; the second factor of the sum depends on no
environment and is tabulated once. Diffuse light is the cosine-weighted mean.
"""

from __future__ import annotations

import math
from functools import lru_cache

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL, kernel, parallel_kernel
from zeitbild.render.light.octahedral import texel_directions, texel_solid_angles
from zeitbild.snapshot.surroundings import EnvironmentLight
from zeitbild.surroundings import Colours
from zeitbild.surroundings import kinds as surroundings
from zeitbild.surroundings._base import inside, lit

#: Directions that are worked on side by side.
_LANES = 32
_ZERO, _HALF, _ONE = np.float32(0), np.float32(0.5), np.float32(1)
#: Roughness of each blurred picture, from the sharpest lobe of the model on: what lobes are wide goes by the square of it, so that each is
#: about twice as wide as the one before.
SHARPEST, LEVEL_COUNT = 0.04, 10
LEVELS = SHARPEST + (1 - SHARPEST) * (np.arange(LEVEL_COUNT) / (LEVEL_COUNT - 1)) ** 2
#: Texels a side of each level's octahedral picture at most, the mirror first and diffuse light last: a third of a lobe each.
_WANTED = (1024, 512, 384, 192, 96, 48, 32, 24, 24, 24, 24)
#: Directions of a lobe that are looked at, from the first level after the mirror on; beyond these all of the sphere is added up.
_LOOKS = (16, 32, 64, 128)
#: Texels a side of what is looked at for lobes at least, and of what is added up.
_BASE, _SOURCE = 256, 64
#: Texels a side of the mirror at most: of surroundings by formula, whose borders are soft, and of pictures.
SOFT_SIDE, FINE_SIDE = 256, 1024
#: In front of the texels stand, three a row, how many a side each level has and where it begins.
CONTENTS = -(-2 * (LEVEL_COUNT + 1) // 3)
_TABLE = 32
#: Reflectance of dielectrics at normal incidence (glTF 2.0, appendix B.3.3).
_DIELECTRIC = 0.04
_TABLE_SAMPLES = 1024


def radiance(light: EnvironmentLight, directions: NDArray[np.float64], *, fine: bool = False) -> NDArray[np.float64]:
    """Linear radiance [..., 3] arriving from unit directions [..., 3]; fine takes all that a picture holds."""
    azimuth = np.degrees(np.arctan2(directions[..., 0], directions[..., 2])) - light.rotation
    elevation = np.degrees(np.arcsin(np.clip(directions[..., 1], -1, 1)))
    if light.picture is not None:
        result = light.picture.towards((azimuth + 180) % 360 - 180, elevation, fine=fine)
    else:
        result = _generated(light, azimuth, elevation)
    return light.strength * result + _boxes(light, azimuth, elevation)


def _generated(
    light: EnvironmentLight, azimuth: NDArray[np.float64], elevation: NDArray[np.float64]
) -> NDArray[np.float64]:
    colours = Colours(light.sky, light.horizon, light.floor, light.lamps, light.spread)
    return surroundings.get(light.formula).radiance(colours, azimuth, elevation)


def _boxes(
    light: EnvironmentLight, azimuth: NDArray[np.float64], elevation: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Radiance [..., 3] of the softboxes that were placed."""
    result = np.zeros((*azimuth.shape, 3))
    for box in light.softboxes:
        tint = light.sky if box.colour is None else box.colour
        middle, half = (box.azimuth, box.elevation), (box.half_width, box.half_height)
        result = result + lit(inside(azimuth + light.rotation, elevation, middle, half) * box.strength, tint)
    return result


@parallel_kernel
def _mean(directions, squares, sources, energies, out):  # type: ignore[no-untyped-def]
    """What arrives about each direction in the mean, weighted by GGX D(h) (n.l); view and normal are one.

    directions [n, 3]; squares [n] roughness to the fourth, 1 for the cosine alone (diffuse light); sources [m, 3] unit
    directions; energies [m, 4] solid angles and radiance times these; out [n, 3]. All float32.
    """
    count = directions.shape[0]
    for batch in numba.prange((count + _LANES - 1) // _LANES):
        # Many directions side by side, so that the loop over them becomes vector instructions: direction, square less
        # one, four sums.
        rows = np.zeros((8, _LANES), np.float32)
        first = batch * _LANES
        used = min(_LANES, count - first)
        for i in range(used):
            rows[0, i], rows[1, i], rows[2, i] = (
                directions[first + i, 0],
                directions[first + i, 1],
                directions[first + i, 2],
            )
            rows[3, i] = squares[first + i] - _ONE
        for j in range(sources.shape[0]):
            x, y, z = sources[j, 0], sources[j, 1], sources[j, 2]
            size, red, green, blue = energies[j, 0], energies[j, 1], energies[j, 2], energies[j, 3]
            for i in range(_LANES):
                cosine = rows[0, i] * x + rows[1, i] * y + rows[2, i] * z
                spread = (_ONE + cosine) * _HALF * rows[3, i] + _ONE
                # The numerator of D is the same for all sources, and falls out of the mean.
                weight = (cosine if cosine > _ZERO else _ZERO) / (spread * spread)
                rows[4, i] += weight * size
                rows[5, i] += weight * red
                rows[6, i] += weight * green
                rows[7, i] += weight * blue
        for i in range(used):
            for k in range(3):
                out[first + i, k] = rows[5 + k, i] / rows[4, i]


def sides_of(side: int) -> tuple[int, ...]:
    """Texels a side of all levels and of diffuse light, if the mirror has so many."""
    return tuple(min(one, side) for one in _WANTED)


def starts_of(side: int) -> tuple[int, ...]:
    """The row at which each of these begins; each has a border of one texel."""
    sizes = [(one + 2) ** 2 for one in sides_of(side)]
    return tuple(CONTENTS + sum(sizes[:level]) for level in range(len(sizes)))


@lru_cache(maxsize=8)
def _blurred_rows(side: int) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Directions [n, 3] of the texels of all levels for which all of the sphere is added up, and the roughness to the fourth [n] of each."""
    # At roughness 1 the lobe is the cosine alone: so is diffuse light.
    first = 1 + len(_LOOKS)
    squares = [*(LEVELS[first:] ** 4), 1.0]
    flat = [texel_directions(one).reshape(-1, 3) for one in sides_of(side)[first:]]
    each = [np.full(len(rows), square) for rows, square in zip(flat, squares, strict=True)]
    return np.concatenate(flat).astype(np.float32), np.concatenate(each).astype(np.float32)


def _seen(light: EnvironmentLight, side: int) -> NDArray[np.float32]:
    """Radiance [side + 2, side + 2, 3] from all directions of an octahedral picture."""
    directions = texel_directions(side)
    found = np.empty(directions.shape, np.float32)
    fine = side > SOFT_SIDE
    for row in range(0, side + 2, 64):
        found[row : row + 64] = radiance(light, directions[row : row + 64], fine=fine)
    return found


def _halved(picture: NDArray[np.float32]) -> NDArray[np.float32]:
    """An octahedral picture with half as many texels a side, its border folded over as in ``octahedral``."""
    inner = picture[1:-1, 1:-1]
    side = len(inner) // 2
    solid = texel_solid_angles(2 * side).astype(np.float32)[..., None]
    energies, sizes = ((one.reshape(side, 2, side, 2, -1).sum(axis=(1, 3))) for one in (inner * solid, solid))
    out = np.empty((side + 2, side + 2, 3), np.float32)
    out[1:-1, 1:-1] = energies / sizes
    out[0, 1:-1], out[-1, 1:-1] = out[1, -2:0:-1], out[-2, -2:0:-1]
    out[1:-1, 0], out[1:-1, -1] = out[-2:0:-1, 1], out[-2:0:-1, -2]
    out[0, 0] = out[0, -1] = out[-1, 0] = out[-1, -1] = (out[1, 1] + out[1, -2] + out[-2, 1] + out[-2, -2]) / 4
    return out


def _lobe(level: int, base: int) -> NDArray[np.float32]:
    """Directions of GGX's lobe about its mirror direction, normal and view being one: [n, 5], unit vectors of which the third number is along
    it, the weight of each, and which halving of a picture of ``base`` texels a side is as coarse as these directions lie apart (filtered
    importance sampling: Krivanek and Colbert 2008)."""
    count = _LOOKS[level - 1]
    index = np.arange(count)
    inverse = np.array([int(f"{i:010b}"[::-1], 2) / 1024 for i in index]) + 0.5 / count
    azimuth, square = 2 * math.pi * (index + 0.5) / count, LEVELS[level] ** 4
    cosine = np.sqrt((1 - inverse) / (1 + (square - 1) * inverse))
    sine = np.sqrt(1 - cosine**2)
    # The mirror image of the normal in the half vector.
    along, across = 2 * cosine**2 - 1, 2 * cosine * sine
    density = square / (math.pi * (cosine**2 * (square - 1) + 1) ** 2) / 4
    apart = 0.5 * np.log2(1 / (count * density) / (4 * math.pi / base**2))
    rows = [across * np.cos(azimuth), across * np.sin(azimuth), along, np.maximum(along, 0), np.maximum(apart, 0)]
    found: NDArray[np.float32] = np.stack(rows, axis=1).astype(np.float32)[along > 0]
    return found


@kernel
def _texel(texels, start, side, x, y, z):  # type: ignore[no-untyped-def]
    """Bilinear value (three numbers) of an octahedral picture with a border that begins at row start, in a direction of any length."""
    scale = _ONE / (abs(x) + abs(y) + abs(z))
    u, v = x * scale, z * scale
    if y < _ZERO:
        u, v = (_ONE - abs(v)) * (_ONE if u >= _ZERO else -_ONE), (_ONE - abs(u)) * (_ONE if v >= _ZERO else -_ONE)
    half = np.float32(side) * _HALF
    column, row = (u + _ONE) * half + _HALF, (v + _ONE) * half + _HALF
    c, r = min(max(int(column), 0), side), min(max(int(row), 0), side)
    a, b = column - np.float32(c), row - np.float32(r)
    first = start + r * (side + 2) + c
    under = first + side + 2
    w, x0, y0, z0 = (_ONE - a) * (_ONE - b), a * (_ONE - b), (_ONE - a) * b, a * b
    return (
        texels[first, 0] * w + texels[first + 1, 0] * x0 + texels[under, 0] * y0 + texels[under + 1, 0] * z0,
        texels[first, 1] * w + texels[first + 1, 1] * x0 + texels[under, 1] * y0 + texels[under + 1, 1] * z0,
        texels[first, 2] * w + texels[first + 1, 2] * x0 + texels[under, 2] * y0 + texels[under + 1, 2] * z0,
    )


@parallel_kernel
def _through_lobes(directions, lobe, texels, starts, sides, out):  # type: ignore[no-untyped-def]
    """What arrives about each direction [n, 3], by the directions of a lobe (``_lobe``): out [n, 3]. texels [m, 3] hold a picture and its
    halves, which begin at starts and have so many sides."""
    last = starts.shape[0] - 1
    for i in numba.prange(directions.shape[0]):
        x, y, z = directions[i, 0], directions[i, 1], directions[i, 2]
        # Two directions across it (Duff and others 2017).
        sign = _ONE if z >= _ZERO else -_ONE
        a = -_ONE / (sign + z)
        b = x * y * a
        red = green = blue = total = _ZERO
        for j in range(lobe.shape[0]):
            p, q, r, weight = lobe[j, 0], lobe[j, 1], lobe[j, 2], lobe[j, 3]
            wx = p * (_ONE + sign * x * x * a) + q * b + r * x
            wy = p * sign * b + q * (sign + y * y * a) + r * y
            wz = -p * sign * x - q * y + r * z
            coarse = min(lobe[j, 4], np.float32(last))
            level = min(int(coarse), max(last - 1, 0))
            blend = coarse - np.float32(level)
            near_r, near_g, near_b = _texel(texels, starts[level], sides[level], wx, wy, wz)
            after = min(level + 1, last)
            far_r, far_g, far_b = _texel(texels, starts[after], sides[after], wx, wy, wz)
            red += weight * (near_r + (far_r - near_r) * blend)
            green += weight * (near_g + (far_g - near_g) * blend)
            blue += weight * (near_b + (far_b - near_b) * blend)
            total += weight
        out[i, 0], out[i, 1], out[i, 2] = red / total, green / total, blue / total


def _sources(
    light: EnvironmentLight, halves: list[NDArray[np.float32]]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Unit directions [m, 3] that cover the sphere, and of each the solid angle and radiance times that [m, 4]."""
    if light.picture is None:
        picture = next(one for one in halves if len(one) - 2 <= _SOURCE)
        side = len(picture) - 2
        sources, solid = texel_directions(side)[1:-1, 1:-1].reshape(-1, 3), texel_solid_angles(side).reshape(-1)
        values = picture[1:-1, 1:-1].reshape(-1, 3).astype(np.float64)
    else:
        # As a whole, so that a sun of one pixel keeps its light.
        azimuth, elevation, solid = light.picture.sources()
        flat, up = np.radians(azimuth + light.rotation), np.radians(elevation)
        sources = np.stack([np.cos(up) * np.sin(flat), np.sin(up), np.cos(up) * np.cos(flat)], axis=1)
        values = light.strength * light.picture.coarse.reshape(-1, 3).astype(np.float64)
        values += _boxes(light, azimuth, elevation)
    return sources, np.column_stack([solid, values * solid[:, None]])


def _made(light: EnvironmentLight, side: int) -> NDArray[np.float32]:
    sides, starts = sides_of(side), starts_of(side)
    maps = np.zeros((starts[-1] + (sides[-1] + 2) ** 2, 3), np.float32)
    contents = maps[:CONTENTS].reshape(-1)
    contents[: len(sides)], contents[len(sides) : 2 * len(sides)] = sides, starts
    # A picture has far finer things than what is looked at for it.
    halves = [_seen(light, FINE_SIDE if side > SOFT_SIDE else max(side, _BASE))]
    while len(halves[-1]) - 2 > 16:
        halves.append(_halved(halves[-1]))
    mirror = next(one for one in halves if len(one) - 2 == side)
    maps[starts[0] : starts[1]] = mirror.reshape(-1, 3)
    texels, own_sides = np.concatenate([one.reshape(-1, 3) for one in halves]), [len(one) - 2 for one in halves]
    own_starts = np.cumsum([0, *((one + 2) ** 2 for one in own_sides[:-1])])
    sources, energies = _sources(light, halves)
    with PARALLEL:
        for level in range(1, 1 + len(_LOOKS)):
            directions = texel_directions(sides[level]).reshape(-1, 3).astype(np.float32)
            out = maps[starts[level] : starts[level + 1]]
            _through_lobes(directions, _lobe(level, own_sides[0]), texels, own_starts, np.array(own_sides), out)
        rest = maps[starts[1 + len(_LOOKS)] :]
        _mean(*_blurred_rows(side), sources.astype(np.float32), energies.astype(np.float32), rest)
    maps.flags.writeable = False
    return maps


_made_small, _made_large = lru_cache(maxsize=24)(_made), lru_cache(maxsize=4)(_made)


def environment_maps(light: EnvironmentLight, side: int = SOFT_SIDE) -> NDArray[np.float32]:
    """Octahedral pictures of ``sides_of`` one after the other [rows, 3] float32: mirror, blurred reflections, diffuse last; before them, in
    CONTENTS rows, their sides and where they begin (``starts_of``). side is that of the mirror, a power of two."""
    maps: NDArray[np.float32] = (_made_large if side > SOFT_SIDE else _made_small)(light, side)
    return maps


def _facings() -> NDArray[np.float64]:
    """Cosines of the table's rows; the least is that of ``metal_rough.LEAST_COSINE``."""
    return np.maximum(np.arange(_TABLE) / (_TABLE - 1), 1e-3)


@lru_cache(maxsize=1)
def reflectance_table() -> NDArray[np.float32]:
    """Scale and bias [32, 32, 2] of the normal-incidence reflectance, by n.v (rows) and roughness (columns), in one row; then,
    for each roughness, what a dielectric mirrors as a polynomial [32, 4] (``metal_rough.matt_fit``).

    Integral of the GGX reflection lobe with height-correlated Smith visibility and Schlick's Fresnel term (glTF 2.0,
    appendix B), by importance sampling with a Hammersley set.
    """
    index = np.arange(_TABLE_SAMPLES)
    inverse = np.array([int(f"{i:010b}"[::-1], 2) / _TABLE_SAMPLES for i in index]) + 0.5 / _TABLE_SAMPLES
    azimuth = 2 * math.pi * (index + 0.5) / _TABLE_SAMPLES
    table = np.empty((_TABLE, _TABLE, 2))
    for column, rough in enumerate(np.arange(_TABLE) / (_TABLE - 1)):
        # As sharp as the model's lobes get.
        square = max(rough**2, 0.0016) ** 2
        cosine = np.sqrt((1 - inverse) / (1 + (square - 1) * inverse))
        sine = np.sqrt(1 - cosine**2)
        for row, facing in enumerate(_facings()):
            view_x, view_z = math.sqrt(1 - facing**2), facing
            view_half = np.maximum(view_x * sine * np.cos(azimuth) + view_z * cosine, 0)
            light_z = 2 * view_half * cosine - view_z
            lit = light_z > 0
            n_l, n_h, v_h = light_z[lit], cosine[lit], view_half[lit]
            visible = (
                2
                * n_l
                / (
                    n_l * math.sqrt(facing**2 * (1 - square) + square)
                    + facing * np.sqrt(n_l**2 * (1 - square) + square)
                )
            )
            weight = visible * v_h * facing / (n_h * facing)
            fresnel = (1 - v_h) ** 5
            table[row, column] = (
                (weight * (1 - fresnel)).sum() / _TABLE_SAMPLES,
                (weight * fresnel).sum() / _TABLE_SAMPLES,
            )
    facing = _facings()
    powers = np.stack([np.ones(_TABLE), (1 - facing) ** 2, (1 - facing) ** 5], axis=1)
    fits = np.empty((_TABLE, 4))
    for column in range(_TABLE):
        scale, bias = table[:, column].T
        lost = 1 / (scale + bias) - 1
        mirrored = (_DIELECTRIC * scale + bias) * (1 + _DIELECTRIC * lost)
        # Weighed by the cosine, as light that arrives evenly is.
        root = np.sqrt(facing)[:, None]
        fits[column, :3] = np.linalg.lstsq(powers * root, mirrored * root[:, 0], rcond=None)[0]
        # The mean of (1 - cosine)^k so weighed is 2 / ((k + 1) (k + 2)).
        fits[column, 3] = 1 / (1 - fits[column, 0] - fits[column, 1] / 6 - fits[column, 2] / 21)
    result = np.concatenate([table.reshape(-1), fits.reshape(-1)]).astype(np.float32)
    result.flags.writeable = False
    return result
