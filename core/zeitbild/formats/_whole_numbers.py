"""What files of whole numbers hold of each role, for all formats that have such; ``_expected`` says it once more for reading back.

colour, light  straight, sRGB-encoded, black where alpha rounds to zero
coverage       as it is, not encoded
depth          near is the highest number, far and nothing are 0, even steps of distance
data           each channel from the low end of its spread (0) to the high end; nothing is 0 in all channels, a third is added
"""

from __future__ import annotations

from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.colour.srgb import EXPONENT, OFFSET, SLOPE, THRESHOLD_LINEAR
from zeitbild.formats._base import Plane
from zeitbild.kernels import PARALLEL, parallel_kernel
from zeitbild.render.passes import Role
from zeitbild.render.picture import NO_DEPTH

_SLOPE, _OFFSET, _THRESHOLD, _INVERSE = SLOPE, OFFSET, THRESHOLD_LINEAR, 1 / EXPONENT


def bits_of(role: Role, bits: int) -> int:
    """Bits that a role takes in a file of so many: depth and data always 16, since 8 would show as steps."""
    return 16 if role in ("depth", "data") else bits


@parallel_kernel
def _straight_encoded(premultiplied, top, out):  # type: ignore[no-untyped-def]
    """Premultiplied linear [H, W, 4] to straight sRGB code values; out [H, W, 4].

    Where alpha rounds to zero, colour is zero too, so that no filter of a receiver can drag a colour into an edge.
    """
    for y in numba.prange(premultiplied.shape[0]):
        for x in range(premultiplied.shape[1]):
            alpha = min(1.0, max(0.0, float(premultiplied[y, x, 3])))
            code = int(alpha * top + 0.5)
            out[y, x, 3] = code
            for k in range(3):
                value = 0.0
                if code > 0:
                    value = min(1.0, max(0.0, premultiplied[y, x, k] / alpha))
                    if value <= _THRESHOLD:
                        value = value * _SLOPE
                    else:
                        value = (1.0 + _OFFSET) * value**_INVERSE - _OFFSET
                out[y, x, k] = int(value * top + 0.5)


def codes(plane: Plane, bits: int) -> NDArray[Any]:
    """Whole numbers [H, W] or [H, W, 3 or 4] (red first) of a plane, uint8 or uint16."""
    bits = bits_of(plane.role, bits)
    top = (1 << bits) - 1
    dtype = np.uint8 if bits == 8 else np.uint16
    if plane.role in ("colour", "light"):
        out = np.empty(plane.pixels.shape, dtype)
        with PARALLEL:
            _straight_encoded(np.ascontiguousarray(plane.pixels), float(top), out)
        return out
    if plane.role == "coverage":
        share = np.clip(plane.pixels.astype(np.float64), 0, 1)
    elif plane.role == "depth":
        ((near, far),) = plane.spread
        share = np.clip((far - plane.pixels.astype(np.float64)) / max(far - near, 1e-9), 0, 1)
        share[plane.pixels >= NO_DEPTH] = 0
    else:
        low, high = np.array(plane.spread).T
        share = np.clip((plane.pixels - low) / np.maximum(high - low, 1e-9), 0, 1)
        if plane.there is not None:
            share[~plane.there] = 0
        if share.shape[2] < 3:
            share = np.concatenate([share, np.zeros((*share.shape[:2], 3 - share.shape[2]))], axis=2)
    return (share * top + 0.5).astype(dtype)
