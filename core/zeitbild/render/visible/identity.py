"""What stands in each pixel, by how much, and of the surface that gives most to it: where it is, faces and moves to."""

from __future__ import annotations

from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import kernel, parallel_kernel
from zeitbild.render.data_rows import DATA, MOTION, POSITION, SHARE, TEXTURE
from zeitbild.render.visible.surface import shares_at, surface_at
from zeitbild.render.visible.triangle_setup import TILE
from zeitbild.render.world.paint_order import placed
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.camera import Camera

_TILE = TILE
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1
_SHARE, _POSITION, _MOTION, _TEXTURE, _DATA = SHARE, POSITION, MOTION, TEXTURE, DATA
_ZERO = np.float32(0)
_surface_at, _shares_at = kernel(surface_at.py_func), kernel(shares_at.py_func)

#: Elements, and finishes, that a pixel can hold; further ones, with less coverage than these, are left out.
SLOTS = 4
_SLOTS = SLOTS
#: Whose numbers an entry of ``Picture.identities`` holds.
ELEMENTS, FINISHES = 0, 1


class Told(NamedTuple):
    """What finishes are told by: numbers [F, 2] of their element and their own; projection [3, 4] takes a world point to homogeneous pixel
    coordinates, moves [F, 3, 4] one of a finish to those of the next frame, boxes [F, 3, 4] to shares of the box round its body. Where
    bends [F] is not 0, a finish's body bends until then, and its triangles [T, 3] number their corners in then [V, 3] (world)."""

    numbers: NDArray[np.int32]
    projection: NDArray[np.float64]
    moves: NDArray[np.float64]
    boxes: NDArray[np.float64]
    bends: NDArray[np.uint8]
    then: NDArray[np.float64]
    triangles: NDArray[np.int32]

    @staticmethod
    def of(snapshot: Snapshot, numbers: NDArray[np.int32], triangles: NDArray[np.int32]) -> Told:
        """Those of a snapshot; numbers [F, 2] from ``numbers_of``, triangles [T, 3] of its scene."""
        projection, bends = projection_of(snapshot.camera), [body.then is not None for body in snapshot.bodies]
        then = _stands_then(snapshot) if any(bends) else np.empty((0, 3))
        each = np.repeat(bends, [len(body.finishes) for body in snapshot.bodies]).astype(np.uint8)
        return Told(numbers, projection, moves_of(snapshot), boxes_of(snapshot), each, then, triangles)


@parallel_kernel
def mark(fragments, surfaces, told, weights, eye, identities, data):  # type: ignore[no-untyped-def]
    """Fill identities [H, W, 2, SLOTS, 2] (number and coverage) and data [H, W, DATA] but for the normals; see
    ``shading.shade`` and ``data_rows``.

    told as in ``Told``; weights [F] what the coverage of a finish counts (nothing below 0).
    """
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    pixel, triangle, share = fragments.pixel, fragments.triangle, fragments.share
    where, edges = fragments.where, fragments.edges
    places, normals, finish_of = surfaces
    numbers, projection, moves, boxes, bends, then, triangles = told
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        for row in range(top, min(top + _TILE, data.shape[0])):
            for column in range(left, min(left + _TILE, width)):
                for kind in range(2):
                    for slot in range(SLOTS):
                        identities[row, column, kind, slot, 0] = np.float32(-1)
                        identities[row, column, kind, slot, 1] = _ZERO
                for k in range(_DATA):
                    data[row, column, k] = _ZERO
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
            own_data = data[row, column]
            if part <= own_data[_SHARE]:
                continue
            x, y = where[f, 0], where[f, 1]
            px, py, pz, _, _, _, _, _, _ = _surface_at(edges, places, normals, t, x, y, eye)
            own_data[_SHARE] = part
            own_data[_POSITION], own_data[_POSITION + 1], own_data[_POSITION + 2] = px, py, pz
            own_data[_MOTION] = own_data[_MOTION + 1] = _ZERO
            box = boxes[finish]
            for k in range(3):
                own_data[_TEXTURE + k] = np.float32(box[k, 0] * px + box[k, 1] * py + box[k, 2] * pz + box[k, 3])
            move = moves[finish]
            # Where it is later, and by what that is projected.
            qx, qy, qz = np.float64(px), np.float64(py), np.float64(pz)
            if bends[finish] != 0:
                wa, wb, wc = _shares_at(edges, t, x, y)
                a, b, c = then[triangles[t, 0]], then[triangles[t, 1]], then[triangles[t, 2]]
                qx, qy, qz = (
                    wa * a[0] + wb * b[0] + wc * c[0],
                    wa * a[1] + wb * b[1] + wc * c[1],
                    wa * a[2] + wb * b[2] + wc * c[2],
                )
                move = projection
            w = move[2, 0] * qx + move[2, 1] * qy + move[2, 2] * qz + move[2, 3]
            own = projection[2, 0] * px + projection[2, 1] * py + projection[2, 2] * pz + projection[2, 3]
            if w > 0.0 and own > 0.0:
                across = (move[0, 0] * qx + move[0, 1] * qy + move[0, 2] * qz + move[0, 3]) / w
                down = (move[1, 0] * qx + move[1, 1] * qy + move[1, 2] * qz + move[1, 3]) / w
                across -= (
                    projection[0, 0] * px + projection[0, 1] * py + projection[0, 2] * pz + projection[0, 3]
                ) / own
                down -= (projection[1, 0] * px + projection[1, 1] * py + projection[1, 2] * pz + projection[1, 3]) / own
                own_data[_MOTION], own_data[_MOTION + 1] = np.float32(across), np.float32(down)


@kernel
def _ranks(identities, most):  # type: ignore[no-untyped-def]
    """``ranks_of`` into most [2]."""
    for y in range(identities.shape[0]):
        for x in range(identities.shape[1]):
            for kind in range(2):
                for slot in range(most[kind], _SLOTS):
                    if identities[y, x, kind, slot, 1] != _ZERO:
                        most[kind] = slot + 1


def ranks_of(identities: NDArray[np.float32]) -> list[int]:
    """How many ranks of elements, and of finishes, identities [H, W, 2, SLOTS, 2] have in any pixel."""
    most = np.zeros(2, np.int64)
    _ranks(identities, most)
    return [int(one) for one in most]


def projection_of(camera: Camera, shift: tuple[float, float] = (0.0, 0.0)) -> NDArray[np.float64]:
    """World points to homogeneous pixel coordinates, as ``Camera.project`` takes them and its shift [3, 4]."""
    corners = np.array([[0.0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1]])
    origin, *ends = camera.project(corners, shift)
    return np.column_stack([*(end - origin for end in ends), origin])


def moves_of(snapshot: Snapshot) -> NDArray[np.float64]:
    """Where the points of each finish's body will be at the next frame [F, 3, 4] (see ``mark``)."""
    projection = projection_of(snapshot.camera)
    moves: list[NDArray[np.float64]] = []
    for body in snapshot.bodies:
        now, then = (np.array(matrix).reshape(4, 4) for matrix in (body.matrix, body.after or body.matrix))
        # What is flattened to nothing has no way back from the world; it counts as standing.
        still = abs(np.linalg.det(now)) < 1e-12
        move = projection if still else projection @ then @ np.linalg.inv(now)
        moves += [move] * len(body.finishes)
    return np.array(moves)


def _stands_then(snapshot: Snapshot) -> NDArray[np.float64]:
    """Where the scene's vertices will be at the next frame [V, 3]."""
    points = [
        (body.then.mesh if body.then else mesh).vertices
        for body, mesh in zip(snapshot.bodies, snapshot.built_meshes, strict=True)
    ]
    return placed(points, [body.after or body.matrix for body in snapshot.bodies])


def boxes_of(snapshot: Snapshot) -> NDArray[np.float64]:
    """World points of each finish's body to shares of the box round it [F, 3, 4] (see ``mark``)."""
    boxes: list[NDArray[np.float64]] = []
    for body, mesh in zip(snapshot.bodies, snapshot.built_meshes, strict=True):
        placed = np.array(body.matrix).reshape(4, 4)
        box = np.zeros((3, 4))
        if len(mesh.vertices) and abs(np.linalg.det(placed)) >= 1e-12:
            low, high = body.box
            box = (np.linalg.inv(placed)[:3] - np.outer(low, [0.0, 0, 0, 1])) / np.maximum(high - low, 1e-9)[:, None]
        boxes += [box] * len(body.finishes)
    return np.array(boxes)


def numbers_of(snapshot: Snapshot) -> list[tuple[int, int]]:
    """Numbers of element and finish of every finish of a snapshot, in the order of its bodies: bodies of one element have the same.

    They count through the snapshot's names, or, if it has none, through its bodies' elements.
    """
    named = {identity: len(finishes) for identity, _, finishes in snapshot.names}
    counts = named or {body.element: max(body.named, default=-1) + 1 for body in snapshot.bodies}
    firsts = dict(zip(counts, np.cumsum([0, *counts.values()]).tolist(), strict=False))
    places = {identity: place for place, identity in enumerate(counts)}
    return [(places[body.element], firsts[body.element] + at) for body in snapshot.bodies for at in body.named]
