"""Compositing of premultiplied linear pictures: Porter and Duff 1984; W3C Compositing and Blending Level 1."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def over(front: NDArray[np.floating], back: NDArray[np.floating]) -> NDArray[np.float64]:
    """front over back, both [..., 4] premultiplied linear: C = A + B (1 - alpha_A), the same for alpha."""
    a, b = np.asarray(front, dtype=np.float64), np.asarray(back, dtype=np.float64)
    result: NDArray[np.float64] = a + b * (1 - a[..., 3:])
    return result


def over_colour(front: NDArray[np.floating], ground: NDArray[np.floating]) -> NDArray[np.float64]:
    """front [..., 4] over an opaque ground [..., 3] or [3], all linear; gives [..., 3]."""
    a = np.asarray(front, dtype=np.float64)
    result: NDArray[np.float64] = a[..., :3] + np.asarray(ground, dtype=np.float64) * (1 - a[..., 3:])
    return result
