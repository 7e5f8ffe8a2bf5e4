"""Softbox: a glowing rectangle far away, that metal mirrors and that lights softly."""

from __future__ import annotations

from typing import Literal

from pydantic import ConfigDict

from zeitbild.lights.base import LightBase, LightKind, kinds
from zeitbild.snapshot.lights import Softbox
from zeitbild.values import number


class SoftboxLight(LightBase):
    """Part of the environment: it is mirrored as a rectangle, and lights everything."""

    model_config = ConfigDict(title="Softbox")

    kind: Literal["softbox"] = "softbox"
    strength: float = number(2, "Strength", 0, 100, step=0.01, slider=(0, 6))
    azimuth: float = number(
        -35, "Azimuth", -180, 180, unit="°", slider=(-180, 180), help="0 is the front, 90 the right."
    )
    elevation: float = number(30, "Elevation", -90, 90, unit="°", slider=(-90, 90))
    width: float = number(40, "Width", 1, 180, unit="°", slider=(2, 120))
    height: float = number(40, "Height", 1, 180, unit="°", slider=(2, 120))


def _source(light: SoftboxLight) -> Softbox:
    return Softbox(light.azimuth, light.elevation, light.width / 2, light.height / 2, 1.0, light.linear_colour())


kinds.register(LightKind("softbox", "Softbox", SoftboxLight, _source, "sky", 4))
