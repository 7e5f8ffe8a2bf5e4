"""How surfaces move while the shutter is open: bodies as they stand, triangles of those that bend each by itself."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from zeitbild.render.world.paint_order import paint_order, placed, towards_eye
from zeitbild.render.world.scene import Scene
from zeitbild.snapshot import Body, Matrix, Snapshot

Floats = NDArray[np.float64]

#: Triangles of a body by which it is told how far it bends, and the share of them that bends less than that.
_LOOKED_AT, _MOST = 2000, 0.98
#: A triangle whose corners span less, as a share of what three sides at right angles would, has no directions of its own.
_SLIVER = 1e-12


class Ways(NamedTuple):
    """How far things are from their middle places at both ends of a stretch, as kernels take it: moves [W, 2, 12] (rows of 3 x 4, of which no part
    is 1), and which of them each triangle [T] has; both of no length: nothing moves."""

    moves: NDArray[np.float32]
    of: NDArray[np.int32]


#: Nothing moves.
NO_WAYS = Ways(np.empty((0, 2, 12), np.float32), np.empty(0, np.int32))


def turned(before: Matrix, after: Matrix) -> float:
    """Degrees between two placements of one element."""
    a, b = (np.array(matrix).reshape(4, 4)[:3, :3] for matrix in (before, after))
    length = float(np.linalg.norm(a) * np.linalg.norm(b))
    if length == 0:
        return 0.0
    # For rotations of one scale: trace(a^T b) = s^2 (1 + 2 cos), and the product of their norms is 3 s^2.
    return math.degrees(math.acos(float(np.clip((3 * float((a * b).sum()) / length - 1) / 2, -1, 1))))


def bent(body: Body) -> float:
    """Degrees by which a body that was built turns in itself while the shutter is open: as far as nearly all of its triangles do."""
    if not body.bends:
        return 0.0
    triangles = body.bends[0].mesh.triangles
    triangles = triangles[:: max(1, len(triangles) // _LOOKED_AT)]
    if not len(triangles):
        return 0.0
    # Of the longest side each: short ones tell little.
    first = body.bends[0].mesh.vertices[triangles]
    sides = np.linalg.norm(np.roll(first, -1, axis=1) - first, axis=2)
    start = np.argmax(sides, axis=1)
    every = np.arange(len(triangles))
    one, other = triangles[every, start], triangles[every, (start + 1) % 3]
    ways = np.array([bend.mesh.vertices[other] - bend.mesh.vertices[one] for bend in body.bends])
    ways /= np.maximum(np.linalg.norm(ways, axis=2, keepdims=True), 1e-30)
    cosine = np.einsum("btk,btk->bt", ways[1:], ways[:-1])
    whole = np.degrees(np.arccos(np.clip(cosine, -1, 1))).sum(axis=0)
    return float(np.quantile(whole, _MOST))


def stands(snapshot: Snapshot, station: int) -> Floats:
    """Vertices [V, 3] of the scene of a snapshot that was ``built``, as at a station."""
    out = placed(snapshot.points_at(station), snapshot.stations[station])
    towards_eye(out, snapshot.built_meshes, paint_order(snapshot).ranks, snapshot.camera)
    return out


def ways_of(snapshot: Snapshot, scene: Scene) -> Ways:
    """How far everything in a stretch stands from its middle place at both ends."""
    moves, counts = [], []
    for place, body in enumerate(snapshot.bodies):
        middle = np.array(body.matrix).reshape(4, 4)
        still = abs(np.linalg.det(middle)) < 1e-12
        inverse = np.eye(4) if still else np.linalg.inv(middle)
        ends = (np.array(snapshot.stations[end][place]).reshape(4, 4) for end in (0, -1))
        own = [np.zeros(12) if still else (end @ inverse - np.eye(4))[:3].reshape(-1) for end in ends]
        moves += [np.array(own)] * len(body.finishes)
        counts.append(len(snapshot.built_meshes[place].triangles))
    bending = np.repeat([bool(body.bends) for body in snapshot.bodies], counts)
    if not bending.any():
        return Ways(np.array(moves, np.float32), scene.finish_of)
    of = scene.finish_of.copy()
    of[bending] = len(moves) + np.arange(int(bending.sum()))
    triangles = scene.triangles[bending]
    now = scene.vertices[triangles]
    last = len(snapshot.stations) - 1
    bent_moves = np.stack([_own_moves(now, stands(snapshot, end)[triangles]) for end in (0, last)], axis=1)
    return Ways(np.concatenate([np.array(moves), bent_moves]).astype(np.float32), of)


def _own_moves(now: Floats, then: Floats) -> Floats:
    """What takes triangles [N, 3, 3] to where they are then, and their normals along, without what stays [N, 12]."""
    sides, later = _sides(now), _sides(then)
    sliver = np.abs(np.linalg.det(sides)) <= _SLIVER * np.prod(np.linalg.norm(sides, axis=1), axis=1)
    sides[sliver] = later[sliver] = np.eye(3)
    linear = later @ np.linalg.inv(sides)
    found = np.zeros((len(now), 3, 4))
    found[:, :, :3] = linear - np.eye(3)
    found[:, :, 3] = then[:, 0] - np.einsum("nij,nj->ni", linear, now[:, 0])
    return found.reshape(-1, 12)


def _sides(corners: Floats) -> Floats:
    """Two sides and the unit normal of triangles [N, 3, 3] as columns [N, 3, 3]."""
    a, b = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    normal = np.cross(a, b)
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-30)
    return np.stack([a, b, normal], axis=2)
