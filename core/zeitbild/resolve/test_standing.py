"""Kinds that give several bodies at a time, which move and bend: a lamp on a rod that swings."""

import math
import unittest
from collections.abc import Sequence
from dataclasses import replace
from typing import Any, Literal
from unittest import mock

import numpy as np
from pydantic import Field

from zeitbild.document.shot import Motion, Raster, Shot, Timing
from zeitbild.elements.base import ElementBase, ElementKind, Posed, kinds
from zeitbild.elements.solid import Solid
from zeitbild.finishes import Finish
from zeitbild.geometry.mesh import Mesh
from zeitbild.geometry.solids import ball, rounded_box
from zeitbild.geometry.transforms import placement
from zeitbild.lights.sun import SunLight
from zeitbild.resolve import resolve
from zeitbild.shipped import AssetSource
from zeitbild.snapshot.quality import QUALITIES
from zeitbild.testing import NOWHERE, small_shot
from zeitbild.timing import Time
from zeitbild.values import Placement, Turn


class Pendulum(ElementBase):
    """A rod that swings, and a ball on it that is squeezed at every other frame."""

    kind: Literal["pendulum"] = "pendulum"
    length: float = 100
    surface: Finish = Field(default_factory=Finish)

    def finishes(self) -> Sequence[Finish]:
        return (self.surface,)


def _build(element: Pendulum, assets: AssetSource) -> tuple[Mesh, Mesh]:
    return rounded_box(10, element.length, 10, 0, 1), ball(40, 40, 40, 16)


def _pose(element: Pendulum, time: Time, built: tuple[Mesh, Mesh]) -> Sequence[Posed]:
    rod, bob = built
    swing = 30 * math.sin(2 * math.pi * float(time.phase))
    matrix = placement((0, 0, 0), (0, 0, swing), (1, 1, 1), pivot=(0, 50, 0))
    hung = matrix @ placement((0, -50, 0), (0, 0, 0), (1, 1, 1))
    squeezed = time.frame % 2 == 0
    form = replace(bob, vertices=bob.vertices * (1, 0.5, 1)) if squeezed else bob
    there: list[Any] = [tuple(float(value) for value in one.reshape(-1)) for one in (matrix, hung)]
    return Posed(rod, "rod", matrix=there[0]), Posed(form, "bob", "squeezed" if squeezed else "", there[1])


def _shot(**more: Any) -> Shot:
    turn, place = more.pop("turn", Turn()), more.pop("placement", Placement())
    shot = small_shot(elements=(), raster=Raster(width=160, height=90), timing=Timing(last=8), **more)
    swinging = Pendulum(id="lamp", placement=place, turn=turn)
    return shot.model_copy(update={"elements": (swinging, Solid(id="far", placement=Placement(position=(200, 0, 0))))})


class SeveralBodies(unittest.TestCase):
    def setUp(self) -> None:
        kind = ElementKind("pendulum", "Pendulum", Pendulum, _build, pose=_pose)
        patched = mock.patch.object(kinds, "_kinds", {**kinds._kinds, "pendulum": kind})
        patched.start()
        self.addCleanup(patched.stop)

    def test_bodies_have_names_that_stay(self) -> None:
        for frame in (1, 2, 5):
            snapshot = resolve(_shot(), frame, NOWHERE)
            self.assertEqual([body.id for body in snapshot.bodies], ["lamp/rod", "lamp/bob", "far"])
            self.assertEqual([body.element for body in snapshot.bodies], ["lamp", "lamp", "far"])

    def test_without_motion_only_the_next_frame_is_left_out(self) -> None:
        for frame in (1, 2, 5):
            whole, plain = resolve(_shot(), frame, NOWHERE), resolve(_shot(), frame, NOWHERE, motion=False)
            self.assertTrue(all(body.after for body in whole.bodies))
            self.assertFalse(any(body.after for body in plain.bodies))
            stays = tuple(replace(body, after=()) for body in whole.bodies)
            self.assertEqual(replace(whole, bodies=stays), plain)

    def test_only_what_bends_is_another_mesh(self) -> None:
        one, two, three = (resolve(_shot(), frame, NOWHERE).built(QUALITIES["check"]) for frame in (1, 2, 3))
        self.assertIs(one.bodies[0].form, two.bodies[0].form)
        self.assertIsNot(one.bodies[1].form, two.bodies[1].form)
        self.assertIs(one.bodies[1].form, three.bodies[1].form)
        self.assertEqual([body.shape for body in one.bodies], [body.shape for body in three.bodies])
        self.assertNotEqual(one.bodies[1].shape, two.bodies[1].shape)

    def test_building_is_done_once_however_it_swings(self) -> None:
        built = mock.Mock(side_effect=_build)
        kind = ElementKind("pendulum", "Pendulum", Pendulum, built, pose=_pose)
        shot = _shot()
        shot = shot.model_copy(update={"elements": (shot.elements[0].model_copy(update={"length": 77}),)})
        with mock.patch.object(kinds, "_kinds", {**kinds._kinds, "pendulum": kind}):
            for frame in range(1, 9):
                resolve(shot, frame, NOWHERE)
        self.assertEqual(built.call_count, 1)

    def test_they_stand_where_the_element_is_placed_and_turned(self) -> None:
        placed = _shot(placement=Placement(position=(10, 20, 30), scale=(2, 2, 2)), turn=Turn(start=90))
        own, moved = resolve(_shot(), 3, NOWHERE), resolve(placed, 3, NOWHERE)
        for before, after in zip(own.bodies[:2], moved.bodies[:2], strict=True):
            a, b = (np.array(body.matrix).reshape(4, 4) for body in (before, after))
            point = a @ (1, 2, 3, 1)
            # A quarter turn about y takes x to -z and z to x.
            expected = np.array([2 * point[2] + 10, 2 * point[1] + 20, -2 * point[0] + 30])
            np.testing.assert_allclose((b @ (1, 2, 3, 1))[:3], expected, atol=1e-9)

    def test_a_light_that_touches_the_element_touches_all_its_bodies(self) -> None:
        snapshot = resolve(_shot(lights=(SunLight(touches=("lamp",)),)), 1, NOWHERE)
        self.assertEqual(snapshot.lights[0].touches, ("lamp/rod", "lamp/bob"))

    def test_names_are_the_elements_and_frames_differ(self) -> None:
        snapshot = resolve(_shot(), 1, NOWHERE)
        self.assertEqual([name for name, _, _ in snapshot.names], ["lamp", "far"])
        first, second, third, again = (resolve(_shot(), frame, NOWHERE).bodies for frame in (1, 2, 3, 9))
        self.assertEqual(first, again)
        self.assertTrue(first != second != third != first)
        # It hangs straight at two frames, on its way there and back: only the next frame differs.
        one, back = (resolve(_shot(), frame, NOWHERE) for frame in (1, 5))
        np.testing.assert_allclose(one.bodies[0].matrix, back.bodies[0].matrix, atol=1e-12)
        self.assertGreater(float(np.abs(np.subtract(one.bodies[0].after, back.bodies[0].after)).max()), 1)

    def test_what_swings_without_turning_is_followed_while_the_shutter_is_open(self) -> None:
        shot = _shot(motion=Motion(angle=360))
        stations = resolve(shot, 1, NOWHERE).stations
        # Thirty degrees to each side in eight frames: 21 in the first, in steps of one at most.
        self.assertGreaterEqual(len(stations), 22)
        self.assertEqual({len(station) for station in stations}, {3})
        self.assertEqual({station[2] for station in stations}, {stations[0][2]})
        alone = shot.model_copy(update={"elements": shot.elements[1:]})
        self.assertEqual(resolve(alone, 1, NOWHERE).stations, ())
