"""A frame that is the same picture as the one before it, in the middle of a movement: the eye sees it stop."""

from __future__ import annotations

import time
from collections.abc import Iterator
from typing import Any

from zeitbild.checks._alike import Frames
from zeitbild.checks._base import Check, Finding, SetView, checks
from zeitbild.document.evaluate import frames_of_keys, moving_parts, seen_parts
from zeitbild.document.retiming import delete_keys
from zeitbild.document.shot import Shot

#: Seconds that are spent on looking at most.
_PATIENCE = 1.0


def _look(view: SetView) -> Iterator[Finding]:
    shot, timing = view.shot, view.shot.timing
    frames = list(timing.frames)
    tracks = [track for part in seen_parts(shot).values() for track in part.moves.values()]
    # On twos, threes and so on pictures stand as they are meant to.
    if not tracks or any(track.every > 1 for track in tracks):
        return
    until = time.monotonic() + _PATIENCE
    found = Frames(view)
    keyed = frames_of_keys(shot)
    # Between keys values move or hold; only from one key to the next frame, which has one too, can a single picture be doubled.
    places = [at for at in range(1, len(frames) - 2) if frames[at] in keyed and frames[at + 1] in keyed]
    for at in places:
        if time.monotonic() > until:
            return
        before, first, second, after = (found.key(frame) for frame in frames[at - 1 : at + 3])
        if first == second and before != first and second != after:
            yield Finding(
                "doubled-frame",
                "hint",
                f"Frame {frames[at + 1]} is the same picture as frame {frames[at]} while everything moves: it will be seen to stop there. "
                "Take one of the keys away, or hold longer if a rest is meant.",
                "elements",
                "time",
                frames[at + 1],
                _without_keys(shot, frames[at + 1]),
                f"Take the keys at frame {frames[at + 1]} away",
            )
            return


def _without_keys(shot: Shot, frame: int) -> dict[str, Any]:
    """What moves without its keys at a frame, by its paths."""
    keyed = [
        f"{path}.{inner}"
        for path, part in moving_parts(shot).items()
        for inner, track in part.moves.items()
        if any(key.frame == frame for key in track.keys)
    ]
    return delete_keys(shot, keyed, frame, frame).values


checks.register(Check("doubled-frame", look_at_set=_look))
