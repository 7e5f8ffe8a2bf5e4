"""Ink that is there when parts of strokes are written: bands as wide as the strokes, or letters uncovered by them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

import manifold3d
import numpy as np
from numpy.typing import NDArray

from zeitbild.geometry.form import Stiff
from zeitbild.geometry.mesh import Mesh
from zeitbild.geometry.pen.strokes import Stroke
from zeitbild.geometry.seams import shortened

Floats = NDArray[np.float64]

#: How much wider than its stroke a pen uncovers a letter, so that corners and ends are there when it has been.
_WIDER = 1.45
#: Corners of a disc at least and at most.
_CORNERS = 10, 96
_FINEST, _COARSEST = 2.0**-16, 2.0**-9
_PRECISION = 1e-9


def band(stroke: Stroke, tolerance: float, wider: float = 1.0) -> manifold3d.CrossSection:
    """All that a round tip of a stroke's width covers on its way, off by ``tolerance`` at most."""
    stroke = stroke.thinned(tolerance / 2)
    points, radii = stroke.points, np.maximum(stroke.radii * wider, 1e-9)
    largest = float(radii.max())
    corners = math.ceil(math.pi / math.acos(max(1 - min(tolerance / largest, 1), 0.0)) if tolerance < largest else 0)
    corners = min(max(corners, _CORNERS[0]), _CORNERS[1])
    turn = 2 * math.pi * np.arange(corners) / corners
    # As large as the disc in the mean.
    circle = np.column_stack([np.cos(turn), np.sin(turn)]) * math.sqrt(turn[1] / math.sin(turn[1]))
    rings = [point + radius * circle for point, radius in zip(points, radii, strict=True)]
    steps = np.diff(points, axis=0)
    lengths = np.hypot(*steps.T)
    for at in np.flatnonzero(lengths > 0):
        across = np.array([-steps[at, 1], steps[at, 0]]) / lengths[at]
        a, b, r, s = points[at], points[at + 1], radii[at], radii[at + 1]
        rings.append(np.array([a - across * r, b - across * s, b + across * s, a + across * r]))
    return manifold3d.CrossSection(rings, manifold3d.FillRule.Positive)


@dataclass(frozen=True, slots=True, eq=False)
class Piece:
    """A letter or another thing that is written as one: its outlines (none: bands alone), numbers of its strokes, and whether they are all that it
    has: then it is whole once they are written."""

    rings: tuple[Floats, ...]
    strokes: tuple[int, ...]
    all_of_it: bool = True


@dataclass(frozen=True, slots=True, eq=False)
class Written(Stiff):
    """What is written of some pieces, flat; see ``form.Form``. parts are from when to when (shares of its time) each stroke is there; size is that
    of all of it."""

    pieces: tuple[Piece, ...]
    strokes: tuple[Stroke, ...]
    parts: tuple[tuple[float, float], ...]
    by_hand: bool
    size: float
    whole: dict[tuple[int, float], tuple[Floats, NDArray[np.int64]]]
    _meshes: dict[float, Mesh] = field(default_factory=dict)

    @property
    def bounds(self) -> Floats:
        """See ``Form.bounds``."""
        half = self.size
        return np.array([[-half, -half, 0.0], [half, half, 0.0]])

    @property
    def radius(self) -> float:
        """See ``Form.radius``."""
        return self.size

    def at(self, tolerance: float) -> Mesh:
        """See ``Form.at``."""
        fineness = min(max(2.0 ** math.floor(math.log2(tolerance / self.size)), _FINEST), _COARSEST)
        known = self._meshes.get(fineness)
        if known is None:
            known = self._meshes[fineness] = self._made(fineness * self.size)
        return known

    def _made(self, tolerance: float) -> Mesh:
        vertices, triangles, patches, first = (
            [np.zeros((0, 2))],
            [np.zeros((0, 3), np.int64)],
            [np.zeros(0, np.int32)],
            0,
        )
        for number, piece in enumerate(self.pieces):
            points, faces = self._piece(number, piece, tolerance)
            vertices.append(points)
            triangles.append(faces + first)
            patches.append(np.zeros(len(faces), np.int32))
            first += len(points)
        whole = np.concatenate(triangles).astype(np.int32)
        flat = np.concatenate(vertices)
        return Mesh(
            np.column_stack([flat, np.zeros(len(flat))]),
            whole,
            np.broadcast_to(np.array([0, 0, 1], np.float32), (len(whole), 3, 3)).copy(),
            np.zeros(len(whole), np.int32),
            np.concatenate(patches),
            False,
        )

    def _piece(self, number: int, piece: Piece, tolerance: float) -> tuple[Floats, NDArray[np.int64]]:
        parts = [self.parts[at] for at in piece.strokes]
        if all(first <= 0 and last >= 1 for first, last in parts):
            key = number, tolerance
            if key not in self.whole:
                self.whole[key] = flat_of(self._ink(piece, tolerance))
            return self.whole[key]
        return flat_of(self._ink(piece, tolerance))

    def _ink(self, piece: Piece, tolerance: float) -> manifold3d.CrossSection:
        outline = manifold3d.CrossSection([np.asarray(ring) for ring in piece.rings], manifold3d.FillRule.NonZero)
        if piece.rings and piece.all_of_it and all(self.parts[at] == (0.0, 1.0) for at in piece.strokes):
            return outline
        bands = []
        for at in piece.strokes:
            first, last = self.parts[at]
            own = self.strokes[at].part(first, last, self.by_hand)
            if own is not None:
                # What only uncovers need not be fine.
                fine = max(tolerance, float(own.radii.max()) / 50) if piece.rings else tolerance
                bands.append(band(own, fine, _WIDER if piece.rings else 1.0))
        if not bands:
            return manifold3d.CrossSection()
        ink = bands[0] if len(bands) == 1 else manifold3d.CrossSection.batch_boolean(bands, manifold3d.OpType.Add)
        return ink ^ outline if piece.rings else ink


def flat_of(ink: manifold3d.CrossSection) -> tuple[Floats, NDArray[np.int64]]:
    """Points and triangles of an area."""
    rings = [np.asarray(ring) for ring in ink.to_polygons() if len(ring) > 2]
    if not rings:
        return np.zeros((0, 2)), np.zeros((0, 3), np.int64)
    points = np.concatenate(rings)
    extent = float(np.ptp(points, axis=0).max())
    faces = np.asarray(manifold3d.triangulate(rings, extent * _PRECISION), np.int64).reshape(-1, 3)
    a, b, c = (points[faces[:, corner]] for corner in range(3))
    area = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    return points, shortened(points, faces[area != 0])


def written_of(strokes: Sequence[Stroke]) -> tuple[Piece, ...]:
    """Pieces of strokes that are bands alone, each its own."""
    return tuple(Piece((), (at,)) for at in range(len(strokes)))
