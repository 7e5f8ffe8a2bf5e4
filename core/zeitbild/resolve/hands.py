"""What hands on the picture need: which elements are seen at a place, where each lies, and how a drag across the picture moves it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.document.evaluate import at_rest, evaluate, time_of
from zeitbild.document.shot import Shot
from zeitbild.elements import kinds
from zeitbild.errors import InputError
from zeitbild.geometry.transforms import put
from zeitbild.resolve.facing import picture_plane, set_up
from zeitbild.resolve.framing import extents_of
from zeitbild.resolve.resolving import resolve
from zeitbild.resolve.standing import Standing, groups_matrix
from zeitbild.shipped import AssetSource
from zeitbild.snapshot.quality import QUALITIES

Pair = tuple[float, float]
#: Units by which is found how the picture shows what lies beside a place.
_BESIDE = 0.01
Triple = tuple[float, float, float]


@dataclass(frozen=True, slots=True)
class Lies:
    """An element on the picture, in pixels of the raster from its upper left.

    box holds what is in front of the camera (left, top, right, bottom), if anything is; pivot is where its pivot is seen; across and down
    are how its position in the document changes when it goes a pixel to the right, or down, in the plane of the picture that its
    pivot lies in.
    """

    element: str
    box: tuple[float, float, float, float] | None
    pivot: Pair
    across: Triple
    down: Triple


def lie_on(shot: Shot, frame: int, assets: AssetSource) -> tuple[Lies, ...]:
    """Where the elements that are there lie at a frame, through the camera in view; of groups, what stands in them. What has its pivot
    behind the camera is left out."""
    snapshot = resolve(shot, frame, assets)
    camera = snapshot.camera
    plain = evaluate(shot, time_of(shot, frame))
    extents = extents_of(snapshot)
    boxes = {name: (one.left, one.top, one.right, one.bottom) for name, one in extents.items() if not one.nothing}
    for element in plain.elements:
        if element.id in boxes:
            for group in plain.groups_of(element):
                boxes[group.id] = _around(boxes.get(group.id), boxes[element.id])
    right, up, _ = camera.axes
    found = []
    for element in plain.elements:
        if element.id not in boxes and not (kinds.get(element.kind).holds and element.shown):
            continue
        within = groups_matrix(plain.groups_of(element), time_of(shot, frame), assets)
        if kinds.get(element.kind).faces(element).stands == "on the picture":
            within = picture_plane(camera) @ within
        pivot = within @ [*element.placement.position, 1.0]
        x, y, w = camera.project(pivot[None, :3])[0]
        if w <= camera.near and not camera.parallel:
            continue
        a_pixel = w / camera.focal
        linear = within[:3, :3]
        # A group that is flattened to nothing lets nothing in it be moved.
        back = np.linalg.inv(linear) if abs(np.linalg.det(linear)) > 1e-12 else np.zeros((3, 3))
        across, down = back @ right * a_pixel, back @ -up * a_pixel
        found.append(Lies(element.id, boxes.get(element.id), (x / w, y / w), _triple(across), _triple(down)))
    return tuple(found)


@dataclass(frozen=True, slots=True)
class Marked:
    """A mark of an element (``elements.base.Mark``) on the picture: its points in pixels of the raster, and what takes its own places, and
    ways but for its own turn and stretch, to pixels about its first point."""

    name: str
    points: tuple[Pair, ...]
    own: tuple[float, float, float, float, float, float]
    carried: tuple[float, float, float, float]


def marks_of(shot: Shot, element: str, frame: int, assets: AssetSource) -> tuple[Marked, ...]:
    """What hands take hold of in an element beside the whole, through the camera in view; what is behind the camera is left out.
    InputError if there is no such element."""
    number = next((at for at, one in enumerate(shot.elements) if one.id == element), -1)
    if number < 0:
        raise InputError(f"there is no element {element[:40]!r}", "element")
    time = time_of(shot, frame)
    placed, marks = Standing(shot, [(number, "shown")], assets, time).marks(number)
    plain = evaluate(shot, time)
    camera = set_up(plain.camera_of(""), plain.raster)

    def seen(points: NDArray[np.float64]) -> NDArray[np.float64] | None:
        """Places of the element's plane [n, 2] in pixels."""
        at = camera.project(put(placed, np.column_stack([points, np.zeros(len(points))])))
        if not camera.parallel and (at[:, 2] <= camera.near).any():
            return None
        found: NDArray[np.float64] = at[:, :2] / at[:, 2:]
        return found

    told = []
    for mark in marks:
        points = np.array(mark.points, np.float64).reshape(-1, 2)
        on = seen(points)
        # How a place beside the first point goes to pixels: perspective is straight for so little.
        around = seen(points[0] + np.array([[0.0, 0.0], [_BESIDE, 0.0], [0.0, _BESIDE]]))
        if on is None or around is None:
            continue
        to_pixels = np.stack([around[1] - around[0], around[2] - around[0]], axis=1) / _BESIDE
        own, carried = np.array(mark.own).reshape(2, 3), np.array(mark.carried).reshape(2, 3)
        linear = to_pixels @ own[:, :2]
        shift = around[0] + to_pixels @ (own[:, 2] - points[0])
        a, b, c, d, e, f = np.column_stack([linear, shift]).reshape(-1).tolist()
        k, m, n, o = (to_pixels @ carried[:, :2]).reshape(-1).tolist()
        told.append(Marked(mark.name, tuple((float(x), float(y)) for x, y in on), (a, b, c, d, e, f), (k, m, n, o)))
    return tuple(told)


def way_of(shot: Shot, element: str, frames: Sequence[int], assets: AssetSource) -> list[Pair | None]:
    """Where an element's pivot is seen at frames, in pixels of the raster, through the camera in view; None behind the camera.
    InputError if there is no such element."""
    its = next((one for one in shot.elements if one.id == element), None)
    if its is None:
        raise InputError(f"there is no element {element[:40]!r}", "element")
    found: list[Pair | None] = []
    # The camera as it was last, and what it looks like set up: most stand still.
    before: Any = None
    # What its place was found from last: what turns in its place is seen in one.
    placed_by: Any = None
    # What it does not stand in has no say in that.
    groups, looked_through = shot.groups_of(its), shot.camera_of("")
    for frame in frames:
        time = time_of(shot, frame)
        own, seen_by = its.at(time), looked_through.at(time)
        if seen_by is not before:
            before, camera, placed_by = seen_by, set_up(seen_by, shot.raster), None
        position, stands = own.placement.position, kinds.get(own.kind).faces(own).stands
        if placed_by == (position, stands) and not groups:
            found.append(found[-1])
            continue
        placed_by = position, stands
        within = groups_matrix([at_rest(one, time) for one in groups], time, assets)
        if stands == "on the picture":
            within = picture_plane(camera) @ within
        pivot = within @ [*position, 1.0]
        x, y, w = camera.project(pivot[None, :3])[0]
        found.append(None if w <= camera.near and not camera.parallel else (float(x / w), float(y / w)))
    return found


def picked(shot: Shot, frame: int, assets: AssetSource, x: float, y: float) -> tuple[str, ...]:
    """The elements that are seen at a place of the picture (pixels of the raster), the nearest first; last what shows nothing but shadow.
    Edges are those of straight triangles, so they may be off by a fraction of a pixel."""
    snapshot = resolve(shot, frame, assets).built(QUALITIES["rough"])
    nearest: dict[str, float] = {}
    shown: set[str] = set()
    for body, mesh in zip(snapshot.bodies, snapshot.built_meshes, strict=True):
        if body.role == "unseen" or not len(mesh.triangles):
            continue
        points = put(np.array(body.matrix).reshape(4, 4), mesh.vertices)
        corners = snapshot.camera.project(points)[mesh.triangles]
        # Shifted so that the place is the origin: a triangle covers it where all edge functions have one sign.
        a, b, c = (corners[:, at] - corners[:, at, 2:] * [x, y, 0.0] for at in range(3))
        areas = [u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0] for u, v in ((b, c), (c, a), (a, b))]
        front = (corners[:, :, 2] > snapshot.camera.near).all(axis=1) | snapshot.camera.parallel
        covers = front & (np.all([one >= 0 for one in areas], axis=0) | np.all([one <= 0 for one in areas], axis=0))
        total = areas[0] + areas[1] + areas[2]
        covers &= np.abs(total) > 0
        if not covers.any():
            continue
        away = snapshot.camera.distance(points)[mesh.triangles[covers]]
        shares = np.stack([one[covers] / total[covers] for one in areas], axis=1)
        # Of homogeneous corners these shares are right in perspective, too (Olano and Greer 1997).
        depths = (away * shares).sum(axis=1)
        nearest[body.element] = min(nearest.get(body.element, np.inf), float(depths.min()))
        if not body.only_shadow:
            shown.add(body.element)
    return tuple(sorted(nearest, key=lambda one: (one not in shown, nearest[one])))


def _around(
    one: tuple[float, float, float, float] | None, other: tuple[float, float, float, float]
) -> tuple[float, float, float, float]:
    if one is None:
        return other
    return min(one[0], other[0]), min(one[1], other[1]), max(one[2], other[2]), max(one[3], other[3])


def _triple(values: NDArray[np.float64]) -> Triple:
    return float(values[0]), float(values[1]), float(values[2])
