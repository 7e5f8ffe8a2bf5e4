"""Frames at the beginning or the end of the range in which nothing changes, or nothing is there; a cycle whose last frame is its first."""

from __future__ import annotations

import time
from collections.abc import Iterator

from zeitbild.checks._alike import Frames
from zeitbild.checks._base import Check, Finding, SetView, checks

#: So many frames in a row are no hold for the eye to rest on but a range that is longer than meant, in seconds.
_LONG = 2.0
#: Seconds that are spent on looking at most.
_PATIENCE = 1.5


def _look(view: SetView) -> Iterator[Finding]:
    timing = view.shot.timing
    frames = list(timing.frames)
    if len(frames) < 3:
        return
    until = time.monotonic() + _PATIENCE
    found, step = Frames(view), timing.step
    # What cannot move need not be looked at, however long it is.
    tail = len(frames) if view.stands else found.alike(frames[::-1], until)
    if tail == len(frames):
        if found.empty(frames[0]):
            return
        yield Finding(
            "nothing-moves",
            "hint",
            f"All {len(frames)} frames are the same picture; one is enough.",
            "timing.last",
            "time",
            frames[0],
            {"timing.last": frames[0], "timing.cycle": False},
            f"Only frame {frames[0]}",
        )
        return
    if time.monotonic() >= until:
        return
    long = max(2, round(_LONG * float(timing.fraction) / step))
    head = found.alike(frames, until)
    if time.monotonic() >= until:
        return
    if found.empty(frames[-1]) and tail > 1:
        last = frames[-tail - 1]
        yield Finding(
            "empty-tail",
            "warning",
            f"From frame {frames[-tail]} to the end nothing is in the picture: {tail} empty frames.",
            "timing.last",
            "time",
            frames[-tail],
            {"timing.last": last},
            f"End the range at frame {last}",
        )
    elif tail > long:
        last = frames[-tail]
        yield Finding(
            "dead-tail",
            "hint",
            f"From frame {last} to the end nothing changes: {tail} frames are the same picture.",
            "timing.last",
            "time",
            last,
            {"timing.last": last},
            f"End the range at frame {last}",
        )
    if found.empty(frames[0]) and head > 1:
        first = frames[head]
        yield Finding(
            "empty-head",
            "warning",
            f"Up to frame {frames[head - 1]} nothing is in the picture: {head} empty frames.",
            "timing.first",
            "time",
            frames[0],
            {"timing.first": first},
            f"Begin at frame {first}",
        )
    elif head > long:
        first = frames[head - 1]
        yield Finding(
            "dead-head",
            "hint",
            f"Up to frame {first} nothing changes: {head} frames are the same picture.",
            "timing.first",
            "time",
            frames[0],
            {"timing.first": first},
            f"Begin at frame {first}",
        )
    if timing.cycle and tail == head == 1 and found.key(frames[0]) == found.key(frames[-1]):
        yield Finding(
            "doubled-seam",
            "warning",
            f"Frame {frames[-1]} is the same picture as frame {frames[0]}: played as a loop it stands for two frames.",
            "timing.last",
            "time",
            frames[-1],
            {"timing.last": timing.last - step},
            f"End the range at frame {timing.last - step}",
        )


checks.register(Check("dead-ends", look_at_set=_look))
