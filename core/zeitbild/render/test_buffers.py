"""Arrays that go from one picture to the next never belong to two."""

import unittest

import numpy as np

from zeitbild.render import QUALITIES, render
from zeitbild.render.world.buffers import kept, lent
from zeitbild.testing import AMBIENT, quad, snapshot


class Lent(unittest.TestCase):
    def test_what_somebody_holds_is_not_lent_again(self) -> None:
        first = lent("test", (4, 4), np.float32)
        second = lent("test", (4, 4), np.float32)
        self.assertIsNot(first, second)
        third = lent("test", (4, 4), np.float32)
        self.assertIsNot(second, third)

    def test_what_nobody_holds_is_lent_again(self) -> None:
        place = lent("again", (8, 8), np.float32).ctypes.data
        self.assertEqual(lent("again", (8, 8), np.float32).ctypes.data, place)

    def test_a_part_of_it_counts_as_held(self) -> None:
        part = lent("part", (8, 8), np.float32)[2:, 1]
        part[:] = 7
        lent("part", (8, 8), np.float32)[:] = 0
        self.assertEqual(float(part.min()), 7)

    def test_another_shape_is_another_array(self) -> None:
        self.assertEqual(lent("shape", (2, 3), np.float32).shape, (2, 3))
        self.assertEqual(lent("shape", (3, 2), np.float32).shape, (3, 2))
        self.assertEqual(lent("shape", (3, 2), np.int32).dtype, np.int32)

    def test_kept_arrays_are_the_same_until_their_shape_changes(self) -> None:
        self.assertIs(kept("own", (5,), np.int32), kept("own", (5,), np.int32))
        self.assertIsNot(kept("own", (5,), np.int32), kept("own", (6,), np.int32))

    def test_a_picture_that_is_held_stays_as_it_was(self) -> None:
        white, small = snapshot(quad(2), lights=(AMBIENT,)), snapshot(quad(0.5), lights=(AMBIENT,))
        held = render(white, QUALITIES["rough"])
        before = held.beauty.copy(), held.depth.copy()
        for _ in range(3):
            render(small, QUALITIES["rough"])
        np.testing.assert_array_equal(held.beauty, before[0])
        np.testing.assert_array_equal(held.depth, before[1])
