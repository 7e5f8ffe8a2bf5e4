"""How light is spread, on pictures of which it is known."""

import unittest

import numpy as np

from zeitbild.colour import decode
from zeitbild.proof.histogram import BINS, histogram
from zeitbild.render import Picture


def _picture(*pixels: tuple[float, float, float, float]) -> Picture:
    return Picture(np.array([pixels], np.float32), np.zeros((1, len(pixels)), np.float32))


class Spread(unittest.TestCase):
    def test_every_solid_pixel_falls_into_the_bin_of_its_encoded_value(self) -> None:
        for value in (0.0, 0.1, 0.5, 0.9, 0.999):
            linear = float(decode(np.array([value]))[0])
            found = histogram(_picture((linear, 0, 0, 1)))
            self.assertEqual(int(np.argmax(found.red)), min(BINS - 1, int(value * BINS + 1e-4)), value)
            self.assertEqual(sum(found.red), 1)

    def test_colour_is_straight_whatever_alpha_is(self) -> None:
        # A half covered pixel of full red is full red.
        whole, half = (histogram(_picture((alpha, 0, 0, alpha))) for alpha in (1.0, 0.6))
        self.assertEqual(whole.red, half.red)

    def test_what_is_less_than_half_solid_does_not_count(self) -> None:
        found = histogram(_picture((0.4, 0.4, 0.4, 0.4), (0.2, 0.2, 0.2, 1), (0, 0, 0, 0), (0, 0, 0, 0)))
        self.assertEqual(found.solid, 0.25)
        self.assertEqual(sum(found.green), 1)

    def test_burnt_and_black_are_counted_apart(self) -> None:
        found = histogram(_picture((2, 2, 2, 1), (2, 0.1, 0.1, 1), (0, 0, 0, 1), (0.3, 0.3, 0.3, 1)))
        self.assertEqual((found.burnt, found.one_burnt, found.black), (0.25, 0.5, 0.25))
        # What is beyond white stands in the last bin, so that nothing is lost.
        self.assertEqual(found.red[-1], 0.5)

    def test_white_itself_is_not_burnt(self) -> None:
        self.assertEqual(histogram(_picture((1, 1, 1, 1))).burnt, 0)

    def test_nothing_solid_is_nothing(self) -> None:
        found = histogram(_picture((0, 0, 0, 0)))
        self.assertEqual((found.solid, sum(found.red), found.burnt), (0, 0, 0))
