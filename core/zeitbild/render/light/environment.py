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

from zeitbild.kernels import PARALLEL, parallel_kernel
from zeitbild.render.light.octahedral import texel_directions, texel_solid_angles
from zeitbild.snapshot.surroundings import EnvironmentLight
from zeitbild.surroundings import Colours
from zeitbild.surroundings import kinds as surroundings
from zeitbild.surroundings._base import inside, lit

_SOURCE = 32
#: Directions that are worked on side by side.
_LANES = 32
_ZERO, _HALF, _ONE = np.float32(0), np.float32(0.5), np.float32(1)
#: Roughness of each blurred picture; evenly spaced, so that a look-up finds its two neighbours by multiplying.
LEVELS = np.linspace(0.0, 1.0, 8)
#: Texels a side of each level's octahedral picture, the mirror first and diffuse light last: the smoother, the finer.
SIDES = (128, 64, 48, 32, 24, 24, 24, 24, 24)
#: Where each level begins in the list of all texels; each has a border of one texel.
OFFSETS = tuple(sum((side + 2) ** 2 for side in SIDES[:level]) for level in range(len(SIDES)))
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


@lru_cache(maxsize=1)
def _blurred_rows() -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Directions [n, 3] of the texels of all levels but the mirror, and the roughness to the fourth [n] of each."""
    # At roughness 1 the lobe is the cosine alone: so is diffuse light.
    squares = [*(LEVELS[1:] ** 4), 1.0]
    flat = [texel_directions(side).reshape(-1, 3) for side in SIDES[1:]]
    each = [np.full(len(rows), square) for rows, square in zip(flat, squares, strict=True)]
    return np.concatenate(flat).astype(np.float32), np.concatenate(each).astype(np.float32)


def _places() -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Directions [m, 3] that generated surroundings are taken from, and their solid angles [m]."""
    sources = np.ascontiguousarray(texel_directions(_SOURCE)[1:-1, 1:-1].reshape(-1, 3))
    return sources, texel_solid_angles(_SOURCE).reshape(-1)


def _blur(light: EnvironmentLight, out: NDArray[np.float32]) -> None:
    """All levels but the mirror into out [n, 3]. Hold ``PARALLEL``."""
    if light.picture is None:
        sources, solid = _places()
        values = radiance(light, sources)
    else:
        azimuth, elevation, solid = light.picture.sources()
        flat, up = np.radians(azimuth + light.rotation), np.radians(elevation)
        sources = np.stack([np.cos(up) * np.sin(flat), np.sin(up), np.cos(up) * np.cos(flat)], axis=1)
        values = light.strength * light.picture.coarse.reshape(-1, 3).astype(np.float64)
        values += _boxes(light, azimuth, elevation)
    energies = np.column_stack([solid, values * solid[:, None]]).astype(np.float32)
    _mean(*_blurred_rows(), sources.astype(np.float32), energies, out)


@lru_cache(maxsize=32)
def environment_maps(light: EnvironmentLight) -> NDArray[np.float32]:
    """Octahedral pictures of SIDES one after the other [texels, 3] float32: mirror, blurred reflections, diffuse last."""
    mirror = texel_directions(SIDES[0]).reshape(-1, 3)
    maps = np.empty((OFFSETS[-1] + (SIDES[-1] + 2) ** 2, 3), np.float32)
    maps[: len(mirror)] = radiance(light, mirror)
    with PARALLEL:
        _blur(light, maps[len(mirror) :])
    maps.flags.writeable = False
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
