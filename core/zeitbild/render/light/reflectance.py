"""What surfaces reflect of even light, by how they are seen and how rough they are: the second factor of the split-sum approximation (Karis,
SIGGRAPH 2013 course on physically based shading), the same whatever stands around the set."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from zeitbild.render.visible.sampling import radical_inverse

_TABLE = 32
#: Reflectance of dielectrics at normal incidence (glTF 2.0, appendix B.3.3).
_DIELECTRIC = 0.04
_TABLE_SAMPLES = 1024


def _facings() -> NDArray[np.float64]:
    """Cosines of the table's rows; the least is that of ``metal_rough.LEAST_COSINE``."""
    return np.maximum(np.arange(_TABLE) / (_TABLE - 1), 1e-3)


@lru_cache(maxsize=1)
def reflectance_table() -> NDArray[np.float32]:
    """Scale and bias [32, 32, 2] of the normal-incidence reflectance, by n.v (rows) and roughness (columns), in one row; then,
    for each roughness, what a dielectric mirrors as a polynomial [32, 4] (``metal_rough.matt_fit``).

    Integral of the GGX reflection lobe with height-correlated Smith visibility and Schlick's Fresnel term (glTF 2.0,
    appendix B), by importance sampling with a Hammersley set.
    """
    inverse = radical_inverse(2, _TABLE_SAMPLES) + 0.5 / _TABLE_SAMPLES
    azimuth = 2 * math.pi * (np.arange(_TABLE_SAMPLES) + 0.5) / _TABLE_SAMPLES
    table = np.empty((_TABLE, _TABLE, 2))
    for column, rough in enumerate(np.arange(_TABLE) / (_TABLE - 1)):
        # As sharp as the model's lobes get.
        square = max(rough**2, 0.0016) ** 2
        cosine = np.sqrt((1 - inverse) / (1 + (square - 1) * inverse))
        sine = np.sqrt(1 - cosine**2)
        for row, facing in enumerate(_facings()):
            view_x, view_z = math.sqrt(1 - facing**2), facing
            view_half = np.maximum(view_x * sine * np.cos(azimuth) + view_z * cosine, 0)
            light_z = 2 * view_half * cosine - view_z
            lit = light_z > 0
            n_l, n_h, v_h = light_z[lit], cosine[lit], view_half[lit]
            visible = (
                2
                * n_l
                / (
                    n_l * math.sqrt(facing**2 * (1 - square) + square)
                    + facing * np.sqrt(n_l**2 * (1 - square) + square)
                )
            )
            weight = visible * v_h * facing / (n_h * facing)
            fresnel = (1 - v_h) ** 5
            table[row, column] = (
                (weight * (1 - fresnel)).sum() / _TABLE_SAMPLES,
                (weight * fresnel).sum() / _TABLE_SAMPLES,
            )
    facing = _facings()
    powers = np.stack([np.ones(_TABLE), (1 - facing) ** 2, (1 - facing) ** 5], axis=1)
    fits = np.empty((_TABLE, 4))
    for column in range(_TABLE):
        scale, bias = table[:, column].T
        lost = 1 / (scale + bias) - 1
        mirrored = (_DIELECTRIC * scale + bias) * (1 + _DIELECTRIC * lost)
        # Weighed by the cosine, as light that arrives evenly is.
        root = np.sqrt(facing)[:, None]
        fits[column, :3] = np.linalg.lstsq(powers * root, mirrored * root[:, 0], rcond=None)[0]
        # The mean of (1 - cosine)^k so weighed is 2 / ((k + 1) (k + 2)).
        fits[column, 3] = 1 / (1 - fits[column, 0] - fits[column, 1] / 6 - fits[column, 2] / 21)
    result = np.concatenate([table.reshape(-1), fits.reshape(-1)]).astype(np.float32)
    result.flags.writeable = False
    return result
