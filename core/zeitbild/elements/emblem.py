"""Emblem: a vector drawing, raised into an extruded logo, or flat at depth 0."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import partial
from typing import Annotated, Any, Literal

from pydantic import Field, StringConstraints, model_validator

from zeitbild.drawings import SHIPPED
from zeitbild.elements._inlaid import FADED, inlaid
from zeitbild.elements.base import ElementBase, ElementKind, Surface, Worn, kinds
from zeitbild.errors import DrawingError, FontError
from zeitbild.finishes import Finish
from zeitbild.fonts import SHIPPED as FONTS
from zeitbild.geometry.drawing.painting import drawing_at
from zeitbild.geometry.drawing.shades import Shade
from zeitbild.geometry.emblem_form import EmblemForm, Raised
from zeitbild.geometry.extrusion import Bevel
from zeitbild.geometry.profile import ProfileName
from zeitbild.shipped import ASSET, NAMED, NAMED_STYLE, AssetSource, file_of, style_of
from zeitbild.timing import Time
from zeitbild.values import STILL, Colour, Part, choice, number

_depth = partial(number, title="Depth", low=0, high=10_000, unit="u", slider=(0, 200))
_bevel_width = partial(number, title="Bevel width", low=0, high=1000, step=0.1, unit="u", slider=(0, 25))


#: Colours that may have a finish of their own.
MAX_LISTED = 64


class EmblemColour(Part):
    """What one colour of the drawing becomes, where it is not to be as the drawing has it."""

    drawn: Colour = Field(title="Colour in the drawing", json_schema_extra={"x-widget": "hidden", **STILL})
    stands: Literal["like all", "by itself"] = choice("like all", "Stands")
    depth: float = _depth(40, when={"stands": "by itself"})
    bevel_width: float = _bevel_width(2, when={"stands": "by itself"})
    finish: Finish = Field(default_factory=Finish, title="Finish")


class Emblem(ElementBase):
    """A drawing whose colours become finishes."""

    kind: Literal["emblem"] = "emblem"
    drawing: Annotated[str, StringConstraints(pattern=NAMED)] = Field(
        default="badge",
        title="Drawing",
        json_schema_extra={"x-widget": "file", "x-files": "drawings", "x-group": "Drawing"},
    )
    text_font: Annotated[str, StringConstraints(pattern=rf"^$|{NAMED_STYLE}")] = Field(
        default="",
        title="Font of its text",
        description="For text that asks for a font which is not here.",
        json_schema_extra={
            "x-widget": "font",
            "x-group": "Drawing",
            "x-none": "Those that ship",
            "x-when": {"drawing.kind": "with text"},
        },
    )
    size: float = number(
        300,
        "Size",
        0.01,
        100_000,
        unit="u",
        group="Drawing",
        slider=(20, 1000),
        help="Of the larger side of what is seen.",
    )
    depth: float = _depth(40, group="Solid", help="0 is flat art.")
    bevel_profile: ProfileName = choice("round", "Bevel profile", group="Bevel")
    bevel_width: float = _bevel_width(2, group="Bevel", help="Each colour has its own.")
    bevel_steps: Annotated[int, Field(ge=1, le=24)] = Field(
        default=3, title="Bevel steps", json_schema_extra={"x-group": "Bevel", "x-step": 1, "x-slider": [1, 24]}
    )
    bevel_sides: Literal["none", "front", "back", "both"] = choice("front", "Bevel on", group="Bevel")
    colours: tuple[EmblemColour, ...] = Field(
        default=(),
        title="Colours",
        max_length=MAX_LISTED,
        description="Colours of the drawing that get a finish, depth or bevel of their own.",
        json_schema_extra={
            "x-widget": "finishes",
            "x-files": "drawings",
            "x-of": "drawing",
            "x-group": "Colours",
            "x-each": "Colour",
        },
    )
    surface: Finish = Field(
        default_factory=Finish,
        title="All colours",
        description="How they shine; each keeps its own colour.",
        json_schema_extra={"x-group": "Finish", "x-without": ["base_colour"]},
    )
    sides_wear: Literal["their colour", "a finish of their own"] = choice("their colour", "Sides wear", group="Finish")
    side: Finish = Field(
        default_factory=Finish,
        title="Sides",
        json_schema_extra={"x-group": "Finish", "x-when": {"sides_wear": "a finish of their own"}},
    )

    @model_validator(mode="after")
    def _each_once(self) -> Emblem:
        drawn = [one.drawn for one in self.colours]
        twice = sorted({one for one in drawn if drawn.count(one) > 1})
        if twice:
            raise ValueError(f"the colour {twice[0]} is listed twice")
        return self

    def surfaces(self) -> tuple[Surface, ...]:
        """That of all colours, of the sides, and of each colour that has one."""
        own = (
            Surface(f"colours.{at}.finish", f"colour-{one.drawn[1:]}", f"colour {one.drawn}", one.finish)
            for at, one in enumerate(self.colours)
        )
        return (
            Surface("surface", "surface", "All colours", self.surface),
            Surface("side", "side", "Sides", self.side),
            *own,
        )


def build(element: Emblem, assets: AssetSource) -> EmblemForm:
    """Form of the drawing with its middle at the origin. Parts: one for each of its shades, then one for all sides."""
    font = None
    if element.text_font:
        named, _ = style_of(element.text_font)
        font = element.text_font.removeprefix(ASSET), file_of(named, "text_font", FONTS, assets, FontError)[0]
    drawing = drawing_at(*file_of(element.drawing, "drawing", SHIPPED, assets, DrawingError), font)
    own = {one.drawn: one for one in element.colours}
    raised = []
    for shade in drawing.shades:
        one = own.get(shade.colour)
        alone = one is not None and one.stands == "by itself"
        depth, width = (one.depth, one.bevel_width) if one and alone else (element.depth, element.bevel_width)
        if shade.lies_flat:
            # Behind all that is raised.
            depth = width = 0.0
        raised.append(Raised(depth, Bevel(element.bevel_profile, width, element.bevel_steps, element.bevel_sides)))
    faces = tuple(range(len(drawing.shades)))
    sides = faces if element.sides_wear == "their colour" else (len(faces),) * len(faces)
    return EmblemForm(drawing, element.size, element.depth, tuple(raised), faces, sides)


def wear(element: Emblem, time: Time, built: Any) -> Sequence[Worn]:
    """Each shade what is listed for its colour, or the surface of all in its own colour; then the sides."""
    listed = {one.drawn: number for number, one in enumerate(element.colours, 2)}
    return (*(_worn(element, built, shade, listed) for shade in built.drawing.shades), Worn(1))


def _worn(element: Emblem, built: EmblemForm, shade: Shade, listed: Mapping[str, int]) -> Worn:
    if shade.inlay >= 0:
        return inlaid(element.drawing, shade, built.drawing.inlays[shade.inlay].file)
    # What fades out, as shadows do, is no colour that could be another.
    if shade.colour in listed and not shade.cut:
        return Worn(listed[shade.colour], opacity=shade.alpha)
    if not shade.painting or not element.drawing.startswith(ASSET):
        return Worn(0, {"base_colour": shade.colour}, shade.alpha)
    changes = {
        "base_colour": "#ffffff",
        "base_map": f"{element.drawing}#{built.drawing.pictures[shade]}",
        "map_by": "unwrapped",
    }
    return Worn(0, changes, shade.alpha, cut=FADED if shade.cut else -1.0)


kinds.register(ElementKind("emblem", "Emblem", Emblem, build, 2, wear=wear, note="an SVG, raised or flat"))
