"""Pictures that kinds make themselves, of how much of something flat is there: soft shadows, and ground that fades."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from zeitbild.geometry.mesh import Mesh

#: Pixels of a soft shadow for each of its standard deviations, and a side at most.
_FINE, _LARGEST = 4.0, 768
#: Samples a pixel along each side before it is blurred.
_SAMPLES = 8
#: Standard deviations after which nothing is left of an edge.
_REACH = 3.2
#: Pixels a side of a fading ground, and of the smallest picture of anything.
_GROUND = 256


def quad(left: float, bottom: float, right: float, top: float, part: int, *, level: bool = False) -> Mesh:
    """A rectangle that a picture lies over once, towards the front, or level (its y is then the set's -z)."""
    corners = np.array([[left, bottom, 0.0], [right, bottom, 0], [right, top, 0], [left, top, 0]])
    normal = np.array([0.0, 0, 1], np.float32)
    if level:
        corners, normal = corners[:, [0, 2, 1]] * (1, 1, -1), np.array([0.0, 1, 0], np.float32)
    shares = np.array([[0, 1], [1, 1], [1, 0], [0, 0]], np.float32)
    triangles = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
    return Mesh(
        corners,
        triangles,
        np.broadcast_to(normal, (2, 3, 3)).copy(),
        np.full(2, part, np.int32),
        np.zeros(2, np.int32),
        False,
        shares[triangles],
    )


def blurred(mesh: Mesh, deviation: float) -> tuple[tuple[float, float, float, float], NDArray[np.float32]]:
    """How much of a flat mesh is there after a Gaussian blur by a standard deviation (units): the rectangle (left, bottom, right, top) and
    alpha [H, W] over it."""
    import cv2  # a quarter of a second at the start, which few pictures need

    low, high = mesh.bounds[:, :2]
    extent = float((high - low).max())
    deviation = max(deviation, extent / 4096)
    margin = _REACH * deviation
    left, bottom = (low - margin).tolist()
    right, top = (high + margin).tolist()
    pixel = max(deviation / _FINE, max(right - left, top - bottom) / _LARGEST)
    width, height = max(2, math.ceil((right - left) / pixel)), max(2, math.ceil((top - bottom) / pixel))
    right, bottom = left + width * pixel, top - height * pixel
    fine = np.zeros((height * _SAMPLES, width * _SAMPLES), np.uint8)
    places = (mesh.vertices[:, :2] - (left, top)) * (1, -1) / pixel * _SAMPLES - 0.5
    # Sixteenths of a sample, as the library counts them.
    corners = np.round(places * 16).astype(np.int32)
    for triangle in mesh.triangles:
        cv2.fillConvexPoly(fine, corners[triangle], 255, cv2.LINE_8, 4)
    alpha = fine.reshape(height, _SAMPLES, width, _SAMPLES).mean(axis=(1, 3), dtype=np.float64).astype(np.float32) / 255
    soft = cv2.GaussianBlur(alpha, (0, 0), deviation / pixel, borderType=cv2.BORDER_CONSTANT)
    return (left, bottom, right, top), np.ascontiguousarray(soft, np.float32).reshape(height, width)


def fading(share: float) -> NDArray[np.float32]:
    """How much is there of a disc in a square [H, W] that fades over the outer ``share`` of its radius, evenly at both ends."""
    at = (np.arange(_GROUND) + 0.5) / _GROUND * 2 - 1
    far = np.hypot(*np.meshgrid(at, at))
    rest = np.clip((1 - far) / max(share, 2 / _GROUND), 0, 1)
    return (rest * rest * (3 - 2 * rest)).astype(np.float32)


def halved(alpha: NDArray[np.float32], most: int) -> tuple[NDArray[np.float32], ...]:
    """Alpha [H, W] three times over and up to ``most`` halves of it, by area, as textures take it."""
    import cv2

    levels = [alpha]
    while max(levels[-1].shape) > 1 and len(levels) < most:
        height, width = (max(1, size // 2) for size in levels[-1].shape)
        smaller = cv2.resize(levels[-1], (width, height), interpolation=cv2.INTER_AREA)
        levels.append(np.asarray(smaller, np.float32).reshape(height, width))
    return tuple(np.repeat(one[..., None], 3, axis=2) for one in levels)
