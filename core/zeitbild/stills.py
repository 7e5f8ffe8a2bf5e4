"""Single pictures as files have them: PNG, JPEG, TIFF, TGA, OpenEXR, Radiance HDR, WebP. Strangers' files are read by what runs ``apart``."""

from __future__ import annotations

import re
import struct
import tempfile
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray
from PIL import Image

from zeitbild.errors import PictureError

#: Pixels of a picture.
MAX_PIXELS = 8192 * 4320
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
#: Largest value kept: that of a half float.
BRIGHTEST = 65504.0
#: Where Exif says how a picture was held (CIPA DC-008), and what makes those upright: rows for columns or not, then the direction of both.
_ORIENTATION = 0x0112
_TURNED = {
    1: (False, 1, 1),
    2: (False, 1, -1),
    3: (False, -1, -1),
    4: (False, -1, 1),
    5: (True, 1, 1),
    6: (True, 1, -1),
    7: (True, -1, -1),
    8: (True, -1, 1),
}
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
    if ending in (".webp", ".gif"):
        with _pillow(path, label) as image:
            check_size(*image.size, label)
            return Raw(np.asarray(image.convert("RGBA")), True, "straight")
    held = 1
    if ending in (".png", ".tif", ".jpg"):
        with _pillow(path, label) as image:
            check_size(*image.size, label)
            held = _held(image) if ending == ".jpg" else 1
            if image.mode in _INKS:
                return _upright(Raw(np.asarray(image.convert("RGB")), True), held)
            if ending != ".tif":
                # Cut off or broken ones are grey or black from there on with one library or the other: both have to read it.
                image.load()
    return _upright(_by_library(path, label, ending), held)


def _held(image: Image.Image) -> int:
    """How a picture was held when it was taken, by Exif (CIPA DC-008): 1 upright, up to 8."""
    held = image.getexif().get(_ORIENTATION, 1)
    return held if held in _TURNED else 1


def _upright(raw: Raw, held: int) -> Raw:
    if held == 1:
        return raw
    transposed, down, right = _TURNED[held]
    pixels = raw.pixels.transpose(1, 0, 2) if transposed else raw.pixels
    return Raw(np.ascontiguousarray(pixels[::down, ::right]), raw.encoded, raw.told)


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
                transposed = ending == ".jpg" and _TURNED[_held(image)][0]
                return image.size[::-1] if transposed else image.size
        # Whatever its parsers meet.
        except Exception as error:
            raise PictureError(f"{label} is damaged or cut off: {error}") from error


def read_data(data: bytes, label: str) -> Raw:
    """The picture in some bytes; PictureError as in ``read_still``."""
    with tempfile.NamedTemporaryFile() as file:
        file.write(data)
        file.flush()
        return read_still(Path(file.name), label)


@contextmanager
def _pillow(path: Path, label: str) -> Iterator[Image.Image]:
    """A picture opened by Pillow, whose complaints become a PictureError."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            with Image.open(path) as image:
                yield image
        except PictureError:
            raise
        # Whatever its parsers meet.
        except Exception as error:
            raise PictureError(f"{label} is damaged or cut off: {error}") from error


@contextmanager
def _opened(path: Path, label: str, ending: str) -> Iterator[oiio.ImageInput]:
    """A picture opened by OpenImageIO, which wants an ending."""
    with tempfile.TemporaryDirectory() as folder:
        named = Path(folder) / f"picture{ending}"
        named.symlink_to(path.resolve())
        asked = oiio.ImageSpec()
        asked["oiio:UnassociatedAlpha"] = 1
        file = oiio.ImageInput.open(str(named), asked)
        if file is None:
            # Asked for, or the library says it again at its end.
            oiio.geterror()
            raise PictureError(f"{label} is broken; it cannot be read")
        try:
            yield file
        finally:
            file.close()


def _by_library(path: Path, label: str, ending: str) -> Raw:
    with _opened(path, label, ending) as file:
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
    if wanted != list(range(pixels.shape[2])):
        pixels = pixels[..., wanted]
    if pixels.dtype == np.float32:
        # The library's own array, if it is one that may be changed: copies of large pictures are what memory is short of.
        pixels = np.require(pixels, np.float32, "W")
        np.nan_to_num(pixels, copy=False, nan=0.0, posinf=BRIGHTEST, neginf=0.0)
        np.clip(pixels, 0, BRIGHTEST, out=pixels)
        if at >= 0:
            pixels[..., 3] = np.minimum(pixels[..., 3], 1)
    told = ""
    if at >= 0 and ending == ".exr":
        told = "premultiplied"
    elif at >= 0 and ending == ".tif":
        told = "straight" if straight else "premultiplied"
    return Raw(np.ascontiguousarray(pixels), encoded, told)


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
