"""Uploaded textures as the renderer takes them: read once, with their smaller versions."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from zeitbild.caching import SizedCache
from zeitbild.elements.base import PictureReading
from zeitbild.errors import InputError
from zeitbild.finishes.finish import INSIDE, is_cut
from zeitbild.fonts import SHIPPED as FONTS
from zeitbild.footage.levels import cut_levels
from zeitbild.footage.pictures import cutout
from zeitbild.geometry.drawing.inlaid import INLAYS
from zeitbild.geometry.drawing.painting import drawing_at
from zeitbild.geometry.drawing.shades import Pictured
from zeitbild.geometry.model.reading import holds_pictures, picture_cut, picture_levels
from zeitbild.geometry.model.standing import COLOURS, model_at
from zeitbild.library import files
from zeitbild.pictures import levels_of
from zeitbild.shipped import AssetSource, style_of
from zeitbild.snapshot.texture import MOST_LEVELS, Texture

#: Pixels a side that are kept; larger pictures are made smaller, so that a set's textures fit a worker's memory.
_LARGEST = 2048


_Floats = NDArray[np.float32]
_DRAWING = "the drawing"
_CHANNELS = {"g": 1, "b": 2}
#: How much faster a mask rises at its edge than the alpha that it is of.
_STEEP = 32
_textures = SizedCache[Texture](256 * 1024 * 1024, lambda one: sum(level.nbytes for level in one.levels))


def _levels(number: int, meant: str, plain: bool, path: str) -> Sequence[NDArray[np.float32]]:
    """A picture, or (number from 0 on) one that lies inside a model."""
    if number < 0:
        return levels_of(path, "the uploaded picture", plain, _LARGEST, MOST_LEVELS)
    if number >= COLOURS:
        return _colours(Path(path), number)
    levels = picture_levels(path, f"picture {number} of the model", number, plain, _LARGEST, MOST_LEVELS)
    if meant in _CHANNELS:
        return [np.repeat(one[..., _CHANNELS[meant], None], 3, axis=2) for one in levels]
    return levels


def _cut_by(path: Path, number: int, meant: str) -> tuple[_Floats, _Floats]:
    """Premultiplied light and alpha of a picture inside a model, by what its alpha means (``finishes.finish.INSIDE``)."""
    light, alpha = picture_cut(str(path), f"picture {number} of the model", number)
    if meant == "a":
        return light, alpha
    # There or not; within a step of the picture's alpha the edge stays where it is between its pixels.
    there = np.clip((alpha - int(meant[1:]) / 100) * _STEEP + 0.5, 0, 1).astype(np.float32)
    return light / np.maximum(alpha, np.float32(1e-6))[..., None] * there[..., None], there


def _place_of(named: str, assets: AssetSource) -> Path:
    """Where a file lies that a texture names: by its digest, or a shipped one by its key. InputError if there is none."""
    for kind in files:
        for one in kind.shipped:
            if one.key == named:
                return one.path
    return assets.path(named)


def _colours(path: Path, number: int) -> Sequence[NDArray[np.float32]]:
    """The picture of a model's corners' colours; not made smaller, since its pixels have nothing to do with those beside them."""
    found = model_at(path, "the model").colours.get(number)
    if found is None:
        raise InputError(f"the model has no colours {number}")
    return (found,)


def texture(digest: str, plain: bool, reading: PictureReading | None, alpha: bool, assets: AssetSource) -> Texture:
    """The texture of a digest, or of what lies inside a file (its digest, ``#`` and the number); plain: its values are numbers, not colours.

    reading is how a picture of footage is read, with ``alpha`` that itself is the texture. InputError if it is missing or broken.
    """
    key = digest, plain, reading, alpha

    def both(name: str, cut: tuple[_Floats, _Floats | None], *, hard: bool = False, once: bool = True) -> Texture:
        """The colours of premultiplied light, or its alpha; the other, which comes from the same look at the picture, is kept."""
        colours, shares = cut_levels(*cut, _LARGEST, MOST_LEVELS)
        found = {
            False: Texture(name, False, tuple(colours), once, hard),
            True: Texture(f"{name} alpha", True, tuple(shares or [np.ones((1, 1, 3), np.float32)]), once, hard),
        }
        _textures.get((digest, not alpha, reading, not alpha), lambda: found[not alpha])
        return found[alpha]

    def made() -> Texture:
        sha256, inside, told = digest.partition("#")
        path = _place_of(sha256, assets)
        found = INSIDE.match(told)
        number, meant = (int(found[1]), found[2] or "") if found else (-1, "")
        if found and INLAYS <= number < COLOURS and not holds_pictures(path):
            drawing = drawing_at(path, _DRAWING)
            inlay = next((one for one in drawing.inlays if one.file == number - INLAYS), None)
            if inlay is None:
                raise InputError(f"the drawing has no picture {number - INLAYS}")
            return both(digest, inlay.light(_DRAWING))
        if is_cut(digest) and holds_pictures(path):
            return both(digest, _cut_by(path, number, meant), once=False)
        if reading is None and inside and number < COLOURS and not holds_pictures(path):
            named = Pictured.of(told)
            font, _ = style_of(named.font)
            lettering = FONTS[font].path if font in FONTS else assets.path(font) if font else None
            drawing = drawing_at(path, _DRAWING, (named.font, lettering) if lettering else None)
            levels = drawing.levels(named, MOST_LEVELS, alpha=alpha)
            return Texture(f"{digest} alpha" if alpha else digest, plain or alpha, tuple(levels), True)
        if reading is None:
            # Pictures of models and of surfaces repeat.
            once = bool(inside) and not holds_pictures(path)
            return Texture(digest, plain, tuple(_levels(number, meant, plain, str(path))), once)
        cut = cutout(path, "the uploaded footage", max(number, 0), reading.alpha, reading.matte)
        return both(f"{digest} {reading}", cut, hard=reading.hard)

    return _textures.get(key, made)
