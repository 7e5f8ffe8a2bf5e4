"""Repeat: what stands inside it is there many times, in a row, a ring, a grid or along a line of a drawing, with steps and seeded
variation."""

from __future__ import annotations

import math
from collections.abc import Sequence
from fractions import Fraction
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, StringConstraints

from zeitbild.drawings import SHIPPED
from zeitbild.elements.base import Copied, ElementBase, ElementKind, Posed, kinds
from zeitbild.errors import DrawingError, InputError
from zeitbild.geometry.drawing.lines import Course, course_of
from zeitbild.geometry.transforms import placement
from zeitbild.seeded import around
from zeitbild.shipped import NAMED, AssetSource, file_of
from zeitbild.timing import Time
from zeitbild.values import STILL, Angles, Point, number

Floats = NDArray[np.float64]

#: Copies in a row, ring or along a line at most, and along each side of a grid.
_MOST, _MOST_SIDE = 1000, 100
#: Frames that a copy may be behind at most.
_LATEST = 10_000
_COUNTED: dict[str, Any] = {**STILL, "x-step": 1}
#: Streams of what varies.
_PLACE, _TURN, _SIZE, _LATER = range(4)


class Repeat(ElementBase):
    """Many times what stands inside it."""

    kind: Literal["repeat"] = "repeat"
    stands: Literal["in a row", "in a ring", "in a grid", "along a line"] = Field(
        default="in a row",
        title="Stand",
        description="What is put inside it (its place: inside the group) is there many times.",
        json_schema_extra={"x-widget": "list", "x-group": "Copies", **STILL},
    )
    count: Annotated[int, Field(ge=1, le=_MOST)] = Field(
        default=5,
        title="How many",
        json_schema_extra={
            **_COUNTED,
            "x-group": "Copies",
            "x-slider": [1, 60],
            "x-when": {"stands": ["in a row", "in a ring", "along a line"]},
        },
    )
    columns: Annotated[int, Field(ge=1, le=_MOST_SIDE)] = Field(
        default=4,
        title="To the right",
        json_schema_extra={**_COUNTED, "x-group": "Copies", "x-slider": [1, 20], "x-when": {"stands": "in a grid"}},
    )
    rows: Annotated[int, Field(ge=1, le=_MOST_SIDE)] = Field(
        default=3,
        title="Upwards",
        json_schema_extra={**_COUNTED, "x-group": "Copies", "x-slider": [1, 20], "x-when": {"stands": "in a grid"}},
    )
    ranks: Annotated[int, Field(ge=1, le=_MOST_SIDE)] = Field(
        default=1,
        title="To the front",
        json_schema_extra={**_COUNTED, "x-group": "Copies", "x-slider": [1, 20], "x-when": {"stands": "in a grid"}},
    )
    apart: Point = Field(
        default=(120.0, 100.0, 100.0),
        title="Apart",
        description="From one to the next; of a grid to the right, upwards and to the front.",
        json_schema_extra={
            "x-step": 1,
            "x-unit": "u",
            "x-group": "Copies",
            "x-when": {"stands": ["in a row", "in a grid"]},
        },
    )
    begins: Literal["at the first", "about the middle"] = Field(
        default="about the middle",
        title="Its place is",
        json_schema_extra={
            "x-widget": "choice",
            "x-group": "Copies",
            "x-when": {"stands": ["in a row", "in a grid"]},
            **STILL,
        },
    )
    radius: float = number(
        200, "Radius", -1_000_000, 1_000_000, unit="u", group="Copies", slider=(0, 1000), when={"stands": "in a ring"}
    )
    sweep: float = number(
        360,
        "Round",
        -36_000,
        36_000,
        unit="°",
        group="Copies",
        slider=(0, 360),
        when={"stands": "in a ring"},
        help="All round, or an arc: its last stands at its end.",
    )
    first_at: float = number(
        0, "First at", -36_000, 36_000, unit="°", group="Copies", slider=(0, 360), when={"stands": "in a ring"}
    )
    lies: Literal["flat", "upright"] = Field(
        default="flat",
        title="The ring",
        json_schema_extra={"x-widget": "choice", "x-group": "Copies", "x-when": {"stands": "in a ring"}, **STILL},
    )
    drawing: Annotated[str, StringConstraints(pattern=NAMED)] = Field(
        default="waves",
        title="Drawing",
        json_schema_extra={
            "x-widget": "file",
            "x-files": "drawings",
            "x-group": "Copies",
            "x-when": {"stands": "along a line"},
        },
    )
    line: Annotated[int, Field(ge=1, le=1000)] = Field(
        default=1,
        title="Its line",
        description="Number of the line or outline in the drawing.",
        json_schema_extra={**_COUNTED, "x-group": "Copies", "x-when": {"stands": "along a line"}},
    )
    length: float = number(
        800,
        "Size of the line",
        0.01,
        1_000_000,
        unit="u",
        group="Copies",
        slider=(50, 2000),
        when={"stands": "along a line"},
        help="Of its larger side.",
    )
    part_from: float = number(
        0, "From", -100, 100, step=0.01, group="Copies", slider=(0, 1), when={"stands": "along a line"}, help="Share."
    )
    part_to: float = number(
        1, "To", -100, 100, step=0.01, group="Copies", slider=(0, 1), when={"stands": "along a line"}, help="Share."
    )
    faces: Literal["as it is", "along"] = Field(
        default="along",
        title="Each faces",
        description="Along: it is turned as the ring or the line goes.",
        json_schema_extra={
            "x-widget": "choice",
            "x-group": "Copies",
            "x-when": {"stands": ["in a ring", "along a line"]},
            **STILL,
        },
    )
    turned: Angles = Field(
        default=(0.0, 0.0, 0.0),
        title="Turned",
        description="Each more than the one before it.",
        json_schema_extra={"x-step": 1, "x-unit": "°", "x-group": "From one to the next"},
    )
    scaled: float = number(
        1, "Size", 0.01, 100, step=0.01, unit="×", group="From one to the next", slider=(0.5, 1.5), help="Of the last."
    )
    later: float = number(
        0,
        "Later",
        -_LATEST,
        _LATEST,
        step=1,
        unit="frames",
        group="From one to the next",
        slider=(0, 24),
        help="Each does what the one before it did so many frames ago.",
        still=True,
    )
    seed: Annotated[int, Field(ge=0, le=1_000_000)] = Field(
        default=1, title="Seed", json_schema_extra={**STILL, "x-step": 1, "x-group": "Each differs by up to"}
    )
    place_by: Point = Field(
        default=(0.0, 0.0, 0.0),
        title="Place",
        json_schema_extra={"x-step": 1, "x-unit": "u", "x-group": "Each differs by up to"},
    )
    turn_by: Angles = Field(
        default=(0.0, 0.0, 0.0),
        title="Turn",
        json_schema_extra={"x-step": 1, "x-unit": "°", "x-group": "Each differs by up to"},
    )
    size_by: float = number(0, "Size", 0, 0.99, step=0.01, unit="×", group="Each differs by up to", slider=(0, 0.9))
    later_by: float = number(
        0,
        "Time",
        0,
        _LATEST,
        step=1,
        unit="frames",
        group="Each differs by up to",
        slider=(0, 48),
        still=True,
    )

    @property
    def how_many(self) -> int:
        """Copies in all."""
        return self.columns * self.rows * self.ranks if self.stands == "in a grid" else self.count


def build(element: Repeat, assets: AssetSource) -> Course | None:
    """The line that copies stand along, about the middle of its drawing; None for the others."""
    if element.how_many > _MOST:
        raise InputError(f"{element.how_many} copies are more than {_MOST}", "columns")
    if element.stands != "along a line":
        return None
    path, label = file_of(element.drawing, "drawing", SHIPPED, assets, DrawingError)
    return course_of(path, label, element.line)


def pose(element: Repeat, time: Time, built: Any) -> Sequence[Posed]:
    """No body."""
    return ()


def _in_rows(element: Repeat) -> Floats:
    """Places [n, 3] of a row or a grid."""
    apart = np.array(element.apart)
    if element.stands == "in a row":
        steps = np.arange(element.count)[:, None] * np.ones(3)
    else:
        sides = element.ranks, element.rows, element.columns
        steps = np.stack(np.unravel_index(np.arange(element.how_many), sides)[::-1], axis=1).astype(float)
    if element.begins == "about the middle":
        steps = steps - steps.max(axis=0) / 2
    found: Floats = steps * apart
    return found


def _in_a_ring(element: Repeat) -> tuple[Floats, Floats]:
    """Places [n, 3], and turns [n, 3, 3] so that what looks outwards at first goes on to do so."""
    count = element.count
    # All round the first is not met again; an arc ends with its last.
    whole = element.sweep != 0 and element.sweep % 360 == 0
    turns = np.radians(element.first_at + element.sweep * np.arange(count) / max(count if whole else count - 1, 1))
    sine, cosine, none, one = np.sin(turns), np.cos(turns), np.zeros(count), np.ones(count)
    if element.lies == "flat":
        # From the front on round to the right, seen from above against the clock.
        places = np.stack([sine, none, cosine], axis=1) * element.radius
        turned = [[cosine, none, sine], [none, one, none], [-sine, none, cosine]]
    else:
        # From above on round with the clock.
        places = np.stack([sine, cosine, none], axis=1) * element.radius
        turned = [[cosine, sine, none], [-sine, cosine, none], [none, none, one]]
    return places, np.moveaxis(np.array(turned), 2, 0)


def _along(element: Repeat, course: Course) -> tuple[Floats, Floats]:
    """Places [n, 3] spread evenly along a line, and turns [n, 3, 3] with their x along it."""
    count = element.count
    whole = course.closed and element.part_to - element.part_from == 1
    steps = np.arange(count) / max(count if whole else count - 1, 1)
    at = element.part_from + (element.part_to - element.part_from) * steps
    points, ways = course.at(at)
    places = np.column_stack([points * element.length / course.size, np.zeros(count)])
    none, one = np.zeros(count), np.ones(count)
    x, y = ways[:, 0], ways[:, 1]
    return places, np.moveaxis(np.array([[x, -y, none], [y, x, none], [none, none, one]]), 2, 0)


def copies(element: Repeat, time: Time, built: Course | None) -> Sequence[Copied]:
    """See ``ElementKind``."""
    count = element.how_many
    turned = np.broadcast_to(np.eye(3), (count, 3, 3))
    if element.stands == "in a ring":
        places, turned = _in_a_ring(element)
    elif built is not None:
        places, turned = _along(element, built)
    else:
        places = _in_rows(element)
    if element.faces == "as it is":
        turned = np.broadcast_to(np.eye(3), (count, 3, 3))
    numbers, seed = np.arange(count), element.seed
    places = places + np.stack([around(seed, 8 * _PLACE + axis, numbers) for axis in range(3)], axis=1) * np.array(
        element.place_by
    )
    angles = np.stack([around(seed, 8 * _TURN + axis, numbers) for axis in range(3)], axis=1) * np.array(
        element.turn_by
    ) + numbers[:, None] * np.array(element.turned)
    last = math.log(element.scaled) / max(count - 1, 1)
    sizes = np.exp(last * numbers) * (1 + around(seed, 8 * _SIZE, numbers) * element.size_by)
    # Whole frames: so copies share what was built, and what they show is what was shown.
    late = np.round(numbers * element.later + around(seed, 8 * _LATER, numbers) * element.later_by).astype(int)
    found = []
    for at in range(count):
        own = placement((0, 0, 0), tuple(angles[at]), (sizes[at],) * 3, "y", 0.0, (0, 0, 0))
        own[:3, :3] = turned[at] @ own[:3, :3]
        own[:3, 3] = places[at]
        matrix = tuple(float(value) for value in own.reshape(-1))
        found.append(Copied(str(at + 1), matrix, Fraction(int(late[at]))))
    return found


kinds.register(
    ElementKind(
        "repeat",
        "Repeat",
        Repeat,
        build,
        10,
        pose=pose,
        note="what stands in it, many times",
        seen=False,
        holds=True,
        copies=copies,
    )
)
