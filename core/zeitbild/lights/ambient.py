"""Ambient light: the same from everywhere."""

from __future__ import annotations

from typing import Literal

from zeitbild.document.values import number
from zeitbild.lights.base import LightKind, TouchingLight, kinds
from zeitbild.lights.source import LightSource


class AmbientLight(TouchingLight):
    """The same light from all directions. Common practice: near a tenth; at full strength lettering turns flat."""

    kind: Literal["ambient"] = "ambient"
    strength: float = number(0.1, "Strength", 0, 100, step=0.01, slider=(0, 1))


kinds.register(
    LightKind(
        "ambient", "Ambient", AmbientLight, lambda light: LightSource("ambient", light.linear_colour()), "none", 5
    )
)
