"""Small typed values that document parts are made of.

The extra keys ``x-*`` in the JSON schema tell a form how to show a field: ``x-unit``, ``x-step``, ``x-group``,
``x-widget``, ``x-slider`` (a soft range for dragging, within the hard limits) and ``x-when`` (values of other fields
under which this one has a meaning; a form shows it only then); ``x-any`` (several of such, one of which is enough); ``x-still`` that it
never has keys.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Annotated, Any

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, StringConstraints
from pydantic_core import PydanticCustomError

from zeitbild.colour.srgb import is_hex

#: Of a field that never moves: it has no keys.
STILL: dict[str, Any] = {"x-still": True}


#: Of a field that is told in frames of the shot: it goes along when the whole shot goes to other frames, and has no keys.
FRAME: dict[str, Any] = {**STILL, "x-frame": True}


class Part(BaseModel):
    """Base of every document part: unknown keys are refused, NaN and infinities too, instances never change."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False, ser_json_inf_nan="null")


def wrong_at(field: str, message: str) -> PydanticCustomError:
    """An error of a rule over several parts, shown at the field with this dotted path."""
    return PydanticCustomError("wrong_at", "{message}", {"field": field, "message": message})


def number(
    default: float,
    title: str,
    low: float,
    high: float,
    *,
    step: float = 1,
    unit: str = "",
    group: str = "",
    slider: tuple[float, float] | None = None,
    help: str = "",
    when: dict[str, str | list[str]] | None = None,
    late: str = "",
    still: bool = False,
) -> Any:
    """A float field with hard limits and hints for a form; in the ``late`` group it stands after what a kind adds."""
    extra: dict[str, Any] = {"x-step": step, "x-unit": unit, "x-group": group or late}
    if late:
        extra["x-late"] = True
    if still:
        extra |= STILL
    if when:
        extra["x-when"] = when
    if slider:
        extra["x-slider"] = list(slider)
    return Field(default=default, title=title, ge=low, le=high, description=help or None, json_schema_extra=extra)


def choice(
    default: str, title: str, *, group: str = "", widget: str = "", help: str = "", when: dict[str, Any] | None = None
) -> Any:
    """An enumerated field with hints for a form."""
    return Field(
        default=default,
        title=title,
        description=help or None,
        json_schema_extra={"x-group": group, "x-widget": widget or "choice", **({"x-when": when} if when else {})},
    )


def _no_boolean(value: object) -> object:
    if isinstance(value, bool):
        raise ValueError("must be a number, not true or false")
    return value


Coordinate = Annotated[float, BeforeValidator(_no_boolean), Field(ge=-1_000_000, le=1_000_000)]
#: Three coordinates in set units; x to the right, y up, z towards the default camera.
Point = tuple[Coordinate, Coordinate, Coordinate]
#: Three angles in degrees, applied about x, then y, then z.
Angles = tuple[Coordinate, Coordinate, Coordinate]


def _hex(value: object) -> object:
    if isinstance(value, str):
        if not is_hex(value):
            raise ValueError(f"{value[:20]!r} is not a colour; write it as #rrggbb")
        return value.lower()
    return value


_READS_COLOUR = BeforeValidator(_hex)
#: A colour as people write it: ``#rrggbb``, sRGB-encoded (IEC 61966-2-1). Decoded to linear light when resolved.
Colour = Annotated[str, _READS_COLOUR, Field(json_schema_extra={"x-widget": "colour"})]


def is_colour(metadata: Sequence[Any]) -> bool:
    """Whether a field of this metadata is a ``Colour``."""
    return _READS_COLOUR in metadata


_CODE, _IDENTIFIER, _PART = r"^[A-Za-z0-9][A-Za-z0-9_-]{0,39}$", r"^[a-z0-9-]{1,40}$", r"^[a-z][a-z0-9_]{0,39}$"
#: What texts are made of that have to be written in a certain way, in words.
WRITTEN = {
    _CODE: "letters, digits, _ and -, at most 40 of them, a letter or a digit first",
    _IDENTIFIER: "small letters, digits and -, at most 40 of them",
    _PART: "small letters, digits and _, at most 40 of them, a letter first",
}
#: Short label that can stand in a file name.
Code = Annotated[str, StringConstraints(pattern=_CODE)]
Title = Annotated[str, StringConstraints(min_length=1, max_length=120, strip_whitespace=True)]
Identifier = Annotated[str, StringConstraints(pattern=_IDENTIFIER)]


#: What documents call a part of a file that has values of its own: it stands in paths.
PartCode = Annotated[str, StringConstraints(pattern=_PART)]


def part_code(name: str, taken: set[str]) -> str:
    """The ``PartCode`` of a part of a file by its name there: none of those taken, to which it is added."""
    plain = re.sub(r"[^a-z0-9]+", "_", name.lower()).strip("_")[:32]
    if not plain or not plain[0].isalpha():
        plain = f"part_{plain}".strip("_")
    code, number = plain, 2
    while code in taken:
        code, number = f"{plain}_{number}", number + 1
    taken.add(code)
    return code


class Placement(Part):
    """Where an element stands: position of its pivot, rotation about it, scale about it."""

    position: Point = Field(default=(0.0, 0.0, 0.0), title="Position", json_schema_extra={"x-step": 1})
    rotation: Angles = Field(default=(0.0, 0.0, 0.0), title="Rotation", json_schema_extra={"x-step": 1, "x-unit": "°"})
    scale: tuple[Coordinate, Coordinate, Coordinate] = Field(
        default=(1.0, 1.0, 1.0), title="Scale", json_schema_extra={"x-step": 0.01}
    )


class Turn(Part):
    """Turned about one axis through the pivot: by some degrees, and on from there by turns spread evenly over the range."""

    turns: float = number(0, "Turns over the range", -1000, 1000, step=1, help="Whole turns close a cycle.", still=True)
    start: float = number(
        0,
        "Turned at the first frame",
        -360_000,
        360_000,
        step=1,
        unit="°",
        slider=(-180, 180),
        help="Where turns begin.",
    )
    axis: Annotated[str, StringConstraints(pattern="^[xyz]$")] = Field(
        default="y", title="Axis", json_schema_extra={"enum": ["x", "y", "z"], "x-widget": "choice", **STILL}
    )
