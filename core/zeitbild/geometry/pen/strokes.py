"""A stroke of a pen, and how long it takes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import kernel

Floats = NDArray[np.float64]

#: Slowest that a hand gets in curves, as a share of its speed on the straight; and points over which it looks ahead.
_SLOWEST, _SMOOTH = 0.25, 5


@kernel
def _needed(points, tolerance):  # type: ignore[no-untyped-def]
    """Which of points [n, 3] a polyline needs to be off by no more than a tolerance [n]."""
    count = points.shape[0]
    kept = np.zeros(count, np.bool_)
    kept[0] = kept[count - 1] = True
    stack = np.empty((count + 2, 2), np.int64)
    stack[0, 0], stack[0, 1] = 0, count - 1
    used = 1
    while used > 0:
        used -= 1
        first, last = stack[used, 0], stack[used, 1]
        x, y, z = (
            points[last, 0] - points[first, 0],
            points[last, 1] - points[first, 1],
            points[last, 2] - points[first, 2],
        )
        square = x * x + y * y + z * z
        most, at = -1.0, -1
        for k in range(first + 1, last):
            a, b, c = points[k, 0] - points[first, 0], points[k, 1] - points[first, 1], points[k, 2] - points[first, 2]
            share = 0.0 if square <= 0 else min(max((a * x + b * y + c * z) / square, 0.0), 1.0)
            off = (a - share * x) ** 2 + (b - share * y) ** 2 + (c - share * z) ** 2
            if off > most:
                most, at = off, k
        if at >= 0 and most > tolerance * tolerance:
            kept[at] = True
            stack[used, 0], stack[used, 1] = first, at
            stack[used + 1, 0], stack[used + 1, 1] = at, last
            used += 2
    return kept


@dataclass(frozen=True, slots=True, eq=False)
class Stroke:
    """Points [n, 2] from its beginning to its end, and half the width [n] at each; of one that closes the last point is the first. piece is the number
    of the letter or part that it belongs to."""

    points: Floats
    radii: Floats
    piece: int = 0

    @property
    def along(self) -> Floats:
        """How far along each point lies [n]."""
        return np.asarray(np.append(0.0, np.cumsum(np.hypot(*np.diff(self.points, axis=0).T))), np.float64)

    @property
    def length(self) -> float:
        """Of all of it."""
        return float(self.along[-1])

    def thinned(self, tolerance: float) -> Stroke:
        """The same with as few points as are needed to be off by no more than ``tolerance``, in place and in width (Ramer 1972, Douglas and Peucker
        1973)."""
        kept = _needed(np.column_stack([self.points, self.radii]), tolerance)
        return Stroke(self.points[kept], self.radii[kept], self.piece)

    @property
    def closed(self) -> bool:
        """Whether it ends where it began."""
        return len(self.points) > 3 and bool(np.allclose(self.points[0], self.points[-1]))

    def turned_round(self) -> Stroke:
        """From its end to its beginning."""
        return replace(self, points=self.points[::-1].copy(), radii=self.radii[::-1].copy())

    def times(self, by_hand: bool) -> Floats:
        """When a pen is at each point [n], in units of length on the straight. By hand it slows down in curves: speed goes with the cubic root of
        the radius (Lacquaniti, Terzuolo and Viviani 1983, The Law Relating the Kinematic and Figural Aspects of Drawing Movements)."""
        steps = np.hypot(*np.diff(self.points, axis=0).T)
        if not by_hand or len(self.points) < 3:
            return np.asarray(np.append(0.0, np.cumsum(steps)), np.float64)
        ways = np.unwrap(np.arctan2(*np.diff(self.points, axis=0).T[::-1]))
        bends = np.abs(np.diff(ways)) / np.maximum((steps[1:] + steps[:-1]) / 2, 1e-12)
        # At every point, smoothed over its neighbours; those of two ends for what lies between them.
        each = np.pad(bends, 1 + _SMOOTH // 2, mode="edge")
        each = np.convolve(each, np.ones(_SMOOTH) / _SMOOTH, mode="valid")
        curved = (each[1:] + each[:-1]) / 2
        size = max(float(np.ptp(self.points, axis=0).max()), 1e-12)
        speed = np.clip((1 + curved * size / 4) ** (-1 / 3), _SLOWEST, 1)
        return np.asarray(np.append(0.0, np.cumsum(steps / speed)), np.float64)

    def part(self, first: float, last: float, by_hand: bool) -> Stroke | None:
        """What a pen draws of it between two shares of its time; None for nothing."""
        times = self.times(by_hand)
        if last <= first or times[-1] <= 0:
            return None
        low, high = first * times[-1], last * times[-1]
        inner = (times > low) & (times < high)
        ends = np.array([low, high])

        def at(values: Floats) -> Floats:
            return np.asarray(np.interp(ends, times, values), np.float64)

        x, y, r = at(self.points[:, 0]), at(self.points[:, 1]), at(self.radii)
        points = np.concatenate([[[x[0], y[0]]], self.points[inner], [[x[1], y[1]]]])
        radii = np.concatenate([[r[0]], self.radii[inner], [r[1]]])
        return Stroke(points, radii, self.piece)


@dataclass(frozen=True, slots=True, eq=False)
class Plan:
    """When each of some strokes begins and ends, as shares of the whole [n, 2]."""

    spans: Floats

    @classmethod
    def of(cls, strokes: Sequence[Stroke], by_hand: bool, pause: float) -> Plan:
        """One after the other; between two the pen takes ``pause`` times as long as for a stroke of mean length."""
        lengths = np.array([max(float(one.times(by_hand)[-1]), 1e-9) for one in strokes])
        rest = pause * float(lengths.mean()) if len(lengths) else 0.0
        begins = np.cumsum(lengths + rest) - lengths - rest
        total = float(begins[-1] + lengths[-1]) if len(lengths) else 1.0
        return cls(np.column_stack([begins, begins + lengths]) / total)

    def shares(self, written: float) -> Floats:
        """How much of each stroke is written [n] when a share of the whole is."""
        begins, ends = self.spans.T
        return np.asarray(np.clip((written - begins) / np.maximum(ends - begins, 1e-12), 0, 1))
