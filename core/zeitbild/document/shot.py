"""The shot document: everything about a shot that decides what its files contain."""

from __future__ import annotations

from fractions import Fraction
from typing import Annotated, Any, Literal, Union

from pydantic import ConfigDict, Field, StringConstraints, model_validator

from zeitbild.document.values import Code, Colour, Identifier, Part, Point, Title, choice, number
from zeitbild.elements import kinds
from zeitbild.errors import InputError
from zeitbild.lights import kinds as light_kinds
from zeitbild.lights.ready_made import LIGHT_SETS
from zeitbild.render.camera import angle_of_focal_length
from zeitbild.timing.frames import MAX_FRAME_NUMBER, MAX_FRAMES
from zeitbild.timing.rate import RATES, parse_rate

VERSION = 1

MAX_SIDE = 8192
#: Pixels of the largest raster. A worker keeps its planes in memory at 16 bytes a pixel and more; this keeps it
#: below 600 MB beside everything else.
MAX_PIXELS = 4096 * 2160
MAX_ELEMENTS = 200
MAX_LIGHTS = 32


class Raster(Part):
    """Picture size in square pixels."""

    width: Annotated[int, Field(ge=16, le=MAX_SIDE)] = Field(
        default=1280, title="Width", json_schema_extra={"x-unit": "px"}
    )
    height: Annotated[int, Field(ge=16, le=MAX_SIDE)] = Field(
        default=720, title="Height", json_schema_extra={"x-unit": "px"}
    )

    @model_validator(mode="after")
    def _not_too_large(self) -> Raster:
        if self.width * self.height > MAX_PIXELS:
            raise ValueError(
                f"{self.width} × {self.height} is {self.width * self.height / 1e6:.1f} million pixels; the limit is "
                f"{MAX_PIXELS / 1e6:.1f} million (4096 × 2160), so that a frame fits a worker's memory"
            )
        return self


class Timing(Part):
    """Which frames there are, at which rate, and whether the last leads into the first."""

    rate: Annotated[str, Field(json_schema_extra={"enum": list(RATES), "x-widget": "rate"})] = Field(
        default="30", title="Rate"
    )
    first: Annotated[int, Field(ge=0, le=MAX_FRAME_NUMBER)] = Field(default=1, title="First frame")
    last: Annotated[int, Field(ge=0, le=MAX_FRAME_NUMBER)] = Field(default=120, title="Last frame")
    step: Annotated[int, Field(ge=1, le=1000)] = Field(default=1, title="Step")
    cycle: bool = Field(
        default=True, title="Cycle", description="All frames differ; one frame more would equal the first."
    )

    @model_validator(mode="after")
    def _holds(self) -> Timing:
        parse_rate(self.rate)
        if self.last < self.first:
            raise ValueError(f"the last frame ({self.last}) stands before the first ({self.first})")
        if self.last - self.first + 1 > MAX_FRAMES:
            raise ValueError(f"{self.last - self.first + 1} frames are more than {MAX_FRAMES}; shorten the range")
        return self

    @property
    def fraction(self) -> Fraction:
        """Exact frames a second."""
        return parse_rate(self.rate)

    @property
    def frames(self) -> range:
        """Frames that a run renders."""
        return range(self.first, self.last + 1, self.step)


class Camera(Part):
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


# The union of all registered light kinds.
_light_kinds = tuple(kind.parameters for kind in light_kinds)
Light: Any = Annotated[Union[_light_kinds], Field(discriminator="kind")]  # noqa: UP007


class Environment(Part):
    """A generated studio that lights and mirrors and is never in the picture."""

    strength: float = number(0.6, "Strength", 0, 100, step=0.01, slider=(0, 3))
    sky: Colour = Field(default="#dfe7ee", title="Above")
    floor: Colour = Field(default="#5a5048", title="Below")
    boxes: float = number(1, "Softboxes", 0, 20, step=0.01, slider=(0, 3), help="Bright areas for metal to mirror.")
    rotation: float = number(0, "Rotation", -360, 360, unit="°", slider=(-180, 180))


class Rays(Part):
    """What surfaces do to each other: how dark corners get, and how often mirrors mirror."""

    model_config = ConfigDict(title="Shadows and mirrors")

    occlusion: float = number(
        0, "Occlusion", 0, 1, step=0.01, slider=(0, 1), help="How much corners and gaps keep light from around away."
    )
    occlusion_radius: float = number(
        150,
        "Occlusion radius",
        0.01,
        1_000_000,
        step=5,
        unit="u",
        slider=(5, 1000),
        help="Farther things do not count.",
    )
    bounces: Annotated[int, Field(ge=0, le=3)] = Field(
        default=0,
        title="Mirror bounces",
        json_schema_extra={"x-step": 1, "x-slider": [0, 3]},
        description="0: metal mirrors only the environment; 1 to 3: also the set.",
    )


class Backdrop(Part):
    """What is behind everything: nothing, or one colour that is part of picture, run and files."""

    kind: Literal["clear", "colour"] = choice("clear", "Backdrop")
    colour: Colour = Field(default="#2e3a44", title="Colour")


class Layer(Part):
    """One output layer and the passes written of it."""

    name: Code = Field(default="main", title="Name")
    passes: tuple[str, ...] = Field(default=("beauty", "matte"), title="Passes", min_length=1, max_length=32)


# The union of all registered element kinds: a kind that registers itself is part of the document's schema.
_kinds = tuple(kind.parameters for kind in kinds)
Element: Any = Annotated[Union[_kinds], Field(discriminator="kind")]  # noqa: UP007


class Shot(Part):
    """One shot, whole."""

    version: Literal[1] = 1
    project: Code = Field(default="KM", title="Project code")
    shot: Code = Field(default="KM010", title="Shot code")
    title: Title = Field(default="Untitled", title="Title")
    raster: Raster = Field(default_factory=Raster)
    timing: Timing = Field(default_factory=Timing)
    camera: Camera = Field(default_factory=Camera)
    lights: tuple[Light, ...] = Field(default_factory=lambda: LIGHT_SETS[0].lights, max_length=MAX_LIGHTS)
    environment: Environment = Field(default_factory=Environment)
    rays: Rays = Field(default_factory=Rays)
    backdrop: Backdrop = Field(default_factory=Backdrop)
    elements: tuple[Element, ...] = Field(default=(), max_length=MAX_ELEMENTS)
    layers: tuple[Layer, ...] = Field(default_factory=lambda: (Layer(),), min_length=1, max_length=32)
    naming: Annotated[str, StringConstraints(min_length=1, max_length=300)] = Field(
        default="{shot}_{layer}_{pass}_v{version:03}/{shot}_{layer}_{pass}_v{version:03}.{frame:04}.{ext}",
        title="File-name rule",
    )
    quality: Literal["rough", "check", "final"] = choice("final", "Quality of a run")

    @model_validator(mode="after")
    def _distinct(self) -> Shot:
        for what, names in (
            ("element identities", [element.id for element in self.elements]),
            ("layer names", [layer.name.lower() for layer in self.layers]),
        ):
            if len(set(names)) < len(names):
                raise ValueError(
                    f"two {what} are the same: {', '.join(sorted(n for n in set(names) if names.count(n) > 1))}"
                )
        return self

    def layer(self, name: str) -> Layer:
        """The layer of that name; InputError lists those there are."""
        for layer in self.layers:
            if layer.name == name:
                return layer
        raise InputError(
            f"there is no layer {name!r}; this shot has {', '.join(own.name for own in self.layers)}", "layers"
        )


__all__ = [
    "VERSION",
    "Backdrop",
    "Camera",
    "Element",
    "Environment",
    "Identifier",
    "Layer",
    "Light",
    "Raster",
    "Rays",
    "Shot",
    "Timing",
]
