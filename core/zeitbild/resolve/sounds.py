"""Sounds of a shot as they are placed: from frames to seconds after its first one."""

from __future__ import annotations

from fractions import Fraction

from zeitbild.document.shot import Shot
from zeitbild.errors import InputError, SoundError
from zeitbild.shipped import AssetSource, file_of
from zeitbild.sound import Sounding
from zeitbild.tones import SHIPPED


def seconds_of(shot: Shot, frame: int) -> Fraction:
    """Seconds from the first frame to another one."""
    return Fraction(frame - shot.timing.first) / shot.timing.fraction


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
        found.append((sound.id, Sounding(path, sound.name, begins, **values)))
    return found
