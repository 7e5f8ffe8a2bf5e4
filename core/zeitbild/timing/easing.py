"""How a value goes from one key to the next: the share of the way by the share of the time, both 0 at the first key and 1 at the next.

Gentle ways and free curves are cubic Beziers through (0, 0) and (1, 1), as CSS Easing Functions Level 1 has them; at a strength of 0.42
the gentle ones are its ease-in, ease-out and ease-in-out.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from fractions import Fraction
from functools import lru_cache
from typing import Literal, get_args

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


def _polynomial(first: float, second: float) -> tuple[float, float, float]:
    """Of a cubic Bezier from 0 to 1 with these two inner values: what goes with t^3, t^2 and t."""
    return 1 + 3 * (first - second), 3 * (second - 2 * first), 3 * first


def _root(first: float, second: float, share: float) -> float:
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


@lru_cache(maxsize=65536)
def bezier(handles: Handles, share: float) -> float:
    """Share of the way at a share of the time (any; beyond 0..1 the curve goes on along its tangents) on a cubic Bezier."""
    x1, y1, x2, y2 = handles
    if share < 0:
        return share * (y1 / x1 if x1 > 0 else (y2 / x2 if y1 == 0 and x2 > 0 else 0.0))
    if share > 1:
        run, rise = 1 - x2, 1 - y2
        if run <= 0 and rise == 0:
            run, rise = 1 - x1, 1 - y1
        return 1 + (share - 1) * (rise / run if run > 0 else 0.0)
    if share in (0, 1):
        return share
    at = _root(x1, x2, share)
    a, b, c = _polynomial(y1, y2)
    return ((a * at + b) * at + c) * at


def _bounce(share: float, strength: float) -> float:
    """What falls, and comes up again at ``strength`` of its speed: gravity's parabolas, four bounces, then rest."""
    if share >= 1:
        return 1.0
    times = [1.0, *(2 * strength**count for count in range(1, _BOUNCES + 1))]
    at, keeps = share * sum(times), 1.0
    if at <= 1:
        return at * at
    at -= 1
    for count, time in enumerate(times[1:], 1):
        keeps = strength**count
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


def share_of_way(way: Way, strength: float, handles: Handles) -> Callable[[float], float]:
    """The function that gives the share of the way at a share of the time in 0..1. ``strength`` lies in 0..1."""
    if way == "hold":
        return lambda share: 0.0 if share < 1 else 1.0
    if way == "straight":
        return lambda share: share
    if way == "bounce":
        return lambda share: _bounce(share, strength)
    curve = handles_of(way, strength, handles)
    return lambda share: bezier(curve, share)


def waves(times: float, numerator: int, denominator: int, begins: float) -> float:
    """Sine (-1..1) of a wave that goes ``times`` often over the range, at the phase numerator / denominator of it.

    ``begins`` is where it begins, in waves. Whole, half and quarter waves are exact.
    """
    at = (Fraction(str(times)) * Fraction(numerator, denominator) + Fraction(str(begins))) % 1
    quarter, rest = divmod(at * 4, 1)
    turned = float(rest) * math.pi / 2
    return (math.sin, math.cos, lambda x: -math.sin(x), lambda x: -math.cos(x))[int(quarter)](turned)
