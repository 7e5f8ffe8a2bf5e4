"""The lobe of rough surfaces: GGX facets that shadow one another (glTF 2.0, appendix B)."""

from __future__ import annotations

import math

import numpy as np

from zeitbild.kernels import inlined_kernel

_HALF, _ONE = np.float32(0.5), np.float32(1)


@inlined_kernel
def shadowing(n, square):  # type: ignore[no-untyped-def]
    """The root in Smith's height-correlated visibility for the cosine n; square is roughness to the fourth."""
    return math.sqrt(n * n * (_ONE - square) + square)


@inlined_kernel
def ggx_lobe(n_l, n_v, n_h, square, seen_root):  # type: ignore[no-untyped-def]
    """Pi times D times V: GGX distribution and height-correlated Smith visibility, in 1/sr.

    square is roughness to the fourth, seen_root ``shadowing`` of n_v: both are the same for every light.
    """
    spread = n_h * n_h * (square - _ONE) + _ONE
    # One division for both factors.
    return _HALF * square / (spread * spread * (n_l * seen_root + n_v * shadowing(n_l, square)))
