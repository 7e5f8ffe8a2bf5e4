"""The contract of generated surroundings, and what their formulas share.

A formula tells the linear radiance that arrives from each direction. Azimuth 0 is in front of the set, where a camera stands
at first and what flat metal that faces it mirrors; it counts to the left as seen from there (towards +x), elevation upwards;
both in degrees. Everything is soft to about seven degrees, as fine as surroundings are sampled for rough surfaces.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeitbild.registry import Registry

Triple = tuple[float, float, float]
Array = NDArray[np.float64]
#: Softness of a box's border in degrees.
BORDER = 7.0


@dataclass(frozen=True, slots=True)
class Colours:
    """What a formula takes: linear colours above, at the horizon and below; strength of its lamps; degrees over which the horizon's
    colour goes over into the others."""

    sky: Triple
    horizon: Triple
    floor: Triple
    lamps: float = 1.0
    spread: float = 60.0


@dataclass(frozen=True, slots=True)
class Surroundings:
    """Surroundings by formula: radiance [..., 3] from azimuths and elevations [...] in degrees, and the values they begin with.

    sky, horizon and floor are sRGB (``#rrggbb``), an empty one is not used; lamps tells that there are some.
    """

    name: str
    title: str
    note: str
    radiance: Callable[[Colours, Array, Array], Array]
    sky: str
    horizon: str
    floor: str
    strength: float
    lamps: bool = False
    spread: float = 60.0
    order: int = 0


kinds: Registry[Surroundings] = Registry("surroundings", "zeitbild.surroundings")


def smooth(x: Array) -> Array:
    """0 up to 0, 1 from 1 on, and a smooth step between."""
    t = np.clip(x, 0, 1)
    step: Array = t * t * (3 - 2 * t)
    return step


def inside(
    azimuth: Array, elevation: Array, middle: tuple[float, float], half: tuple[float, float], border: float = BORDER
) -> Array:
    """1 inside a box about a middle direction, 0 outside, soft between; half its width and height, all in degrees."""
    across = np.abs((azimuth - middle[0] + 180) % 360 - 180) * np.cos(np.radians(elevation))
    along = np.abs(elevation - middle[1])
    within: Array = smooth((half[0] - across) / border + 0.5) * smooth((half[1] - along) / border + 0.5)
    return within


def mixed(share: Array, first: Triple, second: Triple) -> Array:
    """Colours [..., 3]: the first where the share is 0, the second where it is 1."""
    mix: Array = np.asarray(first) * (1 - share[..., None]) + np.asarray(second) * share[..., None]
    return mix


def lit(amount: Array, colour: Triple) -> Array:
    """A colour times an amount [...]."""
    light: Array = amount[..., None] * np.asarray(colour)
    return light
