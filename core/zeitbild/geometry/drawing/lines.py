"""What a drawing is drawn along: its lines and outlines, without the paint."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from zeitbild.errors import InputError
from zeitbild.geometry.drawing.painting import drawing_at
from zeitbild.geometry.drawing.tracks import Track

Floats = NDArray[np.float64]

#: Points that each curve is taken apart into where lengths are measured.
_FINE = 64


@dataclass(frozen=True, slots=True, eq=False)
class Line:
    """One line or outline of a drawing, y up, in its units: its curves, the width of its stroke (0: it has none), and the number of the part
    that it stands in (-1: none)."""

    track: Track
    width: float
    part: int


def lines_of(path: Path, label: str) -> tuple[Line, ...]:
    """The lines and outlines of a drawing in the order in which it has them. DrawingError for what cannot be read."""
    plain = drawing_at(path, label).plain
    found = []
    for one in plain["lines"]:
        track = Track(np.asarray(one["curves"], np.float64) * (1.0, -1.0), one["straight"], bool(one["closes"]))
        found.append(Line(track, float(one["width"]), int(one["part"])))
    return tuple(found)


@dataclass(frozen=True, slots=True, eq=False)
class Course:
    """A way along a line: points [n, 2] about the middle of its box and how far along [n] each lies; size is its larger side. All in units of the
    drawing, y up. Of one that is closed the last point is the first."""

    points: Floats
    along: Floats
    size: float
    closed: bool

    @property
    def length(self) -> float:
        """Of all of it."""
        return float(self.along[-1])

    def at(self, shares: Floats) -> tuple[Floats, Floats]:
        """Points [n, 2] at shares of the length, and the unit direction [n, 2] there. A closed one goes round; of another what lies beyond its
        ends lies straight ahead."""
        along = np.asarray(shares, np.float64) * self.length
        if self.closed:
            along = np.where(along == self.length, along, along % self.length)
        cell = np.clip(np.searchsorted(self.along, along, side="right") - 1, 0, len(self.along) - 2)
        first, step = self.points[cell], self.points[cell + 1] - self.points[cell]
        sizes = self.along[cell + 1] - self.along[cell]
        way = step / sizes[:, None]
        return first + way * (along - self.along[cell])[:, None], way


def course_of(path: Path, label: str, number: int) -> Course:
    """The way along one line of a drawing, counted from 1; InputError if there are not so many, or if it has no length."""
    lines = lines_of(path, label)
    if not lines:
        raise InputError(f"{label} has no lines", "drawing")
    if number > len(lines):
        raise InputError(f"{label} has {len(lines)} lines; there is no line {number}", "line")
    return course_along(lines[number - 1].track)


def course_along(track: Track) -> Course:
    """The way along a track; InputError if it has no length."""
    points = track.sampled(_FINE)
    if track.closes:
        points = np.concatenate([points, points[:1]])
    points = points[np.append(True, (np.diff(points, axis=0) != 0).any(axis=1))]
    if len(points) < 2:
        raise InputError("this line has no length; choose another", "line")
    low, high = points.min(axis=0), points.max(axis=0)
    along = np.append(0.0, np.cumsum(np.hypot(*np.diff(points, axis=0).T)))
    return Course(points - (low + high) / 2, along, float((high - low).max()), track.closes)
