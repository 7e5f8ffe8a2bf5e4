"""What is around the set, and what its surfaces do to each other."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import AfterValidator, ConfigDict, Field, StringConstraints

from zeitbild.keys import Moving
from zeitbild.surroundings import kinds
from zeitbild.values import Colour, Part, choice, number

#: Surroundings by formula that take a colour of the horizon, or have lamps.
_GENERATED: dict[str, Any] = {"source": [one.name for one in kinds]}
_HORIZON: dict[str, Any] = {"source": [one.name for one in kinds if one.horizon]}
_LAMPS: dict[str, Any] = {"source": [one.name for one in kinds if one.lamps]}
_STUDIO = kinds.get("studio")
PICTURE = "picture"
_SOURCES = (*(one.name for one in kinds), PICTURE)


def _known(name: str) -> str:
    if name not in _SOURCES:
        raise ValueError(f"there are no surroundings {name[:40]!r}; there are {', '.join(_SOURCES)}")
    return name


class Environment(Moving):
    """What is around: generated or a picture. It lights and is mirrored, and is in the picture only as a backdrop."""

    source: Annotated[str, AfterValidator(_known)] = Field(
        default="studio",
        title="Surroundings",
        json_schema_extra={"enum": list(_SOURCES), "x-widget": "surroundings"},
    )
    picture: Annotated[str, StringConstraints(pattern=r"^(|asset:[0-9a-f]{64})$")] = Field(
        default="",
        title="Picture",
        description="Of all directions (latitude-longitude), twice as wide as high: HDR, EXR, PNG or JPEG.",
        json_schema_extra={"x-widget": "sky", "x-when": {"source": "picture"}},
    )
    strength: float = number(_STUDIO.strength, "Strength", 0, 100, step=0.01, slider=(0, 3))
    sky: Colour = Field(
        default=_STUDIO.sky, title="Above", json_schema_extra={"x-widget": "colour", "x-when": _GENERATED}
    )
    horizon: Colour = Field(
        default="#f3d9b8", title="Horizon", json_schema_extra={"x-widget": "colour", "x-when": _HORIZON}
    )
    floor: Colour = Field(
        default=_STUDIO.floor, title="Below", json_schema_extra={"x-widget": "colour", "x-when": _GENERATED}
    )
    spread: float = number(
        60,
        "Horizon reaches",
        1,
        90,
        unit="°",
        slider=(5, 90),
        when={"source": "gradient"},
        help="How far up and down its colour goes over into the others.",
    )
    boxes: float = number(
        1,
        "Lamps",
        0,
        20,
        step=0.01,
        slider=(0, 3),
        when=_LAMPS,
        help="How bright its lamps are: what metal mirrors.",
    )
    rotation: float = number(
        0,
        "Rotation",
        -360,
        360,
        unit="°",
        slider=(-180, 180),
        when={"source": [one for one in _SOURCES if one != "gradient"]},
    )


class Rays(Part):
    """What surfaces do to each other: how dark corners get, and how often mirrors mirror."""

    model_config = ConfigDict(title="Shadows and mirrors")

    occlusion: float = number(
        0, "Occlusion", 0, 1, step=0.01, slider=(0, 1), help="How much corners and gaps keep light from around away."
    )
    occlusion_radius: float = number(
        150,
        "Occlusion radius",
        0.01,
        1_000_000,
        step=5,
        unit="u",
        slider=(5, 1000),
        help="Farther things do not count.",
    )
    samples: Literal["1", "2", "4", "8"] = choice(
        "4",
        "Rays a pixel, final",
        help="For soft shadows and occlusion, and four times as many for what is mirrored; fewer at check and rough. Neighbours share theirs.",
    )
    bounces: Annotated[int, Field(ge=0, le=3)] = Field(
        default=0,
        title="Mirror bounces",
        json_schema_extra={"x-step": 1, "x-slider": [0, 3]},
        description="0: metal mirrors only the environment; 1 to 3: also the set.",
    )
