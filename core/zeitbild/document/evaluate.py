"""A shot at a time: a shot of plain values, in which nothing moves any more."""

from __future__ import annotations

from fractions import Fraction

from zeitbild.document.shot import Shot
from zeitbild.elements import ElementBase
from zeitbild.timing import Time, phase_of, turned_degrees
from zeitbild.values import Turn


def time_of(shot: Shot, frame: int | Fraction) -> Time:
    """The time of a frame of the shot, which may lie between two or outside its range."""
    timing = shot.timing
    seconds = Fraction(frame - timing.first) / timing.fraction
    return Time(Fraction(frame), seconds, phase_of(frame, timing.first, timing.last, timing.cycle), timing.fraction)


def evaluate(shot: Shot, time: Time) -> Shot:
    """The shot with the values that it has at a time; what stands still is the very same object.

    The result means the same at any time, so it can be evaluated again and stays what it is.
    """
    elements = tuple(_at_rest(element, time) for element in shot.elements)
    if all(now is before for now, before in zip(elements, shot.elements, strict=True)):
        return shot
    return shot.model_copy(update={"elements": elements})


def _at_rest(element: ElementBase, time: Time) -> ElementBase:
    turn = element.turn
    if not turn.turns:
        return element
    # Turns are typed in decimals: reading them as decimals keeps a third of a turn from becoming a binary near-miss.
    degrees = turned_degrees(Fraction(str(turn.turns)), time.phase, Fraction(str(turn.start)))
    return element.model_copy(update={"turn": Turn(turns=0, start=degrees, axis=turn.axis)})
