"""Rotation and placement matrices; column vectors, right-handed, angles in degrees."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

Matrix = NDArray[np.float64]

#: Cosine and sine of quarter turns, exact, so that a word turned by 90 degrees stands exactly across.
_QUARTERS = {0.0: (1.0, 0.0), 90.0: (0.0, 1.0), 180.0: (-1.0, 0.0), 270.0: (0.0, -1.0)}


def rotation(axis: str, degrees: float) -> Matrix:
    """3 x 3 rotation about ``x``, ``y`` or ``z``."""
    turned = degrees % 360.0
    cosine, sine = _QUARTERS.get(turned) or (math.cos(math.radians(turned)), math.sin(math.radians(turned)))
    a, b = {"x": (1, 2), "y": (2, 0), "z": (0, 1)}[axis]
    matrix = np.eye(3)
    matrix[a, a] = matrix[b, b] = cosine
    matrix[a, b], matrix[b, a] = -sine, sine
    return matrix


def placement(
    position: tuple[float, float, float],
    angles: tuple[float, float, float],
    scale: tuple[float, float, float],
    turn_axis: str = "y",
    turn_degrees: float = 0.0,
    pivot: tuple[float, float, float] = (0.0, 0.0, 0.0),
) -> Matrix:
    """4 x 4 matrix: scale and turn about ``pivot`` (element units), rotate about x, y, z, move the pivot to position.

    The turn comes before the rotation: it spins the element about its own axis, wherever that axis then leans.
    """
    turning = rotation("z", angles[2]) @ rotation("y", angles[1]) @ rotation("x", angles[0])
    linear = turning @ rotation(turn_axis, turn_degrees) @ np.diag(scale)
    matrix = np.eye(4)
    matrix[:3, :3] = linear
    matrix[:3, 3] = np.asarray(position) - linear @ np.asarray(pivot)
    return matrix


def put(matrix: Matrix, points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Points [n, 3] where a placement [4, 4] puts them."""
    found: NDArray[np.float64] = points @ matrix[:3, :3].T + matrix[:3, 3]
    return found
