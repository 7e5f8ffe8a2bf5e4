"""Repeats: where copies stand, by geometry; what is repeated against the same elements placed by hand."""

import math
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import stats

from zeitbild.assets import AssetFolder
from zeitbild.document.shot import Camera, Motion, Raster, Shot, Timing
from zeitbild.elements.card import Card
from zeitbild.elements.group import Group
from zeitbild.elements.repeat import Repeat
from zeitbild.elements.solid import Solid
from zeitbild.errors import InputError
from zeitbild.keys import Key, Track
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import resolve
from zeitbild.resolve.hands import lie_on
from zeitbild.seeded import _mixed, around, shares
from zeitbild.testing import NOWHERE, small_shot

_CIRCLE = b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><circle cx="50" cy="50" r="40"/></svg>'


def _shot(*elements: Any, **more: Any) -> Shot:
    return small_shot(elements=elements, timing=Timing(last=48, cycle=False), **more)


def _ball(**more: Any) -> Solid:
    return Solid(**{"id": "ball", "shape": "ball", "inside": "many", "width": 40, **more})


def _places(shot: Shot, frame: int = 1) -> NDArray[np.float64]:
    return np.array([body.matrix for body in resolve(shot, frame, NOWHERE).bodies]).reshape(-1, 4, 4)


class Copies(unittest.TestCase):
    def test_a_row_stands_evenly_about_its_middle_or_from_its_first(self) -> None:
        for begins, first in (("about the middle", -100.0), ("at the first", 0.0)):
            row = Repeat(id="many", count=5, apart=(50, 10, 0), begins=begins)
            places = _places(_shot(row, _ball()))[:, :3, 3]
            np.testing.assert_allclose(places[:, 0], first + 50 * np.arange(5), atol=1e-9)
            np.testing.assert_allclose(places[:, 1], first / 5 + 10 * np.arange(5), atol=1e-9)

    def test_a_grid_goes_right_up_and_to_the_front(self) -> None:
        grid = Repeat(
            id="many", stands="in a grid", columns=3, rows=2, ranks=2, apart=(10, 20, 30), begins="at the first"
        )
        places = _places(_shot(grid, _ball()))[:, :3, 3]
        wanted = [(10 * x, 20 * y, 30 * z) for z in range(2) for y in range(2) for x in range(3)]
        np.testing.assert_allclose(places, wanted, atol=1e-9)

    def test_a_ring_lies_on_its_circle_and_each_looks_outwards(self) -> None:
        for lies, up in (("flat", 1), ("upright", 2)):
            ring = Repeat(id="many", stands="in a ring", count=7, radius=90, lies=lies, first_at=20)
            matrices = _places(_shot(ring, _ball()))
            places = matrices[:, :3, 3]
            np.testing.assert_allclose(np.linalg.norm(places, axis=1), 90, rtol=1e-12)
            np.testing.assert_allclose(places[:, up], 0, atol=1e-9)
            between = (places * np.roll(places, -1, axis=0)).sum(axis=1) / 90**2
            np.testing.assert_allclose(between, math.cos(2 * math.pi / 7), rtol=1e-9)
            # What points outwards at first, to the front or up, does so everywhere.
            outwards = matrices[:, :3, 2 if lies == "flat" else 1]
            np.testing.assert_allclose(outwards, places / 90, atol=1e-9)
            np.testing.assert_allclose(np.linalg.det(matrices[:, :3, :3]), 1, rtol=1e-9)

    def test_an_arc_ends_with_its_last_and_all_round_meets_none_twice(self) -> None:
        arc = Repeat(id="many", stands="in a ring", count=4, sweep=90, radius=10)
        ends = _places(_shot(arc, _ball()))[[0, -1], :3, 3]
        np.testing.assert_allclose(ends, [[0, 0, 10], [10, 0, 0]], atol=1e-9)
        round_ = Repeat(id="many", stands="in a ring", count=4, sweep=-720, radius=10)
        self.assertEqual(len({tuple(np.round(one, 6)) for one in _places(_shot(round_, _ball()))[:, :3, 3]}), 2)

    def test_along_a_circle_copies_are_as_far_apart_as_an_arc_says(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            assets = AssetFolder(Path(folder))
            key = assets.add(_CIRCLE)
            line = Repeat(id="many", stands="along a line", count=9, drawing=f"asset:{key}", length=200)
            shot = _shot(line, _ball())
            found = np.array([body.matrix for body in resolve(shot, 1, assets).bodies]).reshape(-1, 4, 4)
            places = found[:, :3, 3]
            np.testing.assert_allclose(np.linalg.norm(places, axis=1), 100, rtol=1e-4)
            chords = np.linalg.norm(places - np.roll(places, -1, axis=0), axis=1)
            np.testing.assert_allclose(chords, 200 * math.sin(math.pi / 9), rtol=1e-3)
            # Their x goes along: across the radius.
            np.testing.assert_allclose((found[:, :3, 0] * places).sum(axis=1) / 100, 0, atol=0.02)
            lost = shot.model_copy(update={"elements": (line.model_copy(update={"line": 2}), _ball())})
            with self.assertRaises(InputError) as caught:
                resolve(lost, 1, assets)
            self.assertEqual(caught.exception.field, "elements.0.line")

    def test_each_does_later_what_the_first_does(self) -> None:
        rises = Track(keys=(Key(frame=1, value=(0, 0, 0)), Key(frame=20, value=(0, 60, 0))))
        row = Repeat(id="many", count=4, later=3, apart=(50, 0, 0), begins="at the first")
        shot = _shot(row, _ball(moves={"placement.position": rises}))
        for frame in (1, 8, 30):
            heights = _places(shot, frame)[:, 1, 3]
            for number in range(4):
                self.assertAlmostEqual(heights[number], _places(shot, frame - 3 * number)[0, 1, 3], 9)

    def test_what_changes_its_form_is_what_it_was(self) -> None:
        grows = Track(keys=(Key(frame=1, value=20), Key(frame=20, value=60)))
        row = Repeat(id="many", count=2, later=5)
        shot = _shot(row, _ball(moves={"width": grows}))
        bodies = resolve(shot, 12, NOWHERE).bodies
        self.assertEqual(bodies[1].shape, resolve(shot, 7, NOWHERE).bodies[0].shape)
        self.assertNotEqual(bodies[1].shape, bodies[0].shape)

    def test_repeats_in_repeats_multiply_and_too_many_are_refused_where_they_are_asked_for(self) -> None:
        outer, inner = Repeat(id="outer", count=3), Repeat(id="many", count=4, inside="outer")
        bodies = resolve(_shot(outer, inner, _ball()), 1, NOWHERE).bodies
        self.assertEqual(len({body.id for body in bodies}), 12)
        self.assertEqual({body.element for body in bodies}, {"ball"})
        outer, inner = Repeat(id="outer", count=1000), Repeat(id="many", count=1000, inside="outer")
        with self.assertRaises(InputError) as caught:
            resolve(_shot(outer, inner, _ball()), 1, NOWHERE)
        self.assertTrue(caught.exception.field.startswith("elements.1"))
        with self.assertRaises(InputError):
            resolve(_shot(Repeat(id="many", stands="in a grid", columns=50, rows=50), _ball()), 1, NOWHERE)

    def test_variation_follows_its_law_and_its_seed(self) -> None:
        row = Repeat(id="many", count=1000, apart=(0, 0, 0), place_by=(10, 0, 4), size_by=0.5, seed=3)
        matrices = _places(_shot(row, _ball(shape="box")))
        across = matrices[:, 0, 3]
        # Kolmogorov and Smirnov: of an even spread it is told only once in a thousand that it is none.
        self.assertGreater(stats.kstest(across, stats.uniform(-10, 20).cdf).pvalue, 1e-3)
        sizes = np.cbrt(np.linalg.det(matrices[:, :3, :3]))
        self.assertGreater(stats.kstest(sizes, stats.uniform(0.5, 1).cdf).pvalue, 1e-3)
        self.assertLess(abs(np.corrcoef(across, sizes)[0, 1]), 0.1)
        self.assertEqual(np.abs(matrices[:, 1, 3]).max(), 0)
        other = _places(_shot(row.model_copy(update={"seed": 4}), _ball(shape="box")))
        self.assertLess(abs(np.corrcoef(across, other[:, 0, 3])[0, 1]), 0.1)
        # The first ones are the same however many follow.
        few = _places(_shot(row.model_copy(update={"count": 5}), _ball(shape="box")))
        np.testing.assert_array_equal(few[:, :3, 3], matrices[:5, :3, 3])

    def test_hands_take_hold_of_all_and_move_it_where_the_first_stands(self) -> None:
        ring = Repeat(id="many", stands="in a ring", count=4, radius=100, lies="upright", first_at=90, faces="along")
        shot = _shot(ring, _ball(), raster=Raster(width=320, height=180))
        lies = {one.element: one for one in lie_on(shot, 1, NOWHERE)}
        box = lies["ball"].box
        assert box is not None and lies["many"].box is not None
        self.assertGreater(box[2] - box[0], 2 * (lies["many"].pivot[0] - box[0]) - 2)
        # The first stands to the right, turned by a quarter: what goes to the right there is its own upwards.
        across = np.array(lies["ball"].across)
        self.assertGreater(across[1], 0)
        self.assertAlmostEqual(across[0], 0, 6)


class SamePicture(unittest.TestCase):
    def test_repeated_and_placed_by_hand_are_one_picture(self) -> None:
        row = Repeat(id="many", count=3, apart=(60, 25, -40), begins="at the first", turned=(0, 20, 0))
        placed = [
            _ball(
                id=f"ball-{at}",
                shape="box",
                inside="",
                placement={"position": (60 * at, 25 * at, -40 * at), "rotation": (0, 20 * at, 0)},
            )
            for at in range(3)
        ]
        camera = Camera(position=(100, 120, 500), look_at=(60, 20, 0))
        for more in ({}, {"motion": Motion(angle=180)}):
            one = render(resolve(_shot(row, _ball(shape="box"), camera=camera, **more), 2, NOWHERE), QUALITIES["check"])
            other = render(resolve(_shot(*placed, camera=camera, **more), 2, NOWHERE), QUALITIES["check"])
            np.testing.assert_allclose(one.beauty, other.beauty, atol=2e-6)
            self.assertGreater(one.beauty[..., 3].max(), 0.9)

    def test_what_turns_with_its_repeat_is_blurred(self) -> None:
        turns = Track(keys=(Key(frame=1, value=0, way="straight"), Key(frame=11, value=400)))
        ring = Repeat(id="many", stands="in a ring", count=5, radius=120, lies="upright", moves={"first_at": turns})
        still = render(resolve(_shot(ring, _ball()), 5, NOWHERE), QUALITIES["check"]).beauty[..., 3]
        moving = _shot(ring, _ball(), motion=Motion(angle=360))
        blurred = render(resolve(moving, 5, NOWHERE), QUALITIES["check"]).beauty[..., 3]
        self.assertAlmostEqual(float(blurred.sum() / still.sum()), 1, delta=0.02)
        self.assertGreater((blurred > 0.01).sum(), 1.5 * (still > 0.01).sum())

    def test_copies_at_other_times_fade_each_by_itself(self) -> None:
        fades = Track(keys=(Key(frame=1, value=1, way="straight"), Key(frame=11, value=0)))
        row = Repeat(id="many", count=3, later=5, apart=(60, 0, 0))
        card = Card(id="ball", inside="many", width=50, moves={"opacity": fades})
        picture = render(resolve(_shot(row, card), 6, NOWHERE), QUALITIES["check"]).beauty[..., 3]
        seen = {round(float(one), 2) for one in picture[27, ::1] if one > 0}
        self.assertIn(0.5, seen)
        self.assertIn(1.0, seen)

    def test_a_repeat_that_fades_is_one_whatever_its_copies_do(self) -> None:
        fades = Track(keys=(Key(frame=1, value=1, way="straight"), Key(frame=11, value=0)))
        row = Repeat(id="many", count=3, later=5, apart=(20, 0, 0), moves={"opacity": fades})
        bodies = resolve(_shot(row, _ball()), 6, NOWHERE).bodies
        self.assertEqual({body.fades for body in bodies}, {(("many", 0.5),)})
        outer = Repeat(id="outer", count=2, later=4)
        bodies = resolve(_shot(outer, row.model_copy(update={"inside": "outer"}), _ball()), 6, NOWHERE).bodies
        self.assertEqual({body.fades for body in bodies}, {(("many", 0.5),), (("many 4", 0.9),)})


class Seeds(unittest.TestCase):
    def test_numbers_are_those_of_the_published_generator(self) -> None:
        # splitmix64 from the state 1234567: the first values that its published test vector gives.
        state, found = 1234567, []
        for _ in range(3):
            state = (state + 0x9E3779B97F4A7C15) % 2**64
            mixed = state
            mixed = (mixed ^ (mixed >> 30)) * 0xBF58476D1CE4E5B9 % 2**64
            mixed = (mixed ^ (mixed >> 27)) * 0x94D049BB133111EB % 2**64
            found.append(mixed ^ (mixed >> 31))
        self.assertEqual(found, [6457827717110365317, 3203168211198807973, 9817491932198370423])
        # Ours are the same steps from a state that seed and stream make.
        with np.errstate(over="ignore"):
            own = _mixed(np.array([(1234567 + k * 0x9E3779B97F4A7C15) % 2**64 for k in (1, 2, 3)], np.uint64))
        self.assertEqual([int(one) for one in own], found)

    def test_they_are_even_and_apart_from_each_other(self) -> None:
        numbers = np.arange(20_000)
        first, second = shares(1, 0, numbers), shares(1, 1, numbers)
        for one in (first, second, shares(2**63, 5, numbers), shares(0, 0, -numbers)):
            self.assertGreater(stats.kstest(one, "uniform").pvalue, 1e-3)
        self.assertLess(abs(np.corrcoef(first, second)[0, 1]), 0.03)
        self.assertLess(abs(np.corrcoef(first[1:], first[:-1])[0, 1]), 0.03)
        self.assertTrue((np.abs(around(1, 0, numbers)) <= 1).all())
        self.assertEqual(float(shares(7, 3, 11)), float(shares(7, 3, np.arange(20))[11]))


class Groups(unittest.TestCase):
    def test_a_group_is_there_once(self) -> None:
        group = Group(id="many", placement={"position": (5, 6, 7)})
        (body,) = resolve(_shot(group, _ball()), 1, NOWHERE).bodies
        self.assertEqual(body.id, "ball")
        self.assertEqual(body.matrix[3::4][:3], (5.0, 6.0, 7.0))
