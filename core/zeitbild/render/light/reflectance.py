"""What surfaces reflect of even light, by how they are seen and how rough they are: the second factor of the split-sum approximation (Karis,
SIGGRAPH 2013 course on physically based shading), the same whatever stands around the set."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import kernel
from zeitbild.render.light.environment import SHARPEST
from zeitbild.render.visible.sampling import radical_inverse

#: Rows and columns of the table, and the numbers of an entry.
TABLE, ENTRY = 32, 4
#: Reflectance of dielectrics at normal incidence (glTF 2.0, appendix B.3.3).
DIELECTRIC = 0.04
#: Smallest cosine between normal and view that the model takes.
LEAST_COSINE = 1e-3
_SAMPLES = 1024


def _facings() -> NDArray[np.float64]:
    """Cosines of the table's rows."""
    return np.maximum(np.arange(TABLE) / (TABLE - 1), LEAST_COSINE)


@kernel
def _sum_lobes(facings, alphas, samples, out):  # type: ignore[no-untyped-def]
    """By n.v (rows) and squared roughness (columns) out [n, n, 4]: scale and bias of the normal-incidence reflectance; the mean direction of
    what a lobe that reflects all takes: how far along the surface, away from the view, and up from it.

    Integrals of the GGX reflection lobe with height-correlated Smith visibility and Schlick's Fresnel term (glTF 2.0, appendix B), over
    half vectors: samples [m, 3] are tangents of their angles, over alpha, cosines of their azimuths, and weights.
    """
    for row in range(facings.shape[0]):
        n_v = facings[row]
        aside = math.sqrt(1 - n_v * n_v)
        for column in range(alphas.shape[0]):
            square = alphas[column] ** 2
            seen_root = math.sqrt(n_v * n_v * (1 - square) + square)
            whole = bias = along = up = 0.0
            for k in range(samples.shape[0]):
                slope = alphas[column] * samples[k, 0]
                n_h = 1 / math.sqrt(1 + slope * slope)
                across = slope * n_h * samples[k, 1]
                v_h = aside * across + n_v * n_h
                n_l = 2 * v_h * n_h - n_v
                if v_h <= 0 or n_l <= 0:
                    continue
                root = math.sqrt(n_l * n_l * (1 - square) + square)
                weight = samples[k, 2] * 2 * n_l * v_h / (n_h * (n_l * seen_root + n_v * root))
                whole += weight
                bias += weight * (1 - v_h) ** 5
                along += weight * (aside - 2 * v_h * across)
                up += weight * n_l
            out[row, column, 0], out[row, column, 1] = whole - bias, bias
            out[row, column, 2], out[row, column, 3] = along / whole, up / whole


@lru_cache(maxsize=1)
def reflectance_table() -> NDArray[np.float32]:
    """By n.v (rows) and roughness (columns) [32, 32, 4], in one row: scale and bias of the normal-incidence reflectance; how far what is
    mirrored of surroundings leans from the mirror direction (0) to the normal (1); the roughness whose lobe is as wide, looked
    at straight. Then, for each roughness, what a dielectric mirrors as a polynomial [32, 4] (``metal_rough.matt_fit``).

    Seen at a slant, a lobe points more towards the normal than the mirror direction does, and is narrower or wider than seen straight:
    surroundings are kept blurred by straight lobes (``environment``), of which that one is taken that has the same mean direction.
    """
    facings, roughs = _facings(), np.maximum(np.arange(TABLE) / (TABLE - 1), SHARPEST)
    # A Hammersley set, spaced so that tails get as many as the core.
    turned = (radical_inverse(2, _SAMPLES) + 0.5 / _SAMPLES) * (math.pi / 2)
    azimuth = math.pi * (np.arange(_SAMPLES) + 0.5) / _SAMPLES
    shares = np.sin(2 * turned) * (math.pi / 2 / _SAMPLES)
    found = np.empty((TABLE, TABLE, ENTRY))
    _sum_lobes(facings, roughs**2, np.stack([np.tan(turned), np.cos(azimuth), shares], axis=1), found)
    table = np.empty((TABLE, TABLE, ENTRY))
    table[..., :2] = found[..., :2]
    mirror, mean = np.arccos(facings)[:, None], np.arctan2(found[..., 2], found[..., 3])
    lean = 1 - np.sin(mean) / np.maximum(np.sin(mirror - mean) + np.sin(mean), 1e-9)
    # Straight ahead it is nought by nought.
    lean[-1] = lean[-2]
    table[..., 2] = np.clip(lean, 0, 1)
    # The wider a lobe, the shorter its mean direction: by the fourth power of roughness, where it is narrow.
    widths = np.maximum(1 - np.hypot(found[..., 2], found[..., 3]), 0) ** 0.25
    table[..., 3] = np.interp(widths, widths[-1, 1:], roughs[1:])
    facing = facings
    powers = np.stack([np.ones(TABLE), (1 - facing) ** 2, (1 - facing) ** 5], axis=1)
    fits = np.empty((TABLE, 4))
    for column in range(TABLE):
        scale, bias = table[:, column, :2].T
        lost = 1 / (scale + bias) - 1
        mirrored = (DIELECTRIC * scale + bias) * (1 + DIELECTRIC * lost)
        # Weighed by the cosine, as light that arrives evenly is.
        root = np.sqrt(facing)[:, None]
        fits[column, :3] = np.linalg.lstsq(powers * root, mirrored * root[:, 0], rcond=None)[0]
        # The mean of (1 - cosine)^k so weighed is 2 / ((k + 1) (k + 2)).
        fits[column, 3] = 1 / (1 - fits[column, 0] - fits[column, 1] / 6 - fits[column, 2] / 21)
    result = np.concatenate([table.reshape(-1), fits.reshape(-1)]).astype(np.float32)
    result.flags.writeable = False
    return result
