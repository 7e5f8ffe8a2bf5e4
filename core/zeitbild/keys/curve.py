"""A track made ready: its value at any time, exact at every frame."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable
from fractions import Fraction
from typing import Any

from zeitbild.keys.measure import Measure
from zeitbild.keys.track import Track
from zeitbild.timing import Time
from zeitbild.timing.easing import bezier, handles_of, share_of_way, waves

#: Ways whose last speed goes on beyond their ends.
_GO_ON = ("straight", "gentle start", "gentle end", "gentle", "free")


class Curve:
    """The values of a track of a field of that measure."""

    def __init__(self, track: Track, measure: Measure) -> None:
        self._measure, self._wave, self._every = measure, track.wave, track.every
        keys = track.keys
        self._values = [key.value for key in keys]
        self._frames = [key.frame for key in keys]
        # Whoever goes over a way at a time has its share of the time as a quotient of whole numbers, which is rounded once.
        self._ways: list[Callable[[float], float]] = [
            share_of_way(key.way, key.strength, key.handles) for key in keys[:-1]
        ]
        self._mixes = [
            measure.mixer(one.value, other.value, track.shortest) for one, other in zip(keys, keys[1:], strict=False)
        ]
        self._before, self._after = track.before, track.after
        self._ends = [key.way for key in keys[:-1]]
        self._handles = [handles_of(key.way, key.strength, key.handles) for key in keys[:-1]]

    def at(self, time: Time, still: Any) -> Any:
        """The value at a time, within the limits of its field. Without keys (only a wave) it moves about the value that stands there."""
        if self._every > 1:
            time = time.stepped(self._frames[0] if self._frames else time.range[0], self._every)
        value = self._keyed(time.frame.numerator, time.frame.denominator) if self._values else still
        wave = self._wave
        if wave is not None:
            phase = time.phase
            if wave.shape == "round":
                share = float((Fraction(str(wave.times)) * phase + Fraction(str(wave.begins))) % 1)
            else:
                share = waves(wave.times, phase.numerator, phase.denominator, wave.begins)
            value = value + wave.amount * share
        return self._measure.held(value)

    def _keyed(self, n: int, d: int) -> Any:
        """What its keys (there is one at least) give at the frame n / d."""
        frames, values = self._frames, self._values
        first, last = frames[0] * d, frames[-1] * d
        span = last - first
        if n < first or n > last:
            how = self._before if n < first else self._after
            if how == "go on" and span:
                return self._beyond(n, d)
            if how == "hold" or not span or how == "go on":
                return values[0] if n < first else values[-1]
            if how == "repeat":
                n = (n - first) % span + first
            else:
                n = (n - first) % (2 * span)
                n = first + (n if n <= span else 2 * span - n)
        # At is the key at or before the time.
        at = bisect_right(frames, n // d) - 1
        start = frames[at] * d
        if n == start or at == len(frames) - 1:
            return values[at]
        share = self._ways[at]((n - start) / (frames[at + 1] * d - start))
        return values[at] if share == 0 else values[at + 1] if share == 1 else self._mixes[at](share)

    def _beyond(self, n: int, d: int) -> Any:
        """As fast as at the first or the last key; what does not go evenly there stays."""
        at = 0 if n < self._frames[0] * d else len(self._frames) - 2
        start, end = self._frames[at] * d, self._frames[at + 1] * d
        if self._measure.stepped or self._ends[at] not in _GO_ON:
            return self._values[0] if n < start else self._values[-1]
        share = (n - start) / (end - start)
        return self._mixes[at](share if self._ends[at] == "straight" else bezier(self._handles[at], share))
