"""Placed glyphs to a form: each distinct glyph becomes one solid, which stands wherever the word has it.

Only glyphs whose ink meets are united, as in a script hand.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np
import shapely

from zeitbild.errors import InputError
from zeitbild.geometry.curves import Contour, Points
from zeitbild.geometry.extrusion import Bevel, Plate, joined, solid_of
from zeitbild.geometry.font import Face
from zeitbild.geometry.form import Stiff
from zeitbild.geometry.mesh import Mesh
from zeitbild.geometry.shaping import PlacedGlyph

#: Fineness (em) at which it is found out how large the ink is and which glyphs meet.
_COARSE = 2.0**-11
#: Finest and coarsest that outlines are made, in em.
_FINEST, _COARSEST = 2.0**-20, 2.0**-9

#: A glyph and its place, relative to the first of its group.
_Group = tuple[tuple[int, float, float], ...]


@lru_cache(maxsize=256)
def _plate(face: Face, group: _Group, tolerance: float, bevelled: bool) -> Plate | None:
    """The plate of glyphs that meet, in font units."""
    contours = [
        Contour(contour.points + (x, y), contour.normals)
        for glyph, x, y in group
        for contour in face.contours(glyph, tolerance)
    ]
    return Plate.of(contours, bevelled)


@lru_cache(maxsize=512)
def _box(face: Face, glyph: int) -> tuple[float, float, float, float] | None:
    """Left, bottom, right and top of a glyph's ink in font units; None if it has none."""
    contours = face.contours(glyph, _COARSE)
    if not contours:
        return None
    points = np.concatenate([contour.points for contour in contours])
    (left, bottom), (right, top) = points.min(axis=0), points.max(axis=0)
    return float(left), float(bottom), float(right), float(top)


@lru_cache(maxsize=256)
def _ink(face: Face, glyph: int) -> shapely.Geometry:
    plate = _plate(face, ((glyph, 0.0, 0.0),), _COARSE, False)
    if plate is None:
        return shapely.Polygon()
    outline = plate.outline
    rings = [shapely.Polygon(ring * outline.step + outline.origin) for ring in outline.loops()]
    solid = [ring for ring in rings if ring.exterior.is_ccw]
    holes = [ring for ring in rings if not ring.exterior.is_ccw]
    return shapely.difference(shapely.union_all(solid), shapely.union_all(holes))


def _meeting(face: Face, placed: list[PlacedGlyph]) -> list[list[PlacedGlyph]]:
    """Glyphs grouped by whether their ink meets, each group and the groups in the order of the word."""
    boxes = [_box(face, glyph.glyph) for glyph in placed]
    corners = np.array([box or (0, 0, 0, 0) for box in boxes])
    places = np.array([(glyph.x, glyph.y) for glyph in placed])
    low, high = corners[:, :2] + places, corners[:, 2:] + places
    group = list(range(len(placed)))

    def root(k: int) -> int:
        while group[k] != k:
            k = group[k]
        return k

    for number in range(len(placed)):
        near = (low[:number] <= high[number]).all(axis=1) & (high[:number] >= low[number]).all(axis=1)
        for other in np.flatnonzero(near):
            a, b = root(number), root(int(other))
            if a == b:
                continue
            # As the first glyph sees it, so that the same two always meet alike.
            moved = shapely.transform(
                _ink(face, placed[number].glyph), lambda p, n=number, o=other: p + (places[n] - places[o])
            )
            if shapely.intersects(_ink(face, placed[other].glyph), moved):
                group[max(a, b)] = min(a, b)
    groups: dict[int, list[PlacedGlyph]] = {}
    for number, glyph in enumerate(placed):
        groups.setdefault(root(number), []).append(glyph)
    return list(groups.values())


@dataclass(frozen=True, slots=True, eq=False)
class LetteringForm(Stiff):
    """A set word, extruded; see ``form.Form``."""

    face: Face
    size: float
    depth: float
    bevel: Bevel
    bounds: Points
    radius: float
    _groups: list[list[PlacedGlyph]]
    _meshes: dict[float, Mesh] = field(default_factory=dict)

    @classmethod
    def of(cls, placed: tuple[PlacedGlyph, ...], face: Face, size: float, depth: float, bevel: Bevel) -> LetteringForm:
        """The form of placed glyphs, the em ``size`` units large, ink centre at the origin. InputError without any ink."""
        inked = [glyph for glyph in placed if _box(face, glyph.glyph)]
        groups = (
            [
                group
                for group in _meeting(face, inked)
                if any(_plate(face, ((glyph.glyph, 0.0, 0.0),), _COARSE, False) for glyph in group)
            ]
            if inked
            else []
        )
        if not groups:
            raise InputError("the word has no visible ink; it may be made of spaces only", "word")
        scale = size / face.units_per_em
        points = (
            np.concatenate(
                [
                    contour.points + (glyph.x, glyph.y)
                    for group in groups
                    for glyph in group
                    for contour in face.contours(glyph.glyph, _COARSE)
                ]
            )
            * scale
        )
        low, high = points.min(axis=0), points.max(axis=0)
        half = np.array([*(high - low) / 2, depth / 2])
        farthest = float(np.hypot(*(points - (low + high) / 2).T).max())
        return cls(face, size, depth, bevel, np.stack([-half, half]), math.hypot(farthest, depth / 2), groups)

    def _fineness(self, tolerance: float) -> float:
        """The tolerance in em, in steps of two."""
        return min(max(2.0 ** math.floor(math.log2(tolerance / self.size)), _FINEST), _COARSEST)

    def at(self, tolerance: float) -> Mesh:
        """See ``Form.at``."""
        fineness = self._fineness(tolerance)
        known = self._meshes.get(fineness)
        if known is not None:
            return known
        scale = self.size / self.face.units_per_em
        bevelled = self.bevel.width > 0 and self.bevel.sides != "none"
        solids: dict[_Group, Mesh | None] = {}
        standing: list[tuple[Mesh, float, float]] = []
        for group in self._groups:
            first = group[0]
            key = tuple((glyph.glyph, glyph.x - first.x, glyph.y - first.y) for glyph in group)
            if key not in solids:
                plate = _plate(self.face, key, fineness, bevelled)
                solids[key] = (
                    None
                    if plate is None
                    else solid_of(plate.scaled(scale), self.depth, self.bevel, fineness * self.size)
                )
            solid = solids[key]
            if solid is not None:
                standing.append((solid, first.x * scale, first.y * scale))
        low = np.min([mesh.bounds[0, :2] + (x, y) for mesh, x, y in standing], axis=0)
        high = np.max([mesh.bounds[1, :2] + (x, y) for mesh, x, y in standing], axis=0)
        made = joined(standing, (float(low[0] + high[0]) / 2, float(low[1] + high[1]) / 2))
        self._meshes[fineness] = made
        return made
