"""The seam of a cycle: what stands one frame after the last ought to be the first, and to go on as fast."""

from __future__ import annotations

import math
import time
from collections.abc import Iterator
from typing import Any

import numpy as np

from zeitbild.checks._alike import SEEN, Apart, apart, seen
from zeitbild.checks._base import Check, Finding, SetView, checks
from zeitbild.document.evaluate import seen_parts
from zeitbild.document.retiming import loop_keys, split, value_at
from zeitbild.document.shot import Shot
from zeitbild.errors import InputError
from zeitbild.keys.measure import measure_of
from zeitbild.snapshot import Snapshot

#: A change of speed is seen from so many pixels a frame on, and if it is so many times that of the frames beside it.
_STEP, _TIMES = 1.0, 2.0
_ONCE = "It plays once, and is no cycle"
#: Share of a cycle that keys need at least to lead into their beginning; else they would leap there.
_WAY_BACK = 0.1
#: Frames before and after the seam that are looked at, and seconds that are spent on it at most.
_AROUND, _PATIENCE = 4, 1.5


def _places(snapshot: Snapshot) -> dict[str, Any]:
    """Where the middle of each body is seen, in pixels of the raster."""
    found = {}
    for body in snapshot.bodies:
        middle = np.array(body.matrix).reshape(4, 4)[None, :3, 3]
        x, y, w = snapshot.camera.project(middle)[0]
        if w > snapshot.camera.near or snapshot.camera.parallel:
            found[body.id] = np.array([x / w, y / w])
    return found


def _place(shot: Shot, off: Apart) -> str:
    """Where pictures are apart most, in pixels of the raster."""
    return f"{off.x * shot.raster.width:.0f}, {off.y * shot.raster.height:.0f}"


def _leaps(shot: Shot, path: str) -> bool:
    """Whether a value goes by leaps where the cycle starts again: it cannot do otherwise, or its last key holds."""
    own, inner = split(shot, path)
    part = seen_parts(shot)[own]
    keys = [key for key in part.moves[inner].keys if key.frame <= shot.timing.last]
    return measure_of(type(part), inner).stepped or bool(keys and keys[-1].way == "hold")


def _look(view: SetView) -> Iterator[Finding]:
    shot, timing = view.shot, view.shot.timing
    if not timing.cycle or timing.last - timing.first < 2 or view.stands:
        return
    tracks = [f"{path}.{inner}" for path, part in seen_parts(shot).items() for inner in part.moves]
    first, after = timing.first, timing.last + 1
    open_ = [path for path in tracks if value_at(shot, path, first) != value_at(shot, path, after)]
    slides = [path for path in open_ if not _leaps(shot, path)]
    if slides:
        yield from _of_keys(view, slides)
        return
    if tracks:
        jerks = list(_jerks(view))
        yield from jerks
        if jerks:
            return
    # What is meant to leap there would be taken for a jump; what turns in part is told by itself.
    leaps = any(
        value_at(shot, path, timing.last) != value_at(shot, path, first) for path in tracks if _leaps(shot, path)
    )
    if not leaps and all(float(element.turn.turns).is_integer() for element in shot.elements):
        yield from _of_pictures(view)


def _leaping(shot: Shot) -> set[int]:
    """Frames after which values leap back on their way: where keys repeat, and where a wave that goes round starts anew."""
    timing, found = shot.timing, set[int]()
    count = timing.last - timing.first + 1
    for part in seen_parts(shot).values():
        for track in part.moves.values():
            if len(track.keys) > 1 and "repeat" in (track.before, track.after):
                span = track.keys[-1].frame - track.keys[0].frame
                # From the frame before the first key, and from the last one, again and again.
                found |= {track.keys[0].frame - 1, track.keys[-1].frame, track.keys[-1].frame + span}
            if track.wave is not None and track.wave.shape == "round" and abs(track.wave.times) > 1:
                found.add(timing.first + math.ceil(count / abs(track.wave.times)) - 1)
    return {frame for frame in found if timing.first <= frame < timing.last}


def _of_keys(view: SetView, open_: list[str]) -> Iterator[Finding]:
    """Values that are others one frame after the last than at the first."""
    shot, timing = view.shot, view.shot.timing
    start, end = view.snapshot(timing.first), view.snapshot(timing.last + 1)
    before, then = _places(end), _places(start)
    far, moved = max(
        ((float(np.linalg.norm(before[one] - then[one])), one) for one in before.keys() & then.keys()),
        default=(0.0, ""),
    )
    off = apart(end, start)
    if far < _STEP and off.worst < SEEN:
        return
    element = next((one.name for one in shot.elements if one.id == moved.partition("/")[0]), "")
    jump = f"{element} jumps by {far:.0f} pixels" if far >= _STEP else "the picture jumps"
    mend, title = _mend(shot, open_)
    yield Finding(
        "seam-jumps",
        "warning",
        f"Where the cycle starts again {jump}; most at {_place(shot, off)}, by {off.worst:.0f} of 255.",
        f"{open_[0].split('.')[0]}.moves",
        "time",
        timing.last,
        mend,
        title,
    )


def _mend(shot: Shot, open_: list[str]) -> tuple[dict[str, Any], str]:
    """What mends it: keys that lead into their beginning; where they would have to do so within a few frames it is no cycle."""
    timing = shot.timing
    parts = seen_parts(shot)
    keyed = [
        key.frame
        for own, part in parts.items()
        for inner, track in part.moves.items()
        if f"{own}.{inner}" in open_
        for key in track.keys
        if key.frame <= timing.last
    ]
    if timing.last + 1 - max(keyed, default=timing.first) >= (timing.last - timing.first + 1) * _WAY_BACK:
        try:
            return loop_keys(shot, open_, timing.first, timing.last).values, "Lead the keys into their beginning"
        except InputError:
            pass
    return {"timing.cycle": False}, _ONCE


def _jerks(view: SetView) -> Iterator[Finding]:
    """Bodies that change their speed there more than beside it."""
    shot, timing = view.shot, view.shot.timing
    around = [timing.last - 1, timing.last, timing.first, timing.first + 1, timing.first + 2]
    places = [_places(view.snapshot(at)) for at in around]
    for one in sorted(set.intersection(*(set(own) for own in places))):
        steps = np.diff([own[one] for own in places], axis=0)
        sizes = np.linalg.norm(steps, axis=1)
        if sizes[1] > _STEP + _TIMES * max(sizes[0], sizes[2], sizes[3]):
            # A jump, and not only another speed: what it is like is said of the picture.
            continue
        earlier, change, later = (float(size) for size in np.linalg.norm(np.diff(steps, axis=0), axis=1))
        # What turns gently changes its speed there as it does a frame earlier and later.
        if change > _STEP + _TIMES * max(earlier, later):
            element = next((own.name for own in shot.elements if own.id == one.partition("/")[0]), one)
            yield Finding(
                "seam-jerks",
                "hint",
                f"{element} changes its speed by {change:.1f} pixels a frame where the cycle starts again.",
                "timing.cycle",
                "time",
                timing.last,
            )


def _of_pictures(view: SetView) -> Iterator[Finding]:
    """What plays or waves: the step over the seam is far larger than those of the frames around it."""
    shot, timing = view.shot, view.shot.timing
    frames = list(timing.frames)
    around = min(_AROUND, len(frames) // 2)
    until = time.monotonic() + _PATIENCE
    pictures = []
    for frame in [*frames[-around:], *frames[:around]]:
        if time.monotonic() > until:
            return
        pictures.append(seen(view.snapshot(frame)))
    steps = [apart(one, other) for one, other in zip(pictures, pictures[1:], strict=False)]
    seam = steps.pop(around - 1)
    steps += [apart(view.snapshot(frame), view.snapshot(frame + 1)) for frame in sorted(_leaping(shot))[:8]]
    # Where something goes so many times as far, so many times as many pixels change.
    if seam.worst < 2 * SEEN or seam.square <= _TIMES * max((step.square for step in steps), default=np.inf):
        return
    yield Finding(
        "seam-jumps",
        "warning",
        f"Where the cycle starts again the picture jumps, as it does nowhere around; most at {_place(shot, seam)}, "
        f"by {seam.worst:.0f} of 255.",
        "timing.cycle",
        "time",
        timing.last,
        {"timing.cycle": False},
        _ONCE,
    )


checks.register(Check("seam-of-keys", look_at_set=_look))
