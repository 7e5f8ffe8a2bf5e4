"""A turning element whose pivot is off the centre of its ink: it swings instead of spinning."""

from collections.abc import Iterator

import numpy as np

from zeitbild.checks._base import Check, Finding, SetView, checks
from zeitbild.document.evaluate import evaluate, time_of
from zeitbild.resolve.standing import element_matrix

#: Swinging by less than this many pixels is not seen.
_SEEN = 0.5


def _look(view: SetView) -> Iterator[Finding]:
    shot = view.shot
    for number, element in enumerate(shot.elements):
        if not element.delivered or not element.turn.turns or not any(element.pivot_offset):
            continue
        track = []
        for frame in view.sampled_frames:
            snapshot = view.snapshot(frame)
            # Its own origin is its ink centre: where that goes is the wobble.
            centre = element_matrix(evaluate(shot, time_of(shot, frame)).elements[number])[None, :3, 3]
            x, y, w = snapshot.camera.project(centre)[0]
            if w > snapshot.camera.near or snapshot.camera.parallel:
                track.append((x / w, y / w))
        swing = float(np.ptp(np.array(track), axis=0).max()) if len(track) > 1 else 0.0
        if swing > _SEEN:
            yield Finding(
                "wobble",
                "warning",
                f"{element.name} turns about a point off its ink centre and swings by {swing:.0f} pixels.",
                f"elements.{number}.pivot_offset",
                "build",
                None,
                {f"elements.{number}.pivot_offset": [0.0, 0.0, 0.0]},
                "Turn about the ink centre",
            )


checks.register(Check("wobble", look_at_set=_look))
