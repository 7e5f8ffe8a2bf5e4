"""Uploaded surroundings as the renderer takes them: read once, and made small enough for what they are used for."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from zeitbild.elements.base import AssetSource
from zeitbild.errors import InputError, PictureError
from zeitbild.pictures import read_picture
from zeitbild.render.environment import SkyPicture
from zeitbild.resolve.digest_cache import DigestCache

#: Widths of what is seen itself at most, of what mirrors show, and of what is blurred anyway.
_FINE, _SHARP, _COARSE = 4096, 512, 128
#: A picture of all directions is twice as wide as high; so much it may be off.
_OFF = 0.02


def _at_width(pixels: NDArray[np.float32], width: int) -> NDArray[np.float32]:
    import cv2  # a quarter of a second at the start, which few pictures need

    # By area, so that a small sun keeps its light.
    small = cv2.resize(pixels, (width, width // 2), interpolation=cv2.INTER_AREA)
    return np.ascontiguousarray(small, dtype=np.float32)


def check_sky(data: bytes, label: str) -> NDArray[np.float32]:
    """Pixels of a picture file that shows all directions; PictureError if it does not."""
    pixels = read_picture(data, label)
    height, width = pixels.shape[:2]
    if abs(width / (2 * height) - 1) > _OFF or height < 16:
        raise PictureError(
            f"{label} has {width} × {height} pixels; a picture of all directions (latitude-longitude) is twice as wide as high"
        )
    return pixels


_skies = DigestCache[SkyPicture](160 * 1024 * 1024, lambda sky: sky.fine.nbytes + sky.pixels.nbytes + sky.coarse.nbytes)


def sky_picture(digest: str, assets: AssetSource) -> SkyPicture:
    """The picture of a digest; InputError at the environment's field if it is missing or broken."""

    def make() -> SkyPicture:
        pixels = check_sky(assets.read(digest), "the uploaded picture")
        fine = pixels if pixels.shape[1] <= _FINE else _at_width(pixels, _FINE)
        return SkyPicture(digest, _at_width(pixels, _SHARP), _at_width(pixels, _COARSE), fine)

    try:
        return _skies.get(digest, make)
    except InputError as error:
        error.field = "environment.picture"
        raise
