"""Sounds of a shot as they are placed: from frames to seconds after its first one."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from zeitbild.document.evaluate import time_of
from zeitbild.document.shot import Shot
from zeitbild.document.sounds import Sound
from zeitbild.errors import InputError, SoundError
from zeitbild.shipped import AssetSource, file_of
from zeitbild.sound import Sounding
from zeitbild.tones import SHIPPED


def seconds_of(shot: Shot, frame: int) -> Fraction:
    """Seconds from the first frame to another one."""
    return Fraction(frame - shot.timing.first) / shot.timing.fraction


#: Parts of a frame at whose ends volumes that move are found out; between them they go evenly, so that no step crackles.
_PARTS = 4


@dataclass(frozen=True, slots=True)
class _Volume:
    """The volume of a sound that moves, at moments of its shot."""

    shot: Shot
    sound: Sound

    def __call__(self, seconds: NDArray[np.float64]) -> NDArray[np.float64]:
        if not len(seconds):
            return seconds
        timing = self.shot.timing
        parts = seconds * float(timing.fraction * _PARTS)
        first, last = int(np.floor(parts.min())), int(np.ceil(parts.max()))
        moments = [timing.first + Fraction(at, _PARTS) for at in range(first, last + 1)]
        volumes = [self.sound.at(time_of(self.shot, moment)).volume for moment in moments]
        return np.interp(parts, np.arange(first, last + 1), volumes)


def soundings(shot: Shot, assets: AssetSource) -> list[tuple[str, Sounding]]:
    """Sounds that are heard, by their identities; SoundError or InputError at the one that cannot be."""
    found = []
    for number, sound in enumerate(shot.sounds):
        if not (sound.on and sound.file):
            continue
        try:
            path, _ = file_of(sound.file, "file", SHIPPED, assets, SoundError)
        except InputError as error:
            error.field = f"sounds.{number}.{error.field}"
            raise
        begins = seconds_of(shot, sound.begins)
        values = {name: getattr(sound, name) for name in ("skip", "length", "volume", "fade_in", "fade_out")}
        volume_at = _Volume(shot, sound) if sound.moves else None
        found.append((sound.id, Sounding(path, sound.name, begins, volume_at=volume_at, **values)))
    return found
