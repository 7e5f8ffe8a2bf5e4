"""Sound that is not heard as it is meant: a file that is missing, sound beyond the range, samples beyond full."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from typing import Any

import numpy as np

from zeitbild.checks._base import Check, Finding, SetView, checks
from zeitbild.document.sounds import Sound
from zeitbild.errors import InputError
from zeitbild.resolve.sounds import seconds_of, soundings
from zeitbild.sound import RATE, Sounding, mix, samples_in
from zeitbild.sound.mixing import heard

#: Seconds of the mix that are listened to, and seconds beyond the range that are no accident of rounding.
_MOST, _LATE = 120, 0.1


def _look(view: SetView) -> Iterator[Finding]:
    shot, timing = view.shot, view.shot.timing
    if not shot.sounds:
        return
    for number, sound in enumerate(shot.sounds):
        if sound.on and not sound.file:
            yield Finding(
                "sound-empty",
                "hint",
                f"{sound.name} names no file: nothing of it is heard.",
                f"sounds.{number}.file",
                "time",
                None,
                {f"sounds.{number}.on": False},
                "Switch it off",
            )
    try:
        own = soundings(shot, view.assets)
        ends = [(name, one, one.begins + _length(one)) for name, one in own]
    except InputError as error:
        yield Finding("sound-missing", "warning", error.message, error.field, "time")
        return
    if not own:
        return
    numbers = {sound.id: number for number, sound in enumerate(shot.sounds)}
    whole = seconds_of(shot, timing.last + 1)
    for name, one, end in ends:
        if float(end - whole) > _LATE:
            last = timing.first + int(np.ceil(float(end * timing.fraction))) - 1
            yield Finding(
                "sound-goes-on",
                "hint",
                f"{one.label} goes on for {float(end - whole):.1f} s after the last frame, which nobody hears.",
                f"sounds.{numbers[name]}.length",
                "time",
                timing.last,
                {"timing.last": last},
                f"End the range at frame {last}",
            )
    count = min(samples_in(whole), _MOST * RATE)
    loudest = 0.0
    for at in range(0, count, 10 * RATE):
        loudest = max(
            loudest, float(np.abs(mix([one for _, one in own], at, min(10 * RATE, count - at))).max(initial=0))
        )
    if loudest > 1.0005:
        # A little below full, so that rounding takes nothing off.
        by = 0.98 / loudest
        yield Finding(
            "sound-too-loud",
            "warning",
            f"Together its sounds are {20 * np.log10(loudest):.1f} dB louder than full; files cut that off, and it crackles.",
            f"sounds.{numbers[own[0][0]]}.volume",
            "time",
            None,
            {
                path: value
                for name, _ in own
                for path, value in _turned_down(f"sounds.{numbers[name]}", shot.sounds[numbers[name]], by).items()
            },
            "Turn all of them down",
        )


def _turned_down(path: str, sound: Sound, by: float) -> dict[str, Any]:
    """What makes a sound so many times as loud, with all keys of its volume."""

    def less(value: float) -> float:
        return round(value * by, 4)

    found: dict[str, Any] = {f"{path}.volume": less(sound.volume)}
    track = sound.moves.get("volume")
    if track is not None:
        keys = [
            key.model_copy(update={"value": less(key.value), "lifts": tuple((less(a), less(b)) for a, b in key.lifts)})
            for key in track.keys
        ]
        wave = track.wave and track.wave.model_copy(update={"amount": less(track.wave.amount)})
        changed = track.model_copy(update={"keys": tuple(keys), "wave": wave})
        found[f"{path}.moves"] = {"volume": changed.model_dump(mode="json")}
    return found


def _length(one: Sounding) -> Fraction:
    there = max(heard(one.path, one.label).seconds - one.skip, 0.0)
    return Fraction(min(one.length or there, there))


checks.register(Check("sound", look_at_set=_look))
