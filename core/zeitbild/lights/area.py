"""Area light: a flat glowing rectangle or disc that shines from its front."""

from __future__ import annotations

from typing import Literal

from pydantic import ConfigDict, Field

from zeitbild.lights.base import LightKind, StandingLight, aim, kinds
from zeitbild.snapshot.lights import LightSource, Triple
from zeitbild.values import Point, choice, number


class AreaLight(StandingLight):
    """A flat light. It keeps its brightness when its size changes, and only gets softer."""

    model_config = ConfigDict(title="Area light")

    kind: Literal["area"] = "area"
    shape: Literal["rectangle", "disc"] = choice("rectangle", "Shape")
    aims_at: Point = Field(default=(0.0, 0.0, 0.0), title="Aims at", json_schema_extra={"x-step": 5})
    width: float = number(300, "Width", 0.01, 100_000, step=5, unit="u", slider=(10, 1000))
    height: float = number(
        300, "Height", 0.01, 100_000, step=5, unit="u", slider=(10, 1000), when={"shape": "rectangle"}
    )


def _frame(direction: Triple) -> tuple[Triple, Triple]:
    """Level unit vector across a direction, and the one that stands on both."""
    x, y, z = direction
    level = (x * x + z * z) ** 0.5
    across = (-z / level, 0.0, x / level) if level > 1e-6 else (1.0, 0.0, 0.0)
    up = (
        across[1] * z - across[2] * y,
        across[2] * x - across[0] * z,
        across[0] * y - across[1] * x,
    )
    return across, up


def _source(light: AreaLight) -> LightSource:
    direction = aim(light.position, light.aims_at)
    across, up = _frame(direction)
    half_width = light.width / 2
    half_height = half_width if light.shape == "disc" else light.height / 2
    return LightSource(
        light.shape,
        light.linear_colour(),
        position=light.position,
        direction=direction,
        across=(across[0] * half_width, across[1] * half_width, across[2] * half_width),
        up=(up[0] * half_height, up[1] * half_height, up[2] * half_height),
        reach=light.reach,
        shadows=light.shadows,
    )


kinds.register(LightKind("area", "Area light", AreaLight, _source, "point", 3))
