"""How what a spray is made of moves: who there is at a time, where each is, and how far it is through its life; all by formulas, so that any
time stands alone."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from typing import TYPE_CHECKING, Any, Protocol

import numpy as np
from numpy.typing import NDArray

from zeitbild.caching import SizedCache
from zeitbild.errors import InputError
from zeitbild.geometry.scatter import Surface
from zeitbild.seeded import around, shares
from zeitbild.timing import Time
from zeitbild.timing.easing import bezier

if TYPE_CHECKING:
    from zeitbild.elements.spray import Spray

Floats = NDArray[np.float64]


class Place(Protocol):
    """Something flat that things come from or gather into (``scatter.Area``)."""

    def at(self, along: Floats, u: Floats, v: Floats) -> tuple[Floats, Floats | None]:
        """Points [n, 2] and colours there."""
        ...


Areas = Mapping[str, Place]

#: Things at once at most.
MOST = 400_000
#: What comes from another element.
SURFACE = "the surface of an element"
#: What has the colours that things may have.
PAINTED = {"those of the drawing": "a drawing", "those of the picture": "a picture"}
#: What chance decides of each, one stream of numbers for each.
_BORN, _LIFE, _FROM, _WAY, _SPEED, SIZE, _PATH, _LATE, TURN = range(10, 100, 10)
#: The golden ratio's share: numbers that follow one another lie evenly among each other.
_GOLDEN = (math.sqrt(5) - 1) / 2
#: How a dot's way to its place in a word goes (CSS Easing Functions: ease-in-out).
_GENTLE = (0.42, 0.0, 0.58, 1.0)


@dataclass(frozen=True, slots=True, eq=False)
class Moving:
    """Those that there are at a time, by their numbers [n]: ``at`` gives their places [n, 3] (units) so many seconds later; shares [n] of
    their lives, of which less than 0 is not there yet and 1 no more; seconds [n] for which each has been there; how much of each goes free (1) and
    is not held in a word or a drawing (0) [n], and for how many seconds it did [n]; straight colours [n, 3] of what they come from or gather
    into, if that has any. What comes from the surface of another element has a way in that one's own space, too (``local`` as ``at``), which is
    added, and triangles [n] of that are theirs."""

    numbers: NDArray[np.int64]
    at: Callable[[float], Floats]
    shares: Floats
    seconds: Floats
    free: Floats
    free_for: Floats
    colours: Floats | None
    local: Callable[[float], Floats] | None = None
    triangles: NDArray[np.int64] | None = None


@dataclass(frozen=True, slots=True, eq=False)
class Alive:
    """Numbers [n] of those that are there, their ages and lives (seconds)."""

    numbers: NDArray[np.int64]
    ages: Floats
    lives: Floats


def _lives(element: Spray, numbers: NDArray[np.int64]) -> Floats:
    return np.asarray(element.life * (1 + element.life_by * around(element.seed, _LIFE, numbers)))


def alive(element: Spray, time: Time) -> Alive:
    """Who is there at a time, in the order of their births. InputError for too many."""
    rate, longest = Fraction(str(element.rate)), element.life * (1 + element.life_by)
    if element.frames_alive > MOST:
        raise InputError(
            f"about {element.frames_alive:.0f} would be there at once; up to {MOST} are possible: take fewer a second, or let them live shorter",
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
    return Alive(numbers[there], ages[there], lives[there])


def _in_cycle(element: Spray, time: Time, rate: Fraction) -> Alive:
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
    return Alive(numbers[there], ages[there], lives[there])


# -- where they are


def ball(seed: int, stream: int, numbers: NDArray[np.int64]) -> Floats:
    """Unit ways [n, 3], even over all of them (Archimedes' hat-box theorem)."""
    up, turn = around(seed, stream, numbers), 2 * math.pi * shares(seed, stream + 1, numbers)
    flat = np.sqrt(np.maximum(1 - up**2, 0))
    return np.stack([flat * np.cos(turn), flat * np.sin(turn), up], axis=1)


def _starts(element: Spray, numbers: NDArray[np.int64], areas: Areas) -> tuple[Floats, Floats | None]:
    """Where each begins [n, 3], and the colours [n, 3] there, if there are any."""
    seed, count = element.seed, len(numbers)
    if element.comes_from in areas:
        points, colours = in_area(areas[element.comes_from], seed, numbers)
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
    return ball(seed, _FROM, numbers) * np.cbrt(shares(seed, _FROM + 2, numbers))[:, None] * half, None


def _spread(seed: int, numbers: NDArray[np.int64]) -> tuple[Floats, Floats, Floats]:
    """Where along all of something each is, evenly, and where in its part of it: shares [n] each."""
    along = np.asarray((numbers * _GOLDEN + float(shares(seed, _FROM, 0))) % 1, np.float64)
    return along, shares(seed, _FROM + 1, numbers), shares(seed, _FROM + 2, numbers)


def in_area(area: Place, seed: int, numbers: NDArray[np.int64]) -> tuple[Floats, Floats | None]:
    """Places [n, 2] spread evenly over an area (units), and straight colours [n, 3] there, if it has any."""
    return area.at(*_spread(seed, numbers))


def speeds_of(element: Spray, numbers: NDArray[np.int64], ways: Floats | None = None) -> Floats:
    """How each flies at first [n, 3] (units a second): even within a cone about where it is sent, or about ways of its own [n, 3]."""
    seed = element.seed
    if ways is None:
        ways = np.array(element.towards, np.float64)[None]
    length = np.linalg.norm(ways, axis=1)[:, None]
    way = np.where(length > 0, ways / np.where(length > 0, length, 1), [0.0, 1.0, 0.0])
    least = math.cos(math.radians(element.spread))
    along = 1 - (1 - least) * shares(seed, _WAY, numbers)
    turn, across = 2 * math.pi * shares(seed, _WAY + 1, numbers), np.sqrt(np.maximum(1 - along**2, 0))
    side = np.cross(way, np.where(np.abs(way[:, :1]) < 0.9, [1.0, 0, 0], [0.0, 1, 0]))
    side /= np.linalg.norm(side, axis=1)[:, None]
    other = np.cross(way, side)
    ways = along[:, None] * way + across[:, None] * (np.cos(turn)[:, None] * side + np.sin(turn)[:, None] * other)
    sizes = element.speed * (1 + element.speed_by * around(seed, _SPEED, numbers))
    found: Floats = ways * sizes[:, None]
    return found


def flown(element: Spray, speeds: Floats, ages: Floats) -> Floats:
    """How far each has flown [n, 3] at ages [n], or [1] for all: gravity, and air that slows it down and takes it along (drag in proportion to
    speed: Newton's law solved exactly)."""
    gravity, wind, drag = np.array(element.gravity), np.array(element.wind), element.drag
    t, lasts = ages[:, None], _lasts(element, ages)
    if not _slows(element, ages):
        return np.asarray(speeds * t + (gravity + wind * drag) / 2 * (t * t))
    final = wind + gravity / drag
    return np.asarray(final * t + (speeds - final) * lasts)


def _slows(element: Spray, ages: Floats) -> bool:
    """Whether air slows anything down that could be told."""
    return element.drag * float(ages.max(initial=0)) >= 1e-6


def _lasts(element: Spray, ages: Floats) -> Floats:
    """For how many seconds [n, 1] a speed alone would have had to last to lead as far as it did, ages [n] after it began."""
    t = ages[:, None]
    return np.asarray(-np.expm1(-element.drag * t) / element.drag if _slows(element, ages) else t)


def _eddies(element: Spray, places: Floats, ages: Floats, now: float) -> Floats:
    """How far eddies lead things astray [n, 3], more and more while they fly: waves of three sizes across each other, which neighbours share."""
    if element.turbulence <= 0:
        return np.zeros_like(places)
    total = np.zeros_like(places)
    for octave in range(3):
        numbers = np.arange(9) + 9 * octave
        ways = ball(element.seed, _PATH, numbers)
        phases = 2 * math.pi * shares(element.seed, _PATH + 2, numbers)
        scale = 2**octave * 2 * math.pi / element.eddies
        waves = np.sin(places @ ways.T * scale + phases + 2 * math.pi * element.pace * (1 + 0.3 * octave) * now)
        # Square to its own way a wave leads nowhere together or apart.
        across = np.cross(ways, np.roll(ways, 1, axis=0))
        across /= np.maximum(np.linalg.norm(across, axis=1), 1e-9)[:, None]
        total += waves @ across / 2**octave
    ripe = 1 - np.exp(-ages / 0.6)
    return np.asarray(total * (element.turbulence / 4) * ripe[:, None])


def _off_surface(element: Spray, time: Time, surface: Surface | None) -> Moving:
    """Those that come out of a surface: where they begin, and how fast if they fly away from it, is told in its own space."""
    if surface is None:
        raise InputError("choose the element whose surface it comes from", "emitter")
    own = alive(element, time)
    starts, normals, triangles = surface.at(*_spread(element.seed, own.numbers))
    away = element.aims == "away from it"
    speeds = speeds_of(element, own.numbers, normals if away else None)
    still = np.zeros_like(speeds)

    def at(later: float) -> Floats:
        ages = own.ages + later
        places = flown(element, still if away else speeds, ages)
        return places + _eddies(element, starts + places, ages, _clock(element, time, later))

    def local(later: float) -> Floats:
        # What pulls at it does so in the spray's space.
        return np.asarray(starts + speeds * _lasts(element, own.ages + later) if away else starts)

    free = np.ones(len(own.ages))
    return Moving(own.numbers, at, own.ages / own.lives, own.ages, free, own.ages, None, local, triangles)


def _flying(element: Spray, time: Time, areas: Areas) -> Moving:
    own = alive(element, time)
    starts, colours = _starts(element, own.numbers, areas)
    speeds = speeds_of(element, own.numbers)

    def at(later: float) -> Floats:
        ages = own.ages + later
        places = starts + flown(element, speeds, ages)
        return places + _eddies(element, places, ages, _clock(element, time, later))

    return Moving(own.numbers, at, own.ages / own.lives, own.ages, np.ones(len(own.ages)), own.ages, colours)


def _clock(element: Spray, time: Time, later: float) -> float:
    """Seconds by which eddies go: of a cycle none, so that they close."""
    return 0.0 if element.begins == "in a cycle" else float(time.seconds) + later


@dataclass(frozen=True, slots=True, eq=False)
class _Crowd:
    """What stays of those that gather, whatever the time: their numbers [n], where each begins and is to be [n, 3], colours there [n, 3], and how
    late each is (0 to 1)."""

    numbers: NDArray[np.int64]
    starts: Floats
    targets: Floats
    colours: Floats | None
    late: Floats

    @classmethod
    def of(cls, element: Spray, areas: Areas) -> _Crowd:
        numbers = np.arange(element.count, dtype=np.int64)
        target, colours = in_area(areas[element.into], element.seed + 1, numbers)
        painted = PAINTED.get(element.colours_are, "")
        if painted in areas and element.into != painted:
            _, colours = in_area(areas[painted], element.seed + 1, numbers)
        starts, _ = _starts(element, numbers, areas)
        late = shares(element.seed, _LATE, numbers)
        return cls(numbers, starts, np.column_stack([target, np.zeros(len(numbers))]), colours, late)


def _gathering(element: Spray, time: Time, areas: Areas, kept: SizedCache[Any]) -> Moving:
    """Of their lives they are in the middle until they scatter."""
    name = ("crowd", element.count, element.seed, element.into, element.comes_from, element.extent, element.colours_are)
    crowd: _Crowd = kept.get(name, lambda: _Crowd.of(element, areas))
    numbers, starts, targets, colours = crowd.numbers, crowd.starts, crowd.targets, crowd.colours
    sent = ("speeds", element.count, element.seed, element.towards, element.spread, element.speed, element.speed_by)
    speeds: Floats = kept.get(sent, lambda: speeds_of(element, numbers))
    late = element.one_by_one * crowd.late
    rate, scatters = time.rate, element.does == "gathers and scatters"

    def frames(later: float, since: int) -> float:
        return float(time.frame - since) + later * float(rate)

    def seconds(later: float) -> float:
        return max(frames(later, element.gathers_at), 0.0) / float(rate)

    def held(later: float) -> Floats:
        """How far each has come [n], 0 to 1."""
        share = frames(later, element.gathers_at) / element.gathered_in - late * 0.9
        return _eased(np.clip(share / (1 - 0.9 * element.one_by_one), 0, 1))

    def gone(later: float) -> Floats:
        """Seconds for which each has been on its way again [n]."""
        if not scatters:
            return np.zeros(len(numbers))
        left = max(frames(later, element.scatters_at), 0.0) / float(rate)
        return np.maximum(left - late * element.scattered_in / float(rate) * 0.5, 0)

    def at(later: float) -> Floats:
        # On its way it flies as it would, less and less.
        eased, now = held(later)[:, None], float(time.seconds) + later
        places = starts + flown(element, speeds, np.array([seconds(later)]))
        if element.turbulence > 0:
            places += _eddies(element, places, np.array([10.0]), now)
        places += (targets - places) * eased
        if scatters and (since := gone(later)).any():
            away = flown(element, speeds, since)
            if element.turbulence > 0:
                away += _eddies(element, targets + away, since, now) * (since > 0)[:, None]
            places += away
        return places

    lives = np.full(len(numbers), 0.5)
    since = frames(0.0, element.gathers_at)
    if since < 0:
        lives[:] = -1.0
    elif element.fade_in > 0:
        lives[:] = np.minimum(0.5, since / element.gathered_in)
    if scatters:
        away = frames(0.0, element.scatters_at) / element.scattered_in - 0.5 * late
        lives = np.where(away > 0, np.minimum(0.5 + np.maximum(away, 0) / (1 - 0.5 * late) / 2, 1.0), lives)
    there, loose, again = np.full(len(numbers), seconds(0.0)), 1 - held(0.0), gone(0.0)
    return Moving(numbers, at, lives, there, loose, loose * there + again, colours)


def _eased(share: Floats) -> Floats:
    return np.asarray(np.interp(share, *_gentle()), np.float64)


@lru_cache(1)
def _gentle() -> tuple[Floats, Floats]:
    """That way at so many places of it."""
    places = np.arange(257) / 256
    return places, np.array([bezier(_GENTLE, float(at)) for at in places])


def moving(
    element: Spray, time: Time, areas: Areas, surface: Surface | None = None, kept: SizedCache[Any] | None = None
) -> Moving:
    """Those that there are of a spray at rest, at a time; kept is where stays what does not change in time. InputError for too many."""
    if element.comes_from == SURFACE:
        return _off_surface(element, time, surface)
    if element.does == "comes out and flies":
        return _flying(element, time, areas)
    return _gathering(element, time, areas, kept or SizedCache(4, lambda _: 1))
