"""Framing: what is framed fills the picture, whatever the camera."""

import unittest

import numpy as np

from zeitbild.document.shot import Camera, Raster
from zeitbild.errors import InputError
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import resolve
from zeitbild.resolve.framing import MARGIN, extents_of, framed
from zeitbild.testing import NOWHERE, small_shot
from zeitbild.values import Placement

CAMERAS = (
    Camera(position=(0, 40, 9000)),
    Camera(position=(600, 500, 200), roll=20),
    Camera(position=(-50, 0, 90), lens_by="focal length", focal_length=24),
    Camera(position=(300, 200, 400), projection="orthographic", span=20),
)


class Framing(unittest.TestCase):
    def test_everything_lies_inside_and_touches_the_margin(self) -> None:
        for camera in CAMERAS:
            for raster in (Raster(width=160, height=90), Raster(width=90, height=160)):
                shot = small_shot(camera=camera, raster=raster)
                moved = shot.model_copy(update={"camera": framed(shot, (1,), NOWHERE)})
                box = extents_of(resolve(moved, 1, NOWHERE))["word-1"]
                shares = np.array([box.left / raster.width, box.top / raster.height])
                ends = np.array([1 - box.right / raster.width, 1 - box.bottom / raster.height])
                self.assertGreater(min(*shares, *ends), MARGIN - 0.01, camera)
                self.assertFalse(box.behind)
                # One of the two directions is filled.
                self.assertTrue(min(shares[0] + ends[0], shares[1] + ends[1]) < 2 * MARGIN + 0.02, camera)

    def test_the_view_does_not_turn(self) -> None:
        for camera in CAMERAS:
            shot = small_shot(camera=camera)
            before = resolve(shot, 1, NOWHERE).camera.axes
            after = resolve(shot.model_copy(update={"camera": framed(shot, (1,), NOWHERE)}), 1, NOWHERE).camera.axes
            np.testing.assert_allclose(before, after, atol=2e-3)

    def test_one_of_two_elements(self) -> None:
        word = small_shot().elements[0]
        far = word.model_copy(update={"id": "word-2", "placement": Placement(position=(4000, 0, 0))})
        shot = small_shot(elements=(word, far))
        one, both = framed(shot, (1,), NOWHERE, ("word-2",)), framed(shot, (1,), NOWHERE)
        self.assertAlmostEqual(one.look_at[0], 4000, delta=5)
        self.assertGreater(both.position[2], 3 * one.position[2])

    def test_nothing_to_frame_is_said(self) -> None:
        with self.assertRaisesRegex(InputError, "nothing in the picture to frame"):
            framed(small_shot(elements=()), (1,), NOWHERE)


class Orthographic(unittest.TestCase):
    def test_size_does_not_depend_on_distance_and_depth_does(self) -> None:
        near, far = (
            render(
                resolve(small_shot(camera=Camera(position=(0, 0, z), projection="orthographic", span=600)), 1, NOWHERE),
                QUALITIES["check"],
            )
            for z in (300.0, 3000.0)
        )
        np.testing.assert_allclose(near.beauty[..., 3], far.beauty[..., 3], atol=1e-6)
        solid = near.beauty[..., 3] == 1
        np.testing.assert_allclose(far.depth[solid] - near.depth[solid], 2700, atol=0.05)
        # The face of a word of depth 60 about the origin stands 30 units before it.
        self.assertAlmostEqual(float(near.depth[solid].min()), 270, delta=1)

    def test_a_unit_is_as_wide_as_the_span_says(self) -> None:
        shot = small_shot(camera=Camera(position=(0, 0, 1000), projection="orthographic", span=600))
        camera = resolve(shot, 1, NOWHERE).camera
        points = camera.project(np.array([[0.0, 0, 0], [100, 0, -500], [0, 100, 500]]))
        pixels = points[:, :2] / points[:, 2:]
        np.testing.assert_allclose(pixels[1] - pixels[0], (16, 0), atol=1e-9)
        np.testing.assert_allclose(pixels[2] - pixels[0], (0, -16), atol=1e-9)

    def test_roll_turns_the_picture_clockwise(self) -> None:
        camera = resolve(small_shot(camera=Camera(position=(0, 0, 1000), roll=90)), 1, NOWHERE).camera
        middle, above = camera.project(np.array([[0.0, 0, 0], [0, 100, 0]]))
        self.assertGreater(above[0] / above[2], middle[0] / middle[2] + 5)
        self.assertAlmostEqual(above[1] / above[2], middle[1] / middle[2], delta=1e-6)
