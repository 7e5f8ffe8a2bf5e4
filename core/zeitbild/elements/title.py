"""Title: flat lettering, filled and outlined."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field, StringConstraints

from zeitbild.elements._flat import Shadowed, ShadowedElement, faces, pose, shadowed, wear
from zeitbild.elements._text import TextElement
from zeitbild.elements.base import ElementKind, kinds
from zeitbild.errors import DrawingError, InputError
from zeitbild.finishes import Finish
from zeitbild.geometry.art import Layer, art, outline_of
from zeitbild.geometry.drawing.tracks import Track
from zeitbild.geometry.extrusion import Bevel
from zeitbild.shipped import NAMED_STYLE, AssetSource
from zeitbild.values import choice, number


class TitleElement(TextElement, ShadowedElement):
    """Lines of flat text about the middle of their ink."""

    kind: Literal["title"] = "title"
    word: Annotated[str, StringConstraints(max_length=400)] = Field(
        default="Title", title="Words", json_schema_extra={"x-widget": "lines", "x-group": "Text"}
    )
    font: Annotated[str, StringConstraints(pattern=NAMED_STYLE)] = Field(
        default="lato-black", title="Font", json_schema_extra={"x-widget": "font", "x-group": "Text"}
    )
    size: float = number(
        120, "Letter size", 1, 10_000, unit="u", group="Text", slider=(20, 400), help="Size of the em."
    )
    filled: bool = Field(default=True, title="Filled", json_schema_extra={"x-group": "Text"})
    outline: float = number(
        0,
        "Outline",
        0,
        1000,
        step=0.5,
        unit="u",
        group="Outline",
        slider=(0, 40),
        help="How far it reaches beyond the letters; 0: none.",
    )
    join: Literal["miter", "round", "bevel"] = choice("round", "Corners of the outline", group="Outline")
    fill: Finish = Field(
        default_factory=lambda: Finish(shading="unlit", base_colour="#f4f1ea"),
        title="Fill",
        json_schema_extra={"x-group": "Finish"},
    )
    edge: Finish = Field(
        default_factory=lambda: Finish(shading="unlit", base_colour="#1d1f24"),
        title="Outline",
        json_schema_extra={"x-group": "Finish"},
    )


def build(element: TitleElement, assets: AssetSource) -> Shadowed:
    """Form of the text with its ink centre at the origin, and its soft shadow."""
    placed, face = element.shaped(assets)
    scale = element.size / face.units_per_em
    tracks = [
        Track((contour.curves + np.array([glyph.x, glyph.y])) * scale, contour.straight, True)
        for glyph in placed
        for contour in face.curves(glyph.glyph)
    ]
    paints: list[tuple[list[Track], Layer]] = []
    if element.outline > 0:
        # Below the letters: half of the line lies under them.
        paints.append((outline_of(tracks, 2 * element.outline, element.join), "line"))
    if element.filled:
        paints.append((tracks, "fill"))
    try:
        return shadowed(element, art(paints, 0.0, Bevel(), "the title"))
    except DrawingError:
        if (paints and not element.filled) or (tracks and not paints):
            raise InputError("nothing of the title is seen: fill it, or give it an outline", "outline") from None
        raise InputError("the title has no visible ink; it may be made of spaces only", "word") from None


kinds.register(
    ElementKind(
        "title",
        "Title",
        TitleElement,
        build,
        6,
        pose=pose,
        wear=wear,
        faces=faces,
        note="flat words, with an outline and a soft shadow",
    )
)
