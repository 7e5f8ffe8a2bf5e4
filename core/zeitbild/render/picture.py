"""What a layer of a snapshot renders to."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

#: Depth where nothing stands (common practice: a distance far beyond any set; finite, so that readers cope).
NO_DEPTH = 1e10


@dataclass(frozen=True, slots=True, eq=False)
class Picture:
    """Named planes of one rendered frame; row 0 at the top.

    beauty  [H, W, 4] float32, linear light, Rec. 709 primaries, premultiplied by its alpha in 0..1
    depth   [H, W] float32, distance along the viewing axis in units of the nearest surface; NO_DEPTH where none is
    planes  [H, W, shading.PLANES] float32, what beauty is made of, each weighted by coverage; None if not asked for
    """

    beauty: NDArray[np.float32]
    depth: NDArray[np.float32]
    planes: NDArray[np.float32] | None = None

    @property
    def size(self) -> tuple[int, int]:
        """Width and height in pixels."""
        return self.beauty.shape[1], self.beauty.shape[0]
