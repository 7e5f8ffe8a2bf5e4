"""Motion blur: what moves is smeared along its way, what stands is not, and both are the same every time."""

import unittest
from fractions import Fraction

import numpy as np

from zeitbild.document.shot import Camera, Motion, Raster, Shot, Timing
from zeitbild.document.values import Turn
from zeitbild.elements.solid import Solid
from zeitbild.render import QUALITIES, Picture, render
from zeitbild.render.shading import MOTION
from zeitbild.resolve import frame_key, resolve
from zeitbild.testing import NOWHERE
from zeitbild.timing import phase_of


def _shot(turns: float = 1, angle: float = 180, phase: float = -90, moments: str = "16", frames: int = 24) -> Shot:
    # A thin box far off its pivot, turning in the picture's plane.
    arm = Solid(
        id="arm",
        width=20,
        height=20,
        depth=20,
        rounding=0,
        turn=Turn(turns=turns, axis="z"),
        pivot_offset=(-100, 0, 0),
    )
    still = Solid(id="still", width=30, height=30, depth=30, rounding=0)
    return Shot(
        raster=Raster(width=256, height=256),
        timing=Timing(last=frames),
        camera=Camera(position=(0, 0, 1000), projection="orthographic", span=300),
        motion=Motion(angle=angle, phase=phase, moments=moments),
        elements=(arm, still),
    )


def _alpha(shot: Shot, frame: int = 1, quality: str = "final") -> np.ndarray:  # type: ignore[type-arg]
    return render(resolve(shot, frame, NOWHERE), QUALITIES[quality]).beauty[..., 3]


class Blur(unittest.TestCase):
    def test_frames_may_lie_between_frames(self) -> None:
        self.assertEqual(phase_of(Fraction(3, 2), 1, 24, True), Fraction(1, 48))
        self.assertEqual(phase_of(Fraction(1, 2), 1, 24, True), Fraction(47, 48))

    def test_a_closed_shutter_and_a_set_that_stands_cost_nothing(self) -> None:
        self.assertEqual(resolve(_shot(angle=0), 1, NOWHERE).moments, ())
        self.assertEqual(resolve(_shot(turns=0), 1, NOWHERE).moments, ())
        self.assertEqual(len(resolve(_shot(), 1, NOWHERE).moments), 16)

    def test_the_way_is_as_long_as_the_shutter_is_open(self) -> None:
        # 180 degrees of shutter are half a frame: 360 / 24 / 2 = 7.5 degrees of the circle of radius 100 units.
        for angle in (90.0, 180.0, 360.0):
            alpha = _alpha(_shot(angle=angle, phase=-angle / 2))
            y, x = np.mgrid[0:256, 0:256]
            units = 300 / 256
            away = np.hypot((x - 127.5) * units, (y - 127.5) * units)
            ring = (np.abs(away - 100) < 1.5) & (x > 128)
            touched = np.degrees(np.arctan2((127.5 - y)[ring & (alpha > 0.01)], (x - 127.5)[ring & (alpha > 0.01)]))
            # The arm itself is 20 units wide: 11.5 degrees at that radius.
            self.assertAlmostEqual(float(np.ptp(touched)), 11.5 + angle / 360 * 15 * 15 / 16, delta=1.2)

    def test_a_centred_shutter_is_even_about_the_frame(self) -> None:
        alpha = _alpha(_shot(phase=-90))
        half = alpha[:, 140:]
        np.testing.assert_allclose(half, half[::-1], atol=0.2)
        late = _alpha(_shot(phase=0))[:, 140:]
        rows = np.arange(256)
        self.assertLess(
            float((late.sum(axis=1) * rows).sum() / late.sum()), float((half.sum(axis=1) * rows).sum() / half.sum()) - 1
        )

    def test_light_and_coverage_are_kept(self) -> None:
        plain, blurred = _alpha(_shot(angle=0)), _alpha(_shot())
        self.assertAlmostEqual(float(blurred.sum() / plain.sum()), 1, delta=0.004)

    def test_edges_that_stand_still_stay_fine(self) -> None:
        plain, blurred = _alpha(_shot(angle=0)), _alpha(_shot())
        middle = np.s_[110:146, 110:146]
        self.assertLess(float(np.abs(plain[middle] - blurred[middle]).mean()), 0.5 / 255 * 4)

    def test_the_frame_after_a_cycle_equals_the_first(self) -> None:
        def held(frame: int) -> Picture:
            return render(resolve(_shot(), frame, NOWHERE).at_size(64, 64), QUALITIES["check"])

        first, again, other = held(1), held(25), held(2)
        self.assertEqual(first.beauty.tobytes(), again.beauty.tobytes())
        self.assertNotEqual(first.beauty.tobytes(), other.beauty.tobytes())
        self.assertEqual(
            frame_key(resolve(_shot(), 1, NOWHERE), "final"), frame_key(resolve(_shot(), 25, NOWHERE), "final")
        )
        self.assertNotEqual(
            frame_key(resolve(_shot(), 1, NOWHERE), "final"), frame_key(resolve(_shot(angle=90), 1, NOWHERE), "final")
        )

    def test_depth_reaches_as_far_as_alpha(self) -> None:
        picture = render(resolve(_shot(), 1, NOWHERE), QUALITIES["check"])
        self.assertFalse(((picture.beauty[..., 3] > 0) & (picture.depth > 1e9)).any())

    def test_motion_does_not_depend_on_when_the_shutter_opens(self) -> None:
        def motion(phase: float) -> np.ndarray:  # type: ignore[type-arg]
            picture = render(resolve(_shot(phase=phase, angle=20), 1, NOWHERE), QUALITIES["check"], planes=True)
            assert picture.planes is not None
            alpha = picture.beauty[..., 3]
            solid = alpha > 0.99
            solid[:, :200] = False
            return np.linalg.norm(picture.planes[solid][:, MOTION : MOTION + 2].mean(axis=0))  # type: ignore[no-any-return]

        # 15 degrees of the circle of 100 units, in pixels: twice the radius times the sine of half the angle.
        expected = 2 * 100 * np.sin(np.radians(7.5)) * 256 / 300
        for phase in (-180, -10, 0, 160):
            self.assertAlmostEqual(float(motion(phase)), expected, delta=0.05 * expected)
