"""Which picture of a piece of footage is seen at a frame of a shot."""

from __future__ import annotations

import math
from fractions import Fraction
from typing import Literal

#: What is seen before the first picture and after the last: nothing, that one, the piece again, or the piece there and back.
Beyond = Literal["nothing", "hold", "repeat", "back and forth"]


def picture_at(
    count: int,
    frame: Fraction,
    start: int,
    skip: int,
    pictures_a_frame: Fraction,
    before: Beyond,
    after: Beyond,
) -> int | None:
    """Number of the picture (from 0) at a frame, which may lie between two; none: nothing is seen.

    At the frame ``start`` the picture ``skip`` begins; each frame of the shot lasts as long as ``pictures_a_frame`` (above 0).
    """
    at = math.floor((frame - start) * pictures_a_frame) + skip
    if 0 <= at < count:
        return at
    beyond = before if at < 0 else after
    if beyond == "nothing":
        return None
    if beyond == "hold":
        return 0 if at < 0 else count - 1
    if beyond == "repeat" or count == 1:
        return at % count
    # There and back: neither end is seen twice in a row.
    at %= 2 * count - 2
    return min(at, 2 * count - 2 - at)
