"""A time of a shot, exact."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction


@dataclass(frozen=True, slots=True)
class Time:
    """A frame, which may lie between two while a shutter is open; seconds since the first one; the phase of the range; and the shot's rate
    in frames a second."""

    frame: Fraction
    seconds: Fraction
    phase: Fraction
    rate: Fraction
