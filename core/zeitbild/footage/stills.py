"""Single pictures: PNG, JPEG, TIFF, TGA, OpenEXR, Radiance HDR, WebP. Runs in a reading process."""

from __future__ import annotations

import re
import struct
import tempfile
import warnings
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray
from PIL import Image, ImageOps

from zeitbild.errors import PictureError
from zeitbild.footage.plain import MAX_PIXELS

#: First bytes of each kind, and its ending.
_STARTS = (
    (b"\x89PNG\r\n\x1a\n", ".png"),
    (b"\xff\xd8\xff", ".jpg"),
    (b"II*\x00", ".tif"),
    (b"MM\x00*", ".tif"),
    (b"\x76\x2f\x31\x01", ".exr"),
    (b"#?", ".hdr"),
    (b"GIF8", ".gif"),
)
#: What has light and not encoded colours in it.
_LINEAR = (".exr", ".hdr")
_BRIGHTEST = 65504.0
#: Where Exif says how a picture was held, and what it says of those on their side (CIPA DC-008).
_ORIENTATION, _ON_ITS_SIDE = 0x0112, (5, 6, 7, 8)
#: Kinds of colours that are not those of light.
_INKS = ("CMYK", "LAB", "YCbCr")
#: Bytes in which a picture says how large it is.
_HEAD = 1 << 16


@dataclass(frozen=True, slots=True)
class Raw:
    """The pixels of a picture [H, W, 3 or 4] as the file has them: uint8, uint16, or float32; ``encoded`` as sRGB, or light. Its alpha is
    as the file has it, ``told`` how the file itself says that it is meant (empty: it does not)."""

    pixels: NDArray[Any]
    encoded: bool
    told: str = ""

    @property
    def bits(self) -> str:
        """How fine its values are, in words."""
        return {1: "8 bits", 2: "16 bits"}.get(self.pixels.dtype.itemsize, "float")


def ending_of(data: bytes) -> str:
    """The ending of the kind of picture that starts with some bytes (at least 18); empty if it is none that is read."""
    for start, ending in _STARTS:
        if data.startswith(start):
            return ending
    if data[:4] == b"RIFF" and data[8:12] == b"WEBP":
        return ".webp"
    # TGA has no mark at its start: what its header says must make sense.
    if len(data) >= 18 and data[1] <= 1 and data[2] in (1, 2, 3, 9, 10, 11) and data[16] in (8, 15, 16, 24, 32):
        width, height = struct.unpack_from("<HH", data, 12)
        return ".tga" if width and height else ""
    return ""


def check_size(width: int, height: int, label: str) -> None:
    """PictureError for a picture that has too many pixels, or none."""
    if not 0 < width * height <= MAX_PIXELS:
        raise PictureError(f"{label} has {width} × {height} pixels; up to {MAX_PIXELS / 1e6:.0f} million are read")


def read_still(path: Path, label: str) -> Raw:
    """The picture in a file; PictureError for what is none, too large or broken."""
    with path.open("rb") as file:
        ending = ending_of(file.read(18))
    if not ending:
        raise PictureError(
            f"{label} is no picture that Zeitbild reads: PNG, JPEG, TIFF, TGA, EXR, HDR, WebP and GIF are"
        )
    if ending in (".webp", ".gif", ".jpg"):
        with _pillow(path, label) as image:
            check_size(*image.size, label)
            if ending == ".jpg":
                # As it was held when it was taken (Exif), inks as colours.
                return Raw(np.array(ImageOps.exif_transpose(image).convert("RGB")), True)
            return Raw(np.asarray(image.convert("RGBA")), True, "straight")
    if ending in (".png", ".tif"):
        with _pillow(path, label) as image:
            check_size(*image.size, label)
            if image.mode in _INKS:
                return Raw(np.asarray(image.convert("RGB")), True)
            if ending == ".png":
                # Broken ones are grey or black from there on with the other library; this one says so.
                image.load()
    return _by_library(path, label, ending)


def size_of(path: Path, label: str) -> tuple[int, int]:
    """Width and height of a picture, by its head alone."""
    with path.open("rb") as file:
        return size_by_head(file, label)


def size_by_head(file: IO[bytes], label: str) -> tuple[int, int]:
    """The same of an open file that can be read from its beginning. OpenEXR has the size of its display window."""
    head = file.read(_HEAD)
    ending = ending_of(head[:18])
    if ending == ".exr":
        at = head.find(b"displayWindow\0box2i\0")
        if at < 0 or at + 41 > len(head):
            raise PictureError(f"{label} is damaged or cut off: it does not say how large it is")
        left, top, right, bottom = struct.unpack_from("<4i", head, at + 24)
        return right - left + 1, bottom - top + 1
    if ending == ".hdr":
        found = re.search(rb"\n[-+]Y (\d{1,6}) [-+]X (\d{1,6})\n", head)
        if found is None:
            raise PictureError(f"{label} is damaged or cut off: it does not say how large it is")
        return int(found[2]), int(found[1])
    file.seek(0)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            with Image.open(file) as image:
                held = int(image.getexif().get(_ORIENTATION, 1)) if ending == ".jpg" else 1
                return image.size[::-1] if held in _ON_ITS_SIDE else image.size
        # Whatever its parsers meet.
        except Exception as error:
            raise PictureError(f"{label} is damaged or cut off: {error}") from error


def read_data(data: bytes, label: str) -> Raw:
    """The same of bytes."""
    with tempfile.NamedTemporaryFile() as file:
        file.write(data)
        file.flush()
        return read_still(Path(file.name), label)


class _pillow:  # a context, not a thing
    """A picture opened by Pillow, whose complaints become a PictureError."""

    def __init__(self, path: Path, label: str) -> None:
        self._path, self._label = path, label

    def __enter__(self) -> Image.Image:
        warnings.simplefilter("ignore")
        try:
            self._image = Image.open(self._path)
        # Whatever its parsers meet.
        except Exception as error:
            raise PictureError(f"{self._label} is damaged or cut off: {error}") from error
        return self._image

    def __exit__(self, kind: object, error: BaseException | None, trace: object) -> None:
        self._image.close()
        if error is not None and not isinstance(error, PictureError) and isinstance(error, Exception):
            raise PictureError(f"{self._label} is damaged or cut off: {error}") from error


class _Opened:
    """A picture opened by OpenImageIO, which wants an ending; and its ending."""

    def __init__(self, path: Path, label: str, ending: str) -> None:
        self._path, self._label, self._ending = path, label, ending

    def __enter__(self) -> tuple[oiio.ImageInput, str]:
        self._folder = tempfile.TemporaryDirectory()
        named = Path(self._folder.name) / f"picture{self._ending}"
        named.symlink_to(self._path.resolve())
        asked = oiio.ImageSpec()
        asked["oiio:UnassociatedAlpha"] = 1
        file = oiio.ImageInput.open(str(named), asked)
        if file is None:
            # Asked for, or the library says it again at its end.
            oiio.geterror()
            self._folder.cleanup()
            raise PictureError(f"{self._label} is broken; it cannot be read")
        self._file = file
        return file, self._ending

    def __exit__(self, *_: object) -> None:
        self._file.close()
        self._folder.cleanup()


def _by_library(path: Path, label: str, ending: str) -> Raw:
    with _Opened(path, label, ending) as (file, _):
        spec = file.spec()
        check_size(spec.width, spec.height, label)
        check_size(spec.full_width, spec.full_height, label)
        encoded = ending not in _LINEAR and spec.format not in (oiio.HALF, oiio.FLOAT)
        kind = oiio.FLOAT
        if encoded:
            kind = oiio.UINT16 if spec.format not in (oiio.UINT8, oiio.INT8) else oiio.UINT8
        values = file.read_image(0, 0, 0, spec.nchannels, kind)
        complaint, at = file.has_error, spec.alpha_channel
        straight = bool(spec.getattribute("oiio:UnassociatedAlpha"))
    if values is None or complaint:
        raise PictureError(f"{label} is broken or cut off; it cannot be read")
    pixels = _in_window(np.asarray(values).reshape(spec.height, spec.width, -1), spec)
    names = [name.rpartition(".")[2].upper() for name in spec.channelnames]
    colours = [names.index(name) for name in "RGB"] if all(name in names for name in "RGB") else None
    if colours is None:
        greys = [place for place in range(pixels.shape[2]) if place != at]
        colours = (greys[:3] if len(greys) >= 3 else greys[:1] * 3) or [at] * 3
    wanted = colours if at < 0 else [*colours, at]
    pixels = np.ascontiguousarray(pixels[..., wanted])
    if pixels.dtype == np.float32:
        pixels = np.clip(np.nan_to_num(pixels, nan=0.0, posinf=_BRIGHTEST, neginf=0.0), 0, _BRIGHTEST)
        if at >= 0:
            pixels[..., 3] = np.minimum(pixels[..., 3], 1)
    told = ""
    if at >= 0 and ending == ".exr":
        told = "premultiplied"
    elif at >= 0 and ending == ".tif":
        told = "straight" if straight else "premultiplied"
    return Raw(pixels, encoded, told)


def _in_window(pixels: NDArray[Any], spec: oiio.ImageSpec) -> NDArray[Any]:
    """Pixels where they stand in the picture as it is to be shown: files may hold less of it, or more."""
    left, top = spec.x - spec.full_x, spec.y - spec.full_y
    height, width = spec.full_height, spec.full_width
    if (left, top) == (0, 0) and pixels.shape[:2] == (height, width):
        return pixels
    whole = np.zeros((height, width, pixels.shape[2]), pixels.dtype)
    rows, columns = (
        slice(max(0, at), max(0, min(most, at + size)))
        for at, most, size in ((top, height, pixels.shape[0]), (left, width, pixels.shape[1]))
    )
    whole[rows, columns] = pixels[rows.start - top : rows.stop - top, columns.start - left : columns.stop - left]
    return whole
