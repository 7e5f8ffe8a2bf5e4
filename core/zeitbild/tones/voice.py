"""A voice made of nothing: a source of pulses and noise through resonators, as formant synthesisers have it (Klatt 1980)."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from zeitbild.seeded import around

Floats = NDArray[np.float64]

RATE = 48_000
#: Samples after which resonators move.
_BLOCK = 240
#: Bandwidths (Hz) of the formants.
_WIDTHS = (70.0, 100.0, 140.0, 250.0, 350.0)


@dataclass(frozen=True, slots=True)
class Sound:
    """A stretch of voice: its first formants (Hz; none: silence), how much of it is voice and how much hiss (0 to 1), and how long it lasts
    (seconds). Hiss comes through a resonator of its own."""

    formants: tuple[float, ...] = ()
    voice: float = 1.0
    hiss: float = 0.0
    seconds: float = 0.15
    hisses_at: float = 5500.0


def _resonator(hertz: float, width: float) -> tuple[list[float], list[float]]:
    """One formant, 1 at 0 Hz."""
    r = math.exp(-math.pi * width / RATE)
    b, c = 2 * r * math.cos(2 * math.pi * hertz / RATE), -r * r
    return [1 - b - c], [1.0, -b, -c]


def _pulses(pitch: Floats, seed: int) -> Floats:
    """Air through vocal folds at a pitch (Hz) for each sample, already as its slope, with a little breath."""
    phase = np.cumsum(pitch) / RATE
    share = phase % 1
    # Opens over four tenths of a cycle, closes over two (Rosenberg 1971).
    opening = 0.5 * (1 - np.cos(np.pi * np.minimum(share / 0.4, 1)))
    flow = np.where(share < 0.4, opening, np.cos(np.pi / 2 * np.clip((share - 0.4) / 0.2, 0, 1)))
    slope = np.diff(flow, prepend=0) * 60
    found: Floats = slope + 0.003 * around(seed, 0, np.arange(len(pitch)))
    return found


def spoken(sounds: Sequence[Sound], pitch: float, size: float = 1.0, seed: int = 1) -> Floats:
    """A voice [n] at RATE, full scale 1, that says sounds one after the other; size is how much higher its formants are."""
    counts = [round(one.seconds * RATE / _BLOCK) for one in sounds]
    blocks = sum(counts)
    total = blocks * _BLOCK
    ramp = np.linspace(0, 1, blocks)
    # The pitch falls towards the end, and trembles a little.
    hertz = pitch * (1.08 - 0.2 * ramp + 0.03 * np.sin(ramp * 40))
    source = _pulses(np.repeat(hertz, _BLOCK), seed)
    noise = around(seed, 1, np.arange(total))
    voiced, hissed = (
        np.repeat([getattr(one, name) if one.formants or name == "hiss" else 0.0 for one in sounds], counts)
        for name in ("voice", "hiss")
    )
    smooth = np.ones(3) / 3
    voiced, hissed = (np.convolve(np.pad(one, 1, mode="edge"), smooth, mode="valid") for one in (voiced, hissed))
    named = [one.formants or () for one in sounds]
    # Silence has the formants of what is beside it.
    for at, one in enumerate(named):
        if not one:
            named[at] = next(
                (other for other in (*named[at + 1 :], *reversed(named[:at])) if other), (500.0, 1500.0, 2500.0)
            )
    ways = []
    for number, otherwise in enumerate((500.0, 1500.0, 2500.0, 3500.0, 4500.0)):
        way = np.repeat([one[number] if number < len(one) else otherwise for one in named], counts).astype(float)
        ways.append(np.convolve(np.pad(way, 3, mode="edge"), np.ones(7) / 7, mode="valid") * size)
    lines = np.array(ways)
    found = source * np.repeat(voiced, _BLOCK)
    for number, width in enumerate(_WIDTHS):
        kept = np.zeros(2)
        for block in range(blocks):
            own = slice(block * _BLOCK, (block + 1) * _BLOCK)
            b, a = _resonator(lines[number, block], width * size)
            found[own], kept = signal.lfilter(b, a, found[own], zi=kept)
    hiss_at = np.repeat([one.hisses_at for one in sounds], counts)
    hissing, kept = noise * np.repeat(hissed, _BLOCK), np.zeros(2)
    for block in range(blocks):
        own = slice(block * _BLOCK, (block + 1) * _BLOCK)
        b, a = signal.iirpeak(hiss_at[block], 1.2, RATE)
        hissing[own], kept = signal.lfilter(b, a, hissing[own], zi=kept)
    whole = found / max(np.abs(found).max(), 1e-9) + 0.5 * hissing
    return np.asarray(0.7 * whole / max(np.abs(whole).max(), 1e-9))


#: Averages of men's first three formants (Peterson and Barney 1952, table II; from memory), by a word that has each.
VOWELS: dict[str, tuple[float, float, float]] = {
    "heed": (270, 2290, 3010),
    "hid": (390, 1990, 2550),
    "head": (530, 1840, 2480),
    "had": (660, 1720, 2410),
    "hod": (730, 1090, 2440),
    "hawed": (570, 840, 2410),
    "hood": (440, 1020, 2240),
    "whod": (300, 870, 2240),
    "hud": (640, 1190, 2390),
    "heard": (490, 1350, 1690),
}
#: Lips closed and humming, and silent; teeth that hiss.
HUM = Sound((250, 1100, 2200), voice=0.14, seconds=0.09)
STOP = Sound(seconds=0.08)
HISS = Sound((500, 1500, 2500), voice=0.0, hiss=0.9, seconds=0.12)
PAUSE = Sound(seconds=0.4)


def vowel(word: str, seconds: float = 0.18) -> Sound:
    """The vowel of a word."""
    return Sound(VOWELS[word], seconds=seconds)
