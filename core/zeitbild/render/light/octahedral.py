"""Directions on a square: the octahedral map (Cigolini and others 1994; Engelhardt and Dachsbacher 2008).

No trigonometry, no poles. Pictures carry a border of one texel, folded over as the map's edges are, so that bilinear
look-ups need no special cases.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def texel_directions(size: int) -> NDArray[np.float64]:
    """Unit directions [size + 2, size + 2, 3] of the texel middles, border included. y is up."""
    inner = (np.arange(size) + 0.5) / size * 2 - 1
    v, u = np.meshgrid(inner, inner, indexing="ij")
    y = 1 - np.abs(u) - np.abs(v)
    fold = np.maximum(-y, 0)
    x = u - np.sign(u) * fold
    z = v - np.sign(v) * fold
    directions = np.stack([x, y, z], axis=2)
    directions /= np.linalg.norm(directions, axis=2, keepdims=True)
    bordered = np.empty((size + 2, size + 2, 3))
    bordered[1:-1, 1:-1] = directions
    bordered[0, 1:-1], bordered[-1, 1:-1] = directions[0, ::-1], directions[-1, ::-1]
    bordered[1:-1, 0], bordered[1:-1, -1] = directions[::-1, 0], directions[::-1, -1]
    bordered[0, 0] = bordered[0, -1] = bordered[-1, 0] = bordered[-1, -1] = (0.0, -1.0, 0.0)
    return bordered


def texel_solid_angles(size: int) -> NDArray[np.float64]:
    """Solid angle [size, size] in steradians of each inner texel; they add up to 4 pi within 1e-12.

    The map stretches by (|p|_2)^-3 where p is the point on the octahedron.
    """
    inner = (np.arange(size) + 0.5) / size * 2 - 1
    v, u = np.meshgrid(inner, inner, indexing="ij")
    y = 1 - np.abs(u) - np.abs(v)
    fold = np.maximum(-y, 0)
    x, z = np.abs(u) - fold, np.abs(v) - fold
    weight = (x * x + y * y + z * z) ** -1.5
    weights: NDArray[np.float64] = weight * (4 * np.pi / weight.sum())
    return weights
