"""Sample positions in a pixel: a (0, m, 2) net, every row and every column of the finest grid hit once.

Hammersley points with radical inverse in base 2 (Niederreiter 1992, Random Number Generation and Quasi-Monte Carlo
Methods, chapter 3), moved by half a cell so that their mean is the pixel's middle.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

SAMPLE_COUNTS = (4, 16, 64)


def sample_offsets(count: int) -> NDArray[np.float64]:
    """Positions [count, 2] in the unit pixel, for a power of two."""
    bits = count.bit_length() - 1
    index = np.arange(count)
    inverse = np.zeros(count)
    for bit in range(bits):
        inverse += ((index >> bit) & 1) * (count >> (bit + 1))
    return np.column_stack([(index + 0.5) / count, (inverse + 0.5) / count])
