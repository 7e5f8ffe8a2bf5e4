"""Who stands where: the bodies of a shot's elements, at a frame and while the shutter is open."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.document.evaluate import evaluate, time_of
from zeitbild.document.shot import Shot
from zeitbild.elements import ElementBase, ElementKind, kinds
from zeitbild.elements.base import IN_PLACE, AssetSource, Posed, as_built
from zeitbild.errors import InputError
from zeitbild.geometry.transforms import placement
from zeitbild.resolve.geometry_cache import GEOMETRY, geometry_key
from zeitbild.resolve.surfaces import Textures, finishes_of
from zeitbild.snapshot import Body, Matrix, Role
from zeitbild.snapshot.camera import look_at
from zeitbild.timing import Time

#: Degrees that an element turns from station to station at most: what is drawn between two lies 0.02 pixels off at most
#: where the fastest point is 500 pixels from its axis. Stations at least, and at most.
_APART, _FEWEST, _MOST = 1.0, 8, 512


#: How far away what lies on the picture is, in the distance from which on anything is drawn.
_BEFORE_ALL = 100.0


def element_matrix(element: ElementBase) -> NDArray[np.float64]:
    """Where an element at rest (``evaluate``) stands [4, 4]."""
    place, turn = element.placement, element.turn
    return placement(place.position, place.rotation, place.scale, turn.axis, turn.start, element.pivot_offset)


@contextmanager
def _at_element(number: int) -> Iterator[None]:
    """Name the element in what is wrong with it."""
    try:
        yield
    except InputError as error:
        error.field = f"elements.{number}.{error.field}".rstrip(".")
        raise


class Standing:
    """The elements of a shot that are there, with what they build, to be looked at at any time."""

    def __init__(self, shot: Shot, members: Sequence[tuple[int, Role]], assets: AssetSource, camera: str = "") -> None:
        self.shot, self.members, self.camera = shot, members, camera
        self._built: dict[int, tuple[str, ElementKind, Any]] = {}
        for number, _ in members:
            element = shot.elements[number]
            key = geometry_key(element)
            with _at_element(number):
                self._built[number] = key, kinds.get(element.kind), GEOMETRY.built(key, element, assets)

    def bodies(self, time: Time, textures: Textures) -> tuple[Body, ...]:
        """Every body at a time."""
        plain = evaluate(self.shot, time)
        found = []
        for number, role in self.members:
            element, (key, kind, built) = plain.elements[number], self._built[number]
            worn = kind.wear(element, time, built)
            rows, numbers = finishes_of(plain, number, textures, worn), tuple(one.number for one in worn)
            around = reversed(plain.groups_of(element))
            fades = tuple((group.id, group.opacity) for group in around if group.opacity < 1)
            for posed, matrix in self._posed(plain, number, time):
                # What is named like this is the same mesh wherever it stands.
                shape = "/".join([key, posed.part, posed.bend]).rstrip("/")
                name = f"{element.id}/{posed.part}" if posed.part else element.id
                own, most = role, posed.parts or len(rows)
                if role == "shown" and kind.faces(element).one_sided and self._from_behind(plain, matrix):
                    # Rays meet it as before.
                    own = "unseen"
                body = Body(
                    name, shape, GEOMETRY.form(shape, posed.form), matrix, rows[:most], own, worn=numbers[:most]
                )
                found.append(body.faded(fades))
        return tuple(found)

    def matrices(self, time: Time) -> tuple[Matrix, ...]:
        """Where they stand at a time, in the same order."""
        plain = evaluate(self.shot, time)
        return tuple(matrix for number, _ in self.members for _, matrix in self._posed(plain, number, time))

    def _posed(self, plain: Shot, number: int, time: Time) -> list[tuple[Posed, Matrix]]:
        element, (_, kind, built) = plain.elements[number], self._built[number]
        with _at_element(number):
            poses = kind.pose(element, time, built)
        placed, found = element_matrix(element), []
        for group in plain.groups_of(element):
            placed = element_matrix(group) @ placed
        turns = kind.faces(element).turns
        if turns == "picture":
            placed = self.picture_plane(plain) @ placed
        elif turns:
            placed = self._turned_to_camera(plain, element, placed, upright=turns == "upright")
        for posed in poses:
            whole = placed if posed.matrix == IN_PLACE else placed @ np.array(posed.matrix).reshape(4, 4)
            found.append((posed, tuple(float(value) for value in whole.reshape(-1))))
        return found

    def picture_plane(self, plain: Shot) -> NDArray[np.float64]:
        """What takes pixels of the raster from its middle, up and towards the eye, to the set [4, 4], before everything else."""
        own = plain.camera_of(self.camera)
        span = own.span if own.projection == "orthographic" else 0.0
        raster = plain.raster
        camera = look_at(
            own.position, own.look_at, own.horizontal_angle, raster.width, raster.height, roll=own.roll, span=span
        )
        away = _BEFORE_ALL * camera.near
        size = 1 / camera.focal if camera.parallel else away / camera.focal
        right, up, forward = camera.axes
        placed = np.eye(4)
        placed[:3, :3] = np.stack([right, up, -forward], axis=1) * size
        placed[:3, 3] = camera.eye + forward * away
        return placed

    def _towards_camera(self, plain: Shot, at: NDArray[np.float64]) -> NDArray[np.float64]:
        """The way from a place to the camera, or to its plane if it is orthographic [3]."""
        camera = plain.camera_of(self.camera)
        end = np.array(camera.look_at) if camera.projection == "orthographic" else at
        way: NDArray[np.float64] = np.array(camera.position) - end
        return way

    def _from_behind(self, plain: Shot, matrix: Matrix) -> bool:
        """Whether the camera sees the back of something flat that stands like this."""
        placed = np.array(matrix).reshape(4, 4)
        front = np.cross(placed[:3, 0], placed[:3, 1])
        return float(front @ self._towards_camera(plain, placed[:3, 3])) < 0

    def _turned_to_camera(
        self, plain: Shot, element: ElementBase, placed: NDArray[np.float64], *, upright: bool
    ) -> NDArray[np.float64]:
        """The element with its front to the camera, turned as it is about that; as large as it is with its groups."""
        pivot = placed @ [*element.pivot_offset, 1.0]
        way = self._towards_camera(plain, pivot[:3])
        if upright:
            way = way * [1, 0, 1]
        length = float(np.linalg.norm(way))
        if length < 1e-9:
            return placed
        front = way / length
        right = np.cross([0.0, 1.0, 0.0], front)
        if float(np.linalg.norm(right)) < 1e-6:
            # Seen from straight above or below.
            right = np.array([1.0, 0.0, 0.0])
        right /= np.linalg.norm(right)
        own = element_matrix(element)[:3, :3]
        size = abs(float(np.linalg.det(placed[:3, :3]) / (np.linalg.det(own) or 1))) ** (1 / 3)
        turned = np.eye(4)
        turned[:3, :3] = np.stack([right, np.cross(front, right), front], axis=1) @ own * size
        turned[:3, 3] = pivot[:3] - turned[:3, :3] @ np.array(element.pivot_offset)
        return turned

    def stations(self, frame: int) -> tuple[tuple[Matrix, ...], ...]:
        """The bodies' matrices while the shutter is open; nothing if it is not open, or if all of them stand still."""
        motion, timing = self.shot.motion, self.shot.timing
        own = [(self.shot.elements[number], self._built[number][1]) for number, _ in self.members]
        around = [group for element, _ in own for group in self.shot.groups_of(element)]
        turns = max((abs(element.turn.turns) for element in (*(one for one, _ in own), *around)), default=0)
        plays = any(kind.pose is not as_built for _, kind in own)
        if motion.angle == 0 or self.shot.pixels.on or not (turns or plays):
            return ()
        frames = timing.last - timing.first + (1 if timing.cycle else 0)
        degrees = 360 * turns / max(frames, 1) * motion.angle / 360
        # In steps of eight, so that stretches of the shutter begin and end at stations.
        count = min(max(_FEWEST, 8 * math.ceil(degrees / _APART / 8)), _MOST)
        opens, spread = Fraction(str(motion.phase)) / 360, Fraction(str(motion.angle)) / 360
        while True:
            times = [time_of(self.shot, frame + opens + spread * Fraction(at, count)) for at in range(count + 1)]
            found = tuple(self.matrices(time) for time in times)
            # How a kind moves its bodies is its own: it is looked at until what lies between two stations is small.
            if not plays or count >= _MOST or _most_degrees(found) <= _APART:
                return found if any(one != found[0] for one in found) else ()
            count *= 2


def _most_degrees(stations: Sequence[Sequence[Matrix]]) -> float:
    """Degrees that any body turns from one station to the next, at most."""
    linear = np.array(stations).reshape(len(stations), -1, 4, 4)[..., :3, :3]
    sizes = np.linalg.norm(linear, axis=(-2, -1))
    # Of a rotation by an angle of what has one size in all directions, trace(a^T b) is size^2 (1 + 2 cos) / 3.
    product = np.maximum(sizes[1:] * sizes[:-1], 1e-30)
    cosine = (3 * (linear[1:] * linear[:-1]).sum(axis=(-2, -1)) / product - 1) / 2
    return float(np.degrees(np.arccos(np.clip(cosine, -1, 1))).max(initial=0.0))
