"""Sun: parallel light from one direction, from a disc of the sky as wide as wanted."""

from __future__ import annotations

import math
from typing import Literal

from pydantic import ConfigDict

from zeitbild.lights.base import LightKind, ShadowingLight, kinds, sky_direction
from zeitbild.snapshot.lights import LightSource
from zeitbild.values import number


class SunLight(ShadowingLight):
    """Light from one direction, given as seen from the set: azimuth from the front towards the right, elevation up."""

    model_config = ConfigDict(title="Sun")

    kind: Literal["sun"] = "sun"
    azimuth: float = number(
        40, "Azimuth", -180, 180, unit="°", slider=(-180, 180), help="0 is the front, 90 the right."
    )
    elevation: float = number(35, "Elevation", -90, 90, unit="°", slider=(-90, 90))
    size: float = number(
        0, "Width of its disc", 0, 90, step=0.1, unit="°", slider=(0, 30), help="Wider is softer: 0.5 is the real sun."
    )


def _source(light: SunLight) -> LightSource:
    x, y, z = sky_direction(light.azimuth, light.elevation)
    return LightSource(
        "sun",
        light.linear_colour(),
        direction=(-x, -y, -z),
        size=math.radians(light.size / 2),
        shadows=light.shadows,
    )


kinds.register(LightKind("sun", "Sun", SunLight, _source, "sky", 0))
