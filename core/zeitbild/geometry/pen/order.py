"""The order and the direction in which a hand writes strokes: as its script goes, from above, crossings and dots last."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from zeitbild.geometry.pen.strokes import Stroke

Floats = NDArray[np.float64]

#: A dot is smaller than this share of its letter in both directions.
_DOT = 0.34
#: A crossing is at least so much wider than high, and as wide as this share of its letter; it goes through another stroke at least so far from
#: the ends of both (shares of them), which serifs do not.
_FLAT, _WIDE, _THROUGH = 2.2, 0.28, 0.12


def directed(stroke: Stroke) -> Stroke:
    """A stroke as it is written: what is rather upright from above, what is rather level from the left, what closes from its upper right on
    against the clock."""
    points = stroke.points
    if stroke.closed:
        return _round(stroke)
    way = points[-1] - points[0]
    wide, high = np.ptp(points, axis=0)
    if high > wide:
        backwards = way[1] > 0
    else:
        backwards = way[0] < 0
    return stroke.turned_round() if backwards else stroke


def _round(stroke: Stroke) -> Stroke:
    points, radii = stroke.points[:-1], stroke.radii[:-1]
    after = np.roll(points, -1, axis=0)
    area = float((points[:, 0] * after[:, 1] - after[:, 0] * points[:, 1]).sum())
    if area < 0:
        points, radii = points[::-1], radii[::-1]
    start = int(np.argmax(points @ (0.45, 1.0)))
    points, radii = np.roll(points, -start, axis=0), np.roll(radii, -start)
    return Stroke(np.concatenate([points, points[:1]]), np.append(radii, radii[0]), stroke.piece)


def in_order(
    letters: Sequence[Sequence[Stroke]],
    *,
    last_of_word: bool,
    words: Sequence[int],
    leftwards: Sequence[bool] = (),
) -> list[Stroke]:
    """Strokes of letters (given in reading order, each of a word by its number) in the order of writing; leftwards tells of which letters the
    script goes to the left (empty: of none)."""
    found: list[Stroke] = []
    later: list[Stroke] = []
    for number, strokes in enumerate(letters):
        # What goes to the left is written as what goes to the right is, seen in a mirror.
        seen = _mirrored if leftwards and leftwards[number] else list
        own = [directed(one) for one in seen(strokes)]
        late = _late(own)
        first = [one for at, one in enumerate(own) if at not in late]
        found += seen(sorted(first, key=_comes))
        later += seen(sorted((own[at] for at in late), key=_comes))
        ends = number + 1 == len(letters) or words[number + 1] != words[number]
        if ends or not last_of_word:
            found += later
            later = []
    return found


def _mirrored(strokes: Iterable[Stroke]) -> list[Stroke]:
    return [replace(one, points=one.points * (-1.0, 1.0)) for one in strokes]


def _comes(stroke: Stroke) -> tuple[float, float]:
    """By where it begins, in steps that a hand cares about."""
    size = max(float(np.ptp(stroke.points, axis=0).max()), 1e-9)
    return round(float(stroke.points[:, 0].min()) / (0.25 * size)) * 0.25 * size, -float(stroke.points[0, 1])


def _late(strokes: Sequence[Stroke]) -> set[int]:
    """Dots and crossings of a letter."""
    if len(strokes) < 2:
        return set()
    points = np.concatenate([one.points for one in strokes])
    size = float(np.ptp(points, axis=0).max())
    found = set()
    for at, one in enumerate(strokes):
        wide, high = np.ptp(one.points, axis=0)
        dot = max(wide, high) < _DOT * size and not _touches(one, strokes, at)
        if dot or (wide > max(_FLAT * high, _WIDE * size) and _crosses(one, strokes, at)):
            found.add(at)
    return found if len(found) < len(strokes) else set()


def _nearest(one: Stroke, other: Stroke) -> tuple[float, float, float]:
    """How near two strokes come, and at which shares of their lengths."""
    away = np.hypot(*(one.points[:, None] - other.points[None]).transpose(2, 0, 1))
    first, second = np.unravel_index(int(away.argmin()), away.shape)
    return (
        float(away.min()),
        float(one.along[first] / max(one.length, 1e-12)),
        float(other.along[second] / max(other.length, 1e-12)),
    )


def _touches(one: Stroke, strokes: Sequence[Stroke], at: int) -> bool:
    return any(
        _nearest(one, other)[0] < float(one.radii.max() + np.median(other.radii))
        for number, other in enumerate(strokes)
        if number != at
    )


def _crosses(one: Stroke, strokes: Sequence[Stroke], at: int) -> bool:
    """Whether it goes through another stroke, somewhere in the inner parts of both."""
    for number, other in enumerate(strokes):
        if number == at:
            continue
        away, own, its = _nearest(one, other)
        inner = all(_THROUGH < share < 1 - _THROUGH for share in (own, its))
        upright = np.ptp(other.points[:, 1]) > np.ptp(other.points[:, 0])
        if inner and upright and away < float(one.radii.max()):
            return True
    return False
