"""Sound of unsaved documents: what is drawn down the sheet, and what is heard."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

from zeitbild.assets import AssetFolder
from zeitbild.document.reading import read_shot
from zeitbild.errors import InputError
from zeitbild.paths import assets_folder
from zeitbild.resolve.sounds import seconds_of, soundings
from zeitbild.sound import mix, samples_in
from zeitbild.sound.mixing import heard, waveform
from zeitbild.sound.wav import wav_bytes

#: Stretches of a frame that a waveform is drawn in, and frames that are drawn, and seconds that are heard, in one answer.
STRETCHES, _MOST_FRAMES, _MOST_SECONDS = 4, 4000, 600


def waveforms(document: Any, first: int, count: int) -> list[dict[str, Any]]:
    """Of each sound that is heard, its least and greatest samples in quarters of frames, and the frames at which it gets loud."""
    shot = read_shot(document)
    if not 0 < count <= _MOST_FRAMES:
        raise InputError(f"{count} frames are none of 1 to {_MOST_FRAMES}", "count")
    step = 1 / shot.timing.fraction / STRETCHES
    found = []
    for name, sounding in soundings(shot, AssetFolder(assets_folder())):
        ends = waveform(sounding, seconds_of(shot, first), step, count * STRETCHES)
        known = heard(sounding.path, sounding.label)
        frames = (float(sounding.begins) + at - sounding.skip for at in known.loud if at >= sounding.skip)
        found.append(
            {
                "sound": name,
                "lows": [round(float(one), 3) for one in ends[:, 0]],
                "highs": [round(float(one), 3) for one in ends[:, 1]],
                "loud": [round(shot.timing.first + at * float(shot.timing.fraction), 2) for at in frames],
            }
        )
    return found


def listen(document: Any, first: int, last: int) -> bytes:
    """A WAV of frames of an unsaved document, exactly as long as they are; silence where it has no sound."""
    shot = read_shot(document)
    start, end = (samples_in(seconds_of(shot, frame)) for frame in (first, last + 1))
    if not start < end or seconds_of(shot, last + 1) - seconds_of(shot, first) > Fraction(_MOST_SECONDS):
        raise InputError(f"frames {first} to {last} are nothing that can be heard at once", "last")
    own = [sounding for _, sounding in soundings(shot, AssetFolder(assets_folder()))]
    return wav_bytes(mix(own, start, end - start))
