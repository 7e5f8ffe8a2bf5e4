"""The sound of a hand-off: a file beside the pictures, exactly as long as they are, read back from disk."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.document.shot import Shot
from zeitbild.errors import StorageError
from zeitbild.resolve.sounds import seconds_of, soundings
from zeitbild.shipped import AssetSource
from zeitbild.sound import CHANNELS, RATE, Sounding, mix, samples_in
from zeitbild.sound.mixing import heard
from zeitbild.sound.reading import samples_of
from zeitbild.sound.wav import WavWriter
from zeitbild.storage import write_new_with

BITS = 24
#: Samples that are worked out at once.
_PART = 10 * RATE


@dataclass(frozen=True, slots=True)
class SoundRecord:
    """A written file of sound: relative path, checksum, samples, the frame that it begins with, and how many samples were beyond full."""

    path: str
    bytes: int
    sha256: str
    samples: int
    first: int
    last: int
    beyond: int
    written: bool = True

    def entry(self) -> dict[str, Any]:
        """What the manifest says of it."""
        return {
            "path": self.path,
            "rate": RATE,
            "bits": BITS,
            "channels": CHANNELS,
            "samples": self.samples,
            "begins_with_frame": self.first,
            "ends_with_frame": self.last,
            "beyond_full": self.beyond,
            "bytes": self.bytes,
            "sha256": self.sha256,
        }


def write_sound(
    shot: Shot, frames: Sequence[int], version: int, folder: Path, assets: AssetSource
) -> SoundRecord | None:
    """The mix of a shot from the first to the end of the last of some frames; None if it has no sound.

    StorageError if it cannot be written, stands there with other content, or does not hold what it should.
    """
    own = [sounding for _, sounding in soundings(shot, assets)]
    if not own or not frames:
        return None
    first, last = min(frames), max(frames)
    start, end = samples_in(seconds_of(shot, first)), samples_in(seconds_of(shot, last + 1))
    count = end - start
    parts = [(at, min(_PART, count - at)) for at in range(0, count, _PART)]
    beyond = 0
    relative = f"{shot.shot}_sound_v{version:03}.wav"
    path = folder / relative

    def fill(beside: Path) -> None:
        nonlocal beyond
        beyond = 0
        writer = WavWriter(beside, BITS)
        try:
            for at, many in parts:
                samples = mix(own, start + at, many)
                beyond += int((np.abs(samples) > 1).any(axis=1).sum())
                writer.add(samples)
        finally:
            writer.close()

    written = write_new_with(path, fill)
    allowed = 1 / 2 ** (BITS - 1)
    for at, many in parts:
        wanted = np.clip(mix(own, start + at, many), -1, 1)
        found = samples_of(str(path), relative, at, many)
        if found.shape != wanted.shape or float(np.abs(found - wanted).max(initial=0)) > 1.01 * allowed:
            if written:
                path.unlink(missing_ok=True)
            raise StorageError(
                f"{relative} does not hold the sound that it should, {float(Fraction(at, RATE)):.1f} s after its beginning"
            )
    with path.open("rb") as file:
        digest = hashlib.file_digest(file, "sha256").hexdigest()
    return SoundRecord(relative, path.stat().st_size, digest, count, first, last, beyond, written)


def sound_lengths(shot: Shot, assets: AssetSource | None) -> dict[str, float]:
    """For how many seconds each sound of a shot is heard, by its identity."""
    if assets is None:
        return {}
    found = {}
    for identity, one in soundings(shot, assets):
        rest = max(heard(one.path, one.label).seconds - one.skip, 0.0)
        found[identity] = min(one.length, rest) if one.length else rest
    return found


class SoundInside:
    """The mix of a shot for movies that have their sound inside: as long as each frame is seen, one after another."""

    def __init__(self, own: Sequence[Sounding], start: Fraction, rate: Fraction) -> None:
        self._own, self._start, self._rate = own, start, rate

    @classmethod
    def of(
        cls, shot: Shot, frames: Sequence[int], rate: Fraction | None, assets: AssetSource | None
    ) -> SoundInside | None:
        """That of some frames of a shot, played at its own rate or another one; None if it has no sound, or if frames between are left
        out, so that nothing would be in step."""
        if assets is None or not frames or list(frames) != list(range(frames[0], frames[0] + len(frames))):
            return None
        own = [sounding for _, sounding in soundings(shot, assets)]
        return cls(own, seconds_of(shot, frames[0]), rate or shot.timing.fraction) if own else None

    def at(self, number: int) -> NDArray[np.float32]:
        """Samples [n, 2] while a frame is seen, counted from 0."""
        begin, end = (samples_in(self._start + Fraction(at) / self._rate) for at in (number, number + 1))
        return mix(self._own, begin, end - begin)
