"""PNG (W3C PNG, ISO/IEC 15948): straight alpha, sRGB-encoded colour, grey for mattes and depth.

Written with OpenCV, read back with OpenImageIO.
"""

from __future__ import annotations

import struct
import zlib
from functools import partial
from pathlib import Path
from typing import Any

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.colour.srgb import EXPONENT, OFFSET, SLOPE, THRESHOLD_LINEAR, encode
from zeitbild.errors import StorageError
from zeitbild.formats._base import Plane, ReadBack
from zeitbild.formats._reader import read_raw
from zeitbild.kernels import PARALLEL, parallel_kernel
from zeitbild.render.picture import NO_DEPTH

# About a seventh of the possible effort is the normal trade between time and size (common practice).
_EFFORT = 2
#: Rounding allows half a code value; float arithmetic in two orders may differ by a little more.
_ALLOWED = 0.5 + 2e-3
_SIGNATURE_AND_HEADER = 8 + 25
#: Rendering intent 0, perceptual (W3C PNG, 11.3.2.5).
_SRGB_CHUNK = struct.pack(">I", 1) + b"sRGB\0" + struct.pack(">I", zlib.crc32(b"sRGB\0"))
_SLOPE, _OFFSET, _THRESHOLD, _INVERSE = SLOPE, OFFSET, THRESHOLD_LINEAR, 1 / EXPONENT


@parallel_kernel
def _straight_encoded(premultiplied, top, out):  # type: ignore[no-untyped-def]
    """Premultiplied linear [H, W, 4] to straight sRGB code values, blue first as OpenCV takes them; out [H, W, 4].

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
                    if value <= _THRESHOLD:
                        value = value * _SLOPE
                    else:
                        value = (1.0 + _OFFSET) * value**_INVERSE - _OFFSET
                out[y, x, 2 - k] = int(value * top + 0.5)


def _depth_share(plane: Plane) -> NDArray[np.float64]:
    """Depth as 1 at the near end to 0 at the far end; 0 where nothing stands."""
    near, far = plane.depth_range
    share = np.clip((far - plane.pixels.astype(np.float64)) / max(far - near, 1e-9), 0, 1)
    return np.where(plane.pixels >= NO_DEPTH, 0.0, share)


def _codes(plane: Plane, bits: int) -> NDArray[Any]:
    top = (1 << bits) - 1
    dtype = np.uint8 if bits == 8 else np.uint16
    if plane.role == "colour":
        out = np.empty(plane.pixels.shape, dtype)
        with PARALLEL:
            _straight_encoded(np.ascontiguousarray(plane.pixels), float(top), out)
        return out
    share = np.clip(plane.pixels.astype(np.float64), 0, 1) if plane.role == "matte" else _depth_share(plane)
    return (share * top + 0.5).astype(dtype)


def encode_png(plane: Plane, bits: int) -> bytes:
    """The bytes of a PNG of a plane; depth always takes 16 bits, since 8 would show as steps."""
    bits = 16 if plane.role == "depth" else bits
    done, buffer = cv2.imencode(".png", _codes(plane, bits), [cv2.IMWRITE_PNG_COMPRESSION, _EFFORT])
    if not done:
        raise StorageError("the PNG writer failed")
    data = buffer.tobytes()
    if plane.role == "colour":
        data = data[:_SIGNATURE_AND_HEADER] + _SRGB_CHUNK + data[_SIGNATURE_AND_HEADER:]
    return data


def read_back_png(path: Path, plane: Plane, bits: int) -> ReadBack:
    """Compare a file on disk with the plane, by another library and by the published formulas in numpy.

    Nothing is clipped here: light that the file's whole numbers could not hold is a difference.
    """
    raw = read_raw(path)
    bits = 16 if plane.role == "depth" else bits
    top = (1 << bits) - 1
    found = raw.pixels.astype(np.float64)
    height, width = found.shape[:2]
    stray = 0
    if found.shape[:2] != plane.pixels.shape[:2] or raw.bits != bits:
        worst = float("inf")
    elif plane.role == "colour":
        alpha = plane.pixels[..., 3].astype(np.float64)
        visible = found[..., 3] > 0
        straight = plane.pixels[visible][:, :3] / np.maximum(alpha[visible][:, None], 1e-12)
        colour_error = np.abs(found[visible][:, :3] - encode(straight) * top)
        worst = max(float(np.abs(found[..., 3] - alpha * top).max()), float(colour_error.max(initial=0)))
        stray = int(found[~visible][:, :3].any(axis=1).sum())
    else:
        share = np.clip(plane.pixels.astype(np.float64), 0, 1) if plane.role == "matte" else _depth_share(plane)
        worst = float(np.abs(found[..., 0] - share * top).max())
    return ReadBack(width, height, "".join(raw.channels), raw.bits, worst, _ALLOWED, stray)


def png_functions(bits: int) -> tuple[Any, Any]:
    """Writer and reader for one depth of PNG."""
    return partial(encode_png, bits=bits), partial(read_back_png, bits=bits)
