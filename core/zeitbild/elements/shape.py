"""Shape: rectangle, ellipse, polygon, star or line, filled and outlined, flat or raised."""

from __future__ import annotations

import math
from typing import Annotated, Literal

from pydantic import Field

from zeitbild.elements._flat import Shadowed, ShadowedElement, faces, pose, shadowed, wear
from zeitbild.elements.base import ElementKind, kinds
from zeitbild.errors import DrawingError, InputError
from zeitbild.finishes import Finish
from zeitbild.geometry.art import Layer, art, outline_of
from zeitbild.geometry.drawing.tracks import Track, ellipse, polygon, rectangle
from zeitbild.geometry.extrusion import Bevel
from zeitbild.shipped import AssetSource
from zeitbild.values import choice, number

#: Dashes are cut into so many pieces a line at most; shorter ones are none.
_LEAST_DASH = 0.1


class Shape(ShadowedElement):
    """A plain figure about its middle."""

    kind: Literal["shape"] = "shape"
    figure: Literal["rectangle", "ellipse", "polygon", "star", "line"] = choice(
        "rectangle", "Figure", group="Figure", widget="list"
    )
    width: float = number(240, "Width", 0.01, 100_000, unit="u", group="Figure", slider=(1, 1000))
    height: float = number(
        160,
        "Height",
        0.01,
        100_000,
        unit="u",
        group="Figure",
        slider=(1, 1000),
        when={"figure": ["rectangle", "ellipse", "polygon", "star"]},
    )
    corner: float = number(
        0,
        "Corners",
        0,
        100_000,
        unit="u",
        group="Figure",
        slider=(0, 200),
        when={"figure": "rectangle"},
        help="Their radius.",
    )
    points: Annotated[int, Field(ge=3, le=200)] = Field(
        default=5,
        title="Points",
        json_schema_extra={
            "x-group": "Figure",
            "x-step": 1,
            "x-slider": [3, 24],
            "x-when": {"figure": ["polygon", "star"]},
        },
    )
    inner: float = number(
        0.4, "Inner points", 0.01, 1, step=0.01, unit="×", group="Figure", slider=(0.05, 1), when={"figure": "star"}
    )
    filled: bool = Field(
        default=True,
        title="Filled",
        json_schema_extra={"x-group": "Figure", "x-when": {"figure": ["rectangle", "ellipse", "polygon", "star"]}},
    )
    line: float = number(
        0,
        "Width of the line",
        0,
        10_000,
        step=0.5,
        unit="u",
        group="Line",
        slider=(0, 60),
        help="0: no line; half of it lies inside.",
    )
    join: Literal["miter", "round", "bevel"] = choice("miter", "Corners of the line", group="Line")
    cap: Literal["butt", "round", "square"] = choice("round", "Ends of the line", group="Line")
    dash: float = number(0, "Dashes", 0, 10_000, step=0.5, unit="u", group="Line", slider=(0, 100), help="0: none.")
    gap: float = number(10, "Gaps", 0.1, 10_000, step=0.5, unit="u", group="Line", slider=(1, 100))
    depth: float = number(0, "Depth", 0, 10_000, unit="u", group="Solid", slider=(0, 200), help="0 is flat art.")
    bevel_width: float = number(0, "Bevel width", 0, 1000, step=0.1, unit="u", group="Solid", slider=(0, 25))
    fill: Finish = Field(
        default_factory=lambda: Finish(shading="unlit", base_colour="#c9c2b4"),
        title="Fill",
        json_schema_extra={"x-group": "Finish"},
    )
    stroke: Finish = Field(
        default_factory=lambda: Finish(shading="unlit", base_colour="#2b2d33"),
        title="Line",
        json_schema_extra={"x-group": "Finish"},
    )


def _tracks(own: Shape) -> list[Track]:
    x, y = own.width / 2, own.height / 2
    if own.figure == "rectangle":
        return rectangle(-x, -y, own.width, own.height, own.corner, own.corner)
    if own.figure == "ellipse":
        return ellipse(0, 0, x, y)
    if own.figure == "line":
        return polygon((-x, 0.0, x, 0.0), False)
    count = own.points * (2 if own.figure == "star" else 1)
    corners = []
    for at in range(count):
        turn = 2 * math.pi * at / count
        far = own.inner if own.figure == "star" and at % 2 else 1.0
        corners += [math.sin(turn) * far * x, math.cos(turn) * far * y]
    return polygon(corners, True)


def build(element: Shape, assets: AssetSource) -> Shadowed:
    """Form of the figure with its middle at the origin, and its soft shadow."""
    tracks = _tracks(element)
    paints: list[tuple[list[Track], Layer]] = []
    if element.filled and element.figure != "line":
        paints.append((tracks, "fill"))
    if element.line > 0:
        dashes = (element.dash, element.gap) if element.dash >= _LEAST_DASH else ()
        try:
            paints.append((outline_of(tracks, element.line, element.join, element.cap, dashes), "line"))
        except ValueError:
            raise InputError("the dashes are too many; make them longer", "dash") from None
    bevel = Bevel("round", element.bevel_width, 3, "front")
    try:
        return shadowed(element, art(paints, element.depth, bevel, "the figure"))
    except DrawingError:
        raise InputError("nothing of it is seen: fill it, or give it a line", "line") from None


kinds.register(
    ElementKind("shape", "Shape", Shape, build, 7, pose=pose, wear=wear, faces=faces, note="rectangle, star, line …")
)
