"""A time of a shot, exact."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from zeitbild.timing.cycle import phase_of


@dataclass(frozen=True, slots=True)
class Time:
    """A frame, which may lie between two while a shutter is open; seconds since the first one; the phase of the range; the shot's rate
    in frames a second; and the range that the phase is of: its first and last frame, and whether it is a cycle."""

    frame: Fraction
    seconds: Fraction
    phase: Fraction
    rate: Fraction
    range: tuple[int, int, bool] = (1, 1, False)

    def __hash__(self) -> int:
        # Times are looked up by the thousand, and fractions are slow to hash, since they are to be equal to floats.
        return hash((self.frame.numerator, self.frame.denominator))

    def stepped(self, start: int, every: int) -> Time:
        """The time that holds here if there is a new one at every so many frames, counted from ``start``."""
        frame = start + (self.frame - start) // every * every
        first, last, cycle = self.range
        seconds = self.seconds + Fraction(frame - self.frame) / self.rate
        return Time(Fraction(frame), seconds, phase_of(frame, first, last, cycle), self.rate, self.range)
