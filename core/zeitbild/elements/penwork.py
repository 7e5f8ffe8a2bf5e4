"""Penwork: writing and lines that a pen draws, stroke by stroke."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, StringConstraints, field_validator

from zeitbild.caching import SizedCache
from zeitbild.drawings import SHIPPED
from zeitbild.elements._flat import FlatElement, faces
from zeitbild.elements._text import TextElement
from zeitbild.elements.base import Copied, ElementKind, Mark, Posed, kinds
from zeitbild.errors import DrawingError, InputError
from zeitbild.finishes import Finish
from zeitbild.geometry.drawing.lines import lines_of
from zeitbild.geometry.pen.centre import centre_lines
from zeitbild.geometry.pen.ink import Piece, Written, written_of
from zeitbild.geometry.pen.order import in_order
from zeitbild.geometry.pen.strokes import Plan, Stroke
from zeitbild.geometry.shaping import PlacedGlyph, outlines
from zeitbild.shipped import NAMED, NAMED_STYLE, AssetSource, file_of
from zeitbild.timing import Time
from zeitbild.values import FRAME, STILL, Coordinate, Part, number

Floats = NDArray[np.float64]

#: Strokes in all, strokes and points drawn by hand at most.
MOST_STROKES, _MOST_DRAWN, _MOST_POINTS = 2000, 400, 3000
#: Centre lines of letters kept.
_LETTERS = 512
#: Points that a line of a drawing is taken apart into for each of its curves, and of all at most.
_FINE, _MOST_FINE = 24, 4000
#: Points by which a stroke is shown to hands at most.
_MARK_POINTS = 32
#: Half the width of a line that has none, as a share of the drawing.
_HAIR = 1 / 200
_WORD: dict[str, Any] = {"writes": "a word"}
_OVER: dict[str, Any] = {"goes": "over frames"}

#: x, y and pressure (0 to 1).
DrawnPoint = tuple[Coordinate, Coordinate, Annotated[float, Field(ge=0, le=1)]]


class DrawnStroke(Part):
    """A stroke drawn by hand, from its first point to its last, in units from the element's place."""

    points: tuple[DrawnPoint, ...] = Field(default=(), min_length=1, max_length=_MOST_POINTS)


class Penwork(FlatElement):
    """Something written."""

    kind: Literal["penwork"] = "penwork"
    writes: Literal["a word", "a drawing", "what is drawn by hand"] = Field(
        default="a word",
        title="Writes",
        json_schema_extra={"x-widget": "list", "x-group": "Writing", **STILL},
    )
    word: Annotated[str, StringConstraints(max_length=400)] = Field(
        default="Word", title="The word", json_schema_extra={"x-widget": "lines", "x-group": "Writing", "x-when": _WORD}
    )
    font: Annotated[str, StringConstraints(pattern=NAMED_STYLE)] = Field(
        default="dancing-script",
        title="Font",
        json_schema_extra={"x-widget": "font", "x-group": "Writing", "x-when": _WORD},
    )
    letters: float = number(
        200, "Letter size", 1, 10_000, unit="u", group="Writing", slider=(40, 400), help="Size of the em.", when=_WORD
    )
    letter_spacing: float = number(
        0, "Letter spacing", -0.5, 5, step=0.005, unit="em", group="Writing", slider=(-0.1, 0.5), when=_WORD
    )
    line_spacing: float = number(
        1, "Line spacing", 0.1, 5, step=0.01, unit="×", group="Writing", slider=(0.5, 2), when=_WORD
    )
    late: Literal["after each word", "after each letter"] = Field(
        default="after each word",
        title="Dots and crossings",
        json_schema_extra={"x-widget": "choice", "x-group": "Writing", "x-when": _WORD},
    )
    drawing: Annotated[str, StringConstraints(pattern=NAMED)] = Field(
        default="waves",
        title="Drawing",
        json_schema_extra={
            "x-widget": "file",
            "x-files": "drawings",
            "x-group": "Writing",
            "x-when": {"writes": "a drawing"},
        },
    )
    size: float = number(
        400,
        "Size",
        0.01,
        100_000,
        unit="u",
        group="Writing",
        slider=(20, 1000),
        help="Of its larger side.",
        when={"writes": "a drawing"},
    )
    drawn: tuple[DrawnStroke, ...] = Field(
        default=(),
        title="Strokes",
        max_length=_MOST_DRAWN,
        json_schema_extra={
            "x-widget": "drawn",
            "x-group": "Writing",
            "x-when": {"writes": "what is drawn by hand"},
        },
    )
    width: float = number(
        10,
        "Width",
        0.01,
        10_000,
        step=0.5,
        unit="u",
        group="Writing",
        slider=(1, 60),
        help="With all pressure.",
        when={"writes": "what is drawn by hand"},
    )
    wider: float = number(
        1, "Width", 0.01, 100, step=0.05, unit="×", group="Writing", slider=(0.2, 4), when={"writes": "a drawing"}
    )
    order: tuple[Annotated[int, Field(ge=1, le=MOST_STROKES)], ...] = Field(
        default=(),
        title="Order",
        max_length=MOST_STROKES,
        description="Numbers of strokes as they were found, in the order in which they are written; what is not named comes after.",
        json_schema_extra={"x-widget": "strokes", "x-group": "Strokes"},
    )
    turned: tuple[Annotated[int, Field(ge=1, le=MOST_STROKES)], ...] = Field(
        default=(), title="From their ends", max_length=MOST_STROKES, json_schema_extra={"x-widget": "hidden"}
    )
    left_out: tuple[Annotated[int, Field(ge=1, le=MOST_STROKES)], ...] = Field(
        default=(), title="Not written", max_length=MOST_STROKES, json_schema_extra={"x-widget": "hidden"}
    )
    goes: Literal["over frames", "as keyed"] = Field(
        default="over frames",
        title="It is written",
        json_schema_extra={"x-widget": "choice", "x-group": "Time", **STILL},
    )
    first: Annotated[int, Field(ge=-1_000_000, le=1_000_000)] = Field(
        default=1, title="Begins at frame", json_schema_extra={"x-group": "Time", "x-when": _OVER, **FRAME}
    )
    frames: Annotated[int, Field(ge=1, le=100_000)] = Field(
        default=72,
        title="Takes",
        json_schema_extra={"x-unit": "frames", "x-step": 1, "x-group": "Time", "x-when": _OVER, **STILL},
    )
    written: float = number(
        1, "Written", 0, 1, step=0.01, group="Time", slider=(0, 1), help="Share.", when={"goes": "as keyed"}
    )
    taken_off: float = number(
        0,
        "Taken off",
        0,
        1,
        step=0.01,
        group="Time",
        slider=(0, 1),
        help="Share, from its beginning.",
        when={"goes": "as keyed"},
    )
    speed: Literal["by hand", "even"] = Field(
        default="by hand",
        title="Speed",
        description="A hand is slower in curves.",
        json_schema_extra={"x-widget": "choice", "x-group": "Time", **STILL},
    )
    pause: float = number(
        0.3, "Pause between strokes", 0, 20, step=0.05, group="Time", slider=(0, 2), help="In strokes.", still=True
    )
    then: Literal["stays", "is taken off as it came", "goes back"] = Field(
        default="stays",
        title="Then it",
        json_schema_extra={"x-widget": "list", "x-group": "Time", "x-when": _OVER, **STILL},
    )
    off_at: Annotated[int, Field(ge=-1_000_000, le=1_000_000)] = Field(
        default=96,
        title="From frame",
        json_schema_extra={
            "x-group": "Time",
            "x-when": {**_OVER, "then": ["is taken off as it came", "goes back"]},
            **FRAME,
        },
    )
    off_in: Annotated[int, Field(ge=1, le=100_000)] = Field(
        default=36,
        title="Within",
        json_schema_extra={
            "x-unit": "frames",
            "x-step": 1,
            "x-group": "Time",
            "x-when": {**_OVER, "then": ["is taken off as it came", "goes back"]},
            **STILL,
        },
    )
    pen: Literal["stays where it was last", "is there while it writes"] = Field(
        default="stays where it was last",
        title="What stands in it",
        description="An element inside it (its place: inside the group) follows the tip of the pen.",
        json_schema_extra={"x-widget": "list", "x-group": "Pen", **STILL},
    )
    leans: bool = Field(default=False, title="Turns with the stroke", json_schema_extra={"x-group": "Pen", **STILL})
    ink: Finish = Field(
        default_factory=lambda: Finish(shading="unlit", base_colour="#1f2a44"),
        title="Ink",
        json_schema_extra={"x-group": "Finish"},
    )

    @field_validator("order", "turned", "left_out", mode="after")
    @classmethod
    def _each_once(cls, values: tuple[int, ...]) -> tuple[int, ...]:
        if len(set(values)) < len(values):
            raise ValueError(f"stroke {next(one for one in values if values.count(one) > 1)} is named twice")
        return values

    def geometry_parameters(self) -> dict[str, Any]:
        """What is written, not how much of it."""
        names = (
            "writes",
            "word",
            "font",
            "letters",
            "letter_spacing",
            "line_spacing",
            "late",
            "drawing",
            "size",
            "width",
        )
        more = {"drawn": [one.model_dump(mode="json") for one in self.drawn]}
        own = {name: getattr(self, name) for name in (*names, "wider", "order", "turned", "left_out", "speed", "pause")}
        return {"kind": self.kind, **own, **more}


@dataclass(frozen=True, slots=True, eq=False)
class Built:
    """All strokes as they were found; those that are written in their order with the numbers under which they were found, pieces, when each is
    written, the size of all, and triangles of finished pieces."""

    found: tuple[Stroke, ...]
    strokes: tuple[Stroke, ...]
    numbers: tuple[int, ...]
    pieces: tuple[Piece, ...]
    plan: Plan
    size: float
    whole: dict[tuple[int, float], tuple[Floats, NDArray[np.int64]]]


_letters: SizedCache[tuple[Stroke, ...]] = SizedCache(_LETTERS, lambda _: 1)


def forget_letters() -> None:
    """Centre lines that are kept (to measure how long they take)."""
    _letters.clear()


def _lines_of(rings: Sequence[Floats]) -> tuple[Stroke, ...]:
    return tuple(centre_lines(rings))


def found_strokes(element: Penwork, assets: AssetSource) -> tuple[list[Stroke], list[tuple[Floats, ...]]]:
    """Strokes as they are found, in the order of writing and about the middle of the ink, and the outlines of the letters that they are of
    (none: they are bands). InputError if there are none, or too many."""
    rings: list[tuple[Floats, ...]] = []
    if element.writes == "a word":
        strokes, rings = _of_word(element, assets)
    elif element.writes == "a drawing":
        strokes = _of_drawing(element, assets)
    else:
        strokes = [_of_hand(one, element.width) for one in element.drawn]
    if len(strokes) > MOST_STROKES:
        raise InputError(f"{len(strokes)} strokes are more than {MOST_STROKES}", "writes")
    return strokes, rings


def _of_word(element: Penwork, assets: AssetSource) -> tuple[list[Stroke], list[tuple[Floats, ...]]]:
    text = TextElement(
        id="word",
        word=element.word,
        font=element.font,
        size=element.letters,
        letter_spacing=element.letter_spacing,
        line_spacing=element.line_spacing,
    )
    shaped, face = text.shaped(assets)
    scale, factor = element.letters / face.units_per_em, element.letters / 1000
    letters: list[list[Stroke]] = []
    written: list[PlacedGlyph] = []
    rings: list[tuple[Floats, ...]] = []
    # As they are read.
    for glyph in sorted(shaped, key=lambda one: (one.line, one.place)):
        own = tuple(contour.points for contour in outlines((glyph,), face, element.letters))
        if not own:
            continue
        # About its own origin, an em of 1000, so that it is found once for all sizes.
        plain = [(ring / scale - (glyph.x, glyph.y)) * (1000 / face.units_per_em) for ring in own]
        lines = _letters.get((element.font, glyph.glyph), partial(_lines_of, plain))
        shift = np.array([glyph.x, glyph.y]) * scale
        letters.append([Stroke(one.points * factor + shift, one.radii * factor, len(rings)) for one in lines])
        written.append(glyph)
        rings.append(own)
    if not rings:
        raise InputError("the word has no visible ink; it may be made of spaces only", "word")
    strokes = in_order(
        letters,
        last_of_word=element.late == "after each word",
        words=[one.word for one in written],
        leftwards=[not one.rightwards for one in written],
    )
    every = np.concatenate([ring for own in rings for ring in own])
    middle = (every.min(axis=0) + every.max(axis=0)) / 2
    moved = [Stroke(one.points - middle, one.radii, one.piece) for one in strokes]
    return moved, [tuple(ring - middle for ring in own) for own in rings]


def _of_drawing(element: Penwork, assets: AssetSource) -> list[Stroke]:
    lines = lines_of(*file_of(element.drawing, "drawing", SHIPPED, assets, DrawingError))
    if not lines:
        raise InputError("this drawing has no lines", "drawing")
    every = np.concatenate([one.track.curves.reshape(-1, 2) for one in lines])
    low, high = every.min(axis=0), every.max(axis=0)
    extent = float((high - low).max())
    if extent <= 0:
        raise InputError("this drawing has no size", "drawing")
    scale, middle = element.size / extent, (low + high) / 2
    found = []
    for at, line in enumerate(lines):
        count = max(2, min(_FINE, _MOST_FINE // max(len(line.track.curves), 1)))
        points = line.track.sampled(count)
        if line.track.closes and not np.allclose(points[0], points[-1]):
            points = np.concatenate([points, points[:1]])
        points = points[np.append(True, np.hypot(*np.diff(points, axis=0).T) > 1e-9 * extent)]
        half = (line.width / 2 if line.width > 0 else _HAIR * extent) * scale * element.wider
        if len(points) < 2:
            points = np.concatenate([points, points + (1e-6 * extent, 0)])
        found.append(Stroke((points - middle) * scale, np.full(len(points), half), at))
    return found


def _of_hand(drawn: DrawnStroke, width: float) -> Stroke:
    points = np.array([(x, y) for x, y, _ in drawn.points], np.float64)
    radii = np.array([max(pressure, 0.05) for _, _, pressure in drawn.points]) * width / 2
    kept = np.append(True, np.hypot(*np.diff(points, axis=0).T) > 1e-9)
    points, radii = points[kept], radii[kept]
    if len(points) < 2:
        points, radii = np.concatenate([points, points + (width * 1e-3, 0)]), np.repeat(radii, 2)
    return Stroke(points, radii)


def build(element: Penwork, assets: AssetSource) -> Built:
    """The strokes in the order in which they are written."""
    found, rings = found_strokes(element, assets)
    turned, out = set(element.turned), set(element.left_out)
    numbers = [one for one in element.order if one <= len(found)]
    numbers += [at for at in range(1, len(found) + 1) if at not in set(numbers)]
    numbers = [one for one in numbers if one not in out]
    strokes = [found[one - 1].turned_round() if one in turned else found[one - 1] for one in numbers]
    if rings:
        of: dict[int, list[int]] = {}
        for at, one in enumerate(strokes):
            of.setdefault(one.piece, []).append(at)
        has = [sum(one.piece == piece for one in found) for piece in range(len(rings))]
        pieces = tuple(Piece(rings[piece], tuple(own), len(own) == has[piece]) for piece, own in of.items())
    else:
        pieces = written_of(strokes)
    by_hand = element.speed == "by hand"
    reach = [float(np.hypot(*one.points.T).max() + one.radii.max()) for one in strokes]
    size = max([*reach, *(float(np.hypot(*ring.T).max()) for own in rings for ring in own), 1e-3])
    return Built(
        tuple(found), tuple(strokes), tuple(numbers), pieces, Plan.of(strokes, by_hand, element.pause), size, {}
    )


def _shares(element: Penwork, time: Time) -> tuple[float, float]:
    """From which share of all on it is there, and up to which."""
    if element.goes == "as keyed":
        return element.taken_off, element.written
    # At the last of its frames all is there.
    first, last = 0.0, min(max(float((time.frame - element.first + 1) / element.frames), 0.0), 1.0)
    if element.then != "stays":
        gone = min(max(float((time.frame - element.off_at + 1) / element.off_in), 0.0), 1.0)
        if element.then == "goes back":
            last = min(last, 1 - gone)
        else:
            first = gone
    return first, last


def pose(element: Penwork, time: Time, built: Built) -> Sequence[Posed]:
    """What is written at a time."""
    first, last = _shares(element, time)
    begins, ends = built.plan.shares(first), built.plan.shares(last)
    parts = tuple(zip(begins.tolist(), ends.tolist(), strict=True))
    form = Written(built.pieces, built.strokes, parts, element.speed == "by hand", built.size, built.whole)
    return (Posed(form, bend=f"{first} {last}"),)


def copies(element: Penwork, time: Time, built: Built) -> Sequence[Copied]:
    """The tip of the pen: where it writes, on its way to the next stroke, and where it was last."""
    if not built.strokes:
        return (Copied(),)
    _, last = _shares(element, time)
    spans, by_hand = built.plan.spans, element.speed == "by hand"
    at = int(np.clip(np.searchsorted(spans[:, 0], last, side="right") - 1, 0, len(spans) - 1))
    share = float(built.plan.shares(last)[at])
    place, way = _tip(built.strokes[at], share, by_hand)
    if share >= 1 and at + 1 < len(spans):
        # Through the air, evenly.
        start, stop = spans[at, 1], spans[at + 1, 0]
        on = float(np.clip((last - start) / max(stop - start, 1e-12), 0, 1))
        following, _ = _tip(built.strokes[at + 1], 0.0, by_hand)
        place = place + on * (following - place)
    writes = 0 < last < 1
    turn = math.atan2(way[1], way[0]) if element.leans else 0.0
    c, s = math.cos(turn), math.sin(turn)
    x, y = float(place[0]), float(place[1])
    matrix = (c, -s, 0.0, x, s, c, 0.0, y, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 0.0, 1.0)
    return (Copied("", matrix, there=writes or element.pen == "stays where it was last"),)


def marks(element: Penwork, time: Time, built: Built) -> Sequence[Mark]:
    """Every stroke as it was found, by its number."""
    told = []
    for at, stroke in enumerate(built.found, 1):
        some = stroke.points[np.unique(np.linspace(0, len(stroke.points) - 1, _MARK_POINTS).astype(int))]
        told.append(Mark(str(at), tuple((float(x), float(y)) for x, y in some)))
    return told


def _tip(stroke: Stroke, share: float, by_hand: bool) -> tuple[Floats, Floats]:
    """Where a pen is at a share of a stroke's time, and in which way it goes."""
    times = stroke.times(by_hand)
    at = share * times[-1]
    place = np.array([np.interp(at, times, stroke.points[:, axis]) for axis in (0, 1)])
    cell = int(np.clip(np.searchsorted(times, at, side="right") - 1, 0, len(times) - 2))
    return place, stroke.points[cell + 1] - stroke.points[cell]


kinds.register(
    ElementKind(
        "penwork",
        "Penwork",
        Penwork,
        build,
        13,
        pose=pose,
        faces=faces,
        note="writing and lines that a pen draws",
        holds=True,
        copies=copies,
        marks=marks,
    )
)
