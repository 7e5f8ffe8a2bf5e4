"""Straight (unassociated) and premultiplied (associated) colour."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def unpremultiply(picture: NDArray[np.floating]) -> NDArray[np.float64]:
    """Straight [..., 4] of a premultiplied picture [..., 4], both linear; colour is 0 where alpha is 0."""
    result = np.asarray(picture, dtype=np.float64).copy()
    alpha = result[..., 3:]
    result[..., :3] = np.divide(result[..., :3], alpha, out=np.zeros_like(result[..., :3]), where=alpha > 0)
    return result


def premultiply(picture: NDArray[np.floating]) -> NDArray[np.float64]:
    """Premultiplied [..., 4] of a straight picture [..., 4], both linear."""
    result = np.asarray(picture, dtype=np.float64).copy()
    result[..., :3] *= result[..., 3:]
    return result
