"""Samples as WAV (RIFF, PCM)."""

from __future__ import annotations

import io
import wave
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from zeitbild.sound.plain import CHANNELS, RATE


def whole_numbers(samples: NDArray[np.float32], bits: int) -> NDArray[np.int32]:
    """Samples as whole numbers of so many bits, rounded, cut off at full."""
    most = 2 ** (bits - 1)
    numbers: NDArray[np.int32] = np.clip(np.rint(samples.astype(np.float64) * most), -most, most - 1).astype(np.int32)
    return numbers


def pcm(samples: NDArray[np.float32], bits: int = 16) -> bytes:
    """Samples [n, 2] in 16 or 24 bits, little end first."""
    numbers = whole_numbers(samples, bits)
    if bits == 16:
        return numbers.astype("<i2").tobytes()
    return np.ascontiguousarray(numbers.astype("<i4")).view(np.uint8).reshape(-1, 4)[:, :3].tobytes()


def wav_bytes(samples: NDArray[np.float32], bits: int = 16) -> bytes:
    """A whole file."""
    out = io.BytesIO()
    with wave.open(out, "wb") as file:
        _head(file, bits)
        file.writeframes(pcm(samples, bits))
    return out.getvalue()


def _head(file: wave.Wave_write, bits: int) -> None:
    file.setnchannels(CHANNELS)
    file.setsampwidth(bits // 8)
    file.setframerate(RATE)


class WavWriter:
    """A file that is written block by block."""

    def __init__(self, path: Path, bits: int = 24) -> None:
        self._file, self._bits = wave.open(str(path), "wb"), bits  # noqa: SIM115
        _head(self._file, bits)

    def add(self, samples: NDArray[np.float32]) -> None:
        """More samples [n, 2]."""
        self._file.writeframes(pcm(samples, self._bits))

    def close(self) -> None:
        """Finish the file."""
        self._file.close()
