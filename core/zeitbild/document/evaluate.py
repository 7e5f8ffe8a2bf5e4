"""A shot at a time: a shot of plain values, in which nothing moves any more."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from fractions import Fraction
from functools import lru_cache
from typing import Any

from zeitbild.caching import SizedCache
from zeitbild.document.camera import MAIN_CAMERA, NamedCamera
from zeitbild.document.layers import Layer
from zeitbild.document.shot import Shot
from zeitbild.elements import ElementBase
from zeitbild.errors import InputError
from zeitbild.keys import Moving
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
    if not _known(shot)[1]:
        return shot
    # To make one picture a shot is asked for again and again at the same few times.
    return _evaluated.get((id(shot), time), lambda: (shot, _evaluate(shot, time)))[1]


def _moves(shot: Shot) -> bool:
    """Whether anything of it is another at another time."""
    return any(part.moves for part in moving_parts(shot).values()) or turns_at_all(shot)


def turns_at_all(shot: Shot) -> bool:
    """Whether anything in it is turned over the range, without keys."""
    return any(element.turn.turns for element in shot.elements)


#: Shots, whether they move, and how much is kept with each at a time: it is asked for once for each element of a picture. As long as a shot is
#: kept nothing else has its place in memory.
_moving: SizedCache[tuple[Shot, bool, int]] = SizedCache(16, lambda kept: 1)


def _weight(shot: Shot) -> int:
    """About how much is kept with a shot at a time: its elements, and its keys, which are kept once for many times."""
    tracks = (track for part in moving_parts(shot).values() for track in part.moves.values())
    return 1 + len(shot.elements) + sum(len(track.keys) for track in tracks) // 16


def _known(shot: Shot) -> tuple[Shot, bool, int]:
    return _moving.get(id(shot), lambda: (shot, _moves(shot), _weight(shot)))


#: Shots at times, with the shot that each is of: as long as it is kept nothing else has its place in memory.
_evaluated: SizedCache[tuple[Shot, Shot]] = SizedCache(4000, lambda kept: _known(kept[0])[2])


def _evaluate(shot: Shot, time: Time) -> Shot:
    changed: dict[str, Any] = {}
    for name in ("camera", "environment", "backdrop"):
        before = getattr(shot, name)
        with _at(name):
            now = before.at(time)
        if now is not before:
            changed[name] = now
    several = (
        ("lights", shot.lights, _moved),
        ("finishes", shot.finishes, _moved),
        ("elements", shot.elements, at_rest),
        ("cameras", shot.cameras, _through),
        ("layers", shot.layers, _before),
        ("sounds", shot.sounds, _moved),
    )
    for name, parts, moved in several:
        found = []
        for number, part in enumerate(parts):
            with _at(f"{name}.{number}"):
                found.append(moved(part, time))
        if any(now is not before for now, before in zip(found, parts, strict=True)):
            changed[name] = tuple(found)
    return shot.model_copy(update=changed) if changed else shot


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
    for time in times:
        found = {}
        for path, part in wanted.items():
            with _at(path):
                found[path] = part.at(time)
        yield found


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


@contextmanager
def _at(place: str) -> Iterator[None]:
    """Name the part in what is wrong with its values at a time."""
    try:
        yield
    except InputError as error:
        error.field = f"{place}.{error.field}".rstrip(".")
        raise


def _moved(part: Any, time: Time) -> Any:
    return part.at(time)


def _through(one: NamedCamera, time: Time) -> NamedCamera:
    now = one.camera.at(time)
    return one if now is one.camera else one.model_copy(update={"camera": now})


def _before(layer: Layer, time: Time) -> Layer:
    now = layer.backdrop.at(time) if layer.backdrop is not None else None
    return layer if now is layer.backdrop else layer.model_copy(update={"backdrop": now})


def at_rest(element: ElementBase, time: Time) -> ElementBase:
    """An element with the values that it has at a time, and turned as far as it is then."""
    element = element.at(time)
    turn = element.turn
    if not turn.turns:
        return element
    # Turns are typed in decimals: reading them as decimals keeps a third of a turn from becoming a binary near-miss.
    degrees = turned_degrees(Fraction(str(turn.turns)), time.phase, Fraction(str(turn.start)))
    return element.model_copy(update={"turn": Turn(turns=0, start=degrees, axis=turn.axis)})
