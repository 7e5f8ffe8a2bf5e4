"""Makes the shipped sounds, from sines, pulses and noise alone: ``python -m zeitbild.tones.make``."""

from __future__ import annotations

import wave
from pathlib import Path

import numpy as np

from zeitbild.tones.voice import HISS, HUM, RATE, STOP, Sound, spoken, vowel

_RATE = 32_000
#: Seconds of the foghorn, when its blasts begin, and how long they are.
_LONG, _BLASTS, _EACH = 8.0, (0.5, 4.0), 2.0


def foghorn() -> np.ndarray:  # type: ignore[type-arg]
    """Two blasts of a low reed with its overtones, each of which sinks at its end, over quiet waves [n], -1..1."""
    time = np.arange(round(_LONG * _RATE)) / _RATE
    random = np.random.default_rng(7)
    # Waves: noise without its highs, that comes and goes.
    spectrum = np.fft.rfft(random.normal(size=len(time)))
    pitch = np.fft.rfftfreq(len(time), 1 / _RATE)
    sea = np.fft.irfft(spectrum / (1 + (pitch / 300) ** 2), len(time))
    total = 0.03 * sea / np.abs(sea).max() * (0.6 + 0.4 * np.sin(2 * np.pi * time / _LONG - 1))
    for begins in _BLASTS:
        own = time - begins
        there = (own >= 0) & (own < _EACH + 0.6)
        rises = np.clip(own / 0.06, 0, 1) * np.clip((_EACH + 0.5 - own) / 0.5, 0, 1)
        # The pitch sinks by a fourth as the air gives out.
        sinks = 1 - 0.25 * np.clip((own - _EACH) / 0.5, 0, 1)
        phase = np.cumsum(np.where(there, 2 * np.pi * 98 * sinks / _RATE, 0))
        reed = sum(np.sin(n * phase) / n**0.9 for n in range(1, 14))
        total += np.where(there, 0.26 * reed * rises, 0)
    return np.asarray(np.clip(total, -1, 1))


def puffin() -> np.ndarray:  # type: ignore[type-arg]
    """A small bird that says "Kap Morgen", and something like "hello there" [n], -1..1."""

    def say(word: str, seconds: float) -> Sound:
        return vowel(word, seconds)

    hush, breath = Sound(seconds=0.35), Sound((500, 1500, 2500), voice=0.0, hiss=0.25, seconds=0.05, hisses_at=1800)
    hello = [breath, say("head", 0.16), say("hood", 0.1), say("hawed", 0.26), hush]
    name = [
        STOP,
        breath,
        say("hod", 0.22),
        STOP,
        HUM,
        say("hawed", 0.24),
        say("heard", 0.1),
        STOP,
        say("head", 0.16),
        HUM,
        hush,
    ]
    call = [HISS, say("heed", 0.3), STOP, say("had", 0.2), HUM, say("whod", 0.3), HISS, hush]
    return spoken([Sound(seconds=0.3), *hello, *name, *call], 230, 1.22, seed=4)


def _write(name: str, samples: np.ndarray, rate: int) -> None:  # type: ignore[type-arg]
    with wave.open(str(Path(__file__).parent / f"{name}.wav"), "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(rate)
        file.writeframes(np.rint(samples * 32767).astype("<i2").tobytes())


def main() -> None:
    """Write them beside this file."""
    _write("foghorn", foghorn(), _RATE)
    _write("puffin-voice", puffin()[::2], RATE // 2)


if __name__ == "__main__":
    main()
