"""What flat elements have in common: they may lie on the picture instead of in the set, and throw a soft shadow of their own."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import Field

from zeitbild.elements.base import ElementBase, Facing, Posed, Worn
from zeitbild.geometry.form import Form
from zeitbild.geometry.soft import blurred, halved, quad
from zeitbild.snapshot.texture import MOST_LEVELS, Texture
from zeitbild.timing import Time
from zeitbild.values import Colour, number

#: How fine outlines are that are blurred, as a share of the blur.
_FINE = 0.05
#: The part of a soft shadow, after those of fill and line.
SHADOW = 2


class FlatElement(ElementBase):
    """Something flat."""

    lies: Literal["in the set", "on the picture"] = Field(
        default="in the set",
        title="Lies",
        description="On the picture it is placed in its pixels from its middle, before everything else, whatever the camera does.",
        json_schema_extra={"x-widget": "choice", "x-late": True, "x-group": "Place"},
    )


class ShadowedElement(FlatElement):
    """Something flat with a soft shadow below it."""

    shadow: float = number(
        0,
        "Soft shadow",
        0,
        1,
        step=0.05,
        group="Soft shadow",
        slider=(0, 1),
        help="How dark; 0: none. Of this alone, no light makes it.",
    )
    shadow_blur: float = number(6, "Blur", 0, 1000, step=0.5, unit="u", group="Soft shadow", slider=(0, 60))
    shadow_right: float = number(4, "To the right", -10_000, 10_000, step=0.5, unit="u", group="Soft shadow")
    shadow_down: float = number(4, "Down", -10_000, 10_000, step=0.5, unit="u", group="Soft shadow")
    shadow_colour: Colour = Field(default="#000000", title="Its colour", json_schema_extra={"x-group": "Soft shadow"})


@dataclass(frozen=True, slots=True, eq=False)
class Shadowed:
    """A flat form, and its soft shadow: the rectangle and the picture of how much of it is there, if it has one."""

    form: Form
    shadow: tuple[tuple[float, float, float, float], Texture] | None


def shadowed(element: ShadowedElement, form: Form) -> Shadowed:
    """A form with the soft shadow that the element asks for."""
    if element.shadow <= 0:
        return Shadowed(form, None)
    # Half of what is blurred lies within one standard deviation and a bit.
    deviation = max(element.shadow_blur / 2, 1e-3)
    place, alpha = blurred(form.at(max(deviation * _FINE, form.radius / 4096)), deviation)
    name = hashlib.sha256(alpha.tobytes()).hexdigest()
    return Shadowed(form, (place, Texture(f"soft {name}", True, halved(alpha, MOST_LEVELS), once=True)))


def pose(element: ShadowedElement, time: Time, built: Shadowed) -> Sequence[Posed]:
    """The form, above its shadow."""
    if built.shadow is None:
        return (Posed(built.form),)
    left, bottom, right, top = built.shadow[0]
    across, up = element.shadow_right, -element.shadow_down
    below = quad(left + across, bottom + up, right + across, top + up, 0)
    name = built.shadow[1].digest
    return (Posed(below, part="shadow", bend=name, wears=(SHADOW,)), Posed(built.form, wears=tuple(range(SHADOW))))


def wear(element: ShadowedElement, time: Time, built: Shadowed) -> Sequence[Worn]:
    """Fill and line, and the shadow, which lights do not touch and which stops none."""
    own = (Worn(0), Worn(1))
    if built.shadow is None:
        return own
    changes: dict[str, Any] = {
        "shading": "unlit",
        "base_colour": element.shadow_colour,
        "base_map": "",
        "emission": 0.0,
        "opacity": 1.0,
    }
    return (*own, Worn(0, changes, opacity=element.shadow, cut=0.0, picture=built.shadow[1]))


def faces(element: FlatElement) -> Facing:
    """See ``ElementKind``."""
    return Facing("on the picture" if element.lies == "on the picture" else "as placed")
