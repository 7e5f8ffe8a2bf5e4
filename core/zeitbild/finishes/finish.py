"""The document's finishes: values of a surface, its own or shared under a name."""

from __future__ import annotations

import re
from typing import Annotated, Any, Literal

from pydantic import ConfigDict, Field, StringConstraints, model_validator

from zeitbild.keys import Moving
from zeitbild.values import Colour, Part, Title, choice, number

MOST_TONES = 5
_LIT: dict[str, Any] = {"shading": "metal-rough"}
_SOLID: dict[str, Any] = {"shading": ["metal-rough", "unlit"]}
_CATCHES: dict[str, Any] = {"shading": "shadow only"}
_THERE: dict[str, Any] = {"shading": ["metal-rough", "tone bands", "unlit"]}
_MEASURED: dict[str, Any] = {**_SOLID, "map_by": ["front", "all sides"]}
_TURNED: dict[str, Any] = {**_SOLID, "map_by": ["front", "all sides", "round a ball", "round a column"]}
_TONES: dict[str, Any] = {"shading": "tone bands"}


#: Textures by the start of their field's name, and whether their values are plain numbers instead of colours.
TEXTURES = (("base", False), ("roughness", True), ("metalness", True), ("normal", True), ("emission", False))
#: An uploaded picture, or one inside an uploaded model, by its number and what of it is meant (``INSIDE``).
Uploaded = Annotated[
    str, StringConstraints(pattern=r"^(|([a-z0-9-]{1,40}|asset:[0-9a-f]{64})(#[0-9]{1,4}([gba]|m[0-9]{1,2})?)?)$")
]
#: A number and what of the picture is meant: its green, its blue, with its alpha, or with all of it from so many hundredths of alpha on.
INSIDE = re.compile(r"^([0-9]+)([gba]|m[0-9]+)?$")


def is_cut(named: str) -> bool:
    """Whether the alpha of a picture inside a model is meant to cut out what it lies on."""
    found = INSIDE.match(named.partition("#")[2])
    return found is not None and (found[2] or "")[:1] in ("a", "m")


def _map(title: str, when: dict[str, Any], help: str = "") -> Any:
    return Field(
        default="",
        title=title,
        description=help or None,
        json_schema_extra={"x-widget": "texture", "x-when": when, "x-fold": "Textures"},
    )


class Tone(Part):
    """One flat tone and the amount of light from which on it holds."""

    above: float = number(0, "From", 0, 10, step=0.01)
    colour: Colour = Field(default="#808080", title="Colour", json_schema_extra={"x-widget": "colour"})


class Values(Part):
    """How a surface answers light.

    ``metal-rough`` is the model of glTF 2.0 (appendix B) with its clear coat (extension KHR_materials_clearcoat);
    ``tone bands`` are two to five flat tones by the amount of matt light; ``unlit`` is one flat colour; ``shadow only`` catches shadow
    and occlusion, and a mirror image of the set if wanted, into alpha and is otherwise not there.
    """

    shading: Literal["metal-rough", "tone bands", "unlit", "shadow only"] = choice("metal-rough", "Shading")
    base_colour: Colour = Field(
        default="#948f85", title="Base colour", json_schema_extra={"x-widget": "colour", "x-when": _SOLID}
    )
    mirror: float = Field(
        default=0.0,
        title="Mirror image",
        ge=0,
        le=1,
        description="How strong the set is mirrored in it; only where mirrors show the set (Shadows and mirrors).",
        exclude_if=lambda mirror: mirror == 0,
        json_schema_extra={"x-step": 0.01, "x-slider": [0, 1], "x-when": _CATCHES},
    )
    roughness: float = number(
        0.5, "Roughness", 0, 1, step=0.01, slider=(0, 1), when={"shading": ["metal-rough", "shadow only"]}
    )
    metalness: float = number(0.0, "Metalness", 0, 1, step=0.01, slider=(0, 1), when=_LIT)
    coat: float = number(
        0.0, "Clear coat", 0, 1, step=0.01, slider=(0, 1), when=_LIT, help="A thin gloss on top, as of lacquer."
    )
    coat_roughness: float = number(0.05, "Coat roughness", 0, 1, step=0.01, slider=(0, 1), when=_LIT)
    tones: tuple[Tone, ...] = Field(
        default=(Tone(above=0, colour="#6d6a64"), Tone(above=0.45, colour="#b9b4a8")),
        title="Tones",
        min_length=2,
        max_length=MOST_TONES,
        description="1 is the light of a sun of strength 1 that shines straight on the surface.",
        json_schema_extra={"x-widget": "tones", "x-when": _TONES, "x-each": "Tone"},
    )
    softness: float = number(
        0, "Softness of borders", 0, 1, step=0.01, slider=(0, 0.3), when=_TONES, help="In amount of light; 0 is hard."
    )
    opacity: float = number(
        1.0,
        "Opacity",
        0,
        1,
        step=0.01,
        slider=(0, 1),
        help="Of each side: below 1 what is behind shows through, the far side of a closed body too, and alpha with it. "
        "Of what is shadow only: how dark its shadows are.",
    )
    emission: float = number(0.0, "Emission", 0, 100, step=0.01, slider=(0, 4), when=_THERE, help="Light of its own.")
    emission_colour: Colour = Field(
        default="#ffffff", title="Emission colour", json_schema_extra={"x-widget": "colour", "x-when": _THERE}
    )

    base_map: Uploaded = _map("Base colour texture", _SOLID)
    roughness_map: Uploaded = _map("Roughness texture", _LIT, "Grey; multiplied with the value.")
    metalness_map: Uploaded = _map("Metalness texture", _LIT, "Grey; multiplied with the value.")
    normal_map: Uploaded = _map("Normal texture", _LIT, "Right, up and out as red, green and blue.")
    emission_map: Uploaded = _map("Emission texture", _SOLID, "Multiplied with colour and strength of the emission.")
    map_by: Literal["front", "all sides", "round a ball", "round a column", "unwrapped"] = Field(
        default="front",
        title="Textures lie",
        description="On the front, straight through; on each of six sides; once round; or as a model's file has it.",
        json_schema_extra={"x-widget": "list", "x-when": _SOLID, "x-fold": "Textures"},
    )
    map_width: float = Field(
        default=200,
        title="Width of a texture",
        ge=0.01,
        le=1_000_000,
        json_schema_extra={"x-unit": "u", "x-step": 1, "x-slider": [5, 800], "x-when": _MEASURED, "x-fold": "Textures"},
    )
    map_turn: float = Field(
        default=0,
        title="Turn of textures",
        ge=-360,
        le=360,
        json_schema_extra={
            "x-unit": "°",
            "x-step": 1,
            "x-slider": [-180, 180],
            "x-when": _TURNED,
            "x-fold": "Textures",
        },
    )

    @model_validator(mode="after")
    def _rising(self) -> Values:
        first, *others = self.tones
        if first.above != 0:
            raise ValueError(f"the first tone holds from 0 on, not from {first.above:g}")
        # Looked at for each surface of a frame; most have one tone.
        below = first.above
        for tone in others:
            if tone.above <= below:
                raise ValueError(f"tones must rise: {', '.join(f'{one.above:g}' for one in self.tones)}")
            below = tone.above
        return self


class Finish(Values):
    """A surface's own values, or, if ``named``, those of the shot's finish of that name."""

    model_config = ConfigDict(json_schema_extra={"x-widget": "finish"})

    named: Annotated[str, StringConstraints(max_length=120)] = Field(
        default="", title="Shared finish", json_schema_extra={"x-widget": "hidden"}
    )


class NamedFinish(Moving):
    """A finish that several surfaces share; changed in one place."""

    name: Title = Field(title="Name")
    values: Values = Field(default_factory=Values, title="Values")
