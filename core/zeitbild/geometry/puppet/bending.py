"""A limb that bends: what lies along its bone goes along an arc about the inner side of its joint, so that nothing folds over itself."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

#: Degrees that a limb bends at most.
MOST_BENT = 170.0
#: The arc's radius, in half widths of the limb: a little is left of the inner side where it bends back upon itself, and more the less it bends, or
#: what bulges there would be a notch.
_ROOM, _MORE_ROOM = 1.08, 0.6
#: Share of the shorter bone that the arc takes at most.
_LONGEST = 0.98
#: Share of the way to the middle of the arc that what lies on the inner side takes at most; and of that the share up to which nothing is
#: pressed together where the arc has hardly any room.
_FULL, _PRESSED = 0.98, 0.4
#: Steeper than any limb.
_STEEP = 1e6


def _room(angle: float) -> float:
    """``_ROOM`` of an angle (radians)."""
    return _ROOM + _MORE_ROOM * (1 - abs(angle) / math.pi)


@dataclass(frozen=True, slots=True)
class Bend:
    """How a limb bends: the joint and the unit way of its bone (x, y), how far from the joint the arc begins and ends, and the angle (radians,
    anticlockwise above 0). wanted is the radius of an arc with room for all of its inner side; where its bones are too short for that, and
    where both of them would lie over one another, what lies on the inner side is pressed together. inner and outer are how far any of it lies
    from the bone on that side and on the other."""

    joint: tuple[float, float]
    way: tuple[float, float]
    wanted: float
    half: float
    angle: float
    inner: float
    outer: float

    @property
    def radius(self) -> float:
        """That of the middle line's arc."""
        return 2 * self.half / abs(self.angle) if self.angle else math.inf

    @property
    def _opens(self) -> float:
        """By how much there is more room on the inner side for each unit away from the arc: half of the angle between the bones is theirs."""
        return min(math.tan((math.pi - abs(self.angle)) / 2), _STEEP)

    @property
    def _kept(self) -> float:
        """The share of that room up to which nothing is pressed together."""
        return _PRESSED + (1 / (_room(self.angle) * _FULL) - _PRESSED) * min(self.radius / self.wanted, 1.0)

    @property
    def reach(self) -> float:
        """How far from the joint, along the bone, anything is anywhere else than by turning alone."""
        return self.half + max(0.0, (self.inner / self._kept - _FULL * self.radius) / self._opens)

    def step(self, tolerance: float) -> float:
        """How far apart points of an outline may be at most for its chords to be as near as that once it is bent."""
        # A chord of a circle is off by its length squared over eight radii; the outer side has the longest.
        radius = self.radius
        return radius * math.sqrt(2 * tolerance / (radius + self.outer))

    def _pressed(self, s: Floats, t: Floats) -> Floats:
        """How far from the bone points come to lie that lie so far along it and across it (t above 0: on the inner side)."""
        full = _FULL * self.radius + np.maximum(np.abs(s) - self.half, 0) * self._opens
        free = full * self._kept
        beyond, room = np.maximum(t - free, 0), full - free
        return np.where(t > free, free + room * beyond / (beyond + room), t)

    def put(self, points: Floats) -> tuple[Floats, Floats]:
        """Where points [n, 2] of the straight limb come, and by how much what is there turns [n] (radians)."""
        along, across = np.array(self.way), np.array([-self.way[1], self.way[0]])
        off = points - self.joint
        s, t = off @ along, off @ across
        if self.angle == 0:
            return np.array(points), np.zeros(len(points))
        half, angle = self.half, self.angle
        t = self._pressed(s, t) if angle > 0 else -self._pressed(s, -t)
        turned = np.clip((s + half) / (2 * half), 0, 1) * angle
        # The middle line: straight, then on the circle about (-half, bow), then straight again.
        bow = 2 * half / angle
        on = np.clip(s, -half, half) + half
        x = np.where(s <= -half, s, -half + bow * np.sin(on / bow))
        y = np.where(s <= -half, 0.0, bow * (1 - np.cos(on / bow)))
        beyond = np.maximum(s - half, 0)
        x, y = x + beyond * math.cos(angle), y + beyond * math.sin(angle)
        x, y = x - t * np.sin(turned), y + t * np.cos(turned)
        found: Floats = np.asarray(self.joint) + x[:, None] * along + y[:, None] * across
        return found, turned


def bend_of(joint: Floats, pivot: Floats, tip: Floats, outline: Floats, degrees: float) -> Bend:
    """How a limb from its pivot to its tip bends at its joint; outline [n, 2] are points of it, densely. All in one unit."""
    degrees = min(max(degrees, -MOST_BENT), MOST_BENT)
    way = tip - pivot
    length = float(np.hypot(*way))
    way = way / length if length > 0 else np.array([1.0, 0.0])
    angle = math.radians(degrees)
    off = outline - joint
    s, t = off @ way, off @ np.array([-way[1], way[0]])
    reach = min(abs(float((joint - pivot) @ way)), abs(float((tip - joint) @ way)))
    # The inner side is that towards which it bends.
    inner = t if degrees >= 0 else -t
    near = np.abs(s) <= max(reach * _LONGEST, 1e-9)
    width = float(inner[near].max(initial=0.0))
    wanted = _room(angle) * max(width, length / 1000)
    half = min(wanted * abs(angle) / 2, max(reach * _LONGEST, 1e-9))
    sides = float(inner.max(initial=0.0)), float((-inner).max(initial=0.0))
    return Bend(
        (float(joint[0]), float(joint[1])), (float(way[0]), float(way[1])), wanted, max(half, 1e-9), angle, *sides
    )


def subdivided(rings: list[Floats], bend: Bend, step: float) -> list[Floats]:
    """Closed outlines with points at most ``step`` apart where they cross the arc; the same edge of two outlines gets the same points."""
    found = []
    for ring in rings:
        after = np.roll(ring, -1, axis=0)
        lengths = np.hypot(*(after - ring).T)
        s0, s1 = (ring - bend.joint) @ np.array(bend.way), (after - bend.joint) @ np.array(bend.way)
        touches = (np.minimum(s0, s1) < bend.reach) & (np.maximum(s0, s1) > -bend.reach)
        counts = np.where(touches, np.ceil(lengths / step), 1).astype(int)
        pieces = []
        for a, b, count in zip(ring, after, np.maximum(counts, 1), strict=True):
            if count == 1:
                pieces.append(a[None])
                continue
            # From the same end in either direction.
            first, last, turned = (a, b, False) if tuple(a) <= tuple(b) else (b, a, True)
            shares = np.arange(1, count)[:, None] / count
            inner = first + shares * (last - first)
            pieces.append(np.concatenate([a[None], inner[::-1] if turned else inner]))
        found.append(np.concatenate(pieces))
    return found
