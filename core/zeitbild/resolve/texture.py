"""Uploaded textures as the renderer takes them: read once, with their smaller versions."""

from __future__ import annotations

import numpy as np

from zeitbild.elements.base import AssetSource
from zeitbild.pictures import read_picture
from zeitbild.render.texels import MOST_LEVELS, Texture
from zeitbild.resolve.digest_cache import DigestCache

#: Pixels a side that are kept; larger pictures are made smaller, so that a set's textures fit a worker's memory.
_LARGEST = 2048


_textures = DigestCache[Texture](256 * 1024 * 1024, lambda one: sum(level.nbytes for level in one.levels))


def _made(digest: str, plain: bool, data: bytes) -> Texture:
    import cv2  # a quarter of a second at the start, which few pictures need

    pixels = read_picture(data, "the uploaded picture", plain=plain)
    shrink = _LARGEST / max(pixels.shape[:2])
    if shrink < 1:
        size = (max(1, round(pixels.shape[1] * shrink)), max(1, round(pixels.shape[0] * shrink)))
        pixels = cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)
    levels = [pixels]
    while max(levels[-1].shape[:2]) > 1 and len(levels) < MOST_LEVELS:
        height, width = levels[-1].shape[:2]
        smaller = cv2.resize(levels[-1], (max(1, width // 2), max(1, height // 2)), interpolation=cv2.INTER_AREA)
        levels.append(np.ascontiguousarray(smaller, np.float32).reshape(max(1, height // 2), max(1, width // 2), 3))
    return Texture(digest, plain, tuple(levels))


def texture(digest: str, plain: bool, assets: AssetSource) -> Texture:
    """The texture of a digest; plain: its values are numbers, not colours. InputError if it is missing or broken."""
    return _textures.get((digest, plain), lambda: _made(digest, plain, assets.read(digest)))
