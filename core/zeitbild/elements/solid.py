"""Solid bodies: box, ball, column (or cone) and ring, with rounded edges and one finish."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from zeitbild.elements.base import AssetSource, ElementBase, ElementKind, kinds
from zeitbild.finishes import Finish
from zeitbild.geometry.mesh import Mesh
from zeitbild.geometry.solids import ball, column, ring, rounded_box, steps_for
from zeitbild.values import choice, number


class Solid(ElementBase):
    """A simple body about its middle."""

    kind: Literal["solid"] = "solid"
    shape: Literal["box", "ball", "column", "ring"] = choice("box", "Shape", group="Body")
    width: float = number(160, "Width", 0.01, 100_000, unit="u", group="Body", slider=(1, 600))
    height: float = number(
        160,
        "Height",
        0.01,
        100_000,
        unit="u",
        group="Body",
        slider=(1, 600),
        when={"shape": ["box", "ball", "column"]},
    )
    depth: float = number(160, "Depth", 0.01, 100_000, unit="u", group="Body", slider=(1, 600))
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
        when={"shape": ["box", "column"]},
        help="Radius of its edges; it ends where nothing straight is left.",
    )
    surface: Finish = Field(default_factory=Finish, title="Surface", json_schema_extra={"x-group": "Finish"})


#: Product of the steps of a quarter turn in both directions, at most: a quarter of a million triangles.
_MOST_BOTH = 8000


@dataclass(frozen=True, slots=True, eq=False)
class SolidForm:
    """A body about its middle; see ``form.Form``."""

    element: Solid
    _meshes: dict[tuple[int, int], Mesh] = field(default_factory=dict)

    @property
    def bounds(self) -> NDArray[np.float64]:
        """See ``Form.bounds``."""
        own = self.element
        wide = own.width * (max(1.0, own.top) if own.shape == "column" else 1.0)
        high = min(own.thickness, own.width / 2) if own.shape == "ring" else own.height
        half = np.array([wide, high, own.depth * wide / own.width]) / 2
        return np.stack([-half, half])

    @property
    def radius(self) -> float:
        """See ``Form.radius``."""
        x, y, z = self.bounds[1]
        if self.element.shape in ("ball", "ring"):
            return float(max(x, y, z) if self.element.shape == "ball" else math.hypot(max(x, z), y))
        return float(math.hypot(x, y, z) if self.element.shape == "box" else math.hypot(max(x, z), y))

    def at(self, tolerance: float) -> Mesh:
        """See ``Form.at``."""
        own = self.element
        _, high, _ = self.bounds[1]
        small = high if own.shape == "ring" else min(own.rounding, float(self.bounds[1].min()))
        # Along rounded edges nothing is evened out: they are made finer instead.
        steps = (
            steps_for(float(self.bounds[1].max()), tolerance),
            steps_for(small, tolerance if own.shape == "ring" else tolerance / 3),
        )
        if own.shape in ("ball", "ring"):
            # Round in both directions: as many triangles as the product of both.
            along = steps[1] if own.shape == "ring" else steps[0]
            ease = min(1.0, math.sqrt(_MOST_BOTH / (steps[0] * along)))
            steps = (math.ceil(steps[0] * ease), math.ceil(steps[1] * ease))
        elif own.shape == "box":
            # Six sides of twice as many steps each way.
            steps = (steps[0], min(steps[1], math.isqrt(_MOST_BOTH * 2 // 3)))
        made = self._meshes.get(steps)
        if made is None:
            made = self._meshes[steps] = _mesh(own, *steps)
        return made


def _mesh(own: Solid, steps: int, fine: int) -> Mesh:
    """The body by the steps of a quarter turn, of all of it and of its tube or its rounded edges."""
    if own.shape == "box":
        return rounded_box(own.width, own.height, own.depth, own.rounding, fine)
    if own.shape == "ball":
        return ball(own.width, own.height, own.depth, steps)
    if own.shape == "ring":
        return ring(own.width, own.thickness, own.depth, steps, fine)
    return column(own.width, own.top, own.height, own.depth, own.rounding, steps, fine)


def build(element: Solid, assets: AssetSource) -> SolidForm:
    """Form of the body with its middle at the origin."""
    return SolidForm(element)


kinds.register(ElementKind("solid", "Solid body", Solid, build, 1))
