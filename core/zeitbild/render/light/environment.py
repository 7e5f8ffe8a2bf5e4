"""The environment, generated or a picture, and what surfaces take from it: blurred reflections and diffuse light.

Reflections are kept blurred for a row of roughnesses (the split-sum approximation: Karis, SIGGRAPH 2013 course
on physically based shading, with the view along the normal) as octahedral pictures; the second factor of the sum depends on no
environment (``reflectance``). Diffuse light is the cosine-weighted mean.
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL, inlined_kernel
from zeitbild.render.light.lobes import cells_of, gather
from zeitbild.render.light.octahedral import (
    cell_directions,
    cell_solid_angles,
    corner_directions,
    corner_place,
    mixed_corners,
    unfold,
)
from zeitbild.snapshot.surroundings import EnvironmentLight
from zeitbild.surroundings import Colours
from zeitbild.surroundings import kinds as surroundings
from zeitbild.surroundings._base import inside, lit

_ZERO = np.float32(0)
#: Roughness of each blurred picture, from the sharpest lobe of the model on: what lobes are wide goes by the square of it, so that each is
#: about twice as wide as the one before.
SHARPEST, LEVEL_COUNT = 0.04, 10
LEVELS = SHARPEST + (1 - SHARPEST) * (np.arange(LEVEL_COUNT) / (LEVEL_COUNT - 1)) ** 2
#: Cells a side of each level's octahedral picture at most, the mirror first and diffuse light last: a third of a lobe each.
_WANTED = (1024, 512, 384, 192, 96, 48, 32, 24, 24, 24, 24)
#: Cells a side of what is looked at for lobes at least, and pixels in a row of a picture at most.
_BASE, _CELLS = 256, 1024
#: Cells a side of the mirror at most: of surroundings by formula, whose borders are soft, and of pictures.
SOFT_SIDE, FINE_SIDE = 256, 1024
#: In front of the values stand, three a row, how many a side each level has and where it begins.
CONTENTS = -(-2 * (LEVEL_COUNT + 1) // 3)
# What kernels take as constants.
_LEVEL_COUNT, _LAST_LEVEL = LEVEL_COUNT, np.float32(LEVEL_COUNT - 1)
_SHARPEST, _BEYOND = np.float32(SHARPEST), np.float32(1 / (1 - SHARPEST))

#: More directions than any picture has.
_ALL = 1 << 30


def radiance(light: EnvironmentLight, directions: NDArray[np.float64], width: int = _ALL) -> NDArray[np.float64]:
    """Linear radiance [..., 3] arriving from unit directions [..., 3], of which so many go round once: a picture is taken as fine as that."""
    azimuth = np.degrees(np.arctan2(directions[..., 0], directions[..., 2])) - light.rotation
    elevation = np.degrees(np.arcsin(np.clip(directions[..., 1], -1, 1)))
    if light.picture is not None:
        result = light.picture.towards((azimuth + 180) % 360 - 180, elevation, width)
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


def sides_of(side: int) -> tuple[int, ...]:
    """Cells a side of all levels and of diffuse light, if the mirror has so many."""
    return tuple(min(one, side) for one in _WANTED)


def starts_of(side: int) -> tuple[int, ...]:
    """The row at which each of these begins; each has one value more a side."""
    sizes = [(one + 1) ** 2 for one in sides_of(side)]
    return tuple(CONTENTS + sum(sizes[:level]) for level in range(len(sizes)))


def _seen(light: EnvironmentLight, side: int) -> NDArray[np.float32]:
    """Radiance [side + 1, side + 1, 3] from all directions of an octahedral picture."""
    directions = corner_directions(side)
    found = np.empty(directions.shape, np.float32)
    for row in range(0, side + 1, 64):
        found[row : row + 64] = radiance(light, directions[row : row + 64], 2 * side)
    return found


def _halved(picture: NDArray[np.float32]) -> NDArray[np.float32]:
    """An octahedral picture with half as many cells a side: of each value and its neighbours the mean, nearer ones counting twice."""
    # What lies beyond an edge is what lies within it, folded over.
    wide = np.pad(picture, ((1, 1), (1, 1), (0, 0)), mode="edge")
    wide[0, 1:-1], wide[-1, 1:-1] = picture[1, ::-1], picture[-2, ::-1]
    wide[1:-1, 0], wide[1:-1, -1] = picture[::-1, 1], picture[::-1, -2]
    rows = wide[:-2:2] + 2 * wide[1:-1:2] + wide[2::2]
    halved: NDArray[np.float32] = (rows[:, :-2:2] + 2 * rows[:, 1:-1:2] + rows[:, 2::2]) / 16
    return halved


def _arriving(light: EnvironmentLight, seen: NDArray[np.float32]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """All that is around, as ``cells_of`` takes it: the pixels of a picture, or else what is seen in all directions of an octahedral picture."""
    if light.picture is None:
        side = len(seen) - 1
        directions, solid = cell_directions(side), cell_solid_angles(side)
        values = (seen[:-1, :-1] + seen[:-1, 1:] + seen[1:, :-1] + seen[1:, 1:]).astype(np.float64) / 4
    else:
        # As they are, so that a sun of one pixel keeps its light.
        azimuth, elevation, solid, pixels = light.picture.sources(_CELLS)
        flat, up = np.radians(azimuth + light.rotation), np.radians(elevation)
        directions = np.stack([np.cos(up) * np.sin(flat), np.sin(up), np.cos(up) * np.cos(flat)], axis=2)
        values = light.strength * pixels + _boxes(light, azimuth, elevation)
    return directions, np.concatenate([solid[..., None], values * solid[..., None]], axis=2)


def _made(light: EnvironmentLight, side: int) -> NDArray[np.float32]:
    sides, starts = sides_of(side), starts_of(side)
    maps = np.zeros((starts[-1] + (sides[-1] + 1) ** 2, 3), np.float32)
    contents = maps[:CONTENTS].reshape(-1)
    contents[: len(sides)], contents[len(sides) : 2 * len(sides)] = sides, starts
    # A picture has far finer things than what is looked at for it.
    seen = _seen(light, FINE_SIDE if side > SOFT_SIDE else max(side, _BASE))
    arriving = _arriving(light, seen)
    while len(seen) - 1 > side:
        seen = _halved(seen)
    maps[starts[0] : starts[1]] = seen.reshape(-1, 3)
    # At roughness 1 the lobe is the cosine alone: so is diffuse light.
    squares = (*(LEVELS[1:] ** 4), 1.0)
    with PARALLEL:
        gather(cells_of(*arriving), squares, sides[1:], maps[starts[1] :])
    maps.flags.writeable = False
    return maps


_made_small, _made_large = lru_cache(maxsize=24)(_made), lru_cache(maxsize=4)(_made)


def environment_maps(light: EnvironmentLight, side: int = SOFT_SIDE) -> NDArray[np.float32]:
    """Octahedral pictures of ``sides_of`` one after the other [rows, 3] float32: mirror, blurred reflections, diffuse last; before them, in
    CONTENTS rows, their sides and where they begin (``starts_of``). side is that of the mirror, a power of two."""
    maps: NDArray[np.float32] = (_made_large if side > SOFT_SIDE else _made_small)(light, side)
    return maps


@inlined_kernel
def side_of(maps, level):  # type: ignore[no-untyped-def]
    """Cells a side of one level's octahedral picture (``environment.environment_maps``)."""
    return np.int32(maps[level])


@inlined_kernel
def start_of(maps, level):  # type: ignore[no-untyped-def]
    """The row in which it begins."""
    return np.int32(maps[_LEVEL_COUNT + 1 + level])


@inlined_kernel
def level_place(rough):  # type: ignore[no-untyped-def]
    """Where among the levels a roughness lies (``environment.LEVELS``): 0 to the number of the last."""
    return math.sqrt(max(rough - _SHARPEST, _ZERO) * _BEYOND) * _LAST_LEVEL


@inlined_kernel
def level_value(maps, level, u, v):  # type: ignore[no-untyped-def]
    """Bilinear value (three numbers) of one level's octahedral picture at a place of ``unfold``."""
    side = side_of(maps, level)
    place, fc, fr = corner_place(side, start_of(maps, level), u, v)
    return mixed_corners(maps, place, side, fc, fr)


@inlined_kernel
def blurred_value(maps, rough, direction):  # type: ignore[no-untyped-def]
    """What lobes of a roughness (0..1) take from about a direction of any length: three numbers, between the two nearest levels."""
    x, y, z = direction
    place = min(level_place(rough), _LAST_LEVEL)
    level = min(int(place), _LEVEL_COUNT - 2)
    blend = place - np.float32(level)
    u, v = unfold(x, y, z)
    sharp_r, sharp_g, sharp_b = level_value(maps, level, u, v)
    soft_r, soft_g, soft_b = level_value(maps, level + 1, u, v)
    return (
        sharp_r + (soft_r - sharp_r) * blend,
        sharp_g + (soft_g - sharp_g) * blend,
        sharp_b + (soft_b - sharp_b) * blend,
    )
