"""A shot at a time: plain values, exact, and what stands still untouched."""

import unittest
from fractions import Fraction

from zeitbild.document.evaluate import evaluate, time_of
from zeitbild.document.shot import Timing
from zeitbild.elements.solid import Solid
from zeitbild.testing import small_shot
from zeitbild.timing import turned_degrees
from zeitbild.values import Turn


def _start(frame: int | Fraction, **turn: object) -> float:
    shot = small_shot(elements=(Solid(id="a", turn=Turn(**turn)),), timing=Timing(last=12))  # type: ignore[arg-type]
    plain = evaluate(shot, time_of(shot, frame)).elements[0].turn
    assert plain.turns == 0
    return float(plain.start)


class Evaluate(unittest.TestCase):
    def test_turns_become_degrees_that_they_begin_with(self) -> None:
        self.assertEqual(_start(4, turns=1), 90)
        self.assertEqual(_start(4, turns=1, start=30), 120)
        self.assertEqual(_start(4, turns=-1, start=-30), 240)
        # A cycle: one frame more is the first again, to the bit.
        self.assertEqual(_start(13, turns=7, start=0.1), _start(1, turns=7, start=0.1))
        # Moments of an open shutter lie between frames, and before the first.
        self.assertEqual(_start(Fraction(5, 2), turns=1), 45)
        self.assertEqual(_start(Fraction(1, 2), turns=1), 345)

    def test_thirds_are_exact(self) -> None:
        self.assertEqual(turned_degrees(Fraction(1), Fraction(1, 3), Fraction(240)), 0)
        self.assertEqual(_start(5, turns=0.3, start=Fraction(36)), 72)

    def test_what_stands_is_the_same_object_and_the_result_is_at_rest(self) -> None:
        still, turning = Solid(id="a"), Solid(id="b", turn=Turn(turns=1))
        shot = small_shot(elements=(still, turning))
        plain = evaluate(shot, time_of(shot, 3))
        self.assertIs(plain.elements[0], still)
        self.assertIs(evaluate(plain, time_of(plain, 5)), plain)
        alone = small_shot(elements=(still,))
        self.assertIs(evaluate(alone, time_of(alone, 3)), alone)

    def test_times_tell_seconds_and_phase_exactly(self) -> None:
        shot = small_shot(timing=Timing(rate="24000/1001", first=10, last=33))
        time = time_of(shot, 34)
        self.assertEqual((time.seconds, time.phase), (Fraction(1001, 1000), 0))
        self.assertEqual(time_of(shot, 22).phase, Fraction(1, 2))
