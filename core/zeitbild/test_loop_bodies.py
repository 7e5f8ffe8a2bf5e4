"""Bodies of parallel loops as functions of their own: they do what the loop did."""

import unittest
from collections.abc import Callable
from typing import Any
from unittest import mock

import numpy as np
from numba import prange
from numpy.typing import NDArray

from zeitbild import loop_bodies
from zeitbild.loop_bodies import body_and_loop


def _sums(numbers: NDArray[np.int64], out: NDArray[np.int64]) -> None:
    """Sums of rows that begin with something, without what is odd."""
    width = numbers.shape[1]
    for row in prange(numbers.shape[0]):
        if numbers[row, 0] == 0:
            continue
        total = 0
        for column in range(width):
            if numbers[row, column] % 2:
                continue
            total += numbers[row, column]
        out[row] = total


def _counts(numbers: NDArray[np.int64], out: NDArray[np.int64]) -> None:
    total = 0
    for row in prange(numbers.shape[0]):
        total += numbers[row, 0]
    out[0] = total


def _changes(numbers: NDArray[np.int64], out: NDArray[np.int64]) -> None:
    total = 0
    for row in prange(numbers.shape[0]):
        total += numbers[row, 0]


def _times(factor: int) -> Callable[..., None]:
    def scaled(numbers: NDArray[np.int64], out: NDArray[np.int64]) -> None:
        for row in prange(numbers.shape[0]):
            out[row] = factor * numbers[row, 0]

    return scaled


class LoopBodies(unittest.TestCase):
    def setUp(self) -> None:
        small = mock.patch.object(loop_bodies, "_LARGE", 1)
        small.start()
        self.addCleanup(small.stop)
        self.bodies: list[Any] = []

    def _split(self, function: Any) -> Any:
        def compiled(body: Any) -> Any:
            self.bodies.append(body)
            return body

        return body_and_loop(function, compiled)

    def test_they_do_what_the_loop_did(self) -> None:
        numbers = np.random.default_rng(3).integers(0, 4, (40, 7))
        wanted, found = np.full(40, -1), np.full(40, -1)
        _sums(numbers, wanted)
        split = self._split(_sums)
        split(numbers, found)
        np.testing.assert_array_equal(found, wanted)
        self.assertEqual(len(self.bodies), 1)
        self.assertEqual(split.__doc__, _sums.__doc__)
        # Where tracebacks and caches look.
        self.assertEqual(split.__code__.co_filename, _sums.__code__.co_filename)

    def test_what_is_small_or_ends_otherwise_stays_as_it_is(self) -> None:
        self.assertIs(self._split(_counts), _counts)
        with mock.patch.object(loop_bodies, "_LARGE", 10_000):
            self.assertIs(self._split(_sums), _sums)
        self.assertEqual(self.bodies, [])

    def test_a_loop_that_changes_what_was_there_before_is_refused(self) -> None:
        with self.assertRaisesRegex(ValueError, "_changes: a parallel loop may not change total"):
            self._split(_changes)

    def test_variants_that_capture_other_numbers_have_names_of_their_own(self) -> None:
        numbers, found = np.array([[1], [2]]), np.zeros((2, 2), np.int64)
        variants = [self._split(_times(factor)) for factor in (3, 5)]
        for variant, out in zip(variants, found, strict=True):
            variant(numbers, out)
        self.assertEqual(found.tolist(), [[3, 6], [5, 10]])
        self.assertEqual(len({one.__qualname__ for one in (*variants, *self.bodies)}), 4)
