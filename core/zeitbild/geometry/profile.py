"""Bevel profiles: how far the contour has moved in, and how high it stands, along the bevel."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

ProfileName = Literal["flat", "round", "hollow", "stepped"]


@dataclass(frozen=True, slots=True)
class Segment:
    """One strip of a bevel between two contours.

    inset and rise are fractions of the bevel's width and height, from the side wall (0, 0) to the face (1, 1); normal
    is (outward, up) at each end, unit length.
    """

    inset: tuple[float, float]
    rise: tuple[float, float]
    normal: tuple[tuple[float, float], tuple[float, float]]

    @property
    def is_wall(self) -> bool:
        """True for an upright strip, whose two contours are the same."""
        return self.inset[0] == self.inset[1]


def _flat(steps: int, slope: float) -> list[Segment]:
    length = math.hypot(1, slope)
    normal = (slope / length, 1 / length)
    ends = [(k / steps, (k + 1) / steps) for k in range(steps)]
    return [Segment(end, end, (normal, normal)) for end in ends]


def _quarter(steps: int, slope: float, hollow: bool) -> list[Segment]:
    def at(k: int) -> tuple[float, float, tuple[float, float]]:
        angle = math.pi / 2 * k / steps
        sine, cosine = (math.sin(angle), math.cos(angle)) if k < steps else (1.0, 0.0)
        inset, rise = (sine, 1 - cosine) if hollow else (1 - cosine, sine)
        # The normal stands across the tangent (d inset, d rise), stretched by the bevel's height over its width.
        outward, up = (sine * slope, cosine) if hollow else (cosine * slope, sine)
        length = math.hypot(outward, up)
        return inset, rise, (outward / length, up / length)

    points = [at(k) for k in range(steps + 1)]
    return [Segment((a[0], b[0]), (a[1], b[1]), (a[2], b[2])) for a, b in zip(points, points[1:], strict=False)]


def _stepped(steps: int) -> list[Segment]:
    segments = []
    for k in range(steps):
        low, high = k / steps, (k + 1) / steps
        segments.append(Segment((low, low), (low, high), ((1, 0), (1, 0))))
        segments.append(Segment((low, high), (high, high), ((0, 1), (0, 1))))
    return segments


_PROFILES: dict[str, Callable[[int, float], list[Segment]]] = {
    "flat": _flat,
    "round": lambda steps, slope: _quarter(steps, slope, hollow=False),
    "hollow": lambda steps, slope: _quarter(steps, slope, hollow=True),
    "stepped": lambda steps, slope: _stepped(steps),
}


def bevel_profile(name: ProfileName, steps: int, slope: float) -> list[Segment]:
    """Strips from the side wall to the face; ``slope`` is the bevel's height over its width, ``steps`` is 1 or more."""
    return _PROFILES[name](steps, slope)
