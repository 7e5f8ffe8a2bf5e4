"""Spray: many small things that come out of something, fly and are gone; each frame by a formula, so that any is the same without those
before it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from functools import partial
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, StringConstraints, model_validator

from zeitbild.caching import SizedCache
from zeitbild.colour import decode, decode_hex, encode
from zeitbild.drawings import SHIPPED
from zeitbild.elements._flight import MOST, PAINTED, SIZE, SURFACE, TURN, Moving, Place, ball, in_area, moving
from zeitbild.elements._text import TextElement
from zeitbild.elements.base import Copied, ElementBase, ElementKind, Posed, kinds
from zeitbild.errors import DrawingError, InputError, PictureError
from zeitbild.finishes import Finish
from zeitbild.footage.pictures import cutout, footage_at
from zeitbild.geometry.drawing.painting import drawing_at
from zeitbild.geometry.mesh import NOTHING
from zeitbild.geometry.scatter import Mosaic, Surface, area_of, area_of_drawing, mosaic_of
from zeitbild.geometry.shaping import outlines
from zeitbild.plates import SHIPPED as PLATES
from zeitbild.seeded import around, shares
from zeitbild.shipped import NAMED, NAMED_STYLE, AssetSource, file_of
from zeitbild.snapshot.dots import Begun, Dots
from zeitbild.timing import Time
from zeitbild.values import FRAME, STILL, Colour, Identifier, Point, choice, number, wrong_at

Floats = NDArray[np.float64]

#: Things that stand in it at once at most.
_MOST_COPIES = 1000
_OUT = "comes out and flies"
_FLIES: dict[str, Any] = {"does": [_OUT]}
_DOTTED: Any = ["soft dots", "discs", "streaks"]
#: What things that stand in it have of their own.
_SEEN: dict[str, Any] = {"looks": _DOTTED}
_GATHERS: dict[str, Any] = {"does": ["gathers", "gathers and scatters"]}
#: When a word, or a drawing, is needed.
_WORDS: Any = [{"comes_from": "a word"}, {**_GATHERS, "into": "a word"}]
_DRAWN: Any = [
    {"comes_from": "a drawing"},
    {**_GATHERS, "into": "a drawing"},
    {"colours_are": "those of the drawing"},
]
_PICTURED: Any = [
    {"comes_from": "a picture"},
    {**_GATHERS, "into": "a picture"},
    {"colours_are": "those of the picture"},
]
#: Pixels of a picture along its larger side that are told apart.
_PIXELS = 512


#: What decides the words, drawings and pictures.
_AREAS = ("word", "font", "letters", "drawing", "picture", "drawing_size")


class Spray(ElementBase):
    """Many small things."""

    kind: Literal["spray"] = "spray"
    does: Literal["comes out and flies", "gathers", "gathers and scatters"] = Field(
        default="comes out and flies",
        title="It",
        description="Gathers: a number of them comes together to a word or a drawing.",
        json_schema_extra={"x-widget": "list", "x-group": "Spray", **STILL},
    )
    comes_from: Literal[
        "a point",
        "a line",
        "a rectangle",
        "a disc",
        "a ball",
        "a word",
        "a drawing",
        "a picture",
        "the surface of an element",
    ] = Field(
        default="a point", title="Comes from", json_schema_extra={"x-widget": "list", "x-group": "Spray", **STILL}
    )
    emitter: Identifier | Literal[""] = Field(
        default="",
        title="Of",
        description="Wherever that stands and moves; it may be hidden.",
        json_schema_extra={
            "x-widget": "element",
            "type": "string",
            "x-group": "Spray",
            "x-when": {"comes_from": "the surface of an element"},
            **STILL,
        },
    )
    aims: Literal["that way", "away from it"] = Field(
        default="away from it",
        title="Flies",
        description="“That way” is where Towards says.",
        json_schema_extra={
            "x-widget": "choice",
            "x-group": "Spray",
            "x-when": {"comes_from": "the surface of an element"},
            **STILL,
        },
    )
    extent: Point = Field(
        default=(200.0, 100.0, 0.0),
        title="As large as",
        json_schema_extra={
            "x-step": 1,
            "x-unit": "u",
            "x-group": "Spray",
            "x-when": {"comes_from": ["a line", "a rectangle", "a disc", "a ball"]},
        },
    )
    into: Literal["a word", "a drawing", "a picture"] = Field(
        default="a word",
        title="Into",
        json_schema_extra={"x-widget": "choice", "x-group": "Spray", "x-when": _GATHERS, **STILL},
    )
    word: Annotated[str, StringConstraints(max_length=400)] = Field(
        default="Word",
        title="The word",
        description="That it comes from, or gathers into.",
        json_schema_extra={"x-widget": "lines", "x-group": "Spray", "x-any": _WORDS},
    )
    font: Annotated[str, StringConstraints(pattern=NAMED_STYLE)] = Field(
        default="league-spartan",
        title="Font",
        json_schema_extra={"x-widget": "font", "x-group": "Spray", "x-any": _WORDS},
    )
    letters: float = Field(
        default=160,
        ge=1,
        le=10_000,
        title="Letter size",
        description="Size of the em.",
        json_schema_extra={"x-unit": "u", "x-step": 1, "x-group": "Spray", "x-slider": [40, 400], "x-any": _WORDS},
    )
    drawing: Annotated[str, StringConstraints(pattern=NAMED)] = Field(
        default="badge",
        title="The drawing",
        description="That it comes from, or gathers into.",
        json_schema_extra={"x-widget": "file", "x-files": "drawings", "x-group": "Spray", "x-any": _DRAWN},
    )
    picture: Annotated[str, StringConstraints(pattern=NAMED)] = Field(
        default="sea",
        title="The picture",
        description="That it comes from, or gathers into; of several the first.",
        json_schema_extra={"x-widget": "file", "x-files": "footage", "x-group": "Spray", "x-any": _PICTURED},
    )
    drawing_size: float = Field(
        default=300,
        ge=0.01,
        le=100_000,
        title="Its size",
        description="Of its larger side.",
        json_schema_extra={
            "x-unit": "u",
            "x-step": 1,
            "x-group": "Spray",
            "x-slider": [20, 1000],
            "x-any": _DRAWN + _PICTURED,
        },
    )
    rate: float = number(
        200, "A second", 0.01, 1_000_000, unit="/s", group="How many", slider=(1, 5000), when=_FLIES, still=True
    )
    stays: Literal["goes along", "stays behind"] = Field(
        default="goes along",
        title="If it moves",
        description="What has come out goes along with it, or stays behind as a trail.",
        json_schema_extra={"x-widget": "choice", "x-group": "Spray", "x-when": _FLIES, **STILL},
    )
    count: Annotated[int, Field(ge=1, le=MOST)] = Field(
        default=2000,
        title="How many",
        json_schema_extra={"x-step": 1, "x-group": "How many", "x-slider": [10, 20000], "x-when": _GATHERS, **STILL},
    )
    begins: Literal["at a frame", "long before", "in a cycle"] = Field(
        default="long before",
        title="Begins",
        description="In a cycle the last frame leads into the first.",
        json_schema_extra={"x-widget": "choice", "x-group": "How many", "x-when": _FLIES, **STILL},
    )
    first: Annotated[int, Field(ge=-1_000_000, le=1_000_000)] = Field(
        default=1,
        title="At frame",
        json_schema_extra={"x-group": "How many", "x-when": {**_FLIES, "begins": "at a frame"}, **FRAME},
    )
    ends: bool = Field(
        default=False,
        title="Ends",
        json_schema_extra={
            "x-group": "How many",
            "x-when": {**_FLIES, "begins": ["at a frame", "long before"]},
            **STILL,
        },
    )
    last: Annotated[int, Field(ge=-1_000_000, le=1_000_000)] = Field(
        default=48,
        title="No more from frame",
        json_schema_extra={
            "x-group": "How many",
            "x-when": {**_FLIES, "begins": ["at a frame", "long before"], "ends": [True]},
            **FRAME,
        },
    )
    seed: Annotated[int, Field(ge=0, le=1_000_000)] = Field(
        default=1, title="Seed", json_schema_extra={"x-step": 1, "x-group": "How many", **STILL}
    )
    life: float = number(
        1.5, "Lives for", 0.001, 3600, step=0.1, unit="s", group="Flight", slider=(0.1, 10), when=_FLIES, still=True
    )
    life_by: float = number(
        0.3,
        "More or less by",
        0,
        0.99,
        step=0.05,
        group="Flight",
        slider=(0, 0.9),
        when=_FLIES,
        help="Share.",
        still=True,
    )
    speed: float = number(150, "Speed", 0, 1_000_000, unit="u/s", group="Flight", slider=(0, 1000))
    speed_by: float = number(
        0.4, "More or less by", 0, 1, step=0.05, group="Flight", slider=(0, 1), help="Share.", still=True
    )
    towards: Point = Field(
        default=(0.0, 1.0, 0.0), title="Towards", json_schema_extra={"x-step": 0.1, "x-group": "Flight"}
    )
    spread: float = number(
        30, "Spread", 0, 180, unit="°", group="Flight", slider=(0, 180), help="To each side; 180: all round."
    )
    gravity: Point = Field(
        default=(0.0, -100.0, 0.0),
        title="Falls with",
        json_schema_extra={"x-step": 10, "x-unit": "u/s²", "x-group": "Flight"},
    )
    drag: float = number(
        0, "Air", 0, 1000, step=0.1, unit="/s", group="Flight", slider=(0, 5), help="How much it slows down what flies."
    )
    wind: Point = Field(
        default=(0.0, 0.0, 0.0),
        title="Wind",
        description="What flies is taken along as much as there is air.",
        json_schema_extra={"x-step": 10, "x-unit": "u/s", "x-group": "Flight"},
    )
    turbulence: float = number(
        0, "Eddies", 0, 100_000, unit="u", group="Flight", slider=(0, 200), help="How far they lead."
    )
    eddies: float = number(120, "Size of eddies", 1, 100_000, unit="u", group="Flight", slider=(10, 600), still=True)
    pace: float = number(0.5, "Pace of eddies", 0, 100, step=0.1, unit="/s", group="Flight", slider=(0, 3), still=True)
    gathers_at: Annotated[int, Field(ge=-1_000_000, le=1_000_000)] = Field(
        default=1, title="Gathers from frame", json_schema_extra={"x-group": "Gathering", "x-when": _GATHERS, **FRAME}
    )
    gathered_in: Annotated[int, Field(ge=1, le=100_000)] = Field(
        default=36,
        title="Within",
        json_schema_extra={"x-unit": "frames", "x-step": 1, "x-group": "Gathering", "x-when": _GATHERS, **STILL},
    )
    one_by_one: float = number(
        0.5,
        "One after the other",
        0,
        1,
        step=0.05,
        group="Gathering",
        slider=(0, 1),
        when=_GATHERS,
        help="0: all at once.",
        still=True,
    )
    scatters_at: Annotated[int, Field(ge=-1_000_000, le=1_000_000)] = Field(
        default=72,
        title="Scatters from frame",
        json_schema_extra={"x-group": "Gathering", "x-when": {"does": "gathers and scatters"}, **FRAME},
    )
    scattered_in: Annotated[int, Field(ge=1, le=100_000)] = Field(
        default=36,
        title="And is gone within",
        json_schema_extra={
            "x-unit": "frames",
            "x-step": 1,
            "x-group": "Gathering",
            "x-when": {"does": "gathers and scatters"},
            **STILL,
        },
    )
    looks: Literal["soft dots", "discs", "streaks", "what stands in it"] = Field(
        default="soft dots",
        title="Looks like",
        description="Of what stands in it (its place: inside the group) each is one.",
        json_schema_extra={"x-widget": "list", "x-group": "Look", **STILL},
    )
    dot: float = number(8, "Size", 0.001, 100_000, step=0.5, unit="u", group="Look", slider=(0.5, 60), when=_SEEN)
    dot_by: float = number(
        0.4, "Size more or less by", 0, 0.99, step=0.05, group="Look", slider=(0, 0.9), help="Share.", still=True
    )
    dot_end: float = number(1, "Size at its end", 0, 100, step=0.1, unit="×", group="Look", slider=(0, 4))
    tail: float = number(
        0.06, "Drawn out by", 0, 60, step=0.01, unit="s", group="Look", slider=(0, 0.5), when={"looks": "streaks"}
    )
    spin: float = number(
        0, "Spins", -100_000, 100_000, unit="°/s", group="Look", slider=(-720, 720), when={"looks": "what stands in it"}
    )
    colours_are: Literal["its own", "those of the drawing", "those of the picture"] = Field(
        default="its own",
        title="Colours",
        json_schema_extra={"x-widget": "list", "x-group": "Look", "x-when": _SEEN},
    )
    colour: Colour = Field(
        default="#fff1c9",
        title="Colour",
        json_schema_extra={"x-group": "Look", "x-when": {**_SEEN, "colours_are": "its own"}},
    )
    colour_end: Colour = Field(
        default="#ff8a2a",
        title="At its end",
        json_schema_extra={"x-group": "Look", "x-when": {**_SEEN, "colours_are": "its own"}},
    )
    brightness: float = number(1, "Brightness", 0, 1000, step=0.1, unit="×", group="Look", slider=(0, 8), when=_SEEN)
    thick: float = number(1, "Opaque", 0, 1, step=0.05, group="Look", slider=(0, 1), when=_SEEN)
    fade_in: float = number(
        0.05, "Comes in within", 0, 1, step=0.05, group="Look", slider=(0, 1), when=_SEEN, help="Share of its life."
    )
    fade_out: float = number(
        0.5, "Fades within", 0, 1, step=0.05, group="Look", slider=(0, 1), when=_SEEN, help="Share of its life."
    )
    lies_over: Literal["covers", "adds its light"] = choice("covers", "It", group="Look", when=_SEEN)
    light: Literal["glows", "is lit"] = choice("glows", "Light", group="Look", when=_SEEN)
    surface: Finish = Field(
        default_factory=lambda: Finish(shading="unlit"), title="Dots", json_schema_extra={"x-widget": "hidden", **STILL}
    )

    def geometry_parameters(self) -> dict[str, Any]:
        """What words and drawings it comes from or gathers into: all else is a formula."""
        return {
            "kind": self.kind,
            **{name: getattr(self, name) for name in _AREAS},
            "of": sorted(self.areas),
        }

    @property
    def areas(self) -> set[str]:
        """Which of a word and a drawing it needs."""
        wanted: set[str] = {self.comes_from} | ({self.into} if self.does != "comes out and flies" else set())
        wanted.add(PAINTED.get(self.colours_are, ""))
        return wanted & {"a word", "a drawing", "a picture"}

    @model_validator(mode="after")
    def _gathers_from_somewhere(self) -> Spray:
        if self.does != "comes out and flies" and self.comes_from == SURFACE:
            raise wrong_at("comes_from", "what gathers comes from no surface; choose something else, or let it fly")
        return self

    @property
    def frames_alive(self) -> float:
        """Things at once at most, if it comes out and flies."""
        return self.rate * self.life * (1 + self.life_by)


@dataclass(frozen=True, slots=True, eq=False)
class Built:
    """Areas by what they are of, the last dots by their time and all that decides them, and the surface of another element that they come
    from."""

    areas: dict[str, Place]
    dots: SizedCache[Dots]
    surface: Surface | None = None
    #: What does not change in time.
    kept: SizedCache[Any] = field(default_factory=lambda: SizedCache(4, lambda _: 1))


def build(element: Spray, assets: AssetSource) -> Built:
    """The areas that it comes from or gathers into."""
    found: dict[str, Place] = {}
    if "a word" in element.areas:
        placed, face = TextElement(id="word", word=element.word, font=element.font, size=element.letters).shaped(assets)
        rings = [contour.points for contour in outlines(placed, face, element.letters)]
        area = area_of(_about_middle(rings))
        if area is None:
            raise InputError("the word has no visible ink; it may be made of spaces only", "word")
        found["a word"] = area
    if "a drawing" in element.areas:
        drawing = drawing_at(*file_of(element.drawing, "drawing", SHIPPED, assets, DrawingError))
        found["a drawing"] = area_of_drawing(drawing, element.drawing_size)
    if "a picture" in element.areas:
        found["a picture"] = _mosaic(element, assets)
    return Built(found, SizedCache(64 * 1024 * 1024, _weight))


def build_on(built: Built, triangles: Floats) -> Built:
    """The same with the surface of another element, triangles [T, 3, 3] in its own space."""
    surface = Surface.of(triangles)
    if surface is None:
        raise InputError("that element has no surface; choose another one", "emitter")
    return replace(built, surface=surface, dots=SizedCache(64 * 1024 * 1024, _weight))


def _mosaic(element: Spray, assets: AssetSource) -> Mosaic:
    import cv2  # a quarter of a second at the start, which few sprays need

    path, label = file_of(element.picture, "picture", PLATES, assets, PictureError)
    footage = footage_at(path, label)
    light, alpha = cutout(path, label, 0, footage.reading, footage.matte)
    shrink = _PIXELS / max(light.shape[:2])
    there = np.ones(light.shape[:2], np.float32) if alpha is None else alpha
    if shrink < 1:
        size = max(1, round(light.shape[1] * shrink)), max(1, round(light.shape[0] * shrink))
        light = np.asarray(cv2.resize(light, size, interpolation=cv2.INTER_AREA), np.float32)
        there = np.asarray(cv2.resize(there, size, interpolation=cv2.INTER_AREA), np.float32)
    straight = encode(np.clip(light / np.maximum(there, 1e-4)[..., None], 0, 1))
    found = mosaic_of(np.asarray(straight, np.float64), np.asarray(there, np.float64), element.drawing_size)
    if found is None:
        raise InputError("nothing of this picture is there: its alpha is 0 everywhere; choose another", "picture")
    return found


def _weight(dots: Dots) -> int:
    return 200 * len(dots.radii) + 1000


def _about_middle(rings: list[Floats]) -> list[Floats]:
    if not rings:
        return rings
    points = np.concatenate(rings)
    middle = (points.min(axis=0) + points.max(axis=0)) / 2
    return [ring - middle for ring in rings]


# -- how they look


def _strength(element: Spray, lives: Floats) -> Floats:
    """How much of each is there, by the share of its life."""
    found = np.where((lives < 0) | (lives >= 1), 0.0, 1.0)
    if element.fade_in > 0:
        found *= np.clip(lives / element.fade_in, 0, 1)
    if element.fade_out > 0:
        found *= np.clip((1 - lives) / element.fade_out, 0, 1)
    return np.asarray(found)


def _sizes(element: Spray, there: Moving) -> Floats:
    varied = 1 + element.dot_by * around(element.seed, SIZE, there.numbers)
    return np.asarray(element.dot * varied * (1 + (element.dot_end - 1) * np.clip(there.shares, 0, 1)))


def _dots(element: Spray, time: Time, built: Built, moves: bool) -> Dots:
    """All dots at a time; how far they go in a frame only if ``moves``."""
    there = moving(element, time, built.areas, built.surface, built.kept)
    frame = 1 / float(time.rate)
    places = there.at(0.0)
    ways = there.at(frame) - places if moves or element.looks == "streaks" else np.zeros_like(places)
    first, last = np.array(decode_hex(element.colour)), np.array(decode_hex(element.colour_end))
    colours = first + (last - first) * np.clip(there.shares, 0, 1)[:, None]
    painted = PAINTED.get(element.colours_are)
    if painted:
        own = there.colours if element.does != _OUT or element.comes_from == painted else None
        if own is None:
            _, own = in_area(built.areas[painted], element.seed, there.numbers)
        if own is not None:
            colours = decode(own)
    flies = element.does == _OUT
    tails = np.zeros_like(places)
    if element.looks == "streaks":
        tails = -ways / frame * element.tail if flies else there.at(-element.tail) - places
    looks: dict[str, Any] = {"soft dots": "soft", "discs": "disc", "streaks": "streak"}
    return Dots(
        places,
        _sizes(element, there) / 2,
        ways,
        tails,
        (colours * element.brightness).astype(np.float32),
        (_strength(element, there.shares) * element.thick).astype(np.float32),
        looks[element.looks],
        element.lies_over == "adds its light",
        element.light == "is lit",
        there.seconds / frame if flies and element.stays == "stays behind" else None,
        _begun(element, there, frame),
    )


def _begun(element: Spray, there: Moving, frame: float) -> Begun | None:
    """What is told in the space of the element that they come from; frame is its length in seconds."""
    if there.local is None or there.triangles is None:
        return None
    places = there.local(0.0)
    ways = there.local(frame) - places
    tails = -ways / frame * element.tail if element.looks == "streaks" else np.zeros_like(ways)
    return Begun(places, ways, tails, there.triangles)


def rests_on(element: Spray) -> str:
    """The element whose surface it comes from."""
    return element.emitter if element.comes_from == SURFACE else ""


def pose(element: Spray, time: Time, built: Built) -> Sequence[Posed]:
    """One body of dots; none where others stand in their places."""
    if element.looks == "what stands in it":
        return ()
    plain = element.model_copy(update={"moves": {}})
    name = f"{time.frame} {time.rate} {time.range} {plain.model_dump_json()}"
    return (Posed(NOTHING, bend=name, dots=partial(_kept_dots, element, time, built, name)),)


def _kept_dots(element: Spray, time: Time, built: Built, name: str, moves: bool) -> Dots:
    return built.dots.get(f"{moves} {name}", partial(_dots, element, time, built, moves))


def copies(element: Spray, time: Time, built: Built) -> Sequence[Copied]:
    """A place for each thing that stands in it: as many as there can be at once, of which those that are not there are as small as nothing."""
    if element.looks != "what stands in it":
        return ()
    slots = element.count if element.does != "comes out and flies" else math.ceil(element.frames_alive) + 1
    if element.begins == "in a cycle" and element.does == "comes out and flies":
        first, last, cycle = time.range
        period = float(Fraction(last - first + (1 if cycle else 0)) / time.rate)
        slots = max(1, round(element.rate * period)) * max(
            1, math.ceil(element.life * (1 + element.life_by) / max(period, 1e-9))
        )
    if slots > _MOST_COPIES:
        raise InputError(
            f"what stands in it would be there {slots} times at once; up to {_MOST_COPIES} are possible: take fewer, or dots",
            "rate" if element.does == "comes out and flies" else "count",
        )
    own = moving(element, time, built.areas, built.surface, built.kept)
    frames = own.seconds * float(time.rate) if element.stays == "stays behind" and element.does == _OUT else None
    starts = None if own.local is None else own.local(0.0)
    places, sizes = own.at(0.0), _sizes(element, own) / element.dot
    axes = ball(element.seed, TURN, own.numbers)
    # At any angle at first, and upright where it is held.
    turns = 360 * shares(element.seed, TURN + 2, own.numbers) * own.free if element.spin else np.zeros(len(sizes))
    turns = np.radians(turns + element.spin * own.free_for)
    found = [Copied(str(slot + 1), there=False) for slot in range(slots)]
    taken: set[int] = set()
    for one in range(len(own.numbers)):
        slot = int(own.numbers[one]) % slots
        while slot in taken:
            slot = (slot + 1) % slots
        taken.add(slot)
        if 0 <= own.shares[one] < 1 and sizes[one] > 0:
            matrix = _placed(places[one], axes[one], float(turns[one]), float(sizes[one]))
            ago = None if frames is None else float(frames[one])
            start = None if starts is None else (float(starts[one, 0]), float(starts[one, 1]), float(starts[one, 2]))
            triangle = -1 if own.triangles is None else int(own.triangles[one])
            found[slot] = Copied(str(slot + 1), matrix, left=ago, start=start, triangle=triangle)
    return found


def _placed(place: Floats, axis: Floats, turn: float, size: float) -> tuple[float, ...]:
    """4 x 4: turned about an axis (Rodrigues' formula), as large as size, at a place."""
    x, y, z = axis
    cross = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    turned = np.eye(3) + math.sin(turn) * cross + (1 - math.cos(turn)) * cross @ cross
    whole = np.eye(4)
    whole[:3, :3] = turned * size
    whole[:3, 3] = place
    return tuple(float(value) for value in whole.reshape(-1))


kinds.register(
    ElementKind(
        "spray",
        "Spray",
        Spray,
        build,
        12,
        pose=pose,
        note="sparks, snow, dust, confetti …",
        holds=True,
        copies=copies,
        rests_on=rests_on,
        build_on=build_on,
    )
)
