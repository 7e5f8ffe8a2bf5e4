"""A limb that bends: what lies along its bone goes along an arc about the inner side of its joint, so that nothing folds over itself."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

#: Degrees that a limb bends at most.
MOST_BENT = 170.0
#: The arc's radius, in half widths of the limb: a little is left of the inner side.
_ROOM = 1.08
#: Share of the shorter bone that the arc takes at most.
_LONGEST = 0.98


@dataclass(frozen=True, slots=True)
class Bend:
    """How a limb bends: the joint and the unit way of its bone (x, y), the radius of the arc and how far from the joint it begins and ends, and the
    angle (radians, anticlockwise above 0)."""

    joint: tuple[float, float]
    way: tuple[float, float]
    radius: float
    half: float
    angle: float

    def put(self, points: Floats) -> tuple[Floats, Floats]:
        """Where points [n, 2] of the straight limb come, and by how much what is there turns [n] (radians)."""
        along, across = np.array(self.way), np.array([-self.way[1], self.way[0]])
        off = points - self.joint
        s, t = off @ along, off @ across
        if self.angle == 0:
            return np.array(points), np.zeros(len(points))
        half, angle = self.half, self.angle
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
    wanted = _ROOM * max(width, length / 1000)
    half = min(wanted * abs(angle) / 2, max(reach * _LONGEST, 1e-9))
    return Bend((float(joint[0]), float(joint[1])), (float(way[0]), float(way[1])), wanted, max(half, 1e-9), angle)


def subdivided(rings: list[Floats], bend: Bend, step: float) -> list[Floats]:
    """Closed outlines with points at most ``step`` apart where they cross the arc; the same edge of two outlines gets the same points."""
    found = []
    for ring in rings:
        after = np.roll(ring, -1, axis=0)
        lengths = np.hypot(*(after - ring).T)
        s0, s1 = (ring - bend.joint) @ np.array(bend.way), (after - bend.joint) @ np.array(bend.way)
        touches = (np.minimum(s0, s1) < bend.half) & (np.maximum(s0, s1) > -bend.half)
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
