"""Sounds of a shot, placed to the sample and added up."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from zeitbild.caching import SizedCache
from zeitbild.sound.plain import CHANNELS, PIECES, RATE, Heard
from zeitbild.sound.reading import look_at, samples_of

#: Bytes of samples that are kept.
_ROOM = 256 * 1024 * 1024
#: Samples that are read at once: a minute. A file is decoded from its beginning to where a part ends, so short parts of a long one are dear.
_PART = 60 * RATE
_PARTS: SizedCache[NDArray[np.float32]] = SizedCache(_ROOM, lambda samples: max(samples.nbytes, 1))
_HEARD: SizedCache[Heard] = SizedCache(64 * 1024 * 1024, lambda heard: heard.lows.nbytes * 2 + 1024)


@dataclass(frozen=True, slots=True)
class Sounding:
    """A file that is heard: where it lies and what it is called; begins is the second of the shot at which it does; skip seconds at its
    beginning are left out, and length seconds are heard (0: all of it). volume is a factor; it comes in and goes out within seconds.
    Where the volume moves, ``volume_at`` gives it at moments [n] of the shot in seconds instead."""

    path: Path
    label: str
    begins: Fraction = Fraction(0)
    skip: float = 0.0
    length: float = 0.0
    volume: float = 1.0
    fade_in: float = 0.0
    fade_out: float = 0.0
    volume_at: Callable[[NDArray[np.float64]], NDArray[np.float64]] | None = None

    def volumes(self, seconds: NDArray[np.float64]) -> NDArray[np.float64]:
        """How loud it is at moments of the shot [n], without how it comes in and goes out."""
        return np.full(len(seconds), self.volume) if self.volume_at is None else self.volume_at(seconds)


def samples_in(seconds: Fraction) -> int:
    """The sample nearest to a time; half goes up."""
    at = seconds * RATE
    return (2 * at.numerator + at.denominator) // (2 * at.denominator)


def heard(path: Path, label: str) -> Heard:
    """What a file holds; SoundError if it is no sound. Kept by where it lies, since files are named by their content."""

    def look() -> Heard:
        found = look_at(str(path), label)
        found["loud"], found["pauses"] = tuple(found["loud"]), tuple((a, b) for a, b in found["pauses"])
        return Heard(**found)

    return _HEARD.get(str(path), look)


def _read(sounding: Sounding, first: int, count: int) -> NDArray[np.float32]:
    """Samples of a file from one on, filled up with silence [count, 2]."""
    found = np.zeros((count, CHANNELS), np.float32)
    for part in range(first // _PART, (first + count - 1) // _PART + 1):
        begin = part * _PART
        key = (str(sounding.path), part)
        own = _PARTS.get(key, lambda begin=begin: samples_of(str(sounding.path), sounding.label, begin, _PART))  # type: ignore[misc]
        low, high = max(first, begin), min(first + count, begin + len(own))
        if low < high:
            found[low - first : high - first] = own[low - begin : high - begin]
    return found


def _gain(sounding: Sounding, at: NDArray[np.int64], whole: int) -> NDArray[np.float32]:
    """The factor [n, 1] of each sample of a sound that is ``whole`` samples long: even ramps at its ends."""
    gain = sounding.volumes((at + samples_in(sounding.begins)) / RATE)
    for fade, off in ((sounding.fade_in, at), (sounding.fade_out, whole - 1 - at)):
        length = samples_in(Fraction(str(fade)))
        if length > 0:
            gain *= np.clip(off / length, 0.0, 1.0)
    return gain.astype(np.float32)[:, None]


def span(sounding: Sounding) -> tuple[int, int]:
    """The first sample of the shot at which a sound is heard, and the one after its last."""
    begins, skip = samples_in(sounding.begins), samples_in(Fraction(str(sounding.skip)))
    there = max(samples_in(Fraction(heard(sounding.path, sounding.label).seconds)) - skip, 0)
    return begins, begins + min(samples_in(Fraction(str(sounding.length))) or there, there)


def placed(sounding: Sounding, start: int, count: int) -> NDArray[np.float32]:
    """What a sound gives to the samples of the shot from ``start`` on [count, 2]."""
    (begins, ends), skip = span(sounding), samples_in(Fraction(str(sounding.skip)))
    whole = ends - begins
    found = np.zeros((count, CHANNELS), np.float32)
    low, high = max(start, begins), min(start + count, ends)
    if low < high:
        at = np.arange(low - begins, high - begins)
        found[low - start : high - start] = _read(sounding, skip + low - begins, high - low) * _gain(
            sounding, at, whole
        )
    return found


def mix(soundings: Sequence[Sounding], start: int, count: int) -> NDArray[np.float32]:
    """All sounds of a shot together, from a sample on [count, 2]; not cut off beyond full."""
    total = np.zeros((count, CHANNELS), np.float32)
    for one in soundings:
        total += placed(one, start, count)
    return total


def waveform(sounding: Sounding, start: Fraction, step: Fraction, count: int) -> NDArray[np.float32]:
    """Least and greatest sample [count, 2] of a sound in stretches of ``step`` seconds of the shot from ``start`` on, from its hundredths of
    a second."""
    known = heard(sounding.path, sounding.label)
    pieces = len(known.lows)
    found = np.zeros((count, 2), np.float32)
    begins, skip = float(sounding.begins), sounding.skip
    whole = min(sounding.length or known.seconds, known.seconds - skip)
    edges = float(start) + float(step) * np.arange(count + 1) - begins
    inside = (edges[1:] > 0) & (edges[:-1] < whole)
    first = np.clip(np.floor((edges[:-1] + skip) * PIECES), 0, max(pieces - 1, 0)).astype(np.int64)
    last = np.clip(np.ceil((edges[1:] + skip) * PIECES), first + 1, max(pieces, 1)).astype(np.int64)
    middle = np.clip((edges[:-1] + edges[1:]) / 2, 0, max(whole, 0))
    gain = sounding.volumes(middle + begins)
    if sounding.fade_in > 0:
        gain *= np.clip(middle / sounding.fade_in, 0, 1)
    if sounding.fade_out > 0:
        gain *= np.clip((whole - middle) / sounding.fade_out, 0, 1)
    for at in np.flatnonzero(inside):
        own = slice(int(first[at]), int(last[at]))
        if pieces:
            found[at] = known.lows[own].min() * gain[at], known.highs[own].max() * gain[at]
    return found
