"""Lobes as linear images of a cosine lobe, of which what falls into a polygon is known (Heitz and others 2016, Real-Time Polygonal-Light
Shading with Linearly Transformed Cosines; method from memory).

A lobe is M applied to directions that are spread by their cosine, M = [[a, 0, b], [0, c, 0], [d, 0, e]]: x along the surface away from
the view, z up from it. The images are fitted (``fit_linear_lobes``), which takes minutes, and kept beside this file.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

KEPT = Path(__file__).with_name("linear_lobes.npy")
#: Rows, by the root of one less the cosine of normal and view, which goes about as the angle, and columns, by roughness; what lobes reflect
#: straight ahead; numbers of each.
SIDE, STRAIGHT, NUMBERS = 32, (1.0, 0.04), 5


@lru_cache(maxsize=1)
def linear_lobes() -> NDArray[np.float32]:
    """a, b, c, d, e by how slanted the view is (rows) and roughness (columns), of a lobe that reflects all and of a dielectric's
    [32, 32, 2, 5]."""
    table: NDArray[np.float32] = np.load(KEPT)
    return table
