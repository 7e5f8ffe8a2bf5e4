"""Spray: many small things that come out of something, fly and are gone; each frame by a formula, so that any is the same without those
before it."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import partial
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, StringConstraints

from zeitbild.caching import SizedCache
from zeitbild.colour import decode, decode_hex
from zeitbild.drawings import SHIPPED
from zeitbild.elements._text import TextElement
from zeitbild.elements.base import Copied, ElementBase, ElementKind, Posed, kinds
from zeitbild.errors import DrawingError, InputError
from zeitbild.finishes import Finish
from zeitbild.geometry.drawing.painting import drawing_at
from zeitbild.geometry.mesh import Mesh
from zeitbild.geometry.scatter import Area, area_of, area_of_drawing
from zeitbild.geometry.shaping import outlines
from zeitbild.seeded import around, shares
from zeitbild.shipped import NAMED, AssetSource, file_of
from zeitbild.snapshot.dots import Dots
from zeitbild.timing import Time
from zeitbild.timing.easing import bezier
from zeitbild.values import FRAME, STILL, Colour, Point, choice, number

Floats = NDArray[np.float64]

#: Dots at once, and things that stand in it at once, at most.
_MOST, _MOST_COPIES = 400_000, 1000
#: What chance decides of each, one stream of numbers for each.
_BORN, _LIFE, _FROM, _WAY, _SPEED, _SIZE, _PATH, _LATE, _TURN, _COLOUR = range(10, 110, 10)
#: The golden ratio's share: numbers that follow one another lie evenly among each other.
_GOLDEN = (math.sqrt(5) - 1) / 2
#: How a dot's way to its place in a word goes (CSS Easing Functions: ease-in-out).
_GENTLE = (0.42, 0.0, 0.58, 1.0)
_FLIES: dict[str, Any] = {"does": ["comes out and flies"]}
_DOTTED: Any = ["soft dots", "discs", "streaks"]
_GATHERS: dict[str, Any] = {"does": ["gathers", "gathers and scatters"]}
#: When a word, or a drawing, is needed.
_WORDS: Any = [{"comes_from": "a word"}, {**_GATHERS, "into": "a word"}]
_DRAWN: Any = [
    {"comes_from": "a drawing"},
    {**_GATHERS, "into": "a drawing"},
    {"colours_are": "those of the drawing"},
]
_NOTHING = Mesh(
    np.zeros((0, 3)),
    np.zeros((0, 3), np.int32),
    np.zeros((0, 3, 3), np.float32),
    np.zeros(0, np.int32),
    np.zeros(0, np.int32),
    False,
)


class Spray(ElementBase):
    """Many small things."""

    kind: Literal["spray"] = "spray"
    does: Literal["comes out and flies", "gathers", "gathers and scatters"] = Field(
        default="comes out and flies",
        title="It",
        description="Gathers: a number of them comes together to a word or a drawing.",
        json_schema_extra={"x-widget": "list", "x-group": "Spray", **STILL},
    )
    comes_from: Literal["a point", "a line", "a rectangle", "a disc", "a ball", "a word", "a drawing"] = Field(
        default="a point", title="Comes from", json_schema_extra={"x-widget": "list", "x-group": "Spray", **STILL}
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
    into: Literal["a word", "a drawing"] = Field(
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
    font: Annotated[str, StringConstraints(pattern=NAMED)] = Field(
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
    drawing_size: float = Field(
        default=300,
        ge=0.01,
        le=100_000,
        title="Its size",
        description="Of its larger side.",
        json_schema_extra={"x-unit": "u", "x-step": 1, "x-group": "Spray", "x-slider": [20, 1000], "x-any": _DRAWN},
    )
    rate: float = number(
        200, "A second", 0.01, 1_000_000, unit="/s", group="How many", slider=(1, 5000), when=_FLIES, still=True
    )
    stays: Literal["goes along", "stays behind"] = Field(
        default="goes along",
        title="If it moves",
        description="What has come out goes along with it, or stays behind as a trail.",
        json_schema_extra={"x-widget": "choice", "x-group": "Spray", "x-when": {**_FLIES, "looks": _DOTTED}, **STILL},
    )
    count: Annotated[int, Field(ge=1, le=_MOST)] = Field(
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
    dot: float = number(8, "Size", 0.001, 100_000, step=0.5, unit="u", group="Look", slider=(0.5, 60))
    dot_by: float = number(
        0.4, "More or less by", 0, 0.99, step=0.05, group="Look", slider=(0, 0.9), help="Share.", still=True
    )
    dot_end: float = number(1, "At its end", 0, 100, step=0.1, unit="×", group="Look", slider=(0, 4))
    tail: float = number(
        0.06, "Drawn out by", 0, 60, step=0.01, unit="s", group="Look", slider=(0, 0.5), when={"looks": "streaks"}
    )
    spin: float = number(
        0, "Spins", -100_000, 100_000, unit="°/s", group="Look", slider=(-720, 720), when={"looks": "what stands in it"}
    )
    colours_are: Literal["its own", "those of the drawing"] = choice("its own", "Colours", group="Look")
    colour: Colour = Field(default="#fff1c9", title="Colour", json_schema_extra={"x-group": "Look"})
    colour_end: Colour = Field(default="#ff8a2a", title="At its end", json_schema_extra={"x-group": "Look"})
    brightness: float = number(1, "Brightness", 0, 1000, step=0.1, unit="×", group="Look", slider=(0, 8))
    thick: float = number(1, "Opaque", 0, 1, step=0.05, group="Look", slider=(0, 1))
    fade_in: float = number(
        0.05, "Comes in within", 0, 1, step=0.05, group="Look", slider=(0, 1), help="Share of its life."
    )
    fade_out: float = number(
        0.5, "Fades within", 0, 1, step=0.05, group="Look", slider=(0, 1), help="Share of its life."
    )
    lies_over: Literal["covers", "adds its light"] = choice("covers", "It", group="Look")
    light: Literal["glows", "is lit"] = choice("glows", "Light", group="Look")
    surface: Finish = Field(
        default_factory=lambda: Finish(shading="unlit"), title="Dots", json_schema_extra={"x-widget": "hidden", **STILL}
    )

    def geometry_parameters(self) -> dict[str, Any]:
        """What words and drawings it comes from or gathers into: all else is a formula."""
        return {
            "kind": self.kind,
            **{name: getattr(self, name) for name in ("word", "font", "letters", "drawing", "drawing_size")},
            "of": sorted(self.areas),
        }

    @property
    def areas(self) -> set[str]:
        """Which of a word and a drawing it needs."""
        wanted: set[str] = {self.comes_from} | ({self.into} if self.does != "comes out and flies" else set())
        if self.colours_are == "those of the drawing":
            wanted.add("a drawing")
        return wanted & {"a word", "a drawing"}

    @property
    def frames_alive(self) -> float:
        """Things at once at most, if it comes out and flies."""
        return self.rate * self.life * (1 + self.life_by)


@dataclass(frozen=True, slots=True, eq=False)
class Built:
    """Areas by what they are of, and the last dots by their time and all that decides them."""

    areas: dict[str, Area]
    dots: SizedCache[Dots]


def build(element: Spray, assets: AssetSource) -> Built:
    """The areas that it comes from or gathers into."""
    found: dict[str, Area] = {}
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
    return Built(found, SizedCache(64 * 1024 * 1024, _weight))


def _weight(dots: Dots) -> int:
    return 200 * len(dots.radii) + 1000


def _about_middle(rings: list[Floats]) -> list[Floats]:
    if not rings:
        return rings
    points = np.concatenate(rings)
    middle = (points.min(axis=0) + points.max(axis=0)) / 2
    return [ring - middle for ring in rings]


# -- who there is


@dataclass(frozen=True, slots=True, eq=False)
class _Alive:
    """Numbers [n] of those that are there, their ages and lives (seconds)."""

    numbers: NDArray[np.int64]
    ages: Floats
    lives: Floats


def _lives(element: Spray, numbers: NDArray[np.int64]) -> Floats:
    return np.asarray(element.life * (1 + element.life_by * around(element.seed, _LIFE, numbers)))


def _alive(element: Spray, time: Time) -> _Alive:
    """Who is there at a time, in the order of their births. InputError for too many."""
    rate, longest = Fraction(str(element.rate)), element.life * (1 + element.life_by)
    if element.frames_alive > _MOST:
        raise InputError(
            f"about {element.frames_alive:.0f} would be there at once; up to {_MOST} are possible: take fewer a second, or let them live shorter",
            "rate",
        )
    if element.begins == "in a cycle":
        return _in_cycle(element, time, rate)
    zero = Fraction(element.first) if element.begins == "at a frame" else Fraction(0)
    now = (time.frame - zero) / time.rate
    high = math.floor(now * rate)
    low = math.ceil((now - Fraction(longest)) * rate) - 1
    if element.begins == "at a frame":
        low = max(low, 0)
    if element.ends:
        until = (Fraction(element.last) - zero) / time.rate
        high = min(high, math.ceil(until * rate) - 1)
    numbers = np.arange(low, high + 1, dtype=np.int64) if high >= low else np.empty(0, np.int64)
    # Each within the time that it has to itself; exact, however long the shot.
    begun = float(now - Fraction(low) / rate)
    ages = begun - ((numbers - low) + shares(element.seed, _BORN, numbers)) / float(rate)
    lives = _lives(element, numbers)
    there = (ages >= 0) & (ages < lives)
    return _Alive(numbers[there], ages[there], lives[there])


def _in_cycle(element: Spray, time: Time, rate: Fraction) -> _Alive:
    """So many in a range, each of which is born at the same phase of every round."""
    first, last, cycle = time.range
    period = Fraction(last - first + (1 if cycle else 0)) / time.rate
    count = max(1, round(rate * period))
    numbers = np.arange(count, dtype=np.int64)
    phase = (time.frame - first) / time.rate % period if period > 0 else Fraction(0)
    born = (numbers + shares(element.seed, _BORN, numbers)) / count * float(period)
    ages = float(phase) - born
    ages = np.where(ages < 0, ages + float(period), ages)
    lives = _lives(element, numbers)
    rounds = max(1, math.ceil(float(lives.max()) / float(period))) if period > 0 else 1
    ages = (ages + float(period) * np.arange(rounds)[:, None]).reshape(-1)
    numbers, lives = np.tile(numbers, rounds), np.tile(lives, rounds)
    there = ages < lives
    return _Alive(numbers[there], ages[there], lives[there])


# -- where they are


def _ball(seed: int, stream: int, numbers: NDArray[np.int64]) -> Floats:
    """Unit ways [n, 3], even over all of them (Archimedes' hat-box theorem)."""
    up, turn = around(seed, stream, numbers), 2 * math.pi * shares(seed, stream + 1, numbers)
    flat = np.sqrt(np.maximum(1 - up**2, 0))
    return np.stack([flat * np.cos(turn), flat * np.sin(turn), up], axis=1)


def _starts(element: Spray, numbers: NDArray[np.int64], built: Built) -> tuple[Floats, Floats | None]:
    """Where each begins [n, 3], and the colours [n, 3] there, if there are any."""
    seed, count = element.seed, len(numbers)
    if element.comes_from in built.areas:
        points, colours = _in_area(built.areas[element.comes_from], seed, numbers)
        return np.column_stack([points, np.zeros(count)]), colours
    half = np.array(element.extent) / 2
    if element.comes_from == "a point":
        return np.zeros((count, 3)), None
    if element.comes_from == "a line":
        return around(seed, _FROM, numbers)[:, None] * half, None
    if element.comes_from == "a rectangle":
        return np.stack([around(seed, _FROM + axis, numbers) for axis in range(3)], axis=1) * half, None
    if element.comes_from == "a disc":
        far, turn = np.sqrt(shares(seed, _FROM, numbers)), 2 * math.pi * shares(seed, _FROM + 1, numbers)
        deep = around(seed, _FROM + 2, numbers)
        return np.stack([far * np.cos(turn), far * np.sin(turn), deep], axis=1) * half, None
    return _ball(seed, _FROM, numbers) * np.cbrt(shares(seed, _FROM + 2, numbers))[:, None] * half, None


def _in_area(area: Area, seed: int, numbers: NDArray[np.int64]) -> tuple[Floats, Floats | None]:
    along = np.asarray((numbers * _GOLDEN + float(shares(seed, _FROM, 0))) % 1, np.float64)
    return area.at(along, shares(seed, _FROM + 1, numbers), shares(seed, _FROM + 2, numbers))


def _speeds(element: Spray, numbers: NDArray[np.int64]) -> Floats:
    """How each flies at first [n, 3] (units a second): even within a cone."""
    seed = element.seed
    way = np.array(element.towards)
    length = float(np.linalg.norm(way))
    way = way / length if length > 0 else np.array([0.0, 1.0, 0.0])
    least = math.cos(math.radians(element.spread))
    along = 1 - (1 - least) * shares(seed, _WAY, numbers)
    turn, across = 2 * math.pi * shares(seed, _WAY + 1, numbers), np.sqrt(np.maximum(1 - along**2, 0))
    side = np.cross(way, [1.0, 0, 0] if abs(way[0]) < 0.9 else [0.0, 1, 0])
    side /= np.linalg.norm(side)
    other = np.cross(way, side)
    ways = along[:, None] * way + across[:, None] * (np.cos(turn)[:, None] * side + np.sin(turn)[:, None] * other)
    sizes = element.speed * (1 + element.speed_by * around(seed, _SPEED, numbers))
    found: Floats = ways * sizes[:, None]
    return found


def _flown(element: Spray, speeds: Floats, ages: Floats) -> Floats:
    """How far each has flown [n, 3]: gravity, and air that slows it down and takes it along (drag in proportion to speed: Newton's law solved
    exactly)."""
    gravity, wind, drag = np.array(element.gravity), np.array(element.wind), element.drag
    t = ages[:, None]
    if drag * float(ages.max(initial=0)) < 1e-6:
        return np.asarray(speeds * t + gravity * t * t / 2 + wind * drag * t * t / 2)
    final = wind + gravity / drag
    return np.asarray(final * t + (speeds - final) * -np.expm1(-drag * t) / drag)


def _eddies(element: Spray, places: Floats, ages: Floats, now: float) -> Floats:
    """How far eddies lead things astray [n, 3], more and more while they fly: waves of three sizes across each other, which neighbours share."""
    if element.turbulence <= 0:
        return np.zeros_like(places)
    total = np.zeros_like(places)
    for octave in range(3):
        numbers = np.arange(9) + 9 * octave
        ways = _ball(element.seed, _PATH, numbers)
        phases = 2 * math.pi * shares(element.seed, _PATH + 2, numbers)
        scale = 2**octave * 2 * math.pi / element.eddies
        waves = np.sin(places @ ways.T * scale + phases + 2 * math.pi * element.pace * (1 + 0.3 * octave) * now)
        # Square to its own way a wave leads nowhere together or apart.
        across = np.cross(ways, np.roll(ways, 1, axis=0))
        across /= np.maximum(np.linalg.norm(across, axis=1), 1e-9)[:, None]
        total += waves @ across / 2**octave
    ripe = 1 - np.exp(-ages / 0.6)
    return np.asarray(total * (element.turbulence / 4) * ripe[:, None])


def _flying(
    element: Spray, time: Time, built: Built
) -> tuple[NDArray[np.int64], Callable[[float], Floats], Floats, Floats | None]:
    """Those that come out and fly: their numbers, where they are so many seconds later, shares of their lives, and colours where they
    began."""
    own = _alive(element, time)
    starts, colours = _starts(element, own.numbers, built)
    speeds = _speeds(element, own.numbers)

    def at(later: float) -> Floats:
        ages = own.ages + later
        places = starts + _flown(element, speeds, ages)
        return places + _eddies(element, places, ages, _clock(element, time, later))

    return own.numbers, at, own.ages / own.lives, colours


def _clock(element: Spray, time: Time, later: float) -> float:
    """Seconds by which eddies go: of a cycle none, so that they close."""
    return 0.0 if element.begins == "in a cycle" else float(time.seconds) + later


def _gathering(
    element: Spray, time: Time, built: Built
) -> tuple[NDArray[np.int64], Callable[[float], Floats], Floats, Floats | None]:
    """Those that gather: as ``_flying``; of their lives they are in the middle until they scatter."""
    numbers = np.arange(element.count, dtype=np.int64)
    area = built.areas[element.into]
    target, colours = _in_area(area, element.seed + 1, numbers)
    targets = np.column_stack([target, np.zeros(len(numbers))])
    if "a drawing" in built.areas and element.into != "a drawing":
        _, colours = _in_area(built.areas["a drawing"], element.seed + 1, numbers)
    starts, _ = _starts(element, numbers, built)
    speeds = _speeds(element, numbers)
    late = element.one_by_one * shares(element.seed, _LATE, numbers)
    rate = time.rate

    def frames(later: float, since: int) -> float:
        return float(time.frame - since) + later * float(rate)

    def at(later: float) -> Floats:
        length = element.gathered_in
        share = np.clip(
            (frames(later, element.gathers_at) / length - late * 0.9) / (1 - 0.9 * element.one_by_one), 0, 1
        )
        # On its way it flies as it would, less and less.
        eased = _eased(share)[:, None]
        seconds = np.maximum(frames(later, element.gathers_at), 0) / float(rate)
        ages = np.full(len(numbers), seconds)
        free = starts + _flown(element, speeds, ages)
        free = free + _eddies(element, free, np.full(len(numbers), 10.0), float(time.seconds) + later)
        places = free * (1 - eased) + targets * eased
        if element.does == "gathers and scatters":
            left = np.maximum(frames(later, element.scatters_at), 0) / float(rate)
            gone = np.maximum(left - late * element.scattered_in / float(rate) * 0.5, 0)
            flown = _flown(element, speeds, gone)
            places = (
                places
                + flown
                + _eddies(element, targets + flown, gone, float(time.seconds) + later) * (gone > 0)[:, None]
            )
        return places

    lives = np.full(len(numbers), 0.5)
    since = frames(0.0, element.gathers_at)
    if since < 0:
        lives[:] = -1.0
    elif element.fade_in > 0:
        lives[:] = np.minimum(0.5, since / element.gathered_in)
    if element.does == "gathers and scatters":
        away = frames(0.0, element.scatters_at) / element.scattered_in - 0.5 * late
        lives = np.where(away > 0, np.minimum(0.5 + np.maximum(away, 0) / (1 - 0.5 * late) / 2, 1.0), lives)
    return numbers, at, lives, colours


def _eased(share: Floats) -> Floats:
    table = np.array([bezier(_GENTLE, at / 256) for at in range(257)])
    return np.asarray(np.interp(share, np.arange(257) / 256, table), np.float64)


def _moving(
    element: Spray, time: Time, built: Built
) -> tuple[NDArray[np.int64], Callable[[float], Floats], Floats, Floats | None]:
    return _flying(element, time, built) if element.does == "comes out and flies" else _gathering(element, time, built)


# -- how they look


def _strength(element: Spray, lives: Floats) -> Floats:
    """How much of each is there, by the share of its life."""
    found = np.where((lives < 0) | (lives >= 1), 0.0, 1.0)
    if element.fade_in > 0:
        found *= np.clip(lives / element.fade_in, 0, 1)
    if element.fade_out > 0:
        found *= np.clip((1 - lives) / element.fade_out, 0, 1)
    return np.asarray(found)


def _sizes(element: Spray, numbers: NDArray[np.int64], lives: Floats) -> Floats:
    varied = 1 + element.dot_by * around(element.seed, _SIZE, numbers)
    return np.asarray(element.dot * varied * (1 + (element.dot_end - 1) * np.clip(lives, 0, 1)))


def _dots(element: Spray, time: Time, built: Built) -> Dots:
    """All dots at a time."""
    numbers, at, lives, own = _moving(element, time, built)
    frame = 1 / float(time.rate)
    places = at(0.0)
    ways = at(frame) - places
    first, last = np.array(decode_hex(element.colour)), np.array(decode_hex(element.colour_end))
    share = np.clip(lives, 0, 1)[:, None]
    colours = first + (last - first) * share
    if element.colours_are == "those of the drawing":
        if own is None and "a drawing" in built.areas:
            _, own = _in_area(built.areas["a drawing"], element.seed, numbers)
        if own is not None:
            colours = decode(own)
    tails = np.zeros_like(places)
    if element.looks == "streaks":
        tails = at(-element.tail) - places if element.does != "comes out and flies" else -ways / frame * element.tail
    looks: dict[str, Any] = {"soft dots": "soft", "discs": "disc", "streaks": "streak"}
    return Dots(
        places,
        _sizes(element, numbers, lives) / 2,
        ways,
        tails,
        (colours * element.brightness).astype(np.float32),
        (_strength(element, lives) * element.thick).astype(np.float32),
        looks[element.looks],
        element.lies_over == "adds its light",
        element.light == "is lit",
        _frames_since(element, time),
    )


def _frames_since(element: Spray, time: Time) -> Floats | None:
    """For how many frames each has been there, if it stays where it came out."""
    if element.stays == "goes along" or element.does != "comes out and flies":
        return None
    return np.asarray(_alive(element, time).ages * float(time.rate))


def pose(element: Spray, time: Time, built: Built) -> Sequence[Posed]:
    """One body of dots; none where others stand in their places."""
    if element.looks == "what stands in it":
        return ()
    plain = element.model_copy(update={"moves": {}})
    key = hash((plain.model_dump_json(), time))
    name = f"{time.frame} {time.rate} {time.range} {plain.model_dump_json()}"
    return (Posed(_NOTHING, bend=name, dots=partial(_kept, element, time, built, key)),)


def _kept(element: Spray, time: Time, built: Built, key: int) -> Dots:
    return built.dots.get(key, lambda: _dots(element, time, built))


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
    numbers, at, lives, _ = _moving(element, time, built)
    places, sizes = at(0.0), _sizes(element, numbers, lives) / element.dot
    there = _strength_of_copies(lives)
    axes = _ball(element.seed, _TURN, numbers)
    turns = np.radians(360 * shares(element.seed, _TURN + 2, numbers) * (element.spin != 0)) + np.radians(
        element.spin
    ) * _ages(element, lives)
    found = [Copied(str(slot + 1), _VANISHED) for slot in range(slots)]
    taken: set[int] = set()
    for one in range(len(numbers)):
        slot = int(numbers[one]) % slots
        while slot in taken:
            slot = (slot + 1) % slots
        taken.add(slot)
        size = float(sizes[one]) if there[one] else 0.0
        if size > 0:
            found[slot] = Copied(str(slot + 1), _placed(places[one], axes[one], float(turns[one]), size))
    return found


def _ages(element: Spray, lives: Floats) -> Floats:
    return np.asarray(lives * element.life)


def _strength_of_copies(lives: Floats) -> NDArray[np.bool_]:
    return np.asarray((lives >= 0) & (lives < 1))


#: So small that nobody sees it, and still a size.
_LITTLE = 1e-6
_VANISHED = (_LITTLE, 0.0, 0.0, 0.0, 0.0, _LITTLE, 0.0, 0.0, 0.0, 0.0, _LITTLE, 0.0, 0.0, 0.0, 0.0, 1.0)


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
    )
)
