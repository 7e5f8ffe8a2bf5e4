"""What is done to the time of a shot: ranges of keys of some tracks, one-step choices that make ordinary keys, and the whole.

Each gives the parts of the document that change, by their paths, as plain JSON: what a person can undo in one step.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

from zeitbild.document.evaluate import evaluate, moving_parts, time_of
from zeitbild.document.shot import Shot, Timing
from zeitbild.elements import kinds
from zeitbild.elements.base import GROUP
from zeitbild.errors import InputError
from zeitbild.keys import Key, Moving, Track
from zeitbild.keys.editing import (
    backwards,
    cut_out,
    later,
    looped,
    moved,
    put,
    scaled,
    scaled_frame,
    stretched,
    with_keys,
    without,
)
from zeitbild.keys.measure import measure_of, part_in
from zeitbild.timing.frames import parse_frames, write_frames
from zeitbild.timing.rate import parse_rate
from zeitbild.values import Part


@dataclass(frozen=True, slots=True)
class Changes:
    """New values by the paths of the document, and what a person should know of it."""

    values: dict[str, Any] = field(default_factory=dict)
    note: str = ""


def split(shot: Shot, path: str) -> tuple[str, str]:
    """The path of a part whose values move, and that of the field below it; InputError if there is no such part."""
    for part in sorted(moving_parts(shot), key=len, reverse=True):
        if path.startswith(f"{part}."):
            return part, path.removeprefix(f"{part}.")
    raise InputError(f"{path[:80]!r} is nothing that moves in this shot", "tracks")


def value_at(shot: Shot, path: str, frame: int | Fraction) -> Any:
    """The value of a field at a frame, by its path in the document."""
    part, inner = split(shot, path)
    return value_below(moving_parts(evaluate(shot, time_of(shot, frame)))[part], inner)


def value_below(part: Moving, path: str) -> Any:
    """The value of a field by its path below a part; ValueError if it lies in a member of a list that is not there."""
    found: Any = part
    names = path.split(".")
    for at, name in enumerate(names):
        if isinstance(found, dict):
            # What the document says nothing of is as it is at first.
            holder = value_below(part, ".".join(names[: at - 1])) if at > 1 else part
            kind = part_in(type(holder).model_fields[names[at - 1]].annotation)
            assert kind is not None
            found = found.get(name) or kind()
        elif name.isdigit():
            if int(name) >= len(found):
                raise ValueError(f"there are {len(found)}, and no number {int(name) + 1}")
            found = found[int(name)]
        else:
            found = getattr(found, name)
    return found


def _written(moves: dict[str, Track]) -> dict[str, Any]:
    return {path: track.model_dump(mode="json") for path, track in moves.items()}


def _each(shot: Shot, tracks: Iterable[str], change: Callable[[str, Track], Track | None]) -> Changes:
    """Some tracks changed, by the paths of their fields in the document; one that comes to None is gone."""
    parts = moving_parts(shot)
    changed: dict[str, dict[str, Track]] = {}
    for path in tracks:
        part, inner = split(shot, path)
        moves = changed.setdefault(part, dict(parts[part].moves))
        if inner not in moves:
            raise InputError(f"{path[:80]!r} has no keys", "tracks")
        found = change(path, moves.pop(inner))
        if found is not None:
            moves[inner] = found
    return Changes({f"{part}.moves": _written(moves) for part, moves in changed.items()})


def all_tracks(shot: Shot) -> list[str]:
    """Paths of all fields that move, in the order of the document."""
    return [f"{path}.{inner}" for path, part in moving_parts(shot).items() for inner in part.moves]


def move_keys(shot: Shot, tracks: Sequence[str], first: int, last: int, by: int) -> Changes:
    """Keys of a range at other frames."""
    return _each(shot, tracks, lambda _, track: moved(track, first, last, by))


def stretch_keys(shot: Shot, tracks: Sequence[str], first: int, last: int, frames: int) -> Changes:
    """A range of keys made so many frames long; later keys move along."""
    return _each(shot, tracks, lambda _, track: stretched(track, first, last, frames))


def reverse_keys(shot: Shot, tracks: Sequence[str], first: int, last: int) -> Changes:
    """Keys of a range in the opposite order."""
    return _each(shot, tracks, lambda _, track: backwards(track, first, last))


def delete_keys(shot: Shot, tracks: Sequence[str], first: int, last: int) -> Changes:
    """Without the keys of a range; a value without any stays as it was there."""
    changes = _each(shot, tracks, lambda _, track: without(track, first, last))
    for path in tracks:
        part, inner = split(shot, path)
        if inner not in changes.values[f"{part}.moves"]:
            # What is seen at that place stays seen.
            still = value_at(shot, path, first)
            changes.values[path] = list(still) if isinstance(still, tuple) else plain_colour(still)
    return changes


def plain_colour(value: Any) -> Any:
    """A colour between two as people write colours; anything else as it is."""
    if isinstance(value, str) and value.startswith("#") and len(value) == 13:
        return "#" + "".join(f"{round(int(value[at : at + 4], 16) / 257):02x}" for at in (1, 5, 9))
    return value


def step_keys(shot: Shot, tracks: Sequence[str], every: int) -> Changes:
    """A new value only every so many frames: on twos, on threes."""
    if not 1 <= every <= 100:
        raise InputError(f"every {every} frames is none of 1 to 100", "every")
    return _each(shot, tracks, lambda _, track: track.model_copy(update={"every": every}))


def loop_keys(shot: Shot, tracks: Sequence[str], first: int, last: int) -> Changes:
    """Keys of a range lead from its last frame into its first, over and over."""
    if last <= first:
        raise InputError("a loop has at least two frames", "last")

    def value(path: str) -> Any:
        return plain_colour(value_at(shot, path, first))

    return _each(shot, tracks, lambda path, track: looped(track, first, last, value(path)))


def put_key(shot: Shot, path: str, frame: int, value: Any = None) -> Changes:
    """A key at a frame with a value, or with the one that is there."""
    part, inner = split(shot, path)
    own = moving_parts(shot)[part]
    moves = dict(own.moves)
    track = moves.get(inner)
    try:
        measure = measure_of(type(own), inner)
        if value is None:
            value = plain_colour(_keyed_at(shot, path, frame, track))
        elif track is not None and track.wave is not None and isinstance(value, int | float):
            # What is given is what is to be seen there, wave and all.
            value += _keyed_at(shot, path, frame, track) - value_at(shot, path, frame)
        value = measure.read(value)
    except ValueError as error:
        raise InputError(str(error), path) from None
    moves[inner] = Track(keys=(Key(frame=frame, value=value),)) if track is None else put(track, frame, value)
    return Changes({f"{part}.moves": _written(moves)})


def _keyed_at(shot: Shot, path: str, frame: int, track: Track | None) -> Any:
    """The value at a frame without what a wave adds to it, which it does to a new key as well."""
    if track is None or track.wave is None:
        return value_at(shot, path, frame)
    part, inner = split(shot, path)
    own = moving_parts(shot)[part]
    if track.keys:
        still = own.model_copy(update={"moves": {inner: track.model_copy(update={"wave": None})}})
        own = still.at(time_of(shot, frame))
    return value_below(own, inner)


def _opacity(shot: Shot, elements: Sequence[str], keys: Callable[[Track | None], Track]) -> Changes:
    """Opacity of some elements (paths) with keys more."""
    found = {}
    for path in elements:
        part = moving_parts(shot).get(path)
        if part is None or not path.startswith("elements."):
            raise InputError(f"there is no element {path[:40]!r} that could fade", "elements")
        moves = dict(part.moves)
        moves["opacity"] = keys(moves.get("opacity"))
        found[f"{path}.moves"] = _written(moves)
    return Changes(found)


def _replaced(track: Track | None, keys: Sequence[Key]) -> Track:
    """A track with some keys in the place of all that lie between the first and the last of them."""
    if track is None:
        return Track(keys=tuple(keys))
    first, last = keys[0].frame, keys[-1].frame
    return with_keys(track, [*(key for key in track.keys if not first <= key.frame <= last), *keys])


def fade(shot: Shot, elements: Sequence[str], frame: int, frames: int, *, out: bool) -> Changes:
    """Elements that come in from the frame on, or are gone at it after so many frames; none named: all of them together, as one."""
    if frames < 1:
        raise InputError("a fade has at least one frame", "frames")
    first, last = (frame - frames, frame) if out else (frame, frame + frames)
    begins, ends = (1.0, 0.0) if out else (0.0, 1.0)
    keys = (Key(frame=first, value=begins, way="straight"), Key(frame=last, value=ends, way="straight"))
    if not elements:
        return _all_as_one(shot, keys)
    return _opacity(shot, elements, lambda track: _replaced(track, keys))


def _all_as_one(shot: Shot, keys: Sequence[Key]) -> Changes:
    """All elements in one group that fades: one that holds all of them already, or a new one. So layers hold each other out as they do
    without it, and rejoin, which they would not if each of them was weakened by itself."""
    top = [element for element in shot.elements if not element.inside]
    if not top:
        raise InputError("there is nothing that could fade; add an element", "elements")
    if len(top) == 1 and top[0].kind == GROUP:
        number = shot.elements.index(top[0])
        return _opacity(shot, [f"elements.{number}"], lambda track: _replaced(track, keys))
    ids = {element.id for element in shot.elements}
    name = next(name for name in ("all", *(f"all-{number}" for number in range(2, 1000))) if name not in ids)
    group = kinds.get(GROUP).parameters(id=name, name="All of it", moves={"opacity": Track(keys=tuple(keys))})
    inside = [element if element.inside else element.model_copy(update={"inside": name}) for element in shot.elements]
    return Changes({"elements": [one.model_dump(mode="json") for one in (group, *inside)]})


def flash(shot: Shot, elements: Sequence[str], frame: int, frames: int) -> Changes:
    """Elements that are there for so many frames from the frame on, and neither before nor after."""
    if frames < 1:
        raise InputError("a flash has at least one frame", "frames")
    values = ((frame - 1, 0.0), (frame, 1.0), (frame + frames, 0.0))
    keys = [Key(frame=at, value=value, way="hold") for at, value in values]
    return _opacity(shot, elements, lambda track: _replaced(track, keys))


def hold_at_end(shot: Shot, frames: int) -> Changes:
    """So many frames more at the end, in which keys hold; a cycle is none any more."""
    timing = shot.timing
    if frames < 1:
        raise InputError("a hold has at least one frame", "frames")
    return Changes({"timing": _timing(timing, last=timing.last + frames, cycle=False)})


def _timing(timing: Timing, **changes: Any) -> dict[str, Any]:
    """A timing with changes; InputError if it does not hold."""
    try:
        return Timing.model_validate({**timing.model_dump(), **changes}).model_dump(mode="json")
    except ValueError as error:
        said = error.errors()[0]["msg"] if hasattr(error, "errors") else str(error)
        raise InputError(said.removeprefix("Value error, "), "timing") from None


def shift_all(shot: Shot, by: int) -> Changes:
    """The whole shot at other frame numbers: keys, sounds, what plays, named ranges and frames of layers."""
    timing = shot.timing
    changes = _each(shot, all_tracks(shot), lambda _, track: with_keys(track, (later(key, by) for key in track.keys)))
    values = {**changes.values, **_at_frames(shot, lambda frame: frame + by)}
    for number, layer in enumerate(shot.layers):
        if layer.frames.strip():
            frames = tuple(frame + by for frame in parse_frames(layer.frames))
            if min(frames) < 0:
                raise InputError(f"the layer {layer.name} would have frames before 0", "by")
            values[f"layers.{number}.frames"] = write_frames(frames)
    return Changes({**values, "timing": _timing(timing, first=timing.first + by, last=timing.last + by)})


def take_out(shot: Shot, first: int, last: int) -> Changes:
    """The whole shot without the frames from first to last: what comes later moves up. InputError for frames outside of its range, for all of them,
    and if a layer would have none left."""
    timing, gone = shot.timing, last - first + 1
    if not timing.first <= first <= last <= timing.last:
        raise InputError(
            f"frames that are taken out lie from {timing.first} to {timing.last}, the first of them first", "last"
        )
    if gone > timing.last - timing.first:
        raise InputError("a shot keeps at least one frame", "last")

    def frame_at(frame: int) -> int:
        return frame if frame < first else max(first, frame - gone)

    parts = moving_parts(shot)
    known: dict[int, dict[str, Moving]] = {}

    def change(path: str, track: Track) -> Track:
        part, inner = split(shot, path)

        def value(frame: int) -> Any:
            if track.wave is not None:
                return plain_colour(_keyed_at(shot, path, frame, track))
            if frame not in known:
                known[frame] = moving_parts(evaluate(shot, time_of(shot, frame)))
            return plain_colour(value_below(known[frame][part], inner))

        mixes = measure_of(type(parts[part]), inner).kind in ("number", "vector", "angles", "colour")
        return cut_out(track, first, last, value, mixes=mixes)

    tracks = [track for part in parts.values() for track in part.moves.values()]
    changes = _each(shot, all_tracks(shot), change)
    values = {**changes.values, **_at_frames(shot, frame_at)}
    for number, one in enumerate(shot.ranges):
        # One that ended in what is gone ends before it.
        if first <= one.last <= last:
            values[f"ranges.{number}.last"] = max(first - 1, values[f"ranges.{number}.first"])
    for number, layer in enumerate(shot.layers):
        if layer.frames.strip():
            left = tuple(frame_at(frame) for frame in parse_frames(layer.frames) if not first <= frame <= last)
            if not left:
                raise InputError(f"the layer {layer.name} would have no frames left", "last")
            values[f"layers.{number}.frames"] = write_frames(left)
    notes = []
    if any(not path.startswith("ranges.") for path in _at_frames(shot, lambda frame: frame)):
        notes.append("what plays from files, sounds among them, is not cut")
    if any(track.wave is not None for track in tracks) or any(element.turn.turns for element in shot.elements):
        notes.append("turns and waves go over the frames that are left")
    if any({track.before, track.after} != {"hold"} for track in tracks):
        notes.append("what repeats, or goes on beyond its keys, does so from where they are now")
    if any(track.every > 1 and gone % track.every for track in tracks):
        notes.append("what has a new value every few frames counts them from its first key, as before")
    return Changes({**values, "timing": _timing(timing, last=timing.last - gone)}, "; ".join(notes))


def _at_frames(shot: Shot, frame_at: Callable[[int], int]) -> dict[str, Any]:
    """Fields of parts that are told in frames (``values.FRAME``), each where a function puts it, by their paths."""
    found: dict[str, Any] = {}
    for name, parts in (("sounds", shot.sounds), ("ranges", shot.ranges), ("elements", shot.elements)):
        for number, part in enumerate(parts):
            for path, before in _told_in_frames(part):
                frame = frame_at(before)
                if name == "ranges" and frame < 0:
                    raise InputError(f"the range {part.name} would begin before frame 0", "by")
                found[f"{name}.{number}.{path}"] = frame
    return found


def _told_in_frames(part: Part, before: str = "") -> Iterator[tuple[str, int]]:
    """Fields of a part, and of the parts that stand in a list in it, that are told in frames: their paths and values."""
    for name, told in type(part).model_fields.items():
        value, extra = getattr(part, name), told.json_schema_extra
        if isinstance(extra, dict) and extra.get("x-frame"):
            yield before + name, value
        elif isinstance(value, tuple):
            for at, one in enumerate(value):
                if isinstance(one, Part):
                    yield from _told_in_frames(one, f"{before}{name}.{at}.")


def _scale_all(shot: Shot, share: Fraction, **timing: Any) -> Changes:
    lost, first = 0, shot.timing.first

    def change(_: str, track: Track) -> Track:
        nonlocal lost
        found, gone = scaled(track, first, share)
        lost += gone
        return found

    changes = _each(shot, all_tracks(shot), change)
    values = {
        **changes.values,
        **_at_frames(shot, lambda frame: max(0, scaled_frame(frame, first, share)) if frame >= 0 else frame),
    }
    notes = [f"{lost} keys came to frames that have one, and are gone"] if lost else []
    layers = [layer.name for layer in shot.layers if layer.frames.strip()]
    if layers:
        notes.append(f"the frames of {', '.join(layers)} stay as they are")
    return Changes({**values, "timing": _timing(shot.timing, **timing)}, "; ".join(notes))


def stretch_all(shot: Shot, frames: int) -> Changes:
    """The whole shot so many frames long. In a cycle the frame after the last stays that which equals the first."""
    timing = shot.timing
    before = timing.last - timing.first + (1 if timing.cycle else 0)
    after = frames if timing.cycle else frames - 1
    if frames < 2 or before < 1:
        raise InputError("a shot that is stretched has at least two frames", "frames")
    return _scale_all(shot, Fraction(after, before), last=timing.first + frames - 1)


def reverse_all(shot: Shot) -> Changes:
    """The whole shot backwards, but for what plays from files. In a cycle the first frame stays the first."""
    timing = shot.timing
    last = timing.last + 1 if timing.cycle else timing.last

    def change(_: str, track: Track) -> Track:
        far = max((abs(key.frame) for key in track.keys), default=0) + abs(timing.first) + last
        turned = backwards(track, timing.first + last - far, far)
        wave = track.wave
        if wave is not None:
            begins = (Fraction(str(wave.times)) + Fraction(str(wave.begins))) % 1
            wave = wave.model_copy(update={"times": -wave.times, "begins": float(begins)})
        return turned.model_copy(update={"before": track.after, "after": track.before, "wave": wave})

    changes = _each(shot, all_tracks(shot), change)
    for number, element in enumerate(shot.elements):
        if element.turn.turns:
            # A turn over the range runs the other way, from where it ended.
            start = float((Fraction(str(element.turn.start)) + 360 * Fraction(str(element.turn.turns))) % 360)
            changes.values[f"elements.{number}.turn"] = {
                **element.turn.model_dump(mode="json"),
                "turns": -element.turn.turns,
                "start": start,
            }
    # Only what plays is told from which frame on.
    plays = any(not path.startswith("ranges.") for path in _at_frames(shot, lambda frame: frame))
    return Changes(changes.values, "what plays from files, sounds among them, plays forwards still" if plays else "")


def change_rate(shot: Shot, rate: str, *, keep_seconds: bool) -> Changes:
    """Another rate: with as many seconds as before, or with the same frames."""
    new = parse_rate(rate)
    if not keep_seconds:
        return Changes({"timing": _timing(shot.timing, rate=rate)})
    timing = shot.timing
    share = new / timing.fraction
    count = Fraction(timing.last - timing.first + 1) * share
    frames = max(1, (2 * count.numerator + count.denominator) // (2 * count.denominator))
    return _scale_all(shot, share, rate=rate, last=timing.first + frames - 1)
