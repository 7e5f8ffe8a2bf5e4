"""Parallel loops as kernels that take stretches: they do what the loop did."""

import unittest
from collections.abc import Callable
from typing import Any

import numpy as np
from numba import prange
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL, parallel_kernel
from zeitbild.parallel_loops import loop_of_stretches


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


def _ends_otherwise(numbers: NDArray[np.int64], out: NDArray[np.int64]) -> None:
    total = 0
    for row in prange(numbers.shape[0]):
        total += numbers[row, 0]
    out[0] = total


def _changes(numbers: NDArray[np.int64], out: NDArray[np.int64]) -> None:
    total = 0
    for row in prange(numbers.shape[0]):
        total += numbers[row, 0]


def _begins_later(numbers: NDArray[np.int64], out: NDArray[np.int64]) -> None:
    for row in prange(1, numbers.shape[0]):
        out[row] = numbers[row, 0]


def _times(factor: int) -> Callable[..., None]:
    def scaled(numbers: NDArray[np.int64], out: NDArray[np.int64]) -> None:
        for row in prange(numbers.shape[0]):
            out[row] = factor * numbers[row, 0]

    return scaled


class Stretches(unittest.TestCase):
    def setUp(self) -> None:
        self.stretches: list[Any] = []

    def _split(self, function: Any) -> Any:
        def compiled(body: Any) -> Any:
            self.stretches.append(body)
            return body

        return loop_of_stretches(function, compiled)

    def test_they_do_what_the_loop_did(self) -> None:
        for rows in (0, 1, 7, 59, 60, 61, 1000):
            numbers = np.random.default_rng(rows).integers(0, 4, (rows, 7))
            wanted, found, compiled = np.full(rows, -1), np.full(rows, -1), np.full(rows, -1)
            _sums(numbers, wanted)
            self._split(_sums)(numbers, found)
            np.testing.assert_array_equal(found, wanted)
            with PARALLEL:
                parallel_kernel(_sums)(numbers, compiled)
            np.testing.assert_array_equal(compiled, wanted)

    def test_they_stand_where_the_loop_does(self) -> None:
        split = self._split(_sums)
        self.assertEqual(len(self.stretches), 1)
        for one in (split, *self.stretches):
            # Where tracebacks and caches look.
            self.assertEqual(one.__code__.co_filename, _sums.__code__.co_filename)
            self.assertEqual(one.__module__, _sums.__module__)
        self.assertEqual(split.__doc__, _sums.__doc__)

    def test_what_does_not_end_in_such_a_loop_stays_as_it_is(self) -> None:
        self.assertIs(self._split(_ends_otherwise), _ends_otherwise)
        self.assertEqual(self.stretches, [])

    def test_loops_that_cannot_be_taken_apart_are_refused(self) -> None:
        with self.assertRaisesRegex(ValueError, "_changes: a parallel loop may not change total"):
            self._split(_changes)
        with self.assertRaisesRegex(ValueError, "_begins_later: a parallel loop counts from zero"):
            self._split(_begins_later)

    def test_variants_that_capture_other_numbers_have_names_of_their_own(self) -> None:
        numbers, found = np.array([[1], [2]]), np.zeros((2, 2), np.int64)
        variants = [self._split(_times(factor)) for factor in (3, 5)]
        for variant, out in zip(variants, found, strict=True):
            variant(numbers, out)
        self.assertEqual(found.tolist(), [[3, 6], [5, 10]])
        self.assertEqual(len({one.__qualname__ for one in (*variants, *self.stretches)}), 4)
