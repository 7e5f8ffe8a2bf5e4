"""Camera by position and look-at point: pinhole, or orthographic."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import kernel

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


@kernel
def _project(points, eye, ways, middle_x, middle_y, parallel, out):  # type: ignore[no-untyped-def]
    """``Camera.project`` in one go: a million points are some tens of megabytes, and numpy would make several passes."""
    for n in range(points.shape[0]):
        x, y, z = points[n, 0] - eye[0], points[n, 1] - eye[1], points[n, 2] - eye[2]
        w = 1.0 if parallel else ways[2, 0] * x + ways[2, 1] * y + ways[2, 2] * z
        out[n, 0] = ways[0, 0] * x + ways[0, 1] * y + ways[0, 2] * z + w * middle_x
        out[n, 1] = ways[1, 0] * x + ways[1, 1] * y + ways[1, 2] * z + w * middle_y
        out[n, 2] = w


@dataclass(frozen=True, slots=True, eq=False)
class Camera:
    """A camera set up for a raster.

    eye      [3] position in the world
    axes     [3, 3] rows: right, up, forward; unit length
    focal    pixels from the pinhole to the picture plane; orthographic: pixels a unit
    width, height   raster in pixels
    near     smallest distance along the axis that is drawn; nothing is too near for an orthographic camera
    parallel True for an orthographic camera
    """

    eye: NDArray[np.float64]
    axes: NDArray[np.float64]
    focal: float
    width: int
    height: int
    near: float
    parallel: bool = False

    @property
    def away(self) -> float:
        """How far it is from what it looks at."""
        return self.near / _NEAR_SHARE

    def project(self, points: NDArray[np.float64], shift: tuple[float, float] = (0.0, 0.0)) -> NDArray[np.float64]:
        """Homogeneous pixel coordinates [n, 3] of world points [n, 3]: (x w, y w, w), w the distance along the axis, or
        1 for an orthographic camera.

        Pixel (0, 0) covers 0..1 in x and y, y runs downwards; ``shift`` moves what is seen by so many pixels.
        """
        right, up, forward = self.axes
        out = np.empty((len(points), 3))
        ways = np.stack([right * self.focal, -up * self.focal, forward])
        middle = self.width / 2 + shift[0], self.height / 2 + shift[1]
        _project(np.ascontiguousarray(points, np.float64), self.eye, ways, *middle, self.parallel, out)
        return out

    def distance(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """Distance [n] of world points along the viewing axis."""
        along: NDArray[np.float64] = (points - self.eye) @ self.axes[2]
        return along


@dataclass(frozen=True, slots=True)
class DepthScale:
    """How rasterising orders depths: by a number for each corner that is linear on the picture plane when divided by w.

    In perspective that is 1 / w itself, for corners all 1. Orthographic depths are linear already; they are scaled to
    run from 1, nearest, to just above 0. Where such a camera stands cuts nothing off: what lies behind that has depths below 0.
    """

    nearest: float
    farthest: float
    parallel: bool

    @classmethod
    def of(cls, camera: Camera, distances: NDArray[np.float64]) -> DepthScale:
        """The scale for corners at such distances."""
        near, far = camera.near, float(distances.max(initial=camera.near))
        if camera.parallel:
            near = float(distances.min(initial=near))
        room = max(1e-6, 1e-3 * abs(far - near))
        return cls(near - room if camera.parallel else near, far + room, camera.parallel)

    def order(self, distances: NDArray[np.float64]) -> NDArray[np.float64]:
        """The number for each corner [n]."""
        if not self.parallel:
            return np.ones(len(distances))
        scaled: NDArray[np.float64] = (self.farthest - distances) / (self.farthest - self.nearest)
        return scaled

    @property
    def near(self) -> float:
        """What rasterising takes for the nearest drawn depth."""
        return 1.0 if self.parallel else self.nearest

    @property
    def least_w(self) -> float:
        """Corners with w up to here lie behind the camera; an orthographic camera has nothing behind."""
        return 0.0 if self.parallel else self.nearest

    def depth(self, drawn: NDArray[np.float32], nothing: float) -> NDArray[np.float32]:
        """Distances of what was drawn [H, W], from the depths that rasterising gives."""
        if not self.parallel:
            return drawn
        reach = np.float32(self.farthest - self.nearest)
        return np.where(drawn >= nothing, np.float32(nothing), np.float32(self.farthest) - reach / drawn)


def look_at(
    position: tuple[float, float, float],
    target: tuple[float, float, float],
    angle: float,
    width: int,
    height: int,
    *,
    roll: float = 0.0,
    span: float = 0.0,
) -> Camera:
    """A camera at ``position`` looking at ``target``; ``angle`` is the horizontal angle of view in degrees.

    ``roll`` turns the picture clockwise by degrees; ``span`` above 0 makes the camera orthographic with a picture so wide
    in units. Looking straight up or down keeps the picture's top towards -z or +z. Position and target must differ.
    """
    # To make one picture the same camera is set up a dozen times.
    return _look_at(tuple(position), tuple(target), angle, width, height, roll, span)


@lru_cache(maxsize=256)
def _look_at(
    position: tuple[float, ...],
    target: tuple[float, ...],
    angle: float,
    width: int,
    height: int,
    roll: float,
    span: float,
) -> Camera:
    eye, aim = np.asarray(position, dtype=np.float64), np.asarray(target, dtype=np.float64)
    forward = aim - eye
    distance = float(np.linalg.norm(forward))
    forward /= distance
    # Cross products with (0, 1, 0) and with right; numpy's own takes ten times as long for so few numbers.
    x, y, z = (float(value) for value in forward)
    length = math.hypot(x, z)
    rx, rz = (1.0, 0.0) if length < 1e-9 else (-z / length, x / length)
    right, up = np.array([rx, 0.0, rz]), np.array([-rz * y, rz * x - rx * z, rx * y])
    if roll:
        # The picture turns clockwise when the camera turns the other way.
        cosine, sine = math.cos(math.radians(roll)), math.sin(math.radians(roll))
        right, up = cosine * right + sine * up, cosine * up - sine * right
    focal = width / span if span > 0 else width / 2 / math.tan(math.radians(angle) / 2)
    return Camera(eye, np.stack([right, up, forward]), focal, width, height, distance * _NEAR_SHARE, span > 0)
