"""A voice of a shot as keys: mouths that are shown one at a time, blinks, and a little motion of the head."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

import numpy as np

from zeitbild.document.evaluate import moving_parts
from zeitbild.document.retiming import Changes, split
from zeitbild.document.shot import Shot
from zeitbild.errors import InputError
from zeitbild.keys import MOST_KEYS, Key, Track
from zeitbild.keys.measure import measure_of
from zeitbild.resolve.sounds import soundings
from zeitbild.seeded import around, shares
from zeitbild.shipped import AssetSource
from zeitbild.sound.mixing import placed, samples_in, span
from zeitbild.sound.plain import PIECES, RATE
from zeitbild.sound.speech import MOUTHS, mouths

#: Seconds from blink to blink, and of a blink.
_BETWEEN, _BLINK = (1.8, 5.5), 0.12
#: Seconds of voice that are listened to at most.
_MOST_SECONDS = 1800
#: Seconds from nod to nod at least, and how long a nod takes.
_NODS, _NOD = 0.5, 0.35


@dataclass(frozen=True, slots=True)
class Speaking:
    """What speaks: the identity of the sound; the path of what shows a mouth, and its value for each mouth; a new one every so many frames. Besides,
    or in place of it, shapes are paths of numbers by mouths (empty: none) that are 1 while there is that mouth, and 0 else. blinks is the path of
    what shows eyes (empty: none), with its values open and closed; head that of what turns with the voice (empty: nothing), by so many degrees at
    most. seed makes other blinks and nods."""

    sound: str
    mouth: str = ""
    values: Mapping[str, float] = field(default_factory=dict)
    every: int = 1
    blinks: str = ""
    eyes_open: float = 1
    eyes_closed: float = 2
    head: str = ""
    degrees: float = 4.0
    seed: int = 1
    shapes: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Spoken:
    """A track that a voice makes, and the frames within which it takes the place of what is there."""

    track: Track
    within: range

    def among(self, there: Track | None) -> tuple[Key, ...]:
        """Its keys and those that stay; what it says of the time before the voice, and of that in which it dies away, reaches to the next of
        those."""
        stays = [] if there is None else [key for key in there.keys if key.frame not in self.within]
        before = max((key.frame for key in stays if key.frame < self.within[0]), default=None)
        after = min((key.frame for key in stays if key.frame > self.within[-1]), default=None)
        own = [
            key
            for key in self.track.keys
            if key.frame in self.within
            or (key.frame < self.within[0] and before is None)
            or (key.frame > self.within[-1] and (after is None or key.frame < after))
        ]
        found = {key.frame: key for key in (*own, *stays)}
        return tuple(found[frame] for frame in sorted(found))


def speak(shot: Shot, given: Speaking, assets: AssetSource) -> Changes:
    """Ordinary keys of mouths and of the head, in place of those that are there while the voice is heard; blinks go through all of the shot.
    InputError for what there is not, SoundError for what cannot be heard."""
    found = [own for name, own in soundings(shot, assets) if name == given.sound]
    if not found:
        raise InputError("choose a sound of this shot that is heard and has a file", "sound")
    if given.every < 1 or given.every > 100:
        raise InputError("a new mouth comes every 1 to 100 frames", "every")
    missing = [one for one in MOUTHS if one not in given.values]
    if not given.mouth and not any(given.shapes.values()):
        raise InputError("choose what shows a mouth", "mouth")
    if given.mouth and missing:
        raise InputError(f"there is no drawing for the mouth {missing[0]!r}", "values")
    frames = list(range(shot.timing.first, shot.timing.last + 1))
    rate = shot.timing.fraction
    if len(frames) / rate > _MOST_SECONDS:
        raise InputError(f"voices of up to {_MOST_SECONDS // 60} minutes are listened to", "sound")
    total = samples_in(Fraction(len(frames)) / rate)
    samples = placed(found[0], 0, total)
    # From the new mouth before it is heard to the one after it.
    begins, ends = (Fraction(one, RATE) * rate / given.every for one in span(found[0]))
    low, high = (frames[0] + step * given.every for step in (math.floor(begins), math.ceil(ends)))
    if begins >= ends or high <= frames[0] or low > frames[-1]:
        raise InputError("this sound is not heard within the shot", "sound")
    while_heard = range(max(low, frames[0]), high + 1)
    tracks: dict[str, Spoken] = {}
    shown = mouths(samples, -(-len(frames) // given.every), float(given.every / rate))
    steps = [(frames[0] + at * given.every, one) for at, one in enumerate(shown)]
    if while_heard[0] > frames[0]:
        # Before it, too, where no keys are.
        steps = [(frames[0], "rest"), *((frame, one) for frame, one in steps if frame in while_heard)]
    else:
        steps = [(frame, one) for frame, one in steps if frame in while_heard]
    if given.mouth:
        tracks[given.mouth] = Spoken(_held([(frame, float(given.values[one])) for frame, one in steps]), while_heard)
    for path in dict.fromkeys(one for one in given.shapes.values() if one):
        own = {mouth for mouth, named in given.shapes.items() if named == path}
        tracks[path] = Spoken(_mixed([(frame, float(one in own)) for frame, one in steps]), while_heard)
    if given.blinks:
        if given.blinks == given.mouth:
            raise InputError(
                "mouth and eyes are shown by one and the same field; choose another for the eyes", "blinks"
            )
        tracks[given.blinks] = Spoken(_held(_blinks(frames, float(rate), given)), range(frames[0], frames[-1] + 1))
    if given.head:
        tracks[given.head] = Spoken(_nods(shot, samples, given), while_heard)
    return _changes(shot, tracks)


def _mixed(steps: Sequence[tuple[int, float]]) -> Track:
    """Keys between which a value goes over from one step to the next within it."""
    found = [steps[0]]
    for (before, old), (frame, value) in zip(steps, steps[1:], strict=False):
        if value != old:
            found += [(before, old), (frame, value)]
    values = dict(found)
    keys = tuple(Key(frame=frame, value=value, way="straight") for frame, value in sorted(values.items()))
    _few(keys)
    return Track(keys=keys)


def _few(keys: Sequence[Key]) -> None:
    if len(keys) > MOST_KEYS:
        raise InputError(
            f"that makes {len(keys)} keys; a value has up to {MOST_KEYS}: take a new mouth every 2 or 3 frames, or a shorter shot",
            "every",
        )


def _held(steps: Sequence[tuple[int, float]]) -> Track:
    """Keys where a value changes."""
    keys = [
        Key(frame=frame, value=value, way="hold")
        for at, (frame, value) in enumerate(steps)
        if at == 0 or steps[at - 1][1] != value
    ]
    _few(keys)
    return Track(keys=tuple(keys))


def _blinks(frames: Sequence[int], rate: float, given: Speaking) -> list[tuple[int, float]]:
    """When eyes are open and closed."""
    found = [(frames[0], given.eyes_open)]
    low, high = _BETWEEN
    at, number = 0.0, 0
    length = max(1, round(_BLINK * rate))
    while True:
        at += low + (high - low) * float(shares(given.seed, 20, number))
        number += 1
        frame = frames[0] + round(at * rate)
        if frame + length > frames[-1]:
            return found
        found += [(frame, given.eyes_closed), (frame + length, given.eyes_open)]


def _nods(shot: Shot, samples: np.ndarray[Any, Any], given: Speaking) -> Track:
    """The head goes to and fro where the voice gets loud, and comes back to where it was."""
    rate, first = shot.timing.fraction, shot.timing.first
    piece = RATE // PIECES
    count = max(1, len(samples) // piece)
    loud = np.sqrt((samples[: count * piece].astype(np.float64) ** 2).reshape(count, -1).mean(axis=1))
    smooth = np.convolve(loud, np.hanning(15) / np.hanning(15).sum(), mode="same")
    top = float(smooth.max())
    keys: dict[int, float] = {first: 0.0}
    last = -1.0
    for at in range(1, count - 1):
        seconds = at / PIECES
        if (
            top > 0
            and smooth[at] > 0.35 * top
            and smooth[at] >= smooth[at - 1]
            and smooth[at] > smooth[at + 1]
            and seconds - last >= _NODS
        ):
            last = seconds
            way = float(around(given.seed, 21, at))
            size = given.degrees * (0.4 + 0.6 * float(smooth[at]) / top) * (1 if way >= 0 else -1)
            frame = first + round(seconds * float(rate))
            keys[frame] = round(size, 2)
            keys.setdefault(frame + max(2, round(_NOD * float(rate))), 0.0)
    ordered = sorted((frame, value) for frame, value in keys.items() if frame <= shot.timing.last)[:MOST_KEYS]
    return Track(keys=tuple(Key(frame=frame, value=value) for frame, value in ordered))


def _changes(shot: Shot, tracks: Mapping[str, Spoken]) -> Changes:
    """Tracks among those of their parts; InputError at a field that cannot show such values."""
    parts = moving_parts(shot)
    found: dict[str, dict[str, Any]] = {}
    for path, spoken in tracks.items():
        part, inner = split(shot, path)
        try:
            measure = measure_of(type(parts[part]), inner)
        except ValueError as error:
            raise InputError(str(error), path) from None
        if measure.kind not in ("number", "whole"):
            raise InputError(f"{measure.title} is no number, so it cannot show mouths", path)
        own = found.setdefault(
            f"{part}.moves", {name: one.model_dump(mode="json") for name, one in parts[part].moves.items()}
        )
        keys = [
            key.model_copy(update={"value": measure.held(measure.read(_fitting(measure.kind, key.value)))})
            for key in spoken.track.keys
        ]
        there = parts[part].moves.get(inner)
        merged = Spoken(Track(keys=tuple(keys)), spoken.within).among(there)
        _few(merged)
        own[inner] = (there or spoken.track).model_copy(update={"keys": merged}).model_dump(mode="json")
    return Changes(found)


def _fitting(kind: str, value: float) -> float | int:
    return int(value) if kind == "whole" else value
