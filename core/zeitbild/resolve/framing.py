"""Where elements lie on the picture, and the camera that frames them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeitbild.document.shot import Camera, Shot
from zeitbild.errors import InputError
from zeitbild.geometry.transforms import put
from zeitbild.resolve.resolving import resolve
from zeitbild.shipped import AssetSource
from zeitbild.snapshot import Snapshot

#: Room left at each side of what is framed, as a share of the picture.
MARGIN = 0.06
#: How exactly an element's outline is followed, as a share of its size.
_COARSE = 1 / 1024


@dataclass(frozen=True, slots=True)
class Extent:
    """Box on the picture in pixels that holds what is in front of the camera; behind tells if something is not, nothing if all is not."""

    left: float
    top: float
    right: float
    bottom: float
    behind: bool
    nothing: bool = False


def _world_points(snapshot: Snapshot, element: str) -> NDArray[np.float64]:
    found = [np.empty((0, 3))]
    for body in snapshot.bodies:
        if body.element == element:
            vertices = body.form.at(body.form.radius * _COARSE).vertices
            found.append(put(np.array(body.matrix).reshape(4, 4), vertices))
    return np.concatenate(found)


def extent_of(snapshot: Snapshot, element: str) -> Extent:
    """Where an element lies on the picture, by its identity."""
    camera = snapshot.camera
    points = _world_points(snapshot, element)
    projected = camera.project(points)
    front = camera.distance(points) > camera.near
    if not front.any():
        return Extent(0, 0, 0, 0, True, True)
    flat = projected[front, :2] / projected[front, 2:]
    (left, top), (right, bottom) = flat.min(axis=0), flat.max(axis=0)
    return Extent(float(left), float(top), float(right), float(bottom), not bool(front.all()))


def framed(shot: Shot, frames: Iterable[int], assets: AssetSource, elements: tuple[str, ...] = ()) -> Camera:
    """The shot's camera moved, without turning, so that the named elements (none: all) fill the picture at some frames.

    InputError if there is nothing to frame.
    """
    snapshots = [resolve(shot, frame, assets) for frame in frames]
    snapshot = snapshots[0]
    chosen = [one.id for one in shot.elements if one.shown and (not elements or one.id in elements)]
    ground = {body.element for body in snapshot.bodies if body.only_shadow}
    # Ground that shows nothing but shadow is framed by who asks for it, or where nothing else is.
    chosen = (chosen if elements else [one for one in chosen if one not in ground]) or chosen
    if not chosen:
        raise InputError("there is nothing in the picture to frame; add an element or show one", "elements")
    right, up, forward = snapshot.camera.axes
    points = np.concatenate([_world_points(one, element) for one in snapshots for element in chosen])
    x, y, z = points @ right, points @ up, points @ forward
    keep = 1 - 2 * MARGIN
    shape = snapshot.width / snapshot.height
    if snapshot.camera_span > 0:
        middle = np.array([(x.min() + x.max()) / 2, (y.min() + y.max()) / 2, (z.min() + z.max()) / 2])
        span = float(max(np.ptp(x), np.ptp(y) * shape, 1e-3)) / keep
        distance = float(np.ptp(z)) / 2 + span
    else:
        # Sides of the view as planes through the eye: each pair of opposite ones touches the points, and the eye is
        # where both pairs do, as far back as the wider needs.
        slope = np.tan(np.radians(snapshot.camera_angle) / 2) * keep
        high = slope / shape
        ends = (x - slope * z).max(), (x + slope * z).min(), (y - high * z).max(), (y + high * z).min()
        across, above = (ends[0] + ends[1]) / 2, (ends[2] + ends[3]) / 2
        eye = min((ends[1] - ends[0]) / (2 * slope), (ends[3] - ends[2]) / (2 * high))
        depth = float((z.min() + z.max()) / 2)
        middle, distance, span = np.array([across, above, depth]), float(depth - eye), shot.camera_of().span
    aim = middle[0] * right + middle[1] * up + middle[2] * forward
    position = aim - forward * max(distance, 1e-2)
    return shot.camera_of().model_copy(
        update={
            "position": tuple(round(float(value), 2) for value in position),
            "look_at": tuple(round(float(value), 2) for value in aim),
            "span": round(span, 2),
        }
    )
