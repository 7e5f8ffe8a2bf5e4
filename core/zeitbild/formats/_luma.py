"""Colour to luma and two differences (ITU-R BT.709-6, 3.2 to 3.5, narrow range), and into the frames of FFmpeg's libraries.

Its own scaler gave other bytes from one time to the next where a width is odd.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numba
import numpy as np
from av.video.frame import VideoFrame
from numpy.typing import NDArray

from zeitbild.colour.stretches import find_stretches, room_for, take_over
from zeitbild.colour.transfer import Transfer
from zeitbild.kernels import PARALLEL, kernel, parallel_kernel

#: Weights of red and blue in luma.
RED, BLUE = 0.2126, 0.0722
_RED, _GREEN, _BLUE = np.float32(RED), np.float32(1 - RED - BLUE), np.float32(BLUE)
#: What differences are divided by: they reach from -1/2 to 1/2.
_OF_BLUE, _OF_RED = np.float32(0.5 / (1 - BLUE)), np.float32(0.5 / (1 - RED))
_ZERO, _ONE, _HALF, _QUARTER = np.float32(0), np.float32(1), np.float32(0.5), np.float32(0.25)
#: Steps of the square roots of light in whose middles its curve is known: half of one is less than a hundredth of a step of 10 bits.
_STEPS = 65536


@kernel
def _put(rows, place, down, across, bits, luma, blue, red, alpha):  # type: ignore[no-untyped-def]
    """Encoded colours [R, 4, W] in 0..1 of the rows that share differences into row ``place`` of these, and what they are of luma and alpha.
    Where two columns share a difference it lies on the left one (H.273, chroma sample location 0): half of it is that column's, a quarter
    that of each neighbour; two rows are shared evenly. Planes may be wider than the picture: behind its end the last column goes on."""
    count, width = rows.shape[0], rows.shape[2]
    scale = np.float32(1 << (bits - 8))
    full = np.float32((1 << bits) - 1)
    first = place * down
    for own in range(count):
        y = first + own
        reds, greens, blues, line = rows[own, 0], rows[own, 1], rows[own, 2], luma[y]
        for x in range(width):
            light = _RED * reds[x] + _GREEN * greens[x] + _BLUE * blues[x]
            line[x] = np.int32((np.float32(16) + np.float32(219) * light) * scale + _HALF)
        luma[y, width:] = luma[y, width - 1]
        if alpha.shape[0] > 0:
            shares, line = rows[own, 3], alpha[y]
            for x in range(width):
                line[x] = np.int32(shares[x] * full + _HALF)
            alpha[y, width:] = alpha[y, width - 1]
    # The mean of the rows, in the first one; then of columns.
    wide = (width + across - 1) // across
    for k in range(3):
        mean = rows[0, k]
        if count > 1:
            below = rows[1, k]
            for x in range(width):
                mean[x] = (mean[x] + below[x]) * _HALF
        if across > 1:
            before = mean[0]
            for at in range(wide):
                x = at * across
                behind = mean[min(x + 1, width - 1)]
                own = _HALF * mean[x] + _QUARTER * (before + behind)
                before = behind
                mean[at] = own
    reds, greens, blues, of_blue, of_red = rows[0, 0], rows[0, 1], rows[0, 2], blue[place], red[place]
    for at in range(wide):
        light = _RED * reds[at] + _GREEN * greens[at] + _BLUE * blues[at]
        of_blue[at] = np.int32((np.float32(128) + np.float32(224) * (blues[at] - light) * _OF_BLUE) * scale + _HALF)
        of_red[at] = np.int32((np.float32(128) + np.float32(224) * (reds[at] - light) * _OF_RED) * scale + _HALF)
    blue[place, wide:] = blue[place, wide - 1]
    red[place, wide:] = red[place, wide - 1]


@parallel_kernel
def _split(colours, top, across, down, bits, luma, blue, red, alpha):  # type: ignore[no-untyped-def]
    """Codes [H, W, 3 or 4] up to ``top`` into planes of luma, differences and alpha (or one of no length); see ``_put``."""
    height, width, channels = colours.shape
    for place in numba.prange(-(-height // down)):
        count = min(down, height - place * down)
        rows = np.empty((count, 4, width), np.float32)
        for own in range(count):
            for x in range(width):
                for k in range(channels):
                    rows[own, k, x] = colours[place * down + own, x, k] / top
        _put(rows, place, down, across, bits, luma, blue, red, alpha)


@kernel
def _encoded_row(given, curve, times_alpha, ends, places, row):  # type: ignore[no-untyped-def]
    """Premultiplied light [W, 4] into encoded colours and alpha: row [4, W]. places [W] is room, ends for ``find_stretches``. Where alpha
    rounds to zero in 16 bits, colour is zero."""
    steps = np.float32(curve.shape[0] - 1)
    count = find_stretches(given, ends)
    reds, greens, blues, shares = row[0], row[1], row[2], row[3]
    for number in range(count):
        first, end = ends[number, 0], ends[number, 1]
        for x in range(first, end):
            reds[x], greens[x], blues[x] = given[x, 0], given[x, 1], given[x, 2]
            # What is no number is nothing.
            share = given[x, 3] if given[x, 3] > _ZERO else _ZERO
            shares[x] = share if share < _ONE else _ONE
        for k in range(3):
            line = row[k]
            for x in range(first, end):
                share = shares[x]
                part = _ONE / share if share * np.float32(65535) >= _HALF else _ZERO
                own = line[x] * part
                own = own if own > _ZERO else _ZERO
                places[x] = np.int32(np.sqrt(own if own < _ONE else _ONE) * steps + _HALF)
            for x in range(first, end):
                line[x] = curve[np.uint32(places[x])]
            if times_alpha:
                for x in range(first, end):
                    line[x] *= shares[x]
        take_over(ends, number, count, row)


@parallel_kernel
def _split_light(light, curve, times_alpha, across, down, bits, room, luma, blue, red, alpha):  # type: ignore[no-untyped-def]
    """``_split`` of premultiplied light [H, W, 4]; curve has encoded values of evenly spaced square roots of light. room [n, m, 2], for each
    row that has its own differences, is for ``find_stretches``."""
    height, width = light.shape[:2]
    for place in numba.prange(room.shape[0]):
        count = min(down, height - place * down)
        rows, places = np.empty((count, 4, width), np.float32), np.empty(width, np.int32)
        for own in range(count):
            _encoded_row(light[place * down + own], curve, times_alpha, room[place], places, rows[own])
        _put(rows, place, down, across, bits, luma, blue, red, alpha)


@lru_cache(maxsize=8)
def _curve(transfer: Transfer) -> NDArray[np.float32]:
    """Encoded values of evenly spaced square roots of light."""
    return transfer.encode(np.linspace(0, 1, _STEPS + 1) ** 2).astype(np.float32)


class _Planes:
    """The planes of a new frame, to be filled."""

    def __init__(self, width: int, height: int, pixels: str) -> None:
        self.frame = VideoFrame(width, height, pixels)
        self.bits = self.frame.format.components[0].bits
        kind: np.dtype[Any] = np.dtype(np.uint16 if self.bits > 8 else np.uint8)
        # Rows are longer in the frame; what lies behind them is said too, so that nothing depends on what was there before.
        self.rows = [
            np.frombuffer(memoryview(plane), kind)[: plane.height * (plane.line_size // kind.itemsize)].reshape(
                plane.height, -1
            )
            for plane in self.frame.planes
        ]
        if len(self.rows) < 4:
            self.rows.append(np.empty((0, width), kind))
        second = self.frame.planes[1]
        self.across, self.down = -(-width // second.width), -(-height // second.height)


def frame_of(colours: NDArray[Any], pixels: str) -> VideoFrame:
    """A frame of luma, differences and, if its kind of pixels has that, alpha, of codes [H, W, 3 or 4], uint8 or uint16."""
    height, width = colours.shape[:2]
    planes = _Planes(width, height, pixels)
    top = np.float32(np.iinfo(colours.dtype).max)
    with PARALLEL:
        _split(np.ascontiguousarray(colours), top, planes.across, planes.down, planes.bits, *planes.rows)
    return planes.frame


def frame_of_light(light: NDArray[np.float32], transfer: Transfer, pixels: str, *, times_alpha: bool) -> VideoFrame:
    """The same of premultiplied light [H, W, 4], straight or multiplied with alpha after it was encoded."""
    height, width = light.shape[:2]
    planes = _Planes(width, height, pixels)
    how = times_alpha, planes.across, planes.down, planes.bits
    room = np.empty((-(-height // planes.down), room_for(width), 2), np.uint64)
    with PARALLEL:
        _split_light(np.ascontiguousarray(light, np.float32), _curve(transfer), *how, room, *planes.rows)
    return planes.frame
