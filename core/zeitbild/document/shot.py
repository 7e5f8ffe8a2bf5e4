"""The shot document: everything about a shot that decides what its files contain."""

from __future__ import annotations

from fractions import Fraction
from typing import Annotated, Any, Literal, Union

from pydantic import Field, StringConstraints, model_validator

from zeitbild.document.camera import MAIN_CAMERA, Camera, CameraName, NamedCamera
from zeitbild.document.layers import MAX_LAYERS, Layer, PassName
from zeitbild.document.picture import Backdrop, Motion, Pixels, Raster, Sampling
from zeitbild.document.sounds import MOST_SOUNDS, Sound
from zeitbild.document.surroundings import Environment, Rays
from zeitbild.elements import kinds
from zeitbild.errors import InputError
from zeitbild.finishes import NamedFinish
from zeitbild.lights import kinds as light_kinds
from zeitbild.lights.ready_made import LIGHT_SETS
from zeitbild.snapshot.names import Names
from zeitbild.timing.frames import MAX_FRAME_NUMBER, MAX_FRAMES
from zeitbild.timing.rate import RATES, parse_rate
from zeitbild.values import FRAME, Code, Identifier, Part, Title, choice, wrong_at

VERSION = 3

MAX_ELEMENTS = 200
MAX_LIGHTS = 32


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

    handles: Annotated[int, Field(ge=0, le=1000)] = Field(
        default=0,
        title="Handles",
        description="Frames more at both ends in every run, for whoever cuts or fades; of a cycle they go on round.",
    )

    @model_validator(mode="after")
    def _holds(self) -> Timing:
        try:
            parse_rate(self.rate)
        except InputError as error:
            # As one of the document's problems, so that the others are named beside it.
            raise wrong_at(error.field, error.message) from None
        if self.last < self.first:
            raise ValueError(f"the last frame ({self.last}) stands before the first ({self.first})")
        if self.last - self.first + 1 > MAX_FRAMES:
            raise ValueError(f"{self.last - self.first + 1} frames are more than {MAX_FRAMES}; shorten the range")
        if self.first < self.handles:
            raise wrong_at(
                "handles",
                f"with {self.handles} frames before its first the shot would begin at frame {self.first - self.handles}; frames count from 0: "
                f"begin at {self.handles} or later",
            )
        return self

    @property
    def fraction(self) -> Fraction:
        """Exact frames a second."""
        return parse_rate(self.rate)

    @property
    def frames(self) -> range:
        """Frames of the piece."""
        return range(self.first, self.last + 1, self.step)

    @property
    def delivered(self) -> range:
        """Frames that a run renders: those of the piece, and its handles."""
        more = self.handles // self.step * self.step
        return range(self.first - more, self.frames[-1] + more + 1, self.step)


class NamedRange(Part):
    """Some of the frames, under a name: to be looked at or rendered alone."""

    name: Title = Field(title="Name")
    first: Annotated[int, Field(ge=0, le=MAX_FRAME_NUMBER)] = Field(title="First frame", json_schema_extra=FRAME)
    last: Annotated[int, Field(ge=0, le=MAX_FRAME_NUMBER)] = Field(title="Last frame", json_schema_extra=FRAME)

    @model_validator(mode="after")
    def _holds(self) -> NamedRange:
        if self.last < self.first:
            raise wrong_at("last", f"the last frame ({self.last}) stands before the first ({self.first})")
        return self


# The union of all registered light kinds.
_light_kinds = tuple(kind.parameters for kind in light_kinds)
Light: Any = Annotated[Union[_light_kinds], Field(discriminator="kind")]  # noqa: UP007


# The union of all registered element kinds: a kind that registers itself is part of the document's schema.
_kinds = tuple(kind.parameters for kind in kinds)
Element: Any = Annotated[Union[_kinds], Field(discriminator="kind")]  # noqa: UP007


class Shot(Part):
    """One shot, whole."""

    version: Literal[3] = 3
    project: Code = Field(default="KM", title="Project code")
    shot: Code = Field(default="KM010", title="Shot code")
    title: Title = Field(default="Untitled", title="Title")
    raster: Raster = Field(default_factory=Raster)
    timing: Timing = Field(default_factory=Timing)
    ranges: tuple[NamedRange, ...] = Field(
        default=(), title="Named ranges", max_length=64, exclude_if=lambda own: not own
    )
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
    sounds: tuple[Sound, ...] = Field(
        default=(), title="Sounds", max_length=MOST_SOUNDS, exclude_if=lambda own: not own
    )
    layers: tuple[Layer, ...] = Field(default_factory=lambda: (Layer(),), min_length=1, max_length=MAX_LAYERS)
    naming: Annotated[str, StringConstraints(min_length=1, max_length=300)] = Field(
        default="{shot}_{layer}_{pass}_v{version:03}/{shot}_{layer}_{pass}_v{version:03}.{frame:04}.{ext}",
        title="File-name rule",
    )
    pass_codes: dict[PassName, Code] = Field(
        default={}, title="Codes of passes", max_length=200, description="What passes are called in file names."
    )
    quality: Literal["rough", "check", "final"] = choice("final", "Quality of a run")

    @model_validator(mode="after")
    def _distinct(self) -> Shot:
        for what, names in (
            ("element identities", [element.id for element in self.elements]),
            ("sound identities", [sound.id for sound in self.sounds]),
            ("layer names", [layer.name.lower() for layer in self.layers]),
            ("cameras", [MAIN_CAMERA.lower(), *(one.name.lower() for one in self.cameras)]),
            ("shared finishes", [finish.name for finish in self.finishes]),
            ("named ranges", [one.name.lower() for one in self.ranges]),
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
    def _groups_there(self) -> Shot:
        groups = {element.id: element for element in self.elements if kinds.get(element.kind).holds}
        for number, element in enumerate(self.elements):
            above, passed = element.inside, {element.id}
            while above:
                if above not in groups:
                    raise wrong_at(
                        f"elements.{number}.inside", f"there is no group {above!r} that {element.name} could stand in"
                    )
                if above in passed:
                    raise wrong_at(f"elements.{number}.inside", f"{element.name} would stand inside of itself")
                passed.add(above)
                above = groups[above].inside
        return self

    def groups_of(self, element: Any) -> tuple[Any, ...]:
        """The groups that an element stands in, from the inmost to the outermost."""
        found: list[Any] = []
        while inside := element.inside:
            element = next(one for one in self.elements if one.id == inside)
            found.append(element)
        return tuple(found)

    @model_validator(mode="after")
    def _cameras_there(self) -> Shot:
        known = [MAIN_CAMERA, *(one.name for one in self.cameras)]
        named = [("view", self.view), *((f"layers.{n}.camera", layer.camera) for n, layer in enumerate(self.layers))]
        for field, name in named:
            if name not in known and (name or field == "view"):
                raise wrong_at(field, f"there is no camera {name!r}; this shot has {', '.join(known)}")
        return self

    @model_validator(mode="after")
    def _some_layer(self) -> Shot:
        if not self.layers_on:
            raise wrong_at("layers", "every layer is switched off; switch one on")
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

    def camera_of(self, name: str = "") -> Camera:
        """The camera of that name; without one the camera in view."""
        name = name or self.view
        return next((one.camera for one in self.cameras if one.name == name), self.camera)

    @property
    def layers_on(self) -> tuple[Layer, ...]:
        """The layers that runs and hand-offs have."""
        return tuple(layer for layer in self.layers if layer.on)

    @property
    def shutter_opens(self) -> bool:
        """Whether what moves is seen on its way."""
        return bool(self.motion.angle) and not self.pixels.on

    @property
    def light_groups(self) -> tuple[str, ...]:
        """Groups of the lights that shine on surfaces, each once, on or off."""
        return tuple(dict.fromkeys(light.group_name() for light in self.lights if hasattr(light, "group")))

    @property
    def names(self) -> Names:
        """Identity and name of every element, and of its finishes what documents call them and what people do.

        Names that are the same are told apart by the identity; a shared finish has one name wherever it is.
        """
        found = []
        all_names = [element.name for element in self.elements]
        for element in self.elements:
            name = element.name if all_names.count(element.name) == 1 else f"{element.name} ({element.id})"
            surfaces = tuple(
                (one.code, one.finish.named or f"{name}, {one.title.lower()}") for one in element.surfaces()
            )
            found.append((element.id, name, surfaces))
        return tuple(found)

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
    "Motion",
    "NamedCamera",
    "Pixels",
    "Raster",
    "Rays",
    "Sampling",
    "Shot",
    "Sound",
    "Timing",
]
