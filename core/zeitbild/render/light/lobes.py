"""What lobes take of light from all around.

Light from all around is a tree of cells: the farther a cell is from where a lobe looks, against how wide that is, the more of them are taken as
one, in the direction from which most of its light comes (after Barnes and Hut, Nature 324, 1986). So a sun of a single pixel
gives all of its light, to lobes of every width and wherever it stands.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import parallel_kernel
from zeitbild.render.light.octahedral import corner_directions

_ZERO, _HALF, _ONE, _TWO = np.float32(0), np.float32(0.5), np.float32(1), np.float32(2)
#: Values a side of what is worked on at once, so that the loop over them becomes vector instructions.
_SIDE = 4
_LANES = _SIDE * _SIDE
#: A cell is taken as one if it reaches at most so much of how far away it is, next to where the lobe looks and far from there (in widths of the
#: lobe); never more than so much (radians), as cosines end at the horizon.
_NEAR, _FAR, _AWAY, _MOST = np.float32(0.25), np.float32(0.6), np.float32(20), np.float32(0.15)
#: Lobes are at least so wide (alpha) against cells that have none within, or these would be seen.
_LEAST = 0.42
#: Where hardly anything shines all directions count alike: as so much radiance.
_HARDLY = 1e-9
#: Cells in a tree that wait to be looked at: three of each halving, and the first ones.
_WAITING = 256
#: Cells that have no more rows or columns than these are not put together.
_FIRST = 4


class Cells(NamedTuple):
    """A tree of light from all around.

    directions [n, 3] are those from which light comes, unit vectors; energies [n, 4] solid angles and radiance times that; reach [n] how far
    a cell goes from there (radians); below [n, 2] the first cell within and how many of that size lie in a row (four are in two rows),
    or -1 where nothing is within. The ``first`` ones are all of the sphere.
    """

    directions: NDArray[np.float32]
    energies: NDArray[np.float32]
    reach: NDArray[np.float32]
    below: NDArray[np.int32]
    first: int

    @property
    def coarsest(self) -> float:
        """How wide (radians) the largest of the smallest cells is."""
        return math.sqrt(float(self.energies[self.below[:, 0] < 0, 0].max()))


@parallel_kernel
def _put_together(fine, wide, coarse, size, directions, energies, reach, below):  # type: ignore[no-untyped-def]
    """Cells from row ``coarse`` on, size[0] rows of size[1] with size[2] places each, of the cells within: from row fine on, wide in a row."""
    for row in numba.prange(size[0]):
        for column in range(size[1]):
            first, cell = fine + 2 * row * wide + 2 * column, coarse + row * size[2] + column
            below[cell, 0], below[cell, 1] = first, wide
            x = y = z = a = b = c = d = 0.0
            for k in range(4):
                one = first + (k >> 1) * wide + (k & 1)
                light = np.float64(energies[one, 1]) + energies[one, 2] + energies[one, 3] + _HARDLY * energies[one, 0]
                x, y, z = x + light * directions[one, 0], y + light * directions[one, 1], z + light * directions[one, 2]
                a, b = a + energies[one, 0], b + energies[one, 1]
                c, d = c + energies[one, 2], d + energies[one, 3]
            length = 1 / max(math.sqrt(x * x + y * y + z * z), 1e-300)
            x, y, z = x * length, y * length, z * length
            directions[cell, 0], directions[cell, 1], directions[cell, 2] = x, y, z
            energies[cell, 0], energies[cell, 1], energies[cell, 2], energies[cell, 3] = a, b, c, d
            for k in range(4):
                one = first + (k >> 1) * wide + (k & 1)
                p, q, r = directions[one, 0] - x, directions[one, 1] - y, directions[one, 2] - z
                if energies[one, 0] > _ZERO:
                    reach[cell] = max(reach[cell], math.sqrt(p * p + q * q + r * r) + reach[one])


def cells_of(directions: NDArray[np.float64], energies: NDArray[np.float64]) -> Cells:
    """The tree of cells that lie in rows [H, W], next to each other: unit directions [H, W, 3], solid angles and radiance times that [H, W, 4].
    Call it while holding ``PARALLEL``."""
    # Rows and columns of each size, the smallest cells first, and how many there is room for: even numbers, the last ones hold nothing.
    sizes = [energies.shape[:2]]
    while max(sizes[-1]) > _FIRST:
        sizes.append((-(-sizes[-1][0] // 2), -(-sizes[-1][1] // 2)))
    rooms = [(high + high % 2, wide + wide % 2) for high, wide in sizes]
    starts = np.cumsum([0, *(high * wide for high, wide in rooms[::-1])])[::-1][1:]
    many = sum(high * wide for high, wide in rooms)
    ways, sums, reach = np.zeros((many, 3), np.float32), np.zeros((many, 4), np.float32), np.zeros(many, np.float32)
    below = np.full((many, 2), -1, np.int32)
    (high, wide), room = sizes[0], rooms[0]
    ways[starts[0] :].reshape(*room, 3)[:high, :wide] = directions
    sums[starts[0] :].reshape(*room, 4)[:high, :wide] = energies
    reach[starts[0] :].reshape(room)[:high, :wide] = np.sqrt(energies[..., 0] / 2)
    for at in range(1, len(sizes)):
        size = (*sizes[at], rooms[at][1])
        _put_together(starts[at - 1], rooms[at - 1][1], starts[at], size, ways, sums, reach, below)
    return Cells(ways, sums, reach, below, rooms[-1][0] * rooms[-1][1])


@lru_cache(maxsize=8)
def _blocks(sides: tuple[int, ...]) -> tuple[NDArray[np.float32], NDArray[np.int32], NDArray[np.int64]]:
    """Directions [n, 3] of the values of octahedral pictures, one after the other, and blocks of them [b, _LANES], which lie
    together; how many blocks each picture has."""
    directions = np.concatenate([corner_directions(side).reshape(-1, 3) for side in sides]).astype(np.float32)
    blocks, start = [], 0
    for side in sides:
        wide = side + 1
        rows = np.pad(np.arange(start, start + wide * wide).reshape(wide, wide), (0, -wide % _SIDE), mode="edge")
        many = len(rows) // _SIDE
        blocks.append(rows.reshape(many, _SIDE, many, _SIDE).swapaxes(1, 2).reshape(-1, _LANES))
        start += wide * wide
    return directions, np.concatenate(blocks).astype(np.int32), np.array([len(one) for one in blocks])


@parallel_kernel
def _gather(blocks, squares, directions, cells, out):  # type: ignore[no-untyped-def]
    """What arrives about each direction [n, 3] in the mean, weighted by GGX D(h) (n.l), view and normal being one: out [n, 3].

    blocks [b, _LANES] are rows of both; squares [b] roughness to the fourth, 1 for the cosine alone (diffuse light).
    """
    for block in numba.prange(blocks.shape[0]):
        # Direction, four sums.
        rows = np.zeros((7, _LANES), np.float32)
        waiting = np.empty(_WAITING, np.int32)
        x = y = z = _ZERO
        for i in range(_LANES):
            at = blocks[block, i]
            rows[0, i], rows[1, i], rows[2, i] = directions[at, 0], directions[at, 1], directions[at, 2]
            x, y, z = x + rows[0, i], y + rows[1, i], z + rows[2, i]
        length = _ONE / math.sqrt(x * x + y * y + z * z)
        x, y, z = x * length, y * length, z * length
        apart = _ZERO
        for i in range(_LANES):
            a, b, c = rows[0, i] - x, rows[1, i] - y, rows[2, i] - z
            apart = max(apart, np.float32(math.sqrt(a * a + b * b + c * c)))
        square = squares[block]
        narrow, wide = square - _ONE, np.float32(4) * square
        steps = _ONE / (_AWAY * _TWO * math.sqrt(square))
        count = cells.first
        for i in range(count):
            waiting[i] = i
        while count > 0:
            count -= 1
            cell = waiting[count]
            size, reach = cells.energies[cell, 0], cells.reach[cell]
            if size <= _ZERO:
                continue
            p, q, r = cells.directions[cell, 0], cells.directions[cell, 1], cells.directions[cell, 2]
            if p * x + q * y + r * z < -reach - apart:
                continue
            a, b, c = p - x, q - y, r - z
            away = max(math.sqrt(a * a + b * b + c * c) - apart, _ZERO)
            share = _NEAR + (_FAR - _NEAR) * min(away * steps, _ONE)
            first = cells.below[cell, 0]
            if first >= 0 and reach > min(share * math.sqrt(away * away + wide), _MOST):
                under = first + cells.below[cell, 1]
                waiting[count], waiting[count + 1] = first, first + 1
                waiting[count + 2], waiting[count + 3] = under, under + 1
                count += 4
                continue
            red, green, blue = cells.energies[cell, 1], cells.energies[cell, 2], cells.energies[cell, 3]
            for i in range(_LANES):
                cosine = rows[0, i] * p + rows[1, i] * q + rows[2, i] * r
                spread = (_ONE + cosine) * _HALF * narrow + _ONE
                # The numerator of D is the same for all cells, and falls out of the mean.
                weight = (cosine if cosine > _ZERO else _ZERO) / (spread * spread)
                rows[3, i] += weight * size
                rows[4, i] += weight * red
                rows[5, i] += weight * green
                rows[6, i] += weight * blue
        for i in range(_LANES):
            at = blocks[block, i]
            for k in range(3):
                out[at, k] = rows[4 + k, i] / rows[3, i]


def gather(cells: Cells, squares: tuple[float, ...], sides: tuple[int, ...], out: NDArray[np.float32]) -> None:
    """What lobes of so much roughness to the fourth take of all around, as octahedral pictures of so many cells a side, one after the
    other: out [rows, 3]. 1 is the cosine alone: diffuse light."""
    directions, blocks, counts = _blocks(sides)
    least = (_LEAST * cells.coarsest) ** 2
    each = np.repeat(np.maximum(squares, least), counts).astype(np.float32)
    _gather(blocks, each, directions, cells, out)
