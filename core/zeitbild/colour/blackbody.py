"""Colour of a glowing body by its temperature.

Planck's law over the CIE 1931 colour matching functions, these by the fit of Wyman, Sloan and Shirley 2013, Simple
Analytic Approximations to the CIE XYZ Color Matching Functions, equation 4 (constants from memory; the chromaticity of
illuminant A is checked in the tests). The result is seen by an eye used to 6500 K, so that 6500 K is white.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from zeitbild.colour.srgb import LUMINANCE

#: Second radiation constant in nanometres times kelvin (CODATA 2018).
_SECOND_CONSTANT = 1.438776877e7
#: XYZ to linear Rec. 709 (IEC 61966-2-1, as printed).
_FROM_XYZ = np.array([[3.2406, -1.5372, -0.4986], [-0.9689, 1.8758, 0.0415], [0.0557, -0.2040, 1.0570]])
_LOBES = (
    ((1.056, 599.8, 37.9, 31.0), (0.362, 442.0, 16.0, 26.7), (-0.065, 501.1, 20.4, 26.2)),
    ((0.821, 568.8, 46.9, 40.5), (0.286, 530.9, 16.3, 31.1)),
    ((1.217, 437.0, 11.8, 36.0), (0.681, 459.0, 26.0, 13.8)),
)
_WHITE = 6500.0


def blackbody_xyz(kelvin: float) -> NDArray[np.float64]:
    """XYZ [3] of a black body, scaled to Y = 1."""
    wavelength = np.arange(380.0, 781.0, 5.0)
    radiance = wavelength**-5 / np.expm1(_SECOND_CONSTANT / (wavelength * kelvin))
    xyz = np.empty(3)
    for row, lobes in enumerate(_LOBES):
        matching = np.zeros_like(wavelength)
        for height, middle, below, above in lobes:
            spread = np.where(wavelength < middle, below, above)
            matching += height * np.exp(-0.5 * ((wavelength - middle) / spread) ** 2)
        xyz[row] = (matching * radiance).sum()
    scaled: NDArray[np.float64] = xyz / xyz[1]
    return scaled


@lru_cache(maxsize=256)
def temperature_colour(kelvin: float) -> tuple[float, float, float]:
    """Linear red, green, blue of a temperature in kelvin, luminance 1 (ITU-R BT.709), nothing below 0."""
    seen = np.maximum(_FROM_XYZ @ blackbody_xyz(kelvin), 0) / (_FROM_XYZ @ blackbody_xyz(_WHITE))
    seen /= (seen * LUMINANCE).sum()
    return (float(seen[0]), float(seen[1]), float(seen[2]))
