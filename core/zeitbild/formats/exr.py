"""OpenEXR: premultiplied linear half floats, depth as 32-bit float (OpenEXR technical introduction).

Written with the OpenEXR library, read back with OpenImageIO.
"""

from __future__ import annotations

import re
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
import OpenEXR

from zeitbild.exr_files import write_exr
from zeitbild.formats._base import Format, Plane, ReadBack, formats
from zeitbild.formats._reader import read_raw
from zeitbild.storage import blame, own_prefix
from zeitbild.timing.rate import nominal
from zeitbild.timing.timecode import frame_to_timecode

#: Beyond it a half float is infinite (IEEE 754, binary16).
LARGEST_HALF = 65504
_CHANNELS = {"colour": "RGBA", "matte": "Y", "depth": "Z"}


def _planes(plane: Plane) -> dict[str, np.ndarray]:  # type: ignore[type-arg]
    if plane.role == "colour":
        return {
            name: np.ascontiguousarray(np.clip(plane.pixels[..., k], 0, LARGEST_HALF), dtype=np.float16)
            for k, name in enumerate("RGBA")
        }
    dtype = np.float32 if plane.role == "depth" else np.float16
    return {_CHANNELS[plane.role]: np.ascontiguousarray(plane.pixels, dtype=dtype)}


def _when(plane: Plane) -> dict[str, Any]:
    """Rate and time code of a frame, as the attributes that OpenEXR names for them (SMPTE ST 12-1)."""
    if plane.rate is None:
        return {}
    code = frame_to_timecode(max(plane.frame, 0), plane.rate)
    hours, minutes, seconds, frames = (int(part) for part in re.split("[:;]", code))
    # Codes count frames to 39: at higher rates two or more share one.
    frames //= -(-nominal(plane.rate) // 40)
    flags = (int(";" in code), 0, 0, 0, 0, 0)
    return {
        "framesPerSecond": plane.rate,
        "timeCode": OpenEXR.TimeCode(hours % 24, minutes, seconds, frames, *flags, *(0,) * 8),
    }


def _encode(plane: Plane) -> bytes:
    # The library writes only to named files; no attribute may hold a time, so that equal planes give equal bytes.
    with tempfile.TemporaryDirectory(prefix=own_prefix()) as folder:
        path = Path(folder) / "plane.exr"
        try:
            write_exr(path, _planes(plane), _when(plane))
        except OSError as error:
            raise blame(error, path) from error
        return path.read_bytes()


def _read_back(path: Path, plane: Plane) -> ReadBack:
    """Compare a file with the plane, rounded as IEEE 754 says and not clipped."""
    raw = read_raw(path)
    height, width = raw.pixels.shape[:2]
    pixels = plane.pixels if plane.pixels.ndim == 3 else plane.pixels[..., None]
    with np.errstate(over="ignore"):
        expected = pixels.astype(np.float32 if plane.role == "depth" else np.float16).astype(np.float64)
    names = "".join(raw.channels)
    found = raw.pixels.astype(np.float64)
    same_shape = found.shape == expected.shape and names == _CHANNELS[plane.role]
    worst = float(np.abs(found - expected).max()) if same_shape else float("inf")
    stray = int((found[found[..., 3] == 0][:, :3]).any(axis=1).sum()) if plane.role == "colour" and same_shape else 0
    return ReadBack(width, height, names, raw.bits, worst, 0.0, stray)


formats.register(
    Format(
        "exr",
        "OpenEXR, half float",
        "exr",
        "premultiplied",
        "linear light, Rec. 709 primaries",
        {"colour": 16, "matte": 16, "depth": 32},
        _encode,
        _read_back,
        order=2,
        ends_at_white=False,
    )
)
