"""A triangle mesh as the renderer takes it."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, slots=True, eq=False)
class Mesh:
    """Triangles with a normal at each corner.

    vertices   [V, 3] float64, in the element's own units, pivot at the origin
    triangles  [T, 3] int32, anticlockwise seen from outside
    normals    [T, 3, 3] float32, unit length, one for each corner
    parts      [T] int32, which finish of its element a triangle takes
    patches    [T] int32, triangles of one patch form one smooth surface
    unwrapped  [T, 3, 2] float32 or None: where its corners lie in a picture, as shares of its width and height from the upper left
    closed     True if the surface bounds a volume; then triangles facing away need not be drawn
    rest       [V, 2] float64 or None: where the vertices of flat art lie before it is bent, in the units of who bends it
    """

    vertices: NDArray[np.float64]
    triangles: NDArray[np.int32]
    normals: NDArray[np.float32]
    parts: NDArray[np.int32]
    patches: NDArray[np.int32]
    closed: bool
    unwrapped: NDArray[np.float32] | None = None
    rest: NDArray[np.float64] | None = None
    #: What was asked of it before: a mesh never changes.
    _known: dict[str, NDArray[np.float64]] = field(default_factory=dict, init=False, repr=False)
    _some: dict[tuple[int, ...], Mesh] = field(default_factory=dict, init=False, repr=False)

    def at(self, tolerance: float) -> Mesh:
        """This mesh: it is as fine as it is (see ``form.Form``)."""
        return self

    def carried(self, mesh: Mesh) -> Mesh | None:
        """This mesh, if it has the same triangles (see ``form.Form``)."""
        if self.triangles is not mesh.triangles and (
            len(self.vertices) != len(mesh.vertices) or not np.array_equal(self.triangles, mesh.triangles)
        ):
            return None
        return self

    @property
    def bounds(self) -> NDArray[np.float64]:
        """Lowest and highest corner of the box around it [2, 3]; not to be written to."""
        found = self._known.get("bounds")
        if found is None:
            found = self._known["bounds"] = box_around(self.vertices) if len(self.vertices) else np.zeros((2, 3))
        return found

    @property
    def radius(self) -> float:
        """Distance of the farthest vertex from the pivot."""
        if not len(self.vertices):
            return 0.0
        found = self._known.get("radius")
        if found is None:
            x, y, z = self.vertices.T
            found = self._known["radius"] = np.sqrt((x * x + y * y + z * z).max())
        return float(found)

    def of_parts(self, parts: tuple[int, ...], *, closed: bool) -> Mesh:
        """What of it takes some finishes, which are numbered anew in that order, taken as ``closed`` or not: the same object for the same
        ones."""
        key = *parts, int(closed)
        found = self._some.get(key)
        if found is None:
            found = self._some.setdefault(key, self._of_parts(parts, closed))
        return found

    def _of_parts(self, parts: tuple[int, ...], closed: bool) -> Mesh:
        there = np.isin(self.parts, parts)
        used, triangles = np.unique(self.triangles[there], return_inverse=True)
        number = np.zeros(max((*parts, 0)) + 1, np.int32)
        number[list(parts)] = np.arange(len(parts))
        return Mesh(
            self.vertices[used],
            triangles.reshape(-1, 3).astype(np.int32),
            self.normals[there],
            number[self.parts[there]],
            self.patches[there],
            closed,
            None if self.unwrapped is None else self.unwrapped[there],
            None if self.rest is None else self.rest[used],
        )

    def volume(self) -> float:
        """Signed volume by the divergence theorem; meaningful when closed."""
        a, b, c = (self.vertices[self.triangles[:, corner]] for corner in range(3))
        return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6)

    def open_edges(self) -> int:
        """Directed edges without exactly one opposite partner; 0 for a closed, consistently wound mesh."""
        edges = np.concatenate([self.triangles[:, [0, 1]], self.triangles[:, [1, 2]], self.triangles[:, [2, 0]]])
        size = np.int64(len(self.vertices))
        there, counts = np.unique(edges[:, 0].astype(np.int64) * size + edges[:, 1], return_counts=True)
        back = np.unique(edges[:, 1].astype(np.int64) * size + edges[:, 0])
        return int((counts > 1).sum() + np.setxor1d(there, back).size)


def box_around(points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Lowest and highest corner [2, 3] of the box around points [n, 3], at least one. Axis by axis: numpy looks through short rows ten
    times more slowly."""
    axes = points.T
    return np.array([[axis.min() for axis in axes], [axis.max() for axis in axes]])


#: A mesh without any surface.
NOTHING = Mesh(
    np.zeros((0, 3)),
    np.zeros((0, 3), np.int32),
    np.zeros((0, 3, 3), np.float32),
    np.zeros(0, np.int32),
    np.zeros(0, np.int32),
    False,
)


def place_keys(points: NDArray[np.float64], step: float) -> NDArray[np.int64]:
    """A number for each point [n], the same for points [n, 3] that are one to within about ``step`` (units): sorting numbers is ten times
    faster than sorting rows."""
    cells = np.round(points / step).astype(np.int64)
    mixed = np.array([0x9E3779B97F4A7C15, 0xC2B2AE3D27D4EB4F, 0x165667B19E3779F9], np.uint64).view(np.int64)
    keys: NDArray[np.int64] = (cells * mixed).sum(axis=1)
    return keys
