"""Sample positions in a pixel: a (0, m, 2) net, every row and every column of the finest grid hit once.

Hammersley points with radical inverse in base 2 (Niederreiter 1992, Random Number Generation and Quasi-Monte Carlo
Methods, chapter 3), moved by half a cell so that their mean is the pixel's middle; and every other one a little to the right, the others
to the left, so that an edge along a diagonal goes between those that would lie on it, half of them on each side.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

SAMPLE_COUNTS = (4, 16, 64)
#: So far (pixels) they lie beside their places.
_ASIDE = 2.0**-15


def radical_inverse(base: int, count: int) -> NDArray[np.float64]:
    """The digits of the numbers below ``count`` in a base, from the other end behind the point (van der Corput 1935): numbers [count] in 0..1."""
    index, scale, found = np.arange(count), 1.0, np.zeros(count)
    while index.any():
        scale /= base
        found += index % base * scale
        index = index // base
    return found


def sample_offsets(count: int) -> NDArray[np.float64]:
    """Positions [count, 2] in the unit pixel, for a power of two."""
    index = np.arange(count)
    aside = np.where(index % 2, _ASIDE, -_ASIDE)
    return np.column_stack([(index + 0.5) / count + aside, radical_inverse(2, count) + 0.5 / count])
