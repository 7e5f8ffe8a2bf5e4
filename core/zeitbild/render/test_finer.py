"""Which pixels are cut into cells, and what their places take over, on small arrays worked out by hand."""

import unittest

import numpy as np

from zeitbild.kernels import PARALLEL
from zeitbild.render.visible.edge_kernel import ADDED
from zeitbild.render.visible.finer import bends_of, find_busy, fit_shares
from zeitbild.render.visible.polygons import clipped_area
from zeitbild.render.visible.visibility import Fragments

LIMIT = np.float32(6 / 255)
GLOSSY = np.full((3, 3), 0.1, np.float32)


def _bends(tones: np.ndarray) -> np.ndarray:  # type: ignore[type-arg]
    out = np.empty(tones.shape[:2], np.float32)
    with PARALLEL:
        bends_of(tones, out)
    return out


class Choosing(unittest.TestCase):
    def test_even_slopes_do_not_bend_and_lines_do(self) -> None:
        slope = np.broadcast_to((np.arange(12, dtype=np.float32) * 0.05)[None, :, None], (9, 12, 3)).copy()
        self.assertLess(_bends(slope)[1:-1, 1:-1].max(), 1e-6)
        slope[:, 6] += 0.3
        bent = _bends(slope)
        self.assertGreater(bent[4, 6], 0.29)
        self.assertGreater(bent[4, 5], 0.14)
        self.assertLess(bent[4, 3], 1e-6)

    def test_what_nothing_covers_or_no_sample_saw_is_left_alone(self) -> None:
        shape = (3, 3)
        alpha, marks = np.ones(shape, np.float32), np.zeros(shape, np.uint8)
        alpha[0, 0], marks[1, 1] = 0, ADDED
        sides, done = np.empty(shape, np.uint8), np.zeros(shape, np.uint8)
        tones, doubt = np.full((3, 3, 3), 0.5, np.float32), np.zeros(shape, np.float32)
        with PARALLEL:
            find_busy(
                np.full(shape, 0.1, np.float32), tones, alpha, marks, doubt, LIMIT, True, GLOSSY, True, done, sides
            )
        self.assertEqual((sides[0, 0], sides[1, 1]), (0, 0))
        self.assertEqual(int((sides == 4).sum()), 7)

    def test_the_glossier_what_bends_the_finer_it_is_cut(self) -> None:
        shape = (3, 3)
        alpha, marks = np.ones(shape, np.float32), np.zeros(shape, np.uint8)
        sides, done, doubt = np.empty(shape, np.uint8), np.zeros(shape, np.uint8), np.zeros(shape, np.float32)
        tones = np.full((3, 3, 3), 0.5, np.float32)
        for bend, expected in (
            (0.02, (0, 0, 0)),
            (0.04, (4, 0, 0)),
            (0.1, (4, 4, 2)),
            (0.2, (8, 4, 2)),
            (0.4, (8, 8, 2)),
        ):
            for rough, wanted in zip((0.05, 0.4, 0.7), expected, strict=True):
                with PARALLEL:
                    rows = np.full(shape, rough, np.float32)
                    find_busy(
                        np.full(shape, bend, np.float32),
                        tones,
                        alpha,
                        marks,
                        doubt,
                        LIMIT,
                        True,
                        rows,
                        False,
                        done,
                        sides,
                    )
                self.assertEqual(set(sides.ravel().tolist()), {wanted}, (bend, rough))

    def test_halves_that_disagree_ask_for_finer_cells(self) -> None:
        shape = (3, 3)
        alpha, marks = np.ones(shape, np.float32), np.zeros(shape, np.uint8)
        done, sides = np.full(shape, 2, np.uint8), np.empty(shape, np.uint8)
        tones = np.full((3, 3, 3), 0.5, np.float32)
        for amount, expected in ((0.0, 0), (0.05, 4), (0.5, 8)):
            doubt = np.full(shape, amount, np.float32)
            with PARALLEL:
                find_busy(doubt, tones, alpha, marks, doubt, LIMIT, False, GLOSSY, True, done, sides)
            self.assertEqual(int(sides[1, 1]), expected)

    def test_shares_add_up_to_alpha(self) -> None:
        pixel = np.array([0, 0, 33, 33, 33], np.int32)
        share = np.array([0.5, 0.25, 0.2, 0.2, 0.4], np.float32)
        alpha = np.zeros((32, 32), np.float32)
        alpha[0, 0], alpha[1, 1] = 0.9, 0.4
        with PARALLEL:
            where, edges = np.zeros((5, 2), np.float32), np.zeros((1, 9))
            counts, firsts = np.array([5], np.int32), np.array([0, 5])
            triangle = np.zeros(5, np.int32)
            places = Fragments(np.array([0]), pixel, triangle, share, where, counts, firsts, edges, where, 32)
            fit_shares(places, np.zeros(1, np.int32), np.empty(0, np.float32), alpha)
        np.testing.assert_allclose(share, [0.6, 0.3, 0.1, 0.1, 0.2], atol=1e-6)


class Areas(unittest.TestCase):
    def test_clipped_areas_and_middles(self) -> None:
        ring, other = np.empty((8, 2)), np.empty((8, 2))
        whole = (1.0, 0.0, 0.0)
        # The whole square; the half below its diagonal; a corner of a quarter's legs; nothing.
        np.testing.assert_allclose(clipped_area(*whole, *whole, *whole, ring, other), (1, 0.5, 0.5))
        np.testing.assert_allclose(clipped_area(1.0, -1.0, -1.0, *whole, *whole, ring, other), (0.5, 1 / 3, 1 / 3))
        np.testing.assert_allclose(
            clipped_area(0.25, -1.0, -1.0, *whole, *whole, ring, other), (1 / 32, 1 / 12, 1 / 12)
        )
        self.assertEqual(clipped_area(-1.0, 0.0, 0.0, *whole, *whole, ring, other)[0], 0)
        # Three lines: the triangle (0, 0), (1, 0), (0, 1) cut at x = 1 / 2.
        area, _, _ = clipped_area(1.0, -1.0, -1.0, 0.5, -1.0, 0.0, *whole, ring, other)
        self.assertAlmostEqual(area, 0.375)
