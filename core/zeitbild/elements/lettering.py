"""Extruded lettering: a word in any font, with depth, bevel and three finishes."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from zeitbild.elements._faces import face_of
from zeitbild.elements.base import AssetSource, ElementBase, ElementKind, kinds
from zeitbild.finishes import Finish
from zeitbild.geometry.extrusion import Bevel
from zeitbild.geometry.lettering_form import LetteringForm
from zeitbild.geometry.profile import ProfileName
from zeitbild.geometry.shaping import shape
from zeitbild.values import choice, number


class Lettering(ElementBase):
    """A word, several lines long if wanted, extruded and bevelled."""

    kind: Literal["lettering"] = "lettering"
    word: Annotated[str, StringConstraints(max_length=400)] = Field(
        default="Word", title="Word", json_schema_extra={"x-widget": "lines", "x-group": "Text"}
    )
    font: Annotated[str, StringConstraints(pattern=r"^([a-z0-9-]{1,40}|asset:[0-9a-f]{64})$")] = Field(
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
    depth: float = number(60, "Depth", 0.01, 10_000, unit="u", group="Solid", slider=(1, 200))
    bevel_profile: ProfileName = choice("round", "Bevel profile", group="Bevel")
    bevel_width: float = number(5, "Bevel width", 0, 1000, step=0.1, unit="u", group="Bevel", slider=(0, 25))
    bevel_steps: Annotated[int, Field(ge=1, le=24)] = Field(
        default=4, title="Bevel steps", json_schema_extra={"x-group": "Bevel", "x-step": 1, "x-slider": [1, 24]}
    )
    bevel_sides: Literal["none", "front", "back", "both"] = choice("both", "Bevel on", group="Bevel")
    # In the order of the extrusion's parts.
    face: Finish = Field(default_factory=Finish, title="Face", json_schema_extra={"x-group": "Finish"})
    bevel: Finish = Field(default_factory=Finish, title="Bevel", json_schema_extra={"x-group": "Finish"})
    side: Finish = Field(default_factory=Finish, title="Side", json_schema_extra={"x-group": "Finish"})


def build(element: Lettering, assets: AssetSource) -> LetteringForm:
    """Form of the word with its ink centre at the origin."""
    face = face_of(element.font, assets)
    placed = shape(
        element.word,
        face,
        letter_spacing=element.letter_spacing,
        line_spacing=element.line_spacing,
        alignment=element.alignment,
    )
    bevel = Bevel(element.bevel_profile, element.bevel_width, element.bevel_steps, element.bevel_sides)
    return LetteringForm.of(placed, face, element.size, element.depth, bevel)


kinds.register(ElementKind("lettering", "Extruded lettering", Lettering, build))
