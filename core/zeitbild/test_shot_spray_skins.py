"""Sprays from surfaces that play, bend and grow: every dot lies where the surface is, or was when it came out; measured by points sampled on
the meshes themselves (trimesh) and a tree of neighbours (scipy)."""

import unittest
from fractions import Fraction
from typing import Any

import numpy as np
import trimesh
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from zeitbild.elements.model import ModelElement, PlacedClip
from zeitbild.elements.puppet import Limb, Puppet
from zeitbild.elements.solid import Solid
from zeitbild.elements.spray import Spray
from zeitbild.geometry.transforms import put
from zeitbild.keys import Key, Track
from zeitbild.masters import frame_key
from zeitbild.resolve import resolve
from zeitbild.resolve.shedding import carrying
from zeitbild.test_shot_spray_from import _STILL, _dots, _from, _shot
from zeitbild.testing import NOWHERE
from zeitbild.values import Placement


def _to(first: Any, last: Any, frame: int = 50) -> Track:
    return Track(keys=(Key(frame=1, value=first, way="straight"), Key(frame=frame, value=last)))


_FIGURE = ModelElement(
    id="it", model="puffin", clips=(PlacedClip(clip="waddle"), PlacedClip(clip="flap", start=5, way="on the spot"))
)
_PUPPET = Puppet(
    id="it",
    size=200,
    limbs={"wing": Limb(turn=10)},
    moves={"limbs.wing.turn": _to(-40, 90), "limbs.wing.bend": _to(0, 120)},
)
_GROWING = Solid(id="it", shape="ball", width=100, height=100, depth=100, moves={"width": _to(100, 250)})


def _surface(element: Any, frame: Any) -> NDArray[np.float64]:
    """Triangles of an element at a frame, as they are drawn."""
    bodies = resolve(_shot(element), frame, NOWHERE).bodies
    meshes = [(np.array(one.matrix).reshape(4, 4), one.form.at(one.form.radius / 2000)) for one in bodies]
    return np.concatenate([put(matrix, mesh.vertices)[mesh.triangles] for matrix, mesh in meshes])


def _away(places: NDArray[np.float64], triangles: NDArray[np.float64], points_on_it: int = 200_000) -> float:
    """How far places are from a surface in the mean, as near as so many points on it tell."""
    mesh = trimesh.Trimesh(triangles.reshape(-1, 3), np.arange(3 * len(triangles)).reshape(-1, 3), process=False)
    points, _ = trimesh.sample.sample_surface(mesh, points_on_it, seed=1)
    return float(cKDTree(points).query(places)[0].mean())


class Along(unittest.TestCase):
    def test_they_lie_on_it_at_every_frame(self) -> None:
        for element in (_FIGURE, _PUPPET, _GROWING):
            for frame in (1, 23, Fraction(75, 2)):
                with self.subTest(kind=element.kind, frame=frame):
                    dots = _dots(_shot(element, _from("it", **_STILL)), frame)
                    self.assertGreater(len(dots.places), 2000)
                    self.assertLess(_away(dots.places, _surface(element, frame)), 0.8)

    def test_as_the_first_frame_has_it_they_would_not(self) -> None:
        for element in (_FIGURE, _GROWING):
            dots = _dots(_shot(element, _from("it", **_STILL)), 23)
            self.assertGreater(_away(dots.places, _surface(element, 1)), 4)

    def test_their_ways_lead_to_where_they_are_a_frame_later(self) -> None:
        fields = {**_STILL, "rate": 50, "life": 60, "life_by": 0, "begins": "at a frame"}
        for element in (_FIGURE, _PUPPET, _GROWING):
            shot = _shot(element, _from("it", **fields))
            now, later = _dots(shot, 30), _dots(shot, 31)
            count = len(now.places)
            self.assertGreater(count, 50)
            np.testing.assert_allclose((now.places + now.ways), later.places[:count], atol=1e-6)
            self.assertGreater(float(np.linalg.norm(now.ways, axis=1).max()), 0.5)

    def test_what_stays_behind_is_where_the_surface_was(self) -> None:
        fields = {**_STILL, "stays": "stays behind", "life": 0.4, "life_by": 0, "rate": 1000}
        for element in (_FIGURE, _GROWING):
            with self.subTest(kind=element.kind):
                dots = _dots(_shot(element, _from("it", **fields)), 40)
                # Of the ten frames before.
                trail = np.concatenate([_surface(element, frame) for frame in range(30, 41)])
                near = _away(dots.places, trail, 1_500_000)
                self.assertLess(near, 0.8)
                self.assertGreater(_away(dots.places, _surface(element, 40)), 2 * near)

    def test_things_that_stand_in_it_begin_there_too(self) -> None:
        spray = _from("it", **{**_STILL, "looks": "what stands in it", "rate": 40, "life": 1, "life_by": 0})
        crumb = Solid(id="crumb", shape="box", width=2, height=2, depth=2, inside="spray")
        for element in (_FIGURE, _GROWING):
            bodies = resolve(_shot(element, spray, crumb), 23, NOWHERE).bodies
            matrices = [np.array(one.matrix).reshape(4, 4) for one in bodies if one.element == "crumb"]
            # Those that are not there yet are as small as nothing.
            places = np.array([one[:3, 3] for one in matrices if np.linalg.det(one[:3, :3]) > 1e-3])
            self.assertGreater(len(places), 20)
            self.assertLess(_away(places, _surface(element, 23)), 0.8)


class Carried(unittest.TestCase):
    def test_turned_and_sized_triangles_carry_all_of_space(self) -> None:
        random = np.random.default_rng(4)
        first = random.normal(size=(40, 3, 3))
        turn, _ = np.linalg.qr(random.normal(size=(3, 3)))
        turn *= np.sign(np.linalg.det(turn))
        found = carrying(first, 1.7 * first @ turn.T + (3, -4, 5))
        expected = np.eye(4)
        expected[:3, :3], expected[:3, 3] = 1.7 * turn, (3, -4, 5)
        np.testing.assert_allclose(found, np.broadcast_to(expected, found.shape), atol=1e-9)
        # Corners come to corners, whatever becomes of a triangle; one that becomes a line still does.
        other = random.normal(size=(40, 3, 3))
        other[0, 2] = other[0, 1]
        placed = np.einsum("nij,nkj->nki", carrying(first, other), np.concatenate([first, np.ones((40, 3, 1))], axis=2))
        np.testing.assert_allclose(placed[..., :3], other, atol=1e-9)


class Keys(unittest.TestCase):
    """What a dot depends on is in the key of its frame, though it was long ago: no picture of other dots is taken for it."""

    @staticmethod
    def _way(middle: float) -> dict[str, Track]:
        at = ((1, 0.0), (10, middle), (20, 100.0))
        return {
            "placement.position": Track(keys=tuple(Key(frame=one, value=(x, 0, 0), way="straight") for one, x in at))
        }

    def _keys(self, *shots: Any) -> list[str]:
        return [frame_key(resolve(shot, 22, NOWHERE), "check") for shot in shots]

    def test_where_a_spray_was(self) -> None:
        spray = Spray(id="s", stays="stays behind", life=1, rate=200)
        one, same, other = self._keys(*(_shot(spray.model_copy(update={"moves": self._way(x)})) for x in (10, 10, 90)))
        self.assertEqual(one, same)
        self.assertNotEqual(one, other)

    def test_where_a_hidden_surface_is_and_was(self) -> None:
        ball = Solid(id="it", shape="ball", width=100, shown=False)
        behind = _from("it", **{**_STILL, "stays": "stays behind", "life": 1, "life_by": 0})
        was = [_shot(ball.model_copy(update={"moves": self._way(x)}), behind) for x in (10, 90)]
        self.assertEqual(len(set(self._keys(*was))), 2)
        along = _from("it", **_STILL)
        stands = [_shot(ball.model_copy(update={"placement": Placement(position=(x, 0, 0))}), along) for x in (0, 50)]
        self.assertEqual(len(set(self._keys(*stands))), 2)

    def test_how_a_hidden_figure_plays(self) -> None:
        figures = [_FIGURE.model_copy(update={"shown": False, "clips": _FIGURE.clips[:count]}) for count in (1, 2)]
        self.assertEqual(len(set(self._keys(*(_shot(one, _from("it", **_STILL)) for one in figures)))), 2)
