"""Where the rays of a pixel go: stretches of a Sobol sequence, shaped for each light and for the half sphere.

Each pixel of a 4 x 4 square takes its own stretch of one sequence (Sobol 1967; first two dimensions), so that the rays
of a square are sixteen times as many as those of a pixel; ``smoothing`` then shares them across each surface. No random
number is drawn: equal fragments cast equal rays.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from zeitbild.render.light.lighting import FLAT, KIND, SIZE, on_disc
from zeitbild.render.world.ray_scene import TWICE, VEIL_BITS

#: Which stretch of the sequence a pixel takes, by row and column in its square: an ordered-dither matrix (Bayer 1973).
TURNS = np.array([[0, 8, 2, 10], [12, 4, 14, 6], [3, 11, 1, 9], [15, 7, 13, 5]], np.int64)
SQUARE = 16
#: Steps in the unit square from the pattern of one light to the next: powers of the plastic number's inverse, which
#: fill it evenly (Roberts 2018, The Unreasonable Effectiveness of Quasirandom Sequences).
_STEP = (0.7548776662466927, 0.5698402909980532)
_BITS = 32
#: What a pixel's rays add (bit by bit, of their ordinal) to the number of a point of the sequence, whose lowest four bits say where in its square
#: it is. The directions of the sequence for the first of them are independent, however many digits of one and the other coordinate are asked
#: for (Niederreiter 1987), and so they are together with those of the square. Found by trying; of all the ones by which pixels err least.
_OWN = (19, 53, 121, 242, 261, 522)


#: Of each coordinate but the first: which powers its polynomial over two digits has between the first and the last, as bits, and the odd numbers
#: that it starts from (Joe and Kuo 2008, Constructing Sobol sequences with better two-dimensional projections, table of dimensions).
_POLYNOMIALS = ((0, (1,)), (1, (1, 3)), (1, (1, 3, 1)))


def _directions(axis: int) -> list[int]:
    """What each bit of a point's number adds to its coordinate, as ``_BITS`` bits behind the point (Bratley and Fox 1988)."""
    if axis == 0:
        return [1 << (_BITS - 1 - bit) for bit in range(_BITS)]
    powers, odd = _POLYNOMIALS[axis - 1]
    degree = len(odd)
    found = [number << (_BITS - 1 - bit) for bit, number in enumerate(odd)]
    for bit in range(degree, _BITS):
        next_one = found[bit - degree] ^ (found[bit - degree] >> degree)
        for back in range(1, degree):
            if powers >> (degree - 1 - back) & 1:
                next_one ^= found[bit - back]
        found.append(next_one)
    return found


@lru_cache(maxsize=16)
def sobol(count: int, axes: int = 2) -> NDArray[np.float64]:
    """First ``count`` points [count, axes up to 4] of the sequence, each in the middle of its cell; count is a power of two."""
    index = np.arange(count, dtype=np.uint64)
    points = np.zeros((count, axes), np.uint64)
    for axis in range(axes):
        for bit, added in enumerate(_directions(axis)[: count.bit_length()]):
            chosen = (index >> np.uint64(bit)) & np.uint64(1) == 1
            points[chosen, axis] ^= np.uint64(added)
    return points / 2.0**_BITS + 0.5 / count


def _shared_net(rays: int) -> NDArray[np.float64]:
    """Points [16 rays, 4] of the sequence, ``rays`` a power of two up to 64.

    Nets in their first two coordinates, as even as so many points can be, are those of each pixel, its first 2, 4, 8 and so on, those of each
    ordinal over all pixels of a square, and the first 2, 4, 8 and so on of all pixels together. The other two are even together with these.

    One ray a pixel is cast first, and more only where those of a square disagree, as many as it takes: so the first ones alone must reach all
    over the light.
    """
    own = np.zeros(rays, np.int64)
    for bit in range(rays.bit_length() - 1):
        own ^= np.where(np.arange(rays) >> bit & 1, _OWN[bit], 0)
    numbers = np.arange(SQUARE)[:, None] ^ own
    most = SQUARE << len(_OWN)
    points: NDArray[np.float64] = sobol(most, 4)[numbers] - 0.5 / most + 0.5 / (SQUARE * rays)
    return points.reshape(-1, 4)


def ray_pattern(lights: NDArray[np.float32], rays: int) -> NDArray[np.float32]:
    """Places [L + 1, 16 rays, 5] for a pixel's rays, ``rays`` of them for each place in the square.

    For a light with a size two coordinates in -1..1 on it, and behind the third number offsets in -0.5..0.5 in the pixel; for one without, such
    offsets first; last the half sphere, as unit vectors about +z, as many near the pole as the cosine asks for (Malley's method: the disc raised).
    """
    points, shared = sobol(SQUARE * rays), _shared_net(rays)
    pattern = np.zeros((len(lights) + 1, len(points), 5), np.float32)
    # Even together with places on lights: where bars of a fence stand a few pixels apart both tell how much of a light they leave.
    pattern[:-1, :, 3:] = shared[:, 2:] - 0.5
    for number in range(len(lights) + 1):
        step = np.array(_STEP) * number
        moved, spread = (points + step) % 1, (shared[:, :2] + step) % 1
        if number == len(lights):
            disc = on_disc(moved)
            pattern[number, :, :2] = disc
            pattern[number, :, 2] = np.sqrt(np.maximum(0, 1 - (disc**2).sum(axis=1)))
        elif lights[number, KIND] == FLAT:
            pattern[number, :, :2] = 2 * spread - 1
        elif lights[number, KIND] > FLAT or lights[number, SIZE] > 0:
            pattern[number, :, :2] = on_disc(spread)
        else:
            pattern[number, :, :2] = moved - 0.5
    return pattern


@lru_cache(maxsize=16)
def veil_bits(rays: int) -> NDArray[np.int32]:
    """The bits [16 rays] that rays carry (``ray_scene.bits_of``): those of a pixel an aligned stretch of bits, and the first ones of all
    pixels of a square bits of every kind, so that where some are stopped others are not."""
    own = rays.bit_length() - 1
    found = np.zeros((SQUARE, rays), np.int64)
    for turn in range(SQUARE):
        # The rest of the bits from the turn, and one more from whether its ones are odd, so that all come equally often.
        rest = (turn >> own << own) | (turn.bit_count() & 1) << max(own, 4)
        bits = ((np.arange(rays) ^ turn) & (rays - 1) | rest) & VEIL_BITS
        found[turn] = np.where(bits < VEIL_BITS, bits, TWICE)
    return (1 << found).astype(np.int32).reshape(-1)


#: Places that a pixel may be cut into, and in which order they take steps of the pattern, by row and column of eight: those of
#: fewer cells (whose middles these are nearest to) take steps far apart, each of a different stretch.
STEPS = 64
ORDER = np.zeros((8, 8), np.int64)
for _y in range(8):
    for _x in range(8):
        # Cells of four a side first, then where in the cell.
        ORDER[_y, _x] = ((_y // 2) * 4 + _x // 2) + 16 * ((_y % 2) * 2 + _x % 2)


@lru_cache(maxsize=1)
def mirror_places() -> NDArray[np.float32]:
    """Points [16, 64, 4] of the unit square, for each pixel of a square and each place that a pixel may be cut into: two coordinates for the
    facet that mirrors, two for a place on a light."""
    points = np.empty((SQUARE, STEPS, 4))
    every = sobol(SQUARE * STEPS)
    # A pixel's first sixteen steps, and all sixty-four, are even; and so are the first steps of all pixels of a square.
    first = sobol(SQUARE)
    points[:, :, :2] = (every[:STEPS][None] + (first - first[0])[:, None]) % 1
    step = np.array(_STEP)
    order = np.random.default_rng(1).permutation(STEPS)
    points[:, :, 2:] = (points[:, order, :2] + step) % 1
    result = points.astype(np.float32)
    return np.minimum(result, np.float32(1 - 2**-24))


@lru_cache(maxsize=8)
def mirror_turns(turns: int) -> NDArray[np.float32]:
    """Points [16, turns, 4] of the unit square for so many rays, a power of two, of each pixel of a square that is not cut, even for each and for
    all of them; coordinates as in ``mirror_places``."""
    points = np.empty((SQUARE, turns, 4))
    points[:, :, :2] = sobol(SQUARE * turns).reshape(SQUARE, turns, 2)
    order = np.random.default_rng(1).permutation(SQUARE * turns)
    points[:, :, 2:] = (points[:, :, :2].reshape(-1, 2)[order].reshape(SQUARE, turns, 2) + np.array(_STEP)) % 1
    return np.minimum(points.astype(np.float32), np.float32(1 - 2**-24))
