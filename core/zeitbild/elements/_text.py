"""What elements that show words have in common."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from zeitbild.elements.base import ElementBase
from zeitbild.errors import FontError
from zeitbild.fonts import SHIPPED
from zeitbild.geometry.font import Face, open_face, strangers_face
from zeitbild.geometry.shaping import PlacedGlyph, shape
from zeitbild.shipped import ASSET, NAMED_STYLE, AssetSource, file_of, style_of
from zeitbild.values import choice, number


class TextElement(ElementBase):
    """Words in a font, several lines long if wanted."""

    word: Annotated[str, StringConstraints(max_length=400)] = Field(
        default="Word", title="Word", json_schema_extra={"x-widget": "lines", "x-group": "Text"}
    )
    font: Annotated[str, StringConstraints(pattern=NAMED_STYLE)] = Field(
        default="league-spartan", title="Font", json_schema_extra={"x-widget": "font", "x-group": "Text"}
    )
    size: float = number(
        200, "Letter size", 1, 10_000, unit="u", group="Text", slider=(40, 400), help="Size of the em."
    )
    letter_spacing: float = number(
        0, "Letter spacing", -0.5, 5, step=0.005, unit="em", group="Text", slider=(-0.1, 0.5)
    )
    line_spacing: float = number(1, "Line spacing", 0.1, 5, step=0.01, unit="×", group="Text", slider=(0.5, 2))
    alignment: Literal["left", "centre", "right"] = choice("centre", "Alignment", group="Text")

    def shaped(self, assets: AssetSource) -> tuple[tuple[PlacedGlyph, ...], Face]:
        """Its glyphs where they stand, and the face that they are of; errors as of ``shaping.shape``, FontError for a font that is not
        there or broken."""
        named, style = style_of(self.font)
        path, label = file_of(named, "font", SHIPPED, assets, FontError)
        own = named.startswith(ASSET)
        face = strangers_face(path, label, style) if own else open_face(path.read_bytes(), label)
        try:
            placed = shape(
                self.word,
                face,
                letter_spacing=self.letter_spacing,
                line_spacing=self.line_spacing,
                alignment=self.alignment,
            )
        except FontError as error:
            others = [one for one in map(_shipped_face, SHIPPED) if _sets(one, self.word)]
            if not others:
                raise
            raise FontError(f"{error.message}. {others[0].label} has all of them", error.field) from None
        return placed, face


def _shipped_face(key: str) -> Face:
    font = SHIPPED[key]
    return open_face(font.path.read_bytes(), font.title)


def _sets(face: Face, word: str) -> bool:
    """Whether a font has all characters of a word."""
    try:
        shape(word, face)
    except FontError:
        return False
    return True
