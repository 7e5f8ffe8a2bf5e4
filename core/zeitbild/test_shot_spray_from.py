"""What sprays come from: surfaces of other elements that stand, turn and move, and pictures; trails of things that stand in one."""

import io
import math
import tempfile
import unittest
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image
from pydantic import ValidationError

from zeitbild.assets import AssetFolder
from zeitbild.colour import decode
from zeitbild.document.reading import parse_shot, write_shot
from zeitbild.document.shot import Camera, Raster, Shot, Timing
from zeitbild.elements.lettering import Lettering
from zeitbild.elements.puppet import Puppet
from zeitbild.elements.solid import Solid
from zeitbild.elements.spray import Spray
from zeitbild.errors import InputError
from zeitbild.keys import Key, Track
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import resolve
from zeitbild.snapshot.dots import Dots
from zeitbild.testing import NOWHERE
from zeitbild.values import Placement, Turn

_STILL: dict[str, Any] = {"speed": 0, "gravity": (0, 0, 0), "dot_by": 0, "begins": "long before"}


def _shot(*elements: Any, **more: Any) -> Shot:
    fields: dict[str, Any] = {
        "raster": Raster(width=160, height=90),
        "camera": Camera(position=(0, 0, 1000), projection="orthographic", span=320),
        "timing": Timing(rate="25", first=1, last=50, cycle=False),
        "elements": elements,
        **more,
    }
    return Shot(**fields)


def _dots(shot: Shot, frame: int | Fraction = 1, assets: AssetFolder = NOWHERE) -> Dots:
    # Only then is it asked for how they go.
    shot = shot.model_copy(update={"motion": shot.motion.model_copy(update={"angle": 180.0})})
    (dots,) = (body.dots for body in resolve(shot, frame, assets).bodies if body.dots is not None)
    return dots


def _from(element: str, **more: Any) -> Spray:
    return Spray(**{"id": "spray", "comes_from": "the surface of an element", "emitter": element, "rate": 2000, **more})


_BALL = Solid(id="ball", shape="ball", width=100, height=100, depth=100, placement=Placement(position=(40, -20, 10)))


class Surfaces(unittest.TestCase):
    def test_they_lie_evenly_on_the_surface_wherever_it_stands(self) -> None:
        dots = _dots(_shot(_BALL, _from("ball", **_STILL)))
        off = dots.places - (40, -20, 10)
        self.assertGreater(len(off), 2000)
        # Flat triangles lie a little within.
        np.testing.assert_allclose(np.linalg.norm(off, axis=1), 50, atol=0.3)
        # Archimedes' hat-box theorem: every coordinate is even from one end to the other.
        for axis in range(3):
            counts, _ = np.histogram(off[:, axis], bins=10, range=(-50, 50))
            expected = len(off) / 10
            self.assertLess(float(((counts - expected) ** 2 / expected).sum()), 30)

    def test_away_from_it_is_along_its_normals_and_falls_in_the_spray_s_own_space(self) -> None:
        fields = {**_STILL, "speed": 60, "speed_by": 0, "spread": 0, "life": 1, "life_by": 0}
        dots = _dots(_shot(_BALL, _from("ball", **fields)))
        off = dots.places - (40, -20, 10)
        far = np.linalg.norm(off, axis=1)
        self.assertLess(float(far.min()), 53)
        self.assertAlmostEqual(float(far.max()), 110, delta=1)
        np.testing.assert_allclose(np.linalg.norm(dots.ways, axis=1), 60 / 25, rtol=0.01)
        ways = dots.ways / np.linalg.norm(dots.ways, axis=1)[:, None]
        self.assertGreater(float((ways * off).sum(axis=1).min() / far.min()), 0.9)
        # The ball turned over: what falls still falls.
        over = _BALL.model_copy(update={"placement": Placement(position=(40, -20, 10), rotation=(180, 0, 0))})
        fields = {**_STILL, "gravity": (0, -100, 0), "life": 2, "life_by": 0}
        for ball in (_BALL, over):
            places = _dots(_shot(ball, _from("ball", **fields))).places
            self.assertAlmostEqual(float(places[:, 1].min()), -20 - 50 - 200, delta=8)

    def test_streaks_are_drawn_out_along_the_way_that_they_fly(self) -> None:
        fields = {
            **_STILL,
            "speed": 60,
            "speed_by": 0,
            "spread": 0,
            "life": 1,
            "life_by": 0,
            "looks": "streaks",
            "tail": 0.2,
        }
        for aims, drag in (("away from it", 0), ("that way", 0), ("away from it", 3)):
            dots = _dots(_shot(_BALL, _from("ball", aims=aims, drag=drag, **fields)))
            # A fifth of a second back, straight: at 25 a second five times the way of a frame.
            np.testing.assert_allclose(dots.tails, -5 * dots.ways, atol=1e-9)
            self.assertGreater(float(np.linalg.norm(dots.tails, axis=1).min()), 0.3)
        turned = _BALL.model_copy(update={"placement": Placement(rotation=(0, 0, 90), scale=(2, 2, 2))})
        dots = _dots(_shot(turned, _from("ball", **fields)))
        off = dots.places / np.linalg.norm(dots.places, axis=1)[:, None]
        # Away from it, and twice as long on an element of twice the size.
        lengths = np.linalg.norm(dots.tails, axis=1)
        np.testing.assert_allclose(lengths, 24, rtol=0.01)
        self.assertLess(float(((dots.tails * off).sum(axis=1) / lengths).max()), -0.97)

    def test_what_moves_takes_them_along_or_leaves_them_behind(self) -> None:
        moves = {
            "placement.position": Track(
                keys=(Key(frame=1, value=(0, 0, 0), way="straight"), Key(frame=51, value=(500, 0, 0)))
            )
        }
        ball = _BALL.model_copy(update={"placement": Placement(), "moves": moves})
        along = _dots(_shot(ball, _from("ball", **_STILL)), 26)
        self.assertAlmostEqual(float(along.places[:, 0].mean()), 250, delta=3)
        np.testing.assert_allclose(along.ways, np.tile((10.0, 0, 0), (len(along.ways), 1)), atol=1e-6)
        behind = _dots(_shot(ball, _from("ball", **{**_STILL, "stays": "stays behind", "life": 1, "life_by": 0})), 26)
        # Those of the last second, ten units a frame.
        self.assertAlmostEqual(float(behind.places[:, 0].min()), -50, delta=12)
        self.assertAlmostEqual(float(behind.places[:, 0].max()), 300, delta=12)
        self.assertAlmostEqual(float(behind.places[:, 0].mean()), 125, delta=5)
        np.testing.assert_allclose(behind.ways, 0, atol=1e-9)

    def test_words_and_puppets_have_surfaces_hidden_ones_too(self) -> None:
        for element in (
            Lettering(id="it", word="Kap", size=100, shown=False, turn=Turn(turns=1)),
            Puppet(id="it", size=200),
        ):
            dots = _dots(_shot(element, _from("it", **_STILL)), 7)
            self.assertGreater(len(dots.places), 1000)
            self.assertGreater(float(np.ptp(dots.places[:, 1])), 60)

    def test_things_that_stand_in_it_come_from_it_too(self) -> None:
        spray = _from("ball", **{**_STILL, "looks": "what stands in it", "rate": 40, "life": 1, "life_by": 0})
        crumb = Solid(id="crumb", shape="box", width=2, height=2, depth=2, inside="spray")
        snapshot = resolve(_shot(_BALL, spray, crumb), 3, NOWHERE)
        places = np.array(
            [np.array(body.matrix).reshape(4, 4)[:3, 3] for body in snapshot.bodies if body.element == "crumb"]
        )
        size = [
            abs(np.linalg.det(np.array(body.matrix).reshape(4, 4)[:3, :3]))
            for body in snapshot.bodies
            if body.element == "crumb"
        ]
        there = places[np.array(size) > 1e-6]
        self.assertGreater(len(there), 35)
        np.testing.assert_allclose(np.linalg.norm(there - (40, -20, 10), axis=1), 50, atol=0.3)

    def test_what_is_missing_or_has_no_surface_is_told_at_its_field(self) -> None:
        for emitter, others in (("", ()), ("gone", ()), ("other", (Spray(id="other"),))):
            with self.assertRaises(InputError) as caught:
                _dots(_shot(*others, _from(emitter)))
            self.assertEqual(caught.exception.field, f"elements.{len(others)}.emitter")
        with self.assertRaises(ValidationError):
            _from("ball", does="gathers")

    def test_what_stands_in_circles_is_told(self) -> None:
        def crumb(name: str, inside: str) -> Solid:
            return Solid(id=name, shape="box", width=2, height=2, depth=2, inside=inside)

        looks = {"looks": "what stands in it", "rate": 3}
        own = _from("crumb", **looks)
        first, second = _from("two", **looks), _from("one", id="other", **looks)
        for elements in (
            (own, crumb("crumb", "spray")),
            (_from("crumb"), crumb("crumb", "spray")),
            (first, crumb("one", "spray"), second, crumb("two", "other")),
        ):
            with self.assertRaises(InputError) as caught:
                resolve(_shot(*elements), 3, NOWHERE)
            self.assertIn("stands where this puts it", caught.exception.message)

    def test_it_is_the_same_alone_or_in_order_and_written_as_read(self) -> None:
        shot = _shot(_BALL, _from("ball", stays="stays behind"))
        one = _dots(shot, 20).places
        for frame in range(15, 21):
            last = _dots(shot, frame).places
        np.testing.assert_array_equal(one, last)
        self.assertEqual(parse_shot(write_shot(shot)), shot)


class Trails(unittest.TestCase):
    def test_things_that_stand_in_a_spray_that_moves_stay_where_they_came_out(self) -> None:
        moves = {
            "placement.position": Track(
                keys=(Key(frame=1, value=(0, 0, 0), way="straight"), Key(frame=51, value=(500, 0, 0)))
            )
        }
        fields = {
            **_STILL,
            "looks": "what stands in it",
            "rate": 25,
            "life": 1,
            "life_by": 0,
            "dot_by": 0,
            "moves": moves,
        }
        crumb = Solid(id="crumb", shape="box", width=2, height=2, depth=2, inside="spray")
        for stays, ends in (("goes along", (250, 250)), ("stays behind", (0, 250))):
            spray = Spray(id="spray", stays=stays, **fields)
            snapshot = resolve(_shot(spray, crumb), 26, NOWHERE)
            matrices = [np.array(body.matrix).reshape(4, 4) for body in snapshot.bodies if body.element == "crumb"]
            x = [one[0, 3] for one in matrices if abs(np.linalg.det(one[:3, :3])) > 1e-6]
            self.assertGreater(len(x), 20)
            self.assertAlmostEqual(min(x), ends[0], delta=12)
            self.assertAlmostEqual(max(x), ends[1], delta=12)
        # Blurred: what stays behind does not move while the shutter is open.
        self.assertTrue(math.isfinite(sum(x)))


class Pictures(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.assets = AssetFolder(Path(folder.name))

    def _asset(self, pixels: np.ndarray[Any, Any]) -> str:
        file = io.BytesIO()
        Image.fromarray(pixels).save(file, "PNG")
        return "asset:" + self.assets.add(file.getvalue())

    def test_they_come_from_what_is_there_of_it_in_its_colours(self) -> None:
        pixels = np.zeros((40, 80, 4), np.uint8)
        pixels[:, :20] = (200, 30, 20, 255)
        pixels[:20, 60:] = (20, 60, 220, 128)
        name = self._asset(pixels)
        for does in ("comes out and flies", "gathers"):
            fields = {**_STILL, "comes_from": "a picture", "into": "a picture", "picture": name, "drawing_size": 160}
            spray = Spray(id="spray", does=does, colours_are="those of the picture", rate=3000, count=4000, **fields)
            dots = _dots(_shot(spray), 49, self.assets)
            x, y = dots.places[:, 0], dots.places[:, 1]
            left, right = x < -40 + 1e-6, (x > 40 - 1e-6) & (y > -1e-6)
            self.assertTrue((left | right).all())
            # Twice the area, twice as much of it there: four to one.
            self.assertAlmostEqual(float(left.mean()), 0.8, delta=0.02)
            np.testing.assert_allclose(
                dots.colours[left], np.tile(decode(np.array((200, 30, 20)) / 255), (left.sum(), 1)), atol=0.01
            )
            np.testing.assert_allclose(
                dots.colours[right], np.tile(decode(np.array((20, 60, 220)) / 255), (right.sum(), 1)), atol=0.02
            )

    def test_an_empty_picture_is_told_and_shipped_ones_are_there(self) -> None:
        empty = self._asset(np.zeros((4, 4, 4), np.uint8))
        with self.assertRaises(InputError) as caught:
            _dots(_shot(Spray(id="spray", comes_from="a picture", picture=empty)), 1, self.assets)
        self.assertEqual(caught.exception.field, "elements.0.picture")
        shot = _shot(Spray(id="spray", comes_from="a picture", colours_are="those of the picture", picture="lamp"))
        self.assertGreater(float(render(resolve(shot, 5, NOWHERE), QUALITIES["check"]).beauty.max()), 0.1)


if __name__ == "__main__":
    unittest.main()
