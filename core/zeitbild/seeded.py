"""Numbers that look as if drawn at random, known by a seed and a number: the same on every machine, any one without those before it."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

_GOLDEN, _FIRST, _SECOND = np.uint64(0x9E3779B97F4A7C15), np.uint64(0xBF58476D1CE4E5B9), np.uint64(0x94D049BB133111EB)
#: A share has as many bits as a float keeps.
_BITS = np.uint64(11)
_STEPS = 2.0**-53


def _mixed(values: NDArray[np.uint64]) -> NDArray[np.uint64]:
    """The finaliser of splitmix64 (Steele, Lea and Flood 2014, Fast Splittable Pseudorandom Number Generators)."""
    values = (values ^ (values >> np.uint64(30))) * _FIRST
    values = (values ^ (values >> np.uint64(27))) * _SECOND
    return values ^ (values >> np.uint64(31))


def shares(seed: int, stream: int, numbers: ArrayLike) -> NDArray[np.float64]:
    """Evenly spread shares from 0 to below 1 for whole numbers of any shape; streams of one seed know nothing of each other."""
    with np.errstate(over="ignore"):
        own = _mixed(np.array(seed % 2**64, np.uint64) + _GOLDEN)
        own = _mixed(own + np.array(stream % 2**64, np.uint64) * _GOLDEN + _GOLDEN)
        whole = np.asarray(numbers, np.int64).astype(np.uint64)
        values: NDArray[np.uint64] = _mixed(own + (whole + np.uint64(1)) * _GOLDEN)
    return (values >> _BITS).astype(np.float64) * _STEPS


def around(seed: int, stream: int, numbers: ArrayLike) -> NDArray[np.float64]:
    """Evenly spread numbers from -1 to below 1."""
    return 2 * shares(seed, stream, numbers) - 1
