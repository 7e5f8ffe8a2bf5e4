"""From a voice to the shapes of a mouth: by loudness, hiss and formants, so that no language needs to be known."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from zeitbild.sound.plain import RATE

Floats = NDArray[np.float64]

Mouth = Literal["rest", "closed", "open", "wide", "round", "teeth"]
MOUTHS: tuple[Mouth, ...] = get_args(Mouth)

#: Samples a second in which voices are looked at, and in which formants are.
_VOICE, _FORMANTS = 16_000, 11_000
#: Seconds from look to look, and of a look.
STEP, _LOOK = 0.01, 0.03
#: Poles of the voice's tract: two for each formant below half the rate, and two for the source.
_POLES = 12
#: Formants are as low, as high, and as narrow as this (Hz).
_LOWEST, _HIGHEST, _WIDEST = 180.0, 3800.0, 500.0
#: Decibels below the voice's loud parts at which nothing is said, and above the floor that it has at least.
_QUIET, _ABOVE = 32.0, 6.0
#: Share of the energy above 3 kHz from which on it hisses.
_HISS_FROM, _HISS = 3000.0, 0.35
#: Decibels that a closed mouth is below what is said around it, and seconds that it is closed at most.
_DIP, _CLOSED = 11.0, 0.2
#: A closed mouth that hums: nearly all of it below this (Hz), so many decibels below the voice's loud parts.
_HUM, _HUMS, _SOFTER = 700.0, 0.985, 4.0
#: Where a man's third formant lies on average; what a voice's is apart from that is its size (Peterson and Barney 1952).
_THIRD = 2500.0
#: Averages of first and second formants of men's vowels (Peterson and Barney 1952, Control Methods Used in a Study of the Vowels, table II; from
#: memory), and the mouth that each has.
VOWELS: tuple[tuple[float, float, Mouth], ...] = (
    (270, 2290, "wide"),
    (390, 1990, "wide"),
    (530, 1840, "wide"),
    (660, 1720, "open"),
    (730, 1090, "open"),
    (640, 1190, "open"),
    (570, 840, "round"),
    (440, 1020, "round"),
    (300, 870, "round"),
    (490, 1350, "round"),
)


@dataclass(frozen=True, slots=True, eq=False)
class Voice:
    """A voice, looked at every hundredth of a second: its level (decibels) [n], the share that hisses [n], what lies below the hum's limit [n],
    and its first three formants (Hz) [n, 3], no numbers where there are none."""

    level: Floats
    hiss: Floats
    hum: Floats
    formants: Floats


def _frames(samples: Floats, rate: int, length: float, count: int) -> Floats:
    """Looks at samples, each about its middle [count, size]."""
    size = round(length * rate)
    padded = np.concatenate([np.zeros(size // 2), samples, np.zeros(size)])
    starts = np.round(np.arange(count) * STEP * rate).astype(int)
    view = np.lib.stride_tricks.sliding_window_view(padded, size)
    found: Floats = view[np.minimum(starts, len(view) - 1)]
    return found


def _predictors(frames: Floats, poles: int) -> Floats:
    """Coefficients [n, poles + 1] of linear prediction of frames, by autocorrelation (Levinson 1946, Durbin 1960)."""
    size = frames.shape[1]
    spectrum = np.fft.rfft(frames, 2 * size, axis=1)
    lags = np.fft.irfft(np.abs(spectrum) ** 2, axis=1)[:, : poles + 1]
    # A little noise keeps it solvable.
    error = lags[:, 0] * (1 + 1e-6) + 1e-12
    found = np.zeros((len(frames), poles + 1))
    found[:, 0] = 1
    for order in range(1, poles + 1):
        reflection = -(found[:, :order] * lags[:, order:0:-1]).sum(axis=1) / error
        found[:, 1 : order + 1] += reflection[:, None] * found[:, order - 1 :: -1][:, :order]
        error = error * (1 - reflection**2)
    return found


def _roots(coefficients: Floats) -> NDArray[np.complex128]:
    """Roots [n, k] of polynomials [n, k + 1] whose first coefficient is 1, as eigenvalues of their companions."""
    count, poles = len(coefficients), coefficients.shape[1] - 1
    companions = np.zeros((count, poles, poles))
    companions[:, 0] = -coefficients[:, 1:]
    companions[:, np.arange(1, poles), np.arange(poles - 1)] = 1
    return np.asarray(np.linalg.eigvals(companions), np.complex128)


def formants_of(samples: Floats, rate: int, count: int) -> Floats:
    """First three formants [count, 3] (Hz) of a voice at every hundredth of a second; no number where there is none."""
    lower = signal.resample_poly(samples, _FORMANTS, rate) if rate != _FORMANTS else samples
    raised = np.append(lower[:1], lower[1:] - 0.97 * lower[:-1])
    frames = _frames(raised, _FORMANTS, _LOOK, count) * np.hamming(round(_LOOK * _FORMANTS))
    roots = _roots(_predictors(frames, _POLES))
    hertz = np.angle(roots) * _FORMANTS / (2 * math.pi)
    wide = -np.log(np.maximum(np.abs(roots), 1e-9)) * _FORMANTS / math.pi
    fits = (hertz > _LOWEST) & (hertz < _HIGHEST) & (wide < _WIDEST)
    ordered = np.sort(np.where(fits, hertz, np.inf), axis=1)[:, :3]
    return np.where(np.isfinite(ordered), ordered, np.nan)


def voice_of(samples: NDArray[np.float32]) -> Voice:
    """What is told of a voice by its samples [n, 2] at ``plain.RATE``."""
    mono = samples.astype(np.float64).mean(axis=1)
    count = max(1, math.ceil(len(mono) / RATE / STEP))
    voice = signal.resample_poly(mono, _VOICE, RATE) if len(mono) else np.zeros(1)
    size = round(_LOOK * _VOICE)
    spectra = np.abs(np.fft.rfft(_frames(voice, _VOICE, _LOOK, count) * np.hanning(size), axis=1)) ** 2
    hertz = np.fft.rfftfreq(size, 1 / _VOICE)
    total = spectra.sum(axis=1)
    level = 10 * np.log10(total / size**2 + 1e-12)
    hiss = spectra[:, hertz >= _HISS_FROM].sum(axis=1) / (total + 1e-12)
    hum = spectra[:, hertz < _HUM].sum(axis=1) / (total + 1e-12)
    return Voice(level, hiss, hum, formants_of(voice, _VOICE, count))


def _said(level: Floats) -> tuple[NDArray[np.bool_], float]:
    """Where something is said [n], and how loud its loud parts are."""
    if not len(level) or level.max() < -90:
        return np.zeros(len(level), bool), -90.0
    loud = float(np.percentile(level[level > level.max() - 40], 90))
    floor = float(np.percentile(level, 5))
    return level > max(loud - _QUIET, min(floor + _ABOVE, loud - 10)), loud


def _size(voice: Voice, said: NDArray[np.bool_]) -> float:
    """How much higher a voice's formants are than those of a man on average: smaller people have higher ones."""
    third = voice.formants[said & (voice.hiss < _HISS), 2]
    third = third[np.isfinite(third)]
    return float(np.clip(np.median(third) / _THIRD, 0.85, 1.4)) if len(third) > 5 else 1.0


def looks(voice: Voice) -> NDArray[np.int64]:
    """The number of the mouth (of MOUTHS) at every hundredth of a second [n]."""
    said, loud = _said(voice.level)
    found = np.full(len(voice.level), MOUTHS.index("rest"))
    places = np.log([(first, second) for first, second, _ in VOWELS])
    shapes = np.array([MOUTHS.index(mouth) for _, _, mouth in VOWELS])
    own = np.log(np.maximum(voice.formants[:, :2], 1) / _size(voice, said))
    known = np.isfinite(own).all(axis=1)
    away = ((own[:, None] - places) ** 2).sum(axis=2)
    vowels = shapes[np.argmin(np.where(np.isfinite(away), away, np.inf), axis=1)]
    found[said] = np.where(known, vowels, MOUTHS.index("open"))[said]
    found[said & (voice.hiss >= _HISS)] = MOUTHS.index("teeth")
    hums = said & (voice.hum >= _HUMS) & (voice.level < loud - _SOFTER)
    # A vowel like that of "moon" hums, too, but its mouth is open and it is louder than what is said around it.
    found[hums & (voice.level < _around(voice.level) - _SOFTER)] = MOUTHS.index("closed")
    _close(found, voice.level, said)
    return found


def _around(level: Floats) -> Floats:
    """The greatest level within a fifth of a second."""
    reach = round(_CLOSED / STEP)
    padded = np.pad(level, reach, mode="edge")
    found: Floats = np.lib.stride_tricks.sliding_window_view(padded, 2 * reach + 1).max(axis=1)
    return found


def _close(found: NDArray[np.int64], level: Floats, said: NDArray[np.bool_]) -> None:
    """Short dips between what is said: lips that close, in place."""
    dips = level < _around(level) - _DIP
    quiet = (dips | ~said) & (found != MOUTHS.index("teeth"))
    edges = np.flatnonzero(np.diff(np.concatenate([[0], quiet.astype(np.int8), [0]])))
    for first, end in edges.reshape(-1, 2):
        inside = first > 0 and end < len(level)
        if inside and (end - first) * STEP <= _CLOSED:
            found[first:end] = MOUTHS.index("closed")


#: How much a look counts: lips that close are short and seen at once.
_COUNTS = {"rest": 1.0, "closed": 2.0, "open": 1.0, "wide": 1.0, "round": 1.0, "teeth": 1.3}
#: What it costs to change the mouth, in looks.
_CHANGE = 1.2


def mouths(samples: NDArray[np.float32], frames: int, seconds: float) -> tuple[Mouth, ...]:
    """The mouth of each of so many frames that last so many seconds each, for samples [n, 2] (at ``plain.RATE``) from the first frame on.

    Of all sequences of mouths it is the one that has most in common with what is heard in each frame and changes least (Viterbi 1967).
    """
    if frames < 1:
        return ()
    heard = looks(voice_of(samples))
    weights = np.array([_COUNTS[one] for one in MOUTHS])
    scores = np.zeros((frames, len(MOUTHS)))
    at = np.minimum(((np.arange(len(heard)) + 0.5) * STEP / seconds).astype(int), frames - 1)
    inside = (np.arange(len(heard)) * STEP) < frames * seconds
    np.add.at(scores, (at[inside], heard[inside]), weights[heard[inside]])
    scores[scores.sum(axis=1) == 0, MOUTHS.index("rest")] = 1
    change = _CHANGE * (1 - np.eye(len(MOUTHS)))
    best, ways = scores[0], []
    for one in scores[1:]:
        reached = best[:, None] - change
        ways.append(reached.argmax(axis=0))
        best = reached.max(axis=0) + one
    found = [int(best.argmax())]
    for way in reversed(ways):
        found.append(int(way[found[-1]]))
    return tuple(MOUTHS[one] for one in reversed(found))
