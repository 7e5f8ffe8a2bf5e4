"""Sound in plain values."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

#: Samples a second of everything that is mixed, and how many channels that has.
RATE, CHANNELS = 48_000, 2
MAX_SOUND_BYTES = 512 * 1024 * 1024
#: Seconds of the longest file.
MOST_SECONDS = 1800
#: Pieces of a second that a waveform is kept in.
PIECES = 100


@dataclass(frozen=True, slots=True, eq=False)
class Heard:
    """What a file of sound holds: its length in seconds, the samples a second and channels that it has itself, and how it is coded.

    lows and highs [n] are the least and the greatest sample of each hundredth of a second, of both channels. loud are seconds at which it
    gets loud, pauses those from when to when nothing is heard.
    """

    seconds: float
    rate: int
    channels: int
    coded: str
    lows: NDArray[np.float32]
    highs: NDArray[np.float32]
    loud: tuple[float, ...]
    pauses: tuple[tuple[float, float], ...]
