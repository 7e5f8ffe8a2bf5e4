"""What becomes of light beyond white where a file or a screen ends at white: cut off, or rolled off towards it.

Khronos PBR Neutral tone mapper (open specification; constants from memory): colours below 0.8 keep their hue and saturation,
above it they approach white. It works on straight colour in linear light; alpha is untouched.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL, inlined_kernel, parallel_kernel

Highlights = Literal["clipped", "rolled off"]
BeyondAlpha = Literal["alpha raised", "clipped"]
#: Reflectance of dielectrics, which is taken off; where compression starts; how fast colour goes.
_REFLECTED, _START, _DESATURATION = np.float32(0.04), np.float32(0.8 - 0.04), np.float32(0.15)
_ZERO, _ONE, _HALF_A_LEVEL = np.float32(0), np.float32(1), np.float32(0.5 / 255)


@inlined_kernel
def _rolled(red, green, blue):  # type: ignore[no-untyped-def]
    """Straight colour, rolled off."""
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
    return red, green, blue


@parallel_kernel
def _roll_off(light, out):  # type: ignore[no-untyped-def]
    """Premultiplied light [H, W, 4] into out [H, W, 4]."""
    for y in numba.prange(light.shape[0]):
        for x in range(light.shape[1]):
            alpha = light[y, x, 3]
            red, green, blue = light[y, x, 0], light[y, x, 1], light[y, x, 2]
            if alpha > _ZERO:
                scale = _ONE / alpha
                red, green, blue = _rolled(red * scale, green * scale, blue * scale)
                red, green, blue = red * alpha, green * alpha, blue * alpha
            out[y, x, 0], out[y, x, 1], out[y, x, 2], out[y, x, 3] = red, green, blue, alpha


@parallel_kernel
def _hold(light, rolls, ground, out, over):  # type: ignore[no-untyped-def]
    """Premultiplied light [H, W, 4] into out [H, W, 4], rolled off or not, with no channel beyond alpha, and alpha within 0..1; over [H]
    counts pixels that lose more than half of 1/255. Laid over a ground [3], or, if it has no length, as it is."""
    laid = ground.shape[0] > 0
    for y in numba.prange(light.shape[0]):
        for x in range(light.shape[1]):
            there = light[y, x, 3]
            red, green, blue = light[y, x, 0], light[y, x, 1], light[y, x, 2]
            if rolls and there > _ZERO:
                scale = _ONE / there
                red, green, blue = _rolled(red * scale, green * scale, blue * scale)
                red, green, blue = red * there, green * there, blue * there
            # Written so that what is no number is nothing: neither files nor their kernels can hold it.
            alpha = min(there, _ONE) if there > _ZERO else _ZERO
            if max(red, max(green, blue)) > alpha + _HALF_A_LEVEL:
                over[y] += 1
            red = min(red, alpha) if red > _ZERO else _ZERO
            green = min(green, alpha) if green > _ZERO else _ZERO
            blue = min(blue, alpha) if blue > _ZERO else _ZERO
            if laid:
                rest = _ONE - alpha
                red, green, blue = red + rest * ground[0], green + rest * ground[1], blue + rest * ground[2]
                alpha = _ONE
            out[y, x, 0], out[y, x, 1], out[y, x, 2], out[y, x, 3] = red, green, blue, alpha


def beyond_alpha(light: NDArray[np.float32], covered: NDArray[np.float32] | None) -> NDArray[np.float32]:
    """Light [H, W] of see-through elements that is more than their alpha, in the channel where it is most; 0 elsewhere.

    light [H, W, 4] premultiplied; covered [H, W] as in ``Picture``. An opaque surface brighter than white is not meant.
    """
    if covered is None:
        return np.zeros(light.shape[:2], np.float32)
    alpha = light[..., 3]
    # Alpha and area are kept in half floats: what differs by their rounding is the same.
    clear = covered > alpha + np.float32(2**-10)
    more = np.minimum(light[..., :3].max(axis=2), covered) - alpha
    found: NDArray[np.float32] = np.where(clear, np.maximum(more, 0), 0).astype(np.float32)
    return found


def _within_alpha(light: NDArray[np.float32], more: NDArray[np.float32], beyond: BeyondAlpha) -> NDArray[np.float32]:
    """Light [H, W, 4] with alpha raised by what is beyond it (more [H, W]), or with that light cut off."""
    if not more.any():
        return light
    light = light.copy()
    if beyond == "alpha raised":
        light[..., 3] += more
    else:
        clear = more > 0
        light[clear, :3] = np.minimum(light[clear, :3], light[clear, 3:])
    return light


def as_in_files(
    light: NDArray[np.float32],
    covered: NDArray[np.float32] | None,
    highlights: Highlights,
    beyond: BeyondAlpha,
) -> NDArray[np.float32]:
    """Premultiplied linear light [H, W, 4] as a screen is to show it: as straight files have it, but for what a screen cuts off
    at white by itself."""
    return conformed(_within_alpha(light, beyond_alpha(light, covered), beyond), highlights)


def conformed(light: NDArray[np.float32], highlights: Highlights) -> NDArray[np.float32]:
    """Premultiplied linear light [H, W, 4] on its way to what ends at white; unchanged if highlights are to be clipped."""
    if highlights == "clipped":
        return light
    out = np.empty_like(light)
    with PARALLEL:
        _roll_off(np.ascontiguousarray(light), out)
    return out


@dataclass(frozen=True, slots=True, eq=False)
class Conformed:
    """Light that a straight file holds: pixels [H, W, 4] premultiplied, no channel beyond alpha; how many pixels had light
    beyond their alpha (``beyond_alpha``, by more than half of 1/255), and how many are clipped at white."""

    pixels: NDArray[np.float32]
    beyond: int
    clipped: int


def for_straight(
    light: NDArray[np.float32],
    covered: NDArray[np.float32] | None,
    highlights: Highlights,
    beyond: BeyondAlpha,
    ground: tuple[float, float, float] | None = None,
) -> Conformed:
    """Premultiplied linear light [H, W, 4] made ready for files of straight colour that end at white; if there is a ground (linear
    light), laid over it, opaque.

    Where see-through elements give more light than their alpha holds, alpha is raised to it, up to the area that is covered,
    or the light is clipped. Then highlights are rolled off, or clipped.
    """
    beyond_it = 0
    if covered is not None:
        more = beyond_alpha(light, covered)
        light, beyond_it = _within_alpha(light, more, beyond), int((more > 0.5 / 255).sum())
    # All at once: each by itself would go through memory once more.
    held, over = np.empty(light.shape, np.float32), np.zeros(len(light), np.int64)
    with PARALLEL:
        _hold(np.ascontiguousarray(light), highlights != "clipped", np.array(ground or (), np.float32), held, over)
    return Conformed(held, beyond_it, int(over.sum()))
