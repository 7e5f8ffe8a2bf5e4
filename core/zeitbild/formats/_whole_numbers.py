"""What files of whole numbers hold of each role, for all formats that have such; ``_expected`` says it once more for reading back.

colour, light  as its ``Coding`` says: straight, sRGB-encoded, black where alpha rounds to zero, if nothing else was chosen
coverage       as it is, not encoded
depth          near is the highest number, far and nothing are 0, even steps of distance
data           each channel from the low end of its spread (0) to the high end; nothing is 0 in all channels, a third is added
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.colour.transfer import Transfer
from zeitbild.formats._base import Plane
from zeitbild.formats._coding import Coding
from zeitbild.kernels import PARALLEL, parallel_kernel
from zeitbild.render.passes import Role
from zeitbild.render.picture import NO_DEPTH

#: Columns that are gone down at once.
_COLUMNS = 64


def bits_of(role: Role, bits: int) -> int:
    """Bits that a role takes in a file of so many: depth and data always 16, since 8 would show as steps."""
    return 16 if role in ("depth", "data") else bits


@parallel_kernel
def _encoded(premultiplied, top, slope, offset, exponent, threshold, times_alpha, dithered, out):  # type: ignore[no-untyped-def]
    """Premultiplied linear [H, W, 4] to code values; out [H, W, 4]. The curve's numbers are those of ``Transfer``.

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
                    if value < threshold:
                        value = value * slope
                    else:
                        value = (1.0 + offset) * value**exponent - offset
                    if times_alpha:
                        value *= alpha
                spread = 0.5
                if dithered:
                    # The same at every frame, so that what stands still does not swim (a hash by multiplying and mixing bits).
                    mixed = np.uint32(x) * np.uint32(0x9E3779B1) ^ np.uint32(y) * np.uint32(0x85EBCA77)
                    mixed = (mixed ^ np.uint32(k) * np.uint32(0xC2B2AE3D)) * np.uint32(0x27D4EB2F)
                    mixed = (mixed ^ (mixed >> np.uint32(15))) * np.uint32(0x2C1B3C6D)
                    spread = float((mixed >> np.uint32(8)) & np.uint32(0xFFFF)) / 65536.0
                # What is a whole number but for the last bit stays one.
                out[y, x, k] = min(int(value * top + spread + 1e-6), int(top))


@parallel_kernel
def _rounded(premultiplied, top, bounds, guesses, out):  # type: ignore[no-untyped-def]
    """The same of straight colour, rounded, by tables: bounds [top] are the light from which on the next number is nearer, guesses [n]
    numbers near those that evenly spaced square roots of light have. No power is worked out, and every number is the same."""
    last = np.float32(guesses.shape[0] - 1)
    for y in numba.prange(premultiplied.shape[0]):
        for x in range(premultiplied.shape[1]):
            alpha = min(1.0, max(0.0, float(premultiplied[y, x, 3])))
            code = int(alpha * top + 0.5)
            out[y, x, 3] = code
            if code == 0:
                out[y, x, 0] = out[y, x, 1] = out[y, x, 2] = 0
                continue
            for k in range(3):
                value = float(premultiplied[y, x, k])
                if alpha != 1.0:
                    value /= alpha
                value = min(1.0, max(0.0, value))
                near = guesses[np.int32(np.sqrt(np.float32(value)) * last)]
                while near < bounds.shape[0] and value >= bounds[near]:
                    near += 1
                while near > 0 and value < bounds[near - 1]:
                    near -= 1
                out[y, x, k] = near


@lru_cache(maxsize=16)
def _tables(transfer: Transfer, top: int) -> tuple[NDArray[np.float64], NDArray[np.int32]]:
    """bounds and guesses of ``_rounded``."""
    bounds = transfer.decode((np.arange(top) + 0.5) / top)
    roots = (np.arange(16 * (top + 1)) / (16 * (top + 1) - 1)) ** 2
    return bounds, np.minimum(transfer.encode(roots) * top + 0.5, top).astype(np.int32)


@parallel_kernel
def _nearest_above_or_below(numbers, nearest):  # type: ignore[no-untyped-def]
    """The row [H, W] of the nearest pixel of each column of codes [H, W, 4] that is not clear, -1 if there is none."""
    height, width = nearest.shape
    for part in numba.prange(-(-width // _COLUMNS)):
        first, last = part * _COLUMNS, min(part * _COLUMNS + _COLUMNS, width)
        for y in range(height):
            for x in range(first, last):
                nearest[y, x] = y if numbers[y, x, 3] != 0 else (nearest[y - 1, x] if y > 0 else np.int32(-1))
        for y in range(height - 2, -1, -1):
            for x in range(first, last):
                below, above = nearest[y + 1, x], nearest[y, x]
                if below > y and (above < 0 or below - y < y - above):
                    nearest[y, x] = below


@parallel_kernel
def _spread(nearest, numbers):  # type: ignore[no-untyped-def]
    """Give what is clear in codes [H, W, 4] the colour of the nearest pixel that is not, by the nearest of each column: along a row the
    squares of their distances are parabolas, of which the lowest counts (Meijster, Roerdink and Hesselink 2000)."""
    height, width = nearest.shape
    for y in numba.prange(height):
        # Columns whose pixel is nearest somewhere in the row, and from where on.
        columns, starts = np.empty(width, np.int64), np.empty(width, np.int64)
        last = -1
        for x in range(width):
            if nearest[y, x] < 0:
                continue
            down = np.int64(y - nearest[y, x])
            while last >= 0:
                other, at = columns[last], starts[last]
                away = np.int64(y - nearest[y, other])
                if (at - other) ** 2 + away * away <= (at - x) ** 2 + down * down:
                    break
                last -= 1
            start = np.int64(0)
            if last >= 0:
                other = columns[last]
                away = np.int64(y - nearest[y, other])
                start = 1 + (x * x - other * other + down * down - away * away) // (2 * (x - other))
            if start < width:
                last += 1
                columns[last], starts[last] = x, start
        for x in range(width - 1, -1, -1):
            own = columns[last]
            if numbers[y, x, 3] == 0:
                row = nearest[y, own]
                for k in range(3):
                    numbers[y, x, k] = numbers[row, own, k]
            if x == starts[last]:
                last -= 1


def bleed(numbers: NDArray[Any]) -> None:
    """Give what is clear in codes [H, W, 4] the colour of the nearest pixel that is not, in place."""
    if (numbers[..., 3] == 0).all():
        return
    nearest = np.empty(numbers.shape[:2], np.int32)
    with PARALLEL:
        _nearest_above_or_below(numbers, nearest)
        _spread(nearest, numbers)


def codes(plane: Plane, bits: int, coding: Coding | None = None) -> NDArray[Any]:
    """Whole numbers [H, W] or [H, W, 3 or 4] (red first) of a plane, uint8 or uint16."""
    coding = coding or Coding()
    bits = bits_of(plane.role, bits)
    top = (1 << bits) - 1
    dtype = np.uint8 if bits == 8 else np.uint16
    if plane.role in ("colour", "light"):
        out = np.empty(plane.pixels.shape, dtype)
        with PARALLEL:
            curve = coding.transfer
            pixels = np.ascontiguousarray(plane.pixels)
            dithered = coding.dithered and bits == 8
            if coding.premultiplied or dithered:
                numbers = curve.slope, curve.offset, curve.exponent, curve.threshold
                _encoded(pixels, float(top), *numbers, coding.premultiplied, dithered, out)
            else:
                _rounded(pixels, float(top), *_tables(curve, top), out)
        if coding.bled:
            bleed(out)
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
