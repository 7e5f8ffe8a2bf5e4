"""Faces of any number of corners as triangles."""

from __future__ import annotations

import mapbox_earcut
import numpy as np
from numpy.typing import NDArray

from zeitbild.geometry.filling import filled

#: A corner turns back if twice the area there is below this, as a share of that of the whole face (negative: the other way).
_BACK = -1e-6
#: What is kept of a place as it is seen along each axis, so that it is seen from its end.
_SEEN_ALONG = np.array([[1, 2], [2, 0], [0, 1]])


def triangles_of(corners: NDArray[np.float64], sizes: NDArray[np.int64]) -> NDArray[np.int64]:
    """Triangles [T, 3] over faces whose corners [C, 3] stand one after the other, sizes [F] of each, as numbers of corners, in the faces' order.

    Faces bulge outwards or are cut as they are seen along the axis that they face most (their normal after Newell); what crosses itself is a fan
    about its first corner. Faces of fewer than three corners have none.
    """
    starts = np.cumsum(sizes) - sizes
    found = [np.empty((0, 3), np.int64)]
    for size in np.unique(sizes[sizes >= 3]).tolist():
        first = starts[sizes == size]
        around = np.arange(size)
        fan = np.stack([np.zeros(size - 2, np.int64), around[1:-1], around[2:]], axis=1)
        own = np.broadcast_to(fan, (len(first), size - 2, 3)).copy()
        if size > 3:
            # What is no number turns nowhere, and is found where the points are taken.
            with np.errstate(all="ignore"):
                _cut(corners[first[:, None] + around], own)
        found.append((own + first[:, None, None]).reshape(-1, 3))
    triangles = np.concatenate(found)
    return triangles[np.argsort(triangles.min(axis=1), kind="stable")] if len(triangles) else triangles


def _cut(places: NDArray[np.float64], triangles: NDArray[np.int64]) -> None:
    """Triangles [F, n - 2, 3] of faces [F, n, 3] anew, in place, where they have corners that turn back."""
    about = places - places[:, :1]
    # As long as twice their areas.
    normals = np.cross(about, np.roll(about, -1, axis=1)).sum(axis=1)
    to, on = places - np.roll(places, 1, axis=1), np.roll(places, -1, axis=1) - places
    whole = (normals * normals).sum(axis=1)
    back = (np.cross(to, on) * normals[:, None]).sum(axis=2) < _BACK * whole[:, None]
    chosen = np.flatnonzero(back.any(axis=1) & (whole > 0) & np.isfinite(whole))
    if places.shape[1] == 4:
        # About the corner that turns back.
        triangles[chosen] = (triangles[chosen] + np.argmax(back[chosen], axis=1)[:, None, None]) % 4
        return
    axis = np.argmax(np.abs(normals[chosen]), axis=1)
    flat = np.take_along_axis(about[chosen], _SEEN_ALONG[axis][:, None], axis=2)
    against = normals[chosen, axis] < 0
    flat[against] = flat[against, :, ::-1]
    end = np.array([places.shape[1]], np.uint32)
    for at, one in zip(chosen.tolist(), flat, strict=True):
        found = mapbox_earcut.triangulate_float64(one, end).reshape(-1, 3)
        if found.shape != triangles[at].shape:
            # Some of its points lie on straight lines.
            found = filled([one])
        if found.shape == triangles[at].shape:
            triangles[at] = found
