"""The seam of a cycle with keys: what stands one frame after the last ought to be the first, and to go on as fast."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from zeitbild.checks._base import Check, Finding, SetView, checks
from zeitbild.document.evaluate import seen_parts
from zeitbild.document.retiming import loop_keys, value_at
from zeitbild.errors import InputError
from zeitbild.render import QUALITIES, render
from zeitbild.snapshot import Snapshot

#: Pixels wide that the picture is looked at, and differences of 255 that are not seen.
_WIDE, _SEEN = 240, 4.0
#: A change of speed is seen from so many pixels a frame on, and if it is so many times that of the frames beside it.
_STEP, _TIMES = 1.0, 2.0


def _places(snapshot: Snapshot) -> dict[str, Any]:
    """Where the middle of each body is seen, in pixels of the raster."""
    found = {}
    for body in snapshot.bodies:
        middle = np.array(body.matrix).reshape(4, 4)[None, :3, 3]
        x, y, w = snapshot.camera.project(middle)[0]
        if w > snapshot.camera.near or snapshot.camera.parallel:
            found[body.id] = np.array([x / w, y / w])
    return found


def _look(view: SetView) -> Iterator[Finding]:
    shot, timing = view.shot, view.shot.timing
    tracks = [f"{path}.{inner}" for path, part in seen_parts(shot).items() for inner in part.moves]
    if not timing.cycle or not tracks or timing.last - timing.first < 2:
        return
    first, after = timing.first, timing.last + 1
    open_ = [path for path in tracks if value_at(shot, path, first) != value_at(shot, path, after)]
    if open_:
        start, end = view.snapshot(first), view.snapshot(after)
        before, then = _places(end), _places(start)
        far, moved = max(
            ((float(np.linalg.norm(before[one] - then[one])), one) for one in before.keys() & then.keys()),
            default=(0.0, ""),
        )
        high = max(1, round(_WIDE * shot.raster.height / shot.raster.width))
        pictures = [render(one.at_size(_WIDE, high), QUALITIES["rough"]).beauty for one in (start, end)]
        levels = np.abs(np.clip(pictures[0], 0, 1) ** (1 / 2.2) - np.clip(pictures[1], 0, 1) ** (1 / 2.2)).max(axis=2)
        worst = float(levels.max() * 255)
        if far < _STEP and worst < _SEEN:
            return
        row, column = np.unravel_index(int(levels.argmax()), levels.shape)
        by = shot.raster.width / _WIDE
        element = next((one.name for one in shot.elements if one.id == moved.partition("/")[0]), "")
        jump = f"{element} jumps by {far:.0f} pixels" if far >= _STEP else "the picture jumps"
        try:
            mend = loop_keys(shot, open_, timing.first, timing.last).values
        except InputError:
            mend = {}
        yield Finding(
            "seam-jumps",
            "warning",
            f"Where the cycle starts again {jump}; most at {column * by:.0f}, {row * by:.0f}, by {worst:.0f} of 255.",
            f"{open_[0].split('.')[0]}.moves",
            "time",
            timing.last,
            mend,
            "Lead the keys into their beginning" if mend else "",
        )
        return
    around = [timing.last - 1, timing.last, first, first + 1, first + 2]
    places = [_places(view.snapshot(at)) for at in around]
    for one in sorted(set.intersection(*(set(own) for own in places))):
        steps = np.diff([own[one] for own in places], axis=0)
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


checks.register(Check("seam-of-keys", look_at_set=_look))
