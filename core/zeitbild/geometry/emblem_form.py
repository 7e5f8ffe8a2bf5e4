"""A drawing to a form: what is seen of each colour becomes a solid of its own, or flat art."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace

import numpy as np
from cachetools import LRUCache

from zeitbild.errors import InputError
from zeitbild.geometry.curves import Points
from zeitbild.geometry.drawing.painting import Drawing, Region
from zeitbild.geometry.drawing.shades import shares_in
from zeitbild.geometry.extrusion import BEVEL, FACE, SIDE, Bevel, Plate, flat_of, joined, solid_of
from zeitbild.geometry.form import Stiff
from zeitbild.geometry.mesh import Mesh

#: Finest and coarsest that outlines are made, as shares of the drawing.
_FINEST, _COARSEST = 2.0**-20, 2.0**-10


@dataclass(frozen=True, slots=True)
class Raised:
    """How what is seen of one shade stands: its depth (units; 0 is flat) and its bevel."""

    depth: float
    bevel: Bevel


@dataclass(frozen=True, slots=True, eq=False)
class EmblemForm(Stiff):
    """A drawing ``size`` units large, raised; see ``form.Form``.

    raised says how each of the drawing's shades stands, all with their backs in one plane, the back of what is ``depth`` deep about the
    origin. faces and sides [shades] are part numbers.
    """

    drawing: Drawing
    size: float
    depth: float
    raised: tuple[Raised, ...]
    faces: tuple[int, ...]
    sides: tuple[int, ...]
    _meshes: dict[float, Mesh] = field(default_factory=dict)

    @property
    def scale(self) -> float:
        """Units that one unit of the drawing takes."""
        low, high = self.drawing.bounds
        return self.size / float((high - low).max())

    @property
    def bounds(self) -> Points:
        """See ``Form.bounds``."""
        low, high = self.drawing.bounds
        half = (high - low) / 2 * self.scale
        back = -self.depth / 2
        return np.array([[*-half, back], [*half, back + max(one.depth for one in self.raised)]])

    @property
    def radius(self) -> float:
        """See ``Form.radius``."""
        farthest: Points = np.abs(self.bounds).max(axis=0)
        return float(np.linalg.norm(farthest))

    def at(self, tolerance: float) -> Mesh:
        """See ``Form.at``."""
        fineness = min(max(2.0 ** math.floor(math.log2(tolerance / self.size)), _FINEST), _COARSEST)
        known = self._meshes.get(fineness)
        if known is None:
            known = self._meshes[fineness] = self._made(fineness)
        return known

    def _made(self, fineness: float) -> Mesh:
        scale = self.scale
        solids = []
        for region in self.drawing.regions(fineness * self.size / scale):
            own = self.drawing.like(region.shade)
            raised = self.raised[own]
            bevelled = raised.depth > 0 and raised.bevel.width > 0 and raised.bevel.sides != "none"
            plate = _plate(region, bevelled)
            if plate is None:
                continue
            plate = plate.scaled(scale)
            flat = raised.depth == 0
            solid = flat_of(plate) if flat else solid_of(plate, raised.depth, raised.bevel, fineness * self.size)
            parts = np.empty(3, np.int32)
            parts[[FACE, BEVEL]], parts[SIDE] = self.faces[own], self.sides[own]
            vertices = solid.vertices + (0.0, 0.0, (raised.depth - self.depth) / 2)
            solids.append((replace(solid, vertices=vertices, parts=parts[solid.parts]), 0.0, 0.0))
        if not solids:
            raise InputError("nothing of this drawing is left that could be raised", "drawing")
        low, high = self.drawing.bounds
        centre = (low + high) / 2 * scale
        return self._laid(joined(solids, (float(centre[0]), float(centre[1]))), centre)

    def _laid(self, mesh: Mesh, centre: Points) -> Mesh:
        """The mesh unwrapped where pictures of the drawing, or colours by place, fill it, as seen from its front."""
        shades = zip(self.faces, self.drawing.shades, strict=True)
        filled = [(part, shade) for part, shade in shades if shade.inlay >= 0 or shade.painting]
        if not filled:
            return mesh
        lies = np.zeros((len(mesh.triangles), 3, 2), np.float32)
        for part, shade in filled:
            own = mesh.parts == part
            places = (mesh.vertices[mesh.triangles[own]][..., :2] + centre) / self.scale
            if shade.inlay >= 0:
                lies[own] = self.drawing.inlays[shade.inlay].shares(places)
            else:
                lies[own] = shares_in(self.drawing.boxes[shade], places)
        return replace(mesh, unwrapped=lies)


#: Diagrams take most of the time: a depth that is dragged keeps them.
_plates: LRUCache[tuple[int, bool], tuple[Region, Plate | None]] = LRUCache(256)


def _plate(region: Region, bevelled: bool) -> Plate | None:
    key = id(region), bevelled
    held = _plates.get(key)
    if held is None or held[0] is not region:
        held = _plates[key] = region, Plate.on(region.outline, bevelled)
    return held[1]
