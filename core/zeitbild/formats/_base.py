"""The contract of a format: what it can carry, how it writes a plane, how an independent reader reads it back."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zeitbild.registry import Registry
from zeitbild.render.passes import Role


@dataclass(frozen=True, slots=True, eq=False)
class Plane:
    """Pixels of one pass on their way into a file; shapes as in ``passes.Role``, float32, row 0 at the top.

    Colour for a format that ends at white has no channel beyond its alpha (``colour.highlights.for_straight``).
    depth_range is (near, far) in units; only depth planes in formats of whole numbers use it. rate is in frames a second
    and frame the number of the frame, for formats that say when a picture is.
    """

    role: Role
    pixels: NDArray[np.float32]
    depth_range: tuple[float, float] = (0.0, 1.0)
    rate: Fraction | None = None
    frame: int = 0


@dataclass(frozen=True, slots=True)
class ReadBack:
    """What the independent reader found: raster, channels, bits, and the largest distance from the plane.

    worst is in code values for whole-number formats and in absolute values for float formats; ``holds`` tells whether
    it stays within what the format's rounding allows. stray counts pixels with colour under zero alpha.
    """

    width: int
    height: int
    channels: str
    bits: int
    worst: float
    allowed: float
    stray: int

    @property
    def holds(self) -> bool:
        """True if the file says what the plane says."""
        return self.worst <= self.allowed and self.stray == 0


@dataclass(frozen=True, slots=True)
class Format:
    """One way to write planes to files.

    bits by role; alpha: how colour relates to alpha in the file; colour: how light is encoded there; ends_at_white: what is
    brighter than white does not fit in.
    """

    name: str
    title: str
    extension: str
    alpha: Literal["straight", "premultiplied"]
    colour: str
    bits: dict[Role, int]
    encode: Callable[[Plane], bytes]
    read_back: Callable[[Path, Plane], ReadBack]
    order: int = 0
    ends_at_white: bool = True


formats: Registry[Format] = Registry("format", "zeitbild.formats")
