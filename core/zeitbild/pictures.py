"""Uploaded pictures (``stills``) for surfaces and surroundings, as linear light. Strangers' files are read by what runs ``apart``."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from zeitbild.colour import decode
from zeitbild.errors import PictureError
from zeitbild.isolation import apart
from zeitbild.stills import read_data

MAX_PICTURE_BYTES = 64 * 1024 * 1024
#: A picture of all directions is twice as wide as high; so much it may be off.
_OFF = 0.02


@apart(PictureError)
def measure_picture(data: bytes, label: str) -> list[int]:
    """Height and width of a picture file, all of which was read; PictureError as in ``read_picture``."""
    return list(read_picture(data, label).shape[:2])


@apart(PictureError)
def levels_of(path: str, label: str, plain: bool, largest: int, most: int) -> list[NDArray[np.float32]]:
    """A picture file at most ``largest`` pixels a side and up to ``most`` halves of it, by area, down to one pixel; each [H, W, 3]."""
    return levels_in(Path(path).read_bytes(), label, plain, largest, most)


def levels_in(
    data: bytes, label: str, plain: bool, largest: int, most: int, *, straight: bool = False
) -> list[NDArray[np.float32]]:
    """The same of a picture's bytes, read here: for those who run apart. straight: of a model, as if it had no alpha."""
    pixels = read_cutout(data, label)[0] if straight and not plain else read_picture(data, label, plain=plain)
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
    """A picture of all directions [H, W, 3] as large as it is, at most as wide as the first of widths, and made smaller to those of the
    others that are less wide, and always to the last; by area, so that a small sun keeps its light. PictureError as ``read_picture``."""
    pixels = read_picture(Path(path).read_bytes(), label)
    check_all_round(pixels.shape[0], pixels.shape[1], label)
    fine = pixels if pixels.shape[1] <= widths[0] else _resized(pixels, widths[0], widths[0] // 2)
    smaller = [width for width in widths[1:] if width < fine.shape[1] or width == widths[-1]]
    return [fine, *(_resized(pixels, width, width // 2) for width in smaller)]


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
    """Linear light [H, W, 3] of a picture file, 0 to 65504, over black where its alpha leaves some.

    With ``plain`` encoded values are taken as numbers 0..1 instead of as colours, whatever the alpha.

    PictureError, which names ``label``, for what is too large, of another kind, or broken.
    """
    light, alpha, told = _decoded(data, label, plain, as_stored=plain)
    if alpha.size and not plain and told != "premultiplied":
        light *= alpha
    return light


def read_cutout(data: bytes, label: str) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Straight linear light [H, W, 3] of a picture in a model and its alpha [H, W] in 0..1; PictureError as above. What the picture says about
    its colours is ignored, as glTF 2.0 wants it (from memory)."""
    light, alpha, told = _decoded(data, label, False, as_stored=True)
    if not alpha.size:
        return light, np.ones(light.shape[:2], np.float32)
    if told == "premultiplied":
        light /= np.maximum(alpha, np.float32(1e-6))
    return light, np.ascontiguousarray(alpha[..., 0])


def _decoded(
    data: bytes, label: str, plain: bool, *, as_stored: bool
) -> tuple[NDArray[np.float32], NDArray[np.float32], str]:
    """Light [H, W, 3] (with ``plain`` encoded values) and alpha [H, W, 1 or 0] as they stand in the file, and what it tells of its alpha."""
    if len(data) > MAX_PICTURE_BYTES:
        raise PictureError(f"{label} is larger than {MAX_PICTURE_BYTES // 1_000_000} MB")
    raw = read_data(data, label, as_stored=as_stored)
    light, alpha = raw.pixels[..., :3], raw.pixels[..., 3:]
    if raw.encoded:
        # They stay in their own whole numbers until a table turns them into light: a quarter of the memory.
        steps = np.arange(np.iinfo(light.dtype).max + 1, dtype=np.float32) / np.iinfo(light.dtype).max
        light = (steps if plain else decode(steps)).astype(np.float32)[light]
        alpha = steps[alpha]
    return np.ascontiguousarray(light, np.float32), np.asarray(alpha, np.float32), raw.told
