"""What is found out once of all triangles of a scene: where their corners are, how they face, how much their normals turn."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import kernel

#: Squared sine of a triangle's angle below which it is a sliver.
_SLIVER2 = np.float32(1e-4)
#: No way is shorter.
_SHORTEST = np.float32(1e-9)


class Surfaces(NamedTuple):
    """Triangles of a set, as kernels take them: places and normals [T, 3, 3] of their corners in the world, finish_of [T]."""

    places: NDArray[np.float32]
    normals: NDArray[np.float32]
    finish_of: NDArray[np.int32]


def corners_of(vertices: NDArray[np.float32], triangles: NDArray[np.int32]) -> NDArray[np.float32]:
    """Places [T, 3, 3] of the corners of triangles [T, 3]."""
    found = np.empty((len(triangles), 3, 3), np.float32)
    _corners(vertices, triangles, found)
    return found


@kernel
def _corners(vertices, triangles, found):  # type: ignore[no-untyped-def]
    for t in range(len(triangles)):
        for corner in range(3):
            own = triangles[t, corner]
            for k in range(3):
                found[t, corner, k] = vertices[own, k]


def flats_of(corners: NDArray[np.float32]) -> NDArray[np.float32]:
    """Unit normals [T, 3] of flat triangles by their corners [T, 3, 3], 0 for slivers."""
    found = np.empty((len(corners), 3), np.float32)
    _flats(corners, _SLIVER2, found)
    return found


@kernel
def _flats(corners, sliver, found):  # type: ignore[no-untyped-def]
    for t in range(len(corners)):
        ax, ay, az = (
            corners[t, 1, 0] - corners[t, 0, 0],
            corners[t, 1, 1] - corners[t, 0, 1],
            corners[t, 1, 2] - corners[t, 0, 2],
        )
        bx, by, bz = (
            corners[t, 2, 0] - corners[t, 0, 0],
            corners[t, 2, 1] - corners[t, 0, 1],
            corners[t, 2, 2] - corners[t, 0, 2],
        )
        x, y, z = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
        square = x * x + y * y + z * z
        sides = (ax * ax + ay * ay + az * az) * (bx * bx + by * by + bz * bz)
        length = np.float32(np.inf) if square < sliver * sides or square <= 0 else math.sqrt(square)
        found[t, 0], found[t, 1], found[t, 2] = x / length, y / length, z / length


def bends_of(corners: NDArray[np.float32], normals: NDArray[np.float32]) -> NDArray[np.float32]:
    """How much normals [T, 3, 3] turn on the way over each triangle [T], radians a unit, by its corners [T, 3, 3]."""
    found = np.empty(len(corners), np.float32)
    _bends(corners, normals, _SHORTEST, found)
    return found


@kernel
def _apart(places, t, one, other):  # type: ignore[no-untyped-def]
    x = places[t, one, 0] - places[t, other, 0]
    y = places[t, one, 1] - places[t, other, 1]
    z = places[t, one, 2] - places[t, other, 2]
    return math.sqrt(x * x + y * y + z * z)


@kernel
def _bends(corners, normals, shortest, found):  # type: ignore[no-untyped-def]
    for t in range(len(corners)):
        most = np.float32(0)
        for one, other in ((0, 1), (1, 2), (2, 0)):
            most = max(most, _apart(normals, t, one, other) / max(_apart(corners, t, one, other), shortest))
        found[t] = most
