"""The tracks of a part made ready: all their values at any time, exact at every frame, found out together.

Where a time lies between keys, and numbers between two of them, one kernel finds out for all tracks; what is no number is mixed by itself.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any, get_args

import numpy as np

from zeitbild.colour import decode_hex
from zeitbild.colour.srgb import EXPONENT, OFFSET, SLOPE, THRESHOLD_LINEAR
from zeitbild.kernels import kernel
from zeitbild.keys.measure import Measure
from zeitbild.keys.track import Outside, Track, Wave
from zeitbild.timing import Time
from zeitbild.timing.easing import CURVE, STRAIGHT, lifted, numbers_of, on_curve, share_on, waves

#: Ways whose last speed goes on beyond their ends.
_GO_ON = ("straight", "gentle start", "gentle end", "gentle", "free")
#: Columns of tracks: their first key, the one after their last, what is before and after them, a new value every so many frames, whether
#: nothing lies between their values, how many numbers a value has that are mixed here, where those begin, of keys and of what comes out, and
#: what is made of them.
_FIRST, _END, _BEFORE, _AFTER, _EVERY, _STEPPED, _COUNT, _VALUES, _OUT, _MADE = range(10)
#: Numbers as they are, the nearest whole ones, and light as parts of 65535 of its encoding.
_AS_IT_IS, _WHOLE, _COLOUR = range(3)
#: Columns of keys: their frame, what takes the way to the next one, whether it goes on beyond its ends, and whether handles are drawn
#: aside.
_FRAME, _TAKES, _GOES_ON, _LIFTED = range(4)
_OUTSIDE: tuple[Outside, ...] = get_args(Outside)
_HOLDS, _REPEATS, _BACK_AND_FORTH, _GOES, _ONWARDS = range(5)
_STRAIGHT, _CURVE = STRAIGHT, CURVE
_HEX = "#%04x%04x%04x"
#: Times are told apart by so much of a frame at least: whole numbers of 64 bits hold them and the frames of any shot.
_FINEST = 2**31


@kernel
def _sixteen(light):  # type: ignore[no-untyped-def]
    """Light as a whole number of 65535ths of its encoding (``colour.srgb``), cut off at 0 and 1."""
    light = min(max(light, 0.0), 1.0)
    curved = light * SLOPE if light <= THRESHOLD_LINEAR else (1 + OFFSET) * light ** (1 / EXPONENT) - OFFSET
    return np.rint(65535 * curved)


@kernel
def _find(n, d, tracks, keys, numbers, values, lifts, limits, places, shares, found):  # type: ignore[no-untyped-def]
    """Of each track at the frame n / d: the key at or before it into places [R], the share of the way from there into shares [R], and
    what is made of the numbers between the two values, within limits [R, 2], into found. numbers [K, 4] are those of the ways, lifts
    [V, 2] how far the handles after each of the values are drawn aside."""
    count = len(tracks)
    for row in range(count):
        first, last = tracks[row, _FIRST], tracks[row, _END] - 1
        begin, end = keys[first, _FRAME], keys[last, _FRAME]
        m, e = n, d
        if tracks[row, _EVERY] > 1:
            m, e = begin + (n - begin * d) // (tracks[row, _EVERY] * d) * tracks[row, _EVERY], np.int64(1)
        share, at, time, rounds = 0.0, first, 0.0, np.int64(0)
        low, high = begin * e, end * e
        span = high - low
        outside = m < low or m > high
        how = tracks[row, _BEFORE] if m < low else tracks[row, _AFTER]
        if outside and (span == 0 or how == _HOLDS):
            at = first if m < low else last
        elif outside and how == _GOES:
            # As fast as at the first or the last key; what does not go evenly there stays.
            at = first if m < low else last - 1
            if tracks[row, _STEPPED] or not keys[at, _GOES_ON]:
                at = first if m < low else last
            else:
                start = keys[at, _FRAME] * e
                share = time = (m - start) / (keys[at + 1, _FRAME] * e - start)
                if keys[at, _TAKES] == _CURVE:
                    share = on_curve(numbers[at, 0], numbers[at, 1], numbers[at, 2], numbers[at, 3], share)
        else:
            if outside and how in (_REPEATS, _ONWARDS):
                rounds = (m - low) // span if how == _ONWARDS else rounds
                m = (m - low) % span + low
            elif outside:
                m = (m - low) % (2 * span)
                m = low + (m if m <= span else 2 * span - m)
            # At is the key at or before the time, which is the first or after it.
            above = last + 1
            while above - at > 1:
                middle = (at + above) // 2
                if keys[middle, _FRAME] * e <= m:
                    at = middle
                else:
                    above = middle
            start = keys[at, _FRAME] * e
            if m != start and at < last:
                # A quotient of whole numbers, which is rounded once.
                time = (m - start) / (keys[at + 1, _FRAME] * e - start)
                share = share_on(keys[at, _TAKES], numbers[at, 0], numbers[at, 1], numbers[at, 2], numbers[at, 3], time)
        if share == 1 and not keys[at, _LIFTED]:
            at, share = at + 1, 0.0
        places[row], shares[row] = at - first, share
        parts = tracks[row, _COUNT]
        one = tracks[row, _VALUES] + (at - first) * parts
        for k in range(parts):
            value = values[one + k]
            if share != 0:
                value += (values[one + parts + k] - value) * share
            if time != 0 and keys[at, _LIFTED]:
                value += lifted(numbers[at, 0], numbers[at, 2], lifts[one + k, 0], lifts[one + k, 1], time)
            if rounds != 0:
                zero = tracks[row, _VALUES] + k
                value += rounds * (values[zero + (last - first) * parts] - values[zero])
            value = min(max(value, limits[row, 0]), limits[row, 1])
            if tracks[row, _MADE] == _WHOLE:
                value = math.floor(value + 0.5)
            elif tracks[row, _MADE] == _COLOUR:
                value = _sixteen(value)
            found[tracks[row, _OUT] + k] = value


@dataclass(frozen=True, slots=True)
class Waving:
    """What waves: about what its keys give (the number of its track), or about what stands there if it has none."""

    track: int | None
    wave: Wave
    measure: Measure
    first: int | None
    every: int

    @classmethod
    def of(cls, track: Track, measure: Measure, number: int | None) -> Waving:
        """What a track says that waves, whose keys have that number."""
        assert track.wave is not None
        return cls(number, track.wave, measure, track.keys[0].frame if track.keys else None, track.every)

    def at(self, time: Time, keyed: Sequence[Any], still: Any) -> Any:
        """Its value at a time, within the limits of its field: about that of its keys (of all there are), or about ``still``."""
        about = still if self.track is None else keyed[self.track]
        if self.every > 1:
            time = time.stepped(time.range[0] if self.first is None else self.first, self.every)
        wave, phase = self.wave, time.phase
        if wave.shape == "round":
            share = float((Fraction(str(wave.times)) * phase + Fraction(str(wave.begins))) % 1)
        else:
            share = waves(wave.times, phase.numerator, phase.denominator, wave.begins)
        return self.measure.held(about + wave.amount * share)


def _outside(how: Outside, measure: Measure) -> int:
    """What the kernel takes it for: only numbers are added to."""
    if how == "onwards" and (measure.kind == "colour" or measure.stepped):
        return _REPEATS
    return _OUTSIDE.index(how)


def plain(measure: Measure) -> bool:
    """Whether values of such fields are single numbers as they come: those stand first in ``Curves``."""
    return measure.kind == "number" and not measure.stepped


class Curves:
    """The values of tracks with keys, of fields of those measures, of which plain ones come first; what waves is not held within limits here."""

    def __init__(self, tracks: Sequence[tuple[Track, Measure]]) -> None:
        self._values = [[key.value for key in track.keys] for track, _ in tracks]
        self._measures = [measure for _, measure in tracks]
        #: How many are plain, and of the others their kind, their number and their numbers in what comes out.
        self._plain = sum(plain(measure) for measure in self._measures)
        self._others: list[tuple[str, int, int, int]] = []
        rows: list[tuple[int, ...]] = []
        keys: list[tuple[int, int, bool, bool]] = []
        numbers: list[tuple[float, ...]] = []
        values: list[float] = []
        lifts: list[tuple[float, float]] = []
        limits = []
        out = 0
        for track, measure in tracks:
            first = len(keys)
            count = 0 if measure.stepped or (measure.kind == "angles" and track.shortest) else measure.count
            if measure.kind == "colour":
                count = 3
            for key in track.keys:
                takes, own = numbers_of(key.way, key.strength, key.handles)
                aside = key.lifts if key.way == "free" and len(key.lifts) == count else ()
                keys.append((key.frame, takes, key.way in _GO_ON, bool(aside)))
                numbers.append(own)
                lifts += aside or [(0.0, 0.0)] * count
            if measure.kind == "colour":
                values += [part for key in track.keys for part in decode_hex(key.value)]
            elif count == 1:
                values += [key.value for key in track.keys]
            elif count:
                values += [part for key in track.keys for part in key.value]
            kind = measure.kind if count else ""
            rows.append(
                (
                    first,
                    len(keys),
                    _outside(track.before, measure),
                    _outside(track.after, measure),
                    track.every,
                    measure.stepped,
                    count,
                    len(values) - count * len(track.keys),
                    out,
                    {"whole": _WHOLE, "colour": _COLOUR}.get(kind, _AS_IT_IS),
                )
            )
            bounded = measure.kind != "colour" and track.wave is None
            limits.append((measure.low, measure.high) if bounded else (-math.inf, math.inf))
            if not plain(measure):
                self._others.append((kind, len(rows) - 1, out, out + count))
            out += count
        #: How many numbers come out.
        self._size = out
        self._arrays = (
            np.array(rows, np.int64).reshape(-1, 10),
            np.array(keys, np.int64).reshape(-1, 4),
            np.array(numbers, np.float64).reshape(-1, 4),
            np.array(values, np.float64),
            np.array(lifts, np.float64).reshape(-1, 2),
            np.array(limits, np.float64).reshape(-1, 2),
        )

    def at(self, time: Time) -> list[Any]:
        """The value of each at a time."""
        return Together([self]).at(time)[0]

    def _read(self, places: list[int], shares: list[float], numbers: list[float], row: int, first: int) -> list[Any]:
        """The value of each from what was found, of which its own begins in these places."""
        values: list[Any] = numbers[first : first + self._plain]
        for kind, at, begin, end in self._others:
            if kind in ("vector", "angles"):
                values.append(tuple(numbers[first + begin : first + end]))
            elif kind == "colour":
                # At a key it is what is written there.
                there = shares[row + at] == 0
                made = (
                    self._values[at][places[row + at]]
                    if there
                    else _HEX % tuple(map(int, numbers[first + begin : first + end]))
                )
                values.append(made)
            elif kind == "whole":
                values.append(int(numbers[first + begin]))
            else:
                values.append(self._mixed(at, places[row + at], shares[row + at]))
        return values

    def _mixed(self, row: int, at: int, share: float) -> Any:
        """What is no number, or a rotation on its shortest way."""
        values, measure = self._values[row], self._measures[row]
        if share == 0:
            return measure.held(values[at])
        return measure.held(measure.mixed(values[at], values[at + 1], share))


class Together:
    """Curves of several parts, all of whose numbers are found in one go."""

    def __init__(self, several: Sequence[Curves]) -> None:
        own = [curves._arrays for curves in several]
        sizes = np.array(
            [
                [len(rows), curves._size, len(keys), len(values)]
                for curves, (rows, keys, _, values, *_) in zip(several, own, strict=True)
            ]
        )
        sizes = sizes.reshape(-1, 4)
        before = np.cumsum(sizes, axis=0) - sizes
        #: Each with where its rows and its numbers begin.
        self._parts = list(zip(several, before[:, 0].tolist(), before[:, 1].tolist(), strict=True))
        self._rows, self._size, *_ = (int(total) for total in sizes.sum(axis=0))
        if self._rows:
            rows, *others = (np.concatenate(arrays) for arrays in zip(*own, strict=True))
            of = np.repeat(np.arange(len(own)), sizes[:, 0])
            rows[:, [_FIRST, _END]] += before[of, 2, None]
            rows[:, _VALUES] += before[of, 3]
            rows[:, _OUT] += before[of, 1]
            self._arrays = (rows, *others)

    def at(self, time: Time) -> list[list[Any]]:
        """The values of each at a time."""
        if not self._rows:
            return [[] for _ in self._parts]
        frame = time.frame if time.frame.denominator <= _FINEST else time.frame.limit_denominator(_FINEST)
        places, shares, found = np.empty(self._rows, np.int64), np.empty(self._rows), np.empty(self._size)
        _find(frame.numerator, frame.denominator, *self._arrays, places, shares, found)
        there = places.tolist(), shares.tolist(), found.tolist()
        return [curves._read(*there, row, first) for curves, row, first in self._parts]
