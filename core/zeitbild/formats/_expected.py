"""What a reader should find in files of whole numbers, worked out by the published formulas in numpy and from nothing that writes
them. Nothing is clipped here: light that the file's numbers cannot hold is a difference.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from zeitbild.colour.srgb import encode
from zeitbild.formats._base import Plane
from zeitbild.render.picture import NO_DEPTH

#: Rounding allows half a code value; float arithmetic in two orders may differ by a little more.
ALLOWED = 0.5 + 2e-3


def difference(found: NDArray[np.float64], plane: Plane, top: int) -> tuple[float, int]:
    """The largest distance in code values of numbers [H, W, C] read, and how many pixels have colour under zero alpha."""
    numbers = plane.pixels.astype(np.float64)
    if plane.role in ("colour", "light"):
        visible = found[..., 3] > 0
        straight = numbers[visible][:, :3] / np.maximum(numbers[visible][:, 3:], 1e-12)
        off = np.abs(found[visible][:, :3] - encode(straight) * top).max(initial=0)
        worst = max(float(np.abs(found[..., 3] - numbers[..., 3] * top).max(initial=0)), float(off))
        return worst, int(found[~visible][:, :3].any(axis=1).sum())
    if plane.role == "coverage":
        return float(np.abs(found[..., 0] - numbers.clip(0, 1) * top).max(initial=0)), 0
    if plane.role == "depth":
        near, far = plane.spread[0]
        there = numbers < NO_DEPTH
        expected = np.where(there, top * (1 - (np.clip(numbers, near, far) - near) / (far - near)), 0)
        return float(np.abs(found[..., 0] - expected).max(initial=0)), 0
    there = np.ones(numbers.shape[:2], bool) if plane.there is None else plane.there
    worst = float(found[~there].max(initial=0))
    for k, (low, high) in enumerate(plane.spread):
        back = low + found[..., k][there] / top * (high - low)
        off = np.abs(back - numbers[..., k][there].clip(low, high)) / (high - low) * top
        worst = max(worst, float(off.max(initial=0)))
    return worst, 0
