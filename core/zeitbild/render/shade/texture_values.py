"""Values of textures: at a place, and over what a pixel covers.

Mean pictures of halved size stand for what is smaller than a pixel (Williams 1983, Pyramidal Parametrics). What a pixel covers of a
picture is long and narrow on what is seen at a small angle: at check and final it is looked at in several places along and across, at
each as sharply as places lie apart (after McCormack et al. 1999, Feline), so that it is the mean of what lies in the pixel and no more.

All kernels take values and table as in ``texels.Texels``, and the number of a texture from 0 on.
"""

from __future__ import annotations

import math

import numpy as np

from zeitbild.kernels import inlined_kernel, kernel
from zeitbild.snapshot.texture import HARD, ONCE

_ONCE, _HARD = ONCE, HARD
_ZERO, _HALF, _ONE, _TWO = np.float32(0), np.float32(0.5), np.float32(1), np.float32(2)
_SMALL = np.float32(1e-9)
_TO_LOG2 = np.float32(1 / math.log(2))
#: Places along a pixel at most, where it covers something long and narrow.
_MOST_PLACES = np.float32(16)
#: Cosine of what its sides enclose, from which on it is no rectangle any more.
_SLANTED = np.float32(0.1)
#: So much of a place is nothing: numbers are rounded.
_ALMOST = np.float32(0.01)
#: Texels that nothing covers: a triangle that is seen edge-on.
_ENDLESS = np.float32(1e6)


@inlined_kernel
def _texel(values, table, number, level, u, v, soft_u, soft_v):  # type: ignore[no-untyped-def]
    """Bilinear value (three numbers) of one level; the picture repeats, or is seen once. soft_u and soft_v are how much of a texel the
    way from one to the next takes: all of it, or less where pixels are to stay whole."""
    at = 1 + 3 * level
    offset, width, height = table[number, at], table[number, at + 1], table[number, at + 2]
    x, y = u * np.float32(width) - _HALF, v * np.float32(height) - _HALF
    left, top = math.floor(x), math.floor(y)
    fx, fy = np.float32(x - left), np.float32(y - top)
    if soft_u < _ONE:
        fx = max(_ZERO, min(_ONE, (fx - _HALF) / soft_u + _HALF))
    if soft_v < _ONE:
        fy = max(_ZERO, min(_ONE, (fy - _HALF) / soft_v + _HALF))
    x0, y0 = int(left), int(top)
    x1, y1 = x0 + 1, y0 + 1
    if x0 < 0 or y0 < 0 or x0 >= width - 1 or y0 >= height - 1:
        # Most places do not lie at a border, and dividing takes long.
        if table[number, _ONCE] != 0:
            x0, y0 = max(0, min(x0, width - 1)), max(0, min(y0, height - 1))
            x1, y1 = max(0, min(x1, width - 1)), max(0, min(y1, height - 1))
        else:
            x0, y0 = x0 % width, y0 % height
            x1, y1 = (x0 + 1) % width, (y0 + 1) % height
    a, b = np.uint64(offset + y0 * width + x0), np.uint64(offset + y0 * width + x1)
    c, d = np.uint64(offset + y1 * width + x0), np.uint64(offset + y1 * width + x1)
    wa, wb, wc, wd = (_ONE - fx) * (_ONE - fy), fx * (_ONE - fy), (_ONE - fx) * fy, fx * fy
    return (
        values[a, 0] * wa + values[b, 0] * wb + values[c, 0] * wc + values[d, 0] * wd,
        values[a, 1] * wa + values[b, 1] * wb + values[c, 1] * wc + values[d, 1] * wd,
        values[a, 2] * wa + values[b, 2] * wb + values[c, 2] * wc + values[d, 2] * wd,
    )


@inlined_kernel
def _level_of(size, last):  # type: ignore[no-untyped-def]
    """Which level has texels of a size, or somewhat less, and how far the next is mixed with it."""
    wanted = max(_ZERO, min(np.float32(last), np.float32(math.log(max(size, _ONE))) * _TO_LOG2))
    level = min(int(wanted), last)
    return level, np.float32(wanted) - np.float32(level)


@inlined_kernel
def look_up(values, table, number, u, v, wide_u, wide_v):  # type: ignore[no-untyped-def]
    """Value (three numbers) of a texture at shares of its width and height from its upper left corner; wide_u and wide_v are what a pixel
    covers of them."""
    width, height = np.float32(table[number, 1 + 1]), np.float32(table[number, 1 + 2])
    last = table[number, 0] - 1
    level, blend = _level_of(np.float32(max(wide_u * width, wide_v * height)), last)
    soft_u = soft_v = _ONE
    if table[number, _HARD] != 0 and level == 0:
        soft_u, soft_v = max(_SMALL, min(_ONE, wide_u * width)), max(_SMALL, min(_ONE, wide_v * height))
    red, green, blue = _texel(values, table, number, level, u, v, soft_u, soft_v)
    if blend > _ZERO and level < last:
        r, g, b = _texel(values, table, number, level + 1, u, v, _ONE, _ONE)
        red, green, blue = red + (r - red) * blend, green + (g - green) * blend, blue + (b - blue) * blend
    return red, green, blue


@inlined_kernel
def _side_by_side(length, size):  # type: ignore[no-untyped-def]
    """How many places of a size cover a length, and how far they are apart, in lengths. Two part from where one stood, so that nothing
    jumps as a second one is needed."""
    count = max(1, math.ceil(length / size - _ALMOST))
    if count > 2:
        return count, _ONE / np.float32(count)
    return count, max(_ZERO, _ONE - size / max(length, _SMALL))


@kernel
def look_up_finely(values, table, number, cut, u, v, across_u, across_v, down_u, down_v):  # type: ignore[no-untyped-def]
    """The mean of a texture over what a pixel covers: a parallelogram about its place with the sides across and down, in shares of width
    and height. Places lie in it side by side, each as wide as two go into its lesser side: what is halved is the mean of its texels. Each
    counts as much as texture ``cut`` (none below 0), of the same size, says.
    """
    width, height = np.float32(table[number, 1 + 1]), np.float32(table[number, 1 + 2])
    # In texels.
    ax, ay, bx, by = across_u * width, across_v * height, down_u * width, down_v * height
    first, second = math.sqrt(ax * ax + ay * ay), math.sqrt(bx * bx + by * by)
    slant = ax * bx + ay * by
    if abs(slant) > _SLANTED * first * second:
        # Of a slanted parallelogram the axes of the ellipse in it.
        turn = _HALF * np.float32(math.atan2(_TWO * slant, first * first - second * second))
        c, s = np.float32(math.cos(turn)), np.float32(math.sin(turn))
        ax, ay, bx, by = c * ax + s * bx, c * ay + s * by, c * bx - s * ax, c * by - s * ay
        first, second = math.sqrt(ax * ax + ay * ay), math.sqrt(bx * bx + by * by)
    wide_u, wide_v = math.sqrt(ax * ax + bx * bx), math.sqrt(ay * ay + by * by)
    longer, last = np.float32(max(first, second)), table[number, 0] - 1
    # Beside each other in a picture without halves lies what has nothing to do with each other (``models``: colours of corners).
    if not longer > _ONE or not longer < _ENDLESS or last == 0:
        return look_up(values, table, number, u, v, wide_u / width, wide_v / height)
    size = np.float32(max(_ONE, _HALF * min(first, second), longer / _MOST_PLACES))
    along, step_along = _side_by_side(first, size)
    aside, step_aside = _side_by_side(second, size)
    level, blend = _level_of(size, last)
    mixed = blend > _ZERO and level < last
    weighed = cut >= 0 and table[cut, 1 + 1] == table[number, 1 + 1] and table[cut, 1 + 2] == table[number, 1 + 2]
    weight, total = _ONE, _ZERO
    red = green = blue = _ZERO
    for i in range(along):
        t = step_along * (np.float32(i) - _HALF * np.float32(along - 1))
        for j in range(aside):
            w = step_aside * (np.float32(j) - _HALF * np.float32(aside - 1))
            own_u, own_v = u + (t * ax + w * bx) / width, v + (t * ay + w * by) / height
            r, g, b = _texel(values, table, number, level, own_u, own_v, _ONE, _ONE)
            if mixed:
                other_r, other_g, other_b = _texel(values, table, number, level + 1, own_u, own_v, _ONE, _ONE)
                r, g, b = r + (other_r - r) * blend, g + (other_g - g) * blend, b + (other_b - b) * blend
            if weighed:
                weight, _, _ = _texel(values, table, cut, level, own_u, own_v, _ONE, _ONE)
                weight = max(weight, _SMALL)
            total += weight
            red, green, blue = red + r * weight, green + g * weight, blue + b * weight
    count = _ONE / total
    return red * count, green * count, blue * count
