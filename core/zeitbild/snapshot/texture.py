"""A picture that lies on surfaces."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

#: Halvings of a texture at most; 2048 pixels a side come down to one.
MOST_LEVELS = 12
#: A row of numbers for each texture: how many levels it has; offset, width and height of each; then whether it is seen once, and hard.
ONCE = 1 + 3 * MOST_LEVELS
HARD = ONCE + 1
TEXTURE_ROW = HARD + 1


@dataclass(frozen=True, slots=True)
class Texture:
    """A picture for surfaces, known by the digest of its file and by what its values are.

    levels are [H, W, 3] float32 each half as large as the one before: linear light, or plain numbers 0..1 if ``plain``. It repeats, or,
    if ``once``, goes on beyond its edges as it ends there. ``hard``: its pixels stay whole when they are larger than those of the picture.
    """

    digest: str
    plain: bool
    levels: tuple[NDArray[np.float32], ...] = field(compare=False, repr=False)
    once: bool = False
    hard: bool = False
