"""The shot document: everything about a shot that decides what its files contain."""

from __future__ import annotations

from fractions import Fraction
from typing import Annotated, Any, Literal, Union

from pydantic import ConfigDict, Field, StringConstraints, model_validator

from zeitbild.document.values import Code, Colour, Identifier, Part, Point, Title, choice, number, wrong_at
from zeitbild.elements import kinds
from zeitbild.errors import InputError
from zeitbild.finishes import NamedFinish
from zeitbild.lights import kinds as light_kinds
from zeitbild.lights.ready_made import LIGHT_SETS
from zeitbild.render.camera import angle_of_focal_length
from zeitbild.render.pixel_filter import FilterName
from zeitbild.timing.frames import MAX_FRAME_NUMBER, MAX_FRAMES
from zeitbild.timing.rate import RATES, parse_rate

VERSION = 1

MAX_SIDE = 8192
#: Pixels of the largest raster. A worker keeps its planes in memory at 16 bytes a pixel and more; this keeps it
#: below 600 MB beside everything else.
MAX_PIXELS = 4096 * 2160
MAX_ELEMENTS = 200
MAX_LIGHTS = 32
#: Name of the camera that every shot has.
MAIN_CAMERA = "Main"
#: Name of a camera, or empty.
CameraName = Annotated[str, StringConstraints(max_length=120)]
#: Samples a pixel can take.
Samples = Literal["4", "16", "64"]


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


class NamedCamera(Part):
    """One more camera, under a name."""

    name: Title = Field(title="Name")
    camera: Camera = Field(default_factory=Camera, title="Camera")


# The union of all registered light kinds.
_light_kinds = tuple(kind.parameters for kind in light_kinds)
Light: Any = Annotated[Union[_light_kinds], Field(discriminator="kind")]  # noqa: UP007


_GENERATED: dict[str, Any] = {"source": ["studio", "gradient"]}


class Environment(Part):
    """What is around: generated or a picture. It lights and is mirrored, and is in the picture only as a backdrop."""

    source: Literal["studio", "gradient", "picture"] = choice("studio", "Surroundings")
    picture: Annotated[str, StringConstraints(pattern=r"^(|asset:[0-9a-f]{64})$")] = Field(
        default="",
        title="Picture",
        description="Of all directions (latitude-longitude), twice as wide as high: HDR, EXR, PNG or JPEG.",
        json_schema_extra={"x-widget": "sky", "x-when": {"source": "picture"}},
    )
    strength: float = number(0.6, "Strength", 0, 100, step=0.01, slider=(0, 3))
    sky: Colour = Field(
        default="#dfe7ee", title="Above", json_schema_extra={"x-widget": "colour", "x-when": _GENERATED}
    )
    horizon: Colour = Field(
        default="#f3d9b8", title="Horizon", json_schema_extra={"x-widget": "colour", "x-when": {"source": "gradient"}}
    )
    floor: Colour = Field(
        default="#5a5048", title="Below", json_schema_extra={"x-widget": "colour", "x-when": _GENERATED}
    )
    spread: float = number(
        60,
        "Horizon reaches",
        1,
        90,
        unit="°",
        slider=(5, 90),
        when={"source": "gradient"},
        help="How far up and down its colour goes over into the others.",
    )
    boxes: float = number(
        1,
        "Softboxes",
        0,
        20,
        step=0.01,
        slider=(0, 3),
        when={"source": "studio"},
        help="Bright areas for metal to mirror.",
    )
    rotation: float = number(
        0, "Rotation", -360, 360, unit="°", slider=(-180, 180), when={"source": ["studio", "picture"]}
    )


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
    samples: Literal["1", "2", "4", "8"] = choice(
        "4",
        "Rays a pixel, final",
        help="For soft shadows and occlusion; half as many at check, a quarter at rough. Neighbours share theirs.",
    )
    bounces: Annotated[int, Field(ge=0, le=3)] = Field(
        default=0,
        title="Mirror bounces",
        json_schema_extra={"x-step": 1, "x-slider": [0, 3]},
        description="0: metal mirrors only the environment; 1 to 3: also the set.",
    )


class Sampling(Part):
    """How many samples a pixel takes, and how far it gathers."""

    model_config = ConfigDict(title="Filter and samples")

    filter: FilterName = choice("box", "Pixel filter")
    filter_width: float = number(
        1, "Filter width", 1, 8, step=0.1, unit="px", slider=(1, 4), help="A box of 1 is the pixel alone."
    )
    rough: Samples = choice("4", "Samples, rough")
    check: Samples = choice("16", "Samples, check")
    final: Samples = choice("64", "Samples, final", help="At final, alpha at edges is right to half a step anyway.")


class Motion(Part):
    """How long the shutter is open."""

    model_config = ConfigDict(title="Motion blur")

    angle: float = number(
        0, "Shutter angle", 0, 720, unit="°", slider=(0, 360), help="360 is open for the whole frame; 0 is no blur."
    )
    phase: float = number(
        -90,
        "Shutter opens at",
        -720,
        720,
        unit="°",
        slider=(-360, 360),
        help="0 is the frame's own time; minus half the angle centres it.",
    )
    moments: Literal["4", "8", "16", "32", "64"] = choice("16", "Moments", help="At final; half at check.")


class Pixels(Part):
    """A small raster with hard pixels, enlarged by a whole number."""

    model_config = ConfigDict(title="Pixel look")

    on: bool = Field(default=False, title="Pixel look")
    enlarge: Annotated[int, Field(ge=1, le=64)] = Field(
        default=8, title="Side of a pixel", json_schema_extra={"x-unit": "px", "x-step": 1}
    )
    palette: tuple[Colour, ...] = Field(
        default=(),
        title="Palette",
        max_length=64,
        description="Empty: all colours.",
        json_schema_extra={"x-widget": "palette"},
    )
    outline: bool = Field(default=False, title="Outline")
    outline_colour: Colour = Field(default="#101820", title="Outline colour")


class Backdrop(Part):
    """What is behind everything: nothing, or a colour or the surroundings, then part of picture, run and files."""

    kind: Literal["clear", "colour", "surroundings"] = choice("clear", "Backdrop")
    colour: Colour = Field(default="#2e3a44", title="Colour")


class Layer(Part):
    """One output layer and the passes written of it."""

    name: Code = Field(default="main", title="Name")
    passes: tuple[str, ...] = Field(default=("beauty", "matte"), title="Passes", min_length=1, max_length=32)
    camera: CameraName = Field(default="", title="Camera", description="Empty: the camera that is in view.")


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
    cameras: tuple[NamedCamera, ...] = Field(default=(), title="More cameras", max_length=32)
    view: CameraName = Field(
        default=MAIN_CAMERA, title="Camera in view", description="Of the picture, and of layers that name no camera."
    )
    lights: tuple[Light, ...] = Field(default_factory=lambda: LIGHT_SETS[0].lights, max_length=MAX_LIGHTS)
    environment: Environment = Field(default_factory=Environment)
    rays: Rays = Field(default_factory=Rays)
    backdrop: Backdrop = Field(default_factory=Backdrop)
    sampling: Sampling = Field(default_factory=Sampling)
    motion: Motion = Field(default_factory=Motion)
    pixels: Pixels = Field(default_factory=Pixels)
    finishes: tuple[NamedFinish, ...] = Field(default=(), title="Shared finishes", max_length=MAX_ELEMENTS)
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
            ("cameras", [MAIN_CAMERA.lower(), *(one.name.lower() for one in self.cameras)]),
            ("shared finishes", [finish.name for finish in self.finishes]),
        ):
            if len(set(names)) < len(names):
                raise ValueError(
                    f"two {what} are the same: {', '.join(sorted(n for n in set(names) if names.count(n) > 1))}"
                )
        return self

    @model_validator(mode="after")
    def _finishes_there(self) -> Shot:
        known = {finish.name for finish in self.finishes}
        for element in self.elements:
            for finish in element.finishes():
                if finish.named and finish.named not in known:
                    raise wrong_at(
                        "finishes",
                        f"{element.name} uses the shared finish {finish.named!r}, which this shot does not have",
                    )
        return self

    @model_validator(mode="after")
    def _cameras_there(self) -> Shot:
        known = [MAIN_CAMERA, *(one.name for one in self.cameras)]
        named = [("view", self.view), *((f"layers.{n}.camera", layer.camera) for n, layer in enumerate(self.layers))]
        for field, name in named:
            if name not in known and (name or field == "view"):
                raise wrong_at(field, f"there is no camera {name!r}; this shot has {', '.join(known)}")
        return self

    @model_validator(mode="after")
    def _whole_pixels(self) -> Shot:
        if not self.pixels.on:
            return self
        by, sides = self.pixels.enlarge, (self.raster.width, self.raster.height)
        if any(side % by for side in sides):
            fitting = [str(one) for one in range(1, 65) if all(s % one == 0 and 16 <= s // one <= 512 for s in sides)]
            raise wrong_at(
                "pixels.enlarge",
                f"{sides[0]} × {sides[1]} cannot be cut into pixels {by} wide; "
                + (f"whole are {', '.join(fitting)}" if fitting else "choose another raster"),
            )
        if not all(16 <= side // by <= 512 for side in sides):
            raise wrong_at(
                "pixels.enlarge",
                f"that makes a raster of {sides[0] // by} × {sides[1] // by}; the pixel look has 16 to 512 a side",
            )
        return self

    def camera_of(self, layer: str = "") -> Camera:
        """The camera of a layer, or (no layer, or one that names none) the camera in view."""
        name = (self.layer(layer).camera if layer else "") or self.view
        return next((one.camera for one in self.cameras if one.name == name), self.camera)

    def layer(self, name: str) -> Layer:
        """The layer of that name; InputError lists those there are."""
        for layer in self.layers:
            if layer.name == name:
                return layer
        raise InputError(
            f"there is no layer {name!r}; this shot has {', '.join(own.name for own in self.layers)}", "layers"
        )


__all__ = [
    "MAIN_CAMERA",
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
