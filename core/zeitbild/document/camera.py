"""The document's cameras."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, StringConstraints, model_validator

from zeitbild.keys import Moving
from zeitbild.snapshot.camera import angle_of_focal_length
from zeitbild.values import Part, Point, Title, choice, number

#: Name of the camera that every shot has.
MAIN_CAMERA = "Main"
#: Name of a camera, or empty.
CameraName = Annotated[str, StringConstraints(max_length=120)]


class Camera(Moving):
    """Camera by position, look-at point and roll; in perspective through a lens, or orthographic."""

    position: Point = Field(default=(0.0, 40.0, 1150.0), title="Position", json_schema_extra={"x-step": 5})
    look_at: Point = Field(default=(0.0, 0.0, 0.0), title="Look-at point", json_schema_extra={"x-step": 5})
    roll: float = number(0, "Roll", -180, 180, unit="°", slider=(-45, 45), help="Turns the picture clockwise.")
    projection: Literal["perspective", "orthographic"] = choice("perspective", "Projection")
    lens_by: Literal["angle", "focal length"] = Field(
        default="angle",
        title="Lens by",
        json_schema_extra={"x-widget": "choice", "x-when": {"projection": "perspective"}},
    )
    angle: float = number(
        40,
        "Angle of view",
        1,
        150,
        step=0.5,
        unit="°",
        slider=(10, 90),
        help="Horizontal.",
        when={"projection": "perspective", "lens_by": "angle"},
    )
    focal_length: float = number(
        50,
        "Focal length",
        1,
        2000,
        unit="mm",
        slider=(12, 200),
        when={"projection": "perspective", "lens_by": "focal length"},
    )
    gate: float = number(
        36,
        "Gate width",
        1,
        200,
        step=0.1,
        unit="mm",
        slider=(4, 70),
        help="Width of the picture behind the lens; 36 is the still frame.",
        when={"projection": "perspective", "lens_by": "focal length"},
    )
    span: float = number(
        840,
        "Width of view",
        0.01,
        1_000_000,
        step=10,
        unit="u",
        slider=(100, 3000),
        help="What the picture is wide, at any distance.",
        when={"projection": "orthographic"},
    )

    @model_validator(mode="after")
    def _apart(self) -> Camera:
        if sum((a - b) ** 2 for a, b in zip(self.position, self.look_at, strict=True)) < 1e-6:
            raise ValueError("the camera stands in its look-at point; move one of them")
        return self

    @property
    def horizontal_angle(self) -> float:
        """Angle of view in degrees, however the lens is given."""
        if self.lens_by == "angle":
            return self.angle
        return angle_of_focal_length(self.focal_length, self.gate)


class NamedCamera(Part):
    """One more camera, under a name."""

    name: Title = Field(title="Name")
    camera: Camera = Field(default_factory=Camera, title="Camera")
