"""Uploaded textures as the renderer takes them: read once, with their smaller versions."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from zeitbild.elements.base import AssetSource
from zeitbild.errors import InputError
from zeitbild.geometry.drawing.painting import drawing_at
from zeitbild.geometry.model.reading import holds_pictures, picture_levels
from zeitbild.pictures import cut_levels, levels_of
from zeitbild.resolve.digest_cache import DigestCache
from zeitbild.snapshot.texture import MOST_LEVELS, Texture

#: Pixels a side that are kept; larger pictures are made smaller, so that a set's textures fit a worker's memory.
_LARGEST = 2048


_textures = DigestCache[Texture](256 * 1024 * 1024, lambda one: sum(level.nbytes for level in one.levels))


def _levels(digest: str, plain: bool, reading: str, alpha: bool, path: str) -> Sequence[NDArray[np.float32]]:
    _, inside, number = digest.partition("#")
    if inside:
        # What lies inside a model is a picture, inside a drawing a gradient.
        if holds_pictures(Path(path)):
            label = f"picture {number} of the model"
            return picture_levels(path, label, int(number), plain, _LARGEST, MOST_LEVELS)
        drawing = drawing_at(Path(path), "the drawing")
        if int(number) >= len(drawing.gradients):
            raise InputError(f"the drawing has no gradient {number}")
        return drawing.gradients[int(number)].levels(drawing.bounds, MOST_LEVELS)
    if reading:
        return cut_levels(path, "the uploaded picture", reading, alpha, _LARGEST, MOST_LEVELS)
    return levels_of(path, "the uploaded picture", plain, _LARGEST, MOST_LEVELS)


def texture(digest: str, plain: bool, reading: str, alpha: bool, assets: AssetSource) -> Texture:
    """The texture of a digest, or of what lies inside a file (its digest, ``#`` and the number); plain: its values are numbers, not colours.

    reading is how the alpha of a picture is read (``straight``, ``premultiplied`` or ``ignored``; empty: it is over black), with ``alpha``
    that itself is the texture. InputError if it is missing or broken.
    """

    def made() -> Texture:
        path = str(assets.path(digest.partition("#")[0]))
        name = " ".join([digest, reading, "alpha" if alpha else ""]).rstrip()
        return Texture(name, plain, tuple(_levels(digest, plain, reading, alpha, path)))

    return _textures.get((digest, plain, reading, alpha), made)
