"""Which frames of a shot look alike, without rendering them."""

from __future__ import annotations

import time
from collections.abc import Sequence

from zeitbild.checks._base import SetView
from zeitbild.masters.frame_key import frame_key


class Frames:
    """Which frames of a shot look alike."""

    def __init__(self, view: SetView) -> None:
        self._view, self._keys = view, dict[int, str]()

    def key(self, frame: int) -> str:
        """What tells the picture of a frame from others."""
        if frame not in self._keys:
            self._keys[frame] = frame_key(self._view.snapshot(frame), "final")
        return self._keys[frame]

    def empty(self, frame: int) -> bool:
        """Whether nothing is seen at a frame."""
        return not any(body.role == "shown" for body in self._view.snapshot(frame).bodies)

    def alike(self, frames: Sequence[int], until: float) -> int:
        """How many frames from the first of these on look like it."""
        count = 1
        while count < len(frames) and self.key(frames[count]) == self.key(frames[0]) and time.monotonic() < until:
            count += 1
        return count
