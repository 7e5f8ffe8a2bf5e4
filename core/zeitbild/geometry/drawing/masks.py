"""Masks of a drawing (CSS Masking 1, chapter 9): how much of what they cover shows, by their light or by their alpha."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from xml.etree.ElementTree import Element

import numpy as np
from fontTools.misc.transform import Transform

from zeitbild.geometry.drawing.gradient import Gradient
from zeitbild.geometry.drawing.placing import Size
from zeitbild.geometry.drawing.styles import length
from zeitbild.geometry.drawing.tracks import Track, rectangle

#: Light of encoded red, green and blue, as the specification of filters has it for ``luminanceToAlpha``.
LIGHT = np.array([0.2125, 0.7154, 0.0721])
_SIDES = (("x", "-10%"), ("y", "-10%"), ("width", "120%"), ("height", "120%"))


def boxed(element: Element) -> bool:
    """Whether a mask lies where what it covers lies, by its own units."""
    return element.get("maskUnits", "objectBoundingBox") != "userSpaceOnUse"


def everywhere(element: Element) -> bool:
    """Whether nothing that a mask covers lies outside of it, but wide lines."""
    return boxed(element) and not any(element.get(side) for side, _ in _SIDES)


def rectangle_of(
    element: Element, sides: Sequence[tuple[str, str]], size: Size, em: float
) -> tuple[float, float, float, float]:
    """x, y, width and height that an element says, or what stands for those that it does not; per cents are of a size."""
    x, y, width, height = (
        length(element.get(side, otherwise), size[at % 2], em, length(otherwise, size[at % 2], em))
        for at, (side, otherwise) in enumerate(sides)
    )
    return x, y, width, height


def region(element: Element, unit: Transform | None, size: Size, em: float) -> list[Track]:
    """The rectangle that a mask covers at most, in units of what it is on, of which ``unit`` leads from the unit square to its box."""
    tracks = rectangle(*rectangle_of(element, _SIDES, (1.0, 1.0) if boxed(element) else size, em))
    return [one.moved(unit) for one in tracks] if boxed(element) and unit is not None else tracks


def shows(colour: Sequence[float], light: bool) -> float:
    """How much shows through a mask of that encoded colour, if it goes by its light; all, if by alpha, which is counted besides."""
    return float(LIGHT @ np.asarray(colour[:3])) if light else 1.0


def faded(mask: Gradient, colour: Sequence[float], light: bool) -> Gradient:
    """What becomes of one encoded colour under a mask that is a gradient: a gradient of its alpha."""
    stops = mask.stops.copy()
    stops[:, 4] *= stops[:, 1:4] @ LIGHT if light else 1.0
    stops[:, 1:4] = colour[:3]
    return replace(mask, stops=stops)
