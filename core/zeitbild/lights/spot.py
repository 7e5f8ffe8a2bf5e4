"""Spot light: a ball of light behind a cone with a soft border."""

from __future__ import annotations

import math
from typing import Literal

from pydantic import ConfigDict, Field, model_validator

from zeitbild.lights.base import LightKind, StandingLight, aim, kinds
from zeitbild.snapshot.lights import LightSource
from zeitbild.values import Point, number


class SpotLight(StandingLight):
    """Full inside the inner cone, fading to nothing at the outer one. Angles are whole, from border to border."""

    model_config = ConfigDict(title="Spot")

    kind: Literal["spot"] = "spot"
    aims_at: Point = Field(default=(0.0, 0.0, 0.0), title="Aims at", json_schema_extra={"x-step": 5})
    inner: float = number(25, "Inner cone", 0, 179, step=0.5, unit="°", slider=(0, 120))
    outer: float = number(40, "Outer cone", 0.1, 179, step=0.5, unit="°", slider=(1, 120))
    radius: float = number(
        0, "Radius", 0, 100_000, step=1, unit="u", slider=(0, 200), help="Larger is softer; 0 gives hard shadows."
    )

    @model_validator(mode="after")
    def _cones(self) -> SpotLight:
        if self.inner > self.outer:
            raise ValueError(f"the inner cone ({self.inner:g}°) is wider than the outer one ({self.outer:g}°)")
        return self


def _source(light: SpotLight) -> LightSource:
    return LightSource(
        "sphere",
        light.linear_colour(),
        position=light.position,
        direction=aim(light.position, light.aims_at),
        size=light.radius,
        cone=(math.cos(math.radians(light.inner / 2)), math.cos(math.radians(light.outer / 2))),
        reach=light.reach,
        shadows=light.shadows,
    )


kinds.register(LightKind("spot", "Spot", SpotLight, _source, "point", 2))
