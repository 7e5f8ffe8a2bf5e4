"""Primaries: which red, green and blue numbers are of, and their light in sRGB's.

Code points and chromaticities are those of ITU-T H.273, table 2; whites are made one as ICC.1:2022, annex E does (the linear Bradford way).
"""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

_Place = tuple[float, float]
#: Cone responses of the Bradford way (ICC.1:2022, annex E.3).
_CONES = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
#: Chromaticities that differ by less are the same: files round them.
_SAME = 0.0015


class Chromaticities(NamedTuple):
    """CIE x and y of white and of the three primaries."""

    white: _Place
    red: _Place
    green: _Place
    blue: _Place


_D65, _C, _DCI = (0.3127, 0.3290), (0.310, 0.316), (0.314, 0.351)
SRGB = Chromaticities(_D65, (0.640, 0.330), (0.300, 0.600), (0.150, 0.060))
_SMPTE_170M = Chromaticities(_D65, (0.630, 0.340), (0.310, 0.595), (0.155, 0.070))
#: By code point; what is not here is taken for sRGB's.
BY_CODE = {
    4: Chromaticities(_C, (0.67, 0.33), (0.21, 0.71), (0.14, 0.08)),
    5: Chromaticities(_D65, (0.64, 0.33), (0.29, 0.60), (0.15, 0.06)),
    6: _SMPTE_170M,
    7: _SMPTE_170M,
    8: Chromaticities(_C, (0.681, 0.319), (0.243, 0.692), (0.145, 0.049)),
    9: Chromaticities(_D65, (0.708, 0.292), (0.170, 0.797), (0.131, 0.046)),
    11: Chromaticities(_DCI, (0.680, 0.320), (0.265, 0.690), (0.150, 0.060)),
    12: Chromaticities(_D65, (0.680, 0.320), (0.265, 0.690), (0.150, 0.060)),
    22: Chromaticities(_D65, (0.630, 0.340), (0.295, 0.605), (0.155, 0.077)),
}


#: What people call those that differ from sRGB's so much that it matters.
TITLES = {
    BY_CODE[4]: "NTSC (1953)",
    BY_CODE[8]: "film",
    BY_CODE[9]: "BT.2020",
    BY_CODE[11]: "cinema P3",
    BY_CODE[12]: "Display P3",
}


def near(one: Chromaticities, other: Chromaticities) -> bool:
    """Whether two sets of primaries are the same but for rounding."""
    return float(np.abs(np.array(one) - np.array(other)).max()) < _SAME


def is_sound(one: Chromaticities) -> bool:
    """Whether chromaticities can be those of a display or camera: numbers, white within a triangle that is not flat."""
    places = np.array(one, np.float64)
    if not np.isfinite(places).all() or np.abs(places).max() > 2 or (places[0] < 0.05).any():
        return False
    white, red, green, blue = np.column_stack([places, np.ones(4)])
    whole = np.linalg.det([red, green, blue])
    parts = [np.linalg.det(three) for three in ([white, green, blue], [red, white, blue], [red, green, white])]
    return bool(abs(whole) > 1e-3 and all(part / whole > 1e-3 for part in parts))


def _to_xyz(one: Chromaticities) -> NDArray[np.float64]:
    x, y = np.array(one[1:], np.float64).T
    columns = np.array([x, y, 1 - x - y])
    scales: NDArray[np.float64] = np.linalg.solve(columns, _xyz(one.white))
    return columns * scales


def _xyz(place: _Place) -> NDArray[np.float64]:
    x, y = place
    return np.array([x / y, 1.0, (1 - x - y) / y])


@lru_cache(maxsize=32)
def into_srgb(one: Chromaticities) -> NDArray[np.float64]:
    """What turns light [3] of these primaries into light of sRGB's, white into white [3, 3]."""
    scales = (_CONES @ _xyz(SRGB.white)) / (_CONES @ _xyz(one.white))
    adapted = np.linalg.inv(_CONES) @ np.diag(scales) @ _CONES
    matrix: NDArray[np.float64] = np.linalg.inv(_to_xyz(SRGB)) @ adapted @ _to_xyz(one)
    return matrix
