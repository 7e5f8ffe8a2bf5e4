"""Who stands where: the bodies of a shot's elements, at a frame and while the shutter is open."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.caching import SizedCache
from zeitbild.document.evaluate import evaluate, moves_at_all, time_of
from zeitbild.document.shot import Shot
from zeitbild.elements import ElementBase, ElementKind, kinds
from zeitbild.elements.base import IN_PLACE, Copied, Mark, Posed, as_built, on_nothing, once
from zeitbild.errors import InputError
from zeitbild.geometry.transforms import placement
from zeitbild.resolve.facing import picture_plane, seen_from_behind, set_up, turned_to
from zeitbild.resolve.geometry_cache import GEOMETRY, geometry_key
from zeitbild.resolve.shedding import Skin, carrying
from zeitbild.resolve.surfaces import Textures, finishes_of
from zeitbild.shipped import AssetSource
from zeitbild.snapshot import Bent, Body, Matrix, Role
from zeitbild.snapshot.dots import Dots
from zeitbild.timing import Time

#: Degrees that an element turns from station to station at most: what is drawn between two lies 0.02 pixels off at most
#: where the fastest point is 500 pixels from its axis. Stations at least, and at most.
_APART, _FEWEST, _MOST = 1.0, 8, 512
#: Times that one element is there at most.
MOST_COPIES = 2000
#: Frames back to which a trail is followed; what is older stays where it was then.
_TRAIL = 600
#: Surfaces that others come from, as they were at other frames.
_SKINS: SizedCache[NDArray[np.float64]] = SizedCache(128 * 1024 * 1024, lambda one: one.nbytes)
_ONCE = (Copied(),)
#: So small that nobody sees it, and still a size: what comes and goes while the shutter is open has the same bodies throughout.
_VANISHED = np.diag([1e-6, 1e-6, 1e-6, 1.0])


def element_matrix(element: ElementBase) -> NDArray[np.float64]:
    """Where an element at rest (``evaluate``) stands [4, 4]."""
    place, turn = element.placement, element.turn
    return _placed(place.position, place.rotation, place.scale, turn.axis, turn.start, element.pivot_offset)


@lru_cache(4096)
def _placed(*arguments: Any) -> NDArray[np.float64]:
    """The same matrix for the same numbers: each element is asked several times for one picture, and most stay where they are."""
    matrix = placement(*arguments)
    matrix.flags.writeable = False
    return matrix


def _copies(holder: ElementBase, time: Time, assets: AssetSource) -> Sequence[Copied]:
    """How often and where what stands inside an element at rest is there."""
    kind = kinds.get(holder.kind)
    # What comes from another element's surface is all over that: it has no first place.
    if kind.copies is once or kind.rests_on(holder):
        return _ONCE
    return kind.copies(holder, time, GEOMETRY.built(geometry_key(holder), holder, assets))


def _faded(element: ElementBase, later: Fraction) -> tuple[tuple[str, float], ...]:
    """That only a share of an element is left, if it is; copies of it that fade at other times are not one."""
    return ((f"{element.id} {later}" if later else element.id, element.opacity),) if element.opacity < 1 else ()


def groups_matrix(groups: Sequence[ElementBase], time: Time, assets: AssetSource) -> NDArray[np.float64]:
    """Where groups at rest, from the inmost to the outermost, put what stands in them [4, 4]; of what they repeat the first."""
    placed = np.eye(4)
    for group in groups:
        copies = _copies(group, time, assets)
        first = np.array(copies[0].matrix).reshape(4, 4) if copies else np.eye(4)
        placed = element_matrix(group) @ first @ placed
    return placed


@contextmanager
def _at_element(number: int) -> Iterator[None]:
    """Name the element in what is wrong with it."""
    try:
        yield
    except InputError as error:
        error.field = f"elements.{number}.{error.field}".rstrip(".")
        raise


@dataclass(frozen=True, slots=True)
class _There:
    """One of the times that an element is there: the name of the copy (empty: there is only one), where the groups put it [4, 4], and the time
    that it shows, so many frames ago, with those that the groups around it show; and those of them of which only shares are left
    (``Body.fades``)."""

    copy: str
    placed: NDArray[np.float64]
    later: Fraction
    around: tuple[Fraction, ...] = ()
    fades: tuple[tuple[str, float], ...] = ()


#: Where a body stands, and how it is bent, if it bends.
Stood = tuple[Matrix, Bent | None]


def _shape(key: str, posed: Posed) -> str:
    """What a form is named by: where it has the same name it is the same."""
    return "/".join([key, posed.part, posed.bend]).rstrip("/")


class Standing:
    """The elements of a shot that are there, with what they build at a time, to be looked at at any time: a shape whose numbers move keeps
    while the shutter is open."""

    def __init__(
        self, shot: Shot, members: Sequence[tuple[int, Role]], assets: AssetSource, time: Time, camera: str = ""
    ) -> None:
        self.shot, self.members, self.camera, self.assets = shot, members, camera, assets
        self._now = time
        self._numbers = {one.id: number for number, one in enumerate(shot.elements)}
        self._stood: dict[tuple[int, int], dict[str, NDArray[np.float64]]] = {}
        self._order: dict[tuple[int, Fraction], list[str]] = {}
        self._built: dict[tuple[int, Fraction | int], tuple[str, ElementKind, Any]] = {}
        self._skins: dict[int, tuple[str, Skin]] = {}
        for number, _ in members:
            self._built_as(number, Fraction(0))

    def _built_as(self, number: int, later: Fraction) -> tuple[str, ElementKind, Any]:
        """The key of what an element built, its kind and what that is; of a copy what it was so many frames ago."""
        # Zero as a whole number: a fraction's hash is slow, and nearly all are that.
        found = self._built.get((number, later or 0))
        if found is None:
            element = evaluate(self.shot, self._ago(self._now, later)).elements[number]
            key = geometry_key(element)
            with _at_element(number):
                found = key, kinds.get(element.kind), GEOMETRY.built(key, element, self.assets)
                if kinds.get(element.kind).rests_on(element):
                    found = self._built_on(self._rested_on(number), *found)
            self._built[number, later or 0] = found
        return found

    def _rested_on(self, number: int) -> int:
        """The number of the element that one rests on. InputError if there is none, or if that has no surface."""
        element = self.shot.elements[number]
        named = kinds.get(element.kind).rests_on(element)
        found = next((at for at, one in enumerate(self.shot.elements) if one.id == named), -1)
        if found < 0:
            raise InputError("the element that it comes from is not in this shot any more; choose another", "emitter")
        if kinds.get(self.shot.elements[found].kind).rests_on is not on_nothing:
            raise InputError(f"{self.shot.elements[found].name} has no surface; choose another element", "emitter")
        if number in self._needed_by(found):
            name = self.shot.elements[found].name
            raise InputError(f"{name} stands where this puts it; choose an element that stands elsewhere", "emitter")
        return found

    def _needed_by(self, number: int) -> set[int]:
        """The elements without which nobody knows where one stands: those that it stands in, and those that these rest on."""
        numbers = {one.id: at for at, one in enumerate(self.shot.elements)}
        found: set[int] = set()
        waiting = [number]
        while waiting:
            for holder in self.shot.groups_of(self.shot.elements[waiting.pop()]):
                rests = numbers.get(kinds.get(holder.kind).rests_on(holder), -1)
                for one in (numbers[holder.id], rests):
                    if one >= 0 and one not in found:
                        found.add(one)
                        waiting.append(one)
        return found

    def _built_on(self, base: int, key: str, kind: ElementKind, built: Any) -> tuple[str, ElementKind, Any]:
        """What is built on the surface that another element has at the first frame."""
        named, skin = self._skin(base)
        key = f"{key}/on/{named}"
        return key, kind, GEOMETRY.made(key, lambda: kind.build_on(built, skin.triangles))

    def _skin(self, base: int) -> tuple[str, Skin]:
        """The surface of an element at the first frame, and what names it."""
        found = self._skins.get(base)
        if found is None:
            own, poses = self._poses_at(base, self.shot.timing.first)
            whole = hashlib.sha256(repr([(one.part, one.bend, one.matrix) for one in poses]).encode()).hexdigest()
            named = f"{own}/{whole}"
            found = self._skins[base] = named, GEOMETRY.made(f"{named}/skin", lambda: Skin.of(poses))
        return found

    def _poses_at(self, number: int, frame: int) -> tuple[str, Sequence[Posed]]:
        """What an element is posed as at a whole frame, and the key of its geometry."""
        time = time_of(self.shot, frame)
        element = evaluate(self.shot, time).elements[number]
        own = geometry_key(element)
        with _at_element(number):
            return own, kinds.get(element.kind).pose(element, time, GEOMETRY.built(own, element, self.assets))

    def _skin_at(self, base: int, frame: int) -> NDArray[np.float64] | None:
        """The triangles of an element's surface [T, 3, 3] at a whole frame; None: as at the first."""
        time = time_of(self.shot, frame)
        element = evaluate(self.shot, time).elements[base]
        own, (named, skin) = geometry_key(element), self._skin(base)
        if kinds.get(element.kind).pose is as_built and named.startswith(f"{own}/"):
            return None
        name = f"{named} {own} {time} {element.model_dump_json()}"
        return _SKINS.get(name, lambda: skin.at(self._poses_at(base, frame)[1]))

    def _skin_between(self, base: int, frame: Fraction) -> NDArray[np.float64] | None:
        """The same at any time: between whole frames it is between."""
        whole = math.floor(frame)
        share = float(frame - whole)
        before = self._skin_at(base, whole)
        if not share:
            return before
        after = self._skin_at(base, whole + 1)
        if before is None and after is None:
            return None
        first = self._skin(base)[1].triangles
        return (first if before is None else before) * (1 - share) + (first if after is None else after) * share

    def _carried(
        self, base: int, stood: NDArray[np.float64], now: NDArray[np.float64] | None, triangles: NDArray[np.int64]
    ) -> NDArray[np.float64]:
        """Where what comes from triangles [n] of an element's surface begins [n, 4, 4], of an element that stands at a matrix, its surface being
        as it is now."""
        if now is None:
            return np.broadcast_to(stood, (len(triangles), 4, 4))
        return np.asarray(stood @ carrying(self._skin(base)[1].triangles[triangles], now[triangles]))

    def bodies(self, time: Time, textures: Textures, shown: Time | None = None) -> tuple[Body, ...]:
        """Every body at a time; what plays shows what it does at another one, if that is given (its mesh is of that picture)."""
        return tuple(
            body
            for number, role in self.members
            for theres in self._together(number, time)
            for body in self._bodies_of(number, role, time, textures, shown, theres)
        )

    def _bodies_of(
        self,
        number: int,
        role: Role,
        time: Time,
        textures: Textures,
        shown: Time | None,
        theres: Sequence[_There],
    ) -> Iterator[Body]:
        """Those of an element, of copies that show the same time and fade as one."""
        later = theres[0].later
        plain = evaluate(self.shot, self._ago(time, later))
        element, (key, kind, built) = plain.elements[number], self._built_as(number, later)
        worn = kind.wear(element, self._ago(shown or time, later), built)
        rows, numbers = finishes_of(plain, number, textures, worn), tuple(one.number for one in worn)
        fades = theres[0].fades + _faded(element, later)
        for posed, copy, matrix in self._posed(plain, number, self._ago(time, later), theres):
            # What is named like this is the same mesh wherever it stands.
            shape = _shape(key, posed)
            name = "/".join([element.id, *(part for part in (posed.part, copy) if part)])
            wears = range(len(rows)) if posed.wears is None else posed.wears
            own_rows, own_numbers = tuple(rows[one] for one in wears), tuple(numbers[one] for one in wears)
            own = role
            one_sided = role == "shown" and kind.faces(element).one_sided
            if one_sided and seen_from_behind(plain.camera_of(self.camera), matrix):
                # Rays meet it as before.
                own = "unseen"
            with _at_element(number):
                dots = None if posed.dots is None else posed.dots(self.shot.shutter_opens)
            if dots is not None and dots.begun is not None:
                with _at_element(number):
                    dots, matrix = self._off_surface(self._rested_on(number), time, dots, matrix), IN_PLACE
                shape = f"{shape}/{dots.digest}"
            elif dots is not None and dots.ages is not None:
                dots, matrix = self._left_behind(number, time, copy, dots), IN_PLACE
                # Where it stood before is nowhere else in the snapshot.
                shape = f"{shape}/{dots.digest}"
            form = GEOMETRY.form(shape, posed.form) if dots is None else dots.cloud()
            body = Body(name, shape, form, matrix, own_rows, own, worn=own_numbers, dots=dots)
            yield body.faded(fades)

    def matrices(self, time: Time) -> tuple[Matrix, ...]:
        """Where they stand at a time, in the same order."""
        return tuple(matrix for matrix, _ in self.stood(time))

    def stood(self, time: Time) -> tuple[Stood, ...]:
        """Where they stand at a time, and how those are bent that bend, in the same order."""
        return tuple(one for number, _ in self.members for one in self._stood_of(number, time))

    def _stood_of(self, number: int, time: Time) -> Iterator[Stood]:
        for theres in self._together(number, time):
            now, key = self._ago(time, theres[0].later), self._built_as(number, theres[0].later)[0]
            for posed, _, matrix in self._posed(evaluate(self.shot, now), number, now, theres):
                yield matrix, Bent(_shape(key, posed), posed.form) if posed.flexes else None

    def _left_behind(self, number: int, time: Time, copy: str, dots: Dots) -> Dots:
        """Dots of a copy of an element where they came out of it, which may have moved since."""
        oldest = float(dots.ages.max()) if dots.ages is not None and len(dots.ages) else 0.0
        last = math.ceil(time.frame)
        frames = range(math.floor(float(time.frame) - min(oldest, _TRAIL)), last + 1)
        matrices = np.array([self._stood_at(number, frame, copy) for frame in frames])
        if dots.ages is not None:
            # Counted from the last of the frames.
            dots = replace(dots, ages=dots.ages + float(last - time.frame))
        return dots.left_behind(frames, lambda which: matrices[which])

    def _off_surface(self, base: int, time: Time, dots: Dots, matrix: Matrix) -> Dots:
        """Dots that come from the surface of another element."""
        assert dots.begun is not None
        triangles = dots.begun.triangles

        def between(frame: Fraction) -> NDArray[np.float64]:
            return self._carried(
                base, self._stood_between(base, frame, None), self._skin_between(base, frame), triangles
            )

        after, own = between(time.frame + 1), np.array(matrix).reshape(4, 4)
        last = math.ceil(time.frame)
        if dots.ages is None:
            now = between(time.frame)
            return dots.off_surface(range(last, last + 1), lambda _: now, after, own)
        oldest = float(dots.ages.max()) if len(dots.ages) else 0.0
        frames = range(math.floor(float(time.frame) - min(oldest, _TRAIL)), last + 1)

        def stood(which: NDArray[np.int64]) -> NDArray[np.float64]:
            found = np.empty((len(which), 4, 4))
            for one in np.unique(which):
                here, frame = which == one, frames[int(one)]
                matrix = self._stood_at(base, frame, None)
                found[here] = self._carried(base, matrix, self._skin_at(base, frame), triangles[here])
            return found

        dots = replace(dots, ages=dots.ages + float(last - time.frame))
        return dots.off_surface(frames, stood, after, own)

    def _stood_between(self, number: int, frame: Fraction, copy: str | None) -> NDArray[np.float64]:
        """Where a copy of an element stands at a time [4, 4]: between whole frames it stands between."""
        whole = math.floor(frame)
        share = float(frame - whole)
        before = self._stood_at(number, whole, copy)
        if not share:
            return before
        found: NDArray[np.float64] = before * (1 - share) + self._stood_at(number, whole + 1, copy) * share
        return found

    def _stood_at(self, number: int, frame: int, copy: str | None) -> NDArray[np.float64]:
        """Where a copy of an element stands at a whole frame [4, 4]; None: the first."""
        key = number, frame
        if key not in self._stood:
            at = time_of(self.shot, frame)
            stood = self._stood[key] = {}
            for every in self._together(number, at):
                for one in every:
                    plain = evaluate(self.shot, self._ago(at, one.later))
                    stood[one.copy] = self._stands(plain, plain.elements[number], one.placed)
        stood = self._stood[key]
        if copy is None:
            copy = next(iter(stood), "")
        return stood.get(copy, np.eye(4))

    def _in_order(self, number: int, later: Fraction, poses: Sequence[Posed]) -> Sequence[Posed]:
        """Bodies in the order in which they are at the frame: what lies over what may change while the shutter is open."""
        names = [one.part for one in poses]
        order = self._order.setdefault((number, later), names)
        if names == order:
            return poses
        by_name = dict(zip(names, poses, strict=True))
        return [by_name[name] for name in order]

    def _ago(self, time: Time, later: Fraction) -> Time:
        return time_of(self.shot, time.frame - later) if later else time

    def _stands(self, plain: Shot, element: ElementBase, placed: NDArray[np.float64]) -> NDArray[np.float64]:
        """Where an element at rest stands [4, 4] that groups put somewhere, turned to the camera if it is to be."""
        own, stands = element_matrix(element), kinds.get(element.kind).faces(element).stands
        camera, whole = plain.camera_of(self.camera), placed @ own
        if stands == "on the picture":
            whole = picture_plane(set_up(camera, plain.raster)) @ whole
        elif stands != "as placed":
            pivot, upright = np.array(element.pivot_offset), stands == "to the camera, upright"
            whole = turned_to(camera, whole, own[:3, :3], pivot, upright=upright)
        return whole

    def marks(self, number: int) -> tuple[NDArray[np.float64], Sequence[Mark]]:
        """What hands take hold of in an element, at the frame, and where the first of its copies stands [4, 4]."""
        together = self._together(number, self._now)
        if not together:
            # Of what stands in something nothing is there.
            return np.eye(4), ()
        theres = together[0]
        time = self._ago(self._now, theres[0].later)
        plain = evaluate(self.shot, time)
        _, kind, built = self._built_as(number, theres[0].later)
        with _at_element(number):
            found = kind.marks(plain.elements[number], time, built)
        return self._stands(plain, plain.elements[number], theres[0].placed), found

    def _holders(self, number: int) -> list[int]:
        """Numbers of the groups that an element stands in, from the outermost on."""
        found: list[int] = []
        while inside := self.shot.elements[number].inside:
            number = self._numbers[inside]
            found.insert(0, number)
        return found

    def _together(self, number: int, time: Time) -> list[list[_There]]:
        """All copies of an element, those together that show the same time and fade as one, always in the same order."""
        found = [_There("", np.eye(4), Fraction(0))]
        for at in self._holders(number):
            inner = []
            for one in found:
                now = self._ago(time, one.later)
                own = evaluate(self.shot, now).elements[at]
                placed, fades = one.placed @ element_matrix(own), _faded(own, one.later)
                with _at_element(at):
                    copies = self._copies(at, own, now)
                if len(found) * len(copies) > MOST_COPIES:
                    raise InputError(
                        f"{self.shot.elements[number].name} would be there {len(found) * len(copies)} times; up to "
                        f"{MOST_COPIES} are possible",
                        f"elements.{at}",
                    )
                for copied in copies:
                    matrix = placed
                    if copied.left is not None or copied.start is not None:
                        with _at_element(at):
                            matrix = self._came_from(at, now, one.copy, copied, placed)
                    elif copied.matrix != IN_PLACE:
                        matrix = placed @ np.array(copied.matrix).reshape(4, 4)
                    if not copied.there:
                        matrix = matrix @ _VANISHED
                    name = " ".join(part for part in (one.copy, copied.name) if part)
                    later = one.later + copied.later
                    inner.append(_There(name, matrix, later, (*one.around, one.later), one.fades + fades))
            found = inner
        together: dict[tuple[Any, ...], list[_There]] = {}
        for one in found:
            # What fades changes in time, and the order must not.
            together.setdefault((*one.around, one.later), []).append(one)
        return list(together.values())

    def _copies(self, number: int, holder: ElementBase, time: Time) -> Sequence[Copied]:
        """How often and where what stands inside an element at rest is there."""
        kind = kinds.get(holder.kind)
        if not kind.rests_on(holder):
            return _copies(holder, time, self.assets)
        key = geometry_key(holder)
        _, _, built = self._built_on(self._rested_on(number), key, kind, GEOMETRY.built(key, holder, self.assets))
        return kind.copies(holder, time, built)

    def _came_from(
        self, holder: int, time: Time, copy: str, copied: Copied, placed: NDArray[np.float64]
    ) -> NDArray[np.float64]:
        """Where a copy is that was left behind, or comes from the surface of another element [4, 4]."""
        ago = Fraction(min(copied.left or 0.0, float(_TRAIL)))
        way = np.array(copied.matrix).reshape(4, 4)
        if copied.start is None:
            left: NDArray[np.float64] = self._stood_between(holder, time.frame - ago, copy) @ way
            return left
        base, begun = self._rested_on(holder), time.frame - ago
        skin = self._skin_between(base, begun) if copied.triangle >= 0 else None
        stood = self._stood_between(base, begun, None)
        stood = self._carried(base, stood, skin, np.array([copied.triangle]))[0]
        free = placed.copy()
        free[:3, 3] = stood[:3, :3] @ np.array(copied.start) + stood[:3, 3]
        found: NDArray[np.float64] = free @ way
        return found

    def _posed(
        self, plain: Shot, number: int, time: Time, theres: Sequence[_There]
    ) -> Iterator[tuple[Posed, str, Matrix]]:
        """The bodies of an element with the name of the copy and where each stands."""
        element, (_, kind, built) = plain.elements[number], self._built_as(number, theres[0].later)
        with _at_element(number):
            poses = self._in_order(number, theres[0].later, kind.pose(element, time, built))
        for there in theres:
            placed = self._stands(plain, element, there.placed)
            for posed in poses:
                whole = placed if posed.matrix == IN_PLACE else placed @ np.array(posed.matrix).reshape(4, 4)
                yield posed, there.copy, tuple(whole.reshape(-1).tolist())

    def opened(self, frame: int) -> tuple[Time, ...]:
        """Times of the stations while the shutter is open, from its opening to its closing, so close that what stands between two of them
        lies between them; none if it is not open, or if nothing in the shot moves at all."""
        motion, timing = self.shot.motion, self.shot.timing
        own = [(self.shot.elements[number], kinds.get(self.shot.elements[number].kind)) for number, _ in self.members]
        around = [group for element, _ in own for group in self.shot.groups_of(element)]
        turning = [one for one in (*(one for one, _ in own), *around) if one.turn.turns]
        turns = max((abs(element.turn.turns) for element in turning), default=0)
        repeated = any(kinds.get(group.kind).copies is not once for group in around)
        plays = repeated or any(kind.pose is not as_built for _, kind in own)
        moves = moves_at_all(self.shot)
        if not self.shot.shutter_opens or not (turns or plays or moves):
            return ()
        frames = timing.last - timing.first + (1 if timing.cycle else 0)
        degrees = 360 * turns / max(frames, 1) * motion.angle / 360
        # In steps of eight, so that stretches of the shutter begin and end at stations.
        count = min(max(_FEWEST, 8 * math.ceil(degrees / _APART / 8)), _MOST)
        opens, spread = Fraction(str(motion.phase)) / 360, Fraction(str(motion.angle)) / 360
        while True:
            times = tuple(time_of(self.shot, frame + opens + spread * Fraction(at, count)) for at in range(count + 1))
            # How keys and kinds move bodies is their own: it is looked at until what lies between two stations is small.
            if (
                not (plays or moves)
                or count >= _MOST
                or _most_degrees([self.matrices(time) for time in times]) <= _APART
            ):
                return times
            count *= 2


def _most_degrees(stations: Sequence[Sequence[Matrix]]) -> float:
    """Degrees that any body turns from one station to the next, at most."""
    linear = np.array(stations).reshape(len(stations), -1, 4, 4)[..., :3, :3]
    sizes = np.linalg.norm(linear, axis=(-2, -1))
    # Of a rotation by an angle of what has one size in all directions, trace(a^T b) is size^2 (1 + 2 cos) / 3.
    product = np.maximum(sizes[1:] * sizes[:-1], 1e-30)
    cosine = (3 * (linear[1:] * linear[:-1]).sum(axis=(-2, -1)) / product - 1) / 2
    return float(np.degrees(np.arccos(np.clip(cosine, -1, 1))).max(initial=0.0))
