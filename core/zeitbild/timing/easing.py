"""How a value goes from one key to the next: the share of the way by the share of the time, both 0 at the first key and 1 at the next.

Gentle ways and free curves are cubic Beziers through (0, 0) and (1, 1), as CSS Easing Functions Level 1 has them; at a strength of 0.42
the gentle ones are its ease-in, ease-out and ease-in-out.
"""

from __future__ import annotations

import math
from fractions import Fraction
from typing import Literal, get_args

from zeitbild.kernels import kernel

Way = Literal["hold", "straight", "gentle start", "gentle end", "gentle", "free", "past", "bounce"]
WAYS: tuple[Way, ...] = get_args(Way)
#: Of the usual gentle way (CSS Easing Functions), and the handles of the same.
STRENGTH = 0.42
#: Two handles of a free curve: time and value of the first, then of the second. Times lie in 0..1.
Handles = tuple[float, float, float, float]
HANDLES: Handles = (0.42, 0.0, 0.58, 1.0)

#: How often a bouncing value comes up again before it rests.
_BOUNCES = 4
#: How far a value at full strength goes past, by the number in its polynomial: a tenth of the way at 1.70158.
_PAST = 4.05


#: What takes a way: one of its own, or a cubic Bezier.
HOLD, STRAIGHT, BOUNCE, CURVE = range(4)
_HOLD, _STRAIGHT, _BOUNCE = HOLD, STRAIGHT, BOUNCE


@kernel
def _polynomial(first, second):  # type: ignore[no-untyped-def]
    """Of a cubic Bezier from 0 to 1 with these two inner values: what goes with t^3, t^2 and t."""
    return 1 + 3 * (first - second), 3 * (second - 2 * first), 3 * first


@kernel
def _root(first, second, share):  # type: ignore[no-untyped-def]
    """Where the curve's time (its inner values lie in 0..1, so it rises) is ``share`` (0..1): the parameter, to the last bits."""
    a, b, c = _polynomial(first, second)
    low, high, at = 0.0, 1.0, share
    for _ in range(80):
        off = ((a * at + b) * at + c) * at - share
        if off == 0:
            return at
        low, high = (at, high) if off < 0 else (low, at)
        slope = (3 * a * at + 2 * b) * at + c
        # Newton's step where it stays between the bounds, which close in on the root in any case.
        step = at - off / slope if slope > 1e-9 else low
        before, at = at, step if low < step < high else (low + high) / 2
        if abs(at - before) <= 1e-16:
            break
    return at


@kernel
def on_curve(x1, y1, x2, y2, share):  # type: ignore[no-untyped-def]
    """``bezier`` with its handles one by one."""
    if share < 0:
        return share * (y1 / x1 if x1 > 0 else (y2 / x2 if y1 == 0 and x2 > 0 else 0.0))
    if share > 1:
        run, rise = 1 - x2, 1 - y2
        if run <= 0 and rise == 0:
            run, rise = 1 - x1, 1 - y1
        return 1 + (share - 1) * (rise / run if run > 0 else 0.0)
    if share == 0 or share == 1:
        return share
    at = _root(x1, x2, share)
    a, b, c = _polynomial(y1, y2)
    return ((a * at + b) * at + c) * at


@kernel
def lifted(x1, x2, first, second, share):  # type: ignore[no-untyped-def]
    """What handles that are drawn aside by ``first`` and ``second`` add to a value at a share of the time (any; beyond 0..1 along the
    tangents); x1 and x2 are the times of the handles. Nothing at 0 and 1."""
    if share < 0:
        return share * first / x1 if x1 > 0 else 0.0
    if share > 1:
        return (1 - share) * second / (1 - x2) if x2 < 1 else 0.0
    if share == 0 or share == 1:
        return 0.0
    at = _root(x1, x2, share)
    return 3 * (1 - at) * at * ((1 - at) * first + at * second)


def bezier(handles: Handles, share: float) -> float:
    """Share of the way at a share of the time (any; beyond 0..1 the curve goes on along its tangents) on a cubic Bezier."""
    return float(on_curve(*handles, float(share)))


@kernel
def _bounced(share, strength):  # type: ignore[no-untyped-def]
    """What falls, and comes up again at ``strength`` of its speed: gravity's parabolas, four bounces, then rest."""
    if share >= 1:
        return 1.0
    whole, keeps = 1.0, 1.0
    for _ in range(_BOUNCES):
        keeps *= strength
        whole += 2 * keeps
    at, keeps = share * whole, 1.0
    if at <= 1:
        return at * at
    at -= 1
    for _ in range(_BOUNCES):
        keeps *= strength
        time = 2 * keeps
        if at <= time:
            # Half the time up, half down; the height goes with the square of the speed.
            off = at - time / 2
            return 1 - (keeps * keeps - off * off)
        at -= time
    return 1.0


def past_handles(strength: float) -> Handles:
    """The curve that goes past its end: 1 + (s + 1)(t - 1)^3 + s (t - 1)^2 (Penner 2002), whose time is even."""
    return (1 / 3, 1 + _PAST * strength / 3, 2 / 3, 1.0)


def handles_of(way: Way, strength: float, handles: Handles) -> Handles:
    """The curve of a way that is one; ``handles`` are those of a free one."""
    if way == "past":
        return past_handles(strength)
    start, end = (strength, 0.0), (1.0 - strength, 1.0)
    return {
        "gentle start": (*start, 1.0, 1.0),
        "gentle end": (0.0, 0.0, *end),
        "gentle": (*start, *end),
    }.get(way, handles)


def split_curve(handles: Handles, share: float) -> tuple[Handles, Handles] | None:
    """A cubic Bezier cut at a share of the time (0..1, without its ends) into two, each on a way of its own (de Casteljau); None where one of
    them would go nowhere, so that no share of its way can be told, or have a handle outside of its time."""
    x1, y1, x2, y2 = handles
    at = float(_root(x1, x2, share))
    points = [(0.0, 0.0), (x1, y1), (x2, y2), (1.0, 1.0)]
    left, right = [points[0]], [points[-1]]
    while len(points) > 1:
        points = [
            (ax + (bx - ax) * at, ay + (by - ay) * at) for (ax, ay), (bx, by) in zip(points, points[1:], strict=False)
        ]
        left.append(points[0])
        right.append(points[-1])
    x, y = points[0]
    if min(abs(y), abs(1 - y)) < 1e-6:
        return None
    (ax, ay), (bx, by) = left[1], left[2]
    (dx, dy), (cx, cy) = right[1], right[2]
    before = ax / x, ay / y, bx / x, by / y
    after = (cx - x) / (1 - x), (cy - y) / (1 - y), (dx - x) / (1 - x), (dy - y) / (1 - y)
    return (before, after) if all(0 <= time <= 1 for time in (*before[::2], *after[::2])) else None


def numbers_of(way: Way, strength: float, handles: Handles) -> tuple[int, Handles]:
    """A way as ``share_on`` takes it: what takes it, and four numbers."""
    if way == "bounce":
        return BOUNCE, (strength, 0.0, 0.0, 0.0)
    return {"hold": HOLD, "straight": STRAIGHT}.get(way, CURVE), handles_of(way, strength, handles)


@kernel
def share_on(takes, a, b, c, d, share):  # type: ignore[no-untyped-def]
    """The share of the way at a share of the time in 0..1; the way as ``numbers_of`` gives it."""
    if takes == _HOLD:
        return 0.0 if share < 1 else 1.0
    if takes == _STRAIGHT:
        return share
    if takes == _BOUNCE:
        return _bounced(share, a)
    return on_curve(a, b, c, d, share)


def share_of_way(way: Way, strength: float, handles: Handles, share: float) -> float:
    """The share of the way at a share of the time in 0..1. ``strength`` lies in 0..1."""
    takes, numbers = numbers_of(way, strength, handles)
    return float(share_on(takes, *numbers, float(share)))


def waves(times: float, numerator: int, denominator: int, begins: float) -> float:
    """Sine (-1..1) of a wave that goes ``times`` often over the range, at the phase numerator / denominator of it.

    ``begins`` is where it begins, in waves. Whole, half and quarter waves are exact.
    """
    at = (Fraction(str(times)) * Fraction(numerator, denominator) + Fraction(str(begins))) % 1
    quarter, rest = divmod(at * 4, 1)
    turned = float(rest) * math.pi / 2
    return (math.sin, math.cos, lambda x: -math.sin(x), lambda x: -math.cos(x))[int(quarter)](turned)
