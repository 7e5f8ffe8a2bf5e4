"""Uploaded pictures: PNG, JPEG, OpenEXR and Radiance HDR, as linear light."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from zeitbild.colour import decode
from zeitbild.errors import PictureError

MAX_PICTURE_BYTES = 64 * 1024 * 1024
MAX_PICTURE_PIXELS = 8192 * 4096
#: Largest value kept: that of a half float.
_BRIGHTEST = 65504.0
#: First bytes of each kind, its ending, and whether its values are encoded (sRGB) instead of linear.
_KINDS = (
    (b"\x89PNG\r\n\x1a\n", ".png", True),
    (b"\xff\xd8\xff", ".jpg", True),
    (b"\x76\x2f\x31\x01", ".exr", False),
    (b"#?", ".hdr", False),
)


def read_picture(data: bytes, label: str, *, plain: bool = False) -> NDArray[np.float32]:
    """Linear light [H, W, 3] of a picture file, 0 to 65504; alpha and further channels are left out.

    With ``plain`` the values of PNG and JPEG are taken as numbers 0..1 instead of as encoded colours.

    PictureError, which names ``label``, for what is too large, of another kind, or broken.
    """
    if len(data) > MAX_PICTURE_BYTES:
        raise PictureError(f"{label} is larger than {MAX_PICTURE_BYTES // 1_000_000} MB")
    kind = next(((ending, encoded) for start, ending, encoded in _KINDS if data.startswith(start)), None)
    if kind is None:
        raise PictureError(f"{label} is no picture that Zeitbild reads: PNG, JPEG, EXR and HDR are")
    ending, encoded = kind
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"picture{ending}"
        path.write_bytes(data)
        file = oiio.ImageInput.open(str(path))
        if file is None:
            oiio.geterror()
            raise PictureError(f"{label} is broken; it cannot be read")
        try:
            spec = file.spec()
            if spec.width * spec.height > MAX_PICTURE_PIXELS:
                raise PictureError(
                    f"{label} has {spec.width} × {spec.height} pixels; up to {MAX_PICTURE_PIXELS / 1e6:.0f} million are read"
                )
            # Encoded files stay in their own whole numbers until a table turns them into light: a quarter of the memory.
            kind_read = oiio.UINT16 if spec.format == oiio.UINT16 else oiio.UINT8
            values = file.read_image(0, 0, 0, min(spec.nchannels, 3), kind_read if encoded else oiio.FLOAT)
        finally:
            file.close()
    if values is None:
        raise PictureError(f"{label} is broken or cut off; it cannot be read")
    pixels = np.asarray(values).reshape(spec.height, spec.width, -1)
    if encoded:
        steps = np.arange(np.iinfo(pixels.dtype).max + 1, dtype=np.float32) / np.iinfo(pixels.dtype).max
        table = (steps if plain else decode(steps)).astype(np.float32)
        pixels = table[pixels]
    else:
        pixels = np.array(pixels, np.float32)
        np.nan_to_num(pixels, copy=False, nan=0.0, posinf=_BRIGHTEST, neginf=0.0)
        np.clip(pixels, 0, _BRIGHTEST, out=pixels)
    if pixels.shape[2] < 3:
        pixels = np.repeat(pixels[..., :1], 3, axis=2)
    return np.ascontiguousarray(pixels)
