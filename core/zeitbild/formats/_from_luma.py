"""Luma and differences back to red, green and blue, by the formulas of ITU-R BT.709-6 (3.2 to 3.5, narrow range): nothing of it is taken
from what writes movies."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from av.video.frame import VideoFrame
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL, kernel, parallel_kernel

#: Weights of red and blue in luma, once more.
_RED, _BLUE = 0.2126, 0.0722
_ZERO, _ONE, _HALF = np.float32(0), np.float32(1), np.float32(0.5)
_RED_SHARE, _BLUE_SHARE, _OF_GREEN = np.float32(_RED), np.float32(_BLUE), np.float32(1 / (1 - _RED - _BLUE))
_OF_RED, _OF_BLUE = np.float32(2 * (1 - _RED) / 224), np.float32(2 * (1 - _BLUE) / 224)
_OF_LUMA, _LOW, _MIDDLE = np.float32(1 / 219), np.float32(16), np.float32(128)


@kernel
def colours_of_row(y, luma, blue, red, alpha, across, down, bits, room, out):  # type: ignore[no-untyped-def]
    """Row y of planes [H, W] of luma, differences and alpha (or one of no height) into out [4, W], in 0..1. Where two columns share a
    difference it lies on the left of them, where two rows do between them; a line is drawn from one to the next. room [4, W + 2]."""
    high, wide = blue.shape
    width = luma.shape[1]
    scale = np.float32(1 << (bits - 8))
    middle, of_blue, of_red = _MIDDLE * scale, _OF_BLUE / scale, _OF_RED / scale
    at = max((np.float32(y) + _HALF) / np.float32(down) - _HALF, _ZERO)
    top = int(at)
    below = at - np.float32(top)
    above, bottom = _ONE - below, min(top + 1, high - 1)
    blues, reds, own_blues, own_reds = room[0], room[1], room[2], room[3]
    if across == 1:
        own_blues, own_reds = blues, reds
    upper, lower = blue[top], blue[bottom]
    for x in range(wide):
        own_blues[x] = of_blue * (np.float32(upper[x]) * above + np.float32(lower[x]) * below - middle)
    upper, lower = red[top], red[bottom]
    for x in range(wide):
        own_reds[x] = of_red * (np.float32(upper[x]) * above + np.float32(lower[x]) * below - middle)
    if across == 2:
        # Behind the last column it goes on as it is.
        own_blues[wide], own_reds[wide] = own_blues[wide - 1], own_reds[wide - 1]
        for x in range(wide):
            blues[2 * x], blues[2 * x + 1] = own_blues[x], _HALF * (own_blues[x] + own_blues[x + 1])
            reds[2 * x], reds[2 * x + 1] = own_reds[x], _HALF * (own_reds[x] + own_reds[x + 1])
    low, of_luma = _LOW * scale, _OF_LUMA / scale
    line, reds_out, greens_out, blues_out, shares = luma[y], out[0], out[1], out[2], out[3]
    for x in range(width):
        light = (np.float32(line[x]) - low) * of_luma
        b, r = light + blues[x], light + reds[x]
        g = (light - _RED_SHARE * r - _BLUE_SHARE * b) * _OF_GREEN
        reds_out[x] = min(max(r, _ZERO), _ONE)
        greens_out[x] = min(max(g, _ZERO), _ONE)
        blues_out[x] = min(max(b, _ZERO), _ONE)
        shares[x] = _ONE
    if alpha.shape[0] > 0:
        line, full = alpha[y], np.float32((1 << bits) - 1)
        for x in range(width):
            shares[x] = np.float32(line[x]) / full


@parallel_kernel
def _joined(luma, blue, red, alpha, across, down, bits, out):  # type: ignore[no-untyped-def]
    """``colours_of_row`` of all rows, into out [H, W, 4]."""
    height, width = luma.shape
    for y in numba.prange(height):
        row, room = np.empty((4, width), np.float32), np.empty((4, width + 2), np.float32)
        colours_of_row(y, luma, blue, red, alpha, across, down, bits, room, row)
        for x in range(width):
            out[y, x, 0], out[y, x, 1], out[y, x, 2], out[y, x, 3] = row[0, x], row[1, x], row[2, x], row[3, x]


@dataclass(frozen=True, slots=True, eq=False)
class Luma:
    """A frame as a movie holds it: planes [H, W] of luma, of blue and red differences (one or two columns and rows share one), and of alpha
    (none: 1 everywhere, a plane of no height), of so many bits. Alpha goes from 0 to the highest number."""

    luma: NDArray[Any]
    blue: NDArray[Any]
    red: NDArray[Any]
    alpha: NDArray[Any]
    bits: int

    @classmethod
    def of_planes(cls, parts: list[NDArray[Any]], bits: int) -> Luma:
        """That of three or four planes."""
        none = np.empty((0, parts[0].shape[1]), parts[0].dtype)
        return cls(parts[0], parts[1], parts[2], parts[3] if len(parts) > 3 else none, bits)

    @classmethod
    def of(cls, frame: VideoFrame) -> Luma:
        """That of a planar frame."""
        return cls.of_planes(planes_of(frame), frame.format.components[0].bits)

    @property
    def shape(self) -> tuple[int, int, int]:
        """That of its colours: rows, columns, four."""
        return (*self.luma.shape, 4)  # type: ignore[return-value]

    @property
    def shared(self) -> tuple[int, int]:
        """How many columns and rows share differences."""
        return -(-self.luma.shape[1] // self.blue.shape[1]), -(-self.luma.shape[0] // self.blue.shape[0])

    def colours(self) -> NDArray[np.float32]:
        """Red, green, blue and alpha [H, W, 4] in 0..1, as encoded as they stand in it."""
        out = np.empty(self.shape, np.float32)
        with PARALLEL:
            _joined(self.luma, self.blue, self.red, self.alpha, *self.shared, self.bits, out)
        return out

    def cut(self, top: int, left: int, rows: int, columns: int) -> NDArray[np.float32]:
        """The same of some rows and columns only."""
        across, down = self.shared
        # Neighbours have a say where differences are shared.
        first, start = max(0, top // down - 1) * down, max(0, left // across - 1) * across
        end, stop = min(self.luma.shape[0], top + rows + 2 * down), min(self.luma.shape[1], left + columns + 2 * across)
        own = slice(first, end), slice(start, stop)
        less = slice(first // down, -(-end // down)), slice(start // across, -(-stop // across))
        parts = [self.luma[own], self.blue[less], self.red[less], *([self.alpha[own]] if len(self.alpha) else [])]
        found = Luma.of_planes([np.ascontiguousarray(part) for part in parts], self.bits).colours()
        return found[top - first : top - first + rows, left - start : left - start + columns]


def planes_of(frame: VideoFrame) -> list[NDArray[Any]]:
    """The planes of a planar frame as they stand in it."""
    found = []
    for at, plane in enumerate(frame.planes):
        kind: np.dtype[Any] = np.dtype(np.uint16 if frame.format.components[at].bits > 8 else np.uint8)
        row = plane.line_size // kind.itemsize
        values = np.frombuffer(memoryview(plane), kind)[: row * plane.height].reshape(plane.height, row)
        found.append(np.ascontiguousarray(values[:, : plane.width]))
    return found
