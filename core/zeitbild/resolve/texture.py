"""Uploaded textures as the renderer takes them: read once, with their smaller versions."""

from __future__ import annotations

from zeitbild.elements.base import AssetSource
from zeitbild.geometry.model.reading import picture_levels
from zeitbild.pictures import levels_of
from zeitbild.resolve.digest_cache import DigestCache
from zeitbild.snapshot.texture import MOST_LEVELS, Texture

#: Pixels a side that are kept; larger pictures are made smaller, so that a set's textures fit a worker's memory.
_LARGEST = 2048


_textures = DigestCache[Texture](256 * 1024 * 1024, lambda one: sum(level.nbytes for level in one.levels))


def _made(digest: str, plain: bool, path: str) -> Texture:
    _, inside, number = digest.partition("#")
    if inside:
        levels = picture_levels(path, f"picture {number} of the model", int(number), plain, _LARGEST, MOST_LEVELS)
    else:
        levels = levels_of(path, "the uploaded picture", plain, _LARGEST, MOST_LEVELS)
    return Texture(digest, plain, tuple(levels))


def texture(digest: str, plain: bool, assets: AssetSource) -> Texture:
    """The texture of a digest, or of a picture inside a model (its digest, ``#`` and the number); plain: its values are numbers, not
    colours. InputError if it is missing or broken."""
    file = digest.partition("#")[0]
    return _textures.get((digest, plain), lambda: _made(digest, plain, str(assets.path(file))))
