"""What numbers of data passes reach over in a whole shot."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Reach:
    """What numbers of data passes reach over in a whole shot: (low, high) of each channel, for files of whole numbers."""

    depth: tuple[float, float] = (0.0, 1.0)
    position: tuple[tuple[float, float], ...] = ((0.0, 1.0),) * 3
    #: Pixels; motion beyond it is clipped in whole numbers.
    motion: float = 1.0
