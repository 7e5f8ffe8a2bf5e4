"""Outlines of a drawing on its grid: curves as polylines in whole steps, filled, cut off by clips."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

import manifold3d
import numpy as np

from zeitbild.errors import LimitError
from zeitbild.geometry.curves import Contour, Points, after_each, before_each, flattened
from zeitbild.geometry.drawing.canvas import Filled, Ink
from zeitbild.geometry.outline import GRID
from zeitbild.kernels import kernel

#: Points of all contours at one fineness.
MAX_POINTS = 600_000
#: Crossings of a shape's own edges; pairs of edges looked at.
_MOST_CROSSINGS, _MOST_LOOKS = 200_000, 1_000_000_000
#: Curves that are made polylines at once.
_TOGETHER = 1024
#: Beyond so many steps of the grid nothing is seen of what clips cut off.
_FAR = float(4 * GRID)
_RULES = {True: manifold3d.FillRule.EvenOdd, False: manifold3d.FillRule.NonZero}


def _cut_off(points: Points) -> Contour | None:
    """A contour that reaches far beyond what is seen, in steps of the grid, cut off there (Sutherland and Hodgman 1974: its winding
    about what is seen stays); None if nothing of it is left."""
    for axis in (0, 1):
        for sign in (1.0, -1.0):
            beyond = sign * points[:, axis] - _FAR
            after, to = after_each(points), after_each(beyond)
            crosses = (beyond > 0) != (to > 0)
            share = np.where(crosses, beyond / np.where(crosses, beyond - to, 1), 0)[:, None]
            both = np.stack([points, points + share * (after - points)], axis=1)
            points = both[np.stack([beyond <= 0, crosses], axis=1)]
            if len(points) < 3:
                return None
    points = np.round(points)
    points = points[(points != before_each(points)).any(axis=1)]
    return Contour.of_polyline(points) if len(points) >= 3 else None


@kernel
def _crossings(starts, ends, most, looks):  # type: ignore[no-untyped-def]
    """How many pairs of edges cross; counted up to one more than ``most``, and as that if more than so many pairs lie beside one another."""
    count = starts.shape[0]
    low, high = np.minimum(starts[:, 0], ends[:, 0]), np.maximum(starts[:, 0], ends[:, 0])
    order = np.argsort(low, kind="mergesort")
    found = 0
    for i in range(count):
        k = order[i]
        ax, ay, bx, by = starts[k, 0], starts[k, 1], ends[k, 0], ends[k, 1]
        low_y, high_y = min(ay, by), max(ay, by)
        for j in range(i + 1, count):
            m = order[j]
            if low[m] > high[k]:
                break
            looks -= 1
            if looks < 0:
                return most + 1
            cx, cy, dx, dy = starts[m, 0], starts[m, 1], ends[m, 0], ends[m, 1]
            if max(cy, dy) < low_y or min(cy, dy) > high_y:
                continue
            c = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
            d = (bx - ax) * (dy - ay) - (by - ay) * (dx - ax)
            a = (dx - cx) * (ay - cy) - (dy - cy) * (ax - cx)
            b = (dx - cx) * (by - cy) - (dy - cy) * (bx - cx)
            if c * d < 0 and a * b < 0:
                found += 1
                if found > most:
                    return found
    return found


class Inking:
    """Makes ink of what is filled, in whole steps from ``low`` [2] on, curves within ``tolerance`` (units of the drawing). fills are all that
    it will be asked for, clips what cuts off, by number; LimitError for too many points."""

    def __init__(
        self,
        fills: Iterable[Filled],
        clips: Sequence[Sequence[Filled]],
        low: Points,
        step: float,
        tolerance: float,
        label: str,
    ) -> None:
        self._clips, self._low, self._step, self._label = clips, low, step, label
        self._polylines = self._flattened(fills, tolerance)
        self._cuts: dict[int, Ink] = {}
        self._count = 0
        #: The contours that all ink was made of, in steps.
        self.sources: list[Contour] = []

    def ink(self, filled: Filled) -> Ink:
        """What is filled, as far as its clips let it through."""
        rings = []
        for curved in filled.contours:
            polyline = self._polylines[id(curved)]
            points = (polyline.points - self._low) / self._step
            own = Contour(np.round(points), polyline.normals) if np.abs(points).max() < _FAR else _cut_off(points)
            if own is None:
                continue
            self._count += len(own.points)
            if self._count > MAX_POINTS:
                raise self._too_fine()
            self.sources.append(own)
            rings.append(own.points)
        self._check_tangle(rings)
        found = Ink(rings, _RULES[filled.even_odd])
        for clip in filled.clips:
            found = found ^ self.clip(clip)
        return found

    def clip(self, number: int) -> Ink:
        """What a clip lets through."""
        if number not in self._cuts:
            own = [self.ink(one) for one in self._clips[number]]
            self._cuts[number] = manifold3d.CrossSection.batch_boolean(own, manifold3d.OpType.Add) if own else Ink()
        return self._cuts[number]

    def box(self, corners: Points) -> Ink:
        """A box [2, 2] of the drawing (lower left and upper right corner)."""
        left, bottom, right, top = ((corners - self._low) / self._step).reshape(-1).tolist()
        ring = np.round(np.array([[left, bottom], [right, bottom], [right, top], [left, top]]))
        self.sources.append(Contour.of_polyline(ring))
        return Ink([ring], _RULES[False])

    def rings(self, ink: Ink) -> list[Points]:
        """The outlines [n, 2] of ink in units of the drawing."""
        return [np.asarray(ring) * self._step + self._low for ring in ink.to_polygons()]

    def _flattened(self, fills: Iterable[Filled], tolerance: float) -> Mapping[int, Contour]:
        """All contours as polylines, by their identity."""
        contours = [one for filled in fills for one in filled.contours]
        found: dict[int, Contour] = {}
        points = 0
        # So many at once that arrays stay small.
        ends = np.cumsum([len(one.curves) for one in contours]) // _TOGETHER
        for own in np.split(np.arange(len(contours)), np.flatnonzero(np.diff(ends)) + 1):
            chunk = [contours[at] for at in own.tolist()]
            lines = flattened(chunk, tolerance) if chunk else []
            points += sum(len(one.points) for one in lines)
            if points > MAX_POINTS:
                raise self._too_fine()
            found |= {id(curved): line for curved, line in zip(chunk, lines, strict=True)}
        return found

    def _too_fine(self) -> LimitError:
        return LimitError(f"{self._label} has too many curves for a picture of this size", "drawing")

    def _check_tangle(self, rings: Sequence[Points]) -> None:
        """Refuse a shape whose edges cross one another so often that nobody could tell what it is: each crossing becomes a point."""
        if not rings:
            return
        starts, ends = np.concatenate(rings), np.concatenate([after_each(ring) for ring in rings])
        if _crossings(starts, ends, _MOST_CROSSINGS, _MOST_LOOKS) > _MOST_CROSSINGS:
            raise LimitError(f"{self._label} has a shape whose edges cross one another too often", "drawing")
