"""Faces of any number of corners as triangles."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from zeitbild.geometry.filling import filled

#: A corner turns back if twice the area there is below this, as a share of that of the whole face (negative: the other way).
_BACK = -1e-6


def triangles_of(corners: NDArray[np.float64], sizes: NDArray[np.int64]) -> NDArray[np.int64]:
    """Triangles [T, 3] over faces whose corners [C, 3] stand one after the other, sizes [F] of each, as numbers of corners, in the faces' order.

    Faces bulge outwards or are cut as they lie on the plane that fits them (its normal after Newell); what crosses itself is a fan about
    its first corner.
    """
    starts = np.cumsum(sizes) - sizes
    found = [np.empty((0, 3), np.int64)]
    for size in np.unique(sizes[sizes >= 3]).tolist():
        first = starts[sizes == size]
        around = np.arange(size)
        fan = np.stack([np.zeros(size - 2, np.int64), around[1:-1], around[2:]], axis=1)
        own = np.broadcast_to(fan, (len(first), size - 2, 3)).copy()
        if size > 3:
            places = corners[first[:, None] + around]
            back = _turns_back(places)
            for at in np.flatnonzero(back.any(axis=1)).tolist():
                own[at] = _cut(places[at], back[at], fan)
        found.append((own + first[:, None, None]).reshape(-1, 3))
    triangles = np.concatenate(found)
    return triangles[np.argsort(triangles.min(axis=1), kind="stable")] if len(triangles) else triangles


def _normals(places: NDArray[np.float64]) -> NDArray[np.float64]:
    """Normals [F, 3] of faces with corners [F, n, 3], as long as twice their areas."""
    about = places - places[:, :1]
    normals: NDArray[np.float64] = np.cross(about, np.roll(about, -1, axis=1)).sum(axis=1)
    return normals


def _turns_back(places: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Which corners [F, n] turn back."""
    normals = _normals(places)
    to, on = places - np.roll(places, 1, axis=1), np.roll(places, -1, axis=1) - places
    whole = (normals * normals).sum(axis=1)
    turns = (np.cross(to, on) * normals[:, None]).sum(axis=2)
    found: NDArray[np.bool_] = turns < _BACK * whole[:, None]
    return found


def _cut(places: NDArray[np.float64], back: NDArray[np.bool_], fan: NDArray[np.int64]) -> NDArray[np.int64]:
    """Triangles of one face [n, 3] with corners that turn back."""
    size = len(places)
    if size == 4:
        # Those about the corner that turns back.
        return (fan + int(np.argmax(back))) % size
    (normal,) = _normals(places[None])
    length = float(np.linalg.norm(normal))
    if length == 0:
        return fan
    normal = normal / length
    across = np.cross(np.eye(3)[np.argmin(np.abs(normal))], normal)
    across /= np.linalg.norm(across)
    flat = np.column_stack([places @ across, places @ np.cross(normal, across)])
    found = filled([np.ascontiguousarray(flat - flat[0])])
    return found if found.shape == fan.shape else fan
