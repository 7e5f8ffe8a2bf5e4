"""Extruded lettering: a word in any font, with depth, bevel and three finishes."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from zeitbild.elements._text import TextElement
from zeitbild.elements.base import ElementKind, kinds
from zeitbild.finishes import Finish
from zeitbild.geometry.extrusion import Bevel
from zeitbild.geometry.lettering_form import LetteringForm
from zeitbild.geometry.profile import ProfileName
from zeitbild.shipped import AssetSource
from zeitbild.values import choice, number


class Lettering(TextElement):
    """A word, several lines long if wanted, extruded and bevelled."""

    kind: Literal["lettering"] = "lettering"
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
    placed, face = element.shaped(assets)
    bevel = Bevel(element.bevel_profile, element.bevel_width, element.bevel_steps, element.bevel_sides)
    return LetteringForm.of(placed, face, element.size, element.depth, bevel)


kinds.register(ElementKind("lettering", "Extruded lettering", Lettering, build, note="words with depth and bevels"))
