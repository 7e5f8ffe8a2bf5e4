"""Surfaces that a glTF describes by how they scatter and mirror (Khronos Group, KHR_materials_pbrSpecularGlossiness, archived) as metal and
roughness: the way back that the extension's example shows."""

from __future__ import annotations

import math
from typing import Any, NamedTuple

from zeitbild.geometry.model.gltf_file import floats, share

#: What is no metal mirrors so much of what comes straight at it (glTF 2.0, appendix B).
_PLAIN = 0.04
#: How bright light of each colour seems, of its square (the example's).
_SEEN = (0.299, 0.587, 0.114)

Colour = tuple[float, float, float]


class Glossy(NamedTuple):
    """Linear colour, opacity, roughness and metalness, and what shows the colour."""

    colour: Colour
    opacity: float
    roughness: float
    metalness: float
    picture: Any


def _brightness(colour: Colour) -> float:
    return math.sqrt(sum(part * one * one for part, one in zip(_SEEN, colour, strict=True)))


def _metalness(scattered: float, mirrored: float, rest: float) -> float:
    """How much of a metal it is that mirrors and scatters so brightly: the root of the equation that both leave."""
    if mirrored < _PLAIN:
        return 0.0
    b = scattered * rest / (1 - _PLAIN) + mirrored - 2 * _PLAIN
    return min(max((-b + math.sqrt(b * b - 4 * _PLAIN * (_PLAIN - mirrored))) / (2 * _PLAIN), 0.0), 1.0)


def glossy(own: dict[str, Any]) -> Glossy:
    """A surface from what the extension says of it; with a picture of gloss, which is not read, it is no metal."""
    red, green, blue, alpha = (min(max(one, 0.0), 1.0) for one in floats(own.get("diffuseFactor"), 4, (1, 1, 1, 1)))
    mirrored = [min(max(one, 0.0), 1.0) for one in floats(own.get("specularFactor"), 3, (1, 1, 1))]
    roughness, scattered = 1 - share(own.get("glossinessFactor", 1), 1.0), (red, green, blue)
    picture = own.get("diffuseTexture")
    if own.get("specularGlossinessTexture") is not None:
        return Glossy(scattered, alpha, max(roughness, 0.5), 0.0, picture)
    rest = 1 - max(mirrored)
    metal = _metalness(_brightness(scattered), _brightness((mirrored[0], mirrored[1], mirrored[2])), rest)
    colour = []
    for one, other in zip(scattered, mirrored, strict=True):
        as_paint = one * rest / (1 - _PLAIN) / max(1 - metal, 1e-6)
        as_metal = (other - _PLAIN * (1 - metal)) / max(metal, 1e-6)
        colour.append(min(max(as_paint + (as_metal - as_paint) * metal * metal, 0.0), 1.0))
    return Glossy((colour[0], colour[1], colour[2]), alpha, roughness, metal, picture)
