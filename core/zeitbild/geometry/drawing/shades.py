"""What is seen of a drawing alike: shades, and the pictures of those that are more than one colour, as textures name them."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeitbild.errors import InputError
from zeitbild.geometry.curves import Points
from zeitbild.geometry.drawing.canvas import PLAIN, Fill
from zeitbild.geometry.drawing.mixing import is_filtered, layers_in

#: The power of its share of the drawing by which a smaller picture has fewer pixels along its longer side, how many it has at least and at
#: most.
_FEWER, _LEAST_SIDE, _MOST_LONG = 0.75, 16.0, 8192
#: Pixels of all pictures of a drawing; and layers that one may be mixed of to have all of its own: they are worked out in the process that
#: asks.
_MOST_PIXELS, _FEW_LAYERS = 6e6, 4
#: What stands before a box, and before the name of a font.
_IN, _BY = "@", "~"


@dataclass(frozen=True, slots=True)
class Shade:
    """A colour as drawings have it: ``#rrggbb``, how much it hides (0 to 1), and the number of its gradient or of the picture that
    fills it (-1: none; the colour is then its middle one), or of what it is mixed (``mixing``). cut: the alpha of that says how much of it
    is there."""

    colour: str
    alpha: float = 1.0
    gradient: int = -1
    inlay: int = -1
    cut: bool = False
    mixed: str = ""

    @property
    def painting(self) -> str:
        """What ``Drawing.painting`` takes for what fills it; empty for one colour, and for a picture of the drawing."""
        return self.mixed or (str(self.gradient) if self.gradient >= 0 else "")

    @property
    def lies_flat(self) -> bool:
        """Whether a filter made it and it fades out, as a shadow does: that has no thickness."""
        return self.cut and is_filtered(self.mixed)


def shade_of(colour: Sequence[float], alpha: float, fill: Fill = PLAIN) -> Shade:
    """The shade nearest to three shares from 0 to 1 and an alpha."""
    named = "#" + "".join(f"{round(255 * part):02x}" for part in colour)
    if fill.mean > 0:
        # Its own alpha comes on top.
        return Shade(named, round(min(alpha / fill.mean, 1.0), 3), fill.gradient, cut=True, mixed=fill.mixed)
    return Shade(named, round(min(alpha, 1.0), 3), fill.gradient, fill.inlay, bool(fill.cut), fill.mixed)


def shares_in(box: Points, points: Points) -> NDArray[np.float32]:
    """Where points [..., 2] of a drawing (y up) lie in a picture over a box [2, 2] of it: shares of its width and height from its upper left."""
    low, high = box
    return np.asarray((points - low) / (high - low) * (1, -1) + (0, 1), np.float32)


@dataclass(frozen=True, slots=True, eq=False)
class Pictured:
    """A picture of a painting (``Shade.painting``) of a drawing: over a box [2, 2] of it (y up; None: all of it), so many pixels along its longer
    side (0: as many as it likes), the drawing read with a font of that name (empty: none)."""

    painting: str
    box: Points | None = None
    pixels: int = 0
    font: str = ""

    @classmethod
    def of(cls, named: str) -> Pictured:
        """From ``name``; InputError for what is none."""
        rest, _, font = named.partition(_BY)
        painting, boxed, told = rest.partition(_IN)
        if not boxed:
            return cls(painting, font=font)
        try:
            *corners, pixels = (float(one) for one in told.split(","))
            box = np.array(corners).reshape(2, 2)
        except ValueError:
            raise InputError(f"{told[:40]!r} is no place in a drawing") from None
        if not (np.isfinite(box).all() and (box[0] < box[1]).all() and 1 <= pixels <= _MOST_LONG):
            raise InputError(f"{told[:40]!r} is no place in a drawing")
        return cls(painting, box, int(pixels), font)

    @property
    def name(self) -> str:
        """As textures have it behind the name of the drawing's file."""
        place = (
            ""
            if self.box is None
            else ",".join([*(repr(float(one)) for one in self.box.reshape(-1)), str(self.pixels)])
        )
        return self.painting + (f"{_IN}{place}" if place else "") + (f"{_BY}{self.font}" if self.font else "")


def pictures_of(
    boxes: Mapping[Shade, Points], extent: float, side_of: Callable[[str], int], font: str
) -> dict[Shade, str]:
    """Names (``Pictured``) of pictures of what fills shades that are more than one colour, each in its box [2, 2] of a drawing that is ``extent``
    large. side_of gives the pixels of a painting that is as large as that. What is smaller has fewer, but not so few; all together have
    no more than a set can hold, and what is mixed of many layers has fewer."""
    sides, pixels = {}, 0.0
    for shade, box in boxes.items():
        if shade.painting:
            whole, (shorter, longest) = side_of(shade.painting), np.sort(box[1] - box[0])
            side = min(max(whole * (longest / extent) ** _FEWER, _LEAST_SIDE), 2.0 * whole)
            sides[shade] = side
            worth = (2 if shade.cut else 1) * max(1.0, layers_in(shade.painting) / _FEW_LAYERS)
            pixels += side * side * shorter / longest * worth
    scale = min(1.0, math.sqrt(_MOST_PIXELS / max(pixels, 1.0)))
    return {
        shade: Pictured(shade.painting, boxes[shade], max(2, round(side * scale)), font).name
        for shade, side in sides.items()
    }
