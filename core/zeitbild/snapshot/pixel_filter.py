"""The pixel filter: how far a pixel gathers light from its neighbours.

Coverage and light of a pixel are the mean over its square (a box one pixel wide). Wider filters weigh these means by the
filter's integral over each pixel: the filter taken in steps of a pixel. Everything is premultiplied, so edges stay free
of fringes; depth is not filtered.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

FilterName = Literal["box", "triangle", "Gaussian", "Blackman-Harris"]
_STEPS = 64
#: Minimum four-term window (Harris 1978, On the Use of Windows for Harmonic Analysis, table 1), from its middle.
_HARRIS = (0.35875, 0.48829, 0.14128, 0.01168)


def _triangle(x: float) -> float:
    return 1 - abs(x)


def _gaussian(x: float) -> float:
    # Three standard deviations at the rim.
    return math.exp(-4.5 * x * x)


def _blackman_harris(x: float) -> float:
    return sum(term * math.cos(math.pi * k * x) for k, term in enumerate(_HARRIS))


#: Heights by the distance from the middle, -1 to 1 over the filter's width.
_SHAPES: dict[str, Callable[[float], float]] = {
    "box": lambda x: 1.0,
    "triangle": _triangle,
    "Gaussian": _gaussian,
    "Blackman-Harris": _blackman_harris,
}


@dataclass(frozen=True, slots=True)
class PixelFilter:
    """A filter by its shape and its whole width in pixels (1 to 8)."""

    shape: FilterName = "box"
    width: float = 1.0

    @property
    def weights(self) -> NDArray[np.float64]:
        """Share [2 n + 1] of each pixel in a row about the middle one; they add up to 1."""
        half = self.width / 2
        reach = max(0, math.ceil(half - 0.5))
        height = _SHAPES[self.shape]
        # The midpoint rule over each pixel, with a step at the filter's rim as narrow as the pixel's steps.
        shares = np.zeros(2 * reach + 1)
        for number in range(-reach, reach + 1):
            low, high = max(number - 0.5, -half), min(number + 0.5, half)
            places = low + (np.arange(_STEPS) + 0.5) / _STEPS * (high - low)
            shares[number + reach] = (high - low) * np.mean([height(x / half) for x in places])
        weights: NDArray[np.float64] = shares / shares.sum()
        return weights

    def apply(self, values: NDArray[np.float32]) -> NDArray[np.float32]:
        """Filtered copy of [H, W, C]; beyond the picture's edge its outermost pixels go on."""
        weights = self.weights
        if len(weights) == 1 or values.size == 0:
            return values
        import cv2  # a quarter of a second at the start, which few pictures need

        out = np.empty_like(values)
        for channel in range(values.shape[2]):
            out[..., channel] = cv2.sepFilter2D(
                np.ascontiguousarray(values[..., channel]),
                cv2.CV_32F,
                weights,
                weights,
                borderType=cv2.BORDER_REPLICATE,
            )
        return out


#: The pixel alone.
ONE_PIXEL = PixelFilter()
