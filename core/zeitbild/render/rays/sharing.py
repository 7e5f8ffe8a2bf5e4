"""Mirrored light shared between pixels that were cut into cells (``visible/finer``): what is rough mirrors much the same a pixel farther on.

A cell takes one ray of its mirror's lobe, and where few of them meet something bright even sixty-four leave grain. Cells of a pixel that lean alike
are one heap; heaps of the pixels around count for it as far as their lobes show the same: less the more their normals lean apart, and
the farther they stand apart for how near it is what they mirror. Cells keep what they differ by within their heap.
"""

from __future__ import annotations

import math

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL, parallel_kernel
from zeitbild.render.shade.texturing import footprint_at
from zeitbild.render.visible.triangle_setup import TILE
from zeitbild.render.visible.visibility import Fragments

_TILE = TILE
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1
_ZERO, _ONE, _HALF = np.float32(0), np.float32(1), np.float32(0.5)
#: Heaps of a pixel at most; and pixels to each side that are asked.
_HEAPS, _AROUND = 8, 2
#: Cells of one heap lean apart, and heaps that count lean or stand apart, by about so much of how wide their lobe is.
_TOGETHER, _ALIKE = np.float32(0.6), np.float32(0.5)
#: A surface that turns by less of its lobe (alpha) over a pixel is flat there.
_LITTLE = np.float32(0.1)
#: Beyond so many times that nothing counts (squared).
_NOTHING = np.float32(9)
#: What is kept of a heap: mirrored light (three) and how much of it met something, normal, place, how near that was (the inverse of how far), how
#: many cells, their finish; behind these what else mirror rays told.
_COLUMNS, _MIRRORED = 13, 4
_NORMAL, _PLACE, _NEAR, _COUNT, _FINISH = 4, 7, 10, 11, 12


@parallel_kernel
def find_calm(fragments, finish_of, finishes, bends, eye, pixel_size, spots, least, calm):  # type: ignore[no-untyped-def]
    """Which cells mirror the same as all of their surface in the pixel, calm [n] uint8: what is as rough as ``least`` at least and turns by little
    of its lobe over a pixel. bends [T] as in ``stage``, eye as in ``stage.viewpoint``, pixel_size that at distance 1."""
    order, counts, firsts, triangle = fragments.order, fragments.counts, fragments.firsts, fragments.triangle
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            t, spot = triangle[f], spots[f]
            rough = finishes[finish_of[t], 3]
            footprint = footprint_at(spot[0], spot[1], spot[2], eye, pixel_size)
            calm[f] = np.uint8(1 if rough >= least and bends[t] * footprint < _LITTLE * rough * rough else 0)


class Heaps:
    """Heaps of the pixels of a picture of height x width, as they come."""

    def __init__(self, height: int, width: int) -> None:
        self._row = np.full((height, width), -1, np.int32)
        self._kept = np.empty((0, _HEAPS, 0), np.float32)

    def share(
        self,
        fragments: Fragments,
        sides: NDArray[np.uint8],
        finish_of: NDArray[np.int32],
        finishes: NDArray[np.float32],
        spots: NDArray[np.float32],
        near: NDArray[np.float32],
        first: int,
        rayed: NDArray[np.float32],
    ) -> None:
        """Share what mirror rays of cells met: the columns of rayed [n, ..] from number ``first`` on (radiance and the share that met something; behind
        them what they tell of lights, which cells of a heap have in common), in place.

        sides [H, W] tells which pixels are cut now; finish_of [T] and finishes [F, ..] as in ``Scene`` and ``finish_row``; spots [n, SPOT] from
        ``tracing.locate``; near [n] from ``mirroring.mirror``. Hold ``kernels.PARALLEL``.
        """
        new = (sides > 0) & (self._row < 0)
        count = len(self._kept)
        self._row[new] = np.arange(count, count + int(new.sum()), dtype=np.int32)
        wide = _COLUMNS + rayed.shape[1] - first - _MIRRORED
        more = np.zeros((int(new.sum()), _HEAPS, wide), np.float32)
        self._kept = np.concatenate([self._kept, more]) if count else more
        self._kept[self._row[sides > 0]] = 0
        heap_of = np.full(len(fragments.pixel), -1, np.int8)
        PARALLEL.by_parts(
            _heap, fragments, finish_of, finishes, spots, near, first, self._row, self._kept, rayed, heap_of
        )
        PARALLEL.by_parts(_take, fragments, finishes, first, self._row, self._kept, heap_of, rayed)


@parallel_kernel
def _heap(fragments, finish_of, finishes, spots, near, first, rows, kept, rayed, heap_of):  # type: ignore[no-untyped-def]
    """Put the cells of each pixel on heaps: sums into kept [rows, heaps, columns], which of them into heap_of [n]."""
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    pixel, triangle = fragments.pixel, fragments.triangle
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            row = rows[top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)]
            if row < 0:
                continue
            finish = finish_of[triangle[f]]
            lobe = finishes[finish, 3] * finishes[finish, 3] * _TOGETHER
            own, best, nearest = kept[row], np.float32(1e30), -1
            for c in range(_HEAPS):
                if own[c, _COUNT] == _ZERO:
                    # A heap of its own, unless it belongs to one that is there.
                    if best > lobe * lobe:
                        nearest = c
                    break
                if own[c, _FINISH] != np.float32(finish):
                    continue
                scale, far = _ONE / own[c, _COUNT], _ZERO
                for k in range(3):
                    lean = own[c, _NORMAL + k] * scale - spots[f, 3 + k]
                    far += lean * lean
                if far < best:
                    best, nearest = far, c
            if nearest < 0:
                continue
            heap_of[f] = np.int8(nearest)
            for k in range(_MIRRORED):
                own[nearest, k] += rayed[f, first + k]
            for k in range(own.shape[1] - _COLUMNS):
                own[nearest, _COLUMNS + k] += rayed[f, first + _MIRRORED + k]
            for k in range(3):
                own[nearest, _NORMAL + k] += spots[f, 3 + k]
                own[nearest, _PLACE + k] += spots[f, k]
            own[nearest, _NEAR] += near[f]
            own[nearest, _COUNT] += _ONE
            own[nearest, _FINISH] = np.float32(finish)


@parallel_kernel
def _take(fragments, finishes, first, rows, kept, heap_of, rayed):  # type: ignore[no-untyped-def]
    """Give the cells of each heap what the heaps around say: columns of rayed from the first on."""
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    pixel = fragments.pixel
    columns, height = (width + _TILE - 1) // _TILE, rows.shape[0]
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        besides = kept.shape[2] - _COLUMNS
        more = np.zeros((_HEAPS, _MIRRORED + besides), np.float32)
        at = -1
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            if heap_of[f] < 0:
                continue
            y, x = top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)
            if pixel[f] != at:
                at = pixel[f]
                own = kept[rows[y, x]]
                for c in range(_HEAPS):
                    count = own[c, _COUNT]
                    if count == _ZERO:
                        break
                    scale, finish = _ONE / count, own[c, _FINISH]
                    rough = finishes[int(finish), 3]
                    narrow = _ONE / max(_ALIKE * rough * rough, np.float32(1e-6))
                    total = count
                    for k in range(_MIRRORED):
                        more[c, k] = own[c, k]
                    for k in range(besides):
                        more[c, _MIRRORED + k] = own[c, _COLUMNS + k]
                    for v in range(max(0, y - _AROUND), min(height, y + _AROUND + 1)):
                        for u in range(max(0, x - _AROUND), min(width, x + _AROUND + 1)):
                            beside = rows[v, u]
                            if beside < 0 or (v == y and u == x):
                                continue
                            for d in range(_HEAPS):
                                many = kept[beside, d, _COUNT]
                                if many == _ZERO:
                                    break
                                if kept[beside, d, _FINISH] != finish:
                                    continue
                                part = _ONE / many
                                lean = apart = _ZERO
                                for k in range(3):
                                    off = kept[beside, d, _NORMAL + k] * part - own[c, _NORMAL + k] * scale
                                    lean += off * off
                                    off = kept[beside, d, _PLACE + k] * part - own[c, _PLACE + k] * scale
                                    apart += off * off
                                close = max(own[c, _NEAR] * scale, kept[beside, d, _NEAR] * part)
                                # A mirrored ray turns by twice what its normal does; its facet's lobe is as wide as the roughness says.
                                off = (lean + apart * close * close * np.float32(0.25)) * narrow * narrow
                                if off > _NOTHING:
                                    continue
                                weight = np.float32(math.exp(-_HALF * off))
                                total += weight * many
                                for k in range(_MIRRORED):
                                    more[c, k] += weight * kept[beside, d, k]
                                for k in range(besides):
                                    more[c, _MIRRORED + k] += weight * kept[beside, d, _COLUMNS + k]
                    for k in range(_MIRRORED):
                        more[c, k] = more[c, k] / total - own[c, k] * scale
                    for k in range(besides):
                        more[c, _MIRRORED + k] /= total
            for k in range(_MIRRORED):
                rayed[f, first + k] = max(_ZERO, rayed[f, first + k] + more[heap_of[f], k])
            for k in range(besides):
                rayed[f, first + _MIRRORED + k] = more[heap_of[f], _MIRRORED + k]
