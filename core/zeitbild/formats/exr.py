"""OpenEXR: premultiplied linear half floats, depth as 32-bit float (OpenEXR technical introduction).

Written with the OpenEXR library, read back with OpenImageIO.
"""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
import OpenEXR

from zeitbild.formats._base import Format, Plane, ReadBack, formats
from zeitbild.formats._reader import read_raw

_CHANNELS = {"colour": "RGBA", "matte": "Y", "depth": "Z"}


def _planes(plane: Plane) -> dict[str, np.ndarray]:  # type: ignore[type-arg]
    if plane.role == "colour":
        return {
            name: np.ascontiguousarray(np.clip(plane.pixels[..., k], 0, 65504), dtype=np.float16)
            for k, name in enumerate("RGBA")
        }
    dtype = np.float32 if plane.role == "depth" else np.float16
    return {_CHANNELS[plane.role]: np.ascontiguousarray(plane.pixels, dtype=dtype)}


def _encode(plane: Plane) -> bytes:
    # The library writes only to named files; no attribute may hold a time, so that equal planes give equal bytes.
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "plane.exr"
        header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
        with OpenEXR.File(header, _planes(plane)) as file:
            file.write(str(path))
        return path.read_bytes()


def _read_back(path: Path, plane: Plane) -> ReadBack:
    raw = read_raw(path)
    height, width = raw.pixels.shape[:2]
    expected = np.stack([*_planes(plane).values()], axis=2).astype(np.float64)
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
