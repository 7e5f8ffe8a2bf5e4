"""Pinhole camera by position, look-at point and horizontal angle of view."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

#: Nothing nearer than this share of the distance to the look-at point is drawn.
_NEAR_SHARE = 1e-4
#: Width of the gate in millimetres that focal lengths refer to (optics handbook: 36 x 24 mm still frame).
GATE_MM = 36.0


def angle_of_focal_length(focal_mm: float, gate_mm: float = GATE_MM) -> float:
    """Horizontal angle of view in degrees, 2 atan(w / 2f)."""
    return math.degrees(2 * math.atan(gate_mm / (2 * focal_mm)))


def focal_length_of_angle(degrees: float, gate_mm: float = GATE_MM) -> float:
    """Focal length in millimetres for a horizontal angle of view in degrees."""
    return gate_mm / (2 * math.tan(math.radians(degrees) / 2))


@dataclass(frozen=True, slots=True, eq=False)
class Camera:
    """A camera set up for a raster.

    eye      [3] position in the world
    axes     [3, 3] rows: right, up, forward; unit length
    focal    pixels from the pinhole to the picture plane
    width, height   raster in pixels
    near     smallest distance along the axis that is drawn
    """

    eye: NDArray[np.float64]
    axes: NDArray[np.float64]
    focal: float
    width: int
    height: int
    near: float

    def project(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """Homogeneous pixel coordinates [n, 3] of world points [n, 3]: (x w, y w, w), w the distance along the axis.

        Pixel (0, 0) covers 0..1 in x and y, y runs downwards.
        """
        right, up, forward = self.axes
        relative = points - self.eye
        depth = relative @ forward
        across = relative @ right * self.focal + depth * (self.width / 2)
        down = -(relative @ up) * self.focal + depth * (self.height / 2)
        return np.ascontiguousarray(np.column_stack([across, down, depth]))


def look_at(
    position: tuple[float, float, float], target: tuple[float, float, float], angle: float, width: int, height: int
) -> Camera:
    """A level camera at ``position`` looking at ``target``; ``angle`` is the horizontal angle of view in degrees.

    Looking straight up or down keeps the picture's top towards -z or +z. Position and target must differ.
    """
    eye, aim = np.asarray(position, dtype=np.float64), np.asarray(target, dtype=np.float64)
    forward = aim - eye
    distance = float(np.linalg.norm(forward))
    forward /= distance
    right = np.cross(forward, (0.0, 1.0, 0.0))
    length = float(np.linalg.norm(right))
    right = np.array([1.0, 0.0, 0.0]) if length < 1e-9 else right / length
    up = np.cross(right, forward)
    focal = width / 2 / math.tan(math.radians(angle) / 2)
    return Camera(eye, np.stack([right, up, forward]), focal, width, height, distance * _NEAR_SHARE)
