"""Where elements lie on the picture, and the camera that frames them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeitbild.document.shot import Camera, Shot
from zeitbild.errors import InputError
from zeitbild.geometry.transforms import put
from zeitbild.resolve.resolving import resolve
from zeitbild.shipped import AssetSource
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot import camera as seen

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


def _points(snapshot: Snapshot) -> dict[str, NDArray[np.float64]]:
    """Points of the bodies of each element in the world [n, 3], by its identity: all found in one look at the set."""
    found: dict[str, list[NDArray[np.float64]]] = {}
    for body in snapshot.bodies:
        vertices = body.form.at(body.form.radius * _COARSE).vertices
        found.setdefault(body.element, []).append(put(np.array(body.matrix).reshape(4, 4), vertices))
    return {element: np.concatenate(own) for element, own in found.items()}


def extents_of(snapshot: Snapshot) -> dict[str, Extent]:
    """Where elements lie on the picture, by their identities; those that have no body are not among them."""
    camera = snapshot.camera
    return {element: _extent(camera, points) for element, points in _points(snapshot).items()}


def _extent(camera: seen.Camera, points: NDArray[np.float64]) -> Extent:
    projected = camera.project(points)
    front = (camera.distance(points) > camera.near) | camera.parallel
    if not front.any():
        return Extent(0, 0, 0, 0, True, True)
    flat = projected[front, :2] / projected[front, 2:]
    (left, top), (right, bottom) = flat.min(axis=0), flat.max(axis=0)
    return Extent(float(left), float(top), float(right), float(bottom), not bool(front.all()))


def framed(shot: Shot, frames: Iterable[int], assets: AssetSource, elements: tuple[str, ...] = ()) -> Camera:
    """The shot's camera moved, without turning, so that the named elements (none: all) fill the picture at some frames.

    InputError if there is nothing to frame.
    """
    return framed_in(shot, [resolve(shot, frame, assets) for frame in frames], elements)


def framed_in(shot: Shot, snapshots: Sequence[Snapshot], elements: tuple[str, ...] = ()) -> Camera:
    """The same of snapshots of frames that are there already."""
    snapshot = snapshots[0]
    chosen = [one.id for one in shot.elements if one.shown and (not elements or one.id in elements)]
    ground = {body.element for body in snapshot.bodies if body.only_shadow}
    # Ground that shows nothing but shadow is framed by who asks for it, or where nothing else is.
    chosen = (chosen if elements else [one for one in chosen if one not in ground]) or chosen
    wanted = set(chosen)
    every = [own for one in snapshots for element, own in _points(one).items() if element in wanted]
    if not sum(map(len, every)):
        raise InputError("there is nothing in the picture to frame; add an element or show one", "elements")
    right, up, forward = snapshot.camera.axes
    points = np.concatenate(every)
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
