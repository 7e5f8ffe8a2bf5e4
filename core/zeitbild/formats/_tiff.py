"""TIFF (TIFF 6.0; floats by its technical note 3): written with tifffile, read back with OpenImageIO.

Alpha is tagged as what it is (ExtraSamples: 1 associated, 2 unassociated, TIFF 6.0, section 18).
"""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
import tifffile
from isal import isal_zlib
from numpy.typing import NDArray
from PIL import ImageCms

from zeitbild.formats._base import Option, Options, Plane, ReadBack, Sharing
from zeitbild.formats._coding import Coding
from zeitbild.formats._reader import read_raw
from zeitbild.formats._reading_back import read_laid
from zeitbild.formats._whole_numbers import bits_of, codes

COMPRESSION = Option("compression", "Compression, without loss", (("zip", "ZIP"), ("none", "None")))
#: Rows of a strip: a single one would have to be kept in memory whole by whoever reads it. Effort of packing, of three.
_ROWS, _EFFORT = 64, 1
#: Roles whose numbers a half float holds as well as an eye sees.
_EITHER = ("colour", "light", "coverage")


@cache
def srgb_profile() -> bytes:
    """An ICC profile of sRGB, the same bytes every time: its date is that of the profile's version."""
    profile = bytearray(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
    # Bytes 24 to 35 are the moment it was made (ICC.1, 7.2.8), bytes 84 to 99 a checksum that may be left out.
    profile[24:36] = bytes((0x07, 0xD0, 0, 1, 0, 1, 0, 0, 0, 0, 0, 0))
    profile[84:100] = bytes(16)
    return bytes(profile)


def _strips(numbers: NDArray[Any]) -> Iterator[bytes]:
    """The strips of a picture, packed: whole numbers as differences from their left neighbours (TIFF 6.0, section 14)."""
    for top in range(0, numbers.shape[0], _ROWS):
        rows = numbers[top : top + _ROWS]
        if numbers.dtype.kind == "u":
            rows = rows.copy()
            # Whole numbers go round, as the format wants.
            rows[:, 1:] -= numbers[top : top + _ROWS, :-1]
        little = np.ascontiguousarray(rows, rows.dtype.newbyteorder("<"))
        yield isal_zlib.compress(little.view(np.uint8).reshape(-1).data, _EFFORT)


def tiff_bytes(numbers: np.ndarray, options: Options, *, premultiplied: bool, profile: bool) -> bytes:  # type: ignore[type-arg]
    """A TIFF of numbers [H, W] or [H, W, C]."""
    target = io.BytesIO()
    channels = 1 if numbers.ndim == 2 else numbers.shape[2]
    packs = options.get("compression", "zip") == "zip"
    with tifffile.TiffWriter(target, byteorder="<") as file:
        file.write(
            _strips(numbers) if packs else np.ascontiguousarray(numbers),
            shape=numbers.shape,
            dtype=numbers.dtype,
            photometric="minisblack" if channels == 1 else "rgb",
            extrasamples=(["assocalpha"] if premultiplied else ["unassalpha"]) if channels == 4 else None,
            compression="zlib" if packs else None,
            predictor=packs and numbers.dtype.kind == "u",
            rowsperstrip=_ROWS,
            iccprofile=srgb_profile() if profile and channels >= 3 else None,
            software=False,
            datetime=False,
            metadata=None,
        )
    return target.getvalue()


def encode_tiff(planes: Sequence[Plane], sharing: Sharing, options: Options, bits: int) -> bytes:
    """The bytes of a TIFF of whole numbers."""
    (plane,) = planes
    coding = Coding.of(options)
    profile = plane.role in ("colour", "light") and coding.transfer.name == "srgb"
    return tiff_bytes(codes(plane, bits, coding), options, premultiplied=coding.premultiplied, profile=profile)


def read_back_tiff(
    path: Path, planes: Sequence[Plane], sharing: Sharing, options: Options, bits: int
) -> list[ReadBack]:
    """Compare a file on disk with the plane, by another library."""
    (plane,) = planes
    return [read_laid(path, plane, bits_of(plane.role, bits), Coding.of(options))]


def _floats(plane: Plane, options: Options) -> np.ndarray:  # type: ignore[type-arg]
    half = plane.role in _EITHER and options.get("numbers", "half") == "half"
    pixels = plane.pixels
    if plane.role == "data" and pixels.shape[2] < 3:
        pixels = np.concatenate([pixels, np.zeros((*pixels.shape[:2], 3 - pixels.shape[2]), np.float32)], axis=2)
    if half:
        return np.clip(pixels, -65504, 65504).astype(np.float16)
    return pixels.astype(np.float32)


def encode_float_tiff(planes: Sequence[Plane], sharing: Sharing, options: Options) -> bytes:
    """The bytes of a TIFF of floats: light as it is, premultiplied."""
    (plane,) = planes
    return tiff_bytes(_floats(plane, options), options, premultiplied=True, profile=False)


def read_back_float_tiff(path: Path, planes: Sequence[Plane], sharing: Sharing, options: Options) -> list[ReadBack]:
    """The same for floats."""
    (plane,) = planes
    raw = read_raw(path)
    half = plane.role in _EITHER and options.get("numbers", "half") == "half"
    height, width = raw.pixels.shape[:2]
    numbers = plane.pixels if plane.pixels.ndim == 3 else plane.pixels[..., None]
    with np.errstate(over="ignore"):
        expected = numbers.astype(np.float16 if half else np.float32).astype(np.float64)
    found = raw.pixels.astype(np.float64)[..., : expected.shape[2]]
    worst, stray = float("inf"), 0
    if found.shape == expected.shape and raw.bits == (16 if half else 32):
        worst = float(np.abs(found - expected).max(initial=0))
        if plane.role == "colour":
            stray = int(found[found[..., 3] == 0][:, :3].any(axis=1).sum())
    return [ReadBack(width, height, "".join(raw.channels), raw.bits, worst, 0.0, stray)]
