"""The generated environment and what surfaces take from it: blurred reflections and diffuse light.

Reflections are kept blurred for a row of roughnesses (the split-sum approximation: Karis 2013, Real Shading in Unreal
Engine 4, with the view along the normal) as octahedral pictures; the second factor of the sum depends on no
environment and is tabulated once. Diffuse light is the cosine-weighted mean.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL, parallel_kernel
from zeitbild.lights.source import Softbox
from zeitbild.render.octahedral import texel_directions, texel_solid_angles

SIZE = 48
_SOURCE = 32
#: Roughness of each blurred picture; evenly spaced, so that a look-up finds its two neighbours by multiplying.
LEVELS = np.linspace(0.0, 1.0, 8)
_TABLE = 32
_TABLE_SAMPLES = 256


#: The studio that metal mirrors: a tall box at each side, a wide one above and a strip low in front.
STUDIO = (
    Softbox(62, 18, 16, 38, 2.6),
    Softbox(-68, 8, 10, 42, 1.9),
    Softbox(8, 68, 52, 14, 2.2),
    Softbox(-14, -32, 46, 5, 0.9),
)
#: Softness of a box's border in degrees.
_BORDER = 7.0


@dataclass(frozen=True, slots=True)
class EnvironmentLight:
    """Parameters of the environment, linear light: sky above, floor below, the studio's boxes in the sky's colour.

    ``softboxes`` stand for themselves: neither strength nor rotation changes them.
    """

    strength: float
    sky: tuple[float, float, float]
    floor: tuple[float, float, float]
    boxes: float
    rotation: float
    softboxes: tuple[Softbox, ...] = ()


def _smooth(x: NDArray[np.float64]) -> NDArray[np.float64]:
    t = np.clip(x, 0, 1)
    blend: NDArray[np.float64] = t * t * (3 - 2 * t)
    return blend


def _inside(box: Softbox, azimuth: NDArray[np.float64], elevation: NDArray[np.float64]) -> NDArray[np.float64]:
    """1 inside a box, 0 outside, soft between, for directions in degrees."""
    across = np.abs((azimuth - box.azimuth + 180) % 360 - 180) * np.cos(np.radians(elevation))
    along = np.abs(elevation - box.elevation)
    return _smooth((box.half_width - across) / _BORDER + 0.5) * _smooth((box.half_height - along) / _BORDER + 0.5)


def radiance(light: EnvironmentLight, directions: NDArray[np.float64]) -> NDArray[np.float64]:
    """Linear radiance [..., 3] arriving from unit directions [..., 3]."""
    azimuth = np.degrees(np.arctan2(directions[..., 0], directions[..., 2])) - light.rotation
    elevation = np.degrees(np.arcsin(np.clip(directions[..., 1], -1, 1)))
    blend = _smooth(elevation / 60 + 0.5)[..., None]
    sky, floor = np.asarray(light.sky), np.asarray(light.floor)
    result = floor * (1 - blend) + sky * blend
    for box in STUDIO:
        result = result + (_inside(box, azimuth, elevation) * box.strength * light.boxes)[..., None] * sky
    result = light.strength * result
    for box in light.softboxes:
        tint = np.asarray(light.sky if box.colour is None else box.colour)
        result = result + (_inside(box, azimuth + light.rotation, elevation) * box.strength)[..., None] * tint
    return result


@parallel_kernel
def _blur(directions, sources, weighted, solid, alphas, out):  # type: ignore[no-untyped-def]
    """Mean of the source radiance about each direction, weighted by GGX D(h) (n.l); view and normal are one.

    directions [n, 3]; sources [m, 3]; weighted [m, 3] radiance times solid angle; solid [m]; alphas [L] squared
    roughness, where 2 stands for the cosine alone (diffuse light). out [L, n, 3].
    """
    for i in numba.prange(directions.shape[0]):
        for level in range(alphas.shape[0]):
            square = alphas[level] * alphas[level]
            red, green, blue, total = 0.0, 0.0, 0.0, 0.0
            for j in range(sources.shape[0]):
                cosine = (
                    directions[i, 0] * sources[j, 0]
                    + directions[i, 1] * sources[j, 1]
                    + directions[i, 2] * sources[j, 2]
                )
                if cosine > 0.0:
                    weight = cosine
                    if alphas[level] < 2.0:
                        half = (1.0 + cosine) / 2
                        spread = half * (square - 1.0) + 1.0
                        weight = cosine * square / (spread * spread)
                    red += weight * weighted[j, 0]
                    green += weight * weighted[j, 1]
                    blue += weight * weighted[j, 2]
                    total += weight * solid[j]
            out[level, i, 0], out[level, i, 1], out[level, i, 2] = red / total, green / total, blue / total


@lru_cache(maxsize=32)
def environment_maps(light: EnvironmentLight) -> NDArray[np.float32]:
    """Octahedral pictures [levels + 1, SIZE + 2, SIZE + 2, 3] float32: mirror, blurred reflections, diffuse last."""
    directions = texel_directions(SIZE)
    flat = np.ascontiguousarray(directions.reshape(-1, 3))
    sources = np.ascontiguousarray(texel_directions(_SOURCE)[1:-1, 1:-1].reshape(-1, 3))
    solid = texel_solid_angles(_SOURCE).reshape(-1)
    weighted = radiance(light, sources) * solid[:, None]
    # The last row, alpha 2, is the diffuse mean.
    alphas = np.array([*(LEVELS[1:] ** 2), 2.0])
    blurred = np.empty((len(alphas), len(flat), 3))
    with PARALLEL:
        _blur(flat, sources, weighted, solid, alphas, blurred)
    mirror = radiance(light, flat)[None]
    maps = np.concatenate([mirror, blurred]).reshape(len(LEVELS) + 1, SIZE + 2, SIZE + 2, 3).astype(np.float32)
    maps.flags.writeable = False
    return maps


@lru_cache(maxsize=1)
def reflectance_table() -> NDArray[np.float32]:
    """Scale and bias [32, 32, 2] of the normal-incidence reflectance, by n.v (rows) and roughness (columns).

    Integral of the GGX reflection lobe with height-correlated Smith visibility and Schlick's Fresnel term (glTF 2.0,
    appendix B), by importance sampling with a Hammersley set.
    """
    index = np.arange(_TABLE_SAMPLES)
    inverse = np.array([int(f"{i:08b}"[::-1], 2) / 256 for i in index]) + 0.5 / _TABLE_SAMPLES
    azimuth = 2 * math.pi * (index + 0.5) / _TABLE_SAMPLES
    table = np.empty((_TABLE, _TABLE, 2))
    for column, rough in enumerate((np.arange(_TABLE) + 0.5) / _TABLE):
        square = rough**4
        cosine = np.sqrt((1 - inverse) / (1 + (square - 1) * inverse))
        sine = np.sqrt(1 - cosine**2)
        for row, facing in enumerate((np.arange(_TABLE) + 0.5) / _TABLE):
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
    result = table.astype(np.float32)
    result.flags.writeable = False
    return result
