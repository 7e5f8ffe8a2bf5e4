"""What stands in each pixel, by how much, and how far it moves until the next frame."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import kernel, parallel_kernel
from zeitbild.render.camera import Camera
from zeitbild.render.shading import MOTION
from zeitbild.render.surface import surface_at
from zeitbild.render.triangle_setup import TILE

if TYPE_CHECKING:
    from zeitbild.resolve.snapshot import Snapshot

_TILE = TILE
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1
_MOTION = MOTION
_ZERO = np.float32(0)
_surface_at = kernel(surface_at.py_func)

#: Elements, and finishes, that a pixel can hold; further ones, with less coverage than these, are left out.
SLOTS = 3
#: Whose numbers an entry of ``Picture.identities`` holds.
ELEMENTS, FINISHES = 0, 1


@parallel_kernel
def mark(  # type: ignore[no-untyped-def]
    order,
    pixel,
    triangle,
    share,
    where,
    counts,
    firsts,
    width,
    edges,
    places,
    normals,
    finish_of,
    numbers,
    weights,
    moves,
    projection,
    eye,
    identities,
    planes,
):
    """Fill identities [H, W, 2, SLOTS, 2] (number and coverage) and the motion in planes; see ``shading.shade``.

    numbers [F, 2] are the element's and the finish's own, weights [F] what its coverage counts (nothing below 0); projection [3, 4]
    takes a world point to homogeneous pixel coordinates, moves [F, 3, 4] one of a finish to those of the next frame.
    """
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        for row in range(top, min(top + _TILE, planes.shape[0])):
            for column in range(left, min(left + _TILE, width)):
                for kind in range(2):
                    for slot in range(SLOTS):
                        identities[row, column, kind, slot, 0] = np.float32(-1)
                        identities[row, column, kind, slot, 1] = _ZERO
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            t = np.uint64(triangle[f])
            finish = finish_of[t]
            row, column = top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)
            part = share[f] * weights[finish]
            if part <= _ZERO:
                continue
            for kind in range(2):
                number = np.float32(numbers[finish, kind])
                held = identities[row, column, kind]
                least = 0
                for slot in range(SLOTS):
                    if held[slot, 0] == number or held[slot, 1] == _ZERO:
                        least = slot
                        break
                    if held[slot, 1] < held[least, 1]:
                        least = slot
                if held[least, 0] == number or held[least, 1] == _ZERO:
                    held[least, 0] = number
                    held[least, 1] += part
                elif held[least, 1] < part:
                    held[least, 0], held[least, 1] = number, part
            x, y = where[f, 0], where[f, 1]
            px, py, pz, _, _, _, _, _, _ = _surface_at(edges, places, normals, t, x, y, eye)
            move = moves[finish]
            w = move[2, 0] * px + move[2, 1] * py + move[2, 2] * pz + move[2, 3]
            own = projection[2, 0] * px + projection[2, 1] * py + projection[2, 2] * pz + projection[2, 3]
            if w > 0.0 and own > 0.0:
                across = (move[0, 0] * px + move[0, 1] * py + move[0, 2] * pz + move[0, 3]) / w
                down = (move[1, 0] * px + move[1, 1] * py + move[1, 2] * pz + move[1, 3]) / w
                across -= (
                    projection[0, 0] * px + projection[0, 1] * py + projection[0, 2] * pz + projection[0, 3]
                ) / own
                down -= (projection[1, 0] * px + projection[1, 1] * py + projection[1, 2] * pz + projection[1, 3]) / own
                planes[row, column, _MOTION] += part * np.float32(across)
                planes[row, column, _MOTION + 1] += part * np.float32(down)


def projection_of(camera: Camera) -> NDArray[np.float64]:
    """World points to homogeneous pixel coordinates, as ``Camera.project`` takes them [3, 4]."""
    corners = np.array([[0.0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1]])
    origin, *ends = camera.project(corners)
    return np.column_stack([*(end - origin for end in ends), origin])


def moves_of(snapshot: Snapshot) -> NDArray[np.float64]:
    """Where the points of each finish's element will be at the next frame [F, 3, 4] (see ``mark``)."""
    projection = projection_of(snapshot.camera)
    after = snapshot.after or tuple(element.matrix for element in snapshot.elements)
    moves: list[NDArray[np.float64]] = []
    for element, next_matrix in zip(snapshot.elements, after, strict=True):
        now, then = (np.array(matrix).reshape(4, 4) for matrix in (element.matrix, next_matrix))
        # What is flattened to nothing has no way back from the world; it counts as standing.
        still = abs(np.linalg.det(now)) < 1e-12
        move = projection if still else projection @ then @ np.linalg.inv(now)
        moves += [move] * len(element.finishes)
    return np.array(moves)


def numbers_of(snapshot: Snapshot) -> list[tuple[int, int]]:
    """Numbers of element and finish of every finish of a snapshot, in the order of its elements."""
    owners = [place for place, element in enumerate(snapshot.elements) for _ in element.finishes]
    return [(place, number) for number, place in enumerate(owners)]
