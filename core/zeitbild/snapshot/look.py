"""How a picture looks beyond what stands in it: hard pixels, and a backdrop that runs from colour to colour."""

from __future__ import annotations

from dataclasses import dataclass

Triple = tuple[float, float, float]


@dataclass(frozen=True, slots=True)
class PixelLook:
    """Side of a drawn pixel in the picture's pixels; palette of linear colours, or empty; colour of the outline."""

    enlarge: int
    palette: tuple[Triple, ...] = ()
    outline: Triple | None = None


@dataclass(frozen=True, slots=True)
class Gradient:
    """A backdrop that goes from one linear colour at the top to another at the bottom, in even steps of light."""

    above: tuple[float, float, float]
    below: tuple[float, float, float]
