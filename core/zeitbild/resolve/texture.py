"""Uploaded textures as the renderer takes them: read once, with their smaller versions."""

from __future__ import annotations

from zeitbild.elements.base import AssetSource
from zeitbild.pictures import levels_of
from zeitbild.resolve.digest_cache import DigestCache
from zeitbild.snapshot.texture import MOST_LEVELS, Texture

#: Pixels a side that are kept; larger pictures are made smaller, so that a set's textures fit a worker's memory.
_LARGEST = 2048


_textures = DigestCache[Texture](256 * 1024 * 1024, lambda one: sum(level.nbytes for level in one.levels))


def _made(digest: str, plain: bool, path: str) -> Texture:
    return Texture(digest, plain, tuple(levels_of(path, "the uploaded picture", plain, _LARGEST, MOST_LEVELS)))


def texture(digest: str, plain: bool, assets: AssetSource) -> Texture:
    """The texture of a digest; plain: its values are numbers, not colours. InputError if it is missing or broken."""
    return _textures.get((digest, plain), lambda: _made(digest, plain, str(assets.path(digest))))
