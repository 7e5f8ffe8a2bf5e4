"""What becomes of light beyond white where a file or a screen ends at white: cut off, or rolled off towards it.

Khronos PBR Neutral tone mapper (open specification; constants from memory): colours below 0.8 keep their hue and saturation,
above it they approach white. It works on straight colour in linear light; alpha is untouched.
"""

from __future__ import annotations

from typing import Literal

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL, parallel_kernel

Highlights = Literal["clipped", "rolled off"]
#: Reflectance of dielectrics, which is taken off; where compression starts; how fast colour goes.
_REFLECTED, _START, _DESATURATION = np.float32(0.04), np.float32(0.8 - 0.04), np.float32(0.15)
_ZERO, _ONE = np.float32(0), np.float32(1)


@parallel_kernel
def _roll_off(light, out):  # type: ignore[no-untyped-def]
    """Premultiplied light [H, W, 4] into out [H, W, 4]."""
    for y in numba.prange(light.shape[0]):
        for x in range(light.shape[1]):
            alpha = light[y, x, 3]
            out[y, x, 3] = alpha
            if alpha <= _ZERO:
                out[y, x, 0], out[y, x, 1], out[y, x, 2] = light[y, x, 0], light[y, x, 1], light[y, x, 2]
                continue
            scale = _ONE / alpha
            red, green, blue = light[y, x, 0] * scale, light[y, x, 1] * scale, light[y, x, 2] * scale
            least = min(red, min(green, blue))
            # Twice the reflectance is where the curve meets the line: 0.08 - 6.25 * 0.08^2 = 0.04.
            off = least - np.float32(6.25) * least * least if least < np.float32(0.08) else _REFLECTED
            red, green, blue = red - off, green - off, blue - off
            peak = max(red, max(green, blue))
            if peak >= _START:
                room = _ONE - _START
                new = _ONE - room * room / (peak + room - _START)
                red, green, blue = red * new / peak, green * new / peak, blue * new / peak
                white = _ONE - _ONE / (_DESATURATION * (peak - new) + _ONE)
                red, green, blue = red + (new - red) * white, green + (new - green) * white, blue + (new - blue) * white
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = red * alpha, green * alpha, blue * alpha


def conformed(light: NDArray[np.float32], highlights: Highlights) -> NDArray[np.float32]:
    """Premultiplied linear light [H, W, 4] on its way to what ends at white; unchanged if highlights are to be clipped."""
    if highlights == "clipped":
        return light
    out = np.empty_like(light)
    with PARALLEL:
        _roll_off(np.ascontiguousarray(light), out)
    return out
