"""Placement matrices against an independent library, and the parts that extrusions are made of."""

import math
import unittest

import numpy as np
from scipy.spatial.transform import Rotation

from zeitbild.geometry.profile import bevel_profile
from zeitbild.geometry.transforms import placement, rotation


class Rotations(unittest.TestCase):
    def test_axes_agree_with_scipy(self) -> None:
        for axis in "xyz":
            for degrees in (-370, -90, -33.3, 0, 12.5, 90, 180, 270, 359):
                theirs = Rotation.from_euler(axis, degrees, degrees=True).as_matrix()
                np.testing.assert_allclose(rotation(axis, degrees), theirs, atol=1e-12)

    def test_angles_are_applied_about_x_then_y_then_z(self) -> None:
        angles = (20.0, -35.0, 50.0)
        theirs = Rotation.from_euler("xyz", angles, degrees=True).as_matrix()
        np.testing.assert_allclose(placement((0, 0, 0), angles, (1, 1, 1))[:3, :3], theirs, atol=1e-12)

    def test_quarter_turns_are_exact(self) -> None:
        for degrees in (90, 180, 270, 360, -90, 450):
            values = rotation("y", degrees)
            np.testing.assert_array_equal(values, values.round())

    def test_four_quarter_turns_are_none(self) -> None:
        quarter = rotation("z", 90)
        np.testing.assert_array_equal(quarter @ quarter @ quarter @ quarter, np.eye(3))


class Placements(unittest.TestCase):
    def _apply(self, matrix: np.ndarray, point: tuple[float, float, float]) -> np.ndarray:
        return matrix[:3, :3] @ np.array(point) + matrix[:3, 3]

    def test_the_pivot_lands_on_the_position_whatever_turns(self) -> None:
        for turned in (0, 45, 200):
            matrix = placement((10, 20, 30), (5, 6, 7), (2, 3, 4), "y", turned, (1, 2, 3))
            np.testing.assert_allclose(self._apply(matrix, (1, 2, 3)), (10, 20, 30), atol=1e-12)

    def test_a_turn_spins_about_the_elements_own_axis(self) -> None:
        # Leaning by 90 degrees about z lays the element's y axis along -x; its turn must keep that axis in place.
        matrix = placement((0, 0, 0), (0, 0, 90), (1, 1, 1), "y", 77)
        np.testing.assert_allclose(self._apply(matrix, (0, 5, 0)), (-5, 0, 0), atol=1e-12)

    def test_scale_comes_first(self) -> None:
        matrix = placement((0, 0, 0), (0, 0, 90), (2, 1, 1))
        np.testing.assert_allclose(self._apply(matrix, (1, 0, 0)), (0, 2, 0), atol=1e-12)


class Profiles(unittest.TestCase):
    def test_every_profile_leads_from_the_wall_to_the_face_without_gaps(self) -> None:
        for name in ("flat", "round", "hollow", "stepped"):
            for steps in (1, 2, 5):
                strips = bevel_profile(name, steps, 1.0)  # type: ignore[arg-type]
                self.assertEqual((strips[0].inset[0], strips[0].rise[0]), (0, 0))
                self.assertEqual((strips[-1].inset[1], strips[-1].rise[1]), (1, 1))
                for a, b in zip(strips, strips[1:], strict=False):
                    self.assertEqual((a.inset[1], a.rise[1]), (b.inset[0], b.rise[0]))

    def test_normals_stand_across_their_strips(self) -> None:
        # For curved profiles the mean of both ends stands across the chord.
        for name in ("flat", "round", "hollow", "stepped"):
            for slope in (0.5, 1.0, 2.0):
                for strip in bevel_profile(name, 6, slope):  # type: ignore[arg-type]
                    along = np.array([strip.inset[0] - strip.inset[1], (strip.rise[1] - strip.rise[0]) * slope])
                    normal = np.array(strip.normal).mean(axis=0)
                    # Moving up the strip goes inwards (less outward) and up: the normal has no part along it.
                    across = along[0] * normal[0] + along[1] * normal[1]
                    self.assertAlmostEqual(across / np.linalg.norm(along), 0, delta=0.02)

    def test_normals_are_unit(self) -> None:
        for strip in bevel_profile("round", 7, 0.7):
            for outward, up in strip.normal:
                self.assertAlmostEqual(math.hypot(outward, up), 1)

    def test_only_steps_have_walls(self) -> None:
        self.assertEqual([strip.is_wall for strip in bevel_profile("stepped", 2, 1.0)], [True, False, True, False])
        self.assertFalse(any(strip.is_wall for strip in bevel_profile("round", 4, 1.0)))
