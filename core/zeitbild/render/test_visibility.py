"""Fragments of random triangles against a search through all samples of all pixels, written again in numpy."""

import unittest

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL
from zeitbild.render.visible.sampling import SAMPLE_COUNTS, sample_offsets
from zeitbild.render.visible.triangle_setup import TILE
from zeitbild.render.visible.visibility import Fragments, rasterise

WIDTH, HEIGHT = 41, 37
Planes = tuple[Fragments, NDArray[np.float32], NDArray[np.float32]]


class Visibility(unittest.TestCase):
    def setUp(self) -> None:
        random = np.random.default_rng(5)
        # Some of a few pixels, some across the picture and beyond.
        middles = random.uniform((0, 0), (WIDTH, HEIGHT), (60, 1, 2))
        self.flat = middles + random.normal(size=(60, 3, 2)) * np.repeat((3.0, 15.0), 30)[:, None, None]
        self.far = random.uniform(2, 9, (60, 3))
        self.patches = random.integers(0, 7, 60).astype(np.int32)

    def _draw(self, samples: int, *, edges_exactly: bool = False) -> Planes:
        corners = np.concatenate([self.flat * self.far[..., None], self.far[..., None]], axis=2).reshape(-1, 3)
        facing = np.tile(np.array([0, 0, 1], np.float32), (60, 1))
        with PARALLEL:
            return rasterise(
                corners,
                np.ones(len(corners)),
                np.arange(180, dtype=np.int32).reshape(60, 3),
                np.zeros(60, bool),
                self.patches,
                facing,
                near=0.1,
                least_w=0.1,
                width=WIDTH,
                height=HEIGHT,
                samples=samples,
                edges_exactly=edges_exactly,
            )

    def _seen(self, x: NDArray[np.float64], y: NDArray[np.float64]) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
        """The triangle seen at each place, -1 for none, and its distance."""
        best, seen = np.zeros(x.shape), np.full(x.shape, -1)
        for t, (a, b, c) in enumerate(self.flat):
            whole = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
            wb = ((x - a[0]) * (c[1] - a[1]) - (y - a[1]) * (c[0] - a[0])) / whole
            wc = ((b[0] - a[0]) * (y - a[1]) - (b[1] - a[1]) * (x - a[0])) / whole
            wa = 1 - wb - wc
            # What goes evenly across a picture is the inverse of the distance.
            nearness = (np.stack([wa, wb, wc]) / self.far[t][:, None, None, None]).sum(axis=0)
            front = (wa > 0) & (wb > 0) & (wc > 0) & (nearness > best)
            best, seen = np.where(front, nearness, best), np.where(front, t, seen)
        with np.errstate(divide="ignore"):
            return seen, 1 / best

    def _samples(self, count: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        offsets = sample_offsets(count)
        x = np.arange(WIDTH)[None, :, None] + offsets[:, 0]
        y = np.arange(HEIGHT)[:, None, None] + offsets[:, 1]
        return np.broadcast_to(x, (HEIGHT, WIDTH, count)), np.broadcast_to(y, (HEIGHT, WIDTH, count))

    def test_fragments_hold_what_samples_see(self) -> None:
        columns = -(-WIDTH // TILE)
        for count in SAMPLE_COUNTS:
            fragments, alpha, drawing = self._draw(count)
            depth = drawing.depth
            x, y = self._samples(count)
            seen, far = self._seen(x, y)
            np.testing.assert_array_equal(alpha, ((seen >= 0).mean(axis=2)).astype(np.float32))
            inside = (seen >= 0).any(axis=2)
            np.testing.assert_allclose(depth[inside], far.min(axis=2)[inside], rtol=1e-5)
            found: dict[tuple[int, int], dict[int, tuple[float, float, float]]] = {}
            for tile, used in enumerate(fragments.counts):
                for f in range(fragments.firsts[tile], fragments.firsts[tile] + used):
                    row = (tile // columns) * TILE + fragments.pixel[f] // TILE
                    column = (tile % columns) * TILE + fragments.pixel[f] % TILE
                    own = found.setdefault((int(row), int(column)), {})
                    patch = int(self.patches[fragments.triangle[f]])
                    self.assertNotIn(patch, own)
                    own[patch] = (float(fragments.share[f]), *(float(value) for value in fragments.where[f]))
            self.assertGreater(max(len(own) for own in found.values()), 3)
            for row, column in np.argwhere(inside):
                patches = np.where(seen[row, column] >= 0, self.patches[seen[row, column]], -1)
                own = found.pop((int(row), int(column)))
                self.assertEqual(set(own), set(patches) - {-1})
                for patch, (share, at_x, at_y) in own.items():
                    mine = patches == patch
                    self.assertEqual(share, np.float32(mine.mean()))
                    self.assertAlmostEqual(at_x, x[row, column][mine].mean(), places=4)
                    self.assertAlmostEqual(at_y, y[row, column][mine].mean(), places=4)
            self.assertEqual(found, {})

    def test_edges_are_as_exact_as_four_thousand_samples(self) -> None:
        rough = self._draw(64)[1].copy()
        fragments, alpha, _ = self._draw(64, edges_exactly=True)
        seen, _ = self._seen(*self._samples(4096))
        covered = (seen >= 0).mean(axis=2)
        partly = (covered > 0) & (covered < 1)
        self.assertGreater(int(partly.sum()), 100)
        error = np.abs(alpha - covered)[partly]
        # Where triangles lie over one another coverage is counted from 1,024 samples.
        self.assertLess(error.mean(), 2e-3)
        self.assertLess(error.max(), 0.015)
        whole = (covered == 1) & (rough == 1)
        np.testing.assert_allclose(alpha[whole], 1, atol=5e-3)
        # What the fragments cover stays what the pixel is covered by.
        total = np.zeros((HEIGHT, WIDTH))
        columns = -(-WIDTH // TILE)
        for tile, used in enumerate(fragments.counts):
            for f in range(fragments.firsts[tile], fragments.firsts[tile] + used):
                row = (tile // columns) * TILE + fragments.pixel[f] // TILE
                column = (tile % columns) * TILE + fragments.pixel[f] % TILE
                total[row, column] += fragments.share[f]
        np.testing.assert_allclose(total, alpha, atol=1e-6)
