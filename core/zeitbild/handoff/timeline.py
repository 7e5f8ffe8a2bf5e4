"""A timeline file (OpenTimelineIO) that places every sequence of a hand-off: its rate, the piece without its handles, and its sound."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from fractions import Fraction
from pathlib import PurePosixPath
from urllib.parse import quote

import opentimelineio as otio

from zeitbild.document.shot import Shot
from zeitbild.handoff.note import Told
from zeitbild.sound import RATE
from zeitbild.timing import parse_frames


def _time(value: float, rate: Fraction) -> otio.opentime.RationalTime:
    return otio.opentime.RationalTime(value, float(rate))


def _range(first: float, count: float, rate: Fraction) -> otio.opentime.TimeRange:
    return otio.opentime.TimeRange(_time(first, rate), _time(count, rate))


def _piece(shot: Shot, frames: Sequence[int], shows: Mapping[int, int] | None = None) -> tuple[int, int]:
    """First number and count of those that are the piece itself; shows are the frames of numbers, if these are others."""
    shown = (shows or {}).get
    own = [frame for frame in frames if shot.timing.first <= shown(frame, frame) <= shot.timing.last]
    return (own[0], len(own)) if own else (frames[0], len(frames))


def _clips(shot: Shot, one: Told) -> list[otio.schema.Clip]:
    """A clip for every sequence of stills, and for every file that moves."""
    rate = Fraction(one.manifest["rate"]["frames"], one.manifest["rate"]["seconds"])
    by_name: dict[str, list[tuple[int, str]]] = {}
    # What a file shows, if its number is not the frame's.
    shows: dict[int, int] = {}
    clips: list[otio.schema.Clip] = []
    if one.order.recipe.format.measure is None:
        # A sheet of frames is nothing that plays.
        return []
    for file in one.manifest["files"]:
        path = PurePosixPath(file["path"])
        if one.order.recipe.format.container:
            # From the beginning of the file, which begins with the first frame.
            frames = _numbers(file)
            first, count = _piece(shot, frames)
            scale = rate / shot.timing.fraction
            whole = _range(0, round(len(frames) * scale), rate)
            media = otio.schema.ExternalReference(quote(f"{one.ahead}{path}"), whole)
            own = _range(round(frames.index(first) * scale), round(count * scale), rate)
            clips.append(otio.schema.Clip(path.name, media, own))
            continue
        held = "+".join(dict.fromkeys(f"{held['layer']}.{held['pass']}" for held in file["holds"]))
        by_name.setdefault(held, []).append((file["frame"], file["path"]))
        shows[file["frame"]] = file.get("shows", file["frame"])
    for name, files in by_name.items():
        files.sort()
        frames = [frame for frame, _ in files]
        first, count = _piece(shot, frames, shows)
        step = frames[1] - frames[0] if len(frames) > 1 else 1
        even = all(b - a == step for a, b in zip(frames, frames[1:], strict=False))
        found = _in_parts(files)
        if not even or found is None:
            # Frames of a list: each is a still, shown for one frame.
            for number, (frame, path_of) in enumerate(files):
                media = otio.schema.ExternalReference(quote(f"{one.ahead}{path_of}"), _range(frame, 1, rate))
                clips.append(otio.schema.Clip(f"{name} {number + 1}", media, _range(frame, 1, rate)))
            continue
        ahead, digits, end = found
        folder, _, prefix = ahead.rpartition("/")
        media = otio.schema.ImageSequenceReference(
            target_url_base=quote(f"{one.ahead}{folder}/" if folder else one.ahead),
            name_prefix=quote(prefix),
            name_suffix=quote(end),
            start_frame=frames[0],
            frame_step=step,
            rate=float(rate),
            frame_zero_padding=digits,
            available_range=_range(frames[0], len(frames), rate),
        )
        clips.append(otio.schema.Clip(name, media, _range(frames[0] + frames.index(first), count, rate)))
    return clips


def _numbers(file: dict[str, object]) -> list[int]:
    return list(parse_frames(str(file["frames"]))) if "frames" in file else [int(str(file["frame"]))]


def _in_parts(files: Sequence[tuple[int, str]]) -> tuple[str, int, str] | None:
    """What of names stands before the frame's number, its digits, and what stands after it; None if they are not like that."""
    frame, path = files[-1]
    for digits in range(9, 0, -1):
        number = f"{frame:0{digits}d}"
        at = path.rfind(number)
        if at < 0:
            continue
        ahead, end = path[:at], path[at + len(number) :]
        if all(own == f"{ahead}{other:0{digits}d}{end}" for other, own in files):
            return ahead, digits, end
    return None


def timeline_of(shot: Shot, told: Sequence[Told], frames: Sequence[int]) -> str:
    """The file's text. Paths in it are those in the package."""
    timeline = otio.schema.Timeline(shot.shot, global_start_time=_time(0, shot.timing.fraction))
    for one in told:
        for clip in _clips(shot, one):
            if one.order.recipe.format.container or clip.source_range.duration.value > 1 or not timeline.tracks:
                track = otio.schema.Track(clip.name, kind=otio.schema.TrackKind.Video)
                timeline.tracks.append(track)
            timeline.tracks[-1].append(clip)
        sound = one.manifest.get("sound")
        if sound:
            track = otio.schema.Track("sound", kind=otio.schema.TrackKind.Audio)
            samples = _range(0, sound["samples"], Fraction(RATE))
            first, count = _piece(shot, list(frames))
            before = Fraction(first - frames[0]) / shot.timing.fraction
            long = Fraction(count) / shot.timing.fraction
            own = otio.opentime.TimeRange(
                _time(float(round(before * RATE)), Fraction(RATE)), _time(float(round(long * RATE)), Fraction(RATE))
            )
            media = otio.schema.ExternalReference(quote(f"{one.ahead}{sound['path']}"), samples)
            track.append(otio.schema.Clip("sound", media, own))
            timeline.tracks.append(track)
    return str(otio.adapters.write_to_string(timeline, "otio_json", indent=2)) + "\n"
