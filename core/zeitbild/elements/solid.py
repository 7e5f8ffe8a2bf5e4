"""Solid bodies: box, ball, column (or cone) and ring, with rounded edges and one finish."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any, Literal

from pydantic import Field

from zeitbild.document.values import choice, number
from zeitbild.elements.base import AssetSource, ElementBase, ElementKind, kinds
from zeitbild.finishes import Finish
from zeitbild.geometry.mesh import Mesh
from zeitbild.geometry.solids import ball, column, ring, rounded_box


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
    steps: Annotated[int, Field(ge=2, le=64)] = Field(
        default=12,
        title="Fineness",
        description="Steps of a quarter turn.",
        json_schema_extra={"x-group": "Body", "x-step": 1, "x-slider": [2, 32]},
    )
    surface: Finish = Field(default_factory=Finish, title="Surface", json_schema_extra={"x-group": "Finish"})

    def geometry_parameters(self) -> dict[str, Any]:
        """Everything that shapes the mesh."""
        return self.model_dump(
            include={"kind", "shape", "width", "height", "depth", "top", "thickness", "rounding", "steps"}
        )

    def finishes(self) -> Sequence[Finish]:
        """The one finish."""
        return (self.surface,)


def build(element: Solid, assets: AssetSource) -> Mesh:
    """Mesh of the body with its middle at the origin."""
    if element.shape == "box":
        return rounded_box(element.width, element.height, element.depth, element.rounding, element.steps)
    if element.shape == "ball":
        return ball(element.width, element.height, element.depth, element.steps)
    if element.shape == "ring":
        return ring(element.width, element.thickness, element.depth, element.steps)
    return column(element.width, element.top, element.height, element.depth, element.rounding, element.steps)


kinds.register(ElementKind("solid", "Solid body", Solid, build, 1))
