"""Half floats against numpy's own."""

import unittest

import numpy as np

from zeitbild.halves import LARGEST, as_half, widened


class Halves(unittest.TestCase):
    def test_every_half_and_what_lies_between_rounds_as_numpy_rounds_it(self) -> None:
        every = np.arange(1 << 16, dtype=np.uint16).view(np.float16).astype(np.float32)
        every = every[np.isfinite(every)]
        near = np.concatenate([np.nextafter(every, np.float32(np.inf)), np.nextafter(every, np.float32(-np.inf))])
        positive = np.sort(every[every >= 0])
        ties = (positive[1:] + positive[:-1]) / 2
        random = np.random.default_rng(1).uniform(-70000, 70000, 5000).astype(np.float32)
        for values in (every, near, ties, -ties, random, random * np.float32(1e-9)):
            with np.errstate(over="ignore"):
                expected = np.clip(values, -LARGEST, LARGEST).astype(np.float16)
            found = as_half(np.ascontiguousarray(values[None]))
            np.testing.assert_array_equal(found[0].view(np.uint16), expected.view(np.uint16))

    def test_columns_of_larger_arrays_and_nothing_below_zero(self) -> None:
        values = np.random.default_rng(2).normal(size=(7, 9, 3)).astype(np.float32)
        np.testing.assert_array_equal(as_half(values[..., 1]), values[..., 1].astype(np.float16))
        np.testing.assert_array_equal(
            as_half(values[..., 2], least_zero=True), np.maximum(values[..., 2], 0).astype(np.float16)
        )
        self.assertEqual(float(as_half(np.array([[1e9]], np.float32))[0, 0]), LARGEST)

    def test_every_half_becomes_the_single_float_that_numpy_makes_of_it(self) -> None:
        every = np.arange(1 << 16, dtype=np.uint16).view(np.float16).reshape(64, 256, 4)
        found, expected = widened(every), every.astype(np.float32)
        # Of what is no number numpy keeps other bits.
        np.testing.assert_array_equal(found, expected)
        there = ~np.isnan(expected)
        np.testing.assert_array_equal(found.view(np.uint32)[there], expected.view(np.uint32)[there])

    def test_they_stand_where_they_should_with_zero_around_them(self) -> None:
        halves = np.random.default_rng(3).normal(size=(3, 5, 2)).astype(np.float16)
        found = widened(halves, (7, 9), (2, 4))
        np.testing.assert_array_equal(found[2:5, 4:9], halves.astype(np.float32))
        found[2:5, 4:9] = 0
        self.assertFalse(found.any())
        # A part of a larger array.
        np.testing.assert_array_equal(widened(halves[:, 1:3]), halves[:, 1:3].astype(np.float32))
