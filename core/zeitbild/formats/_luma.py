"""Colour to luma and two differences (ITU-R BT.709-6, 3.2 to 3.5, narrow range), and into the frames of FFmpeg's libraries.

Its own scaler gave other bytes from one time to the next where a width is odd.
"""

from __future__ import annotations

from typing import Any

import numba
import numpy as np
from av.video.frame import VideoFrame
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL, parallel_kernel

#: Weights of red and blue in luma.
RED, BLUE = 0.2126, 0.0722
_RED, _GREEN, _BLUE = RED, 1 - RED - BLUE, BLUE


@parallel_kernel
def _split(colours, top, across, down, bits, luma, blue, red, alpha):  # type: ignore[no-untyped-def]
    """Codes [H, W, 3 or 4] up to ``top`` into luma [H, W], differences [ceil(H / down), ceil(W / across)] and alpha [H, W] (or of no
    length). Where two columns share a difference it lies on the left one (H.273, chroma sample location 0): half of it is that
    column's, a quarter that of each neighbour; two rows are shared evenly."""
    height, width = colours.shape[:2]
    scale = float(1 << (bits - 8))
    full = float((1 << bits) - 1)
    for place in numba.prange(blue.shape[0]):
        for y in range(place * down, min(place * down + down, height)):
            for x in range(width):
                light = _RED * colours[y, x, 0] + _GREEN * colours[y, x, 1] + _BLUE * colours[y, x, 2]
                luma[y, x] = int((16.0 + 219.0 * light / top) * scale + 0.5)
                if alpha.shape[0] > 0:
                    alpha[y, x] = int(colours[y, x, 3] / top * full + 0.5)
        for at in range(blue.shape[1]):
            r = g = b = weights = 0.0
            for y in range(place * down, min(place * down + down, height)):
                for step in range(-1 if across > 1 else 0, 2 if across > 1 else 1):
                    x = min(max(at * across + step, 0), width - 1)
                    weight = 2.0 if step == 0 else 1.0
                    r += weight * colours[y, x, 0]
                    g += weight * colours[y, x, 1]
                    b += weight * colours[y, x, 2]
                    weights += weight
            r, g, b = r / weights / top, g / weights / top, b / weights / top
            light = _RED * r + _GREEN * g + _BLUE * b
            blue[place, at] = int((128.0 + 224.0 * (b - light) / (2.0 * (1.0 - _BLUE))) * scale + 0.5)
            red[place, at] = int((128.0 + 224.0 * (r - light) / (2.0 * (1.0 - _RED))) * scale + 0.5)


def frame_of(colours: NDArray[Any], pixels: str) -> VideoFrame:
    """A frame of luma, differences and, if its kind of pixels has that, alpha, of codes [H, W, 3 or 4], uint8 or uint16."""
    height, width = colours.shape[:2]
    frame = VideoFrame(width, height, pixels)
    bits = frame.format.components[0].bits
    kind = np.uint16 if bits > 8 else np.uint8
    shapes = [(plane.height, plane.width) for plane in frame.planes]
    parts = [np.empty(shape, kind) for shape in shapes]
    across, down = -(-width // shapes[1][1]), -(-height // shapes[1][0])
    alpha = parts[3] if len(parts) > 3 else np.empty((0, width), kind)
    top = float(np.iinfo(colours.dtype).max)
    with PARALLEL:
        _split(np.ascontiguousarray(colours), top, across, down, bits, *parts[:3], alpha)
    for plane, part in zip(frame.planes, parts, strict=True):
        # Rows are longer in the frame; what lies behind them is said too, so that nothing depends on what was there before.
        row = plane.line_size // part.itemsize
        whole = np.repeat(part[:, -1:], row, axis=1)
        whole[:, : part.shape[1]] = part
        plane.update(whole.tobytes())
    return frame
