"""Points spread evenly over flat areas, pictures and surfaces."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import manifold3d
import numpy as np
from numpy.typing import NDArray

from zeitbild.geometry.drawing.painting import Drawing

Floats = NDArray[np.float64]

#: How far apart points may be that count as one when areas are cut into triangles, as a share of the area.
_PRECISION = 1e-9


@dataclass(frozen=True, slots=True, eq=False)
class Area:
    """Triangles [T, 3, 2], their areas added up [T], and a colour for each [T, 3] (shares as files have them), if they have any."""

    triangles: Floats
    upto: Floats
    colours: Floats | None = None

    def at(self, along: Floats, u: Floats, v: Floats) -> tuple[Floats, Floats | None]:
        """Points [n, 2] and their colours [n, 3]: along (0 to 1) which part of all the area, u and v where in its triangle. Evenly spread numbers
        give evenly spread points."""
        which = np.searchsorted(self.upto, along * self.upto[-1], side="right")
        which = np.minimum(which, len(self.upto) - 1)
        a, b, c = (self.triangles[which, corner] for corner in range(3))
        beyond = u + v > 1
        u, v = np.where(beyond, 1 - u, u)[:, None], np.where(beyond, 1 - v, v)[:, None]
        points: Floats = a + u * (b - a) + v * (c - a)
        return points, None if self.colours is None else self.colours[which]


@dataclass(frozen=True, slots=True, eq=False)
class Mosaic:
    """The pixels of a picture, column by column: upper left corners [n, 2] (units), how much of each is there, added up [n], straight colours
    [n, 3] (shares as files have them), and the side of one."""

    corners: Floats
    upto: Floats
    colours: Floats
    side: float

    def at(self, along: Floats, u: Floats, v: Floats) -> tuple[Floats, Floats | None]:
        """See ``Area.at``: as many in a pixel as of it is there."""
        which = np.minimum(np.searchsorted(self.upto, along * self.upto[-1], side="right"), len(self.upto) - 1)
        points: Floats = self.corners[which] + np.column_stack([u, -v]) * self.side
        return points, self.colours[which]


def mosaic_of(colours: Floats, alpha: Floats, size: float) -> Mosaic | None:
    """A picture (straight colours [H, W, 3], alpha [H, W]) about its middle, its larger side ``size`` units; None if nothing of it is there."""
    height, width = alpha.shape
    side = size / max(height, width)
    there = np.flatnonzero(alpha.T.reshape(-1) > 0)
    if not len(there):
        return None
    column, row = np.divmod(there, height)
    corners = np.column_stack([column - width / 2, height / 2 - row]) * side
    return Mosaic(
        corners, np.cumsum(alpha[row, column], dtype=np.float64), colours[row, column].astype(np.float64), side
    )


@dataclass(frozen=True, slots=True, eq=False)
class Surface:
    """Triangles [T, 3, 3] of something solid, their areas added up [T], their unit normals [T, 3], and their numbers [T] among all of it."""

    triangles: Floats
    upto: Floats
    normals: Floats
    numbers: NDArray[np.int64]

    @classmethod
    def of(cls, triangles: Floats) -> Surface | None:
        """None if they have no area."""
        across = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
        sizes = np.linalg.norm(across, axis=1)
        there = sizes > 0
        if not there.any():
            return None
        normals = across[there] / sizes[there, None]
        return cls(triangles[there], np.cumsum(sizes[there]) / 2, normals, np.flatnonzero(there))

    def at(self, along: Floats, u: Floats, v: Floats) -> tuple[Floats, Floats, NDArray[np.int64]]:
        """Points [n, 3], the normals [n, 3] there, and the numbers [n] of their triangles; see ``Area.at``."""
        which = np.minimum(np.searchsorted(self.upto, along * self.upto[-1], side="right"), len(self.upto) - 1)
        a, b, c = (self.triangles[which, corner] for corner in range(3))
        beyond = u + v > 1
        u, v = np.where(beyond, 1 - u, u)[:, None], np.where(beyond, 1 - v, v)[:, None]
        points: Floats = a + u * (b - a) + v * (c - a)
        return points, self.normals[which], self.numbers[which]


def area_of(rings: Sequence[Floats], colour: Sequence[float] | None = None) -> Area | None:
    """The area inside closed outlines (whatever is inside by the non-zero rule); None if there is none."""
    if not len(rings):
        return None
    ink = manifold3d.CrossSection([np.asarray(ring) for ring in rings], manifold3d.FillRule.NonZero)
    loops = [np.asarray(ring) for ring in ink.to_polygons()]
    if not loops:
        return None
    points = np.concatenate(loops)
    extent = float(np.ptp(points, axis=0).max())
    faces = np.asarray(manifold3d.triangulate(loops, extent * _PRECISION), np.int64).reshape(-1, 3)
    triangles = points[faces]
    a, b, c = (triangles[:, corner] for corner in range(3))
    sizes = np.abs((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])) / 2
    # From left to right, so that numbers that follow one another lie beside one another.
    order = np.argsort(triangles[:, :, 0].mean(axis=1), kind="stable")
    colours = None if colour is None else np.broadcast_to(np.asarray(colour, np.float64), (len(faces), 3))
    return Area(triangles[order], np.cumsum(sizes[order]), colours) if sizes.sum() > 0 else None


def area_of_drawing(drawing: Drawing, size: float) -> Area:
    """All that a drawing shows, about its middle, its larger side ``size`` units, each part in its colour."""
    low, high = drawing.bounds
    extent = float((high - low).max())
    scale, middle = size / extent, (low + high) / 2
    found = []
    for region in drawing.firm(extent / 2048):
        outline = region.outline
        rings = [(ring * outline.step + outline.origin - middle) * scale for ring in outline.loops()]
        colour = [int(region.shade.colour[at : at + 2], 16) / 255 for at in (1, 3, 5)]
        own = area_of(rings, colour)
        if own is not None:
            found.append(own)
    triangles = np.concatenate([one.triangles for one in found])
    sizes = np.concatenate([np.diff(one.upto, prepend=0) for one in found])
    colours = np.concatenate([one.colours for one in found if one.colours is not None])
    order = np.argsort(triangles[:, :, 0].mean(axis=1), kind="stable")
    return Area(triangles[order], np.cumsum(sizes[order]), colours[order])
