"""What every light kind shares, and the contract of a kind."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, Any, Literal

from pydantic import Field, StringConstraints

from zeitbild.colour import decode_hex, temperature_colour
from zeitbild.keys import Moving
from zeitbild.registry import Registry
from zeitbild.snapshot.lights import LightSource, Softbox, Triple
from zeitbild.values import Colour, Identifier, Point, Title, choice, number

#: In forms these stand after what a kind adds.
_LATE: dict[str, Any] = {"x-late": True, "x-group": "Reach"}


class LightBase(Moving):
    """Fields that every light has."""

    name: Title = Field(default="Light", title="Name")
    on: bool = Field(default=True, title="On")
    colour_by: Literal["colour", "temperature"] = choice("colour", "Colour by")
    colour: Colour = Field(default="#ffffff", title="Colour", json_schema_extra={"x-when": {"colour_by": "colour"}})
    temperature: float = number(
        6500,
        "Temperature",
        1000,
        20_000,
        step=50,
        unit="K",
        slider=(2000, 10_000),
        help="Of a glowing body: candles near 1900, lamps near 2900, daylight 6500 (white).",
        when={"colour_by": "temperature"},
    )
    strength: float = number(1, "Strength", 0, 100, step=0.01, slider=(0, 4))

    def group_name(self) -> str:
        """The group under which its light is also given alone."""
        return self.name

    def linear_colour(self) -> Triple:
        """Linear colour times strength."""
        tint = decode_hex(self.colour) if self.colour_by == "colour" else temperature_colour(self.temperature)
        return (tint[0] * self.strength, tint[1] * self.strength, tint[2] * self.strength)


class TouchingLight(LightBase):
    """A light that can be kept to some elements."""

    touches: tuple[Identifier, ...] = Field(
        default=(),
        title="Lights only",
        max_length=200,
        description="Nothing ticked: it lights everything.",
        json_schema_extra={**_LATE, "x-widget": "elements"},
    )


class ShadowingLight(TouchingLight):
    """A light that can throw shadows."""

    group: Annotated[str, StringConstraints(max_length=40, strip_whitespace=True)] = Field(
        default="",
        title="Group",
        description="Lights of one group are one part of the picture; empty: it stands alone.",
        json_schema_extra=_LATE,
    )
    shadows: bool = Field(default=True, title="Shadows", json_schema_extra=_LATE)

    def group_name(self) -> str:
        """Its group, or its own name if it has none."""
        return self.group or self.name


class StandingLight(ShadowingLight):
    """A light that stands somewhere, and gets weaker with the square of the distance."""

    position: Point = Field(default=(300.0, 400.0, 600.0), title="Position", json_schema_extra={"x-step": 5})
    reach: float = number(
        700,
        "Strength holds at",
        0.01,
        1_000_000,
        step=10,
        unit="u",
        slider=(50, 2000),
        help="At this distance it is as strong as a sun of the same strength; at twice the distance a quarter.",
    )


def aim(position: Point, target: Point) -> Triple:
    """Unit vector from one point to another; straight down if they are the same."""
    x, y, z = (b - a for a, b in zip(position, target, strict=True))
    length = math.sqrt(x * x + y * y + z * z)
    return (x / length, y / length, z / length) if length > 1e-9 else (0.0, -1.0, 0.0)


def sky_direction(azimuth: float, elevation: float) -> Triple:
    """Unit vector towards a point of the sky: azimuth from the front (+z) to the right (+x), elevation up; degrees."""
    around, above = math.radians(azimuth), math.radians(elevation)
    return (math.cos(above) * math.sin(around), math.sin(above), math.cos(above) * math.cos(around))


@dataclass(frozen=True, slots=True)
class LightKind:
    """A kind of light: its parameters, and what they come down to at a frame.

    ``aimed`` tells how dragging on the picture aims it: a direction of the sky, a point it looks at, or not at all.
    """

    name: str
    title: str
    parameters: type[LightBase]
    source: Callable[[Any], LightSource | Softbox]
    aimed: Literal["sky", "point", "none"] = "none"
    order: int = 0


kinds: Registry[LightKind] = Registry("light", "zeitbild.lights")
