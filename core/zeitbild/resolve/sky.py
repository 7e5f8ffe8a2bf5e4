"""Uploaded surroundings as the renderer takes them: read once, and made small enough for what they are used for."""

from __future__ import annotations

from zeitbild.caching import SizedCache
from zeitbild.errors import InputError
from zeitbild.pictures import sizes_of
from zeitbild.shipped import AssetSource
from zeitbild.snapshot.surroundings import SkyPicture

#: Widths: of what is seen itself at most, and of what mirrors of all sizes show; lobes take the third.
_WIDTHS = (4096, 2048, 1024, 512)

_skies = SizedCache[SkyPicture](192 * 1024 * 1024, lambda sky: sum(one.nbytes for one in sky.sizes))


def sky_picture(digest: str, assets: AssetSource) -> SkyPicture:
    """The picture of a digest; InputError at the environment's field if it is missing or broken."""

    def make() -> SkyPicture:
        path = str(assets.path(digest))
        return SkyPicture(digest, tuple(sizes_of(path, "the uploaded picture", _WIDTHS)))

    try:
        return _skies.get(digest, make)
    except InputError as error:
        error.field = "environment.picture"
        raise
