"""The faces of fonts that documents name: shipped ones, and uploaded ones by their content."""

from __future__ import annotations

from zeitbild.elements.base import AssetSource
from zeitbild.errors import FontError
from zeitbild.fonts import SHIPPED
from zeitbild.geometry.font import Face, open_face, strangers_face

#: An uploaded font is named by its content: ``asset:`` and its SHA-256.
ASSET = "asset:"


def face_of(font: str, assets: AssetSource) -> Face:
    """The face that documents call so; FontError if there is none, or if it is broken."""
    if font.startswith(ASSET):
        return strangers_face(assets.path(font.removeprefix(ASSET), "font"), "the uploaded font")
    if font not in SHIPPED:
        raise FontError(f"there is no font {font!r}; choose one of {', '.join(SHIPPED)} or upload one", "font")
    shipped = SHIPPED[font]
    return open_face(shipped.path.read_bytes(), shipped.title)
