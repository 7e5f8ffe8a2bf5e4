"""What may stand behind everything: one colour, or the surroundings themselves."""

from __future__ import annotations

import math
from functools import lru_cache

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL, parallel_kernel
from zeitbild.render.light.environment import radiance
from zeitbild.render.picture import Picture
from zeitbild.render.shade.shading import BEHIND, PLANES
from zeitbild.render.view.pixel_look import enlarge
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.camera import Camera, look_at
from zeitbild.snapshot.look import Gradient
from zeitbild.snapshot.surroundings import EnvironmentLight

_BEHIND = BEHIND
#: The value of ``Snapshot.backdrop`` that shows the surroundings.
SURROUNDINGS = "surroundings"
#: Generated surroundings are smooth: they are worked out at one of so many pixels a side, and spread.
_COARSE = 8
#: Moments of an open shutter at which surroundings that move are looked at.
_OFTEN = 32


def _directions(camera: Camera) -> NDArray[np.float64]:
    """Unit directions [H, W, 3] that the middles of a camera's pixels look in."""
    right, up, forward = camera.axes
    if camera.parallel:
        return np.broadcast_to(forward, (camera.height, camera.width, 3))
    x = (np.arange(camera.width) + 0.5 - camera.width / 2) / camera.focal
    y = (np.arange(camera.height) + 0.5 - camera.height / 2) / camera.focal
    ways = forward + x[None, :, None] * right - y[:, None, None] * up
    unit: NDArray[np.float64] = ways / np.linalg.norm(ways, axis=2, keepdims=True)
    return unit


@lru_cache(maxsize=2)
def _seen(
    light: EnvironmentLight,
    position: tuple[float, float, float],
    target: tuple[float, float, float],
    angle: float,
    roll: float,
    span: float,
    width: int,
    height: int,
) -> NDArray[np.float32]:
    import cv2  # a quarter of a second at the start, which few pictures need

    def through(across: int, down: int) -> Camera:
        return look_at(position, target, angle, across, down, roll=roll, span=span)

    if light.picture is not None:
        camera = through(width, height)
        # As fine as pixels are in the middle.
        return radiance(light, _directions(camera), round(2 * math.pi * camera.focal)).astype(np.float32)
    small = max(2, width // _COARSE), max(2, height // _COARSE)
    seen = radiance(light, _directions(through(*small))).astype(np.float32)
    spread: NDArray[np.float32] = cv2.resize(seen, (width, height), interpolation=cv2.INTER_LINEAR)
    return spread


def behind(snapshot: Snapshot) -> NDArray[np.float32] | None:
    """Linear colour of the backdrop, margin and all, [3], [H, 1, 3] or [H, W, 3]; None if it is clear."""
    if snapshot.backdrop is None:
        return None
    if isinstance(snapshot.backdrop, Gradient):
        # It runs over the raster; around it its ends go on.
        down = np.arange(-snapshot.margin, snapshot.height + snapshot.margin) + 0.5
        share = np.clip(down / snapshot.height, 0, 1)[:, None, None]
        above, below = np.array(snapshot.backdrop.above), np.array(snapshot.backdrop.below)
        rows: NDArray[np.float32] = (above + (below - above) * share).astype(np.float32)
        return rows
    if not isinstance(snapshot.backdrop, str):
        return np.asarray(snapshot.backdrop, np.float32)
    if snapshot.views or snapshot.moments:
        # What is around moves through the picture with the camera, and is seen as often.
        times = (np.arange(_OFTEN) + 0.5) / _OFTEN
        seen = [_around(snapshot.stretch([float(time)] * 3)) for time in times]
        mean: NDArray[np.float32] = np.mean(seen, axis=0, dtype=np.float32)
        return mean
    return _around(snapshot)


@parallel_kernel
def _lay_over(backdrop, held, beauty, planes):  # type: ignore[no-untyped-def]
    """Lay beauty [H, W, 4] over a backdrop [1 or H, 1 or W, 3], in place (over of Porter and Duff 1984): it is seen where neither anything
    covers it nor a hold-out hides it, held [H, W] if there are any. planes [H, W, PLANES] get what is seen of it, if they have a length."""
    zero, one = np.float32(0), np.float32(1)
    for y in numba.prange(beauty.shape[0]):
        row = min(np.int64(y), np.int64(backdrop.shape[0] - 1))
        for x in range(beauty.shape[1]):
            column = min(np.int64(x), np.int64(backdrop.shape[1] - 1))
            seen = one - beauty[y, x, 3]
            if held.shape[0] > 0:
                seen = max(seen - held[y, x], zero)
            for k in range(3):
                light = seen * backdrop[row, column, k]
                beauty[y, x, k] += light
                if planes.shape[0] > 0:
                    planes[y, x, _BEHIND + k] = light
            beauty[y, x, 3] += seen


def put_behind(snapshot: Snapshot, picture: Picture) -> bool:
    """Put a snapshot's backdrop behind a picture of it, margin and all, in place; False if it has none."""
    backdrop = behind(snapshot)
    if backdrop is None:
        return False
    held = np.empty((0, 0), np.float32) if picture.held is None else picture.held
    planes = np.empty((0, 0, PLANES), np.float32) if picture.planes is None else picture.planes
    # One colour, one for each row, or one for each pixel.
    of_pixels = np.ascontiguousarray(backdrop.reshape((1,) * (3 - backdrop.ndim) + backdrop.shape), np.float32)
    with PARALLEL:
        _lay_over(of_pixels, held, picture.beauty, planes)
    return True


def _around(snapshot: Snapshot) -> NDArray[np.float32]:
    """The surroundings as the camera sees them [H, W, 3]."""
    by = 1 if snapshot.pixels is None else snapshot.pixels.enlarge
    snapshot = snapshot.widened()
    seen = _seen(
        snapshot.environment,
        snapshot.camera_position,
        snapshot.camera_target,
        snapshot.camera_angle,
        snapshot.camera_roll,
        snapshot.camera_span,
        snapshot.width // by,
        snapshot.height // by,
    )
    return enlarge(seen, by) if by > 1 else seen
