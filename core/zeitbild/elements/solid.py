"""Solid bodies: box, ball, column (or cone), capsule, ring and plate, with rounded edges, and flat ones: plane and disc; one finish."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from zeitbild.elements.base import ElementBase, ElementKind, kinds
from zeitbild.finishes import Finish
from zeitbild.geometry.curves import CurvedContour
from zeitbild.geometry.drawing.tracks import closed, ellipse, rectangle
from zeitbild.geometry.extrusion import Bevel, Plate, flat_of, solid_of
from zeitbild.geometry.form import Stiff
from zeitbild.geometry.mesh import Mesh
from zeitbild.geometry.solids import ball, column, ring, rounded_box, steps_for
from zeitbild.shipped import AssetSource
from zeitbild.values import choice, number


class Solid(ElementBase):
    """A simple body about its middle."""

    kind: Literal["solid"] = "solid"
    shape: Literal["box", "ball", "column", "capsule", "ring", "plate", "plane", "disc"] = choice(
        "box", "Shape", group="Body", widget="list"
    )
    width: float = number(160, "Width", 0.01, 100_000, unit="u", group="Body", slider=(1, 600))
    height: float = number(
        160,
        "Height",
        0.01,
        100_000,
        unit="u",
        group="Body",
        slider=(1, 600),
        when={"shape": ["box", "ball", "column", "capsule", "plate", "plane", "disc"]},
    )
    depth: float = number(
        160,
        "Depth",
        0.01,
        100_000,
        unit="u",
        group="Body",
        slider=(1, 600),
        when={"shape": ["box", "ball", "column", "capsule", "ring", "plate"]},
    )
    corner: float = number(
        24,
        "Corners",
        0,
        100_000,
        unit="u",
        group="Body",
        slider=(0, 200),
        when={"shape": "plate"},
        help="Their radius.",
    )
    top: float = number(
        1,
        "Width of the top",
        0,
        10,
        step=0.01,
        unit="×",
        group="Body",
        slider=(0, 2),
        when={"shape": "column"},
        help="0 is a cone.",
    )
    thickness: float = number(
        40, "Thickness", 0.01, 100_000, unit="u", group="Body", slider=(1, 200), when={"shape": "ring"}
    )
    rounding: float = number(
        12,
        "Rounding",
        0,
        100_000,
        step=0.5,
        unit="u",
        group="Body",
        slider=(0, 80),
        when={"shape": ["box", "column", "plate"]},
        help="Radius of its edges; it ends where nothing straight is left.",
    )
    surface: Finish = Field(default_factory=Finish, title="Surface", json_schema_extra={"x-group": "Finish"})


#: Shapes without any depth, seen from both sides.
_FLAT = ("plane", "disc")
#: Product of the steps of a quarter turn in both directions, at most: a quarter of a million triangles.
_MOST_BOTH = 8000


@dataclass(frozen=True, slots=True, eq=False)
class SolidForm(Stiff):
    """A body about its middle; see ``form.Form``."""

    element: Solid
    _meshes: dict[tuple[int, int], Mesh] = field(default_factory=dict)

    @property
    def bounds(self) -> NDArray[np.float64]:
        """See ``Form.bounds``."""
        own = self.element
        wide = own.width * (max(1.0, own.top) if own.shape == "column" else 1.0)
        high = min(own.thickness, own.width / 2) if own.shape == "ring" else own.height
        deep = 0.0 if own.shape in _FLAT else own.depth
        half = np.array([wide, high, deep * wide / own.width]) / 2
        return np.stack([-half, half])

    @property
    def radius(self) -> float:
        """See ``Form.radius``."""
        x, y, z = self.bounds[1]
        if self.element.shape in ("ball", "ring"):
            return float(max(x, y, z) if self.element.shape == "ball" else math.hypot(max(x, z), y))
        boxed = self.element.shape in ("box", "plate", "plane", "disc")
        return float(math.hypot(x, y, z) if boxed else math.hypot(max(x, z), y))

    def at(self, tolerance: float) -> Mesh:
        """See ``Form.at``."""
        own = self.element
        if own.shape in ("plate", *_FLAT):
            return self._plate(tolerance)
        _, high, _ = self.bounds[1]
        rounding = own.width / 2 if own.shape == "capsule" else own.rounding
        small = high if own.shape == "ring" else min(rounding, float(self.bounds[1].min()))
        # Along rounded edges nothing is evened out: they are made finer instead, most where all of a silhouette is one.
        finer = {"ring": 1, "box": 6}.get(own.shape, 3)
        steps = (steps_for(float(self.bounds[1].max()), tolerance), steps_for(small, tolerance / finer))
        if own.shape in ("ball", "ring", "capsule"):
            # Round in both directions: as many triangles as the product of both.
            along = steps[0] if own.shape == "ball" else steps[1]
            ease = min(1.0, math.sqrt(_MOST_BOTH / (steps[0] * along)))
            steps = (math.ceil(steps[0] * ease), math.ceil(steps[1] * ease))
        elif own.shape == "box":
            # Six sides of as many steps each way.
            steps = (steps[0], min(steps[1], 2 * math.isqrt(_MOST_BOTH * 2 // 3)))
        made = self._meshes.get(steps)
        if made is None:
            made = self._meshes[steps] = _mesh(own, *steps)
        return made

    def _plate(self, tolerance: float) -> Mesh:
        """Plate, plane or disc: an outline in its plane, which is raised or not."""
        own = self.element
        # In steps of two, so that a moving camera builds nothing anew.
        fine = 2.0 ** math.floor(math.log2(tolerance))
        key = math.frexp(fine)[1], 0
        made = self._meshes.get(key)
        if made is not None:
            return made
        x, y = own.width / 2, own.height / 2
        corner = min(own.corner, x, y) if own.shape == "plate" else 0.0
        tracks = (
            ellipse(0, 0, x, y) if own.shape == "disc" else rectangle(-x, -y, own.width, own.height, corner, corner)
        )
        contours = [CurvedContour(one.curves, one.straight).flattened(fine) for one in closed(tracks)]
        rounding = min(own.rounding, own.depth / 2, x, y) if own.shape == "plate" else 0.0
        plate = Plate.of(contours, rounding > 0)
        assert plate is not None
        if own.shape in _FLAT:
            mesh = flat_of(plate)
        else:
            steps = min(2 * steps_for(rounding, fine), 24)
            mesh = solid_of(plate, own.depth, Bevel("round", rounding, steps, "both"), fine)
        # One finish.
        made = self._meshes[key] = replace(mesh, parts=np.zeros_like(mesh.parts))
        return made


def _mesh(own: Solid, steps: int, fine: int) -> Mesh:
    """The body by the steps of a quarter turn, of all of it and of its tube or its rounded edges."""
    if own.shape == "box":
        return rounded_box(own.width, own.height, own.depth, own.rounding, fine)
    if own.shape == "ball":
        return ball(own.width, own.height, own.depth, steps)
    if own.shape == "ring":
        return ring(own.width, own.thickness, own.depth, steps, fine)
    if own.shape == "capsule":
        return column(own.width, 1.0, own.height, own.depth, own.width / 2, steps, fine)
    return column(own.width, own.top, own.height, own.depth, own.rounding, steps, fine)


def build(element: Solid, assets: AssetSource) -> SolidForm:
    """Form of the body with its middle at the origin."""
    return SolidForm(element)


kinds.register(ElementKind("solid", "Solid body", Solid, build, 1, note="box, ball, column, ring, plate …"))
