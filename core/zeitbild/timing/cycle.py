"""Where in its cycle a frame stands, and how far a turning element has turned there.

A cycle of N frames has N different frames: phase (frame - first) / N, so that frame N + 1 equals frame 1. Without a
cycle the first frame stands at phase 0 and the last at phase 1.
"""

from __future__ import annotations

from fractions import Fraction


def phase_of(frame: int | Fraction, first: int, last: int, cycle: bool) -> Fraction:
    """Exact phase of ``frame``, which may lie between two. In a cycle it is in [0, 1); otherwise held at 0 and 1 outside the range."""
    count = last - first + 1
    if cycle:
        return Fraction(frame - first) / count % 1
    if count == 1:
        return Fraction(0)
    return min(Fraction(1), max(Fraction(0), Fraction(frame - first) / (count - 1)))


def turned_degrees(turns: Fraction, phase: Fraction, start: Fraction = Fraction(0)) -> float:
    """Degrees turned at ``phase`` when ``turns`` turns fill the range and ``start`` degrees are turned before, reduced exactly to
    [0, 360)."""
    return float((turns * phase * 360 + start) % 360)
