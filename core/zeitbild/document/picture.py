"""How the picture is taken: its raster, samples and filter, blur, pixel look, and what is behind everything."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import ConfigDict, Field, model_validator

from zeitbild.keys import Moving
from zeitbild.snapshot.pixel_filter import FilterName
from zeitbild.values import Colour, Part, choice, number

MAX_SIDE = 8192
MAX_OVERSCAN = 512
#: Pixels of the largest raster. A worker keeps its planes in memory at 16 bytes a pixel and more; this keeps it
#: below 600 MB beside everything else.
MAX_PIXELS = 4096 * 2160
#: Samples a pixel can take.
Samples = Literal["4", "16", "64"]


class Raster(Part):
    """Picture size in square pixels, and how much more is rendered around it."""

    width: Annotated[int, Field(ge=16, le=MAX_SIDE)] = Field(
        default=1280, title="Width", json_schema_extra={"x-unit": "px"}
    )
    height: Annotated[int, Field(ge=16, le=MAX_SIDE)] = Field(
        default=720, title="Height", json_schema_extra={"x-unit": "px"}
    )
    overscan: Annotated[int, Field(ge=0, le=MAX_OVERSCAN)] = Field(
        default=0,
        title="Overscan",
        description="Rendered around the picture on each side, for receivers who shake, blur or correct lenses: OpenEXR keeps it outside "
        "of the display window, other files leave it out. The pixel look has none.",
        json_schema_extra={"x-unit": "px"},
    )

    @model_validator(mode="after")
    def _not_too_large(self) -> Raster:
        width, height = self.width + 2 * self.overscan, self.height + 2 * self.overscan
        if width * height > MAX_PIXELS:
            raise ValueError(
                f"{width} × {height}{' with its overscan' if self.overscan else ''} is {width * height / 1e6:.1f} million pixels; the limit is "
                f"{MAX_PIXELS / 1e6:.1f} million (4096 × 2160), so that a frame fits a worker's memory"
            )
        return self


class Sampling(Part):
    """How many samples a pixel takes, and how far it gathers."""

    model_config = ConfigDict(title="Filter and samples")

    filter: FilterName = choice("box", "Pixel filter")
    filter_width: float = number(
        1, "Filter width", 1, 8, step=0.1, unit="px", slider=(1, 4), help="A box of 1 is the pixel alone."
    )
    rough: Samples = choice("4", "Samples, rough")
    check: Samples = choice("16", "Samples, check")
    final: Samples = choice(
        "64", "Samples, final", help="At final, alpha at edges is the exact area, whatever the number of samples."
    )
    error: float = number(
        6,
        "Differences allowed, final",
        1,
        64,
        step=0.5,
        unit="/255",
        slider=(2, 24),
        help="Pixels that differ by more get more places and mirror rays: calmer highlights, longer rendering.",
    )
    highlights: Literal["clipped", "rolled off"] = choice(
        "clipped",
        "Highlights",
        help="In the view and in files of 8 and 16 bits; linear files keep all light. Rolled off keeps colours below 0.8.",
    )

    beyond_alpha: Literal["alpha raised", "clipped"] = choice(
        "alpha raised",
        "Light beyond alpha",
        help="What clear elements mirror may be more than their alpha. Files of straight colour (PNG) cannot hold it: alpha "
        "is raised to hold the light, or the light is clipped. OpenEXR files hold it as it is.",
    )


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


class Backdrop(Moving):
    """What is behind everything: nothing, or something that is then part of picture, run and files.

    A key is one colour to be taken out again: nothing throws a shadow before it.
    """

    kind: Literal["clear", "colour", "gradient", "surroundings", "key"] = choice("clear", "Backdrop")
    colour: Colour = Field(default="#2e3a44", title="Colour")
    colour_to: Colour = Field(default="#101820", title="Colour below")
