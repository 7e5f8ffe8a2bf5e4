"""Makes the shipped sounds, from sines and noise alone: ``python -m zeitbild.tones.make``."""

from __future__ import annotations

import wave
from pathlib import Path

import numpy as np

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


def main() -> None:
    """Write them beside this file."""
    with wave.open(str(Path(__file__).parent / "foghorn.wav"), "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(_RATE)
        file.writeframes(np.rint(foghorn() * 32767).astype("<i2").tobytes())


if __name__ == "__main__":
    main()
