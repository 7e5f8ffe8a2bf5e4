"""How far passes are from what they add up to, against numpy's own half floats."""

import unittest

import numpy as np

from zeitbild.differences import sum_difference
from zeitbild.halves import LARGEST


class Sums(unittest.TestCase):
    def test_the_largest_difference_and_where_it_is(self) -> None:
        rng = np.random.default_rng(7)
        for size in ((1, 1), (5, 3), (40, 67)):
            light = [
                [(rng.normal(size=size) * scale).astype(np.float16) for _ in range(3)] for scale in (1, 1e-6, 30, 0, 1)
            ]
            whole = [np.sum([one[k].astype(np.float32) for one in light], axis=0).astype(np.float16) for k in range(3)]
            at = tuple(rng.integers(0, side) for side in size)
            whole[1][at] += np.float16(5)
            sums = np.sum([[own.astype(float) for own in one] for one in light], axis=0)
            own = np.array(whole, float)
            off = (np.abs(sums - own) / np.maximum(np.abs(own), 1)).max(axis=0)
            found = sum_difference(light, whole, (slice(10, 99), slice(20, 99)))
            self.assertAlmostEqual(found.largest, float(off.max()), delta=1e-5)
            self.assertEqual(
                (found.y - 10, found.x - 20), tuple(int(one) for one in np.unravel_index(off.argmax(), size))
            )

    def test_every_half_float_is_what_it_is(self) -> None:
        every = np.arange(1 << 16, dtype=np.uint16).view(np.float16)
        every = every[np.isfinite(every)][None]
        nothing = np.zeros_like(every)
        self.assertEqual(float(np.abs(every.astype(float)).max()), LARGEST)
        found = sum_difference([[every]] + [[nothing]] * 4, [every])
        self.assertEqual(found.largest, 0)
        halved = (every.astype(float) / 2).astype(np.float16)
        off = np.abs(every.astype(float) - halved) / np.maximum(np.abs(halved.astype(float)), 1)
        self.assertAlmostEqual(
            sum_difference([[every]] + [[nothing]] * 4, [halved]).largest, float(off.max()), places=5
        )
