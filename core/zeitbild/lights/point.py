"""Point light: a glowing ball that shines all round."""

from __future__ import annotations

from typing import Literal

from pydantic import ConfigDict

from zeitbild.lights.base import LightKind, StandingLight, kinds
from zeitbild.snapshot.lights import LightSource
from zeitbild.values import number


class PointLight(StandingLight):
    """A ball of light."""

    model_config = ConfigDict(title="Point light")

    kind: Literal["point"] = "point"
    radius: float = number(
        0, "Radius", 0, 100_000, step=1, unit="u", slider=(0, 200), help="Larger is softer; 0 gives hard shadows."
    )


def _source(light: PointLight) -> LightSource:
    return LightSource(
        "sphere",
        light.linear_colour(),
        position=light.position,
        size=light.radius,
        reach=light.reach,
        shadows=light.shadows,
    )


kinds.register(LightKind("point", "Point light", PointLight, _source, "none", 1))
