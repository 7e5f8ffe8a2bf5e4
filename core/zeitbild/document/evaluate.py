"""A shot at a time: a shot of plain values, in which nothing moves any more."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from fractions import Fraction
from functools import lru_cache
from typing import Any

from zeitbild.caching import SizedCache
from zeitbild.document.camera import MAIN_CAMERA
from zeitbild.document.shot import Shot
from zeitbild.elements import ElementBase
from zeitbild.keys import Movers, Moving
from zeitbild.timing import Time, phase_of, turned_degrees
from zeitbild.values import Turn


def time_of(shot: Shot, frame: int | Fraction) -> Time:
    """The time of a frame of the shot, which may lie between two or outside its range."""
    timing = shot.timing
    return _time_at(Fraction(frame), (timing.first, timing.last, timing.cycle), timing.fraction)


@lru_cache(10_000)
def _time_at(frame: Fraction, whole: tuple[int, int, bool], rate: Fraction) -> Time:
    """A frame's time in a range at a rate: while a hand drags, the same are asked for again and again."""
    return Time(frame, Fraction(frame - whole[0]) / rate, phase_of(frame, *whole), rate, whole)


def evaluate(shot: Shot, time: Time) -> Shot:
    """The shot with the values that it has at a time; what stands still is the very same object.

    The result means the same at any time, so it can be evaluated again and stays what it is. InputError names the part whose values cannot
    be together at that time.
    """
    if not _known(shot).moves:
        return shot
    # To make one picture a shot is asked for again and again at the same few times.
    return _evaluated.get((id(shot), time), lambda: (shot, _evaluate(shot, time)))[1]


def turns_at_all(shot: Shot) -> bool:
    """Whether anything in it is turned over the range, without keys."""
    return any(element.turn.turns for element in shot.elements)


class _Known:
    """What is found out about a shot once, as long as it is asked for: while it is kept nothing else has its place in memory."""

    def __init__(self, shot: Shot) -> None:
        parts = {path: part for path, part in moving_parts(shot).items() if part.moves}
        self.shot = shot
        self.movers = Movers(parts)
        #: Where each of them stands: the field of the shot, its number there, and the field of what stands there.
        self.places = [(path, *_place_of(path)) for path in parts]
        self.turning = [
            number
            for number, one in enumerate(shot.elements)
            if one.turn.turns or any(path.startswith("turn") for path in one.moves)
        ]
        #: Whether anything is another at another time.
        self.moves = bool(parts or self.turning)
        #: About how much is kept with the shot at a time: its elements, and its keys, which are kept once for many times.
        keys = sum(len(track.keys) for part in parts.values() for track in part.moves.values())
        self.weight = 1 + len(shot.elements) + keys // 16


def _place_of(path: str) -> tuple[str, int | None, str]:
    """``elements.3`` is the fourth of the elements; ``cameras.1.camera`` is what that camera sees by."""
    field, _, rest = path.partition(".")
    number, _, inner = rest.partition(".")
    return field, int(number) if number else None, inner


_shots: SizedCache[_Known] = SizedCache(16, lambda kept: 1)


def _known(shot: Shot) -> _Known:
    return _shots.get(id(shot), lambda: _Known(shot))


#: Shots at times, with the shot that each is of: as long as it is kept nothing else has its place in memory.
_evaluated: SizedCache[tuple[Shot, Shot]] = SizedCache(4000, lambda kept: _known(kept[0]).weight)


def _evaluate(shot: Shot, time: Time) -> Shot:
    known = _known(shot)
    now = known.movers.at(time)
    changed: dict[str, Any] = {}
    for path, field, number, inner in known.places:
        if number is None:
            changed[field] = now[path]
            continue
        there = changed.setdefault(field, list(getattr(shot, field)))
        there[number] = there[number].model_copy(update={inner: now[path]}) if inner else now[path]
    if known.turning:
        there = changed.setdefault("elements", list(shot.elements))
        for number in known.turning:
            there[number] = _turned(there[number], time)
    return shot.model_copy(
        update={field: tuple(one) if isinstance(one, list) else one for field, one in changed.items()}
    )


def moving_parts(shot: Shot) -> dict[str, Moving]:
    """All parts of a shot whose values can move, by their paths in the document."""
    return seen_parts(shot) | {f"sounds.{number}": sound for number, sound in enumerate(shot.sounds)}


def seen_parts(shot: Shot) -> dict[str, Moving]:
    """Those of them that are seen, and not heard."""
    found: dict[str, Moving] = {"camera": shot.camera, "environment": shot.environment, "backdrop": shot.backdrop}
    for name, parts in (("elements", shot.elements), ("lights", shot.lights), ("finishes", shot.finishes)):
        found |= {f"{name}.{number}": part for number, part in enumerate(parts)}
    found |= {f"cameras.{number}.camera": one.camera for number, one in enumerate(shot.cameras)}
    for number, layer in enumerate(shot.layers):
        if layer.backdrop is not None:
            found[f"layers.{number}.backdrop"] = layer.backdrop
    return found


def parts_at(shot: Shot, paths: Iterable[str], times: Iterable[Time]) -> Iterator[dict[str, Moving]]:
    """Some of the same (``moving_parts``) at each of several times, without the rest of the shot. InputError names the part whose values
    cannot be together at a time."""
    parts = moving_parts(shot)
    wanted = {path: parts[path] for path in paths}
    movers = Movers({path: part for path, part in wanted.items() if part.moves})
    for time in times:
        yield wanted | movers.at(time)


def name_of_part(shot: Shot, path: str) -> str:
    """What people call a part whose values can move, by its path."""
    head, _, rest = path.partition(".")
    number = rest.partition(".")[0]
    several: dict[str, tuple[str, Sequence[Any]]] = {
        "elements": ("", shot.elements),
        "lights": ("", shot.lights),
        "finishes": ("Finish ", shot.finishes),
        "cameras": ("Camera ", shot.cameras),
        "layers": ("Backdrop of ", shot.layers),
        "sounds": ("", shot.sounds),
    }
    if head in several:
        before, parts = several[head]
        return f"{before}{parts[int(number)].name}"
    return {"camera": f"Camera {MAIN_CAMERA}", "environment": "Surroundings"}.get(head, "Backdrop")


def moves_at_all(shot: Shot) -> bool:
    """Whether any value of what is seen has keys or a wave."""
    return any(part.moves for part in seen_parts(shot).values())


def frames_of_keys(shot: Shot) -> set[int]:
    """Frames at which any value of what is seen has a key."""
    tracks = (track for part in seen_parts(shot).values() for track in part.moves.values())
    return {key.frame for track in tracks for key in track.keys}


def at_rest(element: ElementBase, time: Time) -> ElementBase:
    """An element with the values that it has at a time, and turned as far as it is then."""
    return _turned(element.at(time), time)


def _turned(element: ElementBase, time: Time) -> ElementBase:
    turn = element.turn
    if not turn.turns:
        return element
    # Turns are typed in decimals: reading them as decimals keeps a third of a turn from becoming a binary near-miss.
    degrees = turned_degrees(Fraction(str(turn.turns)), time.phase, Fraction(str(turn.start)))
    return element.model_copy(update={"turn": Turn(turns=0, start=degrees, axis=turn.axis)})
