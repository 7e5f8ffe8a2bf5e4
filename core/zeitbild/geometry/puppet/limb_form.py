"""One part of a puppet as flat art, about its pivot, straight or bent."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import manifold3d
import numpy as np
from numpy.typing import NDArray

from zeitbild.geometry.drawing.painting import Drawing
from zeitbild.geometry.drawing.shades import Shade, shares_in
from zeitbild.geometry.mesh import Mesh
from zeitbild.geometry.puppet.bending import Bend, subdivided
from zeitbild.geometry.seams import shortened

Floats = NDArray[np.float64]

#: Finest and coarsest that outlines are made, as shares of the part.
_FINEST, _COARSEST = 2.0**-18, 2.0**-9
#: How far (as a share of the drawing) points may be apart for triangles to be made of them.
_PRECISION = 1e-9
#: Twice the area (as a share of the square of that) below which a triangle is none.
_NOTHING = 1e-14


@dataclass(frozen=True, slots=True, eq=False)
class LimbForm:
    """What a part paints, ``scale`` units for one of the drawing; see ``form.Form``. pivot (drawing units) comes to the origin; bend is in units
    of the drawing, too. The parts of its mesh are the drawing's shades in their order. boxes [2, 2] are those over which what
    fills each shade lies (drawing units), bent or not."""

    drawing: Drawing
    scale: float
    pivot: tuple[float, float]
    boxes: Mapping[Shade, Floats]
    bend: Bend | None = None
    _meshes: dict[float, Mesh] = field(default_factory=dict)

    @property
    def bounds(self) -> Floats:
        """See ``Form.bounds``."""
        if self.bend is not None:
            radius = self.radius
            return np.array([[-radius, -radius, 0.0], [radius, radius, 0.0]])
        corners = (self.drawing.bounds - self.pivot) * self.scale
        return np.column_stack([corners, np.zeros(2)])

    @property
    def radius(self) -> float:
        """See ``Form.radius``; bent it reaches no farther than straight, as lengths along its bone stay."""
        corners = np.abs(self.drawing.bounds - self.pivot).max(axis=0) * self.scale
        return float(np.hypot(*corners)) * (1.0 if self.bend is None else 1.5)

    def at(self, tolerance: float) -> Mesh:
        """See ``Form.at``."""
        low, high = self.drawing.bounds
        size = float((high - low).max()) * self.scale
        fineness = min(max(2.0 ** math.floor(math.log2(tolerance / size)), _FINEST), _COARSEST)
        known = self._meshes.get(fineness)
        if known is None:
            known = self._meshes[fineness] = self._made(fineness * size / self.scale)
        return known

    def _made(self, tolerance: float) -> Mesh:
        vertices, rest, triangles, parts, patches, lies, first = [], [], [], [], [], [], 0
        for number, region in enumerate(self.drawing.regions(tolerance)):
            own = self.drawing.like(region.shade)
            rings = [ring * region.outline.step + region.outline.origin for ring in region.outline.loops()]
            straight, bent = self._bent(rings, tolerance)
            points, faces = _flat(bent)
            rest.append(np.concatenate(straight))
            lies.append(self._lies(rest[-1][faces], self.drawing.shades[own]))
            vertices.append(points)
            triangles.append(faces + first)
            parts.append(np.full(len(faces), own, np.int32))
            # What has another colour is another surface.
            patches.append(np.full(len(faces), number, np.int32))
            first += len(points)
        flat = (np.concatenate(vertices) - self.pivot) * self.scale
        whole = np.concatenate(triangles).astype(np.int32)
        normals = np.broadcast_to(np.array([0, 0, 1], np.float32), (len(whole), 3, 3)).copy()
        return Mesh(
            np.column_stack([flat, np.zeros(len(flat))]),
            whole,
            normals,
            np.concatenate(parts),
            np.concatenate(patches),
            False,
            np.concatenate(lies) if any(one.painting or one.inlay >= 0 for one in self.drawing.shades) else None,
            np.concatenate(rest),
        )

    def carried(self, mesh: Mesh) -> Mesh | None:
        """See ``Form.carried``."""
        if mesh.rest is None:
            return None
        flat = mesh.rest if self.bend is None else self.bend.put(mesh.rest)[0]
        return replace(mesh, vertices=np.column_stack([(flat - self.pivot) * self.scale, np.zeros(len(flat))]))

    def _lies(self, corners: Floats, shade: Shade) -> NDArray[np.float32]:
        """Shares of the page, or of the picture that fills them, from its upper left."""
        if shade.inlay >= 0:
            return self.drawing.inlays[shade.inlay].shares(corners)
        if not shade.painting:
            return np.zeros(corners.shape, np.float32)
        return shares_in(self.boxes[shade], corners)

    def _bent(self, rings: list[Floats], tolerance: float) -> tuple[list[Floats], list[Floats]]:
        """The outlines as drawn, with points enough, and bent."""
        bend = self.bend
        if bend is None or bend.angle == 0:
            return rings, rings
        fine = subdivided(rings, bend, tolerance)
        return fine, [bend.put(ring)[0] for ring in fine]


def _flat(rings: Sequence[Floats]) -> tuple[Floats, NDArray[np.int64]]:
    """Points and triangles, anticlockwise, of what closed outlines enclose."""
    points = np.concatenate(list(rings))
    extent = float(np.ptp(points, axis=0).max())
    faces = np.asarray(manifold3d.triangulate(list(rings), extent * _PRECISION), np.int64).reshape(-1, 3)
    a, b, c = (points[faces[:, corner]] for corner in range(3))
    area = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    # Of points in one line nothing is left but rounding.
    return points, shortened(points, faces[area > extent * extent * _NOTHING])


def points_along(drawing: Drawing, apart: float) -> Floats:
    """Points [n, 2] along the outlines of a drawing, so far apart at most (its units)."""
    found = []
    for region in drawing.firm(apart / 8):
        for ring in region.outline.loops():
            points = ring * region.outline.step + region.outline.origin
            after = np.roll(points, -1, axis=0)
            counts = np.maximum(np.ceil(np.hypot(*(after - points).T) / apart), 1).astype(int)
            which = np.repeat(np.arange(len(points)), counts)
            shares = (np.arange(len(which)) - np.repeat(np.cumsum(counts) - counts, counts)) / counts[which]
            found.append(points[which] + shares[:, None] * (after - points)[which])
    return np.concatenate(found)
