"""Which frames of a shot look alike, without rendering them; and how far apart small pictures of two moments are."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter

from zeitbild.checks._base import SetView
from zeitbild.masters.frame_key import frame_key
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import resolve
from zeitbild.snapshot import Snapshot

#: Pixels wide that pictures are looked at.
WIDE = 240
#: Steps of 255, in the mean of five by five pixels, that are not seen; an edge that is drawn from other samples differs by less.
SEEN = 10.0


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


def onwards(view: SetView) -> Snapshot:
    """What would stand in the frame after the last of a cycle if everything just went on, turns and waves at their ends."""
    timing = view.shot.timing
    open_ = timing.model_copy(update={"last": timing.last + 1, "cycle": False})
    return resolve(view.shot.model_copy(update={"timing": open_}), timing.last + 1, view.assets)


@dataclass(frozen=True, slots=True)
class Apart:
    """How far two pictures are apart: by how many steps of 255 where it is most, where that is (shares of the picture, 0..1 from its
    upper left), and the mean square of all of it."""

    worst: float
    x: float
    y: float
    square: float


def seen(snapshot: Snapshot) -> NDArray[np.float32]:
    """A small picture [h, w, 4], encoded, 0 to 1."""
    high = max(1, round(WIDE * snapshot.height / snapshot.width))
    picture = render(snapshot.at_size(WIDE, high), QUALITIES["check"]).beauty
    return np.asarray(np.clip(picture, 0, 1) ** np.float32(1 / 2.2))


def apart(one: Snapshot | NDArray[np.float32], other: Snapshot | NDArray[np.float32]) -> Apart:
    """How far two moments, or small pictures of them, are apart."""
    before, after = (seen(moment) if isinstance(moment, Snapshot) else moment for moment in (one, other))
    off = np.abs(uniform_filter(after - before, (5, 5, 1), mode="constant")).max(axis=2) * 255
    row, column = np.unravel_index(int(off.argmax()), off.shape)
    high, wide = off.shape
    return Apart(float(off.max()), float(column) / wide, float(row) / high, float((off * off).mean()))
