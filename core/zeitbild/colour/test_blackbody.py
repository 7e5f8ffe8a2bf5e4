"""Colour of heat against published chromaticities."""

import unittest

import numpy as np

from zeitbild.colour import temperature_colour
from zeitbild.colour.blackbody import blackbody_xyz
from zeitbild.colour.srgb import LUMINANCE


class Blackbody(unittest.TestCase):
    def test_illuminant_a_is_where_the_standard_puts_it(self) -> None:
        # CIE 15: illuminant A, a black body at 2856 K (second radiation constant of today), x 0.4476, y 0.4074. The fitted
        # matching functions are right to about two thousandths.
        xyz = blackbody_xyz(2856)
        np.testing.assert_allclose(xyz[:2] / xyz.sum(), (0.4476, 0.4074), atol=0.002)

    def test_six_and_a_half_thousand_kelvin_is_white(self) -> None:
        np.testing.assert_allclose(temperature_colour(6500), 1, atol=1e-9)

    def test_hotter_is_bluer_and_all_are_equally_bright(self) -> None:
        ratios = []
        for kelvin in (1000, 1900, 2900, 4500, 6500, 10_000, 20_000):
            red, green, blue = temperature_colour(kelvin)
            self.assertGreaterEqual(min(red, green, blue), 0)
            self.assertAlmostEqual(red * LUMINANCE[0] + green * LUMINANCE[1] + blue * LUMINANCE[2], 1)
            ratios.append(blue / red)
        self.assertEqual(ratios, sorted(ratios))
