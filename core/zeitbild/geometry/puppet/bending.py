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
#: Pieces that outlines are cut into within the arc at most, and beyond it, on either side.
_MOST_CUTS, _CUTS_BEYOND = 128, 48


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

    def cuts(self, tolerance: float, farthest: float) -> Floats:
        """How far along the bone from the joint outlines are to have points, rising [n], so that their chords are as near as that once they are
        bent; nothing of them is farther away than ``farthest``."""
        # A chord of a circle is off by its length squared over eight radii; the outer side has the longest. Half as long as they may be: what is
        # bent otherwise in an open shutter has the same points.
        turn = math.sqrt(8 * tolerance / (self.radius + max(self.inner, self.outer))) / 2
        count = min(max(math.ceil(abs(self.angle) / turn), 1), _MOST_CUTS)
        found = np.linspace(-self.half, self.half, count + 1)
        end = min(self.reach, farthest)
        if end > self.half:
            # What is pressed together is a curve that is away from a line by as much as that, at most.
            pressed = self.inner - self._kept * _FULL * self.radius
            pieces = min(max(math.ceil(math.sqrt(pressed / tolerance)), 1), _CUTS_BEYOND)
            beyond = np.linspace(self.half, end, pieces + 1)[1:]
            found = np.concatenate([-beyond[::-1], found, beyond])
        return found

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


def subdivided(rings: list[Floats], bend: Bend, tolerance: float) -> list[Floats]:
    """Closed outlines with points enough where they cross what bends; the same edge of two outlines gets the same points."""
    way, joint = np.array(bend.way), np.array(bend.joint)
    along = [(ring - joint) @ way for ring in rings]
    cuts = bend.cuts(tolerance, max((float(np.abs(one).max()) for one in along if len(one)), default=0.0))
    found = []
    for ring, s in zip(rings, along, strict=True):
        after, s_after = np.roll(ring, -1, axis=0), np.roll(s, -1)
        # Of each edge the cuts between its ends.
        begins = np.searchsorted(cuts, np.minimum(s, s_after), side="right")
        ends = np.searchsorted(cuts, np.maximum(s, s_after), side="left")
        if not (ends > begins).any():
            found.append(ring)
            continue
        pieces = []
        for a, b, s0, s1, begin, end in zip(ring, after, s, s_after, begins, ends, strict=True):
            pieces.append(a[None])
            if end > begin:
                # From the same end in either direction.
                first, last, from_, to = (a, b, s0, s1) if tuple(a) <= tuple(b) else (b, a, s1, s0)
                inner = first + ((cuts[begin:end] - from_) / (to - from_))[:, None] * (last - first)
                pieces.append(inner if s0 < s1 else inner[::-1])
        found.append(np.concatenate(pieces))
    return found
