"""Penwork in pictures: finished it is the word as a title has it; it grows, is taken off, and its pen is at its tip."""

import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError

from zeitbild.assets import AssetFolder
from zeitbild.document.reading import parse_shot, write_shot
from zeitbild.document.shot import Camera, Motion, Raster, Shot, Timing
from zeitbild.elements.penwork import DrawnStroke, Penwork, found_strokes
from zeitbild.elements.solid import Solid
from zeitbild.elements.title import TitleElement
from zeitbild.errors import InputError
from zeitbild.finishes import Finish
from zeitbild.keys import Key, Track
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import resolve
from zeitbild.testing import NOWHERE

_INK = Finish(shading="unlit", base_colour="#ffffff")


def _shot(*elements: Any, **more: Any) -> Shot:
    fields: dict[str, Any] = {
        "raster": Raster(width=320, height=120),
        "camera": Camera(position=(0, 0, 1000), projection="orthographic", span=320),
        "timing": Timing(rate="24", last=60, cycle=False),
        "elements": elements,
        **more,
    }
    return Shot(**fields)


def _alpha(shot: Shot, frame: int, quality: str = "check", assets: AssetFolder = NOWHERE) -> NDArray[np.float32]:
    alpha: NDArray[np.float32] = render(resolve(shot, frame, assets), QUALITIES[quality]).beauty[..., 3]
    return alpha


def _word(**more: Any) -> Penwork:
    return Penwork(**{"id": "ink", "word": "Hafen", "letters": 80, "first": 1, "frames": 40, "ink": _INK, **more})


class Words(unittest.TestCase):
    def test_finished_it_is_the_word(self) -> None:
        for font in ("dancing-script", "eb-garamond", "league-spartan"):
            own = _alpha(_shot(_word(font=font)), 41, "final")
            title = TitleElement(id="ink", word="Hafen", size=80, font=font, fill=_INK)
            want = _alpha(_shot(title), 41, "final")
            self.assertLess(float(np.abs(own - want).max()) * 255, 8, font)

    def test_it_grows_from_nothing_and_never_loses_ink(self) -> None:
        shot = _shot(_word())
        self.assertEqual(float(_alpha(shot, 0).sum()), 0)
        before = np.zeros((120, 320), np.float32)
        areas = []
        for frame in range(2, 42, 3):
            now = _alpha(shot, frame)
            self.assertLess(float((before - now).max()), 0.15, frame)
            areas.append(float(now.sum()))
            before = now
        self.assertTrue((np.diff(areas) > -1).all())
        self.assertGreater(areas[7], 0.25 * areas[-1])
        self.assertLess(areas[5], 0.8 * areas[-1])

    def test_left_comes_before_right(self) -> None:
        half = _alpha(_shot(_word()), 16)
        whole = _alpha(_shot(_word()), 41)
        share = half.sum(axis=0) / np.maximum(whole.sum(axis=0), 1e-6)
        there = whole.sum(axis=0) > 1
        columns = np.flatnonzero(there)
        left, right = columns[: len(columns) // 4], columns[-len(columns) // 4 :]
        # Crossings at the left come after the word.
        self.assertGreater(float(share[left].mean()), 0.75)
        self.assertLess(float(share[right].mean()), 0.1)

    def test_it_is_taken_off_or_goes_back(self) -> None:
        whole = float(_alpha(_shot(_word()), 41).sum())
        for then in ("is taken off as it came", "goes back"):
            shot = _shot(_word(then=then, off_at=45, off_in=10))
            self.assertAlmostEqual(float(_alpha(shot, 44).sum()), whole, delta=1)
            middle = _alpha(shot, 50)
            self.assertLess(float(middle.sum()), 0.8 * whole)
            left_over = middle[:, :120].sum() > middle[:, 200:].sum()
            self.assertEqual(bool(left_over), then == "goes back")
            self.assertEqual(float(_alpha(shot, 54).sum()), 0)

    def test_keys_write_it_too(self) -> None:
        writes = Track(keys=(Key(frame=0, value=0, way="straight"), Key(frame=40, value=1)))
        keyed = _shot(_word(goes="as keyed", moves={"written": writes}))
        for frame in (11, 25, 41):
            np.testing.assert_allclose(_alpha(keyed, frame), _alpha(_shot(_word()), frame), atol=1e-6)

    def test_any_frame_alone_and_letters_are_found_once_for_all_sizes(self) -> None:
        shot = _shot(_word())
        for frame in (9, 17):
            _alpha(shot, frame)
        alone = _alpha(_shot(_word()), 17)
        np.testing.assert_array_equal(_alpha(shot, 17), alone)
        small, _ = found_strokes(_word(letters=40), NOWHERE)
        large, _ = found_strokes(_word(letters=80), NOWHERE)
        for one, other in zip(small, large, strict=True):
            np.testing.assert_allclose(one.points * 2, other.points, atol=1e-9)

    def test_strokes_can_be_ordered_turned_and_left_out(self) -> None:
        found, _ = found_strokes(_word(), NOWHERE)
        last = 1 + max(range(len(found)), key=lambda at: float(found[at].points[:, 0].mean()))
        first_of_all = _alpha(_shot(_word(order=(last,), frames=40)), 3)
        self.assertGreater(float(first_of_all[:, 200:].sum()), 0)
        self.assertEqual(float(_alpha(_shot(_word()), 3)[:, 200:].sum()), 0)
        turned = _shot(_word(order=(1,), turned=(1,)))
        self.assertFalse(np.array_equal(_alpha(turned, 3), _alpha(_shot(_word()), 3)))
        shorter = float(_alpha(_shot(_word(left_out=(1, 2, 3))), 41).sum())
        self.assertLess(shorter, float(_alpha(_shot(_word()), 41).sum()))
        # Numbers that are no more do no harm.
        _alpha(_shot(_word(order=(1999, 2), left_out=(1500,))), 20)
        with self.assertRaisesRegex(ValidationError, "named twice"):
            _word(order=(1, 1))

    def test_scripts_that_go_to_the_left_are_written_to_the_left(self) -> None:
        # Arabic letters that do not join: dal, alef, reh; another word after them.
        for word, letters in (("\u062f\u0627\u0631", 3), ("\u062f\u0627 \u0631\u0627", 4)):
            strokes, rings = found_strokes(_word(word=word, font="amiri"), NOWHERE)
            middles = [float(np.concatenate(own)[:, 0].mean()) for own in rings]
            self.assertEqual(len(rings), letters)
            self.assertEqual(middles, sorted(middles, reverse=True))
            self.assertEqual([one.piece for one in strokes], sorted(one.piece for one in strokes))
            # What is level goes to the left.
            level = [one.points for one in strokes if np.ptp(one.points[:, 0]) > 1.5 * np.ptp(one.points[:, 1])]
            self.assertTrue(all(one[0, 0] > one[-1, 0] for one in level))

    def test_letters_far_apart_are_still_one_word(self) -> None:
        # Of "it it" the dots and crossings come after each word, however far letters stand apart.
        def order(spacing: float) -> list[int]:
            found, _ = found_strokes(_word(word="tit it", letter_spacing=spacing), NOWHERE)
            return [one.piece for one in found]

        self.assertEqual(order(0.0), order(0.6))

    def test_what_is_named_twice_is_said_where_it_is(self) -> None:
        with self.assertRaises(ValidationError) as caught:
            _word(left_out=(1, 1))
        self.assertEqual(caught.exception.errors()[0]["loc"], ("left_out",))

    def test_no_ink_is_said(self) -> None:
        with self.assertRaises(InputError) as caught:
            resolve(_shot(_word(word="   ")), 1, NOWHERE)
        self.assertEqual(caught.exception.field, "elements.0.word")


class Lines(unittest.TestCase):
    def test_a_drawing_is_drawn_along_its_lines_as_wide_as_they_are(self) -> None:
        art = b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 100"><path d="M20 50 H180" stroke="black" stroke-width="10"/></svg>'
        with tempfile.TemporaryDirectory() as folder:
            assets = AssetFolder(Path(folder))
            name = "asset:" + assets.add(art)
            shot = _shot(
                Penwork(id="ink", writes="a drawing", drawing=name, size=160, frames=40, speed="even", ink=_INK)
            )
            half = _alpha(shot, 20, "final", assets)
            self.assertAlmostEqual(float(half.sum()), 80 * 10 + np.pi * 25, delta=6)
            self.assertAlmostEqual(float(half[60, 100]), 1, 3)
            self.assertEqual(float(half[60, 190]), 0)

    def test_what_is_drawn_by_hand_swells_with_pressure(self) -> None:
        points = tuple((float(x), 0.0, 0.2 + 0.8 * (x + 100) / 200) for x in range(-100, 101, 5))
        ink = Penwork(id="ink", writes="what is drawn by hand", drawn=(DrawnStroke(points=points),), width=20, ink=_INK)
        alpha = _alpha(_shot(ink), 100, "final")
        self.assertAlmostEqual(float(alpha[:, 70].sum()), 20 * (0.2 + 0.8 * 10.5 / 200), delta=0.8)
        self.assertAlmostEqual(float(alpha[:, 250].sum()), 20 * (0.2 + 0.8 * 190.5 / 200), delta=0.8)
        shot = _shot(ink)
        self.assertEqual(parse_shot(write_shot(shot)), shot)
        dot = Penwork(
            id="ink", writes="what is drawn by hand", drawn=(DrawnStroke(points=((0, 0, 1),)),), width=20, ink=_INK
        )
        self.assertAlmostEqual(float(_alpha(_shot(dot), 100, "final").sum()), np.pi * 100, delta=6)
        empty = Penwork(id="ink", writes="what is drawn by hand")
        self.assertEqual(float(_alpha(_shot(empty), 1).sum()), 0)


class Pens(unittest.TestCase):
    def test_what_stands_in_it_is_at_the_tip(self) -> None:
        pen = Solid(id="pen", inside="ink", shape="ball", width=6, height=6, depth=6)
        shot = _shot(_word(speed="even"), pen)
        before: NDArray[np.float64] | None = None
        touched = looked = 0
        for frame in range(1, 40):
            bodies = {body.element: body for body in resolve(shot, frame, NOWHERE).bodies}
            place = np.array(bodies["pen"].matrix).reshape(4, 4)[:2, 3]
            alpha = _alpha(_shot(_word(speed="even")), frame) if frame % 6 == 0 else None
            if alpha is not None:
                column, row = int(160 + place[0]), int(60 - place[1])
                near = float(alpha[row - 4 : row + 5, column - 4 : column + 5].max())
                # In the air it is over paper.
                touched += near > 0.5
                looked += 1
            if before is not None:
                self.assertLess(float(np.hypot(*(place - before))), 120)
            before = place
        self.assertGreaterEqual(touched, looked - 3)
        gone = _shot(_word(pen="is there while it writes"), pen)
        body = next(one for one in resolve(gone, 50, NOWHERE).bodies if one.element == "pen")
        self.assertLess(abs(float(np.linalg.det(np.array(body.matrix).reshape(4, 4)[:3, :3]))), 1e-12)

    def test_a_pen_is_blurred_while_it_goes(self) -> None:
        pen = Solid(id="pen", inside="ink", shape="ball", width=6, height=6, depth=6)
        shot = _shot(_word(frames=12), pen, motion=Motion(angle=180))
        self.assertGreater(len(resolve(shot, 6, NOWHERE).stations), 2)
        self.assertTrue(np.isfinite(_alpha(shot, 6)).all())
