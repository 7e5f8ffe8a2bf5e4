"""Ambient light: the same from everywhere."""

from __future__ import annotations

from typing import Literal

from pydantic import ConfigDict, Field

from zeitbild.lights.base import LightKind, TouchingLight, kinds
from zeitbild.snapshot.lights import LightSource
from zeitbild.values import Title, number


class AmbientLight(TouchingLight):
    """The same light from all directions. Common practice: near a tenth; at full strength lettering turns flat."""

    model_config = ConfigDict(title="Ambient light")

    kind: Literal["ambient"] = "ambient"
    name: Title = Field(default="Ambient", title="Name")
    strength: float = number(0.1, "Strength", 0, 100, step=0.01, slider=(0, 1))


kinds.register(
    LightKind(
        "ambient", "Ambient", AmbientLight, lambda light: LightSource("ambient", light.linear_colour()), "none", 5
    )
)
