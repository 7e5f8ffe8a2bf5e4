"""Sound out of strangers' files, apart."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.errors import SoundError
from zeitbild.isolation import Limits, apart

_LIMITS = Limits(seconds=60.0, memory=4 << 30)


@apart(SoundError, "sounds", _LIMITS)
def look_at(path: str, label: str) -> dict[str, Any]:
    """What a file holds (``plain.Heard``)."""
    # Its libraries are wanted in reading processes only.
    from zeitbild.sound.decoding import looked_at

    return looked_at(path, label)


@apart(SoundError, "sounds", _LIMITS)
def samples_of(path: str, label: str, first: int, count: int) -> NDArray[np.float32]:
    """Samples [n, 2] of a file from one on, at ``plain.RATE``."""
    from zeitbild.sound.decoding import samples

    return samples(path, label, first, count)
