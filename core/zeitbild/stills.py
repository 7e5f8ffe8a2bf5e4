"""Single pictures as files have them: PNG, JPEG, TIFF, TGA, BMP, OpenEXR, Radiance HDR, WebP, AVIF, GIF. Strangers' files are read by what runs ``apart``."""

from __future__ import annotations

import os
import re
import struct
import tempfile
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path
from typing import IO, Any

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from zeitbild.avif_files import codes_in, fine_pixels, is_avif
from zeitbild.colour.high_range import HIGH_BY_CODE
from zeitbild.colour.primaries import BY_CODE, SRGB, Chromaticities, is_sound, near
from zeitbild.colour.said import Said, colours_of
from zeitbild.errors import PictureError

#: Pixels of a picture.
MAX_PIXELS = 8192 * 4320
#: First bytes of each kind, and its ending.
_STARTS = (
    (b"\x89PNG\r\n\x1a\n", ".png"),
    (b"\xff\xd8\xff", ".jpg"),
    (b"II*\x00", ".tif"),
    (b"MM\x00*", ".tif"),
    # What is larger than 4 GB, or might have been.
    (b"II+\x00", ".tif"),
    (b"MM\x00+", ".tif"),
    (b"\x76\x2f\x31\x01", ".exr"),
    (b"#?", ".hdr"),
    (b"GIF8", ".gif"),
)
#: Sizes of the headers that a BMP may have behind its first 14 bytes (common practice).
_BMP_HEADERS = (12, 40, 52, 56, 64, 108, 124)
#: What Pillow alone reads.
_BY_PILLOW = (".webp", ".gif", ".avif", ".bmp")
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
#: What PNG files with sRGB's curve say, and how they round it (common practice).
_LIKE_SRGB, _ROUNDED = 1 / 2.2, 0.003
#: Where Exif says that a photograph is in Adobe RGB (DCF 2.0, 2.4.3: interoperability index R03), and what that is: AdobeRGB (1998).
_INTEROPERABILITY, _INDEX, _ADOBE = 0xA005, 1, "R03"
_ADOBE_RGB = Said(
    primaries=Chromaticities((0.3127, 0.3290), (0.64, 0.33), (0.21, 0.71), (0.15, 0.06)), gamma=2.19921875
)
#: Bytes in which a picture says how large it is.
_HEAD = 1 << 16


@dataclass(frozen=True, slots=True)
class Raw:
    """The pixels of a picture [H, W, 3 or 4] in sRGB's primaries: uint8, uint16, or float32; ``encoded`` as sRGB, or light. Its alpha is
    as the file has it, ``told`` how the file itself says that it is meant (empty: it does not). ``came_from`` is what its colours were in the
    file, for people (empty: sRGB, as here)."""

    pixels: NDArray[Any]
    encoded: bool
    told: str = ""
    came_from: str = ""

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
    if is_avif(data):
        return ".avif"
    if data[:2] == b"BM" and int.from_bytes(data[14:18], "little") in _BMP_HEADERS:
        return ".bmp"
    # TGA has no mark at its start: what its header says must make sense.
    if len(data) >= 18 and data[1] <= 1 and data[2] in (1, 2, 3, 9, 10, 11) and data[16] in (8, 15, 16, 24, 32):
        width, height = struct.unpack_from("<HH", data, 12)
        return ".tga" if width and height else ""
    return ""


def check_size(width: int, height: int, label: str) -> None:
    """PictureError for a picture that has too many pixels, or none."""
    if not 0 < width * height <= MAX_PIXELS:
        raise PictureError(f"{label} has {width} × {height} pixels; up to {MAX_PIXELS / 1e6:.0f} million are read")


def read_still(path: Path, label: str, *, as_stored: bool = False) -> Raw:
    """The picture in a file; PictureError for what is none, too large or broken. as_stored: its numbers whatever it says about its colours."""
    with path.open("rb") as file:
        ending = ending_of(file.read(18))
    if not ending:
        raise PictureError(
            f"{label} is no picture that Zeitbild reads: PNG, JPEG, TIFF, TGA, BMP, EXR, HDR, WebP, AVIF and GIF are"
        )
    if ending in _BY_PILLOW:
        with _pillow(path, label) as image:
            check_size(*image.size, label)
            pixels = fine_pixels(path) if ending == ".avif" else None
            if pixels is None:
                pixels = np.asarray(image.convert("RGBA"))
            said = Said() if as_stored else said_by(image)
            return _upright(in_srgb(Raw(pixels, True, "straight"), said), _held(image) if ending == ".avif" else 1)
    held, said = 1, Said()
    if ending in (".png", ".jpg") or (ending == ".tif" and _is_known(path)):
        with _pillow(path, label) as image:
            check_size(*image.size, label)
            held = _held(image) if ending == ".jpg" else 1
            said = Said() if as_stored else said_by(image)
            if image.mode in _INKS:
                return _upright(_of_inks(image, said), held)
            if ending != ".tif":
                # Cut off or broken ones are grey or black from there on with one library or the other: both have to read it.
                image.load()
    return _upright(_by_library(path, label, ending, None if as_stored else said), held)


def _is_known(path: Path) -> bool:
    """Whether Pillow knows a kind of TIFF: of colours in floats it does not."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            with Image.open(path):
                return True
        except UnidentifiedImageError:
            return False
        # What is broken it says when it is asked for more.
        except Exception:
            return True


def said_by(image: Image.Image) -> Said:
    """What a picture opened by Pillow says about its colours: a profile before chunks of numbers, as PNG wants it (its third edition, 4.3)."""
    profile = image.info.get("icc_profile") or b""
    if isinstance(profile, bytes) and len(profile) > 128:
        return Said(profile)
    if image.format == "PNG" and "srgb" not in image.info:
        primaries = _chromaticities(image.info.get("chromaticity"), white_first=True) or SRGB
        gamma = float(image.info.get("gamma") or 0)
        if abs(gamma - _LIKE_SRGB) < _ROUNDED and near(primaries, SRGB):
            return Said()
        return Said(primaries=primaries, gamma=1 / gamma if gamma > 0 else 0)
    if image.format == "AVIF":
        codes = codes_in(Path(getattr(image, "filename", "") or os.devnull))
        return said_by_codes(*codes) if codes else Said()
    if image.format == "JPEG" and image.getexif().get_ifd(_INTEROPERABILITY).get(_INDEX) == _ADOBE:
        return _ADOBE_RGB
    return Said()


def _chromaticities(told: object, *, white_first: bool) -> Chromaticities | None:
    """Eight numbers, red, green, blue and white (or that first), if they make sense."""
    if not isinstance(told, tuple | list) or len(told) != 8:
        return None
    places = [(float(told[at]), float(told[at + 1])) for at in range(0, 8, 2)]
    found = Chromaticities(*(places if white_first else [places[3], *places[:3]]))
    return found if is_sound(found) else None


def in_srgb(raw: Raw, said: Said) -> Raw:
    """A picture as the file has it in sRGB's primaries, by what the file says."""
    if said == Said():
        return raw
    colours, alpha = raw.pixels[..., :3], raw.pixels[..., 3:]
    by_alpha = alpha if alpha.shape[-1] and raw.told == "premultiplied" else None
    found = colours_of(colours, said, encoded=raw.encoded, alpha=by_alpha)
    if found is colours:
        return raw
    # Light by a profile, or of a high range, is light.
    encoded = raw.encoded and found.dtype == raw.pixels.dtype
    if alpha.shape[-1]:
        own = alpha if found.dtype == alpha.dtype else alpha / np.float32(np.iinfo(alpha.dtype).max)
        found = np.concatenate([found, own.astype(found.dtype)], axis=-1)
    return Raw(np.ascontiguousarray(found), encoded, raw.told, said.name)


def _of_inks(image: Image.Image, said: Said) -> Raw:
    """A picture of inks or the like: by its profile, if it has one of inks."""
    if image.mode == "CMYK" and said.model == "cmyk":
        inks = np.asarray(image)
        found = colours_of(inks, said, encoded=True)
        if found is not inks:
            return Raw(found, True, came_from=said.name)
    return Raw(np.asarray(image.convert("RGB")), True)


def _held(image: Image.Image) -> int:
    """How a picture was held when it was taken, by Exif (CIPA DC-008): 1 upright, up to 8."""
    held = image.getexif().get(_ORIENTATION, 1)
    return held if held in _TURNED else 1


def _upright(raw: Raw, held: int) -> Raw:
    if held == 1:
        return raw
    transposed, down, right = _TURNED[held]
    pixels = raw.pixels.transpose(1, 0, 2) if transposed else raw.pixels
    return replace(raw, pixels=np.ascontiguousarray(pixels[::down, ::right]))


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
                transposed = ending in (".jpg", ".avif") and _TURNED[_held(image)][0]
                return image.size[::-1] if transposed else image.size
        except UnidentifiedImageError as error:
            if ending == ".tif":
                return _size_of_tiff(file, label)
            raise _unreadable(label) from error
        # Whatever its parsers meet.
        except Exception as error:
            raise PictureError(f"{label} is damaged or cut off: {error}") from error


def _size_of_tiff(file: IO[bytes], label: str) -> tuple[int, int]:
    from tifffile import TiffFile  # few files need it

    file.seek(0)
    try:
        with TiffFile(file) as opened:
            page = opened.pages.first
            return int(page.imagewidth), int(page.imagelength)
    # Whatever its parsers meet.
    except Exception as error:
        raise PictureError(f"{label} is damaged or cut off: {error}") from error


def read_data(data: bytes, label: str, *, as_stored: bool = False) -> Raw:
    """The picture in some bytes; as ``read_still``."""
    with tempfile.NamedTemporaryFile() as file:
        file.write(data)
        file.flush()
        return read_still(Path(file.name), label, as_stored=as_stored)


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
        except UnidentifiedImageError as error:
            raise _unreadable(label) from error
        # Whatever its parsers meet.
        except Exception as error:
            raise PictureError(f"{label} is damaged or cut off: {error}") from error


def _unreadable(label: str) -> PictureError:
    """What is said of a picture of which not even the beginning makes sense: Pillow names the file that it lies in here."""
    return PictureError(f"{label} is damaged or cut off: it does not say what is in it")


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


def _by_library(path: Path, label: str, ending: str, said: Said | None) -> Raw:
    """A picture read by OpenImageIO, by what Pillow found it to say (None: its colours as they are stored)."""
    with _opened(path, label, ending) as file:
        spec = file.spec()
        check_size(spec.width, spec.height, label)
        check_size(spec.full_width, spec.full_height, label)
        encoded = ending not in _LINEAR and spec.format not in (oiio.HALF, oiio.FLOAT, oiio.DOUBLE)
        kind = oiio.FLOAT
        if encoded:
            kind = oiio.UINT16 if spec.format not in (oiio.UINT8, oiio.INT8) else oiio.UINT8
        values = file.read_image(0, 0, 0, spec.nchannels, kind)
        complaint, at = file.has_error, spec.alpha_channel
        straight = bool(spec.getattribute("oiio:UnassociatedAlpha"))
        if said is not None:
            said = _more_said(spec, ending) or said
    if ending == ".tif" and (values is None or complaint):
        values, complaint = _unpacked(path, spec), False
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
    raw = Raw(np.ascontiguousarray(pixels), encoded, told)
    return raw if said is None else in_srgb(raw, said)


def _unpacked(path: Path, spec: oiio.ImageSpec) -> NDArray[Any] | None:
    """The numbers of a TIFF [H, W, channels] that is packed in a way that OpenImageIO does not know: Zstandard, LZMA, LERC, JPEG 2000 or XL.
    None if they cannot be read, or are no plain grey or colours of 8 or 16 bits or floats."""
    from tifffile import TiffFile  # few files need it

    try:
        with TiffFile(path) as opened:
            page = opened.pages.first
            if page.photometric not in (1, 2):
                return None
            found = np.asarray(page.asarray(maxworkers=1))
            # Each channel by itself (TIFF 6.0, PlanarConfiguration).
            if page.planarconfig == 2 and found.ndim == 3:
                found = np.moveaxis(found, 0, -1)
    # Whatever its parsers meet.
    except Exception:
        return None
    if found.dtype.kind == "f":
        found = found.astype(np.float32)
    kept = {oiio.UINT8: np.uint8, oiio.UINT16: np.uint16}.get(spec.format.basetype, np.float32)
    if found.size != spec.height * spec.width * spec.nchannels or found.dtype != kept:
        return None
    return np.ascontiguousarray(found)


def _more_said(spec: oiio.ImageSpec, ending: str) -> Said | None:
    """What goes before all else that a file says: code points in PNG (third edition, 11.3.2.6); OpenEXR's primaries; profiles of TIFF, since
    Pillow does not know all of these."""
    if ending == ".tif":
        told = spec.getattribute("ICCProfile")
        return None if told is None else Said(np.asarray(told, np.uint8).tobytes())
    if ending == ".exr":
        return Said(primaries=_chromaticities(spec.getattribute("chromaticities"), white_first=False))
    codes = spec.getattribute("CICP") if ending == ".png" else None
    if not codes or len(codes) < 2:
        return None
    return said_by_codes(int(codes[0]), int(codes[1]))


def said_by_codes(primaries: int, transfer: int) -> Said:
    """What code points of ITU-T H.273 say. Curves of video are meant to be looked at as sRGB's (common practice)."""
    gamma = {4: 2.2, 5: 2.8, 8: 1.0}.get(transfer, 0.0)
    return Said(primaries=BY_CODE.get(primaries), gamma=gamma, high=HIGH_BY_CODE.get(transfer, ""))


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
