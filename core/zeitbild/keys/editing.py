"""What is done to the keys of a track; each gives a new track.

Frames are those of the shot; a range of them holds both its ends. InputError where two keys would come to one frame.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from fractions import Fraction
from typing import Any

from zeitbild.errors import InputError
from zeitbild.keys.track import FARTHEST, MOST_KEYS, Key, Track
from zeitbild.timing.easing import Handles, Way, handles_of, split_curve
from zeitbild.timing.frames import MAX_FRAME_NUMBER

_MIRRORED: dict[Way, Way] = {"gentle start": "gentle end", "gentle end": "gentle start"}


def with_keys(track: Track, keys: Iterable[Key]) -> Track:
    """The same with other keys, in order; InputError if two are at one frame, one is too far away, or they are too many."""
    found = tuple(sorted(keys, key=lambda key: key.frame))
    if len(found) > MOST_KEYS:
        raise InputError(f"a value would have {len(found):,} keys; it has up to {MOST_KEYS:,}", "keys")
    for one, other in zip(found, found[1:], strict=False):
        if one.frame == other.frame:
            raise InputError(f"two keys would stand at frame {one.frame}", "keys")
    if any(abs(key.frame) > MAX_FRAME_NUMBER for key in found):
        raise InputError(f"keys lie within {MAX_FRAME_NUMBER} frames of frame 0", "keys")
    return track.model_copy(update={"keys": found})


def _at(key: Key, frame: int) -> Key:
    return key.model_copy(update={"frame": frame})


def later(key: Key, by: int) -> Key:
    """The same so many frames later."""
    return _at(key, key.frame + by)


def _within(track: Track, first: int, last: int) -> tuple[list[Key], list[Key]]:
    """Keys within a range, and the others."""
    inner = [key for key in track.keys if first <= key.frame <= last]
    return inner, [key for key in track.keys if not first <= key.frame <= last]


def put(track: Track, frame: int, value: Any) -> Track:
    """With a key at a frame; one that is there keeps its way and gets the value. A new one goes on as the key before it does."""
    before = [key for key in track.keys if key.frame <= frame]
    if before and before[-1].frame == frame:
        key = before[-1].model_copy(update={"value": value})
    else:
        way = before[-1].way if before else "gentle"
        key = Key(frame=frame, value=value, way=way if way in ("hold", "straight") else "gentle")
    return with_keys(track, [*(one for one in track.keys if one.frame != frame), key])


def moved(track: Track, first: int, last: int, by: int) -> Track:
    """Keys of a range at other frames."""
    inner, others = _within(track, first, last)
    return with_keys(track, [*others, *(later(key, by) for key in inner)])


def stretched(track: Track, first: int, last: int, frames: int) -> Track:
    """A range of keys made so many frames long, rounded to whole frames; what comes later moves along."""
    if frames < 1:
        raise InputError(f"{frames} frames are too few; a stretch has at least 1", "frames")
    length, longer = last - first + 1, frames - (last - first + 1)
    found = []
    for key in track.keys:
        if key.frame < first:
            found.append(key)
        elif key.frame > last:
            found.append(_at(key, key.frame + longer))
        else:
            # From the first to the last frame, so that its ends stay its ends.
            share = Fraction(frames - 1, length - 1) if length > 1 else Fraction(1)
            found.append(_at(key, first + _nearest((key.frame - first) * share)))
    return with_keys(track, found)


def scaled_frame(frame: int, about: int, share: Fraction) -> int:
    """A frame so many times as far from another one, rounded to a whole one."""
    return about + _nearest((frame - about) * share)


def scaled(track: Track, about: int, share: Fraction) -> tuple[Track, int]:
    """All keys so many times as far from a frame, rounded to whole frames; and how many had to go since two came to one frame."""
    found: dict[int, Key] = {}
    for key in track.keys:
        frame = scaled_frame(key.frame, about, share)
        found[frame] = _at(key, frame)
    return with_keys(track, found.values()), len(track.keys) - len(found)


def _nearest(value: Fraction) -> int:
    """Half goes up."""
    return (2 * value.numerator + value.denominator) // (2 * value.denominator)


def backwards(track: Track, first: int, last: int) -> Track:
    """Keys of a range in the opposite order, and the ways between them the other way round. A bounce stays one."""
    inner, others = _within(track, first, last)
    found = []
    for at, key in enumerate(inner):
        # The way to a key becomes the way from it.
        way = inner[at - 1] if at else key
        changes: dict[str, Any] = {"frame": first + last - key.frame, "way": way.way, "strength": way.strength}
        if way.way in _MIRRORED:
            changes["way"] = _MIRRORED[way.way]
        elif way.way in ("free", "past"):
            changes |= {"way": "free", "handles": _turned(handles_of(way.way, way.strength, way.handles))}
        changes["lifts"] = tuple((second, first) for first, second in way.lifts) if way.way == "free" else ()
        found.append(key.model_copy(update=changes))
    return with_keys(track, [*others, *found])


def _turned(handles: Handles) -> Handles:
    x1, y1, x2, y2 = handles
    return (1 - x2, 1 - y2, 1 - x1, 1 - y1)


def without(track: Track, first: int, last: int) -> Track | None:
    """Without the keys of a range; None if nothing is left that moves."""
    _, others = _within(track, first, last)
    return with_keys(track, others) if others or track.wave is not None else None


def cut_out(track: Track, first: int, last: int, value_at: Callable[[int], Any], *, mixes: bool) -> Track:
    """Without a range of frames: what comes later moves up, and has the values that it had, which ``value_at`` tells of the frame before the range
    and the one after it, and where a way cannot be cut, of each frame. mixes: numbers that are not rounded lie between its values. InputError
    if that takes too many keys."""
    gone = last - first + 1
    if not track.keys or track.keys[-1].frame < first:
        return track
    if track.keys[0].frame > last:
        return with_keys(track, (later(key, -gone) for key in track.keys))
    before, after = first - 1, last + 1
    kept = [
        *_between(track, track.keys[0].frame, before, value_at, mixes),
        Key(frame=before, value=value_at(before), way="straight"),
    ]
    rest = [key for key in track.keys if key.frame >= after]
    if not rest or rest[0].frame != after:
        end = rest[0].frame if rest else after
        rest = [*(_between(track, after, end, value_at, mixes) or [Key(frame=after, value=value_at(after))]), *rest]
    return with_keys(track, [*kept, *(later(key, -gone) for key in rest)])


def _between(track: Track, start: int, end: int, value_at: Callable[[int], Any], mixes: bool) -> list[Key]:
    """Keys from a frame on that go, up to another one without it, as the track does; in each way that is cut one of the two is a key of it."""
    found = []
    for key, following in zip(track.keys, track.keys[1:], strict=False):
        begins, ends = max(key.frame, start), min(following.frame, end)
        if begins >= ends:
            continue
        if (begins, ends) == (key.frame, following.frame):
            found.append(key)
        else:
            found += _part(key, following, begins, ends, value_at, mixes)
    return found


def _part(key: Key, following: Key, begins: int, ends: int, value_at: Callable[[int], Any], mixes: bool) -> list[Key]:
    """A part of the way from one key to the next that has one of its ends, as keys."""
    own = {"frame": begins, "value": key.value if begins == key.frame else value_at(begins)}
    if key.way in ("hold", "straight") and (mixes or key.way == "hold"):
        return [key.model_copy(update=own)]
    if mixes and key.way != "bounce" and not key.lifts:
        left = begins == key.frame
        share = ((ends if left else begins) - key.frame) / (following.frame - key.frame)
        halves = split_curve(handles_of(key.way, key.strength, key.handles), share)
        if halves is not None:
            handles = halves[0 if left else 1]
            if max(abs(handles[1]), abs(handles[3])) <= FARTHEST:
                return [Key(**own, way="free", handles=handles)]
    way: Way = "straight" if mixes else "hold"
    every = [Key(frame=frame, value=value_at(frame), way=way) for frame in range(begins, ends)]
    return every if mixes else [one for at, one in enumerate(every) if not at or one.value != every[at - 1].value]


def looped(track: Track, first: int, last: int, value: Any) -> Track:
    """Keys of a range that lead from its last frame into its first, where it has a value, over and over; others go."""
    inner, _ = _within(track, first, last)
    if not inner or inner[0].frame != first:
        inner = [Key(frame=first, value=value), *inner]
    value = inner[0].value
    held = with_keys(track, [*inner, Key(frame=last + 1, value=value, way="straight")])
    return held.model_copy(update={"before": "repeat", "after": "repeat"})
