"""How light is written as a number: transfer functions of pictures and movies, all of one form.

``(1 + offset) light ^ exponent - offset`` above a threshold and ``slope light`` below it. sRGB: IEC 61966-2-1; Rec. 709: ITU-R
BT.709-6, 1.2 (with the constants as printed there); both with their code points in ITU-T H.273, table 3. A plain power of 2.2 and
linear light are common practice.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from zeitbild.colour import srgb


@dataclass(frozen=True, slots=True)
class Transfer:
    """A transfer function: its name, its title, and its numbers; h273 is its code point (2: it has none)."""

    name: str
    title: str
    slope: float
    offset: float
    exponent: float
    threshold: float
    h273: int

    def encode(self, linear: ArrayLike) -> NDArray[np.float64]:
        """Encoded values of linear light, any shape, float64."""
        values = np.asarray(linear, np.float64)
        curved = (1 + self.offset) * np.maximum(values, self.threshold) ** self.exponent - self.offset
        return np.where(values < self.threshold, values * self.slope, curved)

    def decode(self, encoded: ArrayLike) -> NDArray[np.float64]:
        """Linear light of encoded values, any shape, float64."""
        values = np.asarray(encoded, np.float64)
        border = self.threshold * self.slope
        curved = ((np.maximum(values, border) + self.offset) / (1 + self.offset)) ** (1 / self.exponent)
        return np.where(values < border, values / (self.slope or 1), curved)


TRANSFERS = {
    one.name: one
    for one in (
        Transfer(
            "srgb",
            "sRGB (IEC 61966-2-1)",
            srgb.SLOPE,
            srgb.OFFSET,
            1 / srgb.EXPONENT,
            srgb.THRESHOLD_LINEAR,
            13,
        ),
        Transfer("rec709", "Rec. 709 (ITU-R BT.709)", 4.5, 0.099, 0.45, 0.018, 1),
        Transfer("gamma22", "Gamma 2.2", 0.0, 0.0, 1 / 2.2, 0.0, 4),
        Transfer("linear", "Linear light", 1.0, 0.0, 1.0, 0.0, 8),
    )
}
