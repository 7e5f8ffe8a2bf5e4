"""Frames in the middle of the range in which nothing is to be seen."""

from __future__ import annotations

import time
from bisect import bisect_left, bisect_right
from collections.abc import Iterator

from zeitbild.checks._alike import Frames
from zeitbild.checks._base import Check, Finding, SetView, checks
from zeitbild.document.evaluate import frames_of_keys
from zeitbild.document.retiming import take_out
from zeitbild.document.shot import Shot
from zeitbild.errors import InputError

#: Seconds that are spent on looking at most.
_PATIENCE = 1.0


def _look(view: SetView) -> Iterator[Finding]:
    frames = list(view.shot.timing.frames)
    if len(frames) < 3 or view.stands:
        return
    until = time.monotonic() + _PATIENCE
    found, keyed = Frames(view), frames_of_keys(view.shot)
    # What is there and then not is so from a key on, or at one; a key may lie between two frames of a range that goes in steps.
    places = {near for key in keyed for near in (bisect_left(frames, key), bisect_right(frames, key))}
    for at in sorted(places & set(range(1, len(frames) - 1))):
        if time.monotonic() > until:
            return
        first = last = at
        while first > 0 and time.monotonic() < until and found.empty(frames[first]):
            first -= 1
        while last < len(frames) - 1 and time.monotonic() < until and found.empty(frames[last]):
            last += 1
        # Both stand where something is, if nothing is between them. Ends in which nothing is are told as such (``dead_ends``).
        if last - first < 2 or found.empty(frames[first]) or found.empty(frames[last]):
            continue
        yield _told(view.shot, [frames[one] for one in range(first + 1, last)])
        return


def _told(shot: Shot, gone: list[int]) -> Finding:
    try:
        mend = take_out(shot, gone[0], gone[-1] + shot.timing.step - 1).values
    except InputError:
        # A layer has no other frames than these, or a value would have too many keys.
        mend = {}
    where = f"At frame {gone[0]}" if len(gone) == 1 else f"From frame {gone[0]} to {gone[-1]}"
    return Finding(
        "empty-frames",
        "hint",
        f"{where} nothing is in the picture, and something is before and after it. If it is to blink, so be it.",
        "elements",
        "time",
        gone[0],
        mend,
        f"Take {'it' if len(gone) == 1 else 'them'} out of the shot" if mend else "",
    )


checks.register(Check("empty-frames", look_at_set=_look))
