"""Where rays of pixels go."""

import unittest

import numpy as np
from numpy.typing import NDArray
from scipy.stats import qmc

from zeitbild.render.rays.patterns import SQUARE, _shared_net, sobol


def _is_net(points: NDArray[np.float64]) -> bool:
    """Whether each elementary box of the unit square, however wide for its height, has one of 2^k points in it: a (0, k, 2)-net (Niederreiter 1987,
    Point sets and sequences with small discrepancy)."""
    count = len(points)
    digits = count.bit_length() - 1
    for wide in range(digits + 1):
        across, down = 1 << wide, 1 << (digits - wide)
        boxes = np.floor(points[:, 0] * across) * down + np.floor(points[:, 1] * down)
        if len(np.unique(boxes)) < count:
            return False
    return True


class Sequence(unittest.TestCase):
    def test_its_points_are_those_that_another_library_has(self) -> None:
        """scipy puts them in the order of a Gray code, and at the corners of their cells."""
        theirs = qmc.Sobol(4, scramble=False).random_base2(10)
        place = np.arange(1024)
        ours = sobol(1024, 4) - 0.5 / 1024
        np.testing.assert_array_equal(ours[place ^ (place >> 1)], theirs)
        np.testing.assert_array_equal(sobol(1024), sobol(1024, 4)[:, :2])


class SharedNets(unittest.TestCase):
    def test_what_a_pixel_a_ray_and_a_square_have_is_as_even_as_it_can_be(self) -> None:
        for rays in (1, 2, 4, 8, 16, 32, 64):
            points = _shared_net(rays)[:, :2].reshape(SQUARE, rays, 2)
            self.assertTrue(((points >= 0) & (points < 1)).all())
            firsts = [1 << bit for bit in range(rays.bit_length())]
            with self.subTest(rays=rays):
                for first in firsts:
                    for own in points:
                        self.assertTrue(_is_net(own[:first]), f"a pixel's first {first}")
                    self.assertTrue(_is_net(points[:, :first].reshape(-1, 2)), f"the first {first} of all")
                for ordinal in range(rays):
                    self.assertTrue(_is_net(points[:, ordinal]), f"ray {ordinal} of all")

    def test_the_first_of_them_lean_to_no_side(self) -> None:
        for rays in (32, 64):
            points = _shared_net(rays)[:, :2].reshape(SQUARE, rays, 2)
            for first in (16, 32, rays):
                middle = points[:, :first].reshape(-1, 2).mean(axis=0)
                self.assertLess(float(np.abs(middle - 0.5).max()), 0.002, (rays, first))


if __name__ == "__main__":
    unittest.main()
