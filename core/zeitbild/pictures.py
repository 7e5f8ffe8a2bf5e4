"""Uploaded pictures: PNG, JPEG, OpenEXR and Radiance HDR, as linear light. Strangers' files are read by what runs ``apart``."""

from __future__ import annotations

import io
import os
import tempfile
import warnings
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray
from PIL import Image

from zeitbild.colour import decode
from zeitbild.errors import PictureError
from zeitbild.isolation import apart

MAX_PICTURE_BYTES = 64 * 1024 * 1024
MAX_PICTURE_PIXELS = 8192 * 4096
#: A picture of all directions is twice as wide as high; so much it may be off.
_OFF = 0.02
#: Largest value kept: that of a half float.
_BRIGHTEST = 65504.0
#: First bytes of each kind, its ending, and whether its values are encoded (sRGB) instead of linear.
_KINDS = (
    (b"\x89PNG\r\n\x1a\n", ".png", True),
    (b"\xff\xd8\xff", ".jpg", True),
    (b"\x76\x2f\x31\x01", ".exr", False),
    (b"#?", ".hdr", False),
)


def _opened(data: bytes, ending: str) -> oiio.ImageInput | None:
    """A picture opened from memory, as far as the library allows: it wants a file, which is gone as soon as it is open."""
    handle, name = tempfile.mkstemp(suffix=ending)
    try:
        with os.fdopen(handle, "wb") as written:
            written.write(data)
        file = oiio.ImageInput.open(name)
        if file is None:
            # Asked for, or the library says it again at its end.
            oiio.geterror()
        return file
    finally:
        Path(name).unlink()


def _check_size(width: int, height: int, label: str) -> None:
    if width * height > MAX_PICTURE_PIXELS:
        raise PictureError(
            f"{label} has {width} × {height} pixels; up to {MAX_PICTURE_PIXELS / 1e6:.0f} million are read"
        )


def _whole(data: bytes, label: str) -> None:
    """Refuse a JPEG or PNG that ends too early or whose checksums do not hold: readers give such ones grey or black there."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with Image.open(io.BytesIO(data)) as image:
                _check_size(*image.size, label)
                image.load()
    except PictureError:
        raise
    # Whatever its parsers meet.
    except Exception as error:
        raise PictureError(f"{label} is damaged or cut off: {error}") from error


@apart(PictureError)
def measure_picture(data: bytes, label: str) -> list[int]:
    """Height and width of a picture file, all of which was read; PictureError as in ``read_picture``."""
    if data.startswith((_KINDS[0][0], _KINDS[1][0])):
        _whole(data, label)
    return list(read_picture(data, label).shape[:2])


@apart(PictureError)
def levels_of(path: str, label: str, plain: bool, largest: int, most: int) -> list[NDArray[np.float32]]:
    """A picture file at most ``largest`` pixels a side and up to ``most`` halves of it, by area, down to one pixel; each [H, W, 3]."""
    return levels_in(Path(path).read_bytes(), label, plain, largest, most)


def levels_in(data: bytes, label: str, plain: bool, largest: int, most: int) -> list[NDArray[np.float32]]:
    """The same of a picture's bytes, read here: for those who run apart."""
    pixels = read_picture(data, label, plain=plain)
    shrink = largest / max(pixels.shape[:2])
    if shrink < 1:
        pixels = _resized(pixels, max(1, round(pixels.shape[1] * shrink)), max(1, round(pixels.shape[0] * shrink)))
    levels = [pixels]
    while max(levels[-1].shape[:2]) > 1 and len(levels) < most:
        height, width = levels[-1].shape[:2]
        levels.append(_resized(levels[-1], max(1, width // 2), max(1, height // 2)))
    return levels


@apart(PictureError, "environment.picture")
def sizes_of(path: str, label: str, widths: list[int]) -> list[NDArray[np.float32]]:
    """A picture of all directions at so many widths, by area so that a small sun keeps its light; the first is a limit only."""
    pixels = read_picture(Path(path).read_bytes(), label)
    check_all_round(pixels.shape[0], pixels.shape[1], label)
    fine = pixels if pixels.shape[1] <= widths[0] else _resized(pixels, widths[0], widths[0] // 2)
    return [fine, *(_resized(pixels, width, width // 2) for width in widths[1:])]


def check_all_round(height: int, width: int, label: str) -> None:
    """Refuse a picture that cannot show all directions; PictureError."""
    if abs(width / (2 * height) - 1) > _OFF or height < 16:
        raise PictureError(
            f"{label} has {width} × {height} pixels; a picture of all directions (latitude-longitude) is twice as wide as high"
        )


def _resized(pixels: NDArray[np.float32], width: int, height: int) -> NDArray[np.float32]:
    """A picture in another size, by area."""
    import cv2  # a quarter of a second at the start, which few pictures need

    small = cv2.resize(pixels, (width, height), interpolation=cv2.INTER_AREA)
    return np.ascontiguousarray(small, dtype=np.float32).reshape(height, width, 3)


def read_picture(data: bytes, label: str, *, plain: bool = False) -> NDArray[np.float32]:
    """Linear light [H, W, 3] of a picture file, 0 to 65504; alpha and further channels are left out, over black.

    With ``plain`` the values of PNG and JPEG are taken as numbers 0..1 instead of as encoded colours.

    PictureError, which names ``label``, for what is too large, of another kind, or broken.
    """
    if len(data) > MAX_PICTURE_BYTES:
        raise PictureError(f"{label} is larger than {MAX_PICTURE_BYTES // 1_000_000} MB")
    kind = next(((ending, encoded) for start, ending, encoded in _KINDS if data.startswith(start)), None)
    if kind is None:
        raise PictureError(f"{label} is no picture that Zeitbild reads: PNG, JPEG, EXR and HDR are")
    ending, encoded = kind
    file = _opened(data, ending)
    if file is None:
        raise PictureError(f"{label} is broken; it cannot be read")
    try:
        spec = file.spec()
        _check_size(spec.width, spec.height, label)
        # Encoded files stay in their own whole numbers until a table turns them into light: a quarter of the memory.
        kind_read = oiio.UINT16 if spec.format == oiio.UINT16 else oiio.UINT8
        values = file.read_image(0, 0, 0, min(spec.nchannels, 3), kind_read if encoded else oiio.FLOAT)
        complaint = file.has_error
    finally:
        file.close()
    if values is None or complaint:
        raise PictureError(f"{label} is broken or cut off; it cannot be read")
    pixels = np.asarray(values).reshape(spec.height, spec.width, -1)
    if encoded:
        steps = np.arange(np.iinfo(pixels.dtype).max + 1, dtype=np.float32) / np.iinfo(pixels.dtype).max
        table = (steps if plain else decode(steps)).astype(np.float32)
        pixels = table[pixels]
    else:
        # The library's own array, if it is one that may be changed: copies of large pictures are what memory is short of.
        pixels = np.require(pixels, np.float32, "W")
        np.nan_to_num(pixels, copy=False, nan=0.0, posinf=_BRIGHTEST, neginf=0.0)
        np.clip(pixels, 0, _BRIGHTEST, out=pixels)
    if pixels.shape[2] < 3:
        pixels = np.repeat(pixels[..., :1], 3, axis=2)
    return np.ascontiguousarray(pixels)
