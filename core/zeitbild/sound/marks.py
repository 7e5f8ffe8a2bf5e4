"""Where a sound gets loud, and where it pauses: places for keys to snap to."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from zeitbild.sound.plain import PIECES

#: Decibels below the loudest piece from which on nothing is heard, and seconds that make a pause.
_SILENT, _PAUSE = -45.0, 0.2
#: Decibels that it gets louder by within so many seconds where it is marked, and seconds between two marks at least.
_LOUDER, _WITHIN, _APART = 9.0, 0.05, 0.15
_MOST = 500


def levels_of(lows: NDArray[np.float32], highs: NDArray[np.float32]) -> NDArray[np.float64]:
    """Decibels [n] of each hundredth of a second below full."""
    peak = np.maximum(np.abs(lows), np.abs(highs)).astype(np.float64)
    return 20 * np.log10(np.maximum(peak, 1e-6))


def loud_points(levels: NDArray[np.float64]) -> tuple[float, ...]:
    """Seconds at which it gets louder all at once: the beginning of a beat, a word, a blast."""
    if not len(levels) or levels.max() < -60:
        return ()
    floor = max(float(levels.max()) + _SILENT, -80.0)
    held = np.maximum(levels, floor)
    back = max(1, round(_WITHIN * PIECES))
    before = np.concatenate([np.full(back, floor), held])[: len(held)]
    # The level shortly before is the highest of a few pieces, so that the waves of a low tone are no beats.
    for shift in range(1, back):
        before = np.maximum(before, np.concatenate([np.full(back + shift, floor), held])[: len(held)])
    rises = held - before >= _LOUDER
    found: list[float] = []
    for at in np.flatnonzero(rises):
        if not found or at / PIECES - found[-1] >= _APART:
            found.append(at / PIECES)
    return tuple(found[:_MOST])


def pauses(levels: NDArray[np.float64]) -> tuple[tuple[float, float], ...]:
    """Seconds from when to when nothing is heard."""
    if not len(levels):
        return ()
    quiet = levels < max(float(levels.max()) + _SILENT, -80.0)
    edges = np.flatnonzero(np.diff(np.concatenate([[False], quiet, [False]]).astype(np.int8)))
    ends = edges.reshape(-1, 2) / PIECES
    return tuple((float(a), float(b)) for a, b in ends if b - a >= _PAUSE)[:_MOST]
