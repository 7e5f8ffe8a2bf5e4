"""Seams of flat faces: shorter, over the same area."""

from __future__ import annotations

import unittest

import manifold3d
import numpy as np
from numpy.typing import NDArray

from zeitbild.geometry.seams import shortened

Floats = NDArray[np.float64]
Triangles = NDArray[np.int64]


def _areas(points: Floats, triangles: Triangles) -> Floats:
    a, b, c = (points[triangles[:, corner]] for corner in range(3))
    return np.asarray(((b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]) / 2)


def _edges(triangles: Triangles) -> dict[tuple[int, int], int]:
    """How many triangles have each edge, whichever way."""
    found: dict[tuple[int, int], int] = {}
    for triangle in triangles.tolist():
        for one, other in zip(triangle, [*triangle[1:], triangle[0]], strict=True):
            found[min(one, other), max(one, other)] = found.get((min(one, other), max(one, other)), 0) + 1
    return found


def _length(points: Floats, triangles: Triangles) -> float:
    inner = [edge for edge, count in _edges(triangles).items() if count == 2]
    return float(sum(np.hypot(*(points[a] - points[b])) for a, b in inner))


def _ring(count: int, radius: float, seed: int, waves: int = 5) -> Floats:
    chance = np.random.default_rng(seed)
    turn = np.sort(chance.uniform(0, 2 * np.pi, count))
    far = radius * (1 + 0.3 * np.sin(waves * turn)) + 0.01 * chance.normal(size=count)
    return np.stack([far * np.cos(turn), far * np.sin(turn)], axis=1)


class Seams(unittest.TestCase):
    def _check(self, rings: list[Floats]) -> float:
        """Seams of what rings enclose afterwards, as a share of what they were."""
        points = np.concatenate(rings)
        before = np.asarray(manifold3d.triangulate(rings, 1e-9), np.int64).reshape(-1, 3)
        kept = before.copy()
        after = shortened(points, before)
        np.testing.assert_array_equal(before, kept)
        self.assertEqual(before.shape, after.shape)
        self.assertAlmostEqual(float(_areas(points, before).sum()), float(_areas(points, after).sum()), 9)
        self.assertGreaterEqual(float(_areas(points, after).min()), min(0.0, float(_areas(points, before).min())))
        for count in (1, 2):
            own = [{edge for edge, many in _edges(one).items() if many == count} for one in (before, after)]
            self.assertEqual(len(own[0]), len(own[1]))
            if count == 1:
                self.assertEqual(own[0], own[1])
        was, is_now = _length(points, before), _length(points, after)
        self.assertLessEqual(is_now, was + 1e-9)
        return is_now / was if was else 1.0

    def test_the_same_area_and_rim_with_shorter_seams(self) -> None:
        for count in (3, 4, 5, 17, 90, 700):
            for seed in range(4):
                with self.subTest(count=count, seed=seed):
                    share = self._check([_ring(count, 1.0, seed)])
                    if count >= 90:
                        self.assertLess(share, 0.75)

    def test_with_holes(self) -> None:
        for seed in range(4):
            self._check([_ring(120, 1.0, seed), _ring(60, 0.3, seed + 9, 3)[::-1]])

    def test_a_square_and_points_in_one_line(self) -> None:
        square = np.array([[0.0, 0], [4, 0], [4, 1], [0, 1]])
        # Either diagonal is as long as the other.
        self.assertAlmostEqual(1.0, self._check([square]))
        along = np.array([[0.0, 0], [1, 0], [2, 0], [3, 0], [3, 1], [2, 1], [1, 1], [0, 1]])
        self._check([along])
        fan = np.array([[0, 1, 7], [1, 2, 7], [2, 3, 7], [3, 4, 7], [4, 5, 7], [5, 6, 7]])
        # Three squares, each with its diagonal, and the two seams between them.
        self.assertAlmostEqual(2 + 3 * 2**0.5, _length(along, shortened(along, fan)), 9)

    def test_nothing_and_one(self) -> None:
        points = np.array([[0.0, 0], [1, 0], [0, 1]])
        self.assertEqual((0, 3), shortened(points, np.empty((0, 3), np.int64)).shape)
        np.testing.assert_array_equal([[0, 1, 2]], shortened(points, np.array([[0, 1, 2]])))
