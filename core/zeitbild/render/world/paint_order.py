"""Flat art in one plane: what comes later in the set lies over what comes before.

Such bodies are moved towards the eye by a hair each, along the way on which they are seen: nothing moves on the picture, and nothing
flickers. Of solids' faces in the same plane flat art is in front.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeitbild.geometry.mesh import Mesh
from zeitbild.geometry.transforms import put
from zeitbild.snapshot import Body, Matrix, Snapshot
from zeitbild.snapshot.camera import Camera

#: A hair, as a share of the distance from the eye: several times what single precision tells apart.
HAIR = 2e-6
#: Distances from the eye by which two planes may differ and still count as one, as a share.
_SAME = 1e-5
#: Corners that tell at once that most bodies are not flat.
_FEW = 8


def _is_flat(mesh: Mesh) -> bool:
    z = mesh.vertices[:, 2]
    return len(z) > 0 and bool((z[:_FEW] == z[0]).all() and (z == z[0]).all())


@dataclass(frozen=True, slots=True)
class PaintOrder:
    """Of each body, how many hairs it is moved (ranks) and the number of the plane that it lies in (planes, -1: it is not flat); nothing
    of length if none is flat."""

    ranks: tuple[int, ...] = ()
    planes: tuple[int, ...] = ()


#: The last order, with the bodies and the eye that it is of: a picture asks for it again and again.
_last: tuple[Sequence[Body], tuple[float, ...], PaintOrder] | None = None


def paint_order(snapshot: Snapshot) -> PaintOrder:
    """See ``_paint_order``; the last one is kept."""
    global _last
    eye, held = tuple(snapshot.camera.eye.tolist()), _last
    if held is not None and held[0] is snapshot.bodies and held[1] == eye:
        return held[2]
    found = _paint_order(snapshot)
    _last = snapshot.bodies, eye, found
    return found


def _paint_order(snapshot: Snapshot) -> PaintOrder:
    """Bodies that are flat in their own z get a hair, if there are others, and one more than those of the same plane that come before
    them."""
    flat = [place for place, mesh in enumerate(snapshot.built_meshes) if _is_flat(mesh)]
    if not flat:
        return PaintOrder()
    first = int(len(flat) < len(snapshot.bodies))
    ranks, plane_of = [0] * len(snapshot.bodies), [-1] * len(snapshot.bodies)
    eye = snapshot.camera.eye
    planes: list[tuple[NDArray[np.float64], NDArray[np.float64], float, int]] = []
    meshes = snapshot.built_meshes
    matrices = np.array([snapshot.bodies[place].matrix for place in flat]).reshape(-1, 4, 4)
    normals = np.cross(matrices[:, :3, 0], matrices[:, :3, 1])
    for place, matrix, normal in zip(flat, matrices, normals, strict=True):
        normal /= max(float(np.linalg.norm(normal)), 1e-30)
        point = matrix[:3, :3] @ meshes[place].vertices[0] + matrix[:3, 3]
        near = _SAME * max(float(np.linalg.norm(point - eye)), 1e-9)
        for number, (other, at, reach, rank) in enumerate(planes):
            alike = abs(abs(float(normal @ other)) - 1) < 1e-9
            if alike and abs(float((point - at) @ other)) < max(near, reach):
                planes[number] = other, at, reach, rank + 1
                break
        else:
            number = len(planes)
            planes.append((normal, point, near, first))
        ranks[place], plane_of[place] = planes[number][3], number
    return PaintOrder(tuple(ranks), tuple(plane_of))


def towards_eye(vertices: NDArray[np.float64], meshes: Sequence[Mesh], ranks: Sequence[int], camera: Camera) -> None:
    """Move the vertices [V, 3] of bodies, one after the other, towards the eye by their ranks, in place."""
    first = 0
    for mesh, rank in zip(meshes, ranks, strict=False):
        own = vertices[first : first + len(mesh.vertices)]
        first += len(mesh.vertices)
        if not rank:
            continue
        if camera.parallel:
            own -= camera.axes[2] * (np.abs(camera.distance(own)) * (HAIR * rank))[:, None]
        else:
            own += (camera.eye - own) * (HAIR * rank)


def placed(points: Sequence[NDArray[np.float64]], matrices: Sequence[Matrix]) -> NDArray[np.float64]:
    """Points [n, 3] of bodies that stand so, one after the other [V, 3]."""
    out = np.empty((sum(len(own) for own in points), 3))
    first = 0
    for own, matrix in zip(points, matrices, strict=True):
        out[first : first + len(own)] = put(np.array(matrix).reshape(4, 4), own)
        first += len(own)
    return out
