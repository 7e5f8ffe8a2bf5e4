"""Dots: round things without a surface, many at once, as a spray has them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zeitbild.geometry.mesh import Mesh

#: What a dot looks like: soft towards its edge, even up to it, or drawn out along the way that it goes.
DotLook = Literal["soft", "disc", "streak"]


@dataclass(frozen=True, slots=True, eq=False)
class Dots:
    """Dots of a body, in its own units, at a frame.

    places [n, 3] and radii [n] float64; ways [n, 3] how far each goes in a frame; tails [n, 3] from it to the end of its streak; colours [n, 3]
    linear light and opacities [n] (0 to 1) float32. plus: they add their light and cover nothing. lit: their colours are what white light makes of
    them.
    """

    places: NDArray[np.float64]
    radii: NDArray[np.float64]
    ways: NDArray[np.float64]
    tails: NDArray[np.float64]
    colours: NDArray[np.float32]
    opacities: NDArray[np.float32]
    look: DotLook = "soft"
    plus: bool = False
    lit: bool = False

    def cloud(self) -> Mesh:
        """The corners of the box around them, without any surface: what tells where they are."""
        there = self.opacities > 0
        if not there.any():
            corners = np.zeros((0, 3))
        else:
            reach = self.radii[there, None]
            low, high = (self.places[there] - reach).min(axis=0), (self.places[there] + reach).max(axis=0)
            corners = np.array(
                [[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])]
            )
        nothing = np.zeros(0, np.int32)
        return Mesh(corners, np.zeros((0, 3), np.int32), np.zeros((0, 3, 3), np.float32), nothing, nothing, False)
