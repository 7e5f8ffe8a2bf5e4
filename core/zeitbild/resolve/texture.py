"""Uploaded textures as the renderer takes them: read once, with their smaller versions."""

from __future__ import annotations

from pathlib import Path

from zeitbild.elements.base import AssetSource
from zeitbild.geometry.drawing.painting import drawing_at
from zeitbild.geometry.model.reading import picture_levels
from zeitbild.pictures import cut_levels, levels_of
from zeitbild.resolve.digest_cache import DigestCache
from zeitbild.snapshot.texture import MOST_LEVELS, Texture

#: Pixels a side that are kept; larger pictures are made smaller, so that a set's textures fit a worker's memory.
_LARGEST = 2048


_textures = DigestCache[Texture](256 * 1024 * 1024, lambda one: sum(level.nbytes for level in one.levels))


def _made(digest: str, plain: bool, part: str, path: str) -> Texture:
    _, inside, number = digest.partition("#")
    if part.startswith("gradient "):
        drawing = drawing_at(Path(path), "the drawing")
        gradient = drawing.gradients[int(part.split()[1])]
        return Texture(f"{digest} {part}", plain, tuple(gradient.levels(drawing.bounds, MOST_LEVELS)))
    if part:
        found = cut_levels(path, "the uploaded picture", *part.split(), _LARGEST, MOST_LEVELS)
        return Texture(f"{digest} {part}", plain, tuple(found))
    if inside:
        levels = picture_levels(path, f"picture {number} of the model", int(number), plain, _LARGEST, MOST_LEVELS)
    else:
        levels = levels_of(path, "the uploaded picture", plain, _LARGEST, MOST_LEVELS)
    return Texture(digest, plain, tuple(levels))


def texture(digest: str, plain: bool, part: str, assets: AssetSource) -> Texture:
    """The texture of a digest, or of a picture inside a model (its digest, ``#`` and the number); plain: its values are numbers, not
    colours. part: of a picture with alpha, which is read ``straight`` or ``premultiplied``, its ``colour``
    or its ``alpha``; of a drawing ``gradient`` and its number. InputError if it is missing or broken."""
    file = digest.partition("#")[0]
    return _textures.get((digest, plain, part), lambda: _made(digest, plain, part, str(assets.path(file))))
