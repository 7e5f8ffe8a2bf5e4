"""How what is flat stands to the camera: on the picture, turned towards it, or seen from behind."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from zeitbild.document.shot import Camera as OwnCamera
from zeitbild.document.shot import Raster
from zeitbild.snapshot import Matrix
from zeitbild.snapshot.camera import Camera, look_at

Floats = NDArray[np.float64]

#: How far away what lies on the picture is, in the distance from which on anything is drawn; in an orthographic picture, which has nothing behind
#: its camera, how far behind, in what it is wide or the camera is away from what it looks at.
_BEFORE_ALL, _BEHIND_ALL = 100.0, 4.0


def set_up(camera: OwnCamera, raster: Raster) -> Camera:
    """A document's camera at rest (``evaluate``) for a raster."""
    span = camera.span if camera.projection == "orthographic" else 0.0
    angle, width, height = camera.horizontal_angle, raster.width, raster.height
    return look_at(camera.position, camera.look_at, angle, width, height, roll=camera.roll, span=span)


def picture_plane(camera: Camera) -> Floats:
    """What takes pixels of the raster from its middle, up and towards the eye, to the set [4, 4], before everything else."""
    away = _BEFORE_ALL * camera.near
    size = away / camera.focal
    if camera.parallel:
        size = 1 / camera.focal
        away = -_BEHIND_ALL * max(camera.width * size, camera.away)
    right, up, forward = camera.axes
    placed = np.eye(4)
    placed[:3, :3] = np.stack([right, up, -forward], axis=1) * size
    placed[:3, 3] = camera.eye + forward * away
    return placed


def seen_from_behind(camera: OwnCamera, matrix: Matrix) -> bool:
    """Whether a camera sees the back of something flat, whose front looks along its z, that stands like this."""
    placed = np.array(matrix).reshape(4, 4)
    front = np.cross(placed[:3, 0], placed[:3, 1])
    return float(front @ _towards(camera, placed[:3, 3])) < 0


def turned_to(camera: OwnCamera, placed: Floats, own: Floats, pivot: Floats, *, upright: bool) -> Floats:
    """What stands like ``placed`` [4, 4] with its front to a camera, about its pivot [3] (units of its own) and as large as it is there.

    own [3, 3] is the part of ``placed`` that is the element's own turn and size: it keeps that about the way to the camera. With upright it
    turns only about the upright.
    """
    stands = placed @ [*pivot, 1.0]
    way = _towards(camera, stands[:3])
    if upright:
        way = way * [1, 0, 1]
    length = float(np.linalg.norm(way))
    if length < 1e-9:
        return placed
    front = way / length
    right = np.cross([0.0, 1.0, 0.0], front)
    if float(np.linalg.norm(right)) < 1e-6:
        # Seen from straight above or below.
        right = np.array([1.0, 0.0, 0.0])
    right /= np.linalg.norm(right)
    size = abs(float(np.linalg.det(placed[:3, :3]) / (np.linalg.det(own) or 1))) ** (1 / 3)
    turned = np.eye(4)
    turned[:3, :3] = np.stack([right, np.cross(front, right), front], axis=1) @ own * size
    turned[:3, 3] = stands[:3] - turned[:3, :3] @ pivot
    return turned


def _towards(camera: OwnCamera, at: Floats) -> Floats:
    """The way from a place to a camera, or to its plane if it is orthographic [3]."""
    end = np.array(camera.look_at) if camera.projection == "orthographic" else at
    way: Floats = np.array(camera.position) - end
    return way
