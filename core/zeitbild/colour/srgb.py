"""sRGB transfer functions (IEC 61966-2-1) and luminance (ITU-R BT.709)."""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

# IEC 61966-2-1, as printed.
THRESHOLD_ENCODED = 0.04045
THRESHOLD_LINEAR = 0.0031308
SLOPE = 12.92
OFFSET = 0.055
EXPONENT = 2.4

#: ITU-R BT.709: luminance of linear red, green and blue.
LUMINANCE = (0.2126, 0.7152, 0.0722)

_HEX = re.compile(r"^#[0-9a-fA-F]{6}$")
#: A colour between two that people wrote: four digits a part, so that slow fades do not go in steps.
_FINE_HEX = re.compile(r"^#[0-9a-f]{12}$")


def is_hex(text: str) -> bool:
    """Whether a colour is written as people write it."""
    return bool(_HEX.match(text))


def decode(encoded: ArrayLike) -> NDArray[np.float64]:
    """Linear light of encoded values in 0..1, any shape, float64."""
    values = np.asarray(encoded, dtype=np.float64)
    curved = ((np.maximum(values, THRESHOLD_ENCODED) + OFFSET) / (1 + OFFSET)) ** EXPONENT
    return np.where(values <= THRESHOLD_ENCODED, values / SLOPE, curved)


def encode(linear: ArrayLike) -> NDArray[np.float64]:
    """Encoded values of linear light, any shape, float64. Values below 0 follow the straight part."""
    values = np.asarray(linear, dtype=np.float64)
    curved = (1 + OFFSET) * np.maximum(values, THRESHOLD_LINEAR) ** (1 / EXPONENT) - OFFSET
    return np.where(values <= THRESHOLD_LINEAR, values * SLOPE, curved)


@lru_cache(maxsize=4096)
def decode_hex(text: str) -> tuple[float, float, float]:
    """Linear red, green and blue in 0..1 of a colour written ``#rrggbb`` (or with four digits a part); ValueError otherwise."""
    if _FINE_HEX.match(text):
        red, green, blue = decode([int(text[at : at + 4], 16) / 65535 for at in (1, 5, 9)])
        return float(red), float(green), float(blue)
    if not _HEX.match(text):
        raise ValueError(f"{text!r} is not a colour; write it as #rrggbb")
    red, green, blue = decode([int(text[at : at + 2], 16) / 255 for at in (1, 3, 5)])
    return float(red), float(green), float(blue)


def encode_hex(colour: Sequence[float]) -> str:
    """``#rrggbb`` of linear red, green and blue, each cut off at 0 and 1."""
    parts = encode(np.clip(np.asarray(colour, np.float64), 0.0, 1.0))
    return "#" + "".join(f"{round(255 * float(part)):02x}" for part in parts)
